#include "study/curvature.h"
#include "base/threads.h"
#include "surface/shape_operator.h"

namespace hemline {

Curvatures principalCurvatures(const Part& part, Progress& progress) {
  constexpr int kRounds = 2;
  constexpr std::size_t kChunk = 1024;
  const Mesh& mesh = part.mesh;
  const std::size_t n = mesh.triangles.size();
  Curvatures out;
  out.least.assign(n, 0), out.most.assign(n, 0);
  if (part.exact) {
    parallelChunks(n, kChunk, [&](std::size_t first, std::size_t last) {
      progress.check();
      for (std::size_t t = first; t < last; ++t) {
        if (!knowsSurface(part, t) || part.surface->plane(mesh.patch[t])) continue;
        const auto k =
            part.surface->curvatureAt(mesh.patch[t], parametersOn(part, t, 1.0 / 3, 1.0 / 3), placeOn(part, t, 1.0 / 3, 1.0 / 3).normal);
        out.least[t] = static_cast<float>(k.least), out.most[t] = static_cast<float>(k.most);
      }
    });
    return out;
  }
  out.fitted = true;
  if (mesh.cornerNormals.empty()) return out;
  const std::vector<Mat3> tensor = shapeOperators(part, kRounds, progress);
  for (std::size_t t = 0; t < n; ++t) {
    const Vec3 normal = mesh.facetNormal(t);
    if (!(normal.squaredNorm() > 0.5)) continue;
    Vec3 u, v;
    frameAround(normal, u, v);
    const double a = u.dot(tensor[t] * u), b = u.dot(tensor[t] * v), c = v.dot(tensor[t] * v);
    const double mean = 0.5 * (a + c), half = std::hypot(0.5 * (a - c), b);
    out.least[t] = static_cast<float>(-mean - half), out.most[t] = static_cast<float>(-mean + half); // normals close up in a hollow
  }
  return out;
}

} // namespace hemline
