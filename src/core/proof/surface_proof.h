// What a finishing step leaves on the design surface: cusp, gouge and rest, measured and bounded.
//
// e(p) is the first entry of the normal ray into the swept cutter. Over a facet it is bounded from above by splitting:
// the entry into one convex sweep is a convex function on a plane, so its largest value over a triangle is at a corner;
// the bound of a triangle is the least of these over the moves near it. From below (gouge) the distance between facet
// and centre line gives a bound for half balls. Where exact surfaces are known, corners lie on them, and what the surface
// bulges between the corners is added. See docs/architecture.md, "Certainty".
#pragma once
#include "base/progress.h"
#include "finishing/placing.h"
#include "proof/coarse_surface.h"
#include "stock/sweep.h"

namespace hemline {

struct Measured {
  double value = 0; ///< largest (clearance: smallest) value met, mm
  double bound = 0; ///< certified bound on the unfavourable side, mm; infinite: none
  Vec3 at = Vec3::Zero();
  bool known = false; ///< false: could not be measured
};

/// Where a cutter touches.
struct Touching {
  SurfacePoint on;
  Place place{Vec3::Zero(), Vec3::Zero()};
};

struct SurfaceProof {
  std::vector<float> stockLeft;  ///< per mesh point, mm along the normal; NaN off the region or never reached
  std::vector<float> facetLeft;  ///< per facet: largest met, mm; NaN off the region
  std::vector<float> facetCusp;  ///< per facet: largest cusp; NaN off the region
  std::vector<float> facetRest;  ///< per facet: shortest distance to where the cutter can go, less the allowance; 0 where reached
  std::vector<float> facetGouge; ///< per facet: deepest cut below the allowance met, mm
  std::vector<double> facetLeftBound, facetCuspBound, facetGougeBound; ///< certified, of three of these
  std::vector<char> region;                                            ///< per facet
  std::vector<float> facetOpen; ///< per facet: area where more is left than promised, as cusp or rest, or that was not judged, mm^2
  std::vector<char> partly;     ///< per facet: some of it was not judged, see SurfaceProofOptions::within
  bool capped = false;          ///< somewhere more was cut than a ray along the normal can tell: the gouge is deeper than it says
  /// For each piece of a facet whose cusp is not shown to be within the promise: what the cutter touches where it comes nearest to its
  /// worst place.
  std::vector<Touching> over;
  Measured cusp, gouge, rest;
  Measured beside; ///< how deep below the surface itself all else of the part is cut; only where the allowance is negative
  double areaRegion = 0, areaOverCusp = 0, areaRest = 0; ///< mm^2
  double areaNotJudged = 0;                              ///< of facets of the region, mm^2: see SurfaceProofOptions::within
  double contactLengthBound = 0;                         ///< least contact length for this cusp, mm; 0: not computed
};

/// What was found on one facet.
struct FacetProof {
  double left = -kInfinity, leftBound = 0; ///< largest met, and certified bound of it, mm
  double cusp = -kInfinity, cuspBound = 0, gouge = 0, gougeBound = 0, rest = 0, restBound = 0;
  Vec3 cuspAt = Vec3::Zero(), gougeAt = Vec3::Zero(), restAt = Vec3::Zero();
  double area = 0, areaOver = 0, areaRest = 0, areaNotJudged = 0, areaOpen = 0;
  bool capped = false;        ///< as in SurfaceProof
  bool filleted = false;      ///< some of it was told over virtual fillets
  std::vector<Touching> over; ///< as in SurfaceProof
  /// Where the cutter can get to for a place: passes do not change that.
  struct Reached {
    Vec3 p;
    double along, distance;
    Touching nearest;
    double fine; ///< mm, to which the distance was looked for
  };
  std::vector<Reached> reached;
};

/// A measuring kept facet by facet, so that after a change here and there only what lies near the change is measured again.
struct SurfaceRecord {
  std::vector<FacetProof> facets;
  std::vector<float> stockLeft;
};

struct SurfaceProofOptions {
  double allowance = 0, cusp = 0.002, gouge = 0.001, rest = 0.01; ///< promised, mm
  double smallest = 0.0001;                                       ///< triangles are not split below this size, mm
  /// Pieces of the region are judged for cusp and rest only where all that was asked of them is left by less than this above the
  /// allowance, mm: the ground that somebody else's path was meant for. The gouge is looked for on all of them.
  double within = kInfinity;
  /// About how far a place of a facet lies within the ground that is judged for cusp and rest, mm, negative outside. None: all of the
  /// region is judged. Facets that its border crosses are judged to `grain` of it; strips of four grains may be missed, holes of that size
  /// judged.
  std::function<double(std::size_t facet, const Vec3& place)> inside;
  double grain = 0.05; ///< mm
  /// Certify the gouge on the region from rays and half spaces; else it is only met there, `capped` is set, and proveGouge has the word.
  bool certifyGouge = true;
  CoarseDone coarse; ///< told the first answer, before it is refined
};

/// Measures all facets of the region: coarsely, then to the end, the highest first, while the progress tells what the largest stock-left
/// is at least and at most. `reach` places the cutter freely (passes infinitely dense); without it every
/// excess counts as cusp. Same result on any number of threads. About 0.2 million facets a second and core for half balls.
SurfaceProof proveSurface(const Part& part, const std::vector<char>& region, const Sweep& sweep, const Placing* reach,
                          const SurfaceProofOptions& options, Progress& progress);
/// The same, with a record: filled where it is empty; else it holds what was found for another path, `changed` sweeps the moves that only
/// one of both has (changedMoves), and facets that none of these may be met from keep what was found.
SurfaceProof proveSurface(const Part& part, const std::vector<char>& region, const Sweep& sweep, const Placing* reach,
                          const SurfaceProofOptions& options, SurfaceRecord& record, const Sweep* changed, Progress& progress);

/// Per-vertex ASCII-free PLY (binary little endian) with `stock_left_mm`; NaN where unknown.
std::string surfacePly(const Mesh& mesh, const std::vector<float>& stockLeft);

} // namespace hemline
