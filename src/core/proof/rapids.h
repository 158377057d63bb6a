// Rapids that end where they are still clear.
#pragma once
#include "proof/clearance.h"
#include <array>
#include <map>

namespace hemline {

/// Where rapids were found to end, by the way down: low tip, axis, high tip. For the same assembly, obstacles, stock and options.
struct RapidMemory {
  using Way = std::array<double, 9>;
  std::map<Way, Vec3> stops;
};

/// A planner of passes knows the part only where it cuts. Here each rapid that comes down along `up`, or goes up from a pass,
/// is shortened to where the whole assembly keeps its distance from the obstacles and the stock as it was before the step; the
/// rest of the way goes by feed (as lead-in and lead-out). Only beside material: where the cutter's core would go down into it
/// the rapid is left as it is, and is not proven.
Path shortenRapids(const Path& path, const Vec3& up, const Assembly& assembly, const std::vector<Obstacle>& obstacles, const Stock& stock,
                   const ClearanceOptions& options, Progress& progress, RapidMemory* memory = nullptr);

} // namespace hemline
