#include "proof/rapids.h"
#include "toolpath/rapid_reach.h"

namespace hemline {
namespace {

constexpr double kSlack = 0.05; // mm more than asked for, so that the proof of the straight move comes through

} // namespace

Path shortenRapids(const Path& path, const Vec3& up, const Assembly& assembly, const std::vector<Obstacle>& obstacles, const Stock& stock,
                   const ClearanceOptions& options, Progress& progress) {
  const Intruder whole{&assembly.bodies, &assembly.profile, assembly.reach}, bodies{&assembly.bodies, nullptr, assembly.reach};
  const double margin = options.uncertainty + options.facetError + kSlack;
  Path out;
  out.notes = path.notes;
  const auto& l = path.locations;
  // The tip at the height up to which the way down to `low` is clear, from `high`.
  const auto stop = [&](const Location& low, const Location& high) {
    progress.check();
    const double top = (high.tip - low.tip).dot(up);
    const double at = lowestClear(top, 0, [&](double h, double s) {
      const Vec3 tip = low.tip + h * up;
      Vec3 place;
      int kind = 0;
      constexpr double grain = 0.02; // clearanceToMesh has shown no more than asked for, less this
      const double cutter = options.rapidGap + margin + s, rest = std::max(options.rapidGap, options.wanted) + margin + s;
      for (const Obstacle& o : obstacles)
        if (clearanceToMesh(whole, *o.tree, tip, low.axis, cutter + grain, place, kind) < cutter ||
            clearanceToMesh(bodies, *o.tree, tip, low.axis, rest + grain, place, kind) < rest)
          return false;
      return stock.clearance(whole, tip, low.axis, s + kSlack, s + kSlack, place) >= s + kSlack - 1e-9;
    });
    return Vec3(low.tip + at * up);
  };
  const auto upright = [&](const Location& a, const Location& b) {
    const Vec3 d = b.tip - a.tip;
    return d.norm() > 1e-9 && (d - d.dot(up) * up).norm() < 1e-9 && angleBetween(a.axis, b.axis) < 1e-12;
  };
  for (std::size_t i = 0; i < l.size(); ++i) {
    const bool rapid = i > 0 && l[i].motion == Motion::Rapid && upright(l[i - 1], l[i]);
    if (rapid && (l[i].tip - l[i - 1].tip).dot(up) < 0) {
      Location rest = l[i];
      const Vec3 tip = stop(l[i], l[i - 1]);
      if ((tip - l[i - 1].tip).norm() > 1e-9) {
        out.locations.push_back(l[i]);
        out.locations.back().tip = tip;
      }
      if ((tip - l[i].tip).norm() > 1e-9) {
        rest.motion = Motion::LeadIn;
        rest.feed = i + 1 < l.size() ? l[i + 1].feed : 0;
        out.locations.push_back(rest);
      }
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
