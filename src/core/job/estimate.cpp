#include "job/estimate.h"

namespace hemline {

double estimatedSpacing(const Step& step, const Cutter& cutter) {
  const double R = cutter.kind == CutterKind::Ball || cutter.kind == CutterKind::TaperedBall ? cutter.diameter / 2
                   : cutter.kind == CutterKind::Barrel                                       ? cutter.profileRadius
                                                                                             : std::max(cutter.corner, 0.0);
  const double h = step.promises.cusp.value_or(0);
  return h > 0 && R > h ? 2 * std::sqrt(2 * h * R - h * h) : 0;
}

double cuspSpacedFor(double cusp, double chord) {
  constexpr double kShare = 0.975, kOfChord = 0.5, kLeast = 0.5;
  return std::max(kLeast * cusp, kShare * cusp - kOfChord * chord);
}

std::optional<TimeSpan> estimatedTime(const Step& step, const Cutter& cutter, const StepResult& before) {
  const double spacing = estimatedSpacing(step, cutter);
  const double spacingWas = estimatedSpacing(before.step, before.assembly.cutter);
  double rpm = 0, feed = 0;
  conditions(step, cutter, kInfinity, rpm, feed);
  if (!(spacing > 0) || !(spacingWas > 0) || !(feed > 0) || !before.time) return std::nullopt;
  const double time = before.time->timing.total * (spacingWas / spacing) * (before.feed / feed);
  return TimeSpan{0.85 * time, (spacing > 1.01 * spacingWas ? 1.6 : 1.2) * time};
}

double computingWork(const Step& step, const Cutter& cutter, double ground, double blank) {
  double path = 0; // mm
  if (const double spacing = estimatedSpacing(step, cutter); step.finishing() && spacing > 0) path = ground / spacing;
  if (const auto* levels = step.as<LevelRoughing>())
    path = blank / std::max(1e-3, levels->depth * std::max(levels->stepOver, 0.1 * cutter.diameter));
  return std::max(1.0, path / 1e3);
}

} // namespace hemline
