// Parallel passes whose spacing follows from the promised cusp.
#pragma once
#include "base/progress.h"
#include "strategy/pose.h"
#include "strategy/region_limits.h"
#include <memory>

namespace hemline {

struct PassMemory;

struct ParallelOptions {
  double cusp = 0.002;     ///< promised, mm
  double chord = 0.0005;   ///< largest distance of the straight moves from the exact locations, mm
  double angle = 0;        ///< of the passes in plan, radians
  double allowance = 0;    ///< left everywhere, mm
  bool zigzag = true;      ///< else all passes run the same way
  Vec3 up = Vec3::UnitZ(); ///< reference axis
  TiltRule tilt;
  RegionLimits region;
  double feed = 20;       ///< cutting, mm/s
  double plungeFeed = 8;  ///< lead-in, mm/s
  double safeHeight = 0;  ///< along `up`, where rapids cross, mm (absolute)
  double approach = 2;    ///< lead-in and lead-out along the axis, mm
  std::vector<double> at; ///< where the passes lie across, mm in plan, rising; empty: found by their cusp
};

struct ParallelResult {
  Path path;
  std::vector<double> at;        ///< where the passes lie across, mm in plan
  std::vector<double> spacing;   ///< between neighbouring passes in plan, mm
  std::vector<double> stripCusp; ///< measured while planning, per strip (number i lies between passes i and i + 1), mm
  std::size_t lifted = 0;        ///< locations that gave way by more than the chord tolerance
  std::size_t steepStrips = 0;   ///< strips that met the smallest spacing before the promise
};

/// Marches from strip to strip: the next pass lies as far away as the measured cusp of the strip between allows (bisected
/// on the swept cutter itself, so it holds for any profile, slope and tilt). Throws Error on impossible options.
/// `memory`: of a plan with the same options but for `at`: what it has is not planned again; it is filled.
ParallelResult planParallel(const Part& part, const Profile& profile, const ParallelOptions& options, Progress& progress,
                            PassMemory* memory = nullptr);

/// One more pass in each strip that has some of the places `over` (mm in plan, across), at the median of them. Places nearer
/// than `smallest` to a pass are left. The same list: nothing can be done by closer passes.
std::vector<double> closerPasses(const std::vector<double>& at, const std::vector<double>& over, double smallest);

} // namespace hemline
