// Finishing passes chosen for the planner: the patterns that make sense on a step's ground, each planned and measured coarsely, side by
// side.
#pragma once
#include "job/evaluate.h"

namespace hemline {

/// One pattern on the step's ground. Numbers are for the promised cusp, scaled from passes some times as far apart (`coarser`): lengths to
/// some 10 %, counts of pieces and turns as an order.
struct FinishWay {
  std::string name;       ///< "parallel passes at 30°"
  Step step;              ///< the step with it
  bool own = false;       ///< the step's pattern as it is
  std::string failure;    ///< why it could not be planned; empty: it was
  double coarser = 1;     ///< passes were planned so many times as far apart
  double path = 0;        ///< contact length, mm
  double links = 0;       ///< ways between, mm
  double time = 0;        ///< with the machine's limits, s
  double share = 0;       ///< of the least length that the cusp allows
  double over = 0;        ///< ground that is left over the promise, share of it
  std::size_t pieces = 0; ///< runs without lifting
  std::size_t turns = 0;  ///< of more than 30 degrees within a run
  Ref<Planned> planned;   ///< the coarse passes, in the part's frame; null where it could not be planned
};
/// Called as each is known, from the thread that proposes.
using WayDone = std::function<void(const FinishWay&)>;

/// For the job's step `index` (a finishing step: its ground, cutter, axis and promises are taken over): its own pattern, parallel passes in
/// the direction that an estimate finds shortest, level and parallel passes where some of the ground is steep, passes of even cusp and of
/// even spacing from the border, and of even cusp from each rail that lies on the ground. In the order of `betterWay`. Throws Error where
/// the step does not finish, or cleans up what the steps before leave; Cancelled.
std::vector<FinishWay> proposeFinish(const Job& job, const std::string& jobPath, std::size_t index, Evaluator& evaluator,
                                     Progress& progress, const WayDone& done = {});
/// Those that leave nothing over the promise before those that do, the fastest first; those that could not be planned last.
bool betterWay(const FinishWay& a, const FinishWay& b);

/// A table: head, then a line for each.
std::vector<std::string> finishText(const std::vector<FinishWay>& ways, LengthUnit unit);
/// How coarsely they were planned, and what that means for the numbers; nothing where they were planned as promised.
std::string coarsenessText(const FinishWay& way);

/// Direction of parallel passes in the plane across `up` (see frameAround) that makes their path shortest on the facets flagged, by the
/// cusp metric `metric`: to 15 degrees, radians. Linear in the facets.
double shortestDirection(const Mesh& mesh, const std::vector<char>& region, const std::vector<Mat3>& metric, const Vec3& up);

} // namespace hemline
