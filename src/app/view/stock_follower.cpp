#include "view/stock_follower.h"
#include <QElapsedTimer>

namespace hemline::app {
namespace {
constexpr std::size_t kPiece = 64; // moves cut between two looks at the clock
constexpr int kApart = 30;         // ms of cutting between places whose stock is kept; blocks that were not cut between are shared
} // namespace

StockFollower::StockFollower(QObject* parent) : QObject(parent) {
  qRegisterMetaType<std::shared_ptr<const Mesh>>();
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

void StockFollower::request(std::shared_ptr<const StepResult> step, std::shared_ptr<const StockState> before, std::size_t location) {
  {
    const std::lock_guard lock(mutex_);
    if (step != step_ && progress_) progress_->cancel();
    step_ = std::move(step), before_ = std::move(before), location_ = location;
    asked_ = true;
  }
  wake_.notify_one();
}

void StockFollower::run() {
  std::shared_ptr<const StepResult> known;
  std::map<std::size_t, Stock> kept; // by the number of locations that are cut
  while (true) {
    std::shared_ptr<const StepResult> step;
    std::shared_ptr<const StockState> before;
    std::size_t location = 0;
    std::shared_ptr<Progress> progress;
    {
      std::unique_lock lock(mutex_);
      wake_.wait(lock, [this] { return stop_ || asked_; });
      if (stop_) return;
      asked_ = false;
      step = step_, before = before_, location = location_;
      progress_ = progress = std::make_shared<Progress>();
    }
    if (!step || !before) continue;
    if (step != known) known = step, kept.clear(), kept.emplace(0, before->stock);
    try {
      const Path& path = step->planned->path;
      const std::size_t end = std::min(location, path.locations.size());
      auto it = std::prev(kept.upper_bound(end));
      std::size_t at = it->first;
      Stock stock = it->second;
      QElapsedTimer clock;
      clock.start();
      while (at < end) {
        const std::size_t next = std::min(end, (at / kPiece + 1) * kPiece);
        stock.cut(step->assembly.profile, path, at, next, progress.get());
        at = next;
        if (clock.elapsed() < kApart) continue;
        kept.emplace(at, stock);
        clock.restart();
      }
      emit cut(std::make_shared<const Mesh>(stock.surface()), static_cast<int>(end));
    } catch (const Cancelled&) {
    }
  }
}

} // namespace hemline::app
