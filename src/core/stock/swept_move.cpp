#include "stock/swept_move.h"

namespace hemline {
namespace {

constexpr double kSteep = 0.02;  // a ray that falls less steeply on the body is left to the slower way
constexpr double kTouch = 1e-9;  // mm: nearer than this is met
constexpr double kLowest = 2e-6; // mm: how deep a pose of a turning move may lie over the place that is called the first

} // namespace

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
  const auto over = [](double r) { return std::abs(r) < 1e-9; }; // the distance changes by less than this over the move
  double s = at(q, u, gradient, r0);
  double lo = 0, hi = 1;
  Vec3 atLo = gradient, atHi = gradient;
  if (turning) { // may leave two low places, one at each end
    if (u != 0) u = 0, s = at(q, 0, gradient, r0), atLo = gradient;
    Vec3 g1;
    const double s1 = at(q, 1, g1, r1);
    if (r0 >= 0 && (r1 >= 0 || s <= s1)) return s;
    if (r1 <= 0) {
      u = 1, gradient = g1;
      return s1;
    }
    atHi = g1;
  } else {
    if (over(r0) || (r0 > 0 && u <= 0) || (r0 < 0 && u >= 1)) return s;
    if (r0 > 0)
      hi = u, r1 = r0, u = 0;
    else
      lo = u, u = 1;
    double& rate = hi < 1 || u <= 0 ? r0 : r1;
    s = at(q, u, gradient, rate);
    if (u <= 0 ? rate >= 0 : rate <= 0) return s; // lowest at the end
    (u <= 0 ? atLo : atHi) = gradient;
  }
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

bool SweptMove::clears(const Vec3& q, const Vec3& n) const {
  if (turning) return false;
  // Tangents of the convex distance at two places of the move bound it from below; so does what they say of the ray before q.
  Vec3 g0, g1;
  double r0 = 0, r1 = 0;
  double u0 = 0, u1 = 1;
  double s0 = at(q, 0, g0, r0), s1 = at(q, 1, g1, r1);
  for (int i = 0; i < 6; ++i) {
    if (s0 <= 0 || s1 <= 0) return false;
    if (r0 >= 0) return g0.dot(n) <= 0;
    if (r1 <= 0) return g1.dot(n) <= 0;
    const double u = std::clamp(u0 + (s1 - s0 - r1 * (u1 - u0)) / (r0 - r1), u0, u1);
    if (s0 + r0 * (u - u0) > 0) return g0.dot(n) <= 0 && g1.dot(n) <= 0;
    Vec3 g;
    double rate = 0;
    const double s = at(q, u, g, rate);
    if (rate < 0)
      u0 = u, s0 = s, r0 = rate, g0 = g;
    else
      u1 = u, s1 = s, r1 = rate, g1 = g;
  }
  return false;
}

/// Newton from outside on a convex function climbs to the first root without passing it. distance(p, gradient).
template <class Distance> static double climb(const Vec3& q, const Vec3& n, double from, Distance&& distance) {
  double t = from;
  Vec3 g;
  for (int i = 0; i < 100; ++i) {
    const double s = distance(q + t * n, g);
    const double along = g.dot(n);
    if (s <= kTouch) return s > 0 && along < -kSteep ? t - s / along : t;
    if (along >= -1e-9) return kInfinity;
    t -= s / along;
    if (t > 1e6) return kInfinity;
  }
  return t;
}

double SweptMove::straightEntry(const Vec3& q, const Vec3& n, double from) const {
  double u = 0;
  return climb(q, n, from, [&](const Vec3& p, Vec3& g) { return distance(p, u, g); });
}

namespace {

/// A circular edge of the profile moves straight, but not level: it sweeps an oblique cylinder. Where a ray that is at height z and
/// `across` from the axis enters it: how far along the ray, and how much later in the move (in shares of it). First: kInfinity where that
/// is not where the ray enters the body.
std::pair<double, double> edgeEntry(const ProfileSide& edge, const Vec3& axis, const Vec3& travel, const Vec3& n, double z,
                                    const Vec3& across) {
  const double climb = travel.dot(axis), zn = n.dot(axis), rise = zn / climb, ahead = (z - edge.z) / climb;
  const Vec3 level = travel - climb * axis, w = across - ahead * level, k = (n - zn * axis) - rise * level;
  const double A = k.squaredNorm(), B = w.dot(k), C = w.squaredNorm() - edge.r * edge.r, disc = B * B - A * C;
  if (!(disc > 0) || !(A > 1e-18)) return {kInfinity, 0};
  const double root = std::sqrt(disc);
  for (const double step : {(-B - root) / A, (-B + root) / A}) {
    // Square to the edge and to the way; a half space with this normal holds the whole sweep if it holds the profile.
    const Vec3 radial = (w + step * k) / edge.r;
    const double mr = std::abs(climb), mz = climb > 0 ? -radial.dot(level) : radial.dot(level);
    if (edge.ar * mz - edge.az * mr < 0 || mr * edge.bz - mz * edge.br < 0) continue;
    if (mr * radial.dot(n) + mz * zn >= -kSteep * std::sqrt(mr * mr + mz * mz)) continue;
    return {step, ahead + rise * step};
  }
  return {kInfinity, 0};
}

} // namespace

double SweptMove::steadyEntry(const Vec3& q, const Vec3& n, double from, double limit) const {
  constexpr int kMost = 8;
  const double length2 = travel.squaredNorm(), climb = travel.dot(axisA);
  double t = limit < kInfinity ? limit : from, u = length2 > 0 ? 0.5 : 0;
  for (int i = 0; i < kMost; ++i) {
    const Vec3 v = q + t * n - tip - u * travel;
    const double z = v.dot(axisA);
    const Vec3 across = v - z * axisA;
    const double r = across.norm();
    const ProfileSide* side = nullptr;
    Vec2 g;
    const double s = profile->distance(r, z, g, &side);
    const Vec3 radial = r > 1e-12 ? Vec3(across / r) : Vec3(Vec3::Zero()), e = g.y() * axisA + g.x() * radial;
    const double along = e.dot(n), rate = -e.dot(travel), slack = rate > 0 ? rate * u : -rate * (1 - u);
    // The distance is convex in t and u together: its tangent here bounds it everywhere.
    if (const double low = s - slack; low > 0 && low + along * (limit - t) > 0 && low + along * (from - t) > 0) return kInfinity;
    if (along > -kSteep) break;
    if (std::abs(s) <= kTouch && slack <= kTouch) {
      if (t < from) break; // it starts inside, or past it
      return t - s / along;
    }
    if (side->arc && side->radius <= 0 && climb * climb > 1e-8 * length2) {
      double end = rate > 0 ? 0 : 1;
      if (const auto [step, later] = edgeEntry(*side, axisA, travel, n, z, across); step < kInfinity) {
        if (later >= -u && later <= 1 - u) {
          if (t + step < from) break;
          return t + step <= limit ? t + step : kInfinity;
        }
        end = later < -u ? 0 : 1;
      }
      if (u == end) t -= s / along; // the standing body there
      u = end;
      continue;
    }
    // One step of Newton's method for distance 0 and the rate along the move 0; at an end of the move the rate may point outward.
    const Vec3 meridian = g.x() * axisA - g.y() * radial, around = e.cross(meridian);
    const double bendM = side->arc ? 1 / (s + side->radius) : 0, bendA = r > 1e-9 ? g.x() / r : 0;
    const double dm = meridian.dot(travel), da = around.dot(travel), uu = bendM * dm * dm + bendA * da * da,
                 tu = -(bendM * dm * meridian.dot(n) + bendA * da * around.dot(n)), det = along * uu - rate * tu;
    double next = rate > 0 ? 0 : 1;
    if (det < -1e-9 * length2) next = std::clamp(u + (tu * s - along * rate) / det, 0.0, 1.0);
    t -= (s + rate * (next - u)) / along;
    u = next;
    if (!(std::abs(t) < 1e6)) break;
  }
  const double slow = straightEntry(q, n, from);
  return slow <= limit ? slow : kInfinity;
}

double SweptMove::poseEntry(double u, const Vec3& q, const Vec3& n, double from) const {
  double rate = 0;
  return climb(q, n, from, [&](const Vec3& p, Vec3& g) { return at(p, u, g, rate); });
}

double SweptMove::lowest(const Vec3& q, double& where) const {
  struct Span {
    double u0, s0, r0, u1, s1, r1;
  };
  Vec3 g;
  Span all{0, 0, 0, 1, 0, 0};
  all.s0 = at(q, 0, g, all.r0), all.s1 = at(q, 1, g, all.r1);
  double least = std::min(all.s0, all.s1);
  where = all.s0 <= all.s1 ? 0 : 1;
  // In the cutter's frame the place moves along a curve whose second derivative is at most this long; the body is convex.
  const double turn = omega.norm(), lever = std::max((q - tip).norm(), (q - tip - travel).norm());
  const double bend = turn * turn * lever + 2 * turn * travel.norm();
  std::array<Span, 128> stack;
  std::size_t top = 0;
  stack[top++] = all;
  for (int looked = 0; top > 0 && looked < 400; ++looked) {
    const Span x = stack[--top];
    const double h = x.u1 - x.u0;
    // Less bend/2 (u-u0)(u1-u) the distance is convex in u: its tangents at the ends bound it from below.
    const double r0 = x.r0 - 0.5 * bend * h, r1 = x.r1 + 0.5 * bend * h;
    if (r0 >= 0 || r1 <= 0 || !(r1 > r0)) continue; // lowest at an end, which has been looked at
    const double meet = std::clamp((x.s1 - x.s0 - r1 * h) / (r0 - r1), 0.0, h);
    if (x.s0 + r0 * meet >= std::min(least, 0.0) - kLowest || h < 1e-9 || top + 2 > stack.size()) continue;
    // Where the slope vanishes, or the middle in its turn.
    double share = looked % 3 != 2 && x.r0 < 0 && x.r1 > 0 ? -x.r0 / (x.r1 - x.r0) : 0.5;
    share = std::clamp(share, 0.02, 0.98);
    const double u = x.u0 + share * h;
    double rate = 0;
    const double s = at(q, u, g, rate);
    if (s < least) least = s, where = u;
    const Span left{x.u0, x.s0, x.r0, u, s, rate}, right{u, s, rate, x.u1, x.s1, x.r1};
    stack[top++] = rate > 0 ? right : left;
    stack[top++] = rate > 0 ? left : right;
  }
  return least;
}

double SweptMove::entry(const Vec3& q, const Vec3& n, double from) const {
  if (!turning) return steadyEntry(q, n, from, kInfinity);
  double t = straightEntry(q, n, from);
  // A turning body sweeps what is not quite convex: Newton's method may pass the first entry, or a grazing one. Every pose's own
  // entry is an upper bound; the pose that lies deepest over the place found is tried until none is deep.
  if (t >= kInfinity) t = std::min(poseEntry(0, q, n, from), poseEntry(1, q, n, from));
  if (t >= kInfinity || t <= from) return t;
  for (int i = 0; i < 20; ++i) {
    double u = 0;
    if (lowest(q + t * n, u) >= -kLowest) break;
    const double sooner = poseEntry(u, q, n, from);
    if (!(sooner < t)) break;
    t = sooner;
  }
  return t;
}

double SweptMove::lowestEntry(const std::array<Vec3, 3>& triangle, const Vec3& n, double depth) const {
  const Vec3 mid = (triangle[0] + triangle[1] + triangle[2]) / 3;
  const double t = entry(mid, n, -depth);
  if (t <= -depth) return -depth;
  const Vec3 q = t < kInfinity ? Vec3(mid + t * n) : mid;
  double u = 0;
  Vec3 g;
  const double s = distance(q, u, g), fall = -g.dot(n);
  // The distance to a convex body lies above its tangent at q. While the axis turns, what a place at d from q turns by and
  // what the move bends by come off it.
  double turn = 0, bend = 0, out = kInfinity;
  if (turning) {
    turn = omega.norm();
    const double lever = std::max((q - tip).norm(), (q - tip - travel).norm());
    bend = 0.5 * turn * (turn * lever + 2 * travel.norm());
  }
  for (const Vec3& c : triangle) {
    const double above = s + g.dot(c - q) - turn * (c - q).norm() - bend; // at t = 0; it changes by -fall, +-turn for each mm
    const double rate = fall - turn;
    if (rate > 1e-6 && above + depth * rate > 0) {
      out = std::min(out, above > 0 ? above / (fall + turn) : above / rate);
    } else if (!(above > 0 && above + depth * rate > 0)) {
      return -depth;
    } else if (fall + turn > 0) {
      out = std::min(out, above / (fall + turn));
    }
  }
  return out;
}

double entryIntoCapsule(const Vec3& a, const Vec3& b, double R, const Vec3& p, const Vec3& n) {
  assert(R > 0);
  const Vec3 d = b - a, q = p - a;
  const double dd = d.squaredNorm(), nd = n.dot(d), qd = q.dot(d), nq = n.dot(q), qq = q.squaredNorm(), nn = n.squaredNorm();
  const double A = dd * nn - nd * nd;
  if (dd > 1e-18 && A > 1e-12 * dd * nn) {
    const double B = dd * nq - nd * qd, C = dd * (qq - R * R) - qd * qd, disc = B * B - A * C;
    if (disc < 0) return kInfinity;
    const double t = (-B - std::sqrt(disc)) / A, y = qd + t * nd;
    if (y >= 0 && y <= dd) return t;
  }
  double best = kInfinity;
  for (const Vec3& c : {a, b}) {
    const Vec3 o = p - c;
    const double h = o.dot(n), disc = h * h - nn * (o.squaredNorm() - R * R);
    if (disc >= 0) best = std::min(best, (-h - std::sqrt(disc)) / nn);
  }
  return best;
}

} // namespace hemline
