#include "job/telling.h"
#include "base/safe_name.h"
#include "base/units.h"
#include <fmt/format.h>

namespace hemline {
namespace {

constexpr double kSaves = 0.03;   // of a step's time: less is not worth a word
constexpr double kWaysCut = 1e-3; // of what a step removes, by ways back that should remove nothing

void tellFeeds(StepResult& out) {
  const FeedPlan& f = *out.feeds;
  const bool may = !out.step.is<GivenPathStep>(), follows = out.fedByLoad();
  const auto worst = [&](const std::vector<Overload>& list) {
    const auto w = std::max_element(list.begin(), list.end(), [](const Overload& a, const Overload& b) { return a.times() < b.times(); });
    return fmt::format("at {} the worst is {}: {}", list.size() == 1 ? "one place" : fmt::format("{} places", list.size()),
                       out.planned->path.placeOf(w->location), overloadText(*w));
  };
  const auto& over = follows ? f.remains : f.over;
  const double more = f.time - out.time->timing.total;
  if (!over.empty()) {
    out.overload = "goes over limits of its load, " + worst(over) + ". ";
    if (follows)
      out.overload += fmt::format("The feed is down to {:.0f} % there already. ", 100 * kLeastFeed);
    else if (may)
      out.overload += fmt::format("Feeds that follow the load {} (down to {:.0f} % of the feed) and {} {}. ",
                                  f.remains.empty() ? "keep within" : fmt::format("mend all but {} of them", f.remains.size()),
                                  100 * f.slowest, more > 0 ? "take longer by" : "still save", formatDuration(std::abs(more)));
    else
      out.overload += fmt::format("A feed down to {:.0f} % would {}. ", 100 * f.slowest,
                                  f.remains.empty() ? "keep within" : fmt::format("mend all but {} of them", f.remains.size()));
    out.overload += "Less step-over or depth, or another speed, mends it, too";
  } else if (!follows && may && more < -kSaves * out.time->timing.total) {
    out.suggestions.push_back(fmt::format("Feeds that follow the load would save {}: up to {:.0f} % of the feed where the chip is thin",
                                          formatDuration(-more), 100 * f.fastest));
  }
  if (!out.overload.empty()) out.cautions.push_back(out.overload);
}

} // namespace

void tellCautions(StepResult& out, bool cutBefore, bool material) {
  const CutReport& cut = out.cut->report;
  const auto* rough = out.step.as<LevelRoughing>();
  if (out.feeds) tellFeeds(out);
  if (out.assembly.holder.boreTo <= 0)
    out.cautions.push_back(fmt::format("is held in '{}', of which no bore is told: whether it takes a shank of {:.4g} mm is not known",
                                       oneLine(out.assembly.holder.name), out.assembly.cutter.shankDiameter));
  if (out.step.feedByLoad && !out.feeds)
    out.cautions.push_back(fmt::format("is to feed by its load, but {}: the feed is the same all along",
                                       material ? "its engagement is not measured (promise one)" : "the job does not tell the material"));
  if (rough && rough->fromBlank && cutBefore)
    out.cautions.push_back(fmt::format("is planned on the blank, though steps before it have cut: {:.0f} % of its cutting length cuts "
                                       "nothing. Plan it on the stock as it then is",
                                       100 * cut.airShare));
  if (rough && rough->engagement && cut.linksRemoved > kWaysCut * cut.removed)
    out.cautions.push_back(fmt::format("cuts {:.2g} cm3 on ways back that should run over cleared ground", cut.linksRemoved / 1000));
}

void tellBlockers(const Job& job, StepResult& out, const Path& path) {
  const Machine& machine = *out.held->machine;
  const auto block = [&](const std::string& text) { out.blockers.push_back(text); };
  if (const auto fault = mountFault(job, out.step)) block("cannot be mounted: " + fault->what + ". " + fault->remedy);
  for (const std::string& u : out.planned->unproven) block(u);
  if (!machine.spindle.empty() && !torqueAt(machine, out.rpm))
    block(fmt::format("spindle speed {:.0f} rpm is outside the machine's {:.0f} to {:.0f} rpm", out.rpm, machine.spindle.front().rpm,
                      machine.spindle.back().rpm));
  if (!out.time->joints.violations.empty()) {
    const LimitViolation& v = out.time->joints.violations.front();
    block(fmt::format("axis {} leaves its travel at {} locations, first at {}", kAxisName[static_cast<std::size_t>(v.axis)],
                      out.time->joints.violations.size(), path.placeOf(v.location)));
  }
  for (const ClearanceResult* c : {out.clearance.get(), &out.cut->report.clearance}) {
    if (c->collision) block("collision: " + (c->notClear.empty() ? std::string("see clearance") : c->notClear.front().what));
    if (c->rapidThroughStock) block("a rapid may touch the stock");
    if (c->unproven > 0 && !c->collision && !c->rapidThroughStock)
      block(fmt::format("{} motions are not shown to be clear{}", c->unproven, c->notClear.empty() ? "" : ": " + c->notClear.front().what));
  }
}

} // namespace hemline
