// Level lines of a field on a contact mesh (marching triangles), and ways across from one of them.
#pragma once
#include "surface/surface_field.h"

namespace hemline {

/// A straight piece of a line within one element, in barycentric u, v.
struct LinePiece {
  int element = -1;
  Vec2 in = Vec2::Zero(), out = Vec2::Zero();
};

/// Pieces in the order of running: higher values lie on the left, seen from outside.
struct LevelLine {
  std::vector<LinePiece> pieces;
  bool closed = false;
};

class LevelLines {
public:
  /// Of the facets flagged in `region`, and the sharp edges between two of them.
  LevelLines(const ContactMesh& mesh, const SurfaceField& field, const std::vector<char>& region);

  /// All lines of the region, each as long as it goes on; a vertex with exactly the level counts as higher. Same order and start always.
  /// Cost: the elements crossed, and a hundredth of the others.
  std::vector<LevelLine> at(double level) const;

  /// Goes on from the end of a piece (or back from its start) over the next element, in the region or not: the piece there, or one without
  /// element where the surface ends.
  LinePiece next(const LinePiece& piece, double level, bool back) const;

  double lowest() const { return lowest_; } ///< of the region
  double highest() const { return highest_; }
  const ContactMesh& mesh() const { return *mesh_; }
  const SurfaceField& field() const { return *field_; }
  bool inRegion(int element) const;
  /// Of the field on an element, linear between its vertices.
  double valueOn(int element, const Vec2& uv) const;

private:
  int edgeOf(int element, double level, bool back) const;
  LinePiece crossing(int element, double level) const;
  const ContactMesh* mesh_;
  const SurfaceField* field_;
  const std::vector<char>* region_;
  std::vector<double> value_;      ///< per vertex
  std::vector<int> byLow_;         ///< elements of the region by their least value
  std::vector<double> low_, most_; ///< least value, in that order; largest value of each block of elements
  double lowest_ = 0, highest_ = 0;
};

/// The way across a strip: where a plane cuts the surface, from a place on.
class WayAcross {
public:
  /// From `from` in the plane through it across `along` (unit), to the left of it (`left`) or to its right, until the field has passed
  /// `level`, the region ends, or `longest` mm are gone. With `followBorder` it goes on along the region's border as long as that leads on
  /// to the level.
  WayAcross(const LevelLines& lines, const SurfacePoint& from, const Vec3& along, bool left, double level, double longest,
            bool followBorder);
  double length() const { return until_.empty() ? 0 : until_.back(); } ///< on the facets, mm
  bool arrived() const { return arrived_; }                            ///< at the level
  /// At the share x of its length.
  SurfacePoint at(double x) const;

private:
  double ahead(const SurfacePoint& p) const;
  bool inside(int facet) const { return facet >= 0 && lines_->inRegion(facet); }
  void add(const SurfacePoint& from, SurfacePoint to);
  void acrossPlane(SurfacePoint at, const Vec3& along, double longest, int& borderFacet, int& borderEdge);
  void alongBorder(int facet, int edge, double longest);
  const LevelLines* lines_;
  bool left_;
  double level_;
  std::vector<LinePiece> pieces_;
  std::vector<double> until_; ///< length to the end of each, mm
  bool arrived_ = false;
};

} // namespace hemline
