#include "view/solid.h"
#include "base/units.h"
#include <cmath>
#include <unordered_map>

namespace hemline::app {
namespace {
constexpr int kSegments = 40;

/// One strip of revolution between two profile points with their outward normals in (r, z).
void revolve(Corners& out, const Vec2& a, const Vec2& b, const Vec2& na, const Vec2& nb, float value) {
  for (int k = 0; k < kSegments; ++k) {
    const double s0 = 2 * kPi * k / kSegments, s1 = 2 * kPi * (k + 1) / kSegments;
    const auto at = [](const Vec2& q, double s) { return Vec3(q.x() * std::cos(s), q.x() * std::sin(s), q.y()); };
    const Vec3 p00 = at(a, s0), p01 = at(a, s1), p10 = at(b, s0), p11 = at(b, s1);
    const Vec3 n00 = at(na, s0), n01 = at(na, s1), n10 = at(nb, s0), n11 = at(nb, s1);
    addCorner(out, p00, n00, value), addCorner(out, p01, n01, value), addCorner(out, p11, n11, value);
    addCorner(out, p00, n00, value), addCorner(out, p11, n11, value), addCorner(out, p10, n10, value);
  }
}

} // namespace

void addCorner(Corners& out, const Vec3& p, const Vec3& n, float value) {
  for (int k = 0; k < 3; ++k) out.push_back(static_cast<float>(p[k]));
  for (int k = 0; k < 3; ++k) out.push_back(static_cast<float>(n[k]));
  out.push_back(value);
}

Corners meshCorners(const Mesh& mesh, const Vec3& origin, const std::vector<float>& values) {
  Corners out;
  out.reserve(mesh.triangles.size() * 21);
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    const float v = values.empty() ? 0.0f : values[t];
    const Vec3 flat = mesh.facetNormal(t);
    for (std::size_t k = 0; k < 3; ++k)
      addCorner(out, mesh.corner(t, k) - origin, mesh.cornerNormals.empty() ? flat : mesh.cornerNormals[3 * t + k], v);
  }
  return out;
}

Corners coarseCorners(const Mesh& mesh, const Vec3& origin, const std::vector<float>& values, std::size_t target) {
  if (mesh.triangles.size() <= target) return meshCorners(mesh, origin, values);
  // A surface of area A on a grid of step h keeps about 2 A / h^2 triangles.
  const double step = std::sqrt(2 * mesh.area() / static_cast<double>(target));
  std::unordered_map<long long, int> cell;
  std::vector<int> cluster(mesh.points.size());
  std::vector<Vec3> sum;
  std::vector<int> count;
  for (std::size_t i = 0; i < mesh.points.size(); ++i) {
    const Vec3 q = (mesh.points[i] - origin) / step;
    const long long key =
        (std::llround(q.x()) + (1 << 20)) | ((std::llround(q.y()) + (1 << 20)) << 21) | ((std::llround(q.z()) + (1 << 20)) << 42);
    const auto [it, fresh] = cell.try_emplace(key, static_cast<int>(sum.size()));
    if (fresh) sum.push_back(Vec3::Zero()), count.push_back(0);
    cluster[i] = it->second;
    sum[static_cast<std::size_t>(it->second)] += mesh.points[i] - origin;
    ++count[static_cast<std::size_t>(it->second)];
  }
  for (std::size_t i = 0; i < sum.size(); ++i) sum[i] /= count[i];
  Corners out;
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    std::array<std::size_t, 3> c{};
    for (std::size_t k = 0; k < 3; ++k) c[k] = static_cast<std::size_t>(cluster[static_cast<std::size_t>(mesh.triangles[t][k])]);
    if (c[0] == c[1] || c[1] == c[2] || c[2] == c[0]) continue;
    const Vec3 n = mesh.facetNormal(t);
    for (std::size_t k = 0; k < 3; ++k) addCorner(out, sum[c[k]], n, values.empty() ? 0.0f : values[t]);
  }
  return out;
}

Corners assemblyCorners(const Assembly& assembly) {
  Corners out;
  for (const ProfilePiece& p : assembly.profile.pieces()) {
    if (p.radius > 0) {
      constexpr int kArc = 10;
      const double from = std::atan2(p.a.y() - p.center.y(), p.a.x() - p.center.x());
      double to = std::atan2(p.b.y() - p.center.y(), p.b.x() - p.center.x());
      if (to < from) to += 2 * kPi;
      for (int k = 0; k < kArc; ++k) {
        const double s0 = from + (to - from) * k / kArc, s1 = from + (to - from) * (k + 1) / kArc;
        const Vec2 n0(std::cos(s0), std::sin(s0)), n1(std::cos(s1), std::sin(s1));
        revolve(out, p.center + p.radius * n0, p.center + p.radius * n1, n0, n1, 0);
      }
    } else {
      revolve(out, p.a, p.b, p.normalA, p.normalB, 0);
    }
  }
  for (const Body& b : assembly.bodies) {
    const Vec2 low(b.r0, b.z0), high(b.r1, b.z1);
    const Vec2 n = Vec2(b.z1 - b.z0, b.r0 - b.r1).normalized();
    const float value = b.kind == 2 ? 2.0f : 1.0f;
    revolve(out, low, high, n, n, value);
    revolve(out, Vec2(0, b.z0), low, Vec2(0, -1), Vec2(0, -1), value);
    revolve(out, high, Vec2(0, b.z1), Vec2(0, 1), Vec2(0, 1), value);
  }
  return out;
}

} // namespace hemline::app
