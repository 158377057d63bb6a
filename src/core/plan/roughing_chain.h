// Roughing chosen for the planner: three chains of steps, each computed and measured to the end, side by side.
#pragma once
#include "cutter/library.h"
#include "job/evaluate.h"

namespace hemline {

/// What speaks against a chain.
struct ChainLimit {
  std::string text;
  std::size_t step = 0;   ///< of the chain's job, from 0
  bool endsEarly = false; ///< the assembly does not reach all of it
};

struct RoughingChain {
  std::string name, why; ///< "constant engagement, then the rest"; when to pick it, a sentence
  Job job;               ///< with its roughing steps before all other steps of their clamping
  std::size_t steps = 0; ///< of the job, up to the chain's last
  bool failed = false;   ///< it could not be computed: `limits` says why
  bool nothing = false;  ///< because a cutter found nothing to cut
  double time = 0;       ///< of its steps, s
  double most = 0;       ///< stock left on the ground that the axis sees, at most, mm; to a cell of the stock
  Vec3 mostAt = Vec3::Zero();
  double mean = 0;                ///< and in the mean, mm
  double engagement = 0;          ///< largest arc of its first step, radians
  double force = 0;               ///< N; 0: no material
  std::vector<ChainLimit> limits; ///< promises that are not kept, what may not be run, cautions; none: all is kept
};

/// Chains for the job's stock, part, machine and first roughing step (whose allowances, limits and axis it takes over): level by level and
/// the rest; constant engagement and the rest; deep levels with thinned stairs. First cutter: the step's own, or the library's next larger
/// flat or bull nose one where that is faster and leaves no more. The rest: the largest flat or bull nose of at most 0.7 of it, and a
/// smaller one after it where much is left. Where the assembly ends before the ground does, the same cutter follows farther out: short and
/// stiff first. Each chain (one to four steps) is planned, cut and proven on the job's stock. Throws Error where the job has no level
/// roughing. `clamping`: whose first roughing step is chosen for, and whose roughing steps it replaces; negative: that of the first there
/// is.
std::vector<RoughingChain> proposeRoughing(const Job& job, const std::string& jobPath, const CutterLibrary& library, Evaluator& evaluator,
                                           Progress& progress, int clamping = -1, LengthUnit unit = LengthUnit::Millimetre);

/// A line for each: name, time, stock left, engagement, force, what limits it.
std::vector<std::string> chainText(const std::vector<RoughingChain>& chains, LengthUnit unit);

} // namespace hemline
