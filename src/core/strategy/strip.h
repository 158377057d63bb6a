// The strip between two neighbouring passes: what it leaves (cusp, or scallop), found on its crest line.
#pragma once
#include "geometry/ray_bundle.h"
#include "stock/sweep.h"
#include "strategy/pose.h"
#include <map>
#include <memory>

namespace hemline {

struct Station {
  double u;
  Location at;
};
using Run = std::vector<Station>; ///< one uninterrupted stretch of a pass

struct Pass {
  double w = 0;
  std::vector<Run> runs;
  std::size_t lifted = 0;       ///< locations that gave way by more than the chord tolerance
  std::unique_ptr<Sweep> sweep; ///< of its runs, while its strips are measured
};

/// Passes and strips of a plan, by where they lie across, for a plan with the same options and more passes.
struct PassMemory {
  std::map<double, Pass> passes;                      ///< without their sweeps
  std::map<std::pair<double, double>, double> strips; ///< cusp of a strip between two passes, mm
};

/// What a strip is measured against.
struct Ground {
  const Part& part;
  const PoseField& field;
  const std::vector<char>& region; ///< per facet
  double allowance, cusp;          ///< mm
  double target;                   ///< mm: crests above it are asked whether the cutter can get there at all
  double top;                      ///< height from which the ground is looked for
};

class Strip {
public:
  /// Where the two passes touch at the same place along them.
  struct Ends {
    Vec2 a = Vec2::Zero(), b = Vec2::Zero(); ///< in plan
    Vec3 normalA = Vec3::Zero(), normalB = Vec3::Zero();
  };
  /// Both passes have their sweep. One strip per thread: it keeps what it found last.
  Strip(const Ground& ground, const Pass& a, const Pass& b)
      : g_(ground), a_(a), b_(b), ball_(ground.field.profile.ballRadius()), down_(*ground.part.tree, -ground.field.frame.up) {}

  /// Height of the crest over the allowance at u, mm; 0 where the strip has no ground, or none that the cutter can reach.
  /// The crest is where both passes leave the same, to half a percent of the cusp.
  double cuspAt(double u, Ends& ends);

private:
  bool look(double x, const Ends& ends);
  double cuspBeside(bool onA, Ends& ends);
  bool reachable() const;
  static bool contactAt(const PoseField& field, const Pass& pass, double u, Vec2& at, Vec3& normal);

  const Ground& g_;
  const Pass &a_, &b_;
  double ball_;
  RayBundle down_;
  int hintA_ = -1, hintB_ = -1;
  /// Moves that matter for places and normals near one.
  struct Moves {
    Sweep::Near a, b;
    Vec3 at = Vec3::Zero(), normal = Vec3::Zero();
    double from = -1; ///< how near, mm; negative: none
  };
  double offFrom(const Moves& moves) const { return (place_ - moves.at).norm() + ball_ * (normal_ - moves.normal).norm(); }
  Moves wide_, near_;                                 ///< the near ones are sifted from the wide ones
  double high_ = 0;                                   ///< to which they are known, mm along the normal
  Vec3 place_ = Vec3::Zero(), normal_ = Vec3::Zero(); ///< looked at last
  double leftA_ = 0, leftB_ = 0;                      ///< by each pass there
  bool ground_ = false;                               ///< is there ground of the region at all?
};

} // namespace hemline
