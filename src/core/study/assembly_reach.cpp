#include "study/assembly_reach.h"
#include "base/threads.h"
#include "base/units.h"
#include "proof/moving_body.h"
#include "study/largest_ball.h"

namespace hemline {

AssemblyReach reachWith(const Part& part, const Sight& sight, const Places& places, const Assembly& assembly, const Vec3& up, double lean,
                        double dip, const std::vector<char>& wanted, Progress& progress) {
  assert(isUnit(up) && lean >= 0);
  constexpr double kEnough = 1e-4; // mm: farther than this nothing has to be known
  const MovingBody bodies(assembly.bodies, nullptr, assembly.reach), cutting({}, &assembly.profile, assembly.profile.length());
  const std::vector<double> tolerance = facetTolerance(part);
  const double size = part.mesh.bounds().diagonal();
  const std::size_t n = places.at.size();
  AssemblyReach out;
  out.state.assign(n, Reached::Hidden);
  std::vector<double> leans(n, 0);
  constexpr double kRing = 0.17453292519943295; // 10 degrees between rings
  constexpr int kRound = 8;                     // directions of a ring
  std::vector<std::pair<double, Vec3>> axes{{0, up}};
  Vec3 e1, e2;
  frameAround(up, e1, e2);
  for (double a = kRing; a < lean + kRing - 1e-9 && lean > 0; a += kRing)
    for (int k = 0; k < kRound; ++k) {
      const double by = std::min(a, lean), round = 2 * kPi * k / kRound;
      axes.emplace_back(by, std::cos(by) * up + std::sin(by) * (std::cos(round) * e1 + std::sin(round) * e2));
    }
  const auto counts = [&](std::size_t i) { return wanted.empty() || wanted[static_cast<std::size_t>(places.facet[i])]; };
  parallelChunks(n, 64, [&](std::size_t first, std::size_t last) {
    progress.check();
    for (std::size_t i = first; i < last; ++i) {
      if (!counts(i)) continue;
      const Vec3& normal = places.normal[i];
      const double facets = tolerance[static_cast<std::size_t>(places.facet[i])];
      const Vec3 on = places.at[i] - standOff(size, facets) * normal;
      const auto stands = [&](const Vec3& axis) {
        if (normal.dot(axis) < 0 || !sight.free(places.at[i], axis)) return Reached::Hidden;
        const PoseOf lifted{on - farthestOf(assembly.profile, axis, -normal) + (dip + facets) * normal, axis};
        if (cutting.distance(*part.tree, lifted, lifted, kEnough, 0.1 * kEnough).low <= 0) return Reached::TooNarrow;
        return bodies.distance(*part.tree, lifted, lifted, kEnough, 0.1 * kEnough).low <= 0 ? Reached::Body : Reached::Yes;
      };
      for (const auto& [by, axis] : axes) {
        const Reached s = stands(axis);
        if (by == 0 || s == Reached::Yes) out.state[i] = s, leans[i] = by;
        if (s == Reached::Yes) break;
      }
    }
  });
  for (std::size_t i = 0; i < n; ++i) {
    if (!counts(i)) continue;
    const Reached s = out.state[i];
    (s == Reached::Yes ? out.area : s == Reached::Hidden ? out.hidden : s == Reached::TooNarrow ? out.tooNarrow : out.body) += places.each;
    if (leans[i] > 0) out.leaning += places.each;
    if (leans[i] > out.mostLean) out.mostLean = leans[i], out.mostLeanAt = places.at[i];
    if (s == Reached::TooNarrow) out.tooNarrowAt = places.at[i];
    if (s == Reached::Body) out.bodyAt = places.at[i];
  }
  return out;
}

} // namespace hemline
