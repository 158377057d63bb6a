// One step of a job from its words to its verdicts.
#pragma once
#include "finishing/passes.h"
#include "job/evaluate.h"

namespace hemline {

/// What steps hand on to the next one.
struct RunState {
  /// The stock as it becomes, and as it is meant to become: paths are planned on the latter, so that what was measured on a cutter at the
  /// machine changes no path of any step.
  std::shared_ptr<const StockState> stock, meant;
  std::vector<Ref<Holding>> grips;           ///< per clamping; empty: no step of it yet
  std::vector<int> finishedIn;               ///< per facet: the clamping that finishes it first, -1: none yet
  std::map<std::size_t, PassMemory> ahead{}; ///< by step: what planAhead left for it
};

/// Passes ask for no stock: those of finishing step `i`, planned while a step before it runs. Remembered in `results`; what is returned is
/// for RunState::ahead. Reads of `result` what is there before the first step. An error is left for the step itself to tell.
PassMemory planAhead(const Job& job, const std::string& jobPath, std::size_t i, JobResult& result, RunState& state, Results& results,
                     Progress& progress);

/// Plans, measures and judges step `i` of the job. Changes `state`, and of `result` grips, spreads and inputs.
std::shared_ptr<const StepResult> runStep(const Job& job, const std::string& jobPath, std::size_t i, JobResult& result, RunState& state,
                                          Results& results, const CoarseDone& coarse, Progress& progress);

/// A waiver lapses when the content it was given for changed and the result got worse.
void applyWaivers(const Job& job, const std::string& step, const Key& content, PromiseResult& promise);

} // namespace hemline
