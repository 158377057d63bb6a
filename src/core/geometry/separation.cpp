#include "geometry/separation.h"
#include <array>

namespace hemline {
namespace {

struct Simplex {
  std::array<DifferencePoint, 4> p;
  std::array<double, 4> weight{};
  std::size_t size = 0;

  Vec3 nearest() const {
    Vec3 v = Vec3::Zero();
    for (std::size_t k = 0; k < size; ++k) v += weight[k] * p[k].w;
    return v;
  }
  Vec3 onA() const {
    Vec3 v = Vec3::Zero();
    for (std::size_t k = 0; k < size; ++k) v += weight[k] * p[k].onA;
    return v;
  }
};

/// Point of the segment nearest to the origin; keeps only the corners it needs.
Simplex onSegment(const DifferencePoint& a, const DifferencePoint& b) {
  const Vec3 d = b.w - a.w;
  const double l = d.squaredNorm(), t = l > 0 ? -a.w.dot(d) / l : 0;
  Simplex s;
  if (t <= 0)
    s.p[0] = a, s.weight[0] = 1, s.size = 1;
  else if (t >= 1)
    s.p[0] = b, s.weight[0] = 1, s.size = 1;
  else
    s.p = {a, b, {}, {}}, s.weight = {1 - t, t, 0, 0}, s.size = 2;
  return s;
}

Simplex better(const Simplex& a, const Simplex& b) {
  return a.nearest().squaredNorm() <= b.nearest().squaredNorm() ? a : b;
}

Simplex onTriangle(const DifferencePoint& a, const DifferencePoint& b, const DifferencePoint& c) {
  const Vec3 n = (b.w - a.w).cross(c.w - a.w);
  const double nn = n.squaredNorm();
  if (nn > 0) {
    const double u = b.w.cross(c.w).dot(n) / nn, v = c.w.cross(a.w).dot(n) / nn, w = 1 - u - v; // the foot of the origin
    if (u > 0 && v > 0 && w > 0) {
      Simplex s;
      s.p = {a, b, c, {}}, s.weight = {u, v, w, 0}, s.size = 3;
      return s;
    }
  }
  return better(better(onSegment(a, b), onSegment(b, c)), onSegment(c, a));
}

/// False: the origin is inside. `flat`: take every face for an outer one.
bool onTetrahedron(const std::array<DifferencePoint, 4>& p, bool flat, Simplex& out) {
  const double volume = (p[1].w - p[0].w).cross(p[2].w - p[0].w).dot(p[3].w - p[0].w);
  bool outside = false;
  for (std::size_t k = 0; k < 4; ++k) {
    const DifferencePoint &a = p[k], &b = p[(k + 1) % 4], &c = p[(k + 2) % 4], &d = p[(k + 3) % 4];
    const Vec3 n = (b.w - a.w).cross(c.w - a.w);
    if (!flat && volume != 0 && n.dot(-a.w) * n.dot(d.w - a.w) > 0) continue; // the origin lies on the inner side
    const Simplex face = onTriangle(a, b, c);
    out = outside ? better(out, face) : face;
    outside = true;
  }
  return outside;
}

} // namespace

Separation separation(FarthestPoint farthest, const Vec3& firstGuess, double tolerance, double enough) {
  constexpr int kRounds = 200;
  Separation out;
  Simplex s;
  s.p[0] = farthest(-firstGuess), s.weight[0] = 1, s.size = 1;
  for (int round = 0; round < kRounds; ++round) {
    const Vec3 v = s.nearest();
    const double length = v.norm();
    if (length < out.high) out.high = length, out.onA = s.onA();
    if (!(length > 0)) break;
    const DifferencePoint next = farthest(-v);
    out.low = std::max(out.low, v.dot(next.w) / length);
    if (out.low >= enough || out.high - out.low <= tolerance) return out;
    bool known = false;
    for (std::size_t k = 0; k < s.size; ++k) known |= s.p[k].w == next.w;
    if (known) return out; // nothing farther: what is open is rounding
    switch (s.size) {
    case 1:
      s = onSegment(s.p[0], next);
      break;
    case 2:
      s = onTriangle(s.p[0], s.p[1], next);
      break;
    default: {
      Simplex four;
      const std::array<DifferencePoint, 4> corners{s.p[0], s.p[1], s.p[2], next};
      if (!onTetrahedron(corners, false, four)) {
        if (!(out.low > 0)) return {0, 0, s.onA()};
        // A flat simplex: rounding says inside, the separating plane says otherwise.
        onTetrahedron(corners, true, four);
        if (!(four.nearest().squaredNorm() < v.squaredNorm())) return out;
      }
      s = four;
    }
    }
  }
  if (out.high <= tolerance) out.low = out.high = 0;
  return out;
}

} // namespace hemline
