// Distance of two convex bodies that are known by their farthest points (support mapping) only: GJK.
#pragma once
#include "geometry/vec.h"
#include <memory>
#include <type_traits>

namespace hemline {

/// A corner of A - B, with the point of A it came from.
struct DifferencePoint {
  Vec3 w, onA;
};

struct Separation {
  double low = 0, high = kInfinity; ///< certified lower and met upper bound of the distance, mm; both 0 where the bodies overlap
  Vec3 onA = Vec3::Zero();          ///< where A comes nearest
};

/// A function that is only borrowed for a call: asked millions of times, it must not be copied to the heap.
class FarthestPoint {
public:
  template <class F>
  requires(!std::is_same_v<std::remove_cvref_t<F>, FarthestPoint>) FarthestPoint(const F& f) // NOLINT: meant to be implicit
      : body_(std::addressof(f)), call_([](const void* body, const Vec3& d) { return (*static_cast<const F*>(body))(d); }) {}
  DifferencePoint operator()(const Vec3& d) const { return call_(body_, d); }

private:
  const void* body_;
  DifferencePoint (*call_)(const void*, const Vec3&);
};

/// `farthest(d)`: the point of A - B farthest along d (d need not be unit). Ends once high - low <= tolerance, or low >= enough.
/// E. Gilbert, D. Johnson, S. Keerthi, IEEE J. Robotics and Automation 4 (1988); sub-distances after C. Ericson, Real-Time
/// Collision Detection, 2005, 9.5. The lower bound is a separating plane's and holds whatever the rounding of the simplex.
Separation separation(FarthestPoint farthest, const Vec3& firstGuess, double tolerance, double enough);

} // namespace hemline
