#include "view/stock_follower.h"
#include <QElapsedTimer>
#include <algorithm>
#include <cmath>

namespace hemline::app {
namespace {
constexpr std::size_t kPiece = 64;     // moves cut between two looks at the clock
constexpr double kMostTriangles = 4e5; // shown of the stock as it comes; a finer lattice is looked at with larger steps
} // namespace

StockFollower::StockFollower(QObject* parent, std::size_t mostMemory, int apart) : QObject(parent), mostMemory_(mostMemory), apart_(apart) {
  qRegisterMetaType<std::shared_ptr<const ShownTriangles>>();
  thread_ = std::thread([this] { run(); });
}

StockFollower::~StockFollower() {
  {
    const std::lock_guard lock(mutex_);
    stop_ = true;
    if (progress_) progress_->cancel();
  }
  wake_.notify_one();
  thread_.join();
}

void StockFollower::request(std::shared_ptr<const StepResult> step, std::size_t location) {
  {
    const std::lock_guard lock(mutex_);
    if (step != step_ && progress_) progress_->cancel();
    step_ = std::move(step), location_ = location;
    asked_ = true;
  }
  wake_.notify_one();
}

std::pair<std::size_t, std::size_t> StockFollower::kept() const {
  return {count_, memory_};
}

StockFollower::Pass& StockFollower::passOver(const std::shared_ptr<const StepResult>& step) {
  passes_.remove_if([](const Pass& p) { return p.step.expired(); });
  const auto known = std::find_if(passes_.begin(), passes_.end(), [&](const Pass& p) { return p.step.lock() == step; });
  if (known != passes_.end()) {
    passes_.splice(passes_.begin(), passes_, known);
    return passes_.front();
  }
  const Vec3 size = step->before->stock.bounds().size();
  const double faces = 2 * (size.x() * size.y() + size.y() * size.z() + size.z() * size.x());
  const double stride = std::ceil(std::sqrt(2 * faces / kMostTriangles) / step->before->stock.cell());
  Pass& pass = passes_.emplace_front();
  pass.step = step, pass.apart = apart_;
  pass.places.emplace(0, Place{step->before->stock, StockSurface(step->before->stock, std::max(1, static_cast<int>(stride))), 0});
  return pass;
}

void StockFollower::Pass::measure(std::map<std::size_t, Place>::iterator place) {
  if (place == places.end() || place == places.begin()) return;
  Place& p = place->second;
  const Place& earlier = std::prev(place)->second;
  memory -= p.memory;
  p.memory = p.stock.memoryBeside(earlier.stock) + p.surface.memoryBeside(earlier.surface);
  memory += p.memory;
}

void StockFollower::Pass::thin() {
  for (auto p = std::next(places.begin()); p != places.end() && std::next(p) != places.end();) {
    memory -= p->second.memory;
    p = places.erase(p);
    measure(p);
    ++p;
  }
  apart = std::max(1, 2 * apart);
}

void StockFollower::keep(std::size_t location, const Place& place) {
  Pass& pass = passes_.front();
  const auto [it, fresh] = pass.places.try_emplace(location, place);
  if (fresh) {
    it->second.memory = 0;
    pass.measure(it);
    pass.measure(std::next(it));
  }
  const auto all = [this](auto what) {
    std::size_t sum = 0;
    for (const Pass& p : passes_) sum += what(p);
    return sum;
  };
  const auto memory = [&] { return all([](const Pass& p) { return p.memory; }); };
  while (memory() > mostMemory_) {
    if (passes_.size() > 1)
      passes_.pop_back();
    else if (pass.places.size() > 2)
      pass.thin();
    else
      break;
  }
  memory_ = memory();
  count_ = all([](const Pass& p) { return p.places.size(); });
}

void StockFollower::cutTo(std::size_t end, const StepResult& step, Place& place, std::size_t& at, Progress& progress) {
  std::vector<Box> reached;
  const auto settle = [&] {
    place.surface.update(place.stock, reached);
    reached.clear();
  };
  QElapsedTimer clock;
  clock.start();
  while (at < end) {
    const std::size_t next = std::min(end, (at / kPiece + 1) * kPiece);
    place.stock.cut(step.assembly.profile, step.planned->path, at, next, &progress, &reached);
    at = next;
    const bool newer = [this] {
      const std::lock_guard lock(mutex_);
      return asked_ || stop_;
    }();
    if (clock.elapsed() < passes_.front().apart && !newer) continue;
    settle();
    keep(at, place);
    if (newer) return;
    clock.restart();
  }
  settle();
}

void StockFollower::run() {
  std::shared_ptr<const StepResult> step;
  while (true) {
    std::optional<std::size_t> wanted;
    std::shared_ptr<Progress> progress;
    {
      std::unique_lock lock(mutex_);
      // Nothing is asked: the rest of the step is cut ahead of being asked.
      wake_.wait(lock, [&] { return stop_ || asked_ || (step && !passes_.empty() && !passes_.front().through); });
      if (stop_) return;
      if (asked_) wanted = location_, step = step_;
      asked_ = false;
      progress_ = progress = std::make_shared<Progress>();
    }
    if (!step) continue;
    try {
      Pass& pass = passOver(step);
      const std::size_t all = step->planned->path.locations.size(), end = std::min(wanted.value_or(all), all);
      const auto near = std::prev(pass.places.upper_bound(end));
      Place place = near->second;
      std::size_t at = near->first;
      cutTo(end, *step, place, at, *progress);
      if (at < end) continue; // a newer request came
      if (wanted) {
        emit cut(std::make_shared<const ShownTriangles>(place.surface.shown()), static_cast<int>(end));
      } else {
        keep(all, place);
        pass.through = true;
        emit passedThrough();
      }
    } catch (const Cancelled&) {
    }
  }
}

} // namespace hemline::app
