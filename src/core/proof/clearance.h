// Clearance of neck, shank, holder and spindle nose (and of the cutter on rapids) along whole motions, certified (conservative
// advancement).
//
// A run of moves is clear if in its middle the distance exceeds what any point of the assembly travels to either end; else it is
// split (B. Mirtich, 1996). One short move is taken as the hull of its ends against each facet (MovingBody), so that the least
// clearance of all is known to 1 um however flat it is. What cannot be shown counts as not clear.
#pragma once
#include "cutter/cutter.h"
#include "cutter/touch.h"
#include "geometry/tree.h"
#include "machine/rapid_ways.h"
#include "proof/surface_proof.h"
#include "stock/stock.h"

namespace hemline {

struct ClearanceFinding {
  std::string what;         ///< "holder against part", "rapid against stock", ...
  std::size_t location = 0; ///< the move into this location
  Vec3 at = Vec3::Zero();
  double distance = 0; ///< upper estimate met there, mm; may be negative
};

struct ClearanceResult {
  Measured least;                         ///< value: smallest distance met; bound: certified, with all uncertainties taken off
  std::string pair;                       ///< which bodies come nearest there: "holder against part"
  std::vector<ClearanceFinding> notClear; ///< first of each kind, at most 20
  std::size_t unproven = 0;               ///< motions that are not shown to be clear
  bool rapidThroughStock = false, collision = false;
  std::vector<std::string> notModelled;
};

struct ClearanceOptions {
  double wanted = 1.0;      ///< promised, mm
  double uncertainty = 0.1; ///< stick-out, fixture placement and datum together, mm; subtracted
  double facetError = 0;
  double rapidGap = 0.2;    ///< cutter to part on rapids, mm
  double spacing = 1e-3;    ///< mm to which the least clearance is found
  bool verdictOnly = false; ///< clear or not: the least clearance is not looked for, and the first thing in the way ends it
};

/// Against fixed bodies: the part and each fixture.
struct Obstacle {
  std::string name;
  const MeshTree* tree;
  bool isPart;
  bool closed = true; ///< it has an inside
};

/// `ways`: how else the machine may run the rapids; all of them are proven. Same result on any number of threads.
ClearanceResult proveClearance(const Assembly& assembly, const Path& path, const OtherWays& ways, const std::vector<Obstacle>& obstacles,
                               const ClearanceOptions& options, Progress& progress);

/// Distance of all bodies (not the cutting part) to the obstacles at these locations, mm, no more than `most`.
std::vector<double> clearanceAt(const Assembly& assembly, const Path& path, const std::vector<std::size_t>& locations,
                                const std::vector<Obstacle>& obstacles, double most, Progress& progress);

/// What the step cuts, and whether anything but the flutes touches the stock on the way.
struct CutReport {
  /// What one move did; negative: not looked at (no cutting move, or no engagement was asked for).
  struct Move {
    float removed = -1;    ///< mm^3
    float engagement = -1; ///< largest arc, radians
    float depth = -1;      ///< from the tip up to the highest ring that cuts, mm
  };
  /// least: of the bodies on all moves, to two cells or a tenth of it; value kInfinity where nothing comes within 20 mm.
  ClearanceResult clearance;
  double removed = 0;    ///< mm^3
  double engagement = 0; ///< largest arc, radians (0: not asked for)
  Vec3 engagementAt = Vec3::Zero();
  double coarse = 0;         ///< largest arc of those that were only read to half a cell: in thin cuts, or along none of the stock's fields
  double airShare = 0;       ///< length of cutting moves that removed nothing, share of all
  double meanEngagement = 0; ///< over the length of the cutting moves that cut, radians
  double depth = 0;          ///< largest of all moves, mm
  std::size_t cutting = 0, air = 0; ///< cutting moves, and those of them that removed nothing
  std::vector<Move> moves;          ///< per location: the move into it
  /// Where no engagement is asked for, passes lie closer than the stock's cells, and a single short move falls between its rays: what
  /// is removed is then known over stretches of cutting moves of about this length, mm (0: one by one). Each move has its share.
  double stretch = 0;
  double meanSection = 0; ///< of what is cut, over the length that cuts: removed volume by length, mm^2
  double heaviest = 0;    ///< the largest section over a stretch, mm^2
  Vec3 heaviestAt = Vec3::Zero();
  double linksRemoved = 0; ///< by moves between passes, mm^3; 0 where they run over cleared ground only
  double steepestEntry =
      0; ///< way down into material, radians; what removes less than a cell's or a fiftieth of the cutter's section grazes
  Vec3 steepestAt = Vec3::Zero();
};

/// Cuts the path from the stock in order, proving bodies and rapids against the stock as it is before each move.
CutReport cutAndProve(Stock& stock, const Assembly& assembly, const Path& path, const OtherWays& ways, bool wantEngagement,
                      const ClearanceOptions& options, Progress& progress);

} // namespace hemline
