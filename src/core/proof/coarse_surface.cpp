#include "proof/coarse_surface.h"
#include "base/threads.h"
#include <cmath>

namespace hemline {

CoarseSurface measureCoarsely(const Part& part, const SurfacePieces& pieces, const std::vector<int>& facets, const Sweep& sweep, double far,
                              Progress& progress) {
  assert(far > 0);
  constexpr std::size_t kChunk = 256;
  constexpr double kUnknown = std::numeric_limits<double>::infinity();
  CoarseSurface out;
  out.left.assign(part.mesh.triangles.size(), std::numeric_limits<float>::quiet_NaN());
  out.most.assign(part.mesh.triangles.size(), kUnknown);
  parallelChunks(facets.size(), kChunk, [&](std::size_t first, std::size_t last) {
    progress.check();
    int hint = -1;
    for (std::size_t i = first; i < last; ++i) {
      const auto t = static_cast<std::size_t>(facets[i]);
      const Vec3 n = measuringNormal(part, t);
      const SurfacePiece piece = pieces.pieceOf(t, n);
      const Vec3 mid = piece.center();
      const double depth = pieces.depthAt(mid, n);
      const Sweep::Entry met = sweep.firstEntry(mid, n, depth, far, hint);
      if (met.move < 0) continue;
      hint = met.move;
      out.left[t] = static_cast<float>(met.t);
      // The entry into one convex sweep is convex over a plane: largest at a corner.
      double most = std::max(met.t, 0.0); // rays from a corner may have to start less deep
      for (const Vec3& corner : piece.p) most = std::max(most, sweep.entryInto(met.move, corner, n, depth, far));
      if (most <= far) out.most[t] = most + piece.below;
    }
  });
  out.met = -kUnknown, out.bound = facets.empty() ? 0 : -kUnknown;
  for (const int f : facets) {
    const auto t = static_cast<std::size_t>(f);
    if (!std::isnan(out.left[t])) out.met = std::max(out.met, double(out.left[t]));
    out.bound = std::max(out.bound, out.most[t]);
  }
  if (!(out.met > -kUnknown)) out.met = 0;
  return out;
}

} // namespace hemline
