#include "study/study.h"
#include "base/parallel.h"
#include <cmath>

namespace hemline {
namespace {

/// Of one chunk of facets; the places belong to the extremes.
struct Found : Study {
  double leastUp = 1, mostDown = 0, lowest = 1e300, mostHollow = 0;
};

} // namespace

Study studyPart(const Part& part, const Vec3& up, Progress& progress) {
  const double steepFrom = std::cos(radians(60)), steepTo = std::cos(radians(85));
  constexpr double kGround = 0.2;          // cosine of the steepest slope whose depth counts (78 degrees)
  constexpr double kLevel = 0.999;         // cosine: a level underside is what the part stands on
  constexpr double kStraight = 1.0 / 2000; // 1/mm: flatter hollows limit no cutter
  constexpr std::size_t kChunk = 4096;
  const Mesh& mesh = part.mesh;
  const std::size_t n = mesh.triangles.size();
  std::vector<char> ground(n, 0);
  std::vector<Found> found((n + kChunk - 1) / kChunk);
  parallelChunks(n, kChunk, [&](std::size_t first, std::size_t last) {
    progress.check();
    Found& f = found[first / kChunk];
    for (std::size_t t = first; t < last; ++t) {
      const double area = mesh.facetArea(t);
      const auto [at, normal] = placeOn(part, t, 1.0 / 3, 1.0 / 3);
      const double c = normal.dot(up);
      f.area += area;
      ground[t] = c > std::cos(radians(88));
      if (c > steepTo && c < steepFrom) {
        f.steepArea += area;
        if (c < f.leastUp) f.leastUp = c, f.steepest = at;
      }
      if (c < -1e-6 && c > -kLevel) {
        f.undersideArea += area;
        if (-c > f.mostDown) f.mostDown = -c, f.underside = at;
      }
      if (c > kGround && at.dot(up) < f.lowest) f.lowest = at.dot(up), f.deepest = at;
      if (c > steepTo && knowsSurface(part, t) && !part.surface->plane(mesh.patch[t])) {
        const double k = part.surface->curvatureAt(mesh.patch[t], parametersOn(part, t, 1.0 / 3, 1.0 / 3), normal).most;
        if (k > f.mostHollow) f.mostHollow = k, f.tightest = at;
      }
    }
  });
  double top = -1e300;
  for (const Vec3& p : mesh.points) top = std::max(top, p.dot(up));
  Found all;
  for (const Found& f : found) {
    all.area += f.area, all.steepArea += f.steepArea, all.undersideArea += f.undersideArea;
    if (f.leastUp < all.leastUp) all.leastUp = f.leastUp, all.steepest = f.steepest;
    if (f.mostDown > all.mostDown) all.mostDown = f.mostDown, all.underside = f.underside;
    if (f.lowest < all.lowest) all.lowest = f.lowest, all.deepest = f.deepest;
    if (f.mostHollow > all.mostHollow) all.mostHollow = f.mostHollow, all.tightest = f.tightest;
  }
  if (all.lowest < 1e299) all.depth = top - all.lowest;
  if (all.mostHollow > kStraight) all.hollow = 1 / all.mostHollow;
  all.ground = std::move(ground);
  return all;
}

} // namespace hemline
