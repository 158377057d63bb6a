#include "strategy/strip.h"

namespace hemline {
namespace {

constexpr double kJump = 1.4;   // times the step in plan: contacts farther apart have jumped
constexpr double kBeside = 0.6; // ball radii: how far ground is looked for beside a pass that has no neighbour there
constexpr double kDepth = 1.0;  // mm: rays start this far inside
constexpr double kWide = 4;     // times as far about a place moves are gathered as they are asked

} // namespace

/// Where a pass touches at u, between the places it was made of: in plan, with the normal.
bool Strip::contactAt(const PoseField& field, const Pass& pass, double u, Vec2& at, Vec3& normal) {
  for (const Run& run : pass.runs) {
    if (u < run.front().u || u > run.back().u) continue;
    const auto next = std::upper_bound(run.begin() + 1, run.end() - 1, u, [](double x, const Station& s) { return x < s.u; });
    const Station &a = *(next - 1), &b = *next;
    const double x = b.u > a.u ? std::clamp((u - a.u) / (b.u - a.u), 0.0, 1.0) : 0.0;
    at = field.frame.plan(a.at.contact + x * (b.at.contact - a.at.contact));
    normal = (a.at.normal + x * (b.at.normal - a.at.normal)).normalized();
    return true;
  }
  return false;
}

/// What each pass leaves at the share x of the way between the contacts. False where there is no ground.
bool Strip::look(double x, const Ends& ends) {
  const Vec3& up = g_.field.frame.up;
  const Vec2 at = ends.a + x * (ends.b - ends.a);
  const RayHit hit = down_.cast(g_.field.frame.at(at.x(), at.y()) + g_.top * up);
  ground_ = hit.hit && g_.region[static_cast<std::size_t>(hit.triangle)];
  if (!ground_) return false;
  const Place ground = placeOn(g_.part, static_cast<std::size_t>(hit.triangle), hit.u, hit.v);
  place_ = ground.point, normal_ = ground.normal;
  // The moves that matter here are found once for the whole search, unless the ground turns or runs too far away.
  if (ball_ > 0 && (near_.from < 0 || offFrom(near_) > near_.from)) {
    const double from = 0.75 * (ends.b - ends.a).norm();
    high_ = g_.allowance + 4 * g_.cusp;
    if (wide_.from < 0 || offFrom(wide_) + from > wide_.from) {
      wide_.at = place_, wide_.normal = normal_, wide_.from = kWide * from;
      a_.sweep->piecesNear(place_, normal_, 1.5 * wide_.from, high_ + wide_.from, wide_.a);
      b_.sweep->piecesNear(place_, normal_, 1.5 * wide_.from, high_ + wide_.from, wide_.b);
    }
    near_.at = place_, near_.normal = normal_, near_.from = from;
    a_.sweep->sift(wide_.a, place_, normal_, 1.5 * from, high_ + from, near_.a);
    b_.sweep->sift(wide_.b, place_, normal_, 1.5 * from, high_ + from, near_.b);
  }
  const double limit = g_.allowance + 50 * g_.cusp + 0.02;
  const auto first = [&](const Sweep& sweep, const Sweep::Near& near, int hint) {
    return ball_ > 0 ? sweep.firstEntry(place_, normal_, kDepth, limit, near, high_, hint)
                     : sweep.firstEntry(place_, normal_, kDepth, limit, hint);
  };
  const Sweep::Entry A = first(*a_.sweep, near_.a, hintA_), B = first(*b_.sweep, near_.b, hintB_);
  if (A.move >= 0) hintA_ = A.move;
  if (B.move >= 0) hintB_ = B.move;
  leftA_ = std::min(A.t, limit), leftB_ = std::min(B.t, limit);
  return A.move >= 0 || B.move >= 0;
}

/// Can this cutter touch the place at all? Where it cannot, no spacing helps: that is rest, not cusp.
bool Strip::reachable() const {
  Vec2 at;
  return g_.field.reach(place_, normal_, g_.allowance + 0.2 * g_.cusp, at, g_.field.profile.maxRadius() / 64) - g_.allowance <
         0.25 * g_.cusp;
}

/// Where only one of the passes touches: the ground from its contact towards the other, as far as there is any.
double Strip::cuspBeside(bool onA, Ends& ends) {
  constexpr int kPlaces = 24;
  if (ball_ <= 0) return 0;
  (onA ? ends.b : ends.a) = (onA ? ends.a : ends.b) + Vec2(0, (onA ? 1 : -1) * kBeside * ball_);
  double most = 0, where = 0;
  for (int k = 1; k <= kPlaces; ++k) {
    const double x = onA ? double(k) / kPlaces : 1 - double(k) / kPlaces;
    if (!look(x, ends) && !ground_) break;
    if (const double left = std::min(leftA_, leftB_) - g_.allowance; left > most) most = left, where = x;
    if (most > g_.target) break;
  }
  if (most > g_.target) {
    look(where, ends);
    if (!reachable()) most = 0;
  }
  return most;
}

double Strip::cuspAt(double u, Ends& ends) {
  ends = {Vec2(u, a_.w), Vec2(u, b_.w)};
  near_.from = -1;
  near_.a.clear(), near_.b.clear();
  // A fixed axis places the tip, not the contact, in plan: on a slope the contacts of both passes lie aside, and ahead or behind.
  if (!g_.field.rule.follow) {
    const bool onA = contactAt(g_.field, a_, u, ends.a, ends.normalA), onB = contactAt(g_.field, b_, u, ends.b, ends.normalB);
    if (!onA && !onB) return 0;
    if (onA != onB) return cuspBeside(onA, ends);
  }
  // The contacts themselves are no crest; a hair inside them the ground is surely there.
  double lo = 1e-4, hi = 1 - 1e-4;
  bool good = look(lo, ends);
  double lowDiff = leftA_ - leftB_;
  good = good && look(hi, ends);
  double highDiff = leftA_ - leftB_;
  // On an edge or a border the ground may leave the region, or the two moves need not cross: then it is only sampled.
  const bool crossing = good && lowDiff <= 0 && highDiff >= 0;
  double best = 0;
  for (int k = 0; k < 24 && crossing; ++k) {
    double x = k % 3 == 2 ? 0.5 * (lo + hi) : lo - lowDiff * (hi - lo) / (highDiff - lowDiff);
    if (!(x > lo && x < hi)) x = 0.5 * (lo + hi);
    if (!look(x, ends)) break;
    const double d = leftA_ - leftB_;
    best = std::max(best, std::min(leftA_, leftB_));
    if (std::abs(d) < 0.005 * g_.cusp || hi - lo < 1e-4) break;
    if (d < 0)
      lo = x, lowDiff = d;
    else
      hi = x, highDiff = d;
  }
  double h = best - g_.allowance;
  if (h > g_.target && !reachable()) h = 0;
  // Contacts far apart: the cutter jumps from one wall of a hollow to the other, and there may be more crests than one.
  const double apart = (ends.b - ends.a).norm(), step = b_.w - a_.w;
  if (ball_ > 0 && (!crossing || (h <= g_.target && apart > kJump * step))) {
    const int places = std::clamp(static_cast<int>(6 * apart / step), 12, 64);
    double most = h, where = -1;
    for (int k = 1; k < places; ++k)
      if (look(double(k) / places, ends) && std::min(leftA_, leftB_) - g_.allowance > most)
        most = std::min(leftA_, leftB_) - g_.allowance, where = double(k) / places;
    // Whether the cutter can get there is costly to ask: only the highest place decides.
    if (where > 0 && (most <= g_.target || (look(where, ends) && reachable()))) h = most;
  }
  return h;
}

} // namespace hemline
