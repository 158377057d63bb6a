#include "plan/plan_facts.h"
#include "job/release.h"
#include <fmt/format.h>

namespace hemline {
namespace {

int grave(Verdict v) {
  return v == Verdict::Broken ? 3 : v == Verdict::Unknown ? 2 : v == Verdict::Waived ? 1 : 0;
}

/// How much of the promise is used up; a clearance is used up as it gets less.
double used(const PromiseResult& p) {
  if (p.name == "clearance_mm") return -p.measured;
  return p.promised > 0 ? p.measured / p.promised : p.measured;
}

bool worse(const PromiseResult& a, const PromiseResult& b) {
  return std::pair(grave(a.verdict), used(a)) > std::pair(grave(b.verdict), used(b));
}

std::string areaText(double area, const PlanFacts& f) {
  const double all = f.finished + f.left + f.touched + f.forgotten;
  if (!(area > 0)) return "none";
  return fmt::format("{:.3g} cm\u00b2, {:.2g} %", area / 100, all > 0 ? 100 * area / all : 0);
}

/// A row of factRows that can be ranked, and by what: less is better.
struct Ranked {
  const char* title;
  double (*by)(const PlanFacts&);
};
double broken(const PlanFacts& f) {
  return static_cast<double>(f.verdicts[static_cast<std::size_t>(Verdict::Broken)] +
                             f.verdicts[static_cast<std::size_t>(Verdict::Unknown)]);
}

} // namespace

PlanFacts planFacts(const Job& job, const JobResult& result) {
  PlanFacts out;
  out.steps = result.steps.size(), out.time = result.time;
  std::string cutter;
  int clamping = -1;
  const std::pair<const char*, std::optional<PlanFacts::Figure> PlanFacts::*> figures[] = {{"cusp_mm", &PlanFacts::cusp},
                                                                                           {"rest_mm", &PlanFacts::rest},
                                                                                           {"gouge_mm", &PlanFacts::gouge},
                                                                                           {"clearance_mm", &PlanFacts::clearance},
                                                                                           {"engagement_deg", &PlanFacts::engagement}};
  for (std::size_t k = 0; k < result.steps.size(); ++k) {
    const StepResult& s = *result.steps[k];
    if (std::find(out.cutters.begin(), out.cutters.end(), s.step.cutter) == out.cutters.end()) out.cutters.push_back(s.step.cutter);
    if (!cutter.empty() && s.step.cutter != cutter) ++out.changes;
    if (s.step.clamping != clamping) ++out.clampings;
    cutter = s.step.cutter, clamping = s.step.clamping;
    for (const PromiseResult& p : s.promises) {
      ++out.verdicts[static_cast<std::size_t>(p.verdict)];
      for (const auto& [name, figure] : figures)
        if (p.name == name && (!(out.*figure) || worse(p, (out.*figure)->of))) out.*figure = PlanFacts::Figure{p, k};
    }
  }
  for (const RegionResult& r : result.ofRegions)
    for (const PromiseResult& p : r.promises) ++out.verdicts[static_cast<std::size_t>(p.verdict)];
  const Coverage& c = result.coverage;
  out.finished = c.finished, out.left = c.left, out.touched = c.touched, out.forgotten = c.forgotten;
  out.heldBy = releaseHeldBy(job, result);
  return out;
}

std::vector<FactRow> factRows(const PlanFacts& f, LengthUnit unit) {
  std::vector<FactRow> out;
  const auto row = [&](const char* title, std::string value, bool wrong = false) { out.push_back({title, std::move(value), wrong}); };
  const auto figure = [&](const char* title, const std::optional<PlanFacts::Figure>& g) {
    if (!g) return row(title, "not promised");
    const PromiseResult& p = g->of;
    const bool angle = p.name == "engagement_deg";
    const auto text = [&](double v) { return angle ? fmt::format("{:.0f}\u00b0", v) : formatLength(v, unit, p.name != "clearance_mm"); };
    if (p.verdict == Verdict::Unknown) return row(title, "not known", true);
    row(title,
        fmt::format("{} of {}, step {}{}", text(p.measured), text(p.promised), g->step + 1,
                    p.verdict == Verdict::Kept ? "" : fmt::format(": {}", verdictName(p.verdict))),
        p.verdict == Verdict::Broken);
  };
  row("time", formatDuration(f.time));
  std::string names;
  for (const std::string& c : f.cutters) names += (names.empty() ? "" : ", ") + c;
  row("cutters", fmt::format("{}: {}", f.cutters.size(), names));
  figure("cusp", f.cusp);
  figure("rest", f.rest), figure("gouge", f.gouge), figure("clearance", f.clearance), figure("engagement", f.engagement);
  row("finished", areaText(f.finished, f));
  row("left on purpose", areaText(f.left, f));
  row("over its promise", areaText(f.touched, f));
  row("forgotten", areaText(f.forgotten, f), f.forgotten > 0);
  const auto count = [&](Verdict v) { return f.verdicts[static_cast<std::size_t>(v)]; };
  row("promises",
      fmt::format("{} kept, {} broken, {} not known{}", count(Verdict::Kept), count(Verdict::Broken), count(Verdict::Unknown),
                  count(Verdict::Waived) > 0 ? fmt::format(", {} waived", count(Verdict::Waived)) : ""),
      broken(f) > 0);
  return out;
}

std::vector<std::vector<FactRow>> factRows(const std::vector<PlanFacts>& plans, LengthUnit unit) {
  std::vector<std::vector<FactRow>> out;
  for (const PlanFacts& f : plans) out.push_back(factRows(f, unit));
  const Ranked ranked[] = {{"time", [](const PlanFacts& f) { return f.time; }},
                           {"cutters", [](const PlanFacts& f) { return static_cast<double>(f.cutters.size()); }},
                           {"rest", [](const PlanFacts& f) { return f.rest ? f.rest->of.measured : 0; }},
                           {"forgotten", [](const PlanFacts& f) { return f.forgotten; }},
                           {"promises", broken}};
  for (const Ranked& r : ranked) {
    double least = kInfinity, most = -kInfinity;
    for (const PlanFacts& f : plans) least = std::min(least, r.by(f)), most = std::max(most, r.by(f));
    if (!(most > least)) continue; // all alike
    for (std::size_t k = 0; k < plans.size(); ++k)
      for (FactRow& row : out[k])
        if (row.title == r.title) row.best = !row.wrong && r.by(plans[k]) <= least;
  }
  return out;
}

std::vector<std::string> commonLimits(const std::vector<PlanFacts>& plans) {
  std::vector<std::string> out;
  if (plans.empty()) return out;
  for (const std::string& line : linesOf(plans.front().heldBy))
    if (std::all_of(plans.begin(), plans.end(), [&](const PlanFacts& f) {
          const auto lines = linesOf(f.heldBy);
          return std::find(lines.begin(), lines.end(), line) != lines.end();
        }))
      out.push_back(line);
  return out;
}

std::vector<std::string> ownLimits(const PlanFacts& facts, const std::vector<PlanFacts>& others) {
  std::vector<std::string> out = linesOf(facts.heldBy);
  if (others.size() < 2) return out;
  const auto common = commonLimits(others);
  std::erase_if(out, [&](const std::string& line) { return std::find(common.begin(), common.end(), line) != common.end(); });
  return out;
}

} // namespace hemline
