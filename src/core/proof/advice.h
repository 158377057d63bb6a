// What would make a step clear, or clear with a shorter, stiffer cutter.
#pragma once
#include "proof/clearance.h"
#include <optional>

namespace hemline {

struct AdviceOptions {
  double step = 0.1; ///< mm to which stick-outs are found
  std::vector<HolderPart> nose;
};

/// Shortest stick-out that can be mounted (cutter/mount.h) at which the whole path is proven to keep the wanted clearance from the
/// obstacles, on the safe side by up to `step`; nothing if not even the longest is clear, or the holder does not take the cutter. A longer
/// stick-out is taken to be no worse. The stock as it is cut is looked at by clearOfStock.
std::optional<double> shortestStickOut(const Cutter& cutter, const Holder& holder, const Path& path, const OtherWays& ways,
                                       const std::vector<Obstacle>& obstacles, const ClearanceOptions& clearance,
                                       const AdviceOptions& options, Progress& progress);

/// Shortest stick-out from `from` on at which the path is proven against the stock that it cuts, too, on the safe side by up to five
/// steps; nothing if not even the longest that can be mounted is.
std::optional<double> clearOfStock(const Cutter& cutter, const Holder& holder, double from, const Stock& stock, const Path& path,
                                   const OtherWays& ways, const ClearanceOptions& clearance, const AdviceOptions& options,
                                   Progress& progress);

struct HolderAdvice {
  std::string holder;
  double stickOut; ///< mm
};
/// Other holders that are clear at a shorter stick-out than `holder`, the shortest first.
std::vector<HolderAdvice> betterHolders(const Cutter& cutter, const std::string& holder, double stickOut,
                                        const std::vector<Holder>& library, const Path& path, const OtherWays& ways,
                                        const std::vector<Obstacle>& obstacles, const ClearanceOptions& clearance,
                                        const AdviceOptions& options, Progress& progress);

struct TiltAdvice {
  double angle = 0;             ///< radians
  Vec3 towards = Vec3::UnitX(); ///< unit, across the axis: where the holder has to lean
  std::size_t places = 0;       ///< how many places it was tried at
};
/// Smallest lean of the axis by which the assembly keeps the wanted clearance at all these locations, turned about the ball's centre, or
/// about the contact for other cutters; found in steps of half a degree, up to 45, in 16 directions. Nothing if none does.
std::optional<TiltAdvice> smallestTilt(const Assembly& assembly, const Path& path, const std::vector<std::size_t>& locations,
                                       const std::vector<Obstacle>& obstacles, const ClearanceOptions& clearance, Progress& progress);

} // namespace hemline
