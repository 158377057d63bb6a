// One move of a revolved body: tip straight, axis along the great circle. Distance to the volume it sweeps.
#pragma once
#include "cutter/profile.h"
#include "toolpath/path.h"
#include <array>

namespace hemline {

struct SweptMove {
  SweptMove(const Profile& p, const Vec3& a, const Vec3& aa, const Vec3& b, const Vec3& ab)
      : profile(&p), tip(a), travel(b - a), axisA(aa), axisB(ab), turning((aa - ab).squaredNorm() > 1e-24) {
    const double climb = travel.dot(aa);
    level = !turning && climb * climb < 1e-24 * (1 + travel.squaredNorm());
    if (turning) omega = aa.cross(ab).normalized() * angleBetween(aa, ab);
  }

  /// Least signed distance of q to the body over the move, where (u; the search starts there) and its gradient. Exact to about 1e-9 mm
  /// while the axis turns by no more than a degree (longer turns are split by the callers).
  double distance(const Vec3& q, double& u, Vec3& gradient) const;
  /// Is q certainly outside, and was it before along n? False does not mean that it is inside.
  bool clears(const Vec3& q, const Vec3& n) const;
  /// First t >= from at which q + t n lies within 1e-9 mm of the swept body, walking along the unit vector n; kInfinity if never.
  /// While the axis turns: no pose of the move lies deeper than 2e-6 mm over the place found.
  double entry(const Vec3& q, const Vec3& n, double from) const;

  /// The same where the axis keeps, and t is no greater than `limit`, else kInfinity: place and time at once by Newton's method, edges in
  /// closed form. What it finds touches a pose within 1e-9 mm, and the tangent there bounds all poses; where that fails, it is walked
  /// there from outside.
  double steadyEntry(const Vec3& q, const Vec3& n, double from, double limit) const;

  /// Certified: no ray c + t n from a place c of the triangle, t >= -depth (n unit), enters the body before this t. From the
  /// half space that touches the body where the ray from the triangle's middle enters; a turning axis is taken off it.
  /// -depth where nothing can be said.
  double lowestEntry(const std::array<Vec3, 3>& triangle, const Vec3& n, double depth) const;

  const Profile* profile;
  Vec3 tip, travel, axisA, axisB, omega = Vec3::Zero();
  bool turning, level;

private:
  double straightEntry(const Vec3& q, const Vec3& n, double from) const;
  double poseEntry(double u, const Vec3& q, const Vec3& n, double from) const;
  /// Least distance of q over all poses and where; below zero it is true to 2e-6 mm (branch and bound), above it may be less.
  double lowest(const Vec3& q, double& where) const;
  double at(const Vec3& q, double u, Vec3& gradient, double& rate) const;
};

/// Entry t of the line p + t n (n of any length but zero) into the capsule of radius R about the segment ab, from the side
/// of smaller t; kInfinity if the line misses it. Exact to rounding.
double entryIntoCapsule(const Vec3& a, const Vec3& b, double R, const Vec3& p, const Vec3& n);

} // namespace hemline
