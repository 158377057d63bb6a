// A part with no long sides, for fields that are told at its points.
#pragma once
#include "part/part.h"
#include "surface/contact_mesh.h"

namespace hemline {

/// The part's facets, cut into smaller ones where their sides are long: the same surface, the same patches.
struct FineMesh {
  std::shared_ptr<const Part> part;
  std::vector<int> parent; ///< facet of the part that each came from; empty: it is the part itself
  /// Where the place of a facet of the part lies on this one.
  SurfacePoint find(const Mesh& coarse, const SurfacePoint& at) const;
  /// Flags of facets of the part for the facets here.
  std::vector<char> flags(const std::vector<char>& ofPart) const;

  /// `facets`: how many the part has.
  void setParents(std::vector<int> parents, std::size_t facets);

private:
  std::vector<int> first_, children_; ///< facets here by facet of the part
};

/// No side longer than `longest` mm; exact parts are taken as they are (their facets are laid so). Sides are halved together, so that the
/// mesh stays closed. About a million facets a second.
FineMesh fineMesh(const std::shared_ptr<const Part>& part, double longest);

/// A place on a side, its share x from point a on (0 < x < 1); a < b.
struct SideCut {
  int a, b;
  double x;
};
/// The same with more points, on sides of the mesh, in the order given, after those that there are; two on one facet are joined by a side.
/// No side twice. `facets`: how many the part has.
FineMesh cutSides(const FineMesh& mesh, std::size_t facets, const std::vector<SideCut>& cuts);

} // namespace hemline
