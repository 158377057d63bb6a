// What differs between two states of a job, for people.
#pragma once
#include "model/job.h"

namespace hemline {

/// A clause for each step that was added, removed, changed (with its fields and values) or moved, and for each other part of the job that
/// differs: "step 'Finish': stick_out_mm 36, now 54". Empty: the same.
std::vector<std::string> differences(const Job& before, const Job& after);

} // namespace hemline
