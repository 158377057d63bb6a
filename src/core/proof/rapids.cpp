#include "proof/rapids.h"
#include "base/threads.h"
#include "base/units.h"
#include "proof/moving_body.h"
#include "toolpath/rapid_reach.h"

namespace hemline {
namespace {

constexpr double kSlack = 0.05; // mm more than asked for, so that the proof of the straight move comes through

} // namespace

Path shortenRapids(const Path& path, const Vec3& up, const Assembly& assembly, const std::vector<Obstacle>& obstacles, const Stock& stock,
                   const ClearanceOptions& options, Progress& progress, RapidMemory* memory) {
  assert(isUnit(up));
  const Intruder intruder{&assembly.bodies, &assembly.profile, assembly.reach};
  const MovingBody whole(assembly.bodies, &assembly.profile, assembly.reach), bodies(assembly.bodies, nullptr, assembly.reach);
  const double margin = options.uncertainty + options.facetError + kSlack;
  Path out;
  out.notes = path.notes;
  const auto& l = path.locations;
  const auto keyOf = [](const Location& low, const Location& high) {
    return RapidMemory::Way{low.tip.x(),  low.tip.y(),  low.tip.z(),  low.axis.x(), low.axis.y(),
                            low.axis.z(), high.tip.x(), high.tip.y(), high.tip.z()};
  };
  RapidMemory own;
  std::map<RapidMemory::Way, Vec3>& stops = (memory ? memory : &own)->stops;
  // The tip at the height up to which the way down to `low` is clear, from `high`.
  const auto find = [&](const Location& low, const Location& high) {
    progress.check();
    const double top = (high.tip - low.tip).dot(up);
    const double at = lowestClear(top, 0, [&](double h, double s) {
      const Vec3 tip = low.tip + h * up;
      Vec3 place;
      const PoseOf pose{tip, low.axis};
      const double cutter = options.rapidGap + margin + s, rest = std::max(options.rapidGap, options.wanted) + margin + s;
      for (const Obstacle& o : obstacles)
        if (whole.distance(*o.tree, pose, pose, cutter, 1e-3).low < cutter || bodies.distance(*o.tree, pose, pose, rest, 1e-3).low < rest)
          return false;
      return stock.clearance(intruder, tip, low.axis, s + kSlack, s + kSlack, place) >= s + kSlack - 1e-9;
    });
    return Vec3(low.tip + at * up);
  };
  const auto stop = [&](const Location& low, const Location& high) { return stops.at(keyOf(low, high)); };
  // Does the cutter's core, to half its radius, meet material on the way down? That would be a plunge, whatever its feed: such a
  // rapid is left as it is, so that its proof fails.
  const auto plunges = [&](const Vec3& from, const Location& to) {
    const double r = 0.5 * assembly.profile.maxRadius(), step = 0.5 * std::min(stock.cell(), r), depth = (from - to.tip).dot(up);
    Vec3 e1, e2;
    frameAround(to.axis, e1, e2);
    for (double h = 0; h < depth; h += step)
      for (int k = 0; k < 9; ++k) {
        const double ring = k == 0 ? 0 : r;
        const Vec3 aside = std::cos(kPi * k / 4) * e1 + std::sin(kPi * k / 4) * e2;
        if (stock.contains(to.tip + h * up + ring * aside + (assembly.profile.height(ring) + 0.5 * stock.cell()) * to.axis)) return true;
      }
    return false;
  };
  // The feed of the next move that has one.
  const auto feedAfter = [&](std::size_t i) {
    for (; i < l.size(); ++i)
      if (l[i].feed > 0) return l[i].feed;
    return 0.0;
  };
  const auto upright = [&](const Location& a, const Location& b) {
    const Vec3 d = b.tip - a.tip;
    return d.norm() > 1e-9 && (d - d.dot(up) * up).norm() < 1e-9 && angleBetween(a.axis, b.axis) < 1e-12;
  };
  // All ways that are not known yet, together.
  std::vector<std::pair<const Location*, const Location*>> ways; // low, high
  for (std::size_t i = 1; i < l.size(); ++i) {
    if (l[i].motion != Motion::Rapid || !upright(l[i - 1], l[i])) continue;
    const bool down = (l[i].tip - l[i - 1].tip).dot(up) < 0;
    const Location &low = down ? l[i] : l[i - 1], &high = down ? l[i - 1] : l[i];
    if ((down || l[i - 1].motion != Motion::Rapid) && stops.emplace(keyOf(low, high), high.tip).second) ways.emplace_back(&low, &high);
  }
  std::vector<Vec3> found(ways.size());
  parallelChunks(ways.size(), 1, [&](std::size_t first, std::size_t last) {
    for (std::size_t k = first; k < last; ++k) found[k] = find(*ways[k].first, *ways[k].second);
  });
  for (std::size_t k = 0; k < ways.size(); ++k) stops[keyOf(*ways[k].first, *ways[k].second)] = found[k];
  for (std::size_t i = 0; i < l.size(); ++i) {
    const bool rapid = i > 0 && l[i].motion == Motion::Rapid && upright(l[i - 1], l[i]);
    if (rapid && (l[i].tip - l[i - 1].tip).dot(up) < 0) {
      Location rest = l[i];
      const Vec3 tip = stop(l[i], l[i - 1]);
      rest.motion = Motion::LeadIn, rest.feed = feedAfter(i + 1);
      if (!(rest.feed > 0) || plunges(tip, l[i])) {
        out.locations.push_back(l[i]);
        continue;
      }
      if ((tip - l[i - 1].tip).norm() > 1e-9) {
        out.locations.push_back(l[i]);
        out.locations.back().tip = tip;
      }
      if ((tip - l[i].tip).norm() > 1e-9) out.locations.push_back(rest);
      continue;
    }
    if (rapid && l[i - 1].motion != Motion::Rapid) {
      Location first = l[i - 1];
      first.tip = stop(l[i - 1], l[i]);
      first.motion = Motion::LeadOut, first.pass = -1, first.normal = first.contact = Vec3::Zero();
      if ((first.tip - l[i - 1].tip).norm() > 1e-9) out.locations.push_back(first);
      if ((first.tip - l[i].tip).norm() <= 1e-9) continue;
    }
    out.locations.push_back(l[i]);
  }
  return out;
}

} // namespace hemline
