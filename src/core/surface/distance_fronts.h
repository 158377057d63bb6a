// Fronts that run over the surface at even distance from where they begin, as a pattern's data; what it is on a ground is found by
// finishing/fronts.h.
#pragma once
#include "geometry/vec.h"
#include <vector>

namespace hemline {

/// Of a line on the surface, seen from outside along its way.
enum class Sides { Both, Left, Right };

struct DistanceFronts {
  std::vector<std::vector<Vec3>> from; ///< lines on the part, one of a single point is a place; empty: the border of the ground
  bool byCusp = true;                  ///< in steps of even cusp; else of even distance along the surface
  std::vector<std::vector<Vec3>> to;   ///< lines on the part; not empty: passes turn from the one into the other
  int beside = 0;                      ///< not 0: so many passes on each side, the first along the lines; else as many as the ground takes
  double width = 0;                    ///< mm, not 0: passes as far as this from the lines, the first along them
  Sides sides = Sides::Both;           ///< of the lines, where they are followed
  double ball = 0;                     ///< mm, not 0: they begin where the largest ball that touches the part from outside has this radius
  double left = 0;                     ///< mm, not 0: they begin where earlier cutters leave so much, and run over what has more (`into`)
  double valley = 0;                   ///< mm, not 0: and passes along the lines where a ball of this radius touches on both sides
  bool into = false;                   ///< and run over the ground that is tighter; else over that which is wider
  std::vector<std::vector<Vec3>> with; ///< lines on the part that passes run along wherever these come, and blend between them
  bool bordered() const { return ball > 0 || left > 0; } ///< they begin at a border that is found on the ground
};

} // namespace hemline
