// Steps out of what was studied: suggestions that become part of the plan and can be changed there.
#pragma once
#include "job/evaluate.h"

namespace hemline {

/// The job with its last finishing step made into one for each rung of the ladder: the same passes and promises with the rung's ball, each
/// on a region of its own ("for ball 4"): the ground by its largest ball, up to the next larger rung's, grown by kLadderOverlap. The
/// smallest takes all tighter ground, too, so that what no ball reaches shows as its rest. Cutters that the job lacks are taken from the
/// library. `told`: what was done, in words. Throws Error where the job has no finishing step, its last one has regions of its own, or
/// the ladder is empty.
Job withLadder(const Job& job, const Ladder& ladder, const std::vector<Cutter>& library, std::string& told);
constexpr double kLadderOverlap = 0.5; ///< mm: so that no rim is left where two balls' ground meets

} // namespace hemline
