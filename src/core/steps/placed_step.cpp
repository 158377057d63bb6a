#include "steps/placed_step.h"
#include "geometry/frame.h"

namespace hemline {

PlacedStep placeStep(const Job& job, const Step& step) {
  const Frame f = frameOf(job.clampings[static_cast<std::size_t>(step.clamping)]);
  PlacedStep p{step, {}};
  // Passes keep their angle in the clamping's frame, and so do the axes of the boundary.
  Vec3 e1, e2, own1, own2;
  frameAround(step.axis, own1, own2);
  p.region.x = f.directionOut(own1), p.region.y = f.directionOut(own2);
  if (!f.same()) {
    Step& s = p.step;
    s.axis = f.directionOut(step.axis);
    frameAround(s.axis, e1, e2);
    const Placement at{f, p.region.plan(f.origin), s.axis.dot(f.origin), std::atan2(p.region.x.dot(e2), p.region.x.dot(e1))};
    std::visit(
        [&](auto& body) {
          if constexpr (requires { body.place(at); }) body.place(at);
        },
        s.body);
    if (Boundary* within = s.within())
      for (Vec2& c : within->points) c += at.moved;
  }
  if (const Boundary* within = p.step.within()) p.region.boundary = within->points;
  if (const Finishing* finish = p.step.finishing())
    p.region.meaning = finish->meaning, p.region.slopeFrom = finish->slopeFrom, p.region.slopeTo = finish->slopeTo,
    p.region.patches = finish->patches;
  return p;
}

std::vector<Vec2> acrossAxis(const PlacedStep& placed, const std::vector<Vec2>& places) {
  Vec3 e1, e2;
  frameAround(placed.step.axis, e1, e2);
  std::vector<Vec2> out;
  for (const Vec2& p : places) {
    const Vec3 at = p.x() * placed.region.x + p.y() * placed.region.y;
    out.emplace_back(e1.dot(at), e2.dot(at));
  }
  return out;
}

} // namespace hemline
