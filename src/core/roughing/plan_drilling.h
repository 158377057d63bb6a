// Holes along the axis, for roughing to enter by: down in pecks, out of the hole by feed.
#pragma once
#include "base/progress.h"
#include "cutter/cutter.h"
#include "part/part.h"
#include "stock/stock.h"

namespace hemline {

struct DrillingOptions {
  Vec3 up = Vec3::UnitZ();
  std::vector<Vec2> holes;      ///< in the axes across `up`, see frameAround, mm
  std::optional<double> bottom; ///< tip height along `up`; none: as deep as part and allowance let it
  double allowance = 0.5;       ///< kept to the part, mm
  double peck = 3;              ///< depth after which the chips are brought out, mm
  double feed = 5;              ///< mm/s
  double safeHeight = 0;        ///< along `up`, mm
};

struct DrillingResult {
  Path path;
  std::size_t holes = 0;
};

/// Holes in the order of the nearest next. Throws Error, with the hole's number, for a hole without stock above its bottom or above the
/// part, without a bottom where nothing of the part lies below, or for a cutter that is no drill.
DrillingResult planDrilling(const Part& part, const Stock& stock, const Cutter& cutter, const DrillingOptions& options, Progress& progress);

} // namespace hemline
