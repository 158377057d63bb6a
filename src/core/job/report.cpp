#include "job/report.h"
#include "base/safe_name.h"
#include "job/holding.h"
#include "job/regions.h"
#include "machine/program.h"
#include "model/fields.h"
#include "model/promise_kinds.h"
#include <fmt/format.h>
#include <functional>

namespace hemline {

using nlohmann::json;

namespace {

json finite(double v) {
  return std::isfinite(v) && std::abs(v) < kFinite ? json(v) : json(nullptr);
}

/// The arc that `share` of the length of all cutting moves stays within, radians; 0: nothing was cut.
double engagementWithin(const Path& path, const CutReport& report, double share) {
  std::vector<std::pair<double, double>> moves; // arc, length
  double all = 0;
  const auto& l = path.locations;
  for (std::size_t i = 1; i < std::min(l.size(), report.moves.size()); ++i)
    if (const auto arc = static_cast<double>(report.moves[i].engagement); arc > 0 && l[i].motion == Motion::Cut) {
      moves.emplace_back(arc, (l[i].tip - l[i - 1].tip).norm());
      all += moves.back().second;
    }
  std::sort(moves.begin(), moves.end());
  double run = 0;
  for (const auto& [arc, length] : moves)
    if ((run += length) >= share * all) return std::min(arc, report.engagement); // moves keep theirs in single precision
  return 0;
}

/// Ways back of constant engagement should remove nothing.
bool tellsWaysBack(const Step& step) {
  const auto* rough = step.as<LevelRoughing>();
  return rough && rough->engagement;
}

constexpr double kNoArea = 1e-6; // mm^2: sums of facets do not come out to the last digit

} // namespace

json promisesJson(const std::vector<PromiseResult>& promises) {
  json out = json::array();
  for (const PromiseResult& p : promises)
    out.push_back({{"name", p.name},
                   {"promised", p.promised},
                   {"measured", finite(p.measured)},
                   {"upper_bound", finite(p.bound)},
                   {"verdict", verdictName(p.verdict)},
                   {"at", {p.at.x(), p.at.y(), p.at.z()}},
                   {"note", p.note}});
  return out;
}

std::string promiseRow(const PromiseResult& p) {
  return fmt::format("   {:<11} promised {:>12}   measured {:>12}   bound {:>12}   {}{}\n", promiseTitle(p.name),
                     showPromise(p.name, p.promised, LengthUnit::Millimetre), showPromise(p.name, p.measured, LengthUnit::Millimetre),
                     showPromise(p.name, p.bound, LengthUnit::Millimetre), verdictName(p.verdict),
                     p.verdict == Verdict::Kept ? (p.note.empty() ? "" : "  (" + p.note + ")")
                                                : fmt::format(" at {:.2f} {:.2f} {:.2f} {}", p.at.x(), p.at.y(), p.at.z(), p.note));
}

std::string clFileName(const StepResult& s) {
  return fmt::format("{:02}-{}.cl", s.number, filePart(s.step.name));
}

std::string clText(const Job& job, const StepResult& s, const Release& release) {
  const Path path = pathInClamping(s);
  std::string text = writeCl({s.step.name, s.step.cutter, toolNumber(job, s.step.cutter), s.rpm, &path, &s.time->joints, s.assembly.reach});
  if (!release.heldBy.empty()) text.insert(text.find('\n') + 1, "$$ HELD: NOT RELEASED. The set-up sheet tells why\n");
  return text;
}

std::string promiseTitle(const std::string& name) {
  return promiseKind(name).title;
}

std::string showPromise(const std::string& name, double value, LengthUnit unit) {
  if (!std::isfinite(value) || std::abs(value) > kFinite) return "not known";
  const PromiseKind& kind = promiseKind(name);
  return kind.angle() ? fmt::format("{:.{}f}°", value, kind.decimals) : formatLength(value, unit, kind.fine);
}

namespace {

/// Moves are looked at one by one in roughing steps, and where an engagement is promised; else over stretches.
void addCut(json& step, const StepResult& s) {
  const CutReport& cut = s.cut->report;
  if (cut.cutting == 0) return;
  step["cutting_moves"] = cut.cutting;
  step["air_moves_share"] = static_cast<double>(cut.air) / static_cast<double>(cut.cutting);
  step["air_share"] = cut.airShare;
  if (s.layer && s.layer->most.known)
    step["layer"] = {{"most_mm", s.layer->most.value}, {"mean_mm", s.layer->mean}, {"least_mm", s.layer->least}};
  if (cut.stretch > 0) {
    step["stretch_mm"] = cut.stretch, step["mean_section_mm2"] = cut.meanSection;
    step["heaviest_section_mm2"] = {{"value", cut.heaviest}, {"at", {cut.heaviestAt.x(), cut.heaviestAt.y(), cut.heaviestAt.z()}}};
  } else {
    step["engagement_deg"] = degrees(cut.engagement), step["mean_engagement_deg"] = degrees(cut.meanEngagement);
    step["engagement_p99_deg"] = degrees(engagementWithin(s.planned->path, cut, 0.99));
    if (const double e = efficiencyOf(s.planned->engaged); e > 0) {
      step["length_over_least"] = e;
      for (const EngagedAt& l : s.planned->engaged)
        step["engaged_levels"].push_back({{"height_mm", l.height},
                                          {"length_mm", l.length},
                                          {"area_mm2", l.area},
                                          {"length_over_least", l.efficiency},
                                          {"left_mm2", l.left}});
    }
    step["depth_mm"] = cut.depth, step["links_removed_mm3"] = cut.linksRemoved;
  }
}

void addLoad(json& step, const StepResult& s) {
  if (s.effort)
    step["effort"] = {{"force_N", s.effort->force},
                      {"power_W", s.effort->power},
                      {"torque_Nm", s.effort->torque},
                      {"cutter_bends_mm", s.effort->cutterBends}};
  if (s.feeds) {
    json over = json::array();
    for (const Overload& o : s.fedByLoad() ? s.feeds->remains : s.feeds->over)
      over.push_back({{"location", o.location}, {"what", o.what}, {"asked", o.asked}, {"allowed", o.allowed}});
    step["feeds"] = {{"by_load", s.fedByLoad()},
                     {"slowest", s.feeds->slowest},
                     {"fastest", s.feeds->fastest},
                     {"time_by_load_s", s.feeds->time},
                     {"over_limits", over}};
  }
}

json stepJson(const StepResult& s) {
  const Cutter& c = s.assembly.cutter;
  const double corner = c.kind == CutterKind::Ball || c.kind == CutterKind::TaperedBall ? c.diameter / 2 : c.corner;
  json step{{"name", s.step.name},
            {"kind", kindOf(s.step).id},
            {"cutter", {{"name", c.name}, {"kind", kindName(c.kind)}, {"diameter_mm", c.diameter}, {"corner_mm", corner}}},
            {"cl", clFileName(s)},
            {"time_s", s.time->timing.total},
            {"cut_length_mm", s.planned->path.length(true)},
            {"link_length_mm", s.planned->path.length(false)},
            {"points", s.planned->path.locations.size()},
            {"path_efficiency", s.efficiency > 0 ? json(s.efficiency) : json(nullptr)},
            {"promises", promisesJson(s.promises)},
            {"blockers", s.texts(Severity::Blocker)},
            {"notes", s.planned->path.notes},
            {"summary", s.planned->summary},
            {"removed_mm3", s.cut->report.removed},
            {"rpm", s.rpm},
            {"feed_mm_min", s.feed}};
  if (s.step.asSet.any()) step["as_set"] = toJson(s.step)["as_set"];
  if (s.surface) {
    step["area_mm2"] = {{"region", s.surface->areaRegion}, {"over_cusp", s.surface->areaOverCusp}, {"rest", s.surface->areaRest}};
  }
  addCut(step, s), addLoad(step, s);
  step["cautions"] = s.texts(Severity::Caution), step["suggestions"] = s.texts(Severity::Suggestion);
  step["findings"] = json::array();
  for (const Finding& f : s.findings) step["findings"].push_back(toJson(f));
  step["not_modelled"] = s.clearance->notModelled;
  return step;
}

json programsJson(const Release& release) {
  json out = json::array();
  for (const ProgramFile& p : release.programs)
    out.push_back({{"file", p.file},
                   {"clamping", p.clamping + 1},
                   {"cutter", p.cutter},
                   {"steps", p.steps},
                   {"time_s", p.time},
                   {"replay_deviation_mm", p.comparison.tip},
                   {"replay_allowed_mm", p.comparison.allowed},
                   {"replay_top_deviation_mm", p.comparison.top},
                   {"replay_top_allowed_mm", p.comparison.allowedTop},
                   {"replay_good", p.good},
                   {"replay_wrong", p.wrong},
                   {"hash", hashText(p.text).text()}});
  return out;
}

json regionsJson(const JobResult& r) {
  json out = json::array();
  for (const RegionResult& region : r.ofRegions)
    out.push_back({{"name", region.region.name},
                   {"use", regionUseName(region.region.use)},
                   {"area_mm2", region.ground->found.area},
                   {"finished_mm2", region.finished},
                   {"border_grain_mm", region.ground->found.grain},
                   {"promises", promisesJson(region.promises)},
                   {"not_found", region.ground->found.lost},
                   {"changed", region.ground->found.changed}});
  return out;
}

} // namespace

json reportJson(const Job& job, const std::string& jobPath, const JobResult& r, const Release& release) {
  json j{{"hemline", HEMLINE_VERSION},    {"job", jobPath},  {"name", job.name}, {"proven", release.proven()},
         {"standing", standing(release)}, {"time_s", r.time}};
  for (const InputFile& f : r.inputs) j["inputs"].push_back({{"what", f.what}, {"file", f.path}, {"hash", f.hash.text()}});
  if (!r.earlier.empty()) j["earlier_blockers"] = linesOf(r.earlier);
  j["steps"] = json::array();
  for (const auto& s : r.steps) j["steps"].push_back(stepJson(*s));
  j["programs"] = programsJson(release), j["regions"] = regionsJson(r);
  j["coverage_mm2"] = {{"finished", r.coverage.finished},
                       {"left_on_purpose", r.coverage.left},
                       {"touched_over_promise", r.coverage.touched},
                       {"forgotten", r.coverage.forgotten}};
  j["held_by"] = linesOf(release.heldBy);
  j["never_released_for"] = json::array();
  j["held_by_findings"] = json::array();
  for (const Finding& f : release.heldBy) {
    j["held_by_findings"].push_back(toJson(f));
    if (f.severity() == Severity::Blocker) j["never_released_for"].push_back(findingLine(f));
  }
  const auto coverage = coverageFindings(r);
  j["coverage_cautions"] = linesOf(coverage), j["coverage_findings"] = json::array();
  for (const Finding& f : coverage) j["coverage_findings"].push_back(toJson(f));
  j["facet_error_mm"] = r.part->facetError;
  return j;
}

std::string reportBytes(const json& report) {
  return report.dump(1, ' ', false, json::error_handler_t::replace) + "\n";
}

std::string reportText(const Job& job, const JobResult& r, const Release& release) {
  std::string out =
      fmt::format("{}: {}\n", oneLine(job.name), release.proven() ? "proven" : "not proven; " + std::string(standing(release)));
  for (const std::string& h : linesOf(release.heldBy)) out += "held by: " + oneLine(h, 400) + "\n";
  for (const std::string& e : linesOf(r.earlier)) out += "an earlier step blocks these: " + e + "\n";
  for (const auto& step : r.steps) {
    const StepResult& s = *step;
    out += fmt::format("\n{}. {}  [{}; {}, {}, {:.1f} mm out]\n   {}; {} points; cutting {:.1f} m, other {:.1f} m; {}\n", s.number,
                       oneLine(s.step.name), kindOf(s.step).id, oneLine(s.step.cutter), oneLine(s.step.holder), s.step.stickOut,
                       s.planned->summary, s.planned->path.locations.size(), s.planned->path.length(true) / 1000,
                       s.planned->path.length(false) / 1000, formatDuration(s.time->timing.total));
    const CutReport& c = s.cut->report;
    out += fmt::format("   removes {:.1f} cm3", c.removed / 1000);
    if (c.cutting > 0 && c.stretch > 0)
      out += fmt::format("; over stretches of {:.3g} mm: {:.1f} % of the passes cut nothing, mean section of the cut {:.2g} mm2, heaviest "
                         "{:.2g} mm2 at {:.1f} {:.1f} {:.1f}",
                         c.stretch, 100 * c.airShare, c.meanSection, c.heaviest, c.heaviestAt.x(), c.heaviestAt.y(), c.heaviestAt.z());
    else if (c.cutting > 0)
      out +=
          fmt::format("; {:.1f} % of {} cutting moves ({:.1f} % of their length) cut nothing; engagement {:.0f}\u00b0 in the mean, 99 % of "
                      "the length within {:.0f}\u00b0; depth up to {:.2f} mm",
                      100.0 * static_cast<double>(c.air) / static_cast<double>(c.cutting), c.cutting, 100 * c.airShare,
                      degrees(c.meanEngagement), degrees(engagementWithin(s.planned->path, c, 0.99)), c.depth) +
          (tellsWaysBack(s.step) ? fmt::format("; ways back remove {:.2g} cm3", c.linksRemoved / 1000) : "");
    out += "\n";
    if (s.effort)
      out += fmt::format("   about {:.0f} N, {:.0f} W, {:.2g} N m at the most; the cutter gives way by about {:.3f} mm\n", s.effort->force,
                         s.effort->power, s.effort->torque, s.effort->cutterBends);
    for (const PromiseResult& p : s.promises) out += promiseRow(p);
    if (!s.judged.empty()) out += "   judged: " + s.judged + "\n";
    for (const Severity severity : {Severity::Caution, Severity::Suggestion, Severity::Blocker})
      for (const std::string& told : s.texts(severity)) out += fmt::format("   {}: {}\n", severityName(severity), told);
    for (const std::string& n : s.planned->path.notes) out += "   note: " + n + "\n";
  }
  for (std::size_t k = 0; k < job.clampings.size(); ++k) {
    out += fmt::format("\nclamping {}: {}\n", k + 1, oneLine(job.clampings[k].name));
    for (const std::string& row : holdingText(job, r, k, LengthUnit::Millimetre)) out += "   " + row + "\n";
  }
  for (const RegionResult& region : r.ofRegions) {
    const auto rows = regionText(region, LengthUnit::Millimetre);
    out += "\nregion " + rows.front() + "\n";
    for (const PromiseResult& p : region.promises) out += promiseRow(p);
    for (std::size_t i = 1 + region.promises.size(); i < rows.size(); ++i) out += "   " + rows[i] + "\n";
  }
  out += fmt::format(
      "\ncoverage: finished {:.0f} mm2, touched but over the promise {:.4g} mm2, left on purpose {:.0f} mm2, forgotten {:.4g} mm2\n",
      r.coverage.finished, r.coverage.touched, r.coverage.left, r.coverage.forgotten);
  for (const std::string& c : linesOf(coverageFindings(r))) out += "caution: " + c + "\n";
  out += fmt::format("time {}\n", formatDuration(r.time));
  return out;
}

std::vector<Finding> coverageFindings(const JobResult& r) {
  std::vector<Finding> out;
  const auto say = [&](double area, const Vec3& at, Code code) {
    if (area > kNoArea)
      out.push_back({code, {}, at, {{"area_mm2", area}, {"place", fmt::format("X{:.2f} Y{:.2f} Z{:.2f}", at.x(), at.y(), at.z())}}});
  };
  say(r.coverage.forgotten, r.coverage.forgottenAt, Code::GroundForgotten);
  say(r.coverage.touched, r.coverage.touchedAt, Code::GroundOverPromise);
  return out;
}

const std::vector<std::string>& cautions() {
  static const std::vector<std::string> list{
      "First run: single block, low feed override, hand on feed hold; watch each approach, index swing and closest clearance.",
      "Guards closed, eye protection on. Spindle stopped for touching off; keep fingers clear of gauge blocks.",
      "Touch the cutter's length off again after every change. Check cutter number, length, offset and unit before the start.",
      "Set the stick-out that is stated here, or measure it and prove the job again with it.",
      "Chips are hot and sharp. Some chips and dusts burn: know the material and have the right extinguisher at hand.",
      "Lift heavy blocks with the proper gear. Do not exceed the highest speed of the assembly at this stick-out.",
      "The machine maker's manual, the shop's rules, local codes and a qualified person come before this sheet."};
  return list;
}

namespace {
/// Stick-out and what was measured at the machine.
std::string asSetText(const Step& s, const std::function<std::string(double)>& length) {
  std::string out = length(s.stickOut);
  const AsSet& a = s.asSet;
  if (!a.any()) return out + " (measure it)";
  out += "<br>proven as set:";
  if (a.stickOut) out += "<br>stick-out " + length(*a.stickOut);
  if (a.diameter) out += "<br>diameter " + length(*a.diameter);
  if (a.runout) out += "<br>runout " + length(*a.runout);
  if (a.lengthOff) out += "<br>length off by " + length(*a.lengthOff);
  return out;
}
} // namespace

namespace {
std::string clampingSheet(const Job& job, const JobResult& r, std::size_t k) {
  const Clamping& c = job.clampings[k];
  std::string h = fmt::format("<h2>Clamping {}: {}</h2><table>", k + 1, htmlText(c.name));
  auto rows = setUpText(job, r, k, job.programUnit);
  for (std::string& row : holdingText(job, r, k, job.programUnit)) rows.push_back(std::move(row));
  for (const std::string& row : rows) {
    const std::size_t colon = row.find(": ");
    h += "<tr><th>" + htmlText(row.substr(0, colon)) + "</th><td>" + htmlText(row.substr(colon + 2)) + "</td></tr>";
  }
  return h + "</table>";
}
/// Rows of the first-run list: where to look at the control's readout.
std::string firstRunRows(const JobResult& r, const StepResult& step) {
  std::string h;
  const Path run = pathInClamping(step);
  const auto& l = run.locations;
  int shown = 0;
  double lowest = kInfinity;
  std::size_t deepest = 0;
  const auto row = [&](const std::string& what, std::size_t k) {
    const Joints& q = step.time->joints.joints[k];
    std::string at = fmt::format("tip X{:.3f} Y{:.3f} Z{:.3f}", l[k].tip.x(), l[k].tip.y(), l[k].tip.z());
    if (r.machine->fiveAxis) at += fmt::format(" A{:.3f} C{:.3f}", degrees(q[3]), degrees(q[4]));
    h += fmt::format("<tr><td>{}</td><td>{}</td><td>{}</td></tr>", htmlText(step.step.name), what, at);
  };
  for (std::size_t k = 1; k < l.size(); ++k) {
    if (l[k].tip.z() < lowest) lowest = l[k].tip.z(), deepest = k;
    if (l[k - 1].motion == Motion::Rapid && l[k].motion != Motion::Rapid && shown < 3) {
      row(fmt::format("approach {}", ++shown), k - 1);
    }
  }
  row("deepest place", deepest);
  for (const auto& f : step.clearance->notClear) row("not clear: " + htmlText(f.what), f.location);
  return h;
}

} // namespace

std::string setupSheet(const Job& job, const JobResult& r, const Release& release, const std::string& picture) {
  const LengthUnit unit = job.programUnit;
  const auto length = [&](double mm) { return formatLength(mm, unit); };
  std::string h = "<!DOCTYPE html><html><head><meta charset=\"utf-8\"><title>Set-up sheet: " + htmlText(job.name) +
                  "</title><style>body{font-family:Inter,sans-serif;font-size:10pt;color:#1F2430;max-width:60em;margin:2em auto}"
                  "h1{font-size:18pt}h2{font-size:12pt;margin-top:1.4em}table{border-collapse:collapse;width:100%}td,th{border:1px solid "
                  "#D8D3C8;padding:4px 8px;text-align:left;vertical-align:top}"
                  ".warn{border:2px solid #B4431F;padding:8px;font-weight:bold}</style></head><body>";
  h += "<h1>Set-up sheet: " + htmlText(job.name) + "</h1>";
  if (!r.machine->commissioned) h += "<p class=\"warn\">Not qualified for your machine: no commissioned post is recorded.</p>";
  const auto held = linesOf(release.heldBy);
  h += !held.empty()    ? "<p class=\"warn\">HELD. Do not run:</p><ul>"
       : release.waived ? "<p><b>Released with waivers</b> (see below).</p>"
                        : "<p><b>Proven:</b> every promise is kept.</p>";
  for (const auto& s : held) h += "<li>" + htmlText(s) + "</li>";
  if (!held.empty()) h += "</ul>";
  if (!picture.empty()) h += "<p><img width=\"640\" src=\"data:image/png;base64," + picture + "\"></p>";
  const Vec3 size = r.stock->stock.bounds().size();
  h += "<h2>Blank, datum, machine</h2><table>";
  h += fmt::format("<tr><th>Blank</th><td>{} {} × {} × {}</td></tr>", htmlText(job.stock.kind), length(size.x()), length(size.y()),
                   length(size.z()));
  h += "<tr><th>Machine</th><td>" + htmlText(r.machine->name) + "</td></tr></table>";
  for (std::size_t k = 0; k < job.clampings.size(); ++k) h += clampingSheet(job, r, k);
  h += "<h2>Steps in order</h2><table><tr><th>#</th><th>Step</th><th>Cutter, holder</th><th>Stick-out</th><th>Speed, "
       "feed</th><th>Time</th><th>Promise: measured (bound)</th></tr>";
  for (const auto& step : r.steps) {
    const StepResult& s = *step;
    h += fmt::format("<tr><td>{}</td><td>{}</td><td>{}<br>{}</td><td>{}</td><td>{:.0f} rpm<br>{:.0f} mm/min</td><td>{}</td><td>", s.number,
                     htmlText(s.step.name), htmlText(s.step.cutter), htmlText(s.step.holder), asSetText(s.step, length), s.rpm, s.feed,
                     formatDuration(s.time->timing.total));
    if (!s.step.note.empty()) h += "<i>" + htmlText(s.step.note) + "</i><br>";
    for (const PromiseResult& p : s.promises)
      h += fmt::format("{} {}: {} ({}) <b>{}</b> {}<br>", promiseTitle(p.name), showPromise(p.name, p.promised, unit),
                       showPromise(p.name, p.measured, unit), showPromise(p.name, p.bound, unit), verdictName(p.verdict), htmlText(p.note));
    for (const std::string& c : s.texts(Severity::Caution)) h += "<b>Caution:</b> " + htmlText(c) + "<br>";
    h += "</td></tr>";
  }
  h += "</table>";
  if (!r.ofRegions.empty()) h += "<h2>Regions</h2>";
  for (const RegionResult& region : r.ofRegions) {
    const auto rows = regionText(region, unit);
    h += "<p><b>" + htmlText(rows.front()) + "</b>";
    for (std::size_t i = 1; i < rows.size(); ++i) h += "<br>" + htmlText(rows[i]);
    h += "</p>";
  }
  h += "<h2>Programs</h2><table><tr><th>File</th><th>Cutter</th><th>Time</th><th>Replayed on the stand-in machine</th></tr>";
  for (const ProgramFile& p : release.programs)
    h += fmt::format("<tr><td>{}</td><td>{}</td><td>{}</td><td>{:.3f} µm off at most ({:.3f} allowed), {:.3f} at the far end of the "
                     "assembly ({:.3f}): {}</td></tr>",
                     p.file, htmlText(p.cutter), formatDuration(p.time), p.comparison.tip * 1e3, p.comparison.allowed * 1e3,
                     p.comparison.top * 1e3, p.comparison.allowedTop * 1e3,
                     p.good ? held.empty() ? "equal" : "equal, but HELD" : "NOT EQUAL, not given out: " + htmlText(p.wrong));
  h += "</table><h2>First-run list</h2><table><tr><th>Step</th><th>Event</th><th>The control should show</th></tr>";
  for (const auto& s : r.steps) h += firstRunRows(r, *s);
  h += "</table><h2>Waivers</h2>";
  if (job.waivers.empty()) h += "<p>None.</p>";
  for (const Waiver& w : job.waivers)
    h += "<p>" + htmlText(w.step + ", " + w.promise + ": waived by " + w.who + " on " + w.date + ": " + w.why) + "</p>";
  h += "<h2>Cautions</h2><ul>";
  for (const std::string& c : linesOf(coverageFindings(r))) h += "<li>" + htmlText(c) + "</li>";
  for (const std::string& c : cautions()) h += "<li>" + htmlText(c) + "</li>";
  h += "</ul><p>Clear of the modelled bodies only. Not modelled: ";
  for (const auto& s : r.steps) {
    for (const auto& n : s->clearance->notModelled) h += htmlText(n) + "; ";
    break;
  }
  h += "rapids are proven as straight moves; a control that runs dog-legs needs its own check.</p></body></html>";
  return h;
}

} // namespace hemline
