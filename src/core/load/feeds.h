// Feeds along a path from the load that was measured move by move: within what cutter, spindle and step allow, and no slower than the chip
// asks for.
#pragma once
#include "load/effort.h"
#include "machine/machine.h"
#include "model/job.h"

namespace hemline {

/// What a step may ask for; what is not given limits nothing.
struct LoadLimits {
  std::optional<double> torque; ///< of the spindle at the step's speed, N m
  std::optional<double> force;  ///< N
  std::optional<double> bend;   ///< of the cutter's tip, mm
  double chip = 0;              ///< thickest, mm
};

/// The spindle's torque at `rpm`, the step's own limits, and the chip that its feed (mm/min) or its cutter means.
LoadLimits limitsOf(const Step& step, const Cutter& cutter, const Machine& machine, double rpm, double feed);

/// A place where more is asked for than allowed.
struct Overload {
  std::size_t location = 0;
  std::string what; ///< torque, force, bend, chip
  double asked = 0, allowed = 0;
  double times() const { return asked / allowed; }
};

struct FeedPlan {
  std::vector<double> feed;        ///< per location, mm/s; as programmed where nothing was measured
  std::vector<Overload> over;      ///< with the feeds as programmed: the worst place of each stretch over a limit, in order
  std::vector<Overload> remains;   ///< the same with `feed`: no feed mends them
  double slowest = 1, fastest = 1; ///< shares of the programmed feed
  double time = 0;                 ///< of the step with `feed`, s; set by the evaluation
};

constexpr double kLeastFeed = 0.1, kMostFeed = 2; ///< shares of the programmed feed that a plan stays within

/// The largest feed per cutting move that keeps all limits: force, torque and bend grow with the feed to the power of 1 - mc (Kienzle), the
/// thickest chip with the feed. Half a cutter's diameter before a heavier place the feed is down already; feeds go in steps of a tenth. The
/// chip may be up to kThickChip of its limit before it counts as over.
FeedPlan planFeeds(const Path& path, const CutReport& report, const Effort& effort, const Assembly& assembly, double rpm,
                   const Material& material, const LoadLimits& limits);
constexpr double kThickChip = 1.1;

/// "torque 12 N m, the spindle gives 10".
std::string overloadText(const Overload& o);

} // namespace hemline
