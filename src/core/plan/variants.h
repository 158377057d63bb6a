// Variants: other plans for the same part, kept in the job and taken in its plan's place.
#pragma once
#include "job/evaluate.h"

namespace hemline {

/// The job as it would be with this plan: all of the plan, its machine too, but the part stays the job's, and so do its name, waivers
/// (which are bound to what they were given for) and variants.
Job asPlanned(const Job& job, const Job& plan);
/// The job with this plan (its own, or another) kept as a variant of this name, or of one like it that none has: nothing is replaced.
Job withVariant(const Job& job, const Job& plan, const std::string& name, const std::string& why);
/// The job with this plan in the place of its own, which is kept as a variant of this name. A variant that is the plan taken goes.
Job withPlan(const Job& job, const Job& plan, const std::string& keptAs);
/// Do both come to the same steps on the same stock, holding and machine? (Names, waivers and variants apart.)
bool samePlan(const Job& a, const Job& b);
/// The name, or one like it that no variant of the job has: "plan 2".
std::string variantName(const Job& job, const std::string& like);

/// What a plan leaves on each facet, mm along the normal: the least stock-left that any of its finishing steps was measured to leave there
/// (steps only take away); NaN where none was measured.
std::vector<float> leftByPlan(const JobResult& result);
/// The same per facet of another net of the same part: the value at the nearest facet of `from` to each facet's middle; NaN where that is
/// farther than both nets' chord and a hundredth of the part's size allow.
std::vector<float> ontoNet(const Part& to, const Part& from, const std::vector<float>& values);

} // namespace hemline
