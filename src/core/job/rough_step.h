// Roughing and drilling steps of the job as paths: what the job says, in the terms of the strategies.
#pragma once
#include "job/evaluate.h"

namespace hemline {

/// Regions of the job that keep more than the step's walls and floors, as surfaces, with how much, mm.
std::vector<std::pair<std::shared_ptr<const Part>, double>> ownGround(const JobResult& r, const Job& job, const Step& step);

/// A drilling step (in the part's frame); feed in mm/min, `safe` along its axis.
Planned planHoles(const Part& part, const Step& step, const Stock& stock, const Assembly& assembly, double feed, double safe,
                  Progress& progress);

/// Level roughing along the step's axis and then along the further ones, each on the stock that those before it leave; the axis turns
/// outside of `all` (stock and fixtures), half round over `overhead`. `clearance`: what a step that ends at its reach keeps; `safe`: where
/// rapids may cross along an axis. A direction that finds nothing to cut is told in the notes; throws Error where none of them finds any.
Planned planRoughing(const JobResult& r, const Job& job, const Step& step, const Stock& stock, const Assembly& assembly, double feed,
                     double clearance, const Vec3& overhead, const Box& all, const std::function<double(const Vec3&)>& safe,
                     Progress& progress);

} // namespace hemline
