// Steps and their kinds in words, tables and schema: made from the descriptions of their fields.
#pragma once
#include "model/fields.h"

namespace hemline {

/// A step's sentence, and a line for each field: id, label, value, what it is at first, what it means.
std::vector<std::string> stepText(const Job& job, std::size_t step, LengthUnit unit);
/// A kind: what it does, when to pick it, its fields.
std::vector<std::string> kindText(const StepKind& kind);
/// All kinds as a table for docs/job-format.md.
std::string kindsMarkdown();
/// Adds the steps' part to the schema of the job.
nlohmann::json withStepSchema(nlohmann::json jobSchema);

} // namespace hemline
