#include "finishing/pass.h"
#include "base/threads.h"
#include "finishing/strip.h"

namespace hemline {
namespace {

constexpr double kChordShare = 0.7;   // of the chord tolerance: a kink beside the middle may lie farther off than the middle
constexpr double kFewest = 0.95;      // of it: for what is looked at closely
constexpr double kWithout = 0.4;      // of it: places are left out again where the path stays so near
constexpr double kBreakTurn = 0.0873; // radians between neighbours at which a pass is broken (5 degrees)
constexpr double kKink = 0.01;        // radians between contacts' normals: it may be farther off beside the middle
constexpr double kStraight = 1e-8;    // mm: places that lie off a block by no more are left out of it
constexpr double kSame = 1e-12;       // axes and normals that differ by no more are one
constexpr double kBlock = 4;          // cutter radii: no block is made longer by that
constexpr double kFinest = 1e-3;      // mm: stations are not put closer
constexpr double kLimit = 1e-4;       // mm to which the end of a run is looked for
constexpr double kRide = 2.5;         // cutter radii: farther it does not stay down
constexpr int kHalvings = 12;

} // namespace

Path pathOf(const Pass& pass) {
  Path path;
  for (const Run& run : pass.runs)
    for (std::size_t i = 0; i < run.stations.size(); ++i) {
      path.locations.push_back(run.stations[i].at);
      path.locations.back().motion = i == 0 ? Motion::Rapid : Motion::Cut;
    }
  return path;
}

void PassMaker::prepare(Pass& pass) const {
  if (!pass.measuring) {
    pass.measuring = std::make_unique<Pass::Measuring>();
    pass.measuring->curves = curves_.at(pass.level);
  }
  if (pass.measuring->sweep) return;
  pass.measuring->sweep = std::make_unique<Sweep>(placing_.profile(), pathOf(pass));
  pass.measuring->feet = footingsOf(pass, station_);
}

PassMaker::Look PassMaker::look(const ContactCurve& curve, double s, int& hint, const Near* near) const {
  Look l;
  const Contact contact = curve.at(s);
  if (near &&
      std::none_of(near->places->begin(), near->places->end(), [&](const Vec3& p) { return (p - contact.point).norm() < near->reach; }))
    return l;
  if (!ground_.needs(contact, placing_.guideRadius())) return l;
  l.stand = placing_.at(contact, chord_, hint);
  if (!l.stand) return l;
  if (l.stand->blocked)
    l.state = State::Blocked;
  else if (ground_.wants(l.stand->filleted ? Location{.contact = contact.point, .normal = contact.normal} : l.stand->at, l.stand->facet))
    l.state = State::Good;
  return l;
}

double PassMaker::deviation(const Location& a, const Location& b, const Location& mid) const {
  const auto off = [](const Vec3& p, const Vec3& q, const Vec3& x) {
    const Vec3 d = q - p;
    const double l = d.squaredNorm();
    const double t = l > 0 ? std::clamp((x - p).dot(d) / l, 0.0, 1.0) : 0;
    return (x - p - t * d).norm();
  };
  const double R = std::min(placing_.profile().maxRadius(), placing_.profile().length());
  double dev = off(a.tip, b.tip, mid.tip);
  if (placing_.follows()) dev = std::max(dev, off(a.tip + R * a.axis, b.tip + R * b.axis, mid.tip + R * mid.axis));
  return dev;
}

/// Places between a and b, and b, as the chord tolerance asks.
void PassMaker::refine(const ContactCurve& curve, const Station& a, const Station& b, int depth, std::vector<Station>& out,
                       int& hint) const {
  if (depth > 0 && b.s - a.s > kFinest) {
    // What lies between two places of a pass belongs to it, whether asked for or not: it must not be cut across.
    // A curve is farthest from its chord in the middle; where the normals say there is a kink, look beside it too.
    const double s = 0.5 * (a.s + b.s);
    const auto mid = placing_.at(curve.at(s), chord_, hint);
    if (mid && mid->blocked) {
      const Station last = limit(curve, a, s, false, hint);
      Station first = limit(curve, b, s, false, hint);
      if (last.s > a.s) refine(curve, a, last, depth - 1, out, hint);
      first.over = true;
      out.push_back(first);
      if (first.s < b.s) refine(curve, first, b, depth - 1, out, hint);
      return;
    }
    if (mid) {
      const bool kink = angleBetween(a.at.normal, b.at.normal) > kKink;
      bool split = isLong(a.at, b.at) || deviation(a.at, b.at, mid->at) > chord_ * kChordShare;
      for (const double x : {0.25, 0.75})
        if (kink && !split)
          if (const auto beside = placing_.at(curve.at(a.s + x * (b.s - a.s)), chord_, hint))
            split = deviation(a.at, b.at, beside->at) > chord_ * kChordShare;
      if (split && (b.at.tip - a.at.tip).norm() >= 2 * shortest_) {
        const Station m{s, mid->at};
        refine(curve, a, m, depth - 1, out, hint);
        refine(curve, m, b, depth - 1, out, hint);
        return;
      }
    }
  }
  out.push_back(b);
}

/// Last good place between a good and a bad one.
Station PassMaker::limit(const ContactCurve& curve, Station good, double bad, bool wanted, int hint, const Near* near) const {
  while (std::abs(bad - good.s) > kLimit) {
    const double s = 0.5 * (good.s + bad);
    const Look l = look(curve, s, hint, near);
    if (l.state == State::Good || (!wanted && l.stand && !l.stand->blocked))
      good = {s, l.stand->at};
    else
      bad = s;
  }
  return good;
}

std::optional<std::vector<Location>> PassMaker::ride(const Location& from, const Location& to) const {
  const double reach = (to.tip - from.tip).norm();
  if (reach > kRide * placing_.profile().maxRadius()) return std::nullopt;
  std::vector<Location> way;
  int hint = -1;
  const auto at = [&](double x) -> std::optional<Location> {
    const auto s = placing_.down(from.tip + x * (to.tip - from.tip), slerp(from.axis, to.axis, x), hint);
    if (!s || !ground_.wants(s->at, s->facet) || placing_.filletCentre(s->at.contact, s->at.normal)) return std::nullopt;
    return s->at;
  };
  const std::function<bool(double, const Location&, double, const Location&, int)> between = [&](double x0, const Location& a, double x1,
                                                                                                 const Location& b, int depth) {
    const auto mid = at(0.5 * (x0 + x1));
    if (!mid) return false;
    if (depth > 0 && (isLong(a, b) || deviation(a, b, *mid) > chord_ * kChordShare))
      return between(x0, a, 0.5 * (x0 + x1), *mid, depth - 1) && between(0.5 * (x0 + x1), *mid, x1, b, depth - 1);
    way.push_back(b);
    return true;
  };
  const int n = std::max(1, static_cast<int>(std::ceil(reach / station_)));
  Location before = from;
  for (int i = 1; i <= n; ++i) {
    const auto stop = i == n ? std::optional<Location>(to) : at(double(i) / n);
    if (!stop || !between(double(i - 1) / n, before, double(i) / n, *stop, 10)) return std::nullopt;
    before = *stop;
  }
  for (std::size_t i = 0; i < way.size(); ++i)
    if (angleBetween(i == 0 ? from.axis : way[i - 1].axis, way[i].axis) > kBreakTurn) return std::nullopt;
  return way;
}

Pass PassMaker::make(double level, const Near* near) const {
  Pass pass;
  pass.level = level;
  pass.measuring = std::make_unique<Pass::Measuring>();
  pass.measuring->curves = curves_.at(level);
  fill(pass, near);
  return pass;
}

std::vector<Pass> PassMaker::spirals(const SpiralAsk& ask) const {
  std::vector<Pass> out;
  for (ContactCurve& curve : curves_.spirals(ask)) {
    Pass& pass = out.emplace_back();
    pass.level = ask.levels.front();
    pass.measuring = std::make_unique<Pass::Measuring>();
    pass.measuring->curves.push_back(std::move(curve));
    fill(pass, nullptr);
    if (pass.runs.empty()) out.pop_back();
  }
  return out;
}

Pass PassMaker::along(const std::vector<Vec3>& line) const {
  Pass pass;
  pass.measuring = std::make_unique<Pass::Measuring>();
  pass.measuring->curves.push_back(curves_.along(line, station_));
  fill(pass, nullptr);
  return pass;
}

/// Places along its curves, and the runs that they make.
void PassMaker::fill(Pass& pass, const Near* near) const {
  const std::vector<ContactCurve>& curves = pass.measuring->curves;
  // Places of all curves in one list, so that all cores have some.
  std::vector<std::size_t> begin{0};
  std::vector<std::size_t> curveOf;
  for (std::size_t c = 0; c < curves.size(); ++c) {
    const std::size_t n = static_cast<std::size_t>(std::ceil(curves[c].length() / station_)) + 1;
    curveOf.insert(curveOf.end(), n, c);
    begin.push_back(begin.back() + n);
  }
  const auto placeOf = [&](std::size_t i) {
    const std::size_t c = curveOf[i], n = begin[c + 1] - begin[c];
    return n > 1 ? curves[c].length() * static_cast<double>(i - begin[c]) / static_cast<double>(n - 1) : 0.0;
  };
  std::vector<Look> at(curveOf.size());
  parallelChunks(at.size(), 32, [&](std::size_t first, std::size_t last) {
    progress_.check();
    int hint = -1;
    for (std::size_t i = first; i < last; ++i) at[i] = look(curves[curveOf[i]], placeOf(i), hint, near);
  });
  // Between them: places where the chord tolerance asks for them, and where runs end.
  std::vector<std::vector<Station>> between(at.size());
  parallelChunks(at.size(), 32, [&](std::size_t first, std::size_t last) {
    progress_.check();
    int hint = -1;
    for (std::size_t i = first; i < std::min(last, at.size() - 1); ++i) {
      if (curveOf[i] != curveOf[i + 1]) continue;
      const ContactCurve& curve = curves[curveOf[i]];
      const bool here = at[i].state == State::Good, there = at[i + 1].state == State::Good;
      if (!here && !there) continue;
      Station a{placeOf(i), here ? at[i].stand->at : Location{}}, b{placeOf(i + 1), there ? at[i + 1].stand->at : Location{}};
      if (!there) b = limit(curve, a, b.s, true, hint, near);
      if (!here) a = limit(curve, b, a.s, true, hint, near), between[i].push_back(a);
      if (b.s > a.s) refine(curve, a, b, kHalvings, between[i], hint);
    }
  });
  for (std::size_t c = 0; c < curves.size(); ++c) {
    std::vector<Station> run;
    const auto close = [&] {
      addRuns(run, c, pass);
      run.clear();
    };
    for (std::size_t i = begin[c]; i < begin[c + 1]; ++i) {
      pass.blocked += at[i].state == State::Blocked;
      if (at[i].state == State::Good && run.empty()) run.push_back({placeOf(i), at[i].stand->at});
      if (at[i].state == State::Out) close();
      if (i + 1 == begin[c + 1]) break;
      for (std::size_t k = 0; k < between[i].size(); ++k) {
        Station s = between[i][k];
        if (run.empty() || s.s > run.back().s) {
          if (k == 0 && at[i].state == State::Blocked) s.over = !run.empty();
          run.push_back(s);
        }
      }
    }
    close();
  }
}

/// Rides over what is blocked; where that cannot be, and where the axis would turn at once, a run ends.
void PassMaker::addRuns(const std::vector<Station>& stations, std::size_t curve, Pass& pass) const {
  Run run{curve, {}};
  const auto close = [&] {
    if (run.stations.size() > 1) {
      std::vector<Station> some = withoutPlacesOnLines(run.stations);
      if (fewest_) some = withFewestPlaces(pass.measuring->curves[curve], some);
      pass.runs.push_back({curve, withoutShortBlocks(some)});
    }
    run.stations.clear();
  };
  for (const Station& s : stations) {
    if (!run.stations.empty() && s.over) {
      const auto way = ride(run.stations.back().at, s.at);
      if (!way) close();
      for (std::size_t i = 0; way && i < way->size(); ++i) run.stations.push_back({s.s, (*way)[i], true});
      if (way) continue;
    }
    if (!run.stations.empty() && angleBetween(run.stations.back().at.axis, s.at.axis) > kBreakTurn) close();
    run.stations.push_back(s);
    run.stations.back().over = false;
  }
  close();
}

/// Those that ride over something stay: there the cutter must not cut across.
std::vector<Station> PassMaker::withoutShortBlocks(const std::vector<Station>& run) const {
  const auto isShort = [&](const Station& a, const Station& b) { return (b.at.tip - a.at.tip).norm() < shortest_; };
  std::vector<Station> out{run.front()};
  for (std::size_t i = 1; i + 1 < run.size(); ++i)
    if (run[i].over || !isShort(out.back(), run[i])) out.push_back(run[i]);
  while (out.size() > 1 && !out.back().over && isShort(out.back(), run.back())) out.pop_back();
  out.push_back(run.back());
  return out;
}

/// From the first place on each block goes as far as all places between stay near enough to it; places are looked at four to a block, so
/// that little lies between them that was not. Those that ride over something stay, with the places before them.
std::vector<Station> PassMaker::withFewestPlaces(const ContactCurve& curve, const std::vector<Station>& run) const {
  constexpr int kParts = 4;
  struct Spot {
    Station at;
    bool stays;
  };
  std::vector<Spot> all{{run.front(), true}};
  int hint = -1;
  for (std::size_t i = 1; i < run.size(); ++i) {
    bool whole = !run[i].over && !run[i - 1].over && run[i].s > run[i - 1].s;
    std::vector<Spot> between;
    for (int k = 1; k < kParts && whole; ++k) {
      const double s = run[i - 1].s + (run[i].s - run[i - 1].s) * k / kParts;
      const auto stand = placing_.at(curve.at(s), chord_, hint);
      whole = stand && !stand->blocked;
      if (whole) between.push_back({{s, stand->at}, false});
    }
    if (whole)
      all.insert(all.end(), between.begin(), between.end());
    else
      all.back().stays = true;
    all.push_back({run[i], !whole || i + 1 == run.size()});
  }
  // Where the way has a kink between two places it is farther off there than at them, by no more than they are off their neighbours' line.
  std::vector<double> hidden(all.size(), 0);
  for (std::size_t k = 1; k + 1 < all.size(); ++k) hidden[k] = deviation(all[k - 1].at.at, all[k + 1].at.at, all[k].at.at);
  const double longest = std::min(longest_, kBlock * placing_.profile().maxRadius());
  const auto fits = [&](std::size_t from, std::size_t to) {
    const Location &a = all[from].at.at, &b = all[to].at.at;
    if ((b.tip - a.tip).norm() > longest || angleBetween(a.axis, b.axis) > kBreakTurn) return false;
    for (std::size_t k = from + 1; k < to; ++k)
      if (deviation(a, b, all[k].at.at) + hidden[k] > kFewest * chord_) return false;
    return true;
  };
  std::vector<Station> out{run.front()};
  for (std::size_t from = 0; from + 1 < all.size();) {
    std::size_t to = from + 1;
    while (!all[to].stays && fits(from, to + 1)) ++to;
    out.push_back(all[to].at);
    from = to;
  }
  return out;
}

/// Does the chord need a place, with something in hand?
bool PassMaker::needs(const ContactCurve& curve, const Station& before, const Station& place, const Station& after, int& hint) const {
  if (isLong(before.at, after.at)) return true;
  const auto off = [&](const Location& at) { return deviation(before.at, after.at, at) > kWithout * chord_; };
  const auto mid = placing_.at(curve.at(0.5 * (before.s + after.s)), chord_, hint);
  return off(place.at) || !mid || off(mid->at);
}

std::optional<Run> PassMaker::through(const ContactCurve& curve, const Run& run, const std::vector<double>& places, double apart) const {
  int hint = -1;
  std::vector<Station> all{run.stations.front()};
  for (const double s : places) {
    const Look l = look(curve, s, hint, nullptr);
    if (l.state != State::Good) return std::nullopt;
    all.push_back({s, l.stand->at});
  }
  all.push_back(run.stations.back());
  Run out{run.curve, {all.front()}};
  for (std::size_t i = 1; i < all.size(); ++i) {
    const Station last = out.stations.back();
    if (i + 1 < all.size() && (all[i].at.tip - last.at.tip).norm() < shortest_) continue;
    if (i + 1 < all.size() && all[i + 1].s - last.s <= apart && !needs(curve, last, all[i], all[i + 1], hint)) continue;
    refine(curve, last, all[i], kHalvings, out.stations, hint);
  }
  for (std::size_t i = 1; i < out.stations.size(); ++i)
    if (out.stations[i].over || angleBetween(out.stations[i - 1].at.axis, out.stations[i].at.axis) > kBreakTurn) return std::nullopt;
  out.stations = withoutShortBlocks(out.stations);
  return out;
}

bool PassMaker::clears(const Vec3& tip, const Vec3& axis) const {
  int hint = -1;
  const auto lowest = placing_.down(tip, axis, hint);
  return !lowest || (lowest->at.tip - tip).dot(axis) <= 0;
}

/// Over plane ground a pass is straight, and what touches does not turn: the same pass, and the same contacts, in fewer blocks.
std::vector<Station> PassMaker::withoutPlacesOnLines(const std::vector<Station>& run) const {
  const double longest = std::min(longest_, kBlock * placing_.profile().maxRadius());
  const auto same = [](const Vec3& a, const Vec3& b) { return (a - b).squaredNorm() <= kSame * kSame; };
  const auto straight = [&](std::size_t first, std::size_t last) {
    const Location &a = run[first].at, &b = run[last].at;
    const Vec3 way = b.tip - a.tip;
    const double length = way.norm();
    if (!(length <= longest) || !same(a.axis, b.axis) || !same(a.normal, b.normal)) return false;
    double before = 0;
    for (std::size_t i = first + 1; i <= last; ++i) {
      if (run[i].over) return false;
      const Vec3 off = run[i].at.tip - a.tip;
      const double along = off.dot(way) / length;
      if (!(along >= before && along <= length * (1 + kSame) && (off - along / length * way).norm() <= kStraight)) return false;
      before = along;
    }
    return true;
  };
  std::vector<Station> out{run.front()};
  for (std::size_t i = 1, from = 0; i < run.size(); ++i)
    if (i + 1 == run.size() || !same(run[i].at.axis, run[from].at.axis) || !same(run[i].at.normal, run[from].at.normal) ||
        !straight(from, i + 1))
      out.push_back(run[i]), from = i;
  return out;
}

} // namespace hemline
