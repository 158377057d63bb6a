#include "base/error.h"
#include "model/job.h"

namespace hemline {

void CleanUpPasses::check(const Job& job, const Step& step) const {
  finish.mustHaveNoFillets("step '" + step.name + "'");
  if (really && &step == &job.steps.front())
    throw Error(Fault::Missing, "No step stands before it that could leave anything", "step '" + step.name + "'",
                "Put it after those that it cleans up, or name a larger ball.")
        .mendedBy("cleans_up");
  if (really || cutter.empty()) return;
  const auto before = std::find_if(job.cutters.begin(), job.cutters.end(), [&](const Cutter& c) { return c.name == cutter; });
  const std::string where = "step '" + step.name + "'";
  if (before == job.cutters.end())
    throw Error(Fault::Missing, "There is no cutter '" + cutter + "' in the job", where,
                "Name another, or the diameter of the ball before.")
        .mendedBy("after_cutter");
  if (before->kind != CutterKind::Ball)
    throw Error(Fault::Cannot, "What '" + cutter + "' left is not known: that is found for balls", where,
                "Name a ball, or the diameter of one that reaches as far.")
        .mendedBy("after_cutter");
}

} // namespace hemline
