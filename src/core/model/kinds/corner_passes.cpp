#include "base/error.h"
#include "model/job.h"

namespace hemline {

void CornerPasses::check(const Job& job, const Step& step) const {
  finish.mustHaveNoFillets("step '" + step.name + "'");
  if (job.cutter(step.cutter).kind != CutterKind::Ball)
    throw Error(Fault::Cannot, "Corner passes are found for balls", "step '" + step.name + "'", "Take a ball.").mendedBy("cutter");
}

} // namespace hemline
