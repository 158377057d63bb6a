#include "study/slim_reach.h"
#include "base/threads.h"
#include "cutter/touch.h"
#include "study/largest_ball.h"
#include <limits>

namespace hemline {
namespace {

Profile ballNosed(double r, double length) {
  return Profile::fromPieces({arcTo({0, 0}, {r, r}, {0, r}), lineTo({r, r}, {r, length})}, "ball-nosed cutter");
}

} // namespace

SlimReach slimReach(const Part& part, const Sight& sight, const Vec3& up, const Places& places, const std::vector<char>& ground,
                    double limit, Progress& progress) {
  assert(isUnit(up) && ground.size() >= part.mesh.triangles.size());
  constexpr double kSmallest = 0.05;         // mm of radius that is tried at least
  constexpr double kClose = 0.01;            // share of the radius to which it is found
  constexpr double kSteep = 0.1;             // cosine: what facets stand off lifts a cutter no more than this says
  constexpr double kUpright = 0.0349;        // cosine of 88 degrees
  constexpr double kEven = 1.0 + 2 * kClose; // an opening is deeper than wide by more than its own error
  const double size = part.mesh.bounds().diagonal();
  const std::vector<double> tolerance = facetTolerance(part);
  double top = -kInfinity;
  for (const Vec3& p : part.mesh.points) top = std::max(top, p.dot(up));
  SlimReach out;
  out.limit = limit;
  out.radius.assign(places.at.size(), std::numeric_limits<float>::quiet_NaN());
  parallelChunks(places.at.size(), 32, [&](std::size_t first, std::size_t last) {
    progress.check();
    int hint = -1;
    for (std::size_t i = first; i < last; ++i) {
      const auto t = static_cast<std::size_t>(places.facet[i]);
      const Vec3& n = places.normal[i];
      if (!ground[t] || n.dot(up) < kUpright || !sight.free(places.at[i], up)) continue;
      const Vec3 on = places.at[i] - standOff(size, tolerance[t]) * n;
      const double lift = (tolerance[t] + 1e-6 * size) / std::max(kSteep, n.dot(up));
      const auto free = [&](double r) {
        const Touch touch = touchAlong(*part.tree, ballNosed(r, r + 2 * size), up, on + r * (n - up), hint);
        hint = touch.triangle;
        return !touch.hit || touch.height <= lift;
      };
      double low = kSmallest, high = limit;
      if (free(high)) {
        out.radius[i] = static_cast<float>(high);
        continue;
      }
      if (!free(low)) {
        out.radius[i] = 0;
        continue;
      }
      while (high > (1 + kClose) * low) {
        const double r = std::sqrt(low * high);
        (free(r) ? low : high) = r;
      }
      out.radius[i] = static_cast<float>(low);
    }
  });
  for (std::size_t i = 0; i < out.radius.size(); ++i) {
    const auto r = static_cast<double>(out.radius[i]);
    if (!(r > 0) || r >= limit) continue;
    const double depth = top - places.at[i].dot(up), ratio = depth / (2 * r);
    if (ratio > out.slimmest) out.slimmest = ratio, out.depth = depth, out.diameter = 2 * r, out.slimmestAt = places.at[i];
    if (ratio > kEven && (!out.opening || 2 * r < *out.opening))
      out.opening = 2 * r, out.openingDepth = depth, out.openingAt = places.at[i];
  }
  return out;
}

} // namespace hemline
