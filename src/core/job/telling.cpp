#include "job/telling.h"
#include "base/safe_name.h"
#include <fmt/format.h>

namespace hemline {
namespace {

constexpr double kSaves = 0.03;   // of a step's time: less is not worth a word
constexpr double kWaysCut = 1e-3; // of what a step removes, by ways back that should remove nothing

std::string feedField(const StepResult& s) {
  return s.step.is<LevelRoughing>() ? "feed_by_load" : "feed_mm_min";
}

void tellFeeds(StepResult& out) {
  const FeedPlan& f = *out.feeds;
  const bool given = out.step.is<GivenPathStep>(), follows = out.fedByLoad();
  const auto& over = follows ? f.remains : f.over;
  const double more = f.time - out.time->timing.total;
  if (!over.empty()) {
    const auto w = std::max_element(over.begin(), over.end(), [](const Overload& a, const Overload& b) { return a.times() < b.times(); });
    Finding found{Code::OverLoad, w->location, out.planned->path.locations[w->location].tip, {}, feedField(out)};
    found.args = {{"places", over.size()},
                  {"remains", f.remains.size()},
                  {"place", out.planned->path.placeOf(w->location)},
                  {"load", overloadText(*w)},
                  {"feeds", follows ? "by load"
                            : given ? "given"
                                    : "constant"},
                  {"slowest_percent", 100 * (follows ? kLeastFeed : f.slowest)},
                  {"longer_s", more}};
    out.findings.push_back(std::move(found));
  } else if (!follows && !given && more < -kSaves * out.time->timing.total) {
    out.findings.push_back({Code::FeedsWouldSave, {}, {}, {{"saves_s", -more}, {"fastest_percent", 100 * f.fastest}}, feedField(out)});
  }
}

} // namespace

void tellCautions(StepResult& out, bool cutBefore, bool material) {
  const CutReport& cut = out.cut->report;
  const auto* rough = out.step.as<LevelRoughing>();
  const auto tell = [&](Code code, nlohmann::json args, std::string field) {
    out.findings.push_back({code, {}, {}, std::move(args), std::move(field)});
  };
  if (out.feeds) tellFeeds(out);
  if (out.assembly.holder.boreTo <= 0)
    tell(Code::NoBoreTold, {{"holder", oneLine(out.assembly.holder.name)}, {"shank_mm", out.assembly.cutter.shankDiameter}}, "holder");
  if (out.step.feedByLoad && !out.feeds) tell(Code::NoLoadForFeeds, {{"lacks", material ? "engagement" : "material"}}, feedField(out));
  if (rough && rough->fromBlank && cutBefore) tell(Code::PlannedOnBlank, {{"air_percent", 100 * cut.airShare}}, "from_blank");
  if (rough && rough->engagement && cut.linksRemoved > kWaysCut * cut.removed)
    tell(Code::WaysBackCut, {{"removed_mm3", cut.linksRemoved}}, "constant_engagement_deg");
  if (out.surface && out.surface->beside.value > out.step.promises.gouge.value_or(0))
    tell(Code::CutsBeside, {{"deep_mm", out.surface->beside.value}}, "allowance_mm"), out.findings.back().at = out.surface->beside.at;
}

void tellBlockers(const Job& job, StepResult& out, const Path& path) {
  const Machine& machine = *out.held->machine;
  const std::string row = out.step.is<GivenPathStep>() ? "path_file" : "stick_out_mm";
  const auto block = [&](Code code, nlohmann::json args, std::string field) {
    out.findings.push_back({code, {}, {}, std::move(args), std::move(field)});
    return &out.findings.back();
  };
  if (const auto fault = mountFault(job, out.step))
    block(Code::CannotBeMounted, {{"what", fault->what}, {"remedy", fault->remedy}}, "stick_out_mm");
  for (const std::string& u : out.planned->unproven) block(Code::MachineKnowsNotTheWay, {{"what", u}}, row);
  if (!machine.spindle.empty() && !torqueAt(machine, out.rpm))
    block(Code::SpindleSpeed, {{"rpm", out.rpm}, {"least_rpm", machine.spindle.front().rpm}, {"most_rpm", machine.spindle.back().rpm}},
          out.step.is<GivenPathStep>() ? row : "rpm");
  if (!out.time->joints.violations.empty()) {
    const LimitViolation& v = out.time->joints.violations.front();
    block(Code::AxisTravel,
          {{"axis", std::string(1, kAxisName[static_cast<std::size_t>(v.axis)])},
           {"locations", out.time->joints.violations.size()},
           {"place", path.placeOf(v.location)}},
          row)
        ->location = v.location;
  }
  for (const ClearanceResult* c : {out.clearance.get(), &out.cut->report.clearance}) {
    Finding* found = nullptr;
    const ClearanceFinding* first = c->notClear.empty() ? nullptr : &c->notClear.front();
    if (c->collision) found = block(Code::Collision, {{"what", first ? first->what : "see clearance"}}, "stick_out_mm");
    if (found && first) found->location = first->location, found->at = first->at;
    if (c->rapidThroughStock) block(Code::RapidThroughStock, nlohmann::json::object(), "stick_out_mm");
    if (c->unproven > 0 && !c->collision && !c->rapidThroughStock) {
      found = block(Code::NotShownClear, {{"motions", c->unproven}}, "stick_out_mm");
      if (first) found->args["what"] = first->what, found->location = first->location, found->at = first->at;
    }
  }
}

} // namespace hemline
