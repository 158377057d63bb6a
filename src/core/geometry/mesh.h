// Triangle meshes: the form in which every engine sees a surface.
#pragma once
#include "base/progress.h"
#include "geometry/vec.h"
#include <array>
#include <string>
#include <vector>

namespace hemline {

/// Indexed triangles, counter-clockwise seen from outside. Lengths in mm, double precision throughout.
struct Mesh {
  std::vector<Vec3> points;
  std::vector<std::array<int, 3>> triangles;
  std::vector<int> patch;          ///< per triangle: index of its CAD face, or of its crease-bounded patch
  std::vector<Vec3> cornerNormals; ///< 3 per triangle: smooth unit normals inside a patch (exact where CAD is known)

  const Vec3& corner(std::size_t t, std::size_t k) const { return points[static_cast<std::size_t>(triangles[t][k])]; }
  /// Unit normal of facet t; zero for a degenerate one.
  Vec3 facetNormal(std::size_t t) const;
  double facetArea(std::size_t t) const;
  /// Smooth normal at barycentric (1-u-v, u, v) of triangle t.
  Vec3 smoothNormal(std::size_t t, double u, double v) const;
  Box bounds() const;
  double area() const;
  /// Signed volume; meaningful for closed meshes.
  double volume() const;
};

/// What was found in a mesh and what was done about it. Counts of triangles, edges or points.
struct MeshReport {
  std::size_t trianglesRead = 0, degenerateDropped = 0, duplicatesDropped = 0, pointsWelded = 0, gapsWelded = 0;
  std::size_t voids = 0; ///< closed shells inside of others that came facing inward, and stay so
  std::size_t flipped = 0, boundaryEdges = 0, holes = 0, nonManifoldEdges = 0, components = 0, selfTouching = 0;
  bool selfTouchingTested = false;
  bool closed = false;
  double weldTolerance = 0; ///< mm
  std::vector<std::string> notes;
};

/// Welds equal points (bitwise, then open edges within the tolerance), drops degenerate and duplicate triangles,
/// makes orientation consistent (closed shells outward but for voids, open sheets with most of their area facing +z).
/// `soup` holds 3 points per triangle; on return patch[t] is the soup triangle that t came from. O(n log n).
/// With `openFacesUp` false open sheets keep the orientation that most of their triangles came with.
Mesh weldAndOrient(const std::vector<Vec3>& soup, MeshReport& report, Progress& progress, bool openFacesUp = true);

/// Patches: triangles joined over edges whose dihedral angle is below `crease` (radians); fills patch and cornerNormals.
void findPatches(Mesh& mesh, double crease);

/// Counts pairs of triangles that cross without sharing a point, each triangle once. O(n log n) on usual meshes.
std::size_t countSelfTouching(const Mesh& mesh, Progress& progress);

/// Per undirected edge: its two points and the triangles beside it (second -1 on a boundary).
struct MeshEdge {
  int a, b, left, right;
};
/// Do the facets beside the edge belong to one patch?
inline bool isSmooth(const Mesh& mesh, const MeshEdge& edge) {
  return edge.right >= 0 && mesh.patch[static_cast<std::size_t>(edge.left)] == mesh.patch[static_cast<std::size_t>(edge.right)];
}
/// Facets across the three edges of each facet (edge k runs from corner k), -1 where the surface ends. Where more than two facets meet, one
/// of the pairs counts.
using FacetNeighbours = std::vector<std::array<int, 3>>;
FacetNeighbours facetNeighbours(const Mesh& mesh, const std::vector<MeshEdge>& edges);

/// All edges with their triangles, sorted by (a, b), a < b. Edges with more than two triangles appear once per pair.
std::vector<MeshEdge> meshEdges(const Mesh& mesh, std::size_t* nonManifold = nullptr);

} // namespace hemline
