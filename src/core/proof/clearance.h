// Clearance of neck, shank and holder (and of the cutter on rapids) along whole motions, certified.
//
// The assembly is a solid of revolution whose distance in (r, z) is exact and 1-Lipschitz. A motion is clear if at its
// middle the distance exceeds what any point of the assembly travels to either end; else it is split (B. Mirtich, 1996).
// Runs of short moves are treated as one motion. What cannot be shown within kShortest counts as not clear.
#pragma once
#include "cutter/cutter.h"
#include "cutter/touch.h"
#include "geometry/tree.h"
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
  Measured least;                         ///< value: smallest met; bound: certified lower bound after all uncertainties
  std::vector<ClearanceFinding> notClear; ///< first of each kind, at most 20
  std::size_t unproven = 0;               ///< motions that are not shown to be clear
  bool rapidThroughStock = false, collision = false;
  std::vector<std::string> notModelled;
};

struct ClearanceOptions {
  double wanted = 1.0;      ///< promised, mm
  double uncertainty = 0.1; ///< stick-out, fixture placement and datum together, mm; subtracted
  double facetError = 0;
  double rapidGap = 0.2; ///< cutter to part on rapids, mm
};

/// Against fixed bodies: the part and each fixture.
struct Obstacle {
  std::string name;
  const MeshTree* tree;
  bool isPart;
};

ClearanceResult proveClearance(const Assembly& assembly, const Path& path, const std::vector<Obstacle>& obstacles,
                               const ClearanceOptions& options, Progress& progress);

/// How far a roughing path comes into the distance it has to keep from the part: keep - distance. Each straight move sweeps a
/// convex body, whose distance to each facet near is found to 1e-4 mm and certified from below, for any profile. Where the move
/// touches the part, the depth is sampled every 2 * grain by cutter location, and the bound is that and the grain. Fixed axis
/// only.
Measured proveKeep(const Part& part, const Profile& profile, const Path& path, double keep, double grain, Progress& progress);

/// What the step cuts, and whether anything but the flutes touches the stock on the way.
struct CutReport {
  ClearanceResult clearance;
  double removed = 0;    ///< mm^3
  double engagement = 0; ///< largest arc, radians (0: not asked for)
  Vec3 engagementAt = Vec3::Zero();
  double airShare = 0; ///< length of cutting moves that removed nothing, share of all
};

/// Cuts the path from the stock in order, proving bodies and rapids against the stock as it is before each move.
CutReport cutAndProve(Stock& stock, const Assembly& assembly, const Path& path, bool wantEngagement, const ClearanceOptions& options,
                      Progress& progress);

/// A lower bound of the distance between the intruder at this pose and the mesh, within 0.03 mm of `enough`, if no place was
/// met that is nearer than enough - 0.02 mm; else the signed distance of the first such place (an upper bound, and always
/// less than enough - 0.02, so that no caller can take it for a proof).
double clearanceToMesh(const Intruder& body, const MeshTree& mesh, const Vec3& tip, const Vec3& axis, double enough, Vec3& at, int& kind);

} // namespace hemline
