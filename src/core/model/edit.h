// Changes of a job's steps in words: the same for command line and scripts.
#pragma once
#include "model/fields.h"

namespace hemline {

/// The step that is meant by its number (from 1) or its name; from 0. Throws Error.
std::size_t stepMeant(const Job& job, const std::string& word, const std::string& where);

/// Changes fields of a step, each "field=value", in order: values as they are typed in the window. Throws Error; the job may then be half
/// changed, so it is a copy that is given.
void setFields(Job& job, std::size_t step, const std::vector<std::string>& assignments, LengthUnit unit);

/// A step of this kind that starts from its neighbour (the one before `place`, else the one there): clamping, axis, cutter, holder,
/// stick-out, gouge and clearance; of several finishing kinds what they have in common. `place` is from 0. Throws Error where the job has
/// no cutter or holder.
Step stepLike(const Job& job, const StepKind& kind, std::size_t place);

} // namespace hemline
