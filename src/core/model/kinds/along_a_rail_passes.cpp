#include "base/error.h"
#include "model/job.h"

namespace hemline {

void AlongARailPasses::check(const Job& job, const Step& step) const {
  if (rails.empty())
    throw Error(Fault::Missing, "Along-a-rail passes need a rail", "step '" + step.name + "'", "Name one; draw it in Study.")
        .mendedBy(kRow);
  for (const std::string& name : rails) job.lineRail(name, kRow);
}

} // namespace hemline
