#include "job/foreign.h"
#include "base/safe_name.h"
#include "job/bodies.h"
#include "job/report.h"
#include "machine/program.h"
#include "proof/clearance.h"
#include <filesystem>
#include <fmt/format.h>

namespace hemline {
namespace {

namespace fs = std::filesystem;

} // namespace

ForeignProof proveForeign(const Part& part, const GivenPath& given, const Assembly& assembly, const ForeignOptions& o,
                          const std::string& name, Progress& progress) {
  const Path& path = given.path;
  SurfaceProofOptions so;
  so.allowance = o.allowance, so.cusp = o.cusp, so.gouge = 0.001;
  GivenProof measured = measureGivenPath(part, assembly.profile, path, given.deviation, so, name, progress);
  const SurfaceProof& proof = measured.surface;
  std::vector<PromiseResult> promises{judge("cusp_mm", o.cusp, proof.cusp), judge("gouge_mm", so.gouge, proof.gouge)};
  std::vector<Finding> blockers;
  for (const std::string& what : given.unproven) blockers.push_back({Code::MachineKnowsNotTheWay, {}, {}, {{"what", what}}});
  std::vector<std::string> remarks = path.notes;
  remarks.insert(remarks.end(), given.remarks.begin(), given.remarks.end());
  if (proof.rest.known || !proof.cusp.known) promises.push_back(judge("rest_mm", so.rest, proof.rest));
  if (o.holder) {
    ClearanceOptions c;
    c.wanted = 0.5, c.facetError = part.facetError, c.uncertainty += given.deviation + given.ways.deviation;
    Assembly whole = assembly;
    std::vector<Obstacle> obstacles{{"part", part.tree.get(), true, part.report.closed}};
    const auto triangles = o.machine ? tableTriangles(*o.machine) : std::vector<Vec3>{};
    const auto table = triangles.empty() ? nullptr : partFromTriangles(triangles, "machine table");
    if (o.machine) addSpindleNose(whole, o.machine->nose);
    if (table) obstacles.push_back({"machine table", table->tree.get(), false});
    const ClearanceResult clear = proveClearance(whole, path, given.ways, obstacles, c, progress);
    promises.push_back(judge("clearance_mm", c.wanted, clear.least));
    promises.back().note = "nearest: " + clear.pair;
    for (const std::string& n : clear.notModelled) remarks.push_back("not modelled: " + n);
    for (const ClearanceFinding& bad : clear.notClear)
      blockers.push_back({Code::Collision,
                          bad.location,
                          bad.at,
                          {{"what", fmt::format("{}: {} ({:.4f} mm)", path.placeOf(bad.location), bad.what, bad.distance)}}});
    if (clear.unproven > 0) blockers.push_back({Code::NotShownClear, {}, {}, {{"motions", clear.unproven}}});
  } else {
    remarks.emplace_back("no holder was named: nothing is said about clearance");
  }
  ForeignProof out;
  for (const PromiseResult& p : promises)
    if (p.verdict != Verdict::Kept)
      out.heldBy.push_back(
          {Code::PromiseOpen, {}, p.at, {{"promise", p.name}, {"verdict", p.verdict == Verdict::Broken ? "broken" : "not known"}}});
  out.heldBy.insert(out.heldBy.end(), blockers.begin(), blockers.end());
  const Cutter& c = assembly.cutter;
  out.report = {{"hemline", HEMLINE_VERSION},         {"job", name},
                {"proven", out.heldBy.empty()},       {"standing", out.heldBy.empty() ? "proven" : "held"},
                {"held_by", linesOf(out.heldBy)},     {"facet_error_mm", part.facetError},
                {"programs", nlohmann::json::array()}};
  for (const Finding& f : out.heldBy) out.report["held_by_findings"].push_back(toJson(f));
  out.report["steps"] = {
      {{"name", fs::path(name).stem().string()},
       {"kind", "foreign path"},
       {"cutter",
        {{"name", c.name},
         {"kind", kindName(c.kind)},
         {"diameter_mm", c.diameter},
         {"corner_mm", c.kind == CutterKind::Ball ? c.diameter / 2 : c.corner}}},
       {"cl", name},
       {"time_s", nullptr},
       {"cut_length_mm", path.length(true)},
       {"link_length_mm", path.length(false)},
       {"points", path.locations.size()},
       {"path_efficiency", nullptr},
       {"promises", promisesJson(promises)},
       {"judged", measured.told},
       {"notes", remarks},
       {"blockers", textsOf(blockers, Severity::Blocker)},
       {"area_mm2",
        {{"region", proof.areaRegion}, {"not_judged", proof.areaNotJudged}, {"over_cusp", proof.areaOverCusp}, {"rest", proof.areaRest}}}}};
  out.text = fmt::format("{}: {}\n", oneLine(name), out.heldBy.empty() ? "proven" : "not proven");
  for (const std::string& h : linesOf(out.heldBy)) out.text += "held by: " + oneLine(h, 400) + "\n";
  out.text += fmt::format("\n{}  [foreign path; {}, {:.1f} mm out]\n   {} points; cutting {:.1f} m, other {:.1f} m\n",
                          oneLine(fs::path(name).stem().string()), oneLine(c.name), assembly.stickOut, path.locations.size(),
                          path.length(true) / 1000, path.length(false) / 1000);
  for (const PromiseResult& p : promises) out.text += promiseRow(p);
  out.text += "   judged: " + measured.told + "\n";
  for (const std::string& b : textsOf(blockers, Severity::Blocker)) out.text += "   cannot be waived: " + b + "\n";
  for (const std::string& n : remarks) out.text += "   note: " + n + "\n";
  out.stockLeft = std::move(measured.surface.stockLeft);
  return out;
}

} // namespace hemline
