#include "proof/moving_body.h"
#include "geometry/separation.h"
#include <span>

namespace hemline {
namespace {

constexpr double kLook = 4;        // mm: a long move is looked at from poses that are no farther apart, ..
constexpr int kMostLooks = 16;     // .. or from so many
constexpr double kRounding = 1e-9; // mm

} // namespace

Vec3 farthestOf(const Profile& profile, const Vec3& axis, const Vec3& d) {
  double up, side;
  const Vec3 aside = acrossAxis(d, axis, up, side);
  const double all = std::hypot(side, up);
  if (!(all > 0)) return Vec3::Zero();
  const Vec2 p = profile.support(side / all, -up / all);
  return p.y() * axis + p.x() * aside;
}

Vec3 farthestOf(const Body& b, const Vec3& axis, const Vec3& d) {
  double up, side;
  const Vec3 aside = acrossAxis(d, axis, up, side);
  const bool first = b.r0 * side + b.z0 * up >= b.r1 * side + b.z1 * up;
  return (first ? b.z0 : b.z1) * axis + (first ? b.r0 : b.r1) * aside;
}

const Vec3& farthestOf(const std::array<Vec3, 3>& triangle, const Vec3& d) {
  const double s0 = triangle[0].dot(d), s1 = triangle[1].dot(d), s2 = triangle[2].dot(d);
  return triangle[s0 >= s1 && s0 >= s2 ? 0 : s1 >= s2 ? 1 : 2];
}

MovingBody::MovingBody(const std::vector<Body>& bodies, const Profile* cutter, double reach) : reach_(reach) {
  for (const Body& b : bodies) pieces_.push_back({nullptr, b});
  if (cutter) pieces_.push_back({cutter, {0, cutter->maxRadius(), cutter->length(), cutter->maxRadius(), 3}});
  for (const Piece& p : pieces_) thickness_ = std::max({thickness_, p.body.r0, p.body.r1});
}

double MovingBody::pieceDistance(const Piece& piece, double r, double z) {
  if (!piece.profile) return frustumDistance(piece.body, r, z);
  Vec2 gradient;
  return piece.profile->distance(r, z, gradient);
}

double MovingBody::outside(const Piece& piece, double r, double z) {
  const Body& b = piece.body;
  return std::max({b.z0 - z, z - b.z1, r - std::max(b.r0, b.r1)});
}

Vec3 MovingBody::farthest(const Piece& piece, const PoseOf& pose, const Vec3& d) {
  return pose.tip + (piece.profile ? farthestOf(*piece.profile, pose.axis, d) : farthestOf(piece.body, pose.axis, d));
}

double MovingBody::bend(const PoseOf& a, const PoseOf& b) const {
  const double angle = angleBetween(a.axis, b.axis);
  return reach_ * angle * angle / 8;
}

double MovingBody::travel(const PoseOf& a, const PoseOf& b) const {
  return 0.5 * ((a.tip - b.tip).norm() + reach_ * angleBetween(a.axis, b.axis));
}

MovingBody::Distance MovingBody::distance(const MeshTree& mesh, const PoseOf& a, const PoseOf& b, double enough, double tolerance) const {
  Distance out;
  const double r = travel(a, b), bent = bend(a, b);
  const bool turning = bent > 0;
  const PoseOf middle{0.5 * (a.tip + b.tip), turning ? slerp(a.axis, b.axis, 0.5) : a.axis};
  // A long move that does not turn is looked at from several poses, where one in its middle does not settle it.
  const int looks = turning ? 1 : std::clamp(static_cast<int>(std::ceil(2 * r / kLook)), 1, kMostLooks);
  const Vec3 first = middle.tip - (looks - 1.0) / looks * 0.5 * (b.tip - a.tip), next = (b.tip - a.tip) / looks;
  const auto distanceFrom = [&](const Vec3& tip, const Vec3& p, const auto& pieces) {
    const Vec3 v = p - tip;
    const double height = v.dot(middle.axis), radius = std::sqrt(std::max(0.0, v.squaredNorm() - height * height));
    double least = kInfinity;
    for (const Piece& piece : pieces)
      if (outside(piece, radius, height) < least) least = std::min(least, pieceDistance(piece, radius, height));
    return least;
  };
  double best = enough;
  /// No more than the distance of anything within `size` of p from pieces of the body, anywhere on the move; only as good as asked by
  /// `best`.
  const auto least = [&](const Vec3& p, double size, const auto& pieces) {
    double low = distanceFrom(middle.tip, p, pieces) - size - r - kRounding;
    if (looks == 1 || low >= best) return low;
    low = kInfinity;
    for (int look = 0; look < looks; ++look) low = std::min(low, distanceFrom(first + look * next, p, pieces));
    return low - size - r / looks - kRounding;
  };
  const auto bound = [&](const Vec3& c, const Vec3& h) { return least(c, h.norm(), pieces_); };
  const auto visit = [&](int item) {
    const auto t = static_cast<std::size_t>(item);
    const std::array<Vec3, 3> corner{mesh.mesh->corner(t, 0), mesh.mesh->corner(t, 1), mesh.mesh->corner(t, 2)};
    const Vec3 m = (corner[0] + corner[1] + corner[2]) / 3;
    double size = 0;
    for (const Vec3& c : corner) size = std::max(size, (c - m).squaredNorm());
    size = std::sqrt(size);
    for (const Piece& p : pieces_) {
      if (least(m, size, std::span(&p, 1)) >= best) continue;
      const auto difference = [&](const Vec3& d) -> DifferencePoint {
        const Vec3& on = farthestOf(corner, d);
        Vec3 other = farthest(p, a, -d);
        if (turning) {
          const Vec3 second = farthest(p, b, -d);
          if (second.dot(d) < other.dot(d)) other = second;
        } else if ((b.tip - a.tip).dot(d) < 0) {
          other += b.tip - a.tip;
        }
        return {on - other, on};
      };
      const Separation s = separation(difference, m - middle.tip - 0.5 * (p.body.z0 + p.body.z1) * middle.axis, tolerance, best + bent);
      if (s.low - bent >= best) continue;
      best = std::max(0.0, s.low - bent);
      if (s.high + bent < out.high) out.high = s.high + bent, out.at = s.onA, out.kind = p.body.kind;
    }
  };
  mesh.tree.minimise(bound, visit, best);
  out.low = best;
  return out;
}

double MovingBody::depth(const MeshTree& mesh, const PoseOf& pose, Vec3& at, int& kind) const {
  double best = kInfinity;
  const auto signedDistance = [&](const Vec3& p, int* which) {
    const Vec3 v = p - pose.tip;
    const double z = v.dot(pose.axis), r = (v - z * pose.axis).norm();
    double least = kInfinity;
    for (const Piece& piece : pieces_)
      if (const double d = pieceDistance(piece, r, z); d < least) {
        least = d;
        if (which) *which = piece.body.kind;
      }
    return least;
  };
  mesh.tree.minimise([&](const Vec3& c, const Vec3& h) { return signedDistance(c, nullptr) - h.norm(); },
                     [&](int item) {
                       const auto t = static_cast<std::size_t>(item);
                       const Vec3 a = mesh.mesh->corner(t, 0), b = mesh.mesh->corner(t, 1), c = mesh.mesh->corner(t, 2);
                       for (const Vec3& p : {a, b, c, Vec3((a + b + c) / 3), Vec3((a + b) / 2), Vec3((b + c) / 2), Vec3((c + a) / 2)}) {
                         int which = 0;
                         if (const double d = signedDistance(p, &which); d < best) best = d, at = p, kind = which;
                       }
                     },
                     best);
  return best;
}

} // namespace hemline
