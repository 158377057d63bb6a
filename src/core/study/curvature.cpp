#include "study/curvature.h"
#include "base/threads.h"
#include "study/largest_ball.h"
#include <Eigen/Dense>

namespace hemline {
namespace {

/// Of facet t as a tensor in space: a step along it times the tensor is the change of the normal.
Mat3 tensorOf(const Mesh& mesh, std::size_t t) {
  const Vec3 n = mesh.facetNormal(t);
  if (!(n.squaredNorm() > 0.5)) return Mat3::Zero();
  Vec3 u, v;
  frameAround(n, u, v);
  // Three edges, two equations each, for the three numbers of a symmetric 2 x 2 tensor.
  Eigen::Matrix<double, 6, 3> a;
  Eigen::Matrix<double, 6, 1> b;
  for (std::size_t k = 0; k < 3; ++k) {
    const Vec3 e = mesh.corner(t, (k + 1) % 3) - mesh.corner(t, k),
               d = mesh.cornerNormals[3 * t + (k + 1) % 3] - mesh.cornerNormals[3 * t + k];
    const auto row = static_cast<Eigen::Index>(2 * k);
    a.row(row) << e.dot(u), e.dot(v), 0;
    a.row(row + 1) << 0, e.dot(u), e.dot(v);
    b[row] = d.dot(u), b[row + 1] = d.dot(v);
  }
  const Vec3 x = a.colPivHouseholderQr().solve(b);
  return x[0] * u * u.transpose() + x[1] * (u * v.transpose() + v * u.transpose()) + x[2] * v * v.transpose();
}

} // namespace

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
  std::vector<Mat3> tensor(n), next(n);
  std::vector<double> area(n), weight(n);
  parallelChunks(n, kChunk, [&](std::size_t first, std::size_t last) {
    progress.check();
    for (std::size_t t = first; t < last; ++t) tensor[t] = tensorOf(mesh, t), area[t] = mesh.facetArea(t);
  });
  const std::vector<MeshEdge> edges = meshEdges(mesh);
  for (int round = 0; round < kRounds; ++round) {
    for (std::size_t t = 0; t < n; ++t) next[t] = area[t] * tensor[t], weight[t] = area[t];
    for (const MeshEdge& e : edges) {
      if (!isSmooth(mesh, e)) continue;
      const auto l = static_cast<std::size_t>(e.left), r = static_cast<std::size_t>(e.right);
      next[l] += area[r] * tensor[r], weight[l] += area[r];
      next[r] += area[l] * tensor[l], weight[r] += area[l];
    }
    for (std::size_t t = 0; t < n; ++t)
      if (weight[t] > 0) tensor[t] = next[t] / weight[t];
  }
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
