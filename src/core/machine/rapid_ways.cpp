#include "machine/rapid_ways.h"
#include "machine/program.h"
#include <algorithm>

namespace hemline {

OtherWays otherRapidWays(const Machine& m, const Path& path, const std::vector<Joints>& joints, double reach, double tolerance) {
  assert(reach > 0 && tolerance > 0);
  Replay ways;
  const std::size_t axes = m.fiveAxis ? 5 : 3;
  for (std::size_t i = 1; i < path.locations.size(); ++i) {
    if (path.locations[i].motion != Motion::Rapid || !path.knowsWayTo(i)) continue;
    const Joints &from = joints[i - 1], &to = joints[i];
    const auto begin = [&] { ways.moves.push_back({from, from, true, false, 0, static_cast<int>(i), 0, 0, true}); };
    const auto leg = [&](const Joints& a, const Joints& b) {
      ways.moves.push_back({a, b, true, false, 0, static_cast<int>(i), 0, 0, false});
    };
    std::vector<double> times; // when an axis arrives
    bool turns = false;
    for (std::size_t k = 0; k < axes; ++k) {
      if (std::abs(to[k] - from[k]) < 1e-9) continue;
      times.push_back(std::abs(to[k] - from[k]) / m.axis[k].velocity);
      turns = turns || k >= 3;
    }
    if (times.empty()) continue;
    std::sort(times.begin(), times.end());
    if (turns) begin(), leg(from, to);
    if (times.back() - times.front() < 1e-6 * times.back()) continue;
    begin();
    Joints at = from;
    for (const double t : times) {
      Joints next = to;
      for (std::size_t k = 0; k < axes; ++k) {
        const double way = to[k] - from[k], gone = m.axis[k].velocity * t;
        if (std::abs(way) > gone) next[k] = from[k] + (way > 0 ? gone : -gone);
      }
      leg(at, next);
      at = next;
    }
  }
  ReplayedPath run = pathOf(m, ways, 0, reach, tolerance);
  OtherWays out;
  out.move.assign(run.path.lines.begin(), run.path.lines.end());
  run.path.lines.clear();
  out.path = std::move(run.path);
  out.deviation = run.deviation;
  return out;
}

} // namespace hemline
