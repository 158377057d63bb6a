// Accessibility (visibility maps): from where what of the part can be seen, and so reached: undercuts, the tilt that a place needs, the
// fewest clampings.
#pragma once
#include "base/progress.h"
#include "part/part.h"
#include "study/sight.h"
#include <cstdint>

namespace hemline {

/// Places that stand for the whole surface, each for the same area.
struct Places {
  std::vector<Vec3> at, normal; ///< `at` stands off the surface along its normal, see standOff
  std::vector<int> facet;
  double each = 0; ///< mm^2
  double area() const { return each * static_cast<double>(at.size()); }
  /// Standard error of an area that is `share` of all, as of a random choice; the even spread stays below it. mm^2
  double error(double share) const;
};
/// `count` places at equal steps of the summed area.
Places spreadPlaces(const Part& part, std::size_t count);
/// How far a place is taken off its facet before anything is asked of it, so that facets of a hollow do not hide themselves. `size`: of the
/// part, mm; `tolerance`: of facetTolerance.
double standOff(double size, double tolerance);

/// `count` directions over the whole sphere, no two nearer than about sqrt(4 pi / count) (Fibonacci lattice; R. Swinbank, R. Purser, 2006).
std::vector<Vec3> sphereDirections(std::size_t count);

/// Places seen from a direction (unit, from the part to the eye): the surface faces it, or lies along it to 0.06 degrees, as upright
/// walls do that the cutter's side reaches; and nothing is in the way.
std::vector<char> seenFrom(const Sight& sight, const Places& places, const Vec3& direction);

/// Directions on rings about `up`, `step` radians from ring to ring and along them, and how far each leans; the least first.
struct Leaning {
  Vec3 direction;
  double tilt;
};
std::vector<Leaning> leaningFrom(const Vec3& up, double step);

/// Least angle by which a place's direction has to lean from the first of `ways` (leaningFrom) to be seen, radians; kInfinity: not from
/// anywhere. To the step of the rings.
double tiltNeeded(const Sight& sight, const Vec3& at, const Vec3& normal, const std::vector<Leaning>& ways);

struct Reach {
  Places places;
  std::vector<double> tilt;     ///< per place, to two degrees, radians
  std::vector<float> facetTilt; ///< per facet, degrees: 0 where its middle is seen, else as of the nearest place that is not
  double seen = 0, hidden = 0;  ///< from `up`; from nowhere, mm^2
  Vec3 hiddenAt = Vec3::Zero(); ///< a place of what is hidden
  double steepestTilt = 0;      ///< most that a place needs that can be seen at all
  Vec3 steepestAt = Vec3::Zero();
};

/// One way of holding the part: what faces along `up` can be cut.
struct ClampingSide {
  Vec3 up;
  double area = 0; ///< that it adds, mm^2
};
struct ClampingPlan {
  std::vector<ClampingSide> clampings;
  double area = 0;      ///< of the part, mm^2
  double unreached = 0; ///< not seen from any direction looked from, mm^2
  double small = 0;     ///< seen from somewhere, but not worth a clamping, mm^2
  double error = 0;     ///< of both, mm^2
  Vec3 unreachedAt = Vec3::Zero();
};
/// The fewest clampings, greedily: each time the direction that adds the most. Once along the axes and the normals of the largest level
/// faces as long as one of them adds anything (walls along it count less than what faces it), once along any direction, refined about it;
/// the first plan is taken unless the second has fewer clampings or leaves less by 0.2 % of the area. `tilt`: how far a clamping's
/// direction may lean on the machine (0: three axes), radians. Ends when a clamping would add less than 0.1 % of the area. What is not
/// reached was looked for from every direction.
ClampingPlan planClampings(const Part& part, const Sight& sight, const Places& places, double tilt, std::size_t directions,
                           Progress& progress);

/// What is seen along `up`, and what tilt the rest needs.
Reach studyReach(const Part& part, const Sight& sight, const Vec3& up, std::size_t places, Progress& progress);

/// The plan in a sentence: "all of it from two sides: z up, z down".
std::string clampingText(const ClampingPlan& plan);

} // namespace hemline
