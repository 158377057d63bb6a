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

/// The job with a step (from 0) cut in stages of like height above the grip, the farthest first: steps in a row, each bounded to its
/// stretch of the clamping's z, or, where the axis is along z, going no deeper than its stretch. Stretches run over into the next by
/// kStageOverlap. `gripTop`, `top`: of grip and blank along the clamping's z, mm; `blank` in the clamping's frame. Throws Error for steps
/// that are not level roughing, that lean between both, or whose own boundary leaves nothing of a stretch.
Job withStages(const Job& job, std::size_t step, std::size_t stages, double gripTop, const Box& blank, std::string& told);
constexpr double kStageOverlap = 1; ///< mm

} // namespace hemline
