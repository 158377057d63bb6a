// Neighbouring passes on ground of one slope and one bend: what stands between them, how far apart they may lie, how fast the edge is
// there.
#pragma once
#include "cutter/profile.h"

namespace hemline {

/// Ground and passes seen across these; the axis is upright.
struct SpacingGround {
  double slope = 0;    ///< 0 level, radians, below a right angle
  double bend = 0;     ///< across the passes, 1/mm: a hump is positive, a hollow negative
  bool uphill = false; ///< passes run up and down the slope; else level, beside each other down it
};

/// The cutter's shadow along the passes: what a straight pass leaves, over the ground that it touches.
class PassShadow {
public:
  PassShadow(const Profile& profile, const SpacingGround& ground);
  /// Height over the ground so far beside the place that is touched, mm (0 there); of a flat, beside its middle. Exact on plane ground to
  /// 1e-9 mm, to the second order of `bend` beside it. Infinite beyond the cutter.
  double height(double beside) const;
  /// Of the crest between two passes `step` mm apart along the ground. Never falls with the step; infinite where they do not overlap, or
  /// where the hollow is as tight as the cutter.
  double cusp(double step) const;
  /// The widest step that leaves no more than a cusp, mm: to 1e-6 of the cutter's radius.
  double step(double cusp) const;

private:
  double lower(double u) const;
  double supportOf(double across, double down) const;
  Profile profile_;
  SpacingGround ground_;
  double touched_ = 0, lowest_ = 0; ///< where the ground is touched, and how far under the tip
};

/// Place (r, z) of the profile, over the tip, that touches ground of a slope; of a flat its middle, on level ground the tip.
Vec2 touchOf(const Profile& profile, double slope);
/// Radius at which the edge finishes the ground, mm: of flats their outer end.
double contactRadius(const Profile& profile, double slope);
/// Thickest chip, normal to the edge, mm: feed per tooth, thinned by the step-over and by the edge's own lean at the top of the cut
/// (VDI 3323, chip thickness in milling). `depth`: of what is cut away, along the axis, mm.
double thickestChip(const Profile& profile, double feedPerTooth, double step, double depth);

} // namespace hemline
