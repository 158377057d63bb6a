// The volume that a path's moves sweep, asked along rays: where does a ray first enter it?
//
// Moves are taken as the tip running straight and the axis turning along the great circle. For half balls a move is a
// capsule about the centre's line (split where a turning axis bends it by more than 0.5 nm), plus the swept flutes above;
// for other profiles the entry is the root of the body's distance, minimised along the move.
#pragma once
#include "cutter/profile.h"
#include "stock/sweep_tree.h"
#include "toolpath/path.h"
#include <span>

namespace hemline {

class Sweep {
public:
  struct Entry {
    double t = kInfinity; ///< along the ray, mm; kInfinity: never
    int move = -1;        ///< piece of a move
  };
  struct Ray {
    Vec3 p, n; ///< n unit
  };
  using Near = SweepTree::Near;
  /// All material-removing moves of the path (from location i-1 to i).
  Sweep(const Profile& profile, const Path& path);

  /// First entry of p + t n (n unit), t in [-depth, limit], into any move. Exact to 1 nm for half balls and 20 nm for other
  /// profiles (tested with the axis turning by up to 5 degrees in a move). A ray that starts inside gives -depth. `hint` is a piece to try
  /// first; it changes only the speed.
  Entry firstEntry(const Vec3& p, const Vec3& n, double depth, double limit, int hint = -1) const;
  /// The same, where `moves` lists all pieces that may be met below `high` (piecesNear): those are looked at first, and the
  /// rest only when none of them is met below `high`.
  Entry firstEntry(const Vec3& p, const Vec3& n, double depth, double limit, const Near& moves, double high, int hint) const;
  /// First entry below `limit` into the pieces listed.
  Entry firstAmong(const Vec3& p, const Vec3& n, double depth, const Near& moves, double limit, int hint = -1) const;
  /// firstEntry for many places; fastest where neighbours in the list are neighbours on the surface.
  void firstEntries(std::span<const Ray> rays, double depth, double limit, Entry* out) const;
  /// Entry into one piece alone; exact where it is at most `limit`.
  double entryInto(int piece, const Vec3& p, const Vec3& n, double depth, double limit) const;
  /// Certified: no ray along n from the triangle, from `depth` inside on, enters the piece before this (other profiles than half
  /// balls; see SweptMove::lowestEntry).
  double lowestEntry(int piece, const std::array<Vec3, 3>& triangle, const Vec3& n, double depth) const;
  /// Half balls: signed distance of p to the swept balls (no flutes), where it is below `limit`; else `limit`.
  double distanceToBalls(const Vec3& p, double limit) const;
  /// Pieces whose entry for a ray along n within `radius` of p, from 5 mm below it on, may lie at or below `limit`.
  void piecesNear(const Vec3& p, const Vec3& n, double radius, double limit, Near& pieces) const;

  /// Those of a list for which the same holds.
  void sift(const Near& from, const Vec3& p, const Vec3& n, double radius, double limit, Near& pieces) const;

  bool ball() const { return ball_ > 0; }
  double ballRadius() const { return ball_; }
  double radius() const { return profile_.maxRadius(); }
  /// Ends of the centre's line of a piece (half balls).
  const Vec3& centerA(int piece) const { return pieces_[static_cast<std::size_t>(piece)].a; }
  const Vec3& centerB(int piece) const { return pieces_[static_cast<std::size_t>(piece)].b; }
  /// Half balls, certified: no place of the triangle is nearer than this to the cutter's axis, from the ball's centre up to the flutes'
  /// end, anywhere along the piece; at most `limit`.
  double axisDistance(int piece, const std::array<Vec3, 3>& triangle, double limit) const;
  /// Does the axis turn within the piece?
  bool turns(int piece) const;
  std::size_t size() const { return pieces_.size(); }

private:
  SweepTree::Ask askAround(const Vec3& p, const Vec3& n, double radius, double limit) const;
  using Piece = SweepPiece;
  double capsuleEntry(const Piece& m, const Vec3& p, const Vec3& n, double depth, double limit) const;
  double flutesEntry(const Piece& m, const Vec3& p, const Vec3& n, double depth, double limit) const;
  double bodyEntry(const Piece& m, const Vec3& p, const Vec3& n, double from) const;
  /// Entry into a piece that is known not to be entered before `low`.
  double entryFrom(int piece, const Vec3& p, const Vec3& n, double depth, double low, double limit) const;
  Profile profile_;
  double ball_ = 0;
  std::vector<Piece> pieces_;
  SweepTree tree_;

  /// Straight on with the same axis: both sweep what one longer piece does.
  static bool continues(const Piece& before, const Piece& next);
};

} // namespace hemline
