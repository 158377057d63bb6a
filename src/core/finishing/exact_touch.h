// From the touch of a cutter on a facet to its touch on the exact surface behind it.
#pragma once
#include "cutter/touch.h"
#include "part/part.h"

namespace hemline {

/// Where a cutter with tip p on the line touches a surface whose contact is the place p with outward normal n:
/// the tip for that contact (measures.md, "Cutter location").
Vec3 tipFor(const Profile& profile, const Vec3& p, const Vec3& n, const Vec3& axis);

/// Moves the contact of `touch` from its facet to the exact surface: Newton's method in the surface's parameters until the
/// tip lies on the line to 1 nm; on a plane face the facet is exact. Returns false and changes nothing where the contact is on an edge of
/// the face, leaves it,
/// or lies farther from the facet's than the tessellation can be off.
bool touchExactly(const Part& part, const Profile& profile, const Vec3& axis, const Vec3& onLine, Touch& touch);

/// The same, where the cutter touches another face higher once it stands on the exact surface of the one that its facets are touched
/// highest of: on the highest of up to four faces, so that it cuts into none of them by what facets are off. Other faces' edges are
/// left to the facets of the first.
void touchExactlyAll(const Part& part, const Profile& profile, const Vec3& axis, const Vec3& onLine, Touch& touch);

} // namespace hemline
