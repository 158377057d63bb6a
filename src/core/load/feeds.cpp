#include "load/feeds.h"
#include <fmt/format.h>

namespace hemline {
namespace {

constexpr double kSlack = 1.001;  // times a limit that is still within
constexpr double kStep = 1.1;     // from one feed to the next
constexpr double kApart = 4;      // diameters: places nearer to each other are one
constexpr std::size_t kMost = 50; // places that are told

/// Force, torque and bend of a move as shares of their limits, and the chip of its.
struct Load {
  double pushes = 0, chip = 0;
  Overload worst; ///< of all of them
};

class Loads {
public:
  Loads(const Path& path, const CutReport& report, const Effort& effort, const Assembly& a, double rpm, const LoadLimits& limits)
      : path_(path), report_(report), effort_(effort), limits_(limits), teeth_(a.cutter.teeth * rpm / 60), give_(cutterCompliance(a)) {}

  bool known(std::size_t i) const { return i < effort_.pushes.size() && i < report_.moves.size() && effort_.pushes[i] >= 0; }

  /// With `share` of the programmed feed, force and torque growing with `power` of it.
  Load at(std::size_t i, double share, double power) const {
    Load out;
    const double grows = std::pow(share, power), force = grows * static_cast<double>(effort_.pushes[i]);
    const auto take = [&](const char* what, double asked, const std::optional<double>& allowed, double& into, double slack = 1) {
      if (!allowed || !(*allowed > 0)) return;
      into = std::max(into, asked / *allowed);
      if (asked / *allowed > slack * kSlack && (out.worst.allowed <= 0 || asked / *allowed > out.worst.times()))
        out.worst = {i, what, asked, *allowed};
    };
    take("torque", grows * static_cast<double>(effort_.turns[i]), limits_.torque, out.pushes);
    take("force", force, limits_.force, out.pushes);
    take("bend", force * give_, limits_.bend, out.pushes);
    const double arc = std::min(static_cast<double>(report_.moves[i].engagement), kPi / 2);
    take("chip", share * path_.locations[i].feed / teeth_ * std::sin(arc), limits_.chip, out.chip, kThickChip);
    return out;
  }

private:
  const Path& path_;
  const CutReport& report_;
  const Effort& effort_;
  const LoadLimits& limits_;
  double teeth_, give_; ///< teeth that pass in a second; mm/N
};

} // namespace

LoadLimits limitsOf(const Step& step, const Cutter& cutter, const Machine& machine, double rpm, double feed) {
  LoadLimits l;
  if (!machine.spindle.empty()) l.torque = torqueAt(machine, rpm);
  l.force = step.mostForce, l.bend = step.mostBend;
  const auto* rough = step.as<LevelRoughing>();
  const double arc = rough && rough->engagement ? std::sin(std::min(*rough->engagement, kPi / 2)) : 1.0;
  l.chip = step.feed > 0 ? feed / (rpm * cutter.teeth) * arc : cutter.feedPerTooth;
  return l;
}

FeedPlan planFeeds(const Path& path, const CutReport& report, const Effort& effort, const Assembly& assembly, double rpm,
                   const Material& material, const LoadLimits& limits) {
  assert(report.moves.size() == path.locations.size() && effort.pushes.size() == path.locations.size());
  FeedPlan out;
  const auto& l = path.locations;
  for (const Location& x : l) out.feed.push_back(x.feed);
  if (!(rpm > 0)) return out;
  const Loads loads(path, report, effort, assembly, rpm, limits);
  const double power = 1 - material.rise;
  std::vector<double> share(l.size(), 1), run(l.size(), 0);
  for (std::size_t i = 1; i < l.size(); ++i) run[i] = run[i - 1] + (l[i].tip - l[i - 1].tip).norm();
  for (std::size_t i = 1; i < l.size(); ++i) {
    if (!loads.known(i)) continue;
    const Load now = loads.at(i, 1, power);
    double s = kMostFeed;
    if (now.pushes > 0) s = std::min(s, std::pow(now.pushes, -1 / power));
    if (now.chip > 0) s = std::min(s, 1 / now.chip);
    share[i] = std::max(s, kLeastFeed);
  }
  const double ahead = assembly.cutter.diameter / 2;
  std::vector<double> held = share;
  for (std::size_t i = 1; i < l.size(); ++i) {
    if (!loads.known(i)) continue;
    for (std::size_t k = i; k-- > 1 && loads.known(k) && run[i - 1] - run[k] < ahead;) held[i] = std::min(held[i], share[k]);
    for (std::size_t k = i + 1; k < l.size() && loads.known(k) && run[k - 1] - run[i] < ahead; ++k) held[i] = std::min(held[i], share[k]);
  }
  const auto add = [&](std::vector<Overload>& list, const Overload& o) {
    if (!(o.allowed > 0)) return;
    if (!list.empty() && run[o.location] - run[list.back().location] < kApart * assembly.cutter.diameter) {
      if (o.times() > list.back().times()) list.back() = o;
    } else if (list.size() < kMost) {
      list.push_back(o);
    }
  };
  for (std::size_t i = 1; i < l.size(); ++i) {
    if (!loads.known(i)) continue;
    const double s = std::max(kLeastFeed, std::pow(kStep, std::floor(std::log(held[i]) / std::log(kStep) + 1e-9)));
    out.feed[i] = s * l[i].feed;
    out.slowest = std::min(out.slowest, s), out.fastest = std::max(out.fastest, s);
    add(out.over, loads.at(i, 1, power).worst), add(out.remains, loads.at(i, s, power).worst);
  }
  return out;
}

std::string overloadText(const Overload& o) {
  if (o.what == "torque") return fmt::format("torque {:.2g} N m, the spindle gives {:.2g}", o.asked, o.allowed);
  if (o.what == "force") return fmt::format("force {:.0f} N, {:.0f} allowed", o.asked, o.allowed);
  if (o.what == "bend") return fmt::format("the cutter's tip gives way by {:.3f} mm, {:.3f} allowed", o.asked, o.allowed);
  return fmt::format("chip {:.3f} mm thick, {:.3f} meant", o.asked, o.allowed);
}

} // namespace hemline
