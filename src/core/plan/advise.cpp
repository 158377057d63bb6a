#include "plan/advise.h"
#include "cutter/mount.h"
#include <fmt/format.h>

namespace hemline {

StepAdvice adviseStep(const Job& job, const JobResult& result, std::size_t step, const std::vector<Holder>& library, Progress& progress) {
  const StepResult& r = *result.steps.at(step);
  const Path& path = r.planned->path;
  std::vector<Obstacle> obstacles{{"part", result.part->tree.get(), true, result.part->report.closed}};
  for (const auto& f : r.held->bodies) obstacles.push_back({f.name, f.body->tree.get(), false});
  ClearanceOptions clear;
  clear.wanted = r.step.promises.clearance.value_or(0.0),
  clear.uncertainty =
      job.uncertainty + placingUncertainty(job.clampings[static_cast<std::size_t>(r.step.clamping)], result.stock->stock.bounds()),
  clear.facetError = result.part->facetError;
  // The longest assembly turns rapids the widest.
  const double reach = r.assembly.reach + r.assembly.cutter.length;
  OtherWays ways = otherRapidWays(*r.held->machine, pathInClamping(r), r.time->joints.joints, reach, 1e-3);
  ways.path = pathOut(ways.path, r.held->frame);
  clear.uncertainty += r.planned->deviation + ways.deviation;
  AdviceOptions o;
  o.nose = r.held->machine->nose;
  StepAdvice out;
  out.shortest = shortestStickOut(r.assembly.cutter, r.assembly.holder, path, ways, obstacles, clear, o, progress);
  const auto ofStock = [&](const Holder& holder, double from) {
    return clearOfStock(r.assembly.cutter, holder, from, r.before->stock, path, ways, clear, o, progress);
  };
  if (out.shortest)
    if (const auto s = ofStock(r.assembly.holder, *out.shortest)) out.shortest = s, out.ofStock = true;
  std::vector<Holder> fitting;
  for (const Holder& h : library)
    if (stickOuts(r.assembly.cutter, h)) fitting.push_back(h);
  out.others = betterHolders(r.assembly.cutter, r.assembly.holder.name, out.shortest.value_or(r.assembly.cutter.length + 1), fitting, path,
                             ways, obstacles, clear, o, progress);
  std::vector<HolderAdvice> clearToo;
  for (const HolderAdvice& a : out.others) {
    const auto h = std::find_if(fitting.begin(), fitting.end(), [&](const Holder& x) { return x.name == a.holder; });
    const auto s = ofStock(*h, a.stickOut);
    if (s && (!out.shortest || *s < *out.shortest - o.step)) clearToo.push_back({a.holder, *s});
  }
  std::stable_sort(clearToo.begin(), clearToo.end(), [](const HolderAdvice& a, const HolderAdvice& b) { return a.stickOut < b.stickOut; });
  out.others = std::move(clearToo);
  std::vector<std::size_t> places;
  for (const ClearanceFinding& f : r.clearance->notClear)
    if (path.locations[f.location].motion != Motion::Rapid) places.push_back(f.location);
  if (r.held->machine->fiveAxis) out.tilt = smallestTilt(r.assembly, path, places, obstacles, clear, progress);
  return out;
}

std::vector<std::string> adviceText(const StepAdvice& a, const StepResult& s, LengthUnit unit) {
  std::vector<std::string> out;
  const auto length = [&](double mm) { return formatLength(mm, unit); };
  if (!a.shortest)
    out.push_back(
        fmt::format("No stick-out at which {} can be mounted in {} is clear of part, fixtures and machine.", s.step.cutter, s.step.holder));
  else
    out.push_back(fmt::format("Shortest stick-out that is clear{}: {} (set: {}).",
                              a.ofStock ? "" : " of part, fixtures and machine, but not of the stock", length(*a.shortest),
                              length(s.step.stickOut)));
  for (const HolderAdvice& h : a.others) out.push_back(fmt::format("In {}: {}.", h.holder, length(h.stickOut)));
  if (a.tilt)
    out.push_back(
        fmt::format("{:.1f}\u00b0 more tilt towards ({:.2f}, {:.2f}, {:.2f}) clears the {} worst places of part, fixtures and machine.",
                    degrees(a.tilt->angle), a.tilt->towards.x(), a.tilt->towards.y(), a.tilt->towards.z(), a.tilt->places));
  return out;
}

} // namespace hemline
