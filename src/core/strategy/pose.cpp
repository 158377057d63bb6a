#include "strategy/pose.h"
#include "strategy/exact_touch.h"

namespace hemline {

PlanFrame planFrame(const Vec3& up, double angle) {
  assert(isUnit(up));
  Vec3 e1, e2;
  frameAround(up, e1, e2);
  return {std::cos(angle) * e1 + std::sin(angle) * e2, -std::sin(angle) * e1 + std::cos(angle) * e2, up};
}

Vec3 leanAxis(const Vec3& n, const Vec3& f, double lead, double tilt) {
  assert(isUnit(n) && isUnit(f));
  const Vec3 led = std::cos(lead) * n + std::sin(lead) * f;
  return Eigen::AngleAxisd(-tilt, f) * led;
}

PoseField::PoseField(const Part& p, const Profile& cutter, const PlanFrame& f, const TiltRule& r, double keep)
    : part(&p), profile(cutter), frame(f), rule(r), allowance(keep), grown_(keep > 0 ? cutter.grown(keep, keep) : cutter) {
  top_ = -kInfinity;
  const Box b = p.mesh.bounds();
  for (int i = 0; i < 8; ++i)
    top_ = std::max(top_, Vec3(i & 1 ? b.low.x() : b.high.x(), i & 2 ? b.low.y() : b.high.y(), i & 4 ? b.low.z() : b.high.z()).dot(f.up));
  top_ += 1;
}

Vec2 PoseField::planFor(const Vec3& p, const Vec3& n) const {
  return frame.plan(rule.follow ? p : tipFor(grown_, p, n, frame.up));
}

std::optional<Location> PoseField::at(double u, double w, int& hint, double* lift, double ceiling) const {
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
  const bool limited = !rule.follow && !part->surface;
  Touch touch = touchAlong(*part->tree, grown_, out.axis, line, hint, limited ? ceiling : kInfinity);
  if (!touch.hit) return std::nullopt;
  if (limited && touch.height > ceiling) {
    hint = touch.triangle;
    return std::nullopt;
  }
  if (part->surface) touchExactly(*part, grown_, out.axis, line, touch);
  hint = touch.triangle;
  if (lift) *lift = rule.follow ? touch.height : 0;
  out.tip = line + touch.height * out.axis;
  out.contact = touch.contact;
  out.normal = touch.normal;
  return out;
}

namespace {

/// Place nearest to `from` in the half spaces normal . c >= level (tuples of their planes are tried, which is exact; at most a dozen).
std::optional<Vec3> nearestIn(const std::vector<std::pair<Vec3, double>>& spaces, const Vec3& from) {
  std::optional<Vec3> best;
  double least = kInfinity;
  const auto offer = [&](const Vec3& c) {
    constexpr double kIn = 1e-9; // mm
    if (!c.allFinite() || (c - from).squaredNorm() >= least) return;
    for (const auto& [n, level] : spaces)
      if (n.dot(c) < level - kIn) return;
    least = (c - from).squaredNorm(), best = c;
  };
  // On planes of normals N: from + N^T (N N^T)^-1 (level - N from).
  const std::size_t k = spaces.size();
  offer(from);
  for (std::size_t i = 0; i < k; ++i) {
    const auto& [a, la] = spaces[i];
    const double ra = la - a.dot(from);
    offer(from + ra * a);
    for (std::size_t j = 0; j < i; ++j) {
      const auto& [b, lb] = spaces[j];
      const double rb = lb - b.dot(from), ab = a.dot(b), det = 1 - ab * ab;
      if (!(det > 1e-9)) continue;
      offer(from + (ra - ab * rb) / det * a + (rb - ab * ra) / det * b);
      for (std::size_t l = 0; l < j; ++l) {
        Eigen::Matrix3d N;
        N << a.transpose(), b.transpose(), spaces[l].first.transpose();
        if (std::abs(N.determinant()) > 1e-6) offer(N.inverse() * Vec3(la, lb, spaces[l].second));
      }
    }
  }
  return best;
}

} // namespace

std::optional<Vec3> PoseField::nearestCentre(const Vec3& p, const Vec3& n) const {
  constexpr double kTouching = 1e-6; // mm
  constexpr double kOn = 1e-3;       // of the radius: nearer to a facet than this its normal tells the way
  constexpr std::size_t kMost = 10;  // half spaces at a time: three are needed
  const double R = grown_.ballRadius();
  std::vector<std::pair<Vec3, double>> spaces{{n, n.dot(p) + R}};
  Vec3 c = p + R * n;
  for (int i = 0; i < 40; ++i) {
    const Nearest near = closestPoint(*part->tree, c, R - kTouching);
    if (near.triangle < 0) return c;
    const Vec3 away = c - near.point;
    const double d = away.norm();
    Vec3 side = away / d, on = near.point;
    if (const Vec3 facet = part->mesh.facetNormal(static_cast<std::size_t>(near.triangle)); d < kOn * R) {
      side = facet;
    } else if (away.dot(facet) < -1e-9 * d) {
      // Within the part: through the facet that is met on the way from p.
      const RayHit hit = castRay(*part->tree, p + kTouching * n, (c - p).normalized());
      if (!hit.hit || hit.distance > (c - p).norm()) return std::nullopt;
      side = part->mesh.facetNormal(static_cast<std::size_t>(hit.triangle)), on = p + hit.distance * (c - p).normalized();
      if (side.dot(c - p) >= 0) return std::nullopt;
    }
    if (spaces.size() == kMost) spaces.erase(spaces.begin() + 1);
    spaces.emplace_back(side, side.dot(on) + R);
    const auto next = nearestIn(spaces, p);
    if (!next) return std::nullopt;
    c = *next;
  }
  return std::nullopt;
}

double PoseField::reach(const Vec3& p, const Vec3& n, double enough, Vec2& at, double finest, double coarsest, const Vec2* near,
                        double off) const {
  constexpr double kSameSide = 0.3, kWall = 0.087;
  int hint = -1;
  const Vec2 over = frame.plan(p);
  const double R = profile.ballRadius(), high = p.dot(frame.up);
  // Only what is below `below` matters: a ball that stands so high above p is looked at no further. Most tries are barred by one of the few
  // facets that were touched before.
  std::vector<int> touched; // the last ones first
  const auto remember = [&](int facet) {
    constexpr std::size_t kRemembered = 6;
    const auto known = std::find(touched.begin(), touched.end(), facet);
    if (known != touched.end())
      std::rotate(touched.begin(), known, known + 1);
    else if (facet >= 0)
      touched.insert(touched.begin(), facet);
    if (touched.size() > kRemembered) touched.pop_back();
  };
  const auto distance = [&](const Vec2& uw, double steepest = -1, double below = kInfinity) {
    double ceiling = kInfinity;
    if (R > 0 && below < kFinite && !rule.follow) {
      const double rise2 = (below + R) * (below + R) - (uw - over).squaredNorm();
      if (rise2 <= 0) return kInfinity;
      ceiling = high - R + std::sqrt(rise2);
      if (!part->surface && touchesAbove(part->mesh, touched, grown_, frame.up, frame.at(uw.x(), uw.y()), ceiling)) return kInfinity;
    }
    const auto l = this->at(uw.x(), uw.y(), hint, nullptr, ceiling);
    remember(hint);
    if (!l || l->normal.dot(n) < steepest) return kInfinity;
    // Beside the part, with the contact far round its outer edge: passes do not follow there.
    const Vec3 ground = part->mesh.facetNormal(static_cast<std::size_t>(hint));
    if (l->normal.dot(n) < kSwing && (ground.dot(frame.up) < kWall || l->normal.dot(ground) < kSwing) &&
        !castRay(*part->tree, l->tip + (top_ - l->tip.dot(frame.up)) * frame.up, -frame.up).hit)
      return kInfinity;
    const Vec3 v = p - l->tip;
    const double z = v.dot(l->axis);
    Vec2 g;
    return profile.distance((v - z * l->axis).norm(), z, g);
  };
  at = planFor(p, n);
  double best = distance(at);
  if (best <= enough) return best;
  double step = profile.maxRadius() / 4;
  const double longest = step;
  bool found = false; // near by, at least
  if (!rule.follow && grown_.ballRadius() > 0)
    if (const auto c = nearestCentre(p, n)) {
      constexpr double kSame = 1e-5;   // mm
      constexpr double kPolish = 2e-3; // mm: an exact surface leaves its facets by less
      const Vec2 there = frame.plan(*c);
      const double e = distance(there), wish = (*c - p).norm() - profile.ballRadius();
      // The way down along the axis may be barred.
      found = e < wish + (part->surface ? kPolish : kSame);
      if (found) step = part->surface ? kPolish : finest;
      if (found && e < best) best = e, at = there;
    }
  // From the best of several starts: at the foot of a thin wall the way down may lead over the wall, to its other side. None
  // where the cutter stands beside the part: what it touches from there no pass over the ground can.
  const std::array around{Vec2(1, 0), Vec2(-1, 0), Vec2(0, 1), Vec2(0, -1), Vec2(.7, .7), Vec2(-.7, .7), Vec2(.7, -.7), Vec2(-.7, -.7)};
  const auto start = [&](const Vec2& from, double steepest) {
    if (const double other = distance(from, steepest, best); other < best) best = other, at = from;
  };
  if (near && !found) start(*near, -1);
  if (near && best < kFinite) {
    if (!found) step = std::clamp(2 * off, 4 * finest, longest);
  } else if (!found) {
    start(over, -1);
    for (const Vec2& d : around) start(over + 1.05 * profile.maxRadius() * d, kSameSide); // not exactly beside the wall
  }
  // Beside a wall the way on is a narrow sector between the wall and what leads away: the directions turn by the golden angle from
  // try to try, and steps grow again where one was found.
  constexpr double kTurn = 2.399963229728653;
  constexpr int kMost = 400;      // tries in all
  constexpr double kShare = 2e-3; // of the distance, to which it is told at least
  const int turns = near ? 2 : 4; // sets of directions before the step is halved; fewer where the place is nearly known
  Vec2 heading(0, 0);             // the way that helped last
  const auto helps = [&](const Vec2& way) {
    const double e = distance(at + step * way, -1, best);
    if (!(e < best - 1e-9)) return false;
    best = e, at += step * way, heading = way;
    return true;
  };
  const auto fine = [&] { return std::clamp(kShare * best, finest, std::max(finest, coarsest)); };
  for (int tries = 0, in = 0; step > fine() && best > std::max(enough, 1e-7) && tries < kMost; ++tries) {
    const Vec2 turn(std::cos(kTurn * tries), std::sin(kTurn * tries));
    bool moved = heading.x() != 0 && helps(heading);
    for (std::size_t i = 0; i < around.size() && !moved; ++i)
      moved = helps(Vec2(turn.x() * around[i].x() - turn.y() * around[i].y(), turn.y() * around[i].x() + turn.x() * around[i].y()));
    if (moved)
      step = std::min(2 * step, longest), in = 0;
    else if (++in == turns)
      step *= 0.5, in = 0;
  }
  return best;
}

} // namespace hemline
