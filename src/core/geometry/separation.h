// Distance of two convex bodies that are known by their farthest points only.
#pragma once
#include "geometry/vec.h"
#include <functional>

namespace hemline {

/// A corner of A - B, with the point of A it came from.
struct DifferencePoint {
  Vec3 w, onA;
};

struct Separation {
  double low = 0, high = 1e300; ///< certified lower and met upper bound of the distance, mm; both 0 where the bodies overlap
  Vec3 onA = Vec3::Zero();      ///< where A comes nearest
};

/// `farthest(d)`: the point of A - B farthest along d (d need not be unit). Ends once high - low <= tolerance, or low >= enough.
/// E. Gilbert, D. Johnson, S. Keerthi, IEEE J. Robotics and Automation 4 (1988); sub-distances after C. Ericson, Real-Time
/// Collision Detection, 2005, 9.5. The lower bound is a separating plane's and holds whatever the rounding of the simplex.
Separation separation(const std::function<DifferencePoint(const Vec3&)>& farthest, const Vec3& firstGuess, double tolerance, double enough);

} // namespace hemline
