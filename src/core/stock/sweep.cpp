#include "stock/sweep.h"
#include "base/units.h"
#include "stock/swept_move.h"
#include <Eigen/Eigenvalues>
#include <cmath>

namespace hemline {
namespace {

constexpr double kSag = 0.5e-6;  // mm: how far a capsule may leave the bent centre line (half a nanometre)
constexpr double kTurn = 0.0044; // radians (a quarter degree): other profiles are searched in pieces that turn no more
constexpr double kNever = 1e300;

} // namespace

bool Sweep::continues(const Piece& before, const Piece& next) {
  constexpr double kStraight = 1e-9; // mm
  constexpr double kLongest = 2.0;   // mm: longer pieces have boxes that are large across, too
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
    const int parts = std::max(1, static_cast<int>(std::ceil(angle / step)));
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
  std::vector<Box> boxes(pieces_.size());
  for (std::size_t i = 0; i < boxes.size(); ++i) {
    boxes[i].add(pieces_[i].a);
    boxes[i].add(pieces_[i].b);
  }
  tree_ = BoxTree(boxes);
  buildCones();
}

void Sweep::buildCones() {
  // Axis cones, leaves first: children come after their parent in the node array.
  cones_.resize(tree_.nodes().size());
  struct Range {
    std::size_t first = 0, last = 0; ///< of the tree's items
    Vec3 sum = Vec3::Zero();
    Eigen::Matrix3d square = Eigen::Matrix3d::Zero();
  };
  std::vector<Range> ranges(cones_.size());
  const auto pieceAt = [&](std::size_t item) -> const Piece& { return pieces_[static_cast<std::size_t>(tree_.items()[item])]; };
  for (std::size_t k = cones_.size(); k-- > 0;) {
    const BoxTree::Node& node = tree_.nodes()[k];
    Vec3 sum = Vec3::Zero();
    if (node.count > 0) {
      for (int i = 0; i < node.count; ++i) {
        const Piece& m = pieces_[static_cast<std::size_t>(tree_.items()[static_cast<std::size_t>(node.first + i)])];
        sum += m.axisA + m.axisB;
      }
    } else {
      sum = cones_[k + 1].mean + cones_[static_cast<std::size_t>(node.first)].mean;
    }
    Cone& cone = cones_[k];
    cone.mean = sum.norm() > 1e-9 ? Vec3(sum.normalized()) : Vec3::UnitZ();
    cone.spread = 0;
    if (node.count > 0) {
      for (int i = 0; i < node.count; ++i) {
        const Piece& m = pieces_[static_cast<std::size_t>(tree_.items()[static_cast<std::size_t>(node.first + i)])];
        cone.spread = std::max({cone.spread, angleBetween(cone.mean, m.axisA), angleBetween(cone.mean, m.axisB)});
      }
    } else {
      for (const std::size_t c : {k + 1, static_cast<std::size_t>(node.first)})
        cone.spread = std::max(cone.spread, angleBetween(cone.mean, cones_[c].mean) + cones_[c].spread);
    }
    if (cone.spread > 0) cone.spread = std::min(kPi, cone.spread + 1e-9);
    // The slab: least principal direction of the ends.
    Range& range = ranges[k];
    if (node.count > 0) {
      range.first = static_cast<std::size_t>(node.first), range.last = range.first + static_cast<std::size_t>(node.count);
      for (std::size_t i = range.first; i < range.last; ++i)
        for (const Vec3& end : {pieceAt(i).a, pieceAt(i).b}) {
          const Vec3 v = end - tree_.origin();
          range.sum += v, range.square += v * v.transpose();
        }
    } else {
      const Range &left = ranges[k + 1], &right = ranges[static_cast<std::size_t>(node.first)];
      range = {left.first, right.last, left.sum + right.sum, left.square + right.square};
    }
    const double count = 2 * double(range.last - range.first);
    const Eigen::Matrix3d spread = range.square - range.sum * range.sum.transpose() / count;
    cone.normal = Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d>().computeDirect(spread).eigenvectors().col(0);
    if (!(std::abs(cone.normal.norm() - 1) < 1e-6)) cone.normal = Vec3::UnitZ();
    cone.low = kNever, cone.high = -kNever;
    for (std::size_t i = range.first; i < range.last; ++i)
      for (const Vec3& end : {pieceAt(i).a, pieceAt(i).b}) {
        cone.low = std::min(cone.low, cone.normal.dot(end));
        cone.high = std::max(cone.high, cone.normal.dot(end));
      }
  }
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
    return kNever;
  if (low > high) return kNever;
  const Vec3 q2 = q - zq * k, n2 = n - zn * k, d2 = d - zd * k;
  Vec3 on, off;
  if (distanceSegments(q2 + low * n2, q2 + high * n2, Vec3::Zero(), d2, on, off) > ball_ + slack) return kNever;
  if (turn < 1e-12 && n2.squaredNorm() > 1e-18) {
    // Steady axis: the wall is a disc swept along d2, seen along the axis.
    const double t = entryIntoCapsule(Vec3::Zero(), d2, ball_, q2, n2);
    if (t > high) return kNever;
    if (t > low) {
      const double dd = d2.squaredNorm(), u = dd > 0 ? std::clamp((q2 + t * n2).dot(d2) / dd, 0.0, 1.0) : 0.0, z = zq + t * zn - u * zd;
      if (z < 0) return kNever; // below the centre there: the ball's own entry is the first
      if (z < profile_.length() - ball_) return t;
    }
  }
  return bodyEntry(m, p, n, low);
}

double Sweep::capsuleEntry(const Piece& m, const Vec3& p, const Vec3& n, double depth, double limit) const {
  double t = entryIntoCapsule(m.a, m.b, ball_, p, n);
  if (t < -depth) t = -entryIntoCapsule(m.a, m.b, ball_, p, -n) < -depth ? kNever : -depth; // starts past it, or inside
  return std::min(t, flutesEntry(m, p, n, depth, std::min(t, limit)));
}

double Sweep::entryInto(int piece, const Vec3& p, const Vec3& n, double depth, double limit) const {
  const Piece& m = pieces_[static_cast<std::size_t>(piece)];
  return ball_ > 0 ? capsuleEntry(m, p, n, depth, limit) : bodyEntry(m, p, n, -depth);
}

double Sweep::lowestEntry(int piece, const std::array<Vec3, 3>& triangle, const Vec3& n, double depth) const {
  constexpr int kParts = 4; // of a piece that turns: what is taken off for the turn goes with the square of theirs
  const Piece& m = pieces_[static_cast<std::size_t>(piece)];
  if (!turns(piece)) return SweptMove(profile_, m.a, m.axisA, m.b, m.axisB).lowestEntry(triangle, n, depth);
  double out = kNever;
  for (int k = 0; k < kParts; ++k) {
    const double u = double(k) / kParts, v = double(k + 1) / kParts;
    out = std::min(out,
                   SweptMove(profile_, m.a + u * (m.b - m.a), slerp(m.axisA, m.axisB, u), m.a + v * (m.b - m.a), slerp(m.axisA, m.axisB, v))
                       .lowestEntry(triangle, n, depth));
  }
  return out;
}

double Sweep::nodeBound(int node, const Vec3& p, const Vec3& n, double radius, double depth, double limit) const {
  const Vec3 c = tree_.center(node) - p, h = tree_.half(node);
  const double along = c.dot(n), spread = n.cwiseAbs().dot(h);
  const Vec3 lateral = c - along * n;
  const double far = lateral.norm();
  const Cone& cone = cones_[static_cast<std::size_t>(node)];
  // Least height along n of the reference points: by the box, or by the slab and what the box says across it.
  const double share = n.dot(cone.normal), at = cone.normal.dot(p);
  const Vec3 across = n - share * cone.normal;
  const double low = std::max(along - spread, across.dot(c) - across.cwiseAbs().dot(h) + share * ((share > 0 ? cone.low : cone.high) - at));
  if (ball_ > 0) {
    // Least distance across n: separated along the way to the centre, or along an edge of the box seen along n.
    double d = 0;
    if (far > ball_ * 0.01) d = far - lateral.cwiseAbs().dot(h) / far;
    for (int k = 0; k < 3; ++k) {
      const Vec3 w = Vec3::Unit(k) - n[k] * n;
      const double l2 = w.squaredNorm();
      if (l2 > 0.25) d = std::max(d, (std::abs(c.dot(w)) - w.cwiseAbs().dot(h)) / std::sqrt(l2));
    }
    d = std::max(0.0, d - radius);
    const double byBall = d > ball_ ? kNever : low - std::sqrt(ball_ * ball_ - d * d);
    // The flutes are met above the centres only: not before the ray has risen to the lowest of them.
    const double cosine = std::min(1.0, n.dot(cone.mean)), rate = cosine + cone.spread;
    const double rise = c.dot(cone.mean) - cone.mean.cwiseAbs().dot(h) - radius - (c.norm() + h.norm() + radius) * cone.spread;
    double risen = -depth;
    if (rise > 0) risen = rate > 1e-9 ? rise / rate : kNever; // n falls away from the axis: it never rises to them
    // Seen along the axis the flutes are discs about the centres: the ray has to come to them sideways.
    const Vec3 c2 = c - c.dot(cone.mean) * cone.mean;
    if (const double far2 = c2.norm(); far2 > ball_) {
      const double away = far2 - c2.cwiseAbs().dot(h) / far2 - radius - ball_ - cone.spread * (profile_.length() + ball_),
                   sideways = (n - n.dot(cone.mean) * cone.mean).norm();
      if (away > 0) risen = std::max(risen, sideways > 1e-9 ? away / sideways : kNever);
    }
    if (risen >= std::min(limit, byBall) || risen >= limit) return byBall;
    // Sideways of the ball's shadow: their extent across n, and along it.
    const double angle = std::min(kPi, std::acos(std::clamp(cosine, -1.0, 1.0)) + cone.spread);
    if (d > ball_ + (profile_.length() - ball_) * std::sin(std::min(kPi / 2, angle))) return byBall;
    const double reach = profile_.supportValue(std::sin(angle), -std::cos(angle)) + ball_ * std::cos(angle);
    return std::min(byBall, std::max(risen, low - std::max(ball_, reach)));
  }
  const auto support = [&](const Vec3& m) { // max of y.m over the body for any axis in the cone
    const double angle = std::acos(std::clamp(-m.dot(cone.mean), -1.0, 1.0));
    const double wide = std::min(kPi, angle + cone.spread);
    const double v = profile_.supportValue(std::sin(angle), -std::cos(angle));
    return cone.spread > 0 ? std::max(v, profile_.supportValue(std::sin(wide), -std::cos(wide))) : v;
  };
  double best = low - support(-n);
  if (best >= limit || far < 1e-12) return best;
  const Vec3 w = lateral / far;
  const double wExtent = w.cwiseAbs().dot(h);
  if (far - wExtent - radius > support(-w)) return kNever;
  for (const double tilt : {0.3, 0.8, 1.25}) {
    const double ca = std::cos(tilt), sa = std::sin(tilt);
    const Vec3 k = ca * n + sa * w;
    best = std::max(best, (c.dot(k) - k.cwiseAbs().dot(h) - sa * radius - support(-k)) / ca);
    if (best >= limit) break;
  }
  return best;
}

double Sweep::distanceToBalls(const Vec3& p, double limit) const {
  double best = limit + ball_; // to the centres' lines
  tree_.minimise([&](const Vec3& c, const Vec3& h) { return ((p - c).cwiseAbs() - h).cwiseMax(0.0).norm(); },
                 [&](int i) {
                   Vec3 on, off;
                   const Piece& m = pieces_[static_cast<std::size_t>(i)];
                   best = std::min(best, distanceSegments(p, p, m.a, m.b, on, off));
                 },
                 best);
  return best - ball_;
}

Sweep::Entry Sweep::firstEntry(const Vec3& p, const Vec3& n, double depth, double limit, int hint) const {
  Entry best;
  best.t = limit;
  const auto look = [&](int i) {
    const double t = entryInto(i, p, n, depth, best.t);
    if (t < best.t || (t == best.t && best.move >= 0 && i < best.move)) best = {t, i};
  };
  if (hint >= 0 && hint < static_cast<int>(pieces_.size())) look(hint);
  tree_.minimiseNodes([&](int node) { return nodeBound(node, p, n, 0, depth, best.t); }, look, best.t);
  if (best.move < 0) best.t = kNever;
  return best;
}

Sweep::Entry Sweep::firstEntry(const Vec3& p, const Vec3& n, double depth, double limit, const std::vector<int>& moves, double high,
                               int hint) const {
  Entry best;
  best.t = high;
  if (hint >= 0 && hint < static_cast<int>(pieces_.size()))
    if (const double t = entryInto(hint, p, n, depth, best.t); t < best.t) best = {t, hint};
  for (const int m : moves)
    if (const double t = entryInto(m, p, n, depth, best.t); t < best.t) best = {t, m};
  return best.move >= 0 ? best : firstEntry(p, n, depth, limit, hint);
}

bool Sweep::mayMeet(int i, const Vec3& p, const Vec3& n, double radius, double limit) const {
  if (!(ball_ > 0)) return true;
  // The ball's own bound for this piece; the flutes matter only where the ray comes above the centre.
  const Piece& m = pieces_[static_cast<std::size_t>(i)];
  const Vec3 a = m.a - p, b = m.b - p;
  const double ta = a.dot(n), tb = b.dot(n);
  if (std::max(-a.dot(m.axisA), -b.dot(m.axisB)) + radius + std::max(limit, 0.0) > 0) {
    if (turns(i)) return true;
    // Seen along the axis the flutes are a disc that moves: the ray has to come to it sideways.
    const Vec3 &k = m.axisA, a2 = a - a.dot(k) * k, b2 = b - b.dot(k) * k;
    Vec3 on, off;
    const double away = distanceSegments(Vec3::Zero(), Vec3::Zero(), a2, b2, on, off) - radius - ball_;
    if (away <= 0 || away <= limit * (n - n.dot(k) * k).norm()) return true;
  }
  const Vec3 la = a - ta * n, d = (b - tb * n) - la;
  const double dd = d.squaredNorm(), u = dd > 1e-24 ? std::clamp(-la.dot(d) / dd, 0.0, 1.0) : 0;
  const double lateral = std::max(0.0, (la + u * d).norm() - radius);
  return lateral < ball_ && std::min(ta, tb) - std::sqrt(ball_ * ball_ - lateral * lateral) <= limit;
}

void Sweep::piecesNear(const Vec3& p, const Vec3& n, double radius, double limit, std::vector<int>& out) const {
  out.clear();
  const auto take = [&](int i) {
    if (mayMeet(i, p, n, radius, limit)) out.push_back(i);
  };
  tree_.minimiseNodes([&](int node) { return nodeBound(node, p, n, radius, radius, limit); }, take, limit);
}

void Sweep::sift(const std::vector<int>& from, const Vec3& p, const Vec3& n, double radius, double limit, std::vector<int>& out) const {
  out.clear();
  for (const int i : from)
    if (mayMeet(i, p, n, radius, limit)) out.push_back(i);
}

} // namespace hemline
