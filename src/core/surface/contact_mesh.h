// All that a cutter can touch of a part: its facets, and at sharp edges and corners every normal between those of their sides. (The normal
// bundle of the surface, or its offset as a mesh of no width.)
#pragma once
#include "part/part.h"
#include <map>

namespace hemline {

/// A place on facet `facet`, barycentric (1-u-v, u, v).
struct SurfacePoint {
  int facet = -1;
  double u = 0, v = 0;
};

/// Within its facet; not on the exact surface behind it (placeOn).
Vec3 pointOn(const Mesh& mesh, const SurfacePoint& at);
/// The place over a facet that is nearest to p in the facet's plane; it may lie outside of the facet. (0, 0) on degenerate facets.
SurfacePoint pointOver(const Mesh& mesh, int facet, const Vec3& p);

class ContactMesh {
public:
  /// Edges over which the normal turns by more than `crease` (radians) are sharp; ground that turns by less is one smooth ground. The same
  /// for convex and concave edges: at these nothing can touch the normals between. O(n log n).
  ContactMesh(const Part& part, double crease);

  struct Vertex {
    int point;   ///< of the part's mesh
    int corner;  ///< a corner of a facet that lies there: three times the facet, and which
    Vec3 normal; ///< unit; for smooth ground the same on all its facets
  };
  struct Element {
    std::array<int, 3> v; ///< vertices, counter-clockwise seen from outside
    int facet, other;     ///< the facet itself (other -1), or two that lie beside the sharp edge
  };

  const Part& part() const { return *part_; }
  const std::vector<Vertex>& vertices() const { return vertices_; }
  /// The facets first, in the part's order, with their corners in order.
  const std::vector<Element>& elements() const { return elements_; }
  /// Elements across the edges (edge k runs from vertex k), -1 where there is none.
  const std::vector<std::array<int, 3>>& over() const { return over_; }
  /// Facets across the edges of facets, -1 where the surface ends.
  const FacetNeighbours& beside() const { return beside_; }
  bool isFacet(int element) const { return element < facets_; }

  /// Point and normal at barycentric (1-u-v, u, v) of an element: on facets the exact surface where it is known, else the smooth normal.
  Place placeAt(int element, double u, double v) const;

private:
  void joinCorners(double crease);
  void addEdges();
  void addCorners();
  void addElement(int a, int b, int c, int facet, int other);
  std::vector<int> turn(int from, int to);
  const Part* part_;
  int facets_ = 0;
  std::vector<Vertex> vertices_;
  std::vector<Element> elements_;
  std::vector<std::array<int, 3>> over_;
  FacetNeighbours beside_;
  std::vector<std::array<char, 3>> sharp_; ///< per facet and edge
  std::map<std::pair<int, int>, std::vector<int>> turns_;
  std::map<std::pair<int, int>, int> open_; ///< directed edges without the other side: three times the element, and which
};

} // namespace hemline
