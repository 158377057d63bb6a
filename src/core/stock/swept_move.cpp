#include "stock/swept_move.h"

namespace hemline {

SweptMove::SweptMove(const Profile& p, const Vec3& a, const Vec3& aa, const Vec3& b, const Vec3& ab)
    : profile(&p), tip(a), travel(b - a), axisA(aa), axisB(ab), turning((aa - ab).squaredNorm() > 1e-24),
      level(!turning && std::abs(travel.dot(aa)) < 1e-12 * (1 + travel.norm())), ballOnly(p.ballRadius() > 0) {
  if (turning) omega = aa.cross(ab).normalized() * angleBetween(aa, ab);
}

double SweptMove::at(const Vec3& q, double u, Vec3& gradient, double& rate) const {
  const Vec3 axis = turning ? slerp(axisA, axisB, u) : axisA, v = q - (tip + u * travel);
  const double z = v.dot(axis);
  const Vec3 side = v - z * axis;
  const double r = side.norm();
  Vec2 g;
  const double s = profile->distance(r, z, g);
  gradient = g.y() * axis;
  if (r > 1e-12) gradient += (g.x() / r) * side;
  rate = -gradient.dot(turning ? Vec3(travel + omega.cross(v)) : travel);
  return s;
}

double SweptMove::distance(const Vec3& q, double& u, Vec3& gradient) const {
  double r0 = 0, r1 = 0;
  const double l2 = travel.squaredNorm();
  if (!turning && l2 < 1e-24) {
    u = 0;
    return at(q, 0, gradient, r0);
  }
  if (level) { // straight across the axis: nearest where the axis is nearest
    u = std::clamp((q - tip).dot(travel) / l2, 0.0, 1.0);
    return at(q, u, gradient, r0);
  }
  const double s0 = at(q, 0, gradient, r0);
  u = 0;
  if (r0 >= 0 && !turning) return s0;
  Vec3 g1;
  const double s1 = at(q, 1, g1, r1);
  // A turning axis may leave two low places, one at each end.
  if (r0 >= 0 && (r1 >= 0 || s0 <= s1)) return s0;
  if (r1 <= 0) {
    u = 1;
    gradient = g1;
    return s1;
  }
  double lo = 0, hi = 1, s = s0;
  Vec3 atLo = gradient, atHi = g1;
  for (int i = 0; i < 60 && hi - lo > 1e-13; ++i) {
    u = i % 3 == 2 ? 0.5 * (lo + hi) : std::clamp(lo - r0 * (hi - lo) / (r1 - r0), lo + 0.01 * (hi - lo), hi - 0.01 * (hi - lo));
    double rate = 0;
    s = at(q, u, gradient, rate);
    const bool done = std::abs(rate) * (hi - lo) < 1e-9; // the distance changes by less than this from here on
    if (rate < 0)
      lo = u, r0 = rate, atLo = gradient;
    else
      hi = u, r1 = rate, atHi = gradient;
    if (done) break;
  }
  // Near the body the gradient turns within a hair of u. The two sides, mixed so that the rate along the move vanishes,
  // bound the distance from below everywhere: it is convex in place and u together.
  if (!turning && r1 > r0) gradient = (r1 * atLo - r0 * atHi) / (r1 - r0);
  return s;
}

double SweptMove::entry(const Vec3& q, const Vec3& n, double from) const {
  // Newton from outside on a convex function climbs to the first root without passing it.
  double t = from, u = 0;
  Vec3 g;
  for (int i = 0; i < 100; ++i) {
    const double s = distance(q + t * n, u, g);
    if (s <= 1e-9) return t;
    const double along = g.dot(n);
    if (along >= -1e-9) return 1e300;
    t -= s / along;
    if (t > 1e6) return 1e300;
  }
  return t;
}

double entryIntoCapsule(const Vec3& a, const Vec3& b, double R, const Vec3& p, const Vec3& n) {
  const Vec3 d = b - a, q = p - a;
  const double dd = d.squaredNorm(), nd = n.dot(d), qd = q.dot(d), nq = n.dot(q), qq = q.squaredNorm(), nn = n.squaredNorm();
  const double A = dd * nn - nd * nd;
  if (dd > 1e-18 && A > 1e-12 * dd * nn) {
    const double B = dd * nq - nd * qd, C = dd * (qq - R * R) - qd * qd, disc = B * B - A * C;
    if (disc < 0) return 1e300;
    const double t = (-B - std::sqrt(disc)) / A, y = qd + t * nd;
    if (y >= 0 && y <= dd) return t;
  }
  double best = 1e300;
  for (const Vec3& c : {a, b}) {
    const Vec3 o = p - c;
    const double h = o.dot(n), disc = h * h - nn * (o.squaredNorm() - R * R);
    if (disc >= 0) best = std::min(best, (-h - std::sqrt(disc)) / nn);
  }
  return best;
}

} // namespace hemline
