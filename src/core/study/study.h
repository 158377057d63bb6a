// What a part asks for, seen along one direction: the demands that make it slow or need another cutter, each with place and size.
#pragma once
#include "base/progress.h"
#include "part/part.h"
#include "study/curvature.h"

namespace hemline {

/// Where one lay ends and the other begins: parallel passes below the angle, level passes above it, at one width of strip on the surface. A
/// parallel pass has to keep to its steepest place, a level pass to its shallowest: path length times width is S1 / cos a + S2 / sin a, S1
/// being the shallow ground as seen along the axis, S2 the steep ground as seen from the side.
struct TwoLays {
  double angle = 0;     ///< that makes the path shortest, radians
  double steep = 0;     ///< area above it, mm^2
  double saves = 0;     ///< of the better one of both lays alone, share of its path; not more than 0: one lay is as good
  bool parallel = true; ///< that one is parallel passes
};
/// `slope` (radians) and `area` of each piece of ground. To half a degree.
TwoLays twoLays(const std::vector<double>& slope, const std::vector<double>& area);

/// How far a faceted model's smooth edges say that its facets stand off the surface meant.
struct FacetMarks {
  double sagitta = 0; ///< mm: the most; height over the edge, times the angle there, by 8
  double jump = 0;    ///< radians: largest angle between facets that belong together
  Vec3 at = Vec3::Zero();
};
FacetMarks facetMarks(const Part& part);

struct Study {
  double area = 0;                         ///< of all facets, mm^2
  double steepArea = 0, undersideArea = 0; ///< sloping 60 to 85 degrees; facing down, but for level undersides; mm^2
  double depth = 0;                        ///< of the deepest ground (sloping less than 78 degrees) below the top, mm
  std::optional<double> concave;           ///< least radius of concave ground, mm (fitted on facets: curvature.h); none: there is none
  TwoLays lays;                            ///< of the ground
  FacetMarks facets;                       ///< faceted models only
  Curvatures bends;                        ///< of all facets
  std::vector<char> ground;                ///< per facet: slopes less than 88 degrees, so that a ball from this side may finish it
  Vec3 steepest = Vec3::Zero(), underside = Vec3::Zero(), deepest = Vec3::Zero(), tightest = Vec3::Zero(); ///< places of these
};

/// Looks at the middle of each facet, on the exact surface where that is known; curvatures are the surface's own (exact_surface.h). Hollows
/// of facing-down ground and of walls from 85 degrees are left out, since no cutter comes down to them. Linear in the facets.
Study studyPart(const Part& part, const Vec3& up, Progress& progress);

} // namespace hemline
