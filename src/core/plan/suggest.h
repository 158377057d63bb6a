// Steps out of what was studied: suggestions that become part of the plan and can be changed there.
#pragma once
#include "cutter/library.h"
#include "job/evaluate.h"

namespace hemline {

/// The job with its last finishing step made into one for each rung of the ladder: the same passes and promises with the rung's ball, each
/// on a region of its own ("for ball 4"): the ground by its largest ball, up to the next larger rung's, grown by kLadderOverlap. The
/// smallest takes all tighter ground, too, so that what no ball reaches shows as its rest. Cutters that the job lacks are taken from the
/// library. `told`: what was done, in words. Throws Error where the job has no finishing step, its last one has regions of its own, or
/// the ladder is empty.
Job withLadder(const Job& job, const Ladder& ladder, const CutterLibrary& library, std::string& told);
constexpr double kLadderOverlap = 0.5; ///< mm: so that no rim is left where two balls' ground meets

/// The job with a step (from 0) cut in stages of like height above the grip, the farthest first: steps in a row, each in a program of its
/// own, bounded to its stretch of the clamping's z, or, where the axis is along z, going no deeper than its stretch. Stretches run over
/// into the next by kStageOverlap. `gripTop`, `top`: of grip and blank along the clamping's z, mm; `blank` in the clamping's frame. Throws
/// Error for steps that are not level roughing, that lean between both, or whose own boundary leaves nothing of a stretch.
Job withStages(const Job& job, std::size_t step, std::size_t stages, double gripTop, const Box& blank, std::string& told);
constexpr double kStageOverlap = 1; ///< mm

/// The job with holes drilled before a roughing step (from 0, of the evaluated job) where it enters by helix or ramp: at the deepest of the
/// entries that lie within a drill of each other, down to the part's allowance. The drill is the narrowest of job and library that is wider
/// than the step's cutter by what the planner needs to come down through air. Throws Error for a step that has several directions or enters
/// nowhere by helix or ramp, where no drill or holder fits, or no entry has room for the drill.
Job withDrilledEntries(const Job& job, const JobResult& result, std::size_t step, const CutterLibrary& library, std::string& told);

/// The job with further directions for a roughing step (from 0): greedily those within the machine's lean that let the cutter come to the
/// most ground which none before sees, at most kMostDirections, each for at least 1 % of the part's surface. Throws Error where the machine
/// does not tilt, the step has a boundary or several directions already, or no direction adds enough.
Job withDirections(const Job& job, const JobResult& result, std::size_t step, std::string& told);
constexpr std::size_t kMostDirections = 3;

} // namespace hemline
