// A step of the job in the part's frame, with the ground it is limited to.
#pragma once
#include "finishing/region_limits.h"
#include "model/job.h"

namespace hemline {

struct PlacedStep {
  Step step;           ///< axes, angle, heights, holes and boundary in the part's frame
  RegionLimits region; ///< slopes, boundary (by points or rail), patches, and the facets of its regions
};
PlacedStep placeStep(const Job& job, const Step& step);

/// Places of the step's plane in the axes that level roughing and drilling count in.
std::vector<Vec2> acrossAxis(const PlacedStep& placed, const std::vector<Vec2>& places);

} // namespace hemline
