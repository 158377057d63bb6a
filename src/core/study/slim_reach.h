// How slim a cutter the part asks for: at each place the widest ball-nosed cutter, its shank as wide as its ball, that comes down to it.
#pragma once
#include "study/reach.h"

namespace hemline {

struct SlimReach {
  std::vector<float>
      radius;       ///< per place, mm; 0: not even the smallest that was tried; NaN: not asked (not ground, or not seen from above)
  double limit = 0; ///< no wider one was tried, mm of radius
  /// Where a cutter has to be longest against its width: below the part's top by `depth`, mm.
  double slimmest = 0; ///< depth over diameter; 0: the ground is nowhere below the top
  double depth = 0, diameter = 0;
  Vec3 slimmestAt = Vec3::Zero();
  /// The narrowest opening that is deeper than it is wide, mm across; nothing: there is none.
  std::optional<double> opening;
  double openingDepth = 0;
  Vec3 openingAt = Vec3::Zero();
};

/// Places with `ground` (per facet) that are seen along `up`. Wider cutters of this form hold the narrower ones that touch at the same
/// place, so that the widest is found by halving, to 1 %; each is set down on the mesh (cutter/touch.h) and may be lifted by what facets
/// stand off. About 12 touches a place.
SlimReach slimReach(const Part& part, const Sight& sight, const Vec3& up, const Places& places, const std::vector<char>& ground,
                    double limit, Progress& progress);

} // namespace hemline
