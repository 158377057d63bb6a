#include "base/error.h"
#include "model/job.h"
#include <fmt/format.h>

namespace hemline {

void LevelRoughing::check(const Job& job, const Step& step) const {
  const std::string where = "step '" + step.name + "'";
  if (smallestLoop && !(*smallestLoop <= job.cutter(step.cutter).diameter / 2))
    throw Error(Fault::OutOfRange, "The smallest loop is larger than the cutter's radius", where, "A seventh of its radius is usual.")
        .mendedBy("smallest_loop_mm");
  if (engagement && thinning)
    throw Error(Fault::Clash, "Passes of constant engagement are not thinned as well", where,
                "Take one of the two out; thin in a step of its own.")
        .mendedBy("thinned_to_mm");
  if (thinning && !(*thinning < depth))
    throw Error(Fault::Clash, "The staircase is thinned by steps as high as its own", where, "Thin it by less than the level spacing.")
        .mendedBy("thinned_to_mm");
  for (const auto& [region, mm] : own) {
    if (std::none_of(job.regions.begin(), job.regions.end(), [&name = region](const Region& r) { return r.name == name; }))
      throw Error(Fault::Missing, "There is no region '" + region + "' to have an allowance of its own", where,
                  "Name one of the job's regions.")
          .mendedBy("allowances");
    if (!(mm >= std::max(wall, floor)))
      throw Error(Fault::Clash, fmt::format("The allowance of '{}' is less than that of walls or floors", region), where,
                  "Give the least of all to walls and floors, and more to regions.")
          .mendedBy("allowances");
  }
  if (!moreAxes.empty() && (!within.points.empty() || !within.rail.empty()))
    throw Error(Fault::Clash, "A boundary limits one direction, the step has several", where,
                "Take the boundary away or make steps of the directions.")
        .mendedBy("more_axes");
}

} // namespace hemline
