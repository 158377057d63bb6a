// Regions: named ground of the part that promises a finish, is left on purpose or is protected. A region is told by rules and marks, not
// by facets, so that it is found again on another tessellation of the model and on a changed one.
#pragma once
#include "part/part.h"
#include "region/rail.h"
#include "study/largest_ball.h"
#include <variant>

namespace hemline {

/// A whole patch, remembered by places spread over it.
struct PatchPiece {
  std::string name; ///< as it was called; for telling only
  double area = 0;  ///< mm^2, when it was marked
  std::vector<Mark> marks;
};
/// Ground whose normal leans between these angles from `up` (0 facing it, pi facing away), radians.
struct SlopePiece {
  double from = 0, to = 0;
  Vec3 up = Vec3::UnitZ();
};
/// Ground whose largest ball (study/largest_ball.h) has a radius from..to, mm.
struct RadiusPiece {
  double from = 0, to = 0;
};
/// Grown from a place across edges that bend by less than `crease`, radians.
struct GrownPiece {
  Mark from;
  double crease = 0;
};
/// Painted: ground within `radius` mm of the strokes' places, facing to within 60 degrees as they do.
struct PaintPiece {
  std::vector<Mark> stroke;
  double radius = 0;
};
/// Ground about `inside`, up to a closed rail of that name.
struct RailPiece {
  std::string rail;
  Mark inside;
};

enum class PieceMode { Add, Remove, Only }; ///< Only: of what was there, what the piece has
struct Piece {
  PieceMode mode = PieceMode::Add;
  std::variant<PatchPiece, SlopePiece, RadiusPiece, GrownPiece, PaintPiece, RailPiece> what;
};

enum class RegionUse { Finish, Left, Protected };
const char* regionUseName(RegionUse use);

struct Region {
  std::string name = "region";
  RegionUse use = RegionUse::Finish;
  std::optional<double> finish;    ///< highest cusp that all steps together may leave, mm
  std::optional<double> tolerance; ///< how far the ground may stand out or be cut in, mm; protected ground: how far it may be cut in
  std::vector<Piece> pieces;       ///< in order
  double grow = 0;                 ///< the border is moved outward by this (negative: inward) along the ground, mm
};

/// A region on the part as it is.
struct FoundRegion {
  std::vector<char> facets;         ///< flags
  double area = 0;                  ///< mm^2
  double grain = 0;                 ///< mm: longest edge of the facets at its border, which the border follows
  std::vector<std::string> lost;    ///< what of it was not found, in words; empty: all of it
  std::vector<std::string> changed; ///< what was found, but is not as it was marked
};

/// Marks the patch by 16 places.
PatchPiece markPatch(const Part& part, int patch);

/// Facets of the region. `balls`: per facet radii, needed for RadiusPiece only. Exact to whole facets; linear in the facets for each piece.
/// Marks are looked for within 2 % of the part's size, or half the size of the piece if that is less.
FoundRegion findRegion(const Part& part, const FacetNeighbours& beside, const std::vector<float>& ballRadius,
                       const std::vector<Rail>& rails, const Region& region);

/// The region with its marks taken anew where they were found, so that the next change of the model is counted from here. What is lost
/// stays as it was.
Region marksRenewed(const Part& part, const Region& region);

/// Facets within `distance` mm of the border outside of it, reached without leaving that band (negative: inside). As the crow flies, to
/// the middles of facets.
std::vector<char> grown(const Mesh& mesh, const FacetNeighbours& beside, const std::vector<char>& facets, double distance);

} // namespace hemline
