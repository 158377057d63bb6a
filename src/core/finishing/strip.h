// The strip between two neighbouring passes: what it leaves (cusp, or scallop), found on its crest line.
#pragma once
#include "finishing/pass.h"

namespace hemline {

/// What strips are measured against.
struct StripPromise {
  double cusp = 0;   ///< promised, mm
  double target = 0; ///< mm: crests above it are asked whether the cutter can get there at all
};

/// Footings spread along a pass whose curves are known, `every` mm, by the golden ratio, so that they never keep step with the facets; and
/// where the ground begins and ends.
std::vector<Footing> footingsOf(const Pass& pass, double every);
/// As footings near `f` on its curve; nothing where the pass does not touch there.
std::optional<Footing> footingBeside(const Pass& pass, const Footing& f, double by);

class Strip {
public:
  /// Both passes are prepared. One strip per thread: it keeps what it found last.
  Strip(const LevelLines& lines, const Placing& placing, const StripPromise& promise, const Pass& a, const Pass& b)
      : lines_(lines), placing_(placing), p_(promise), a_(a), b_(b), ball_(placing.profile().ballRadius()) {}

  /// Height of the crest over the allowance across the strip from a place of the first pass (`fromA`), else of the second; 0 where no
  /// ground that the cutter can reach is left. The crest is where both passes leave the same, to half a percent of the cusp. `end`: normal
  /// of the ground where the way across ends. From the second pass only ground is told that no way from the first one comes over.
  double cuspFrom(const Footing& foot, bool fromA, Vec3* end = nullptr);
  /// Did the last way across come to the other pass's level? Else it ended at the border.
  bool arrived() const { return way_ && way_->arrived(); }

private:
  bool look(double x);
  bool reachable() const;

  const LevelLines& lines_;
  const Placing& placing_;
  const StripPromise& p_;
  const Pass &a_, &b_;
  double ball_;
  std::optional<WayAcross> way_;
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
  bool filleted_ = false;                             ///< that is on a virtual fillet over the ground
  double leftA_ = 0, leftB_ = 0;                      ///< by each pass there
};

} // namespace hemline
