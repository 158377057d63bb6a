// Vectors are Eigen's; lengths in millimetres.
#pragma once
#include "base/infinity.h"
#include <Eigen/Core>
#include <Eigen/Geometry>
#include <cassert>
#include <cmath>

namespace hemline {

using Vec2 = Eigen::Vector2d;
using Vec3 = Eigen::Vector3d;
using Mat3 = Eigen::Matrix3d;

/// Is it of length 1, to rounding? Asked of directions on entry.
inline bool isUnit(const Vec3& v) {
  return std::abs(v.squaredNorm() - 1) < 1e-9;
}

/// Axis-aligned box; empty when low > high.
struct Box {
  Vec3 low = Vec3::Constant(kInfinity), high = Vec3::Constant(-kInfinity);
  void add(const Vec3& p) {
    low = low.cwiseMin(p);
    high = high.cwiseMax(p);
  }
  void add(const Box& b) {
    low = low.cwiseMin(b.low);
    high = high.cwiseMax(b.high);
  }
  bool empty() const { return low.x() > high.x(); }
  Vec3 center() const { return 0.5 * (low + high); }
  Vec3 size() const { return high - low; }
  double diagonal() const { return empty() ? 0 : (high - low).norm(); }
  /// Height of the box's highest corner along a direction.
  double highest(const Vec3& up) const { return low.cwiseProduct(up).cwiseMax(high.cwiseProduct(up)).sum(); }
};

/// d split by a unit axis: its part along it, and the length of the rest with its unit direction (zero where that is only rounding:
/// a direction made of rounding would not be across the axis).
inline Vec3 acrossAxis(const Vec3& d, const Vec3& axis, double& up, double& side) {
  up = d.dot(axis);
  Vec3 rest = d - up * axis;
  rest -= rest.dot(axis) * axis;
  side = rest.norm();
  if (side <= 1e-14 * std::abs(up)) {
    side = 0;
    return Vec3::Zero();
  }
  return rest / side;
}

/// Two unit vectors that complete the unit vector `axis` to a right-handed frame (e1, e2, axis).
/// For axis = +z they are +x and +y. Continuous except at axis = -z (Duff et al., JCGT 6(1), 2017).
inline void frameAround(const Vec3& axis, Vec3& e1, Vec3& e2) {
  const double sign = std::copysign(1.0, axis.z());
  const double a = -1.0 / (sign + axis.z());
  const double b = axis.x() * axis.y() * a;
  e1 = Vec3(1.0 + sign * axis.x() * axis.x() * a, sign * b, -sign * axis.x());
  e2 = Vec3(b, sign + axis.y() * axis.y() * a, -axis.y());
}

/// Angle between two unit vectors, accurate near 0 and pi.
inline double angleBetween(const Vec3& a, const Vec3& b) {
  return 2 * std::atan2((a - b).norm(), (a + b).norm());
}

/// The unit vector a fraction u along the great circle from a to b; for antipodal vectors along one of them, see frameAround.
inline Vec3 slerp(const Vec3& a, const Vec3& b, double u) {
  const double angle = angleBetween(a, b);
  if (angle < 1e-12) return a;
  const double s = std::sin(angle);
  if (s < 1e-9) {
    Vec3 e1, e2;
    frameAround(a, e1, e2);
    return std::cos(u * angle) * a + std::sin(u * angle) * e1;
  }
  return ((std::sin((1 - u) * angle) / s) * a + (std::sin(u * angle) / s) * b).normalized();
}

} // namespace hemline
