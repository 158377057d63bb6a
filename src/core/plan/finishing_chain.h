// A finishing step made into a chain to the end: semi-finish, finish, corners, details, each on what those before it leave.
#pragma once
#include "cutter/library.h"
#include "job/evaluate.h"

namespace hemline {

struct ChainLink {
  std::string step, why; ///< its name; what it is for, a clause
  double time = 0;       ///< of cutting, s: area by spacing and feed
};
struct FinishingChain {
  Job job; ///< with the chain instead of the step
  std::vector<ChainLink> links;
  double time = 0; ///< of all, with kCutterChange for each cutter, s: an estimate
};

/// The balls are those of the ladder (cutterLadder) on the step's own ground; the widest finishes, the others clean up after it:
/// - semi-finish with the widest ball in passes of even cusp: ten times the promised cusp (10 to 50 um), seven and a half times that left;
/// - the step itself with the widest ball, which promises the layer that it meets;
/// - where that leaves much in corners: the bulk taken out of them with the next ball, so that the last passes meet no thick stock;
/// - for each smaller ball that has something to do what the steps before really leave; the last has the step's promise of rest.
/// With smaller balls to come the widest rolls through corners as if they were rounder than it (virtual fillets): semi-finish and finish
/// about the same middles, so that the layer between both is as thick in corners as elsewhere. The job gets cutters and holders where it
/// lacks them. `prepared`: of the job (Evaluator::prepare or later). Throws Error where the step (from 0) is no finishing step, cleans up,
/// runs along corners, is bounded by rails or has no cusp, or where no ball finishes any of its ground.
FinishingChain chainToTheEnd(const Job& job, const JobResult& prepared, std::size_t step, const CutterLibrary& library);

/// Its time, then a line for each link.
std::vector<std::string> chainText(const FinishingChain& chain);

} // namespace hemline
