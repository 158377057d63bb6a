#include "model/promise_kinds.h"
#include "base/error.h"
#include <algorithm>

namespace hemline {

const std::vector<PromiseKind>& promiseKinds() {
  static const std::vector<PromiseKind> kinds{
      {"gouge_mm", "gouge", "How far the step may cut into what has to stay.", &Promises::gouge, false, true, 0},
      {"clearance_mm", "clearance", "What neck, shank and holder keep from part, stock and fixtures, at least.", &Promises::clearance, true,
       false, 0},
      {"cusp_mm", "cusp", "Height left between passes. Halving it costs about 1.4 times the time.", &Promises::cusp, false, true, 0},
      {"rest_mm", "rest", "What this cutter cannot reach, as the shortest distance.", &Promises::rest, false, true, 0},
      {"engagement_deg", "engagement", "Largest arc of the cutter in the cut. A full slot is 180°.", &Promises::engagement, false, false,
       0},
      {"layer_mm", "layer",
       "Thickest layer that the steps before left for this one, along the normal where it cuts. An even layer bends the cutter evenly: a "
       "semi-finish makes it so. Measured on their paths.",
       &Promises::layer, false, true, 0},
      {"entry_deg", "entry",
       "Steepest way down into material, by helix or ramp. It is the cutter's own and changes in all steps of it: its maker says how "
       "steeply it may go down. 0: it enters through air only.",
       nullptr, false, false, 1},
      {"finish_mm", "finish", "Highest cusp that all steps together may leave on a region.", nullptr, false, true, 0},
      {"tolerance_mm", "tolerance", "How far a region may stand out or be cut in after all steps.", nullptr, false, true, 0},
      {"protected_mm", "protected", "How far any step may cut into a region that is protected.", nullptr, false, true, 0},
  };
  return kinds;
}

const PromiseKind& promiseKind(std::string_view name) {
  const auto& all = promiseKinds();
  const auto it = std::find_if(all.begin(), all.end(), [&](const PromiseKind& k) { return name == k.name; });
  if (it == all.end())
    throw Error(Fault::Missing, "There is no promise '" + std::string(name) + "'", "promises", "See docs/job-format.md.");
  return *it;
}

} // namespace hemline
