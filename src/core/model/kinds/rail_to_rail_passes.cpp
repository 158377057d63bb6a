#include "base/error.h"
#include "model/job.h"

namespace hemline {

void RailToRailPasses::check(const Job& job, const Step& step) const {
  const std::string where = "step '" + step.name + "'";
  if (rails.size() != 2 || rails[0] == rails[1])
    throw Error(Fault::Missing, "Rail-to-rail passes need two rails", where, "Name both with a comma between them; draw them in Study.")
        .mendedBy(kRow);
  for (const std::string& name : rails) job.lineRail(name, kRow);
}

} // namespace hemline
