#include "study/whole_study.h"
#include "base/units.h"
#include <fmt/format.h>

namespace hemline {

WholeStudy studyWhole(const Part& part, const Vec3& up, Progress& progress) {
  WholeStudy s;
  s.study = studyPart(part, up, progress);
  s.balls = largestBalls(part, std::min(kStudiedBall, 0.25 * part.mesh.bounds().diagonal()), kBallPlaces, progress);
  const Sight sight(part.mesh);
  s.reach = studyReach(part, sight, up, kReachPlaces, progress);
  s.clampings = planClampings(part, sight, s.reach.places, 0, kLooks, progress);
  s.walls = studyWalls(part, up, progress);
  return s;
}

std::string studyText(const Part& part, const WholeStudy& s, const std::vector<Cutter>& library, double cusp) {
  const double all = s.reach.places.area(), rest = all - s.reach.seen - s.reach.hidden;
  std::string out = fmt::format("with three axes: {}", clampingText(s.clampings));
  if (s.clampings.unreached > 0)
    out += fmt::format("; {:.1f} +- {:.1f} mm2 is hidden from everywhere", s.clampings.unreached, s.clampings.error);
  out += fmt::format("\nfrom above: {:.1f} % of the area is seen", 100 * s.reach.seen / all);
  if (rest > 0) out += fmt::format("; {:.1f} mm2 more with up to {:.0f} degrees of tilt", rest, degrees(s.reach.steepestTilt));
  if (s.reach.hidden > 0) out += fmt::format("; {:.1f} mm2 is hidden", s.reach.hidden);
  if (s.study.hollow) out += fmt::format("\nmost hollow place: radius {:.3f} mm", *s.study.hollow);
  if (const auto* t = s.balls.tightest(s.study.ground)) {
    const auto r = static_cast<double>(t->radius);
    out += fmt::format("\nlargest ball that fits everywhere on ground below 88 degrees: {}{:.3f} mm, dipping in by at most {:.4f} mm",
                       r < s.balls.limit ? "" : "any, up to ", 2 * r, s.balls.tolerance);
  }
  const Ladder ladder = cutterLadder(s.balls, library, cusp, 1e300, 60, s.study.ground);
  for (const Rung& r : ladder.rungs)
    out += fmt::format("\n  {} finishes {:.1f} mm2 at {:g} mm of cusp in about {}", r.cutter, r.area, cusp,
                       formatDuration(std::round(r.time)));
  if (!ladder.rungs.empty()) out += fmt::format("\n  no ball of the library touches {:.1f} mm2", ladder.left);
  if (s.study.lays.saves > 0.05)
    out +=
        fmt::format("\nsteep and shallow: {:.1f} mm2 is steeper than {:.0f} degrees; two lays need about {:.0f} % less path than {} alone",
                    s.study.lays.steep, degrees(s.study.lays.angle), 100 * s.study.lays.saves,
                    s.study.lays.parallel ? "parallel passes" : "level passes");
  for (const Wall& w : s.walls) out += "\nwall: " + wallText(part, w, LengthUnit::Millimetre);
  if (!part.exact)
    out += fmt::format("\nfacets: they stand up to {:.4f} mm off the surface they suggest{}", s.study.facets.sagitta,
                       s.study.facets.sagitta > cusp ? ", more than the cusp: they will show" : "");
  return out + "\n";
}

} // namespace hemline
