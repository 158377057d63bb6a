// Which field's level lines the passes of a kind of step are: one line of `Lay` and one function a pattern.
#pragma once
#include "finishing/placing.h"
#include "model/step.h"
#include "surface/parallel_planes.h"
#include <memory>

namespace hemline {

/// A field on the surface as data.
using Lay = std::variant<ParallelPlanes>;

/// What a pattern may have to know besides what its step says of it.
struct LayAsk {
  Vec3 axis = Vec3::UnitZ(); ///< of the step
  double guide = 0;          ///< from the contact along the normal to what the field is of, mm: see guideOf
};

/// On a fixed axis fields are of the cutter's guide point, so that the tip runs in them and is straight as seen along the axis; where the
/// axis follows the surface they are of the contact: 0.
inline double guideOf(const Finishing& finish, const Cutter& cutter) {
  return finish.follow ? 0 : Placing::guideRadius(makeProfile(cutter), finish.allowance);
}

inline ParallelPlanes layOf(const ParallelPasses& passes, const LayAsk& ask) {
  return ParallelPlanes::along(ask.axis, passes.angle, ask.guide);
}

inline std::unique_ptr<SurfaceField> fieldOf(const Lay& lay) {
  return std::visit([]<class P>(const P& pattern) -> std::unique_ptr<SurfaceField> { return std::make_unique<FieldOf<P>>(pattern); }, lay);
}

/// Values of the field where something was measured.
inline std::vector<double> levelsOf(const Lay& lay, const std::vector<Touching>& places) {
  const auto field = fieldOf(lay);
  std::vector<double> out;
  for (const Touching& t : places) out.push_back(field->value(t.on, t.place));
  return out;
}

} // namespace hemline
