#include "plan/costs.h"
#include "job/estimate.h"
#include <fmt/format.h>

namespace hemline {
namespace {

constexpr double kAtFeed = 0.95;    // of the programmed feed: what runs slower is held by corners and axes
constexpr double kWorthTelling = 1; // s

/// Time of the moves that `is` tells, s.
template <class Is> double timeOf(const StepResult& s, Is is) {
  const auto& at = s.time->timing.at;
  const auto& l = s.planned->path.locations;
  double t = 0;
  for (std::size_t i = 1; i < std::min(at.size(), l.size()); ++i)
    if (is(l[i], i)) t += at[i] - at[i - 1];
  return t;
}

std::string difference(double seconds) {
  if (std::abs(seconds) < kWorthTelling) return "about the same time";
  return fmt::format("about {} {}", formatDuration(std::abs(seconds)), seconds > 0 ? "more" : "less");
}

std::string ofCusp(const Job& job, const StepResult& s) {
  const Cutter& cutter = job.cutter(s.step.cutter);
  const double now = estimatedSpacing(s.step, cutter);
  if (!(now > 0)) return {};
  std::string out;
  for (const auto& [words, times] : {std::pair("Half of it", 0.5), std::pair("twice of it", 2.0)}) {
    Step other = s.step;
    *other.promises.cusp *= times;
    const double spacing = estimatedSpacing(other, cutter);
    if (!(spacing > 0)) continue;
    out += fmt::format("{}{}: {}", out.empty() ? "" : "; ", words, difference(timeWith(s, now / spacing) - s.time->timing.total));
  }
  return out;
}

std::string ofCutter(const Job& job, const StepResult& s) {
  const Cutter& now = job.cutter(s.step.cutter);
  const double spacing = estimatedSpacing(s.step, now);
  if (!(spacing > 0)) return {};
  std::string out;
  for (const Cutter& c : job.cutters) {
    if (c.kind != now.kind || c.name == now.name) continue;
    Step other = s.step;
    other.cutter = c.name, other.rpm = other.feed = 0;
    double rpm = 0, feed = 0;
    conditions(other, c, s.held->machine->spindle.empty() ? kInfinity : s.held->machine->spindle.back().rpm, rpm, feed);
    const double there = estimatedSpacing(other, c);
    if (!(there > 0) || !(feed > 0)) continue;
    const double cutting = timeWith(s, 1) - timeWith(s, 0);
    out +=
        fmt::format("{}with {}: {}", out.empty() ? "" : "; ", c.name, difference(cutting * (spacing / there) * (s.feed / feed) - cutting));
  }
  return out;
}

std::string ofFeed(const StepResult& s) {
  const auto& realised = s.time->timing.realised;
  const double total = s.time->timing.total;
  const double held = timeOf(
      s, [&](const Location& l, std::size_t i) { return l.motion != Motion::Rapid && i < realised.size() && realised[i] < kAtFeed; });
  const double free = timeOf(
      s, [&](const Location& l, std::size_t i) { return l.motion != Motion::Rapid && (i >= realised.size() || realised[i] >= kAtFeed); });
  if (!(total > 0)) return {};
  return fmt::format("A tenth faster: {}; {:.0f} % of the time runs below the programmed feed already (corners, axes)",
                     difference(free / 1.1 - free), 100 * held / total);
}

/// Of what stands in levels or passes so far apart: half and twice of it.
std::string ofSpacing(const StepResult& s, const char* what, double most) {
  if (!(most > 0)) return {};
  return fmt::format("Half of it: {}, half the load of a {}; twice: {}", difference(timeWith(s, 2) - s.time->timing.total), what,
                     difference(timeWith(s, 0.5) - s.time->timing.total));
}

std::string ofStickOut(const StepResult& s, LengthUnit unit) {
  const bool inch = unit == LengthUnit::Inch;
  const double l = s.step.stickOut, shorter = inch ? 0.2 * kInch : 5; // mm
  if (l <= 2 * shorter) return {};
  const double ratio = std::pow((l - shorter) / l, 3);
  std::string out = fmt::format("{} less bends {:.0f} % less", inch ? "0.2 in" : "5 mm", 100 * (1 - ratio));
  if (s.effort && s.effort->cutterBends > 0)
    out += fmt::format(" ({} instead of {})", formatLength(s.effort->cutterBends * ratio, unit, true),
                       formatLength(s.effort->cutterBends, unit, true));
  if (s.clearance && s.clearance->least.known)
    out += fmt::format("; the assembly comes as near as {} now", formatLength(s.clearance->least.value, unit));
  return out;
}

std::string ofChord(const StepResult& s) {
  std::size_t blocks = 0;
  for (const Location& l : s.planned->path.locations) blocks += l.motion == Motion::Cut;
  if (blocks == 0) return {};
  return fmt::format("{} blocks now; a quarter of it: about {} (their length goes with the root)", blocks, 2 * blocks);
}

} // namespace

double timeWith(const StepResult& s, double times) {
  const double cutting = timeOf(s, [](const Location& l, std::size_t) { return l.motion == Motion::Cut; });
  return s.time->timing.total + (times - 1) * cutting;
}

std::string costOfChange(const StepField& field, const Job& job, const StepResult& s, LengthUnit unit) {
  if (!s.time || s.planned->path.locations.empty() || s.step.is<GivenPathStep>()) return {};
  const auto* rough = s.step.as<LevelRoughing>();
  const bool finishes = s.step.finishing() != nullptr;
  if (field.id == "cusp_mm" && finishes && s.step.promises.cusp) return ofCusp(job, s);
  if (field.id == "cutter" && finishes) return ofCutter(job, s);
  if (field.id == "feed_mm_min") return ofFeed(s);
  if (field.id == "depth_mm" && rough) return ofSpacing(s, "level", rough->depth);
  if (field.id == "step_over_mm" && rough && !rough->engagement) return ofSpacing(s, "pass", rough->stepOver);
  if (field.id == "stick_out_mm") return ofStickOut(s, unit);
  if (field.id == "chord_mm" && finishes) return ofChord(s);
  return {};
}

} // namespace hemline
