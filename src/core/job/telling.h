// What a step's results mean for the planner: cautions, suggestions, and what can never be waived.
#pragma once
#include "job/evaluate.h"

namespace hemline {

/// Cautions and suggestions of a step whose results are there. `cutBefore`: steps before it have cut; `material`: the work's is known.
void tellCautions(StepResult& step, bool cutBefore, bool material);
/// Assemblies that cannot be mounted, collisions, rapids through stock, limits, spindle speeds, motions that are not proven. `path`: as it
/// was proven.
void tellBlockers(const Job& job, StepResult& step, const Path& path);

} // namespace hemline
