#include "base/error.h"
#include "model/job.h"

namespace hemline {

void Drilling::check(const Job& job, const Step& step) const {
  const Cutter& c = job.cutter(step.cutter);
  if (c.kind != CutterKind::Drill)
    throw Error(Fault::Clash, "'" + c.name + "' is no drill", "step '" + step.name + "'", "Choose a drill, or add one in the library.")
        .mendedBy("cutter");
}

} // namespace hemline
