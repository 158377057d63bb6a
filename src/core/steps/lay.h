// Which field's level lines the passes of a kind of step are: one line of `Lay` and one function a pattern.
#pragma once
#include "finishing/placing.h"
#include "graph/node.h"
#include "model/job.h"
#include "stock/sweep.h"
#include "surface/distance_fronts.h"
#include "surface/face_flow.h"
#include "surface/fine_mesh.h"
#include "surface/parallel_planes.h"
#include "surface/two_lays.h"
#include <memory>

namespace hemline {

/// A field on the surface as data; those that have no value at a place by themselves are found on the ground: see findField.
using Lay = std::variant<ParallelPlanes, DistanceFronts, TwoLayPlanes, FaceFlow>;

/// What a pattern may have to know besides what its step says of it.
struct LayAsk {
  Vec3 axis = Vec3::UnitZ(); ///< of the step
  double guide = 0;          ///< from the contact along the normal to what the field is of, mm: see guideOf
  const Job* job = nullptr;  ///< whose rails are meant; null: none are asked for
  double ball = 0;           ///< of a step that cuts with a ball: its radius with what is left of allowance, mm
};

/// On a fixed axis fields are of the cutter's guide point, so that the tip runs in them and is straight as seen along the axis; where the
/// axis follows the surface they are of the contact: 0.
inline double guideOf(const Finishing& finish, const Cutter& cutter) {
  return finish.follow ? 0 : Placing::guideRadius(makeProfile(cutter), finish.allowance);
}
/// What the patterns of a finishing step have to know.
inline LayAsk askFor(const Vec3& axis, const Finishing& finish, const Cutter& cutter, const Job& job) {
  return {axis, guideOf(finish, cutter), &job, cutter.kind == CutterKind::Ball ? 0.5 * cutter.diameter + finish.allowance : 0};
}
/// The points of rails, closed ones with their first one again. Throws Error: there is no such rail (`row`: of the step, that names them).
std::vector<std::vector<Vec3>> linesOf(const LayAsk& ask, const std::vector<std::string>& rails, const char* row);

inline ParallelPlanes layOf(const ParallelPasses& passes, const LayAsk& ask) {
  return ParallelPlanes::along(ask.axis, passes.angle, ask.guide);
}
inline ParallelPlanes layOf(const LevelPasses& passes, const LayAsk& ask) {
  return {passes.upward ? ask.axis : Vec3(-ask.axis), ask.guide};
}
/// Fronts as a step says them, in steps of even cusp or distance.
inline DistanceFronts frontsOf(const LayAsk& ask, const FrontsFrom& from, bool byCusp) {
  DistanceFronts fronts;
  fronts.from = linesOf(ask, from.rails, FrontsFrom::kRow), fronts.with = linesOf(ask, from.with, FrontsFrom::kWithRow);
  fronts.byCusp = byCusp;
  return fronts;
}
inline DistanceFronts layOf(const ConstantCuspPasses& passes, const LayAsk& ask) {
  return frontsOf(ask, passes.from, true);
}
inline DistanceFronts layOf(const ConstantSpacingPasses& passes, const LayAsk& ask) {
  return frontsOf(ask, passes.from, false);
}

inline TwoLayPlanes layOf(const TwoLayFinish& passes, const LayAsk& ask) {
  return {ParallelPlanes::along(ask.axis, passes.angle, ask.guide),
          {passes.upward ? ask.axis : Vec3(-ask.axis), ask.guide},
          ask.axis,
          passes.split,
          passes.overlap};
}

inline DistanceFronts layOf(const RailToRailPasses& passes, const LayAsk& ask) {
  DistanceFronts between;
  const auto lines = linesOf(ask, passes.rails, RailToRailPasses::kRow);
  if (lines.size() == 2) between.from = {lines[0]}, between.to = {lines[1]}; // a checked step has two
  return between;
}

inline DistanceFronts layOf(const AlongARailPasses& passes, const LayAsk& ask) {
  DistanceFronts beside;
  beside.from = linesOf(ask, passes.rails, AlongARailPasses::kRow), beside.sides = passes.sides;
  beside.byCusp = passes.width == 0, beside.beside = passes.width == 0 ? passes.passes : 0, beside.width = passes.width;
  return beside;
}
inline DistanceFronts layOf(const CornerPasses& passes, const LayAsk& ask) {
  DistanceFronts beside;
  beside.beside = passes.passes, beside.ball = ask.ball;
  return beside;
}
inline DistanceFronts layOf(const CleanUpPasses& passes, const LayAsk& ask) {
  DistanceFronts tight;
  tight.into = true, tight.valley = ask.ball;
  if (passes.really) {
    tight.left = passes.leftMore;
    return tight;
  }
  tight.ball = 0.5 * (passes.cutter.empty() ? passes.after : ask.job->cutter(passes.cutter).diameter) + passes.larger;
  return tight;
}

inline FaceFlow layOf(const FlowPasses& passes, const LayAsk&) {
  return {passes.alongV};
}

/// A lay of its own for ground of some slopes, radians.
struct LayPart {
  Lay lay;
  double slopeFrom = 0, slopeTo = kPi;
};
/// Most lays are one; those that are of several, steep ground first.
std::vector<LayPart> partsOf(const Lay& lay);

/// What was found of a field on a ground: values at the points of the part's fine mesh, and the levels of its passes.
struct FieldFound {
  std::vector<SideCut> cuts;             ///< more points of meshForFields
  std::vector<double> value, levels;     ///< the values of its points, these included
  std::vector<double> within;            ///< at the same points; not negative: passes are for this ground. Empty: for all
  double step = 0;                       ///< between the levels, as the field counts
  std::vector<std::vector<Vec3>> ridges; ///< lines that want a pass along them
  std::string told;                      ///< what is to be known of it before it is planned; a clause
};
/// What a step before cuts, as it was set.
struct EarlierCut {
  Ref<Path> path;
  Cutter cutter;
};
std::vector<Sweep> sweepsOf(const std::vector<EarlierCut>& cuts);
struct FieldIn {
  std::shared_ptr<const Part> part;
  std::vector<char> ground; ///< flags of facets
  Cutter cutter;
  Lay lay;
  double cusp = 0; ///< mm, to be left between passes
  Vec3 axis = Vec3::UnitZ();
  TiltRule tilt;
  double allowance = 0;            ///< mm
  double fillet = 0;               ///< virtual, mm; 0: none
  std::vector<EarlierCut> earlier; ///< where the lay asks for what is left; else none
};
/// Throws Error where fronts do not come to all of the ground.
FieldFound findField(const FieldIn& in, Progress& progress);
/// Of flags of the part's facets those that lie in the ground of a field, or partly.
std::vector<char> groundWithin(const std::shared_ptr<const Part>& part, const std::vector<char>& ground, const FieldFound& found);
/// Does it ask for what the steps before leave?
bool followsWhatIsLeft(const Lay& lay);
/// Do passes of it run along the corners that the cutter touches on both sides?
bool runsAlongCorners(const Lay& lay);
/// Is it one that has to be found?
bool isFound(const Lay& lay);

/// Are its lines levels along the axis?
bool areLevels(const Lay& lay, const Vec3& axis);

/// A field ready to be asked: one in closed form, or one that was found.
struct Laid {
  Lay lay;
  Ref<FieldFound> found; ///< null: in closed form
};
/// The mesh that fields which are found live on.
FineMesh meshForFields(const std::shared_ptr<const Part>& part, const std::vector<SideCut>& cuts = {});
/// Of places on the part; with `own` of places on meshForFields. What is given is kept by reference as long as the field is asked.
std::unique_ptr<SurfaceField> fieldOf(const Laid& laid, const std::shared_ptr<const Part>& part, const FineMesh* own = nullptr);

} // namespace hemline
