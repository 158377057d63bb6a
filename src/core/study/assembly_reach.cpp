#include "study/assembly_reach.h"
#include "base/parallel.h"
#include "proof/moving_body.h"
#include "study/largest_ball.h"

namespace hemline {

AssemblyReach reachWith(const Part& part, const Sight& sight, const Places& places, const Assembly& assembly, const Vec3& up, double dip,
                        const std::vector<char>& wanted, Progress& progress) {
  constexpr double kEnough = 1e-4; // mm: farther than this nothing has to be known
  const MovingBody bodies(assembly.bodies, nullptr, assembly.reach), cutting({}, &assembly.profile, assembly.profile.length());
  const std::vector<double> tolerance = facetTolerance(part);
  const double size = part.mesh.bounds().diagonal();
  const std::size_t n = places.at.size();
  AssemblyReach out;
  out.state.assign(n, Reached::Hidden);
  const auto counts = [&](std::size_t i) { return wanted.empty() || wanted[static_cast<std::size_t>(places.facet[i])]; };
  parallelChunks(n, 64, [&](std::size_t first, std::size_t last) {
    progress.check();
    for (std::size_t i = first; i < last; ++i) {
      const Vec3& normal = places.normal[i];
      if (!counts(i) || normal.dot(up) < 0 || !sight.free(places.at[i], up)) continue;
      const double facets = tolerance[static_cast<std::size_t>(places.facet[i])];
      const Vec3 on = places.at[i] - standOff(size, facets) * normal;
      const Vec3 tip = on - farthestOf(assembly.profile, up, -normal);
      const PoseOf lifted{tip + (dip + facets) * normal, up};
      if (cutting.distance(*part.tree, lifted, lifted, kEnough, 0.1 * kEnough).low <= 0)
        out.state[i] = Reached::TooNarrow;
      else
        out.state[i] = bodies.distance(*part.tree, lifted, lifted, kEnough, 0.1 * kEnough).low <= 0 ? Reached::Body : Reached::Yes;
    }
  });
  for (std::size_t i = 0; i < n; ++i) {
    if (!counts(i)) continue;
    const Reached s = out.state[i];
    (s == Reached::Yes ? out.area : s == Reached::Hidden ? out.hidden : s == Reached::TooNarrow ? out.tooNarrow : out.body) += places.each;
    if (s == Reached::TooNarrow) out.tooNarrowAt = places.at[i];
    if (s == Reached::Body) out.bodyAt = places.at[i];
  }
  return out;
}

} // namespace hemline
