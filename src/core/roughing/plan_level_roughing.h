// Level roughing: clears the in-process stock level by level down to the part plus its allowances.
#pragma once
#include "base/progress.h"
#include "cutter/cutter.h"
#include "part/part.h"
#include "stock/stock.h"
#include <memory>

namespace hemline {

/// Bridges left between the part's outline and the stock about it, evenly round the outline of the lowest level.
struct Tabs {
  int count = 4;
  double width = 6, thickness = 2; ///< mm; thickness: from the lowest level up
};

/// Ground that keeps more than the other walls and floors.
struct OwnAllowance {
  std::shared_ptr<const Part> ground; ///< its facets as a surface
  double allowance = 1;               ///< all round, mm
};

/// What may not come near the stock, as it then is, while a level is cut.
struct RoughingReach {
  const Assembly* assembly = nullptr;
  double clearance = 0; ///< mm, of neck, shank and holder
};

struct RoughingOptions {
  Vec3 up = Vec3::UnitZ();         ///< fixed axis
  double depth = 2;                ///< between levels, mm
  double stepOver = 4;             ///< between offset passes, mm
  double wall = 0.5, floor = 0.3;  ///< allowances, mm
  std::optional<double> bottom;    ///< lowest tip height along `up`, mm
  std::vector<Vec2> boundary;      ///< the axis stays inside (step frame); empty: none
  bool fromOpenSide = true;        ///< else always by entry, inside out
  std::optional<double> belowEdge; ///< beside the part nothing is cut deeper than this below the ground at its nearest edge, mm
  std::optional<double> thinning;  ///< after each level, levels this far apart upwards on the slopes, mm: they thin its staircase
  double leastThickness = 0;       ///< what stands less thick than this in plan is left, mm
  double leastArea = 0;            ///< and so is a patch of a level smaller than this, mm^2
  std::optional<Tabs> tabs;
  bool byRegion = false;              ///< one pocket down to its bottom before the next; those with a thin wall between them level by level
  std::vector<OwnAllowance> own;      ///< only counts where it is more than `wall` and `floor`
  std::optional<RoughingReach> reach; ///< ends above the first level where the assembly would come nearer to the stock
  /// Constant engagement: the arc of the cutter's side that is never exceeded, radians; passes then take their own distance, not
  /// `stepOver`.
  std::optional<double> engagement;
  /// Radius of the tightest turn of passes in inside corners, mm; none: 0.15 of the cutter's for constant engagement, else as the ground
  /// is.
  std::optional<double> smallestLoop;
  double lift = 0.5;                ///< ways back over cleared ground run so much above the level, mm
  double linkFeed = 90;             ///< and at this feed, mm/s
  double feed = 30, plungeFeed = 8; ///< mm/s
  double safeHeight = 0;            ///< along `up`, mm
};

/// Passes of constant engagement at one level. Efficiency: their length against the area over the width that the arc sweeps; 1 is never
/// less engaged than asked.
struct EngagedAt {
  double height = 0, length = 0, area = 0, efficiency = 0; ///< mm, mm, mm^2
  double left = 0;                                         ///< that could not be cut within the arc, mm^2
};

/// Of all levels together; 0 without any.
double efficiencyOf(const std::vector<EngagedAt>& levels);

struct RoughingResult {
  Path path;
  Stock stockAfter;              ///< as cut while planning
  std::vector<Vec3> tabs;        ///< middles of the tabs that were left, at their upper face
  std::size_t thinned = 0;       ///< levels that thin the staircase
  std::optional<double> reached; ///< lowest level that the assembly could reach, if it ends there
  std::size_t reachedNote = 0;   ///< and which of the notes says so
  std::vector<EngagedAt> engaged;
  std::size_t levels = 0, airEntries = 0, helixEntries = 0, rampEntries = 0, skipped = 0;
};

/// Throws Error when the stock is smaller than the part's top (nothing to hold the promise), nothing can be reached, or tabs are asked for
/// where the lowest level does not go round the part, or the assembly reaches none of the levels.
RoughingResult planLevelRoughing(const Part& part, const Stock& stock, const Cutter& cutter, const RoughingOptions& options,
                                 Progress& progress);

} // namespace hemline
