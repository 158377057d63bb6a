#include "stock/sweep.h"
#include "base/units.h"
#include "stock/swept_move.h"
#include <cmath>

namespace hemline {
namespace {

constexpr double kSag = 0.5e-6; // mm: how far a capsule may leave the bent centre line (half a nanometre)
constexpr double kTurn =
    0.0044; // radians (a quarter degree): other profiles are searched in pieces that turn no more; the error goes with its square
constexpr double kNever = 1e300;

/// First root of |(p + t n) - line| = R for the segment ab, from outside; kNever if the ray misses.
double rayCapsule(const Vec3& a, const Vec3& b, double R, const Vec3& p, const Vec3& n) {
  const Vec3 d = b - a, q = p - a;
  const double dd = d.squaredNorm(), nd = n.dot(d), qd = q.dot(d), nq = n.dot(q), qq = q.squaredNorm();
  double best = kNever;
  const double A = dd - nd * nd;
  if (dd > 1e-18 && A > 1e-12 * dd) {
    const double B = dd * nq - nd * qd, C = dd * (qq - R * R) - qd * qd, disc = B * B - A * C;
    if (disc < 0) return kNever;
    const double t = (-B - std::sqrt(disc)) / A, y = qd + t * nd;
    if (y >= 0 && y <= dd) return t;
  }
  for (const Vec3& c : {a, b}) {
    const Vec3 o = p - c;
    const double h = o.dot(n), disc = h * h - (o.squaredNorm() - R * R);
    if (disc >= 0) best = std::min(best, -h - std::sqrt(disc));
  }
  return best;
}

} // namespace

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
      piece.location = static_cast<int>(i);
      pieces_.push_back(piece);
    }
  }
  std::vector<Box> boxes(pieces_.size());
  for (std::size_t i = 0; i < boxes.size(); ++i) {
    boxes[i].add(pieces_[i].a);
    boxes[i].add(pieces_[i].b);
  }
  tree_ = BoxTree(boxes);
  // Axis cones, leaves first: children come after their parent in the node array.
  cones_.resize(tree_.nodes().size());
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
  }
}

bool Sweep::turns(int piece) const {
  const Piece& m = pieces_[static_cast<std::size_t>(piece)];
  return (m.axisA - m.axisB).squaredNorm() > 1e-24;
}

double Sweep::bodyEntry(const Piece& m, const Vec3& p, const Vec3& n, double depth) const {
  return SweptMove(profile_, m.a - ball_ * m.axisA, m.axisA, m.b - ball_ * m.axisB, m.axisB).entry(p, n, -depth);
}

double Sweep::capsuleEntry(const Piece& m, const Vec3& p, const Vec3& n, double depth, double limit) const {
  double t = rayCapsule(m.a, m.b, ball_, p, n);
  t = std::max(t, -depth);
  // The flutes above the ball can only be met first where the ray comes above the centre.
  const double reach = std::min(t, limit);
  const double rise = std::max(n.dot(m.axisA) * reach, -n.dot(m.axisA) * depth);
  const double above = std::max((p - m.a).dot(m.axisA), (p - m.b).dot(m.axisB));
  if (above + std::max(rise, 0.0) > 1e-9) t = std::min(t, bodyEntry(m, p, n, depth));
  return t;
}

double Sweep::entryInto(int piece, const Vec3& p, const Vec3& n, double depth, double limit) const {
  const Piece& m = pieces_[static_cast<std::size_t>(piece)];
  return ball_ > 0 ? capsuleEntry(m, p, n, depth, limit) : bodyEntry(m, p, n, depth);
}

double Sweep::nodeBound(int node, const Vec3& p, const Vec3& n, double radius, double depth, double limit) const {
  const Vec3 c = tree_.center(node) - p, h = tree_.half(node);
  const double along = c.dot(n), spread = n.cwiseAbs().dot(h);
  const Vec3 lateral = c - along * n;
  const double far = lateral.norm();
  const Cone& cone = cones_[static_cast<std::size_t>(node)];
  if (ball_ > 0) {
    double d = 0;
    if (far > 1e-12) {
      const Vec3 w = lateral / far;
      d = std::max(0.0, far - w.cwiseAbs().dot(h) - radius);
    }
    const double low = along - spread;
    // Above the centre the flutes may be met: their nearest point along n lies within R of the axis.
    const double cosine = std::min(1.0, n.dot(cone.mean)), gain = std::max({limit * cosine, -depth * cosine, 0.0});
    if (-c.dot(cone.mean) + cone.mean.cwiseAbs().dot(h) + gain + radius + (far + h.norm()) * cone.spread <= 0) {
      if (d > ball_) return kNever;
      return low - std::sqrt(ball_ * ball_ - d * d);
    }
    const double angle = std::min(kPi, std::acos(std::clamp(cosine, -1.0, 1.0)) + cone.spread);
    // Whole body about the centre: tip-based support, shifted to the centre.
    const double reach = profile_.supportValue(std::sin(angle), -std::cos(angle)) + ball_ * std::cos(angle);
    if (d > ball_) {
      // Sideways of the ball's shadow only the flutes can reach: their extent across n.
      const double across = ball_ + (profile_.length() - ball_) * std::sin(std::min(kPi / 2, angle));
      if (d > across) return kNever;
      return low - std::max(ball_, reach);
    }
    return low - std::max(ball_, reach);
  }
  const auto support = [&](const Vec3& m) { // max of y.m over the body for any axis in the cone
    const double angle = std::acos(std::clamp(-m.dot(cone.mean), -1.0, 1.0));
    const double wide = std::min(kPi, angle + cone.spread);
    const double v = profile_.supportValue(std::sin(angle), -std::cos(angle));
    return cone.spread > 0 ? std::max(v, profile_.supportValue(std::sin(wide), -std::cos(wide))) : v;
  };
  double best = along - spread - support(-n);
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

void Sweep::piecesNear(const Vec3& p, const Vec3& n, double radius, double limit, std::vector<int>& out) const {
  out.clear();
  const auto take = [&](int i) {
    if (ball_ > 0) {
      // The ball's own bound for this piece; the flutes matter only where the ray comes above the centre.
      const Piece& m = pieces_[static_cast<std::size_t>(i)];
      const Vec3 a = m.a - p, b = m.b - p;
      const double ta = a.dot(n), tb = b.dot(n);
      if (std::max(-a.dot(m.axisA), -b.dot(m.axisB)) + radius + std::max(limit, 0.0) <= 0) {
        const Vec3 la = a - ta * n, d = (b - tb * n) - la;
        const double dd = d.squaredNorm(), u = dd > 1e-24 ? std::clamp(-la.dot(d) / dd, 0.0, 1.0) : 0;
        const double lateral = std::max(0.0, (la + u * d).norm() - radius);
        if (lateral >= ball_ || std::min(ta, tb) - std::sqrt(ball_ * ball_ - lateral * lateral) > limit) return;
      }
    }
    out.push_back(i);
  };
  tree_.minimiseNodes([&](int node) { return nodeBound(node, p, n, radius, radius, limit); }, take, limit);
}

} // namespace hemline
