#include "surface/shape_operator.h"
#include "base/threads.h"
#include <Eigen/Dense>

namespace hemline {
namespace {

constexpr std::size_t kFacetsAtOnce = 1024;

/// Of facet t as its corners' normals tell.
Mat3 operatorOf(const Mesh& mesh, std::size_t t) {
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

std::vector<Mat3> exactOperators(const Part& part, Progress& progress) {
  std::vector<Mat3> out(part.mesh.triangles.size(), Mat3::Zero());
  parallelChunks(out.size(), kFacetsAtOnce, [&](std::size_t first, std::size_t last) {
    progress.check();
    for (std::size_t t = first; t < last; ++t) {
      if (!knowsSurface(part, t) || part.surface->plane(part.mesh.patch[t])) continue;
      const auto k =
          part.surface->curvatureAt(part.mesh.patch[t], parametersOn(part, t, 1.0 / 3, 1.0 / 3), placeOn(part, t, 1.0 / 3, 1.0 / 3).normal);
      out[t] = -(k.least * k.leastAlong * k.leastAlong.transpose() + k.most * k.mostAlong * k.mostAlong.transpose());
    }
  });
  return out;
}

} // namespace

std::vector<Mat3> shapeOperators(const Part& part, int rounds, Progress& progress) {
  if (part.exact) return exactOperators(part, progress);
  const Mesh& mesh = part.mesh;
  const std::size_t n = mesh.triangles.size();
  std::vector<Mat3> tensor(n, Mat3::Zero()), next(n);
  if (mesh.cornerNormals.empty()) return tensor;
  std::vector<double> area(n), weight(n);
  parallelChunks(n, kFacetsAtOnce, [&](std::size_t first, std::size_t last) {
    progress.check();
    for (std::size_t t = first; t < last; ++t) tensor[t] = operatorOf(mesh, t), area[t] = mesh.facetArea(t);
  });
  const std::vector<MeshEdge> edges = meshEdges(mesh);
  for (int round = 0; round < rounds; ++round) {
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
  return tensor;
}

} // namespace hemline
