// Roughing chosen for the planner: three chains of steps, each computed and measured to the end, side by side.
#pragma once
#include "cutter/library.h"
#include "job/evaluate.h"

namespace hemline {

struct RoughingChain {
  std::string name, why; ///< "constant engagement, then the rest"; when to pick it, a sentence
  Job job;               ///< with its roughing steps before all other steps
  std::size_t steps = 0; ///< of the job, up to the chain's last
  bool failed = false;   ///< it could not be computed: `limits` says why
  double time = 0;       ///< of its steps, s
  double most = 0;       ///< stock left on the ground that the axis sees, at most, mm; to a cell of the stock
  Vec3 mostAt = Vec3::Zero();
  double mean = 0;                 ///< and in the mean, mm
  double engagement = 0;           ///< largest arc of its first step, radians
  double force = 0;                ///< N; 0: no material
  std::vector<std::string> limits; ///< promises that are not kept, what may not be run, cautions; none: all is kept
};

/// Chains for the job's stock, part, machine and first roughing step (whose allowances, limits, axis and holder it takes over), with that
/// step's cutter and the largest bull nose or flat cutter of the library that is at most 0.7 of it: level by level and the rest; constant
/// engagement and the rest; deep levels with thinned stairs. Each is planned, cut and proven on the job's stock. Where the assembly ends
/// before the ground does, a step with a longer stick-out follows. Throws Error where the job has no level roughing or no cutter fits.
std::vector<RoughingChain> proposeRoughing(const Job& job, const std::string& jobPath, const CutterLibrary& library, Progress& progress);

/// A line for each: name, time, stock left, engagement, force, what limits it.
std::vector<std::string> chainText(const std::vector<RoughingChain>& chains, LengthUnit unit);

} // namespace hemline
