#include "base/error.h"
#include "model/job.h"

namespace hemline {

void GivenPathStep::check(const Job&, const Step& step) const {
  const std::string where = "step '" + step.name + "'";
  if (file.empty())
    throw Error(Fault::Missing, "A given path has no file", where, "Choose the cutter-location text or the program.").mendedBy("path_file");
  if (step.promises.rest && !step.promises.cusp)
    throw Error(Fault::Clash, "Rest is promised without a cusp", where, "Promise a cusp, too: rest is what more passes would not cut.")
        .mendedBy("rest_mm");
}

} // namespace hemline
