// Distance between an assembly that moves and a mesh, certified from below (continuous collision detection on swept convex hulls).
#pragma once
#include "cutter/cutter.h"
#include "geometry/tree.h"

namespace hemline {

/// Support points: farthest along d (any length). Of a cutting part or body from its tip, about its axis; of a triangle.
Vec3 farthestOf(const Profile& profile, const Vec3& axis, const Vec3& d);
Vec3 farthestOf(const Body& body, const Vec3& axis, const Vec3& d);
const Vec3& farthestOf(const std::array<Vec3, 3>& triangle, const Vec3& d);

struct PoseOf {
  Vec3 tip, axis;
};

/// Convex pieces of one assembly: its bodies, and the cutting part too where it may not touch anything (rapids).
class MovingBody {
public:
  MovingBody(const std::vector<Body>& bodies, const Profile* cutter, double reach);

  struct Distance {
    double low = 0, high = kInfinity; ///< certified lower bound, and what is met, mm; 0 where the bodies overlap
    Vec3 at = Vec3::Zero();           ///< place on the mesh
    int kind = 0;                     ///< which body
  };
  /// Least distance over the move from a to b (tip straight, axis along the great circle), where it is less than `enough`; else
  /// low = enough. high - low <= tolerance + 2 * bend. The swept piece is taken as the hull of its two ends; a turning one leaves that
  /// hull by less than bend = reach * angle^2 / 8 (interpolation of a circle), which is taken off.
  Distance distance(const MeshTree& mesh, const PoseOf& a, const PoseOf& b, double enough, double tolerance) const;
  double bend(const PoseOf& a, const PoseOf& b) const;
  /// Farthest that any point of the assembly gets from where it is half way, by arc, mm.
  double travel(const PoseOf& a, const PoseOf& b) const;
  /// Least signed distance between the standing assembly and corners and middles of the mesh's facets: an upper bound, negative
  /// where some of them lie inside.
  double depth(const MeshTree& mesh, const PoseOf& pose, Vec3& at, int& kind) const;
  double reach() const { return reach_; }
  /// No place lies deeper than this in the bodies, mm.
  double thickness() const { return thickness_; }

private:
  struct Piece {
    const Profile* profile; // null: a frustum
    Body body;
  };
  static double pieceDistance(const Piece& piece, double r, double z);
  /// No more than pieceDistance: distance to the cylinder about the piece, or less.
  static double outside(const Piece& piece, double r, double z);
  static Vec3 farthest(const Piece& piece, const PoseOf& pose, const Vec3& d);
  std::vector<Piece> pieces_;
  double reach_, thickness_ = 0;
};

} // namespace hemline
