#include "base/threads.h"
#include "geometry/mesh.h"
#include "geometry/tree.h"
#include <atomic>

namespace hemline {
namespace {

/// Does segment pq pass through the inside of triangle abc?
bool pierces(const Vec3& p, const Vec3& q, const Vec3& a, const Vec3& b, const Vec3& c) {
  const auto volume = [](const Vec3& u, const Vec3& v, const Vec3& w, const Vec3& x) { return (v - u).cross(w - u).dot(x - u); };
  const double sp = volume(a, b, c, p), sq = volume(a, b, c, q);
  if (sp * sq >= 0) return false;
  const double e1 = volume(p, q, a, b), e2 = volume(p, q, b, c), e3 = volume(p, q, c, a);
  return (e1 > 0 && e2 > 0 && e3 > 0) || (e1 < 0 && e2 < 0 && e3 < 0);
}

} // namespace

std::size_t countSelfTouching(const Mesh& mesh, Progress& progress) {
  const MeshTree tree(mesh);
  std::atomic<std::size_t> count{0};
  parallelChunks(mesh.triangles.size(), 4096, [&](std::size_t first, std::size_t last) {
    progress.check();
    for (std::size_t t = first; t < last; ++t) {
      Box box;
      for (std::size_t k = 0; k < 3; ++k) box.add(mesh.corner(t, k));
      bool crosses = false;
      double open = 1;
      const auto bound = [&](const Vec3& c, const Vec3& h) {
        return ((c - box.center()).cwiseAbs() - h - 0.5 * box.size()).maxCoeff() <= 0 ? 0.0 : 2.0;
      };
      const auto visit = [&](int i) {
        const auto o = static_cast<std::size_t>(i);
        for (const int a : mesh.triangles[t])
          for (const int b : mesh.triangles[o])
            if (a == b) return;
        for (std::size_t k = 0; k < 3 && !crosses; ++k)
          crosses = pierces(mesh.corner(t, k), mesh.corner(t, (k + 1) % 3), mesh.corner(o, 0), mesh.corner(o, 1), mesh.corner(o, 2)) ||
                    pierces(mesh.corner(o, k), mesh.corner(o, (k + 1) % 3), mesh.corner(t, 0), mesh.corner(t, 1), mesh.corner(t, 2));
        if (crosses) open = -1;
      };
      tree.tree.minimise(bound, visit, open);
      if (crosses) ++count;
    }
  });
  return count;
}

} // namespace hemline
