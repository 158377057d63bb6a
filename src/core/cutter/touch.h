// Cutter location along an axis (drop cutter): where a revolved profile first touches a mesh when it comes down along its axis.
#pragma once
#include "cutter/profile.h"
#include "geometry/tree.h"
#include <span>

namespace hemline {

struct Touch {
  bool hit = false;
  double height = -kInfinity; ///< tip = line point + height * axis
  Vec3 contact = Vec3::Zero();
  Vec3 normal = Vec3::Zero(); ///< unit, out of the surface towards the cutter
  int triangle = -1;
};

/// Highest touch of the profile, moved along `axis` (unit) on the line through `onLine`, against facets, edges and
/// vertices. Exact to rounding for any convex profile: on a facet the profile point whose normal matches; on an edge
/// the maximum of a concave function (closed form for half balls, bracketed root otherwise). `hint` is a triangle to try
/// first (a neighbour's answer) and changes only the speed. Cost: O(log n) plus the few triangles near the touch.
/// A touch higher than `ceiling` need not be the highest: it only shows that the highest is no lower.
Touch touchAlong(const MeshTree& part, const Profile& profile, const Vec3& axis, const Vec3& onLine, int hint = -1,
                 double ceiling = kInfinity);

/// The same of all facets but those of some patches, where it is higher than `above`; else nothing is hit.
Touch touchOfOthers(const MeshTree& part, const Profile& profile, const Vec3& axis, const Vec3& onLine, double above,
                    std::span<const int> patches);

/// Does the profile, coming down on that line, touch one of these triangles higher than `ceiling`?
bool touchesAbove(const Mesh& mesh, std::span<const int> triangles, const Profile& profile, const Vec3& axis, const Vec3& onLine,
                  double ceiling);

} // namespace hemline
