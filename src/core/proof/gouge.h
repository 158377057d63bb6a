// Gouge check of a whole part: how deep any cutting, link, entry or lead move comes into it, certified for every profile.
//
// A move of a convex cutter sweeps the hull of its ends. Instead of asking how deep that hull reaches into the part (which no sampling
// of the surface can answer), a smaller cutter within it is asked for its distance D (GJK): every place of the cutter lies within rho of
// the smaller one, and the smaller one is outside, so that no place the cutter removes lies deeper in the part than rho - D. The
// smaller cutter is shrunk just so far that it comes free. Where none does, the move runs right through the part.
#pragma once
#include "base/progress.h"
#include "cutter/profile.h"
#include "part/part.h"
#include "proof/surface_proof.h"
#include "toolpath/path.h"

namespace hemline {

struct GougeOptions {
  double keep = 0;       ///< distance wanted, mm; negative: so deep is allowed
  double promise = 1e-3; ///< mm; depths well below it are told apart to a fifth of it
  /// Flags of facets whose places are measured by other means (proveSurface): half balls are certified there to the
  /// last place; for other profiles the edges of concave corners are looked at, below which rays along the facets' normals see nothing.
  /// Null: all facets.
  const std::vector<char>* measured = nullptr;
};

/// keep - distance of the cutter from the part, at most over all moves but rapids; deeper than `keep`: the depth in the part as the
/// shortest way out. `value` is met: a place that is removed and lies so deep (or a distance found to 1e-4 mm); in deep
/// cuts it may be a half of what there is. `bound` is certified,
/// with the part's facet error; within a fifth of the promise of what is met where the profile is smooth, 0.6 of it at sharp edges, up to
/// 1.5 times in deep cuts, and a coarse upper limit where a move runs wholly inside. A turning axis is followed to 0.1 um. Not known where
/// the axis turns right round within a move. Same result on any number of threads.
Measured proveGouge(const Part& part, const Profile& profile, const Path& path, const GougeOptions& options, Progress& progress);

/// Takes into a surface's measuring how deep the path comes into all the rest of the part: facets outside the region (against the design
/// surface, or against a negative allowance), for profiles other than half balls concave edges within it, and all of the region where rays
/// did not reach deep enough. Returns what was found outside, for telling.
Measured addGougeElsewhere(SurfaceProof& proof, const Part& part, const Profile& profile, const Path& path, double allowance,
                           double promise, Progress& progress);

} // namespace hemline
