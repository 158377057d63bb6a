// The part of the surface that a finishing step is asked for.
#pragma once
#include "part/part.h"
#include <memory>
#include <vector>

namespace hemline {

enum class BoundaryMeaning { Contact, Axis, WholeCutter };

/// Limits of a step. Angles in radians, seen from the reference axis; boundary points in the plane across that axis.
struct RegionLimits {
  double slopeFrom = 0, slopeTo = 1.5533;    ///< 0 level, pi/2 upright
  std::vector<Vec2> boundary;                ///< closed polygon along `x` and `y` from the part's origin; empty: none
  Vec3 x = Vec3::UnitX(), y = Vec3::UnitY(); ///< in the part's frame
  Vec2 plan(const Vec3& p) const { return {x.dot(p), y.dot(p)}; }
  BoundaryMeaning meaning = BoundaryMeaning::Contact;
  std::vector<int> patches;                      ///< empty: all
  std::shared_ptr<const std::vector<char>> only; ///< flags of facets that may be in it; none: all
  /// Per point of the mesh, linear between them: contacts may lie where it is not negative; none: everywhere.
  std::shared_ptr<const std::vector<double>> within;
};

bool insidePolygon(const std::vector<Vec2>& polygon, const Vec2& p);
double distanceToPolygon(const std::vector<Vec2>& polygon, const Vec2& p);

/// Throws Error naming the step for a boundary of fewer than three points, one that crosses or touches itself (telling between which
/// points), or one that encloses nothing. An empty one is none.
void checkBoundary(const std::vector<Vec2>& boundary, const std::string& step);

/// One flag per facet. Throws Error if nothing is left ("boundary outside the part", "slope range empty").
std::vector<char> regionFacets(const Part& part, const RegionLimits& limits, const Vec3& up, const std::string& step);

} // namespace hemline
