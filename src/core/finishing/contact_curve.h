// Contact curves (cutter contact, CC): level lines as a cutter can run along them, round sharp edges and on past the region's border.
#pragma once
#include "surface/spiral_lines.h"

namespace hemline {

/// Cosine by which a contact's normal may leave the ground's on its border (20 degrees): passes go on so far round it.
constexpr double kSwing = 0.94;

/// Where a cutter is to touch.
struct Contact {
  SurfacePoint at; ///< at sharp edges and beyond the end of the surface: the facet beside it
  Vec3 point = Vec3::Zero(), normal = Vec3::Zero();
  Vec3 along = Vec3::Zero(); ///< unit: as the level lines of the field run in space
  bool ground = false;       ///< of the region: a facet, or an edge between two; else beyond the border
  bool edge = false;         ///< rolling over a sharp edge
  double off = 0;            ///< how far the point was moved off the surface to meet the level, mm
};

class ContactCurve {
public:
  double length() const { return until_.back() + end_.length; } ///< mm, with what is rolled over edges
  /// At so many mm from its start. On exact surfaces the level is met to 1e-7 mm where the field is not nearly level there.
  Contact at(double s) const;

private:
  friend class ContactCurves;
  struct Tail { ///< straight on beyond an end
    Contact from;
    Vec3 way = Vec3::Zero(); ///< unit
    double length = 0;       ///< mm; 0: none
  };
  const LevelLines* lines_ = nullptr;
  std::optional<double> level_; ///< none: it winds from level to level, straight within elements
  std::vector<LinePiece> pieces_;
  std::vector<double> until_; ///< mm, from the start to the end of each
  /// Of a curve along a line instead of a level: its places, one more than `until_`; two of one place roll over an edge between their
  /// normals.
  std::vector<Contact> line_;
  Tail start_, end_;
};

class ContactCurves {
public:
  /// `overrun`: how far curves go on past the region's border, mm: over ground that turns away from the region by no more than 20 degrees
  /// and, with `rollOver`, so far over edges, and then straight on. Lines that come back into the region before go through. `roll`: how
  /// long a curve takes to turn by a radian over a sharp edge, mm.
  ContactCurves(const LevelLines& lines, double overrun, double roll, bool rollOver)
      : lines_(&lines), overrun_(overrun), roll_(roll), rollOver_(rollOver) {}
  std::vector<ContactCurve> at(double level) const;
  /// Nested loops as spirals, see spiralLines; empty where there are none.
  std::vector<ContactCurve> spirals(const SpiralAsk& ask) const;
  /// Along a line of two points or more near the surface: each place is that of the surface that is nearest; it rolls over sharp edges.
  /// `every`: places are looked at so often at least, mm.
  ContactCurve along(const std::vector<Vec3>& line, double every) const;

private:
  using Pieces = std::vector<LinePiece>;
  Pieces beyond(const LinePiece& end, double level, bool back, int& met) const;
  /// `open`: start and end, which go on beyond the region.
  ContactCurve curve(const Pieces& pieces, std::optional<double> level, const std::array<bool, 2>& open) const;
  ContactCurve::Tail tail(const LinePiece& end, double level, bool back, double length) const;
  double lengthOf(const LinePiece& piece) const;
  const LevelLines* lines_;
  double overrun_, roll_;
  bool rollOver_;
};

} // namespace hemline
