// Level roughing: clears the in-process stock level by level down to the part plus its allowances.
#pragma once
#include "base/progress.h"
#include "cutter/cutter.h"
#include "part/part.h"
#include "stock/stock.h"

namespace hemline {

struct RoughingOptions {
  Vec3 up = Vec3::UnitZ();          ///< fixed axis
  double depth = 2;                 ///< between levels, mm
  double stepOver = 4;              ///< between offset passes, mm
  double wall = 0.5, floor = 0.3;   ///< allowances, mm
  std::optional<double> bottom;     ///< lowest tip height along `up`, mm
  std::vector<Vec2> boundary;       ///< the axis stays inside (step frame); empty: none
  bool fromOpenSide = true;         ///< else always by entry, inside out
  std::optional<double> belowEdge;  ///< beside the part nothing is cut deeper than this below the ground at its nearest edge, mm
  double feed = 30, plungeFeed = 8; ///< mm/s
  double safeHeight = 0;            ///< along `up`, mm
};

struct RoughingResult {
  Path path;
  Stock stockAfter; ///< as cut while planning
  std::size_t levels = 0, airEntries = 0, helixEntries = 0, rampEntries = 0, skipped = 0;
};

/// Throws Error when the stock is smaller than the part's top (nothing to hold the promise) or nothing can be reached.
RoughingResult planLevelRoughing(const Part& part, const Stock& stock, const Cutter& cutter, const RoughingOptions& options,
                                 Progress& progress);

} // namespace hemline
