#include "stock/sweep.h"
#include "geometry/separation.h"
#include "geometry/tree.h"
#include "stock/swept_move.h"
#include <cmath>

namespace hemline {
namespace {

constexpr double kSag = 0.5e-6;   // mm: how far a capsule may leave the bent centre line (half a nanometre)
constexpr double kTurn = 0.0044;  // radians (a quarter degree): other profiles are searched in pieces that turn no more
constexpr double kDeepest = 5;    // mm: rays that are asked by way of lists start no deeper
constexpr double kLongest = 2.0;  // mm: longer pieces have boxes that are large across, too
constexpr double kMostParts = 32; // of a move, for that: others' programs may have moves of any length

/// Pieces of a straight move whose boxes are no larger across than that, but for very long moves.
double slantedParts(const Vec3& way) {
  std::array<double, 3> extent{std::abs(way.x()), std::abs(way.y()), std::abs(way.z())};
  std::sort(extent.begin(), extent.end());
  return std::min(extent[1] / kLongest, kMostParts);
}

} // namespace

bool Sweep::continues(const Piece& before, const Piece& next) {
  constexpr double kStraight = 1e-9; // mm
  const Vec3 along = before.b - before.a, on = next.b - next.a;
  return (next.b - before.a).squaredNorm() < kLongest * kLongest && before.axisA == next.axisB && before.axisA == before.axisB &&
         next.axisA == next.axisB && before.b == next.a && along.dot(on) > 0 &&
         along.cross(next.b - before.a).norm() < kStraight * along.norm();
}

Sweep::Sweep(const Profile& profile, const Path& path) : profile_(profile), ball_(profile.ballRadius()) {
  const auto& l = path.locations;
  for (std::size_t i = 1; i < l.size(); ++i) {
    if (!removesMaterial(l[i].motion)) continue;
    const double angle = angleBetween(l[i - 1].axis, l[i].axis);
    // sag of a chord of the centre's arc: R angle^2 / 8
    const double step = ball_ > 0 ? std::sqrt(8 * kSag / ball_) : kTurn;
    const int parts = std::max(1, static_cast<int>(std::ceil(std::max(angle / step, slantedParts(l[i].tip - l[i - 1].tip)))));
    for (int k = 0; k < parts; ++k) {
      Piece piece;
      poseAlong(l[i - 1], l[i], double(k) / parts, piece.a, piece.axisA);
      poseAlong(l[i - 1], l[i], double(k + 1) / parts, piece.b, piece.axisB);
      piece.a += ball_ * piece.axisA;
      piece.b += ball_ * piece.axisB;
      if (!pieces_.empty() && continues(pieces_.back(), piece))
        pieces_.back().b = piece.b;
      else
        pieces_.push_back(piece);
    }
  }
  tree_ = SweepTree(profile_, ball_, pieces_);
}

bool Sweep::turns(int piece) const {
  const Piece& m = pieces_[static_cast<std::size_t>(piece)];
  return (m.axisA - m.axisB).squaredNorm() > 1e-24;
}

double Sweep::bodyEntry(const Piece& m, const Vec3& p, const Vec3& n, double from) const {
  return SweptMove(profile_, m.a - ball_ * m.axisA, m.axisA, m.b - ball_ * m.axisB, m.axisB).entry(p, n, from);
}

double Sweep::flutesEntry(const Piece& m, const Vec3& p, const Vec3& n, double depth, double limit) const {
  // Only the part of the ray above the lower centre and within R of the swept axis, seen along it, can meet the flutes.
  const Vec3 &k = m.axisA, d = m.b - m.a, q = p - m.a;
  const double turn = (m.axisA - m.axisB).norm(), slack = 2 * turn * (profile_.length() + q.norm() + std::max(depth, limit));
  const double zq = q.dot(k), zn = n.dot(k), zd = d.dot(k);
  double low = -depth, high = limit;
  const double floor = std::min(0.0, zd) - slack;
  if (zn > 1e-12)
    low = std::max(low, (floor - zq) / zn);
  else if (zn < -1e-12)
    high = std::min(high, (floor - zq) / zn);
  else if (zq < floor)
    return kInfinity;
  if (low > high) return kInfinity;
  const Vec3 q2 = q - zq * k, n2 = n - zn * k, d2 = d - zd * k;
  Vec3 on, off;
  if (distanceSegments(q2 + low * n2, q2 + high * n2, Vec3::Zero(), d2, on, off) > ball_ + slack) return kInfinity;
  if (turn < 1e-12 && n2.squaredNorm() > 1e-18) {
    // Steady axis: the wall is a disc swept along d2, seen along the axis.
    const double t = entryIntoCapsule(Vec3::Zero(), d2, ball_, q2, n2);
    if (t > high) return kInfinity;
    if (t > low) {
      const double dd = d2.squaredNorm(), u = dd > 0 ? std::clamp((q2 + t * n2).dot(d2) / dd, 0.0, 1.0) : 0.0, z = zq + t * zn - u * zd;
      if (z < 0) return kInfinity; // below the centre there: the ball's own entry is the first
      if (z < profile_.length() - ball_) return t;
    }
  }
  return bodyEntry(m, p, n, low);
}

double Sweep::capsuleEntry(const Piece& m, const Vec3& p, const Vec3& n, double depth, double limit) const {
  double t = entryIntoCapsule(m.a, m.b, ball_, p, n);
  if (t < -depth) t = -entryIntoCapsule(m.a, m.b, ball_, p, -n) < -depth ? kInfinity : -depth; // starts past it, or inside
  return std::min(t, flutesEntry(m, p, n, depth, std::min(t, limit)));
}

double Sweep::entryFrom(int piece, const Vec3& p, const Vec3& n, double depth, double low, double limit) const {
  const Piece& m = pieces_[static_cast<std::size_t>(piece)];
  if (ball_ > 0) return capsuleEntry(m, p, n, depth, limit);
  const SweptMove move(profile_, m.a, m.axisA, m.b, m.axisB);
  if (!move.turning) return move.steadyEntry(p, n, low, limit);
  return limit < kInfinity && move.clears(p + limit * n, n) ? kInfinity : move.entry(p, n, low);
}

double Sweep::entryInto(int piece, const Vec3& p, const Vec3& n, double depth, double limit) const {
  return entryFrom(piece, p, n, depth, -depth, limit);
}

double Sweep::lowestEntry(int piece, const std::array<Vec3, 3>& triangle, const Vec3& n, double depth) const {
  constexpr int kParts = 4; // of a piece that turns: what is taken off for the turn goes with the square of theirs
  const Piece& m = pieces_[static_cast<std::size_t>(piece)];
  if (!turns(piece)) return SweptMove(profile_, m.a, m.axisA, m.b, m.axisB).lowestEntry(triangle, n, depth);
  double out = kInfinity;
  for (int k = 0; k < kParts; ++k) {
    const double u = double(k) / kParts, v = double(k + 1) / kParts;
    out = std::min(out,
                   SweptMove(profile_, m.a + u * (m.b - m.a), slerp(m.axisA, m.axisB, u), m.a + v * (m.b - m.a), slerp(m.axisA, m.axisB, v))
                       .lowestEntry(triangle, n, depth));
  }
  return out;
}

double Sweep::distanceToBalls(const Vec3& p, double limit) const {
  return tree_.distanceToLines(pieces_, p, limit + ball_) - ball_;
}

Sweep::Entry Sweep::firstEntry(const Vec3& p, const Vec3& n, double depth, double limit, int hint) const {
  Entry best;
  best.t = limit;
  const auto look = [&](int i, double low) {
    const double t = entryFrom(i, p, n, depth, low, best.t);
    if (t < best.t || (t == best.t && best.move >= 0 && i < best.move)) best = {t, i};
  };
  if (hint >= 0 && hint < static_cast<int>(pieces_.size())) look(hint, -depth);
  SweepTree::Ask ask{p, n, -depth, best.t};
  tree_.walk(ask, [&](int i, double low) {
    if (i == hint) return;
    look(i, low);
    ask.to = best.t;
  });
  if (best.move < 0) best.t = kInfinity;
  return best;
}

Sweep::Entry Sweep::firstAmong(const Vec3& p, const Vec3& n, double depth, const Near& moves, double limit, int hint) const {
  Entry best;
  best.t = limit;
  if (hint >= 0 && hint < static_cast<int>(pieces_.size()))
    if (const double t = entryInto(hint, p, n, depth, best.t); t < best.t) best = {t, hint};
  SweepTree::Ask ask{p, n, -depth, best.t};
  tree_.walk(moves, ask, [&](int m) {
    if (m == hint) return;
    if (const double t = entryInto(m, p, n, depth, best.t); t < best.t) best = {t, m}, ask.to = t;
  });
  if (best.move < 0) best.t = kInfinity;
  return best;
}

Sweep::Entry Sweep::firstEntry(const Vec3& p, const Vec3& n, double depth, double limit, const Near& moves, double high, int hint) const {
  const Entry best = firstAmong(p, n, depth, moves, high, hint);
  return best.move >= 0 ? best : firstEntry(p, n, depth, limit, hint);
}

void Sweep::firstEntries(std::span<const Ray> rays, double depth, double limit, Entry* out) const {
  // Rays near each other share a list of moves. It holds all that is met below `high`, a guess from what the last ones met.
  const double reach = 0.5 * profile_.maxRadius(); // farther apart, or leaning farther, is not near
  constexpr std::size_t kTogether = 8;
  Near near;
  double high = 0;
  int hint = -1;
  for (std::size_t first = 0, last; first < rays.size(); first = last) {
    for (last = first + 1; last < rays.size() && last < first + kTogether; ++last)
      if ((rays[last].p - rays[first].p).norm() + depth * (rays[last].n - rays[first].n).norm() > reach) break;
    const std::size_t middle = (first + last) / 2;
    const auto& [p, n] = rays[middle];
    if (first == 0 || last == first + 1) {
      out[middle] = firstEntry(p, n, depth, limit, hint);
      if (out[middle].move >= 0) hint = out[middle].move, high = std::max(high, out[middle].t);
      if (last == first + 1) continue;
    }
    high = std::min(limit, std::clamp(2.0 * high, 4e-4 * profile_.maxRadius(), 0.1 * profile_.maxRadius()));
    // All places on the rays between -depth and high lie within `radius` of a stretch of the row, and no higher than high + rise.
    const Vec3 chord = rays[last - 1].p - rays[first].p, flat = chord - chord.dot(n) * n;
    const Vec3 way = flat.norm() > 0 ? Vec3(flat.normalized()) : Vec3::Zero();
    double radius = 0, rise = 0, half = 0;
    for (std::size_t i = first; i < last; ++i) {
      const Vec3 d = rays[i].p - p, turn = rays[i].n - n;
      const double up = d.dot(n), ahead = d.dot(way), leans = turn.dot(way);
      rise = std::max(rise, up);
      half = std::max(half, std::abs(ahead) + (depth + high) * std::abs(leans));
      radius = std::max(radius, (d - up * n - ahead * way).norm() + (depth + high) * (turn - leans * way).norm());
    }
    SweepTree::Ask ask = askAround(p, n, radius, high + rise);
    ask.from = std::min(ask.from, -depth - rise - radius);
    ask.along = way, ask.half = half;
    tree_.gather(ask, near);
    double most = 0;
    for (std::size_t i = first; i < last; ++i) {
      out[i] = firstEntry(rays[i].p, rays[i].n, depth, limit, near, high, hint);
      if (out[i].move >= 0) most = std::max(most, out[i].t), hint = out[i].move;
    }
    high = most;
  }
}

SweepTree::Ask Sweep::askAround(const Vec3& p, const Vec3& n, double radius, double limit) const {
  // What was cut deep below a place and left again before it counts, too.
  return {p, n, std::min(0.0, limit) - std::max({radius, profile_.maxRadius(), kDeepest}), limit, radius};
}

double Sweep::axisDistance(int piece, const std::array<Vec3, 3>& triangle, double limit) const {
  const Piece& m = pieces_[static_cast<std::size_t>(piece)];
  const double height = profile_.length() - ball_, turn = (m.axisA - m.axisB).norm();
  // What lies below both centres, along the axis, is nearest to their line.
  double above = -kInfinity;
  for (const Vec3& p : triangle)
    for (const auto& [c, k] : {std::pair(m.a, m.axisA), std::pair(m.b, m.axisA), std::pair(m.a, m.axisB), std::pair(m.b, m.axisB)})
      above = std::max(above, (p - c).dot(k));
  if (above <= 0) {
    double least = limit;
    Vec3 on, off;
    for (std::size_t k = 0; k < 3; ++k) least = std::min(least, distanceSegments(m.a, m.b, triangle[k], triangle[(k + 1) % 3], on, off));
    for (const Vec3& c : {m.a, m.b}) least = std::min(least, (c - closestOnTriangle(c, triangle[0], triangle[1], triangle[2])).norm());
    return least;
  }
  const double bend = height * turn * turn / 8; // an axis that turns leaves the hull of its ends by no more
  const std::array<Vec3, 4> strip{m.a, m.b, m.a + height * m.axisA, m.b + height * m.axisB};
  const auto difference = [&](const Vec3& d) -> DifferencePoint {
    const auto farthest = [&](const auto& points, const Vec3& along) {
      return *std::max_element(points.begin(), points.end(), [&](const Vec3& p, const Vec3& q) { return p.dot(along) < q.dot(along); });
    };
    const Vec3 on = farthest(triangle, d);
    return {on - farthest(strip, -d), on};
  };
  constexpr double kFine = 1e-6; // mm
  return std::max(0.0, separation(difference, triangle[0] - m.a, kFine, limit + bend).low - bend);
}

void Sweep::piecesNear(const Vec3& p, const Vec3& n, double radius, double limit, Near& out) const {
  tree_.gather(askAround(p, n, radius, limit), out);
}

void Sweep::sift(const Near& from, const Vec3& p, const Vec3& n, double radius, double limit, Near& out) const {
  tree_.sift(from, askAround(p, n, radius, limit), out);
}

} // namespace hemline
