// Rapids that end where they are still clear.
#pragma once
#include "proof/clearance.h"

namespace hemline {

/// A planner of passes knows the part only where it cuts. Here each rapid that comes down along `up`, or goes up from a pass,
/// is shortened to where the whole assembly keeps its distance from the obstacles and the stock as it was before the step; the
/// rest of the way goes by feed (as lead-in and lead-out). Only beside material: where the cutter's core would go down into it
/// the rapid is left as it is, and is not proven.
Path shortenRapids(const Path& path, const Vec3& up, const Assembly& assembly, const std::vector<Obstacle>& obstacles, const Stock& stock,
                   const ClearanceOptions& options, Progress& progress);

} // namespace hemline
