// Pieces of surface for measuring: facets, or pieces of an exact face, cut smaller without making slivers; and how far inside a ray may
// start.
#pragma once
#include "geometry/tree.h"
#include "part/part.h"
#include <array>

namespace hemline {

/// A triangle of surface: flat, or a piece of an exact face whose corners lie on it.
struct SurfacePiece {
  std::array<Vec3, 3> p;
  std::array<Vec2, 3> uv;
  int face = -1;               ///< of the exact surface; -1: flat
  double below = 0, above = 0; ///< how far the surface lies below and above the plane of the corners at most, along n

  Vec3 center() const { return (p[0] + p[1] + p[2]) / 3; }
};

/// A piece that is still to be looked at; or, of a slim facet, the stretch between its two long sides from the side ab to the
/// side dc (a = b at the tip): halved along its length as long as it is slim, since halving slim triangles makes ever slimmer
/// ones, and half as many again.
struct OpenPiece {
  SurfacePiece piece; ///< a, b, c
  bool slim = false;
  Vec3 d = Vec3::Zero();
  Vec2 dUv = Vec2::Zero();

  double longest() const;
  double width() const { return std::max((piece.p[0] - piece.p[1]).norm(), (d - piece.p[2]).norm()); }
  /// Middle, radius about it, and rise or fall along n from it.
  void size(const Vec3& n, Vec3& mid, double& radius, double& rise) const;
};

class SurfacePieces {
public:
  static constexpr double kDeep = 2.0; ///< mm: a ray starts no farther inside

  /// `below`: so far below the surface is cut on purpose, mm; rays then start twice as deep where the part is as thick, also at the border
  /// of an open sheet.
  explicit SurfacePieces(const Part& part, double below = 0);
  SurfacePiece pieceOf(std::size_t facet, const Vec3& n) const;
  /// Between the corners a smooth surface leaves their plane like a quadratic, which its sides' middles fix: nowhere more
  /// than 4/3 of the most it leaves it there. The middle of all is looked at, too.
  void findBulge(SurfacePiece& piece, const Vec3& n) const;
  /// Cuts a piece at the share x of side k, on the surface; the halves inherit the bulge.
  std::array<SurfacePiece, 2> halve(const SurfacePiece& whole, std::size_t k, double x) const;
  /// The parts of `whole`; none if it is small enough to be looked at.
  std::vector<OpenPiece> divide(const OpenPiece& whole, double limit) const;

  /// mm to the border of an open sheet, no more than `most`.
  double toBorder(const Vec3& p, double most) const;
  /// How far inside a ray may start at p against n: not beyond the opposite wall, where another face is cut.
  double depthAt(const Vec3& p, const Vec3& n) const { return 0.5 * insideAt(p, n); }
  /// The same for rays from all of a triangle. A sharp ridge has no inside along n at the corner itself: what is asked a
  /// little towards the middle is carried on to the corner in a straight line.
  double depthOf(const std::array<Vec3, 3>& t, const Vec3& mid, const Vec3& n) const;

private:
  double insideAt(const Vec3& p, const Vec3& n) const;
  Vec3 onPiece(const SurfacePiece& whole, const Vec3& onChord, const Vec2& uv) const;
  const Part& part_;
  double below_;
  std::vector<std::array<Vec3, 2>> border_; ///< of an open sheet
  BoxTree borderTree_;
};

} // namespace hemline
