// One clamping: how the part stands on the machine, what holds it, where its work zero is.
#pragma once
#include "geometry/frame.h"
#include "geometry/mesh.h"
#include "hold/datum.h"
#include "hold/fixture.h"
#include "hold/outside.h"
#include "toolpath/path.h"

namespace hemline {

/// A turn of the part about an axis of the clamping frame (0 x, 1 y, 2 z), radians.
struct Turn {
  int axis = 0;
  double angle = 0;
};

/// What the datum of a later clamping is found on: two dowels in holes that the machine drilled itself.
struct Dowels {
  double play = 0;   ///< hole less dowel, in diameter, mm
  double span = 0;   ///< between the two, mm; 0: not located by dowels
  double off = 0;    ///< how far a hole may lie from its place, mm
  Vec2 middle{0, 0}; ///< between the two, in the clamping frame
};

struct Clamping {
  std::string name = "clamping 1";
  std::vector<Turn> turns;      ///< in order, from how the part lies in its own frame
  Vec3 origin = Vec3::Zero();   ///< the work zero, in the part's frame
  std::optional<Vec3> workZero; ///< where it lies in the frame of the machine's table, mm; none: as the machine says
  std::string datum = "work zero at the part's origin";
  std::vector<Fixture> fixtures;
  std::optional<Dowels> dowels;
  std::optional<ZeroFinding> finding; ///< how the operator finds the work zero
  std::optional<Outside> outside;     ///< what was done to the stock between the clamping before and this one
  bool tailstock = false;             ///< the far end is held across, too
};

/// From the part's frame into the clamping's. Quarter turns are exact.
Frame frameOf(const Clamping& clamping);
/// A work zero at which the lowest place of the blank (a box of the part's frame) stands `high` above the table, its middle over the
/// table's.
Vec3 standingZero(const Clamping& clamping, const Box& blank, double high);
/// A path of the part's frame in the clamping's, or back.
Path pathInto(const Path& path, const Frame& frame);
Path pathOut(const Path& path, const Frame& frame);

/// How far a place of the clamping frame may be displaced across the dowels' axis (z), mm: play/2 + off as a whole, and the turn that both
/// allow, (play + 2 off) / span, times the distance from their middle. From above; 0 without dowels.
double displacement(const Dowels& dowels, const Vec2& at);

/// What the clamping itself adds to where the work may lie: finding of the zero, dowels, at the worst corner of the blank (a box of the
/// part's frame), mm.
double placingUncertainty(const Clamping& clamping, const Box& blank);

/// Where the ground that one clamping finishes ends, and the step that its dowels leave there against what was cut before.
struct Seam {
  double length = 0;      ///< of that border, mm
  double meets = 0;       ///< of it, along ground that an earlier clamping finishes
  double step = 0;        ///< largest displacement along the surface's normal on either side of it, mm
  Vec3 at = Vec3::Zero(); ///< where, in the part's frame
};
/// `finishedIn`: per facet the clamping that finishes it first, from 0, or -1.
Seam seamBetween(const Mesh& mesh, const std::vector<int>& finishedIn, int later, const Frame& frame, const Dowels& dowels);

} // namespace hemline
