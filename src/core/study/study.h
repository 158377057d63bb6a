// What a part asks for, seen along one direction: the demands that make it slow or need another cutter, each with place and size.
#pragma once
#include "base/progress.h"
#include "part/part.h"

namespace hemline {

struct Study {
  double area = 0;                         ///< of all facets, mm^2
  double steepArea = 0, undersideArea = 0; ///< sloping 60 to 85 degrees; facing down, but for level undersides; mm^2
  double depth = 0;                        ///< of the deepest ground (sloping less than 78 degrees) below the top, mm
  std::optional<double> hollow;            ///< least radius of hollow ground, mm; none: not known (facets), or there is none
  std::vector<char> ground;                ///< per facet: slopes less than 88 degrees, so that a ball from this side may finish it
  Vec3 steepest = Vec3::Zero(), underside = Vec3::Zero(), deepest = Vec3::Zero(), tightest = Vec3::Zero(); ///< places of these
};

/// Looks at the middle of each facet, on the exact surface where that is known; curvatures are the surface's own (exact_surface.h). Hollows
/// of facing-down ground and of walls from 85 degrees are left out, since no cutter comes down to them. Linear in the facets.
Study studyPart(const Part& part, const Vec3& up, Progress& progress);

} // namespace hemline
