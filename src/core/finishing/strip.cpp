#include "finishing/strip.h"
#include "base/threads.h"

namespace hemline {
namespace {

constexpr double kBend = 0.35;        // radians between the normals at both ends: there may be more crests than one
constexpr double kDepth = 1.0;        // mm: rays start this far inside
constexpr double kWide = 4;           // times as far about a place moves are gathered as they are asked
constexpr double kLongest = 1.5;      // cutter radii: no way across is longer
constexpr double kSteepestStrip = 80; // nor than so many times the step between the levels
constexpr double kInside = 1e-4;      // of a way: a hair inside its ends the ground is surely there
constexpr double kBorder = 1e-3;      // mm along a curve to which its last footing is looked for
constexpr double kGoldenRatio = 0.6180339887498949;

/// The move of a run that leads over s: its last station; nothing where the pass does not touch there.
const Station* moveOver(const Pass& pass, std::size_t curve, double s) {
  for (const Run& run : pass.runs) {
    if (run.curve != curve || s < run.stations.front().s || s > run.stations.back().s) continue;
    const auto next =
        std::upper_bound(run.stations.begin() + 1, run.stations.end() - 1, s, [](double x, const Station& b) { return x < b.s; });
    return next->over ? nullptr : &*next;
  }
  return nullptr;
}

std::optional<Footing> footing(const Pass& pass, std::size_t curve, double s) {
  if (!moveOver(pass, curve, s)) return std::nullopt;
  const Contact c = pass.measuring->curves[curve].at(s);
  if (!c.ground || c.edge) return std::nullopt;
  return Footing{curve, s, c, false};
}

} // namespace

std::vector<Footing> footingsOf(const Pass& pass, double every) {
  // Places of all curves in one list, so that all cores have some.
  struct Look {
    std::size_t curve;
    double s;
    bool end; // of the curve
  };
  std::vector<Look> looks;
  for (std::size_t c = 0; c < pass.measuring->curves.size(); ++c) {
    const double length = pass.measuring->curves[c].length(), hair = std::min(kBorder, length);
    const auto n = static_cast<std::size_t>(std::ceil(length / every)) + 1;
    looks.push_back({c, hair, true});
    for (std::size_t i = 1; i < n; ++i) {
      const double phase = static_cast<double>(i) * kGoldenRatio;
      looks.push_back({c, std::min(length, length / static_cast<double>(n) * (static_cast<double>(i) + phase - std::floor(phase))), false});
    }
    looks.push_back({c, length - hair, true});
  }
  std::vector<std::optional<Footing>> found(looks.size());
  parallelChunks(looks.size(), 64, [&](std::size_t first, std::size_t last) {
    for (std::size_t i = first; i < last; ++i) found[i] = footing(pass, looks[i].curve, looks[i].s);
  });
  std::vector<Footing> out;
  // The last place that has one, between a place that has and one that has none: a hair inside the border.
  const auto addLast = [&](Footing has, double none) {
    while (std::abs(none - has.s) > kBorder) {
      const double s = 0.5 * (has.s + none);
      if (auto f = footing(pass, has.curve, s))
        has = std::move(*f);
      else
        none = s;
    }
    const auto inside = footing(pass, has.curve, has.s + (none > has.s ? -kBorder : kBorder));
    out.push_back(inside ? *inside : std::move(has));
    out.back().border = true;
  };
  for (std::size_t i = 0; i < looks.size(); ++i) {
    const bool follows = i > 0 && looks[i - 1].curve == looks[i].curve;
    if (follows && found[i - 1] && !found[i]) addLast(*found[i - 1], looks[i].s);
    if (follows && !found[i - 1] && found[i]) addLast(*found[i], looks[i - 1].s);
    if (found[i]) out.push_back(*found[i]), out.back().border = looks[i].end;
  }
  return out;
}

std::optional<Footing> footingBeside(const Pass& pass, const Footing& f, double by) {
  const double s = f.s + by;
  if (s < 0 || s > pass.measuring->curves[f.curve].length()) return std::nullopt;
  return footing(pass, f.curve, s);
}

/// What each pass leaves at the share x of the way across. False where neither comes over the place.
bool Strip::look(double x) {
  const SurfacePoint at = way_->at(x);
  const Part& part = placing_.part();
  const auto t = static_cast<std::size_t>(at.facet);
  const Place ground = placeOn(part, t, at.u, at.v);
  const auto fillet = placing_.filletOver(ground.point, ground.normal);
  filleted_ = fillet.has_value();
  place_ = fillet ? fillet->point : ground.point, normal_ = fillet ? fillet->normal : ground.normal;
  const Sweep &a = *a_.measuring->sweep, &b = *b_.measuring->sweep;
  const double allowance = placing_.allowance();
  // The moves that matter here are found once for the whole search, unless the ground turns or runs too far away.
  if (ball_ > 0 && !filleted_ && (near_.from < 0 || offFrom(near_) > near_.from)) {
    const double from = 0.75 * way_->length();
    high_ = allowance + 4 * p_.cusp;
    if (wide_.from < 0 || offFrom(wide_) + from > wide_.from) {
      wide_.at = place_, wide_.normal = normal_, wide_.from = kWide * from;
      a.piecesNear(place_, normal_, 1.5 * wide_.from, high_ + wide_.from, wide_.a);
      b.piecesNear(place_, normal_, 1.5 * wide_.from, high_ + wide_.from, wide_.b);
    }
    near_.at = place_, near_.normal = normal_, near_.from = from;
    a.sift(wide_.a, place_, normal_, 1.5 * from, high_ + from, near_.a);
    b.sift(wide_.b, place_, normal_, 1.5 * from, high_ + from, near_.b);
  }
  const double limit = allowance + 50 * p_.cusp + 0.02;
  const auto first = [&](const Sweep& sweep, const Sweep::Near& near, int hint) {
    return ball_ > 0 && !filleted_ ? sweep.firstEntry(place_, normal_, kDepth, limit, near, high_, hint)
                                   : sweep.firstEntry(place_, normal_, kDepth, limit, hint);
  };
  const Sweep::Entry A = first(a, near_.a, hintA_), B = first(b, near_.b, hintB_);
  if (A.move >= 0) hintA_ = A.move;
  if (B.move >= 0) hintB_ = B.move;
  leftA_ = std::min(A.t, limit), leftB_ = std::min(B.t, limit);
  return A.move >= 0 || B.move >= 0;
}

/// Can this cutter touch the place at all? Where it cannot, no spacing helps: that is rest, not cusp.
bool Strip::reachable() const {
  const double allowance = placing_.allowance();
  if (filleted_) return true; // the fillet is
  return placing_.reach(place_, normal_, allowance + 0.2 * p_.cusp, placing_.profile().maxRadius() / 64).distance - allowance <
         0.25 * p_.cusp;
}

double Strip::cuspFrom(const Footing& foot, bool fromA, Vec3* end) {
  const double step = b_.level - a_.level, allowance = placing_.allowance();
  const double longest = std::max(kLongest * placing_.profile().maxRadius(), kSteepestStrip * step);
  way_.emplace(lines_, foot.at.at, foot.at.along, fromA, fromA ? b_.level : a_.level, longest, foot.border);
  if (end) *end = foot.at.normal;
  if (!(way_->length() > 0)) return 0;
  if (!fromA && !foot.border && way_->arrived()) {
    // Where the first pass comes it has told of this ground from there.
    const SurfacePoint at = way_->at(1 - kInside);
    const Place ground = placeOn(placing_.part(), static_cast<std::size_t>(at.facet), at.u, at.v);
    const Sweep::Entry first = a_.measuring->sweep->firstEntry(ground.point, ground.normal, kDepth, allowance + p_.target, hintA_);
    if (first.move >= 0) hintA_ = first.move;
    if (first.move >= 0 && first.t < allowance + p_.target) return 0;
  }
  near_.from = -1;
  near_.a.clear(), near_.b.clear();
  // How much more the pass that the way comes from leaves than the other: it rises from one contact to the other, and is 0 at the crest.
  const auto more = [&] { return fromA ? leftA_ - leftB_ : leftB_ - leftA_; };
  // The contacts themselves are no crest; a hair inside them the ground is surely there.
  double lo = kInside, hi = 1 - kInside;
  bool good = look(hi);
  double highDiff = more();
  const double atEnd = std::min(leftA_, leftB_) - allowance;
  const Vec3 lastNormal = normal_;
  if (end) *end = lastNormal;
  if (!fromA && !foot.border && way_->arrived() && leftA_ < allowance + p_.target)
    return 0; // the first pass has told of this ground from there
  good = look(lo) && good;
  double lowDiff = more();
  const Vec3 firstNormal = normal_;
  // Where the other pass does not come the two need not cross: then the way is only sampled.
  const bool crossing = good && lowDiff <= 0 && highDiff >= 0;
  double best = 0;
  for (int k = 0; k < 24 && crossing; ++k) {
    double x = k % 3 == 2 ? 0.5 * (lo + hi) : lo - lowDiff * (hi - lo) / (highDiff - lowDiff);
    if (!(x > lo && x < hi)) x = 0.5 * (lo + hi);
    if (!look(x)) break;
    const double d = more();
    best = std::max(best, std::min(leftA_, leftB_));
    if (std::abs(d) < 0.005 * p_.cusp || hi - lo < 1e-4) break;
    if (d < 0)
      lo = x, lowDiff = d;
    else
      hi = x, highDiff = d;
  }
  double h = best - allowance;
  if (h > p_.target && !reachable()) h = 0;
  if (ball_ > 0 && (!crossing || foot.border || (h <= p_.target && angleBetween(firstNormal, lastNormal) > kBend))) {
    const int places = std::clamp(static_cast<int>(6 * way_->length() / step), 12, 64);
    double most = h, where = -1;
    if (atEnd > most) most = atEnd, where = 1 - kInside;
    for (int k = 1; k < places; ++k)
      if (look(double(k) / places), std::min(leftA_, leftB_) - allowance > most)
        most = std::min(leftA_, leftB_) - allowance, where = double(k) / places;
    // Whether the cutter can get there is costly to ask: only the highest place decides.
    if (where > 0 && (most <= p_.target || (look(where), reachable()))) h = most;
  }
  return h;
}

} // namespace hemline
