// A step with another cutter, in something that holds it.
#pragma once
#include "cutter/library.h"
#include "model/job.h"

namespace hemline {

/// The step with this cutter, in the holder that it has, where that takes it, else in the slimmest of library and job that does, at the
/// stick-out nearest to the one it has. Its conditions are the cutter's, what was measured of the assembly before does not count any more;
/// the job gets cutter and holder where it lacks them. Throws Error where no holder takes it.
void assemble(Job& job, Step& step, const Cutter& cutter, const CutterLibrary& library);

} // namespace hemline
