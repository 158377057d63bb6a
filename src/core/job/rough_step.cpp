#include "job/rough_step.h"
#include "base/units.h"
#include "strategy/drilling.h"
#include <fmt/format.h>

namespace hemline {
namespace {

constexpr double kLinkFeed = 3;      // feeds: ways back over cleared ground
constexpr double kTurn = radians(5); // turn of the axis in one move between directions
constexpr double kHalfRound = radians(175);
constexpr double kTurnGap = 10; // mm: kept to the stock while it turns

/// Places of the step's plane in the axes that level roughing and drilling count in.
std::vector<Vec2> across(const Step& step, const std::vector<Vec2>& places) {
  Vec3 e1, e2;
  frameAround(step.axis, e1, e2);
  std::vector<Vec2> out;
  for (const Vec2& p : places) {
    const Vec3 at = p.x() * step.region.x + p.y() * step.region.y;
    out.emplace_back(e1.dot(at), e2.dot(at));
  }
  return out;
}

/// The axis turns about the middle of stock and fixtures, with the tip so far out that the assembly stays outside of all of them; half
/// round it goes over `via`.
void turnAxis(Path& path, const Vec3& from, const Vec3& to, const Vec3& via, const Box& all) {
  if (angleBetween(from, to) > kHalfRound && std::abs(via.dot(from)) < 0.99) {
    turnAxis(path, from, via, via, all);
    turnAxis(path, via, to, via, all);
    return;
  }
  const double out = 0.5 * all.diagonal() + kTurnGap;
  const int n = std::max(1, static_cast<int>(std::ceil(angleBetween(from, to) / kTurn)));
  for (int k = 0; k <= n; ++k) {
    Location l;
    l.axis = slerp(from, to, double(k) / n), l.tip = all.center() + out * l.axis, l.motion = Motion::Rapid;
    path.locations.push_back(l);
  }
}

} // namespace

std::vector<std::pair<std::shared_ptr<const Part>, double>> ownGround(const JobResult& r, const Job& job, const Step& step) {
  std::vector<std::pair<std::shared_ptr<const Part>, double>> out;
  for (std::size_t k = 0; k < job.regions.size(); ++k)
    if (const auto own = step.own.find(job.regions[k].name); own != step.own.end() && r.regions[k]->surface)
      out.emplace_back(r.regions[k]->surface, own->second);
  return out;
}

Planned planHoles(const Part& part, const Step& step, const Stock& stock, const Assembly& assembly, double feed, double safe,
                  Progress& progress) {
  DrillingOptions o;
  o.up = step.axis, o.holes = across(step, step.holes), o.bottom = step.bottom, o.allowance = step.floor, o.peck = step.depth;
  o.feed = feed / 60, o.safeHeight = safe;
  DrillingResult d = planDrilling(part, stock, assembly.cutter, o, progress);
  Planned p;
  p.path = std::move(d.path);
  p.summary = d.holes == 1 ? "1 hole" : fmt::format("{} holes", d.holes);
  return p;
}

Planned planRoughing(const JobResult& r, const Job& job, const Step& step, const Stock& stock, const Assembly& assembly, double feed,
                     double clearance, const Vec3& overhead, const Box& all, const std::function<double(const Vec3&)>& safe,
                     Progress& progress) {
  RoughingOptions o;
  o.depth = step.depth, o.stepOver = step.stepOver, o.wall = step.wall, o.floor = step.floor;
  o.bottom = step.bottom, o.boundary = across(step, step.region.boundary), o.fromOpenSide = step.fromOpenSide;
  o.belowEdge = step.belowEdge;
  if (step.tabs) o.tabs = *step.tabs;
  o.thinning = step.thinning, o.leastThickness = step.leastThickness, o.leastArea = step.leastArea;
  o.engagement = step.engagement, o.smallestLoop = step.smallestLoop, o.byRegion = step.byRegion;
  for (const auto& [ground, own] : ownGround(r, job, step)) o.own.push_back({ground, own});
  if (step.withinReach) o.reach = RoughingReach{&assembly, clearance};
  o.feed = feed / 60, o.plungeFeed = 0.3 * feed / 60, o.linkFeed = kLinkFeed * feed / 60;
  Planned p;
  std::vector<Vec3> axes{step.axis};
  axes.insert(axes.end(), step.moreAxes.begin(), step.moreAxes.end());
  Stock now = stock;
  for (std::size_t k = 0; k < axes.size(); ++k) {
    o.up = axes[k], o.safeHeight = safe(axes[k]);
    RoughingResult rr;
    try {
      rr = planLevelRoughing(*r.part, now, assembly.cutter, o, progress);
    } catch (const Error& e) {
      if (axes.size() == 1) throw;
      p.path.notes.push_back(fmt::format("direction {}: {}", k + 1, e.what()));
      continue;
    }
    if (!p.path.locations.empty()) turnAxis(p.path, p.path.locations.back().axis, axes[k], overhead, all);
    int passes = 0;
    for (const Location& l : p.path.locations) passes = std::max(passes, l.pass + 1);
    for (Location l : rr.path.locations) {
      if (l.pass >= 0) l.pass += passes;
      p.path.locations.push_back(l);
    }
    p.path.notes.insert(p.path.notes.end(), rr.path.notes.begin(), rr.path.notes.end());
    p.engaged.insert(p.engaged.end(), rr.engaged.begin(), rr.engaged.end());
    now = std::move(rr.stockAfter);
    p.summary += fmt::format("{}{}{} levels{}; {} entries from air, {} by helix, {} by ramp", p.summary.empty() ? "" : "; ",
                             axes.size() > 1 ? fmt::format("direction {}: ", k + 1) : "", rr.levels,
                             rr.thinned > 0 ? fmt::format(" and {} between them on the slopes", rr.thinned) : "", rr.airEntries,
                             rr.helixEntries, rr.rampEntries);
  }
  if (p.path.locations.empty())
    throw Error("There is nothing to rough along any of the directions", "level roughing", "Check stock, directions and bottom limit.");
  if (const double e = efficiencyOf(p.engaged); e > 0)
    p.summary += fmt::format("; constant engagement, {:.2f} times the least length of passes", e);
  return p;
}

} // namespace hemline
