// The job's regions on the part as it is: what they limit, what they promise, what of them is found on a changed model.
#pragma once
#include "job/evaluate.h"

namespace hemline {

/// Regions as they are found; those named in `apart` with their ground as a surface. `balls`: what RadiusPiece asks.
std::vector<std::shared_ptr<const RegionGround>> groundsOf(const Part& part, const std::vector<Region>& regions,
                                                           const std::vector<Rail>& rails, const std::vector<std::string>& apart,
                                                           const LargestBalls* balls);

/// Of what says where a region lies; its promises move nothing.
Key keyOfMarks(const Region& region);
/// Was the ground found for the region as it is now?
bool foundFor(const JobResult& base, const Job& job, std::size_t region);

/// Limits a step to its regions: to those it names, else to all but what is left or protected; and to its rail, as an
/// outline across its axis. Throws Error where a rail that bounds it is not all found.
void limitStep(PlacedStep& placed, const Job& job, const Part& part, const std::vector<std::shared_ptr<const RegionGround>>& grounds);

/// Promise against measurement of each region, over all steps of the result together.
///
/// On each facet the step that leaves the least counts. The cusp is that of steps without allowance; what a step with one leaves stands as
/// cusp until a later one takes it. Standing out: cusp, rest (the shortest distance) and allowance together, no more than stock-left along
/// the normal. Cut in: the deepest of all steps. Ground that no step finishes breaks both promises.
std::vector<RegionResult> judgeRegions(const Job& job, const JobResult& result);

/// A job whose model was changed on disk, with the new one accepted: its hash, and all marks that were found taken anew.
struct AcceptedModel {
  Job job;
  std::vector<std::string> told; ///< what is lost or changed, in words, region by region
};
AcceptedModel acceptModel(const Job& job, const std::string& jobPath, Progress& progress);

/// "bowl: 31.2 cm², promised 2 um, measured ...", a line for each region and its promises; and what of it is lost or changed.
std::vector<std::string> regionText(const RegionResult& result, LengthUnit unit);

} // namespace hemline
