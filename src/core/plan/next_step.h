// A step that is added to a plan: what it would best begin as, and why it cannot be one of a kind.
#pragma once
#include "cutter/library.h"
#include "job/evaluate.h"
#include "model/fields.h"

namespace hemline {

/// Why a step of this kind makes no sense in the job as it is; empty: it does. `known`: what is known of the job, not older than the part.
std::string whyNotStep(const StepKind& kind, const Job& job, const JobResult& known, const CutterLibrary& library);

/// The job with a step of this kind at `place` (from 0). It begins like its neighbour (stepLike), and with the best guess for what is left:
/// a roughing step after another takes the next smaller cutter of the library on the stock as it then is, a finishing step after another
/// the ball that finishes most of what the one before cannot, on that ground only (a region of its own), holes are the entries of the
/// nearest roughing step that enters by helix or ramp. Cutters and holders that the job lacks are taken from the library. `told`: what was
/// guessed and why, in words. Throws Error with the reason of whyNotStep.
Job withStep(const Job& job, const JobResult& known, const StepKind& kind, std::size_t place, const CutterLibrary& library,
             std::string& told);

} // namespace hemline
