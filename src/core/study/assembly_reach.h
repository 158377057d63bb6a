// What a cutter in its holder can touch along one axis, or leaning from it, and why not the rest.
#pragma once
#include "cutter/cutter.h"
#include "study/reach.h"

namespace hemline {

enum class Reached { Yes, Hidden, TooNarrow, Body };

struct AssemblyReach {
  std::vector<Reached> state;                             ///< per place
  double area = 0, hidden = 0, tooNarrow = 0, body = 0;   ///< touched; not seen along the axis; the cutting part would cut elsewhere; neck,
                                                          ///< shank or holder would touch the part; mm^2
  Vec3 tooNarrowAt = Vec3::Zero(), bodyAt = Vec3::Zero(); ///< a place of each
  double leaning = 0, mostLean = 0; ///< of `area`: touched only when the axis leans, mm^2; by how much at most, radians
  Vec3 mostLeanAt = Vec3::Zero();
};

/// Stands the assembly at each of the places that `wanted` facets hold (empty: all), its axis along `up` and its outline touching where the
/// surface's normal is its own, and asks for the distance to the part: the cutting part may dip in by `dip` (and the facets' tolerance),
/// the bodies not at all. Certified as clearances are. Some 50 us a place.
/// `lean`: what is not touched so is tried with the axis leaning by up to this (radians), in rings 10 degrees apart with eight directions
/// each, the least lean first; why it is not touched is told of the upright axis. A lean between these may do where none of them does.
AssemblyReach reachWith(const Part& part, const Sight& sight, const Places& places, const Assembly& assembly, const Vec3& up, double lean,
                        double dip, const std::vector<char>& wanted, Progress& progress);

} // namespace hemline
