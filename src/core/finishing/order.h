// The order in which runs are cut, and the ways between them.
#pragma once
#include "finishing/passes.h"

namespace hemline {

/// Runs of neighbouring passes that lie beside each other are cut one after the other, so that the cutter can stay down; those of passes
/// after the first `inOrder` follow, always the one whose end is nearest. Throws Error where there is none.
Path orderRuns(const std::vector<Pass>& passes, std::size_t inOrder, const PassMaker& maker, const Part& part, const PassOptions& options,
               double cutterRadius, Progress& progress);

} // namespace hemline
