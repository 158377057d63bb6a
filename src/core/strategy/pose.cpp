#include "strategy/pose.h"
#include "strategy/exact_touch.h"

namespace hemline {

PlanFrame planFrame(const Vec3& up, double angle) {
  Vec3 e1, e2;
  frameAround(up, e1, e2);
  return {std::cos(angle) * e1 + std::sin(angle) * e2, -std::sin(angle) * e1 + std::cos(angle) * e2, up};
}

Vec3 leanAxis(const Vec3& n, const Vec3& f, double lead, double tilt) {
  const Vec3 led = std::cos(lead) * n + std::sin(lead) * f;
  return Eigen::AngleAxisd(-tilt, f) * led;
}

PoseField::PoseField(const Part& p, const Profile& cutter, const PlanFrame& f, const TiltRule& r, double keep)
    : part(&p), profile(cutter), frame(f), rule(r), allowance(keep), grown_(keep > 0 ? cutter.grown(keep, keep) : cutter) {
  top_ = -1e300;
  const Box b = p.mesh.bounds();
  for (int i = 0; i < 8; ++i)
    top_ = std::max(top_, Vec3(i & 1 ? b.low.x() : b.high.x(), i & 2 ? b.low.y() : b.high.y(), i & 4 ? b.low.z() : b.high.z()).dot(f.up));
  top_ += 1;
}

Vec2 PoseField::planFor(const Vec3& p, const Vec3& n) const {
  return frame.plan(rule.follow ? p : tipFor(grown_, p, n, frame.up));
}

std::optional<Location> PoseField::at(double u, double w, int& hint, double* lift) const {
  Location out;
  out.motion = Motion::Cut;
  Vec3 line = frame.at(u, w);
  out.axis = frame.up;
  if (rule.follow) {
    const RayHit hit = castRay(*part->tree, frame.at(u, w) + top_ * frame.up, -frame.up);
    if (!hit.hit) return std::nullopt;
    auto [p, n] = placeOn(*part, static_cast<std::size_t>(hit.triangle), hit.u, hit.v);
    if (!part->surface) n = part->mesh.smoothNormal(static_cast<std::size_t>(hit.triangle), hit.u, hit.v);
    if (n.dot(frame.up) <= 1e-6) return std::nullopt;
    const Vec3 f = frame.across.cross(n).normalized();
    out.axis = leanAxis(n, f, rule.lead, rule.tilt);
    line = tipFor(grown_, p, n, out.axis);
    if (hint < 0) hint = hit.triangle;
  }
  Touch touch = touchAlong(*part->tree, grown_, out.axis, line, hint);
  if (!touch.hit) return std::nullopt;
  if (part->surface) touchExactly(*part, grown_, out.axis, line, touch);
  hint = touch.triangle;
  if (lift) *lift = rule.follow ? touch.height : 0;
  out.tip = line + touch.height * out.axis;
  out.contact = touch.contact;
  out.normal = touch.normal;
  return out;
}

double PoseField::reach(const Vec3& p, const Vec3& n, double enough, Vec2& at, double finest) const {
  int hint = -1;
  const auto distance = [&](const Vec2& uw, double steepest = -1) {
    const auto l = this->at(uw.x(), uw.y(), hint);
    if (!l || l->normal.dot(n) < steepest) return 1e300;
    const Vec3 v = p - l->tip;
    const double z = v.dot(l->axis);
    Vec2 g;
    return profile.distance((v - z * l->axis).norm(), z, g);
  };
  at = planFor(p, n);
  double best = distance(at);
  if (best <= enough) return best;
  // From the best of several starts: at the foot of a thin wall the way down may lead over the wall, to its other side. None
  // where the cutter stands beside the part: what it touches from there no pass over the ground can.
  constexpr double kSameSide = 0.3;
  const std::array around{Vec2(1, 0), Vec2(-1, 0), Vec2(0, 1), Vec2(0, -1), Vec2(.7, .7), Vec2(-.7, .7), Vec2(.7, -.7), Vec2(-.7, -.7)};
  const auto start = [&](const Vec2& from, double steepest) {
    if (const double other = distance(from, steepest); other < best) best = other, at = from;
  };
  const Vec2 over = frame.plan(p);
  start(over, -1);
  for (const Vec2& d : around) start(over + 1.05 * profile.maxRadius() * d, kSameSide); // not exactly beside the wall
  double step = profile.maxRadius() / 4;
  while (step > finest && best > std::max(enough, 1e-7)) {
    bool moved = false;
    for (const Vec2& d : around)
      if (const double e = distance(at + step * d); e < best - 1e-9) {
        best = e, at += step * d, moved = true;
        break;
      }
    if (!moved) step *= 0.5;
  }
  return best;
}

} // namespace hemline
