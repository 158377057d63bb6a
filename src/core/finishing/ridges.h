// Where fronts meet (cut locus, medial axis): lines that want a pass of their own.
#pragma once
#include "surface/fine_mesh.h"
#include "surface/intrinsic_mesh.h"

namespace hemline {

/// Places on sides of a mesh over which neighbouring ways begin far apart, and lines through them.
struct Ridges {
  std::vector<SideCut> cuts;            ///< where the fronts meet
  std::vector<double> value;            ///< how far they have come there
  std::vector<std::vector<Vec3>> lines; ///< through these places; short ones are left out
};
/// In the facets flagged in `region`: where fronts meet head on or at an angle. O(n log n).
Ridges ridgesOf(const Mesh& mesh, const std::vector<char>& region, const IntrinsicMesh::Arrivals& fronts);

/// Mean side of the facets flagged, mm.
double meanSide(const Mesh& mesh, const std::vector<char>& region);

} // namespace hemline
