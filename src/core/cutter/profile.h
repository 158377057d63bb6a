// A cutter's cutting part is one thing to every engine: a convex profile of lines and arcs in (r, z), revolved.
#pragma once
#include "geometry/vec.h"
#include <optional>
#include <vector>

namespace hemline {

/// One line (radius 0) or arc of a profile, walked from the tip outward and up, so that the body lies to the left.
struct ProfilePiece {
  Vec2 a, b;                                 ///< ends, (r, z) in mm; z = 0 at the tip
  Vec2 center = {0, 0};                      ///< arc centre
  double radius = 0;                         ///< arc radius, 0 for a line
  Vec2 normalA = {0, -1}, normalB = {0, -1}; ///< outward unit normals at the ends
  double angleA = 0, angleB = 0;             ///< outward normal at the ends: (sin angle, -cos angle), 0 at the bottom, pi/2 sideways
};

/// One side of a profile as its distance sees it: a line, an arc, or a corner as an arc of radius 0. Outside and inside the signed
/// distance to the convex profile is the largest of its sides' own.
struct ProfileSide {
  double r, z, radius;   ///< point of a line, or centre of an arc
  double ar, az, br, bz; ///< outward normals at both ends
  bool arc;
};

/// Closed convex body of revolution about +z with its lowest point at the origin; the top is a flat lid.
class Profile {
public:
  Profile() = default;
  /// Points and arcs in order from (0, 0); the last piece ends on the lid. Throws Error unless the body is convex.
  static Profile fromPieces(const std::vector<ProfilePiece>& pieces, const std::string& name);

  const std::vector<ProfilePiece>& pieces() const { return pieces_; }
  const std::vector<ProfileSide>& sides() const { return sides_; }
  double maxRadius() const { return maxRadius_; }
  double length() const { return length_; }
  /// Radius if the part below the widest place is exactly a half ball, else 0.
  double ballRadius() const { return ballRadius_; }

  /// Height of the lower side at radius r (0 <= r <= maxRadius), and its slope dz/dr (infinite at a vertical side).
  double height(double r, double* slope = nullptr) const;
  /// Largest radius at height z (0 where the body does not reach).
  double radiusAt(double z) const;
  /// Point of the profile whose outward normal is (sin t, -cos t); the innermost one if there are many.
  Vec2 support(double sinT, double cosT) const;
  /// max over the body of y . m for a direction m with radial part mr >= 0 and axial part mz (unit).
  double supportValue(double mr, double mz) const {
    const Vec2 p = support(mr, -mz);
    return p.x() * mr + p.y() * mz;
  }
  /// Signed distance of (r, z), r >= 0, to the body (negative inside), and its gradient. Exact. `nearest`: the side that decides.
  double distance(double r, double z, Vec2& gradient, const ProfileSide** nearest = nullptr) const;
  /// Outward normal angle at a boundary point of the lower side given by its radius.
  double normalAngle(double r) const;
  /// Body grown so that it keeps `wall` to a vertical wall and `floor` to a level floor. With equal values it is the
  /// parallel body; the excess of one over the other is added radially or axially. Both >= 0. The tip then lies at
  /// z = -floor; lengths along z are not rebased.
  Profile grown(double wall, double floor) const;
  /// Body within this one: all sides but the lid moved inward by `by` (what is left where they meet anew). Every place of this body lies
  /// within `within` of it: `by` itself where the profile is smooth, more at its edges. Nothing where too little would be left.
  std::optional<Profile> shrunk(double by, double& within) const;
  /// Radius of the tightest round below the widest place; 0 where there is a sharp corner.
  double leastRound() const;
  /// The body that keeps an allowance along the normal where it just touches: grown by it, or shrunk where it is negative. Throws Error
  /// where the rounds are no larger than that.
  Profile keeping(double allowance) const;
  /// Height from which the side is a cylinder up to the lid; infinite if it is none.
  double wallFrom() const { return wallFrom_; }
  /// Lowest z (0, or -floor for a grown body).
  double lowest() const { return lowest_; }

private:
  void finish(const std::string& name);
  std::vector<ProfilePiece> pieces_; // with side and lid
  std::vector<ProfileSide> sides_;
  double maxRadius_ = 0, length_ = 0, ballRadius_ = 0, lowest_ = 0, wallFrom_ = kInfinity;
};

ProfilePiece lineTo(const Vec2& from, const Vec2& to);
/// Arc about `center`, turning left (convex), from one point to another.
ProfilePiece arcTo(const Vec2& from, const Vec2& to, const Vec2& center);

} // namespace hemline
