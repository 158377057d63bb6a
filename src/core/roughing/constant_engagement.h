// Constant-engagement roughing (trochoidal in slots): passes of a level that never take more of the cutter's side than asked: a
// walk that turns as far towards the material as the arc in it allows, through open sides, corners and slots alike.
//
// The slice is kept as a signed distance on a grid, read between its places, and every step of the walk is taken out of it at once; so each
// arc is that of the circle in what is really left, and it is known to about a thousandth of the radius. A disc that moves straight sweeps
// R (1 - cos arc) of new ground to its side whatever the border's form: that is why a constant arc is a constant rate, and why the length
// of all passes times this width is the area, were they never less engaged. (I. Stori and P. Wright, J. Manuf. Sci. Eng. 122, 2000, plan
// such passes for convex pockets by offsets; here the walk does without a form.)
#pragma once
#include "base/progress.h"
#include "geometry/outline.h"

namespace hemline {

struct EngagementOptions {
  double radius = 5;     ///< of the ring that is looked at, mm
  double arc = 1;        ///< most of it in material, radians, less than pi
  double smallest = 1;   ///< radius of the tightest turn away from the material, mm
  double helix = 0;      ///< largest radius of a helix to enter by, mm; 0: only from air
  double room = 1;       ///< more than the radius that has to be free where the cutter comes down from air, mm
  double farthest = 1e9; ///< a way through cleared ground longer than this is not taken, mm
};

struct EngagedPass {
  enum class By { Along, Air, Helix, Ramp };
  By by = By::Along;
  /// Along: from the end of the pass before, through cleared ground; Air: from where the cutter comes down, at the level; both end where
  /// `line` begins. Ramp: the line to and fro.
  Outline way;
  Vec2 centre = Vec2::Zero(); ///< of the helix, counter-clockwise down to the start of `line`
  double radius = 0;
  Outline line; ///< the axis; material on the right
};

struct EngagedLevel {
  std::vector<EngagedPass> passes;
  double length = 0;          ///< of their lines, mm
  double area = 0;            ///< taken by the lines, mm^2
  double left = 0;            ///< that could be reached but not within the arc, or not entered, mm^2
  std::size_t notEntered = 0; ///< separate places of it without air, helix or ramp
  /// Length against area over the width that the arc sweeps; 1 where every pass is fully engaged.
  double efficiency(const EngagementOptions& o) const { return area > 0 ? length * o.radius * (1 - std::cos(o.arc)) / area : 0; }
};

/// Passes that clear `wanted` of `material`. `free`: where the axis may be; `material`: all that the ring could meet; `at`: where the
/// cutter stands at this level, if it does. Time grows with the length of the passes. Throws Error for an arc or radius out of range.
EngagedLevel engagedPasses(const Outlines& free, const Outlines& material, const Outlines& wanted, const EngagementOptions& options,
                           const Vec2* at, Progress& progress);

} // namespace hemline
