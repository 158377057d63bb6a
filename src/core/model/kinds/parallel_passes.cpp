#include "base/error.h"
#include "model/job.h"

namespace hemline {

void ParallelPasses::check(const Job& job, const Step& step) const {
  const std::string where = "step '" + step.name + "'";
  if (!step.promises.cusp || !(*step.promises.cusp > 0))
    throw Error("A finishing step must promise a cusp of more than 0", where, "Set it, for instance 2 um.");
  if (*step.promises.cusp > job.cutter(step.cutter).diameter / 2)
    throw Error("The promised cusp is larger than the cutter's radius", where, "Promise a smaller cusp.");
}

} // namespace hemline
