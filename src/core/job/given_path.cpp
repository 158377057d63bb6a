#include "job/given_path.h"
#include "base/parallel.h"
#include "base/safe_name.h"
#include "job/bodies.h"
#include "job/report.h"
#include "machine/program.h"
#include "proof/clearance.h"
#include "proof/gouge.h"
#include "proof/surface_proof.h"
#include <algorithm>
#include <filesystem>
#include <fmt/format.h>
#include <sstream>

namespace hemline {
namespace {

namespace fs = std::filesystem;
constexpr double kTolerance = 1e-4; // mm to which a replay's turning moves become moves of a path

/// Cutter-location text has GOTO records; no ISO block can look like one.
bool isClText(const std::string& text) {
  std::istringstream in(text);
  std::string line;
  while (std::getline(in, line)) {
    std::string s;
    for (const char c : line) {
      if (c == '/') break;
      if (!std::isspace(static_cast<unsigned char>(c))) s += static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
    }
    if (s.starts_with("GOTO") || s.starts_with("PARTNO") || s == "UNITS" || s == "LOADTL" || s == "FEDRAT") return true;
  }
  return false;
}

} // namespace

GivenPath readGivenPath(const std::string& text, const std::string& where, const Machine* machine, int tool, double reach) {
  GivenPath out;
  if (isClText(text)) {
    out.path = readCl(text, where);
    return out;
  }
  out.isProgram = true;
  if (!machine)
    throw Error("An ISO program says nothing without a machine", where, "Name the machine file, or give the path as cutter-location text.");
  Replay replay;
  try {
    replay = replayIso(*machine, text);
  } catch (const Error& e) {
    throw Error(e.happened, where + ", " + e.place, e.remedy);
  }
  ReplayedPath read = pathOf(*machine, replay, tool, reach, kTolerance);
  std::vector<int> tools = read.tools;
  std::sort(tools.begin(), tools.end());
  tools.erase(std::unique(tools.begin(), tools.end()), tools.end());
  std::string list;
  for (const int t : tools) list += (list.empty() ? "T" : ", T") + std::to_string(t);
  if (tool == 0 && tools.size() > 1)
    throw Error("The program cuts with several cutters: " + list, where, "Say which one is meant; each is proven on its own.");
  if (read.path.locations.size() < 2)
    throw Error(tool == 0 ? "The program holds no motion" : fmt::format("The program does not move cutter T{} (it has {})", tool, list),
                where, "Check that it is the right program.");
  out.ways = otherRapidWays(*machine, read.path, read.joints, reach, 1e-3);
  out.joints = std::move(read.joints);
  out.path = std::move(read.path);
  out.deviation = read.deviation;
  out.unproven = std::move(replay.unproven);
  out.unproven.insert(out.unproven.end(), read.limits.begin(), read.limits.end());
  out.remarks = std::move(replay.unsupported);
  double last = 0;
  for (const ReplayedMove& move : replay.moves)
    if (!move.rapid && (tool == 0 || move.tool == tool) && move.rpm != last && !machine->spindle.empty()) {
      last = move.rpm;
      if (last > 0 && !torqueAt(*machine, last) && out.unproven.size() < 50)
        out.unproven.push_back(fmt::format("line {}: {:.0f} rpm is outside the machine's {:.0f} to {:.0f} rpm", move.line, last,
                                           machine->spindle.front().rpm, machine->spindle.back().rpm));
    }
  return out;
}

GivenProof measureGivenPath(const Part& part, const Profile& profile, const Path& path, double deviation, SurfaceProofOptions options,
                            const std::string& name, Progress& progress) {
  const Box model = part.mesh.bounds();
  Box swept = path.tipBounds();
  const double size = profile.length() + profile.maxRadius();
  swept.low -= Vec3::Constant(size), swept.high += Vec3::Constant(size);
  if ((swept.low - model.high).maxCoeff() > 0 || (model.low - swept.high).maxCoeff() > 0)
    throw Error("The path comes near no part of the model", name, "Check that path and model share unit and origin.");
  const Sweep sweep(profile, path);
  options.certifyGouge = profile.ballRadius() > 0; // for others the check of the whole part is as sharp, and cheaper where the axis turns
  options.within = std::max(0.05, 20 * std::min(options.cusp, 0.05));
  // Facets of which some place may be near: those that no move can come near to are nobody's ground.
  std::vector<char> ground(part.mesh.triangles.size(), 0);
  parallelChunks(ground.size(), 256, [&](std::size_t first, std::size_t last) {
    Sweep::Near near;
    for (std::size_t t = first; t < last; ++t) {
      progress.check();
      const Vec3 n = part.mesh.facetNormal(t);
      if (!(n.norm() > 0.5)) continue;
      const Vec3 p = (part.mesh.corner(t, 0) + part.mesh.corner(t, 1) + part.mesh.corner(t, 2)) / 3;
      double radius = 0;
      for (std::size_t k = 0; k < 3; ++k) radius = std::max(radius, (part.mesh.corner(t, k) - p).norm());
      sweep.piecesNear(p, n, 1.05 * radius, options.allowance + options.within, near);
      ground[t] = !near.pieces.empty();
    }
  });
  const auto& l = path.locations;
  const bool fixed = std::all_of(l.begin(), l.end(), [&](const Location& x) { return angleBetween(x.axis, l.front().axis) < 1e-9; });
  std::optional<PoseField> reach;
  if (fixed) reach.emplace(part, profile, planFrame(l.front().axis, 0), TiltRule{}, options.allowance);
  GivenProof out;
  out.surface = proveSurface(part, ground, sweep, reach ? &*reach : nullptr, options, progress);
  SurfaceProof& s = out.surface;
  const Measured elsewhere = addGougeElsewhere(s, part, profile, path, options.allowance, options.gouge, progress);
  for (Measured* m : {&s.cusp, &s.gouge, &s.rest}) m->bound += deviation;
  out.told = s.areaRegion > 0 ? fmt::format("cusp{} judged on {:.1f} mm2 that the path comes within {:g} mm of",
                                            s.rest.known ? " and rest" : "", s.areaRegion, options.allowance + options.within)
                              : fmt::format("neither cusp nor rest was judged: no ground lies within {:g} mm of the path all over",
                                            options.allowance + options.within);
  if (s.areaNotJudged > 0) out.told += fmt::format("; {:.1f} mm2 beside it, which it touches in part, was not", s.areaNotJudged);
  out.told += "; the gouge is that of the whole part";
  if (elsewhere.value > options.gouge) out.told += ", and is met outside the judged ground, too";
  return out;
}

ForeignProof proveForeign(const Part& part, const GivenPath& given, const Assembly& assembly, const ForeignOptions& o,
                          const std::string& name, Progress& progress) {
  const Path& path = given.path;
  SurfaceProofOptions so;
  so.allowance = o.allowance, so.cusp = o.cusp, so.gouge = 0.001;
  GivenProof measured = measureGivenPath(part, assembly.profile, path, given.deviation, so, name, progress);
  const SurfaceProof& proof = measured.surface;
  std::vector<PromiseResult> promises{judge("cusp_mm", o.cusp, proof.cusp), judge("gouge_mm", so.gouge, proof.gouge)};
  std::vector<std::string> blockers = given.unproven, remarks = path.notes;
  remarks.insert(remarks.end(), given.remarks.begin(), given.remarks.end());
  if (proof.rest.known || !proof.cusp.known) promises.push_back(judge("rest_mm", so.rest, proof.rest));
  std::string notHeld; // why it is not proven though every promise is kept
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
      blockers.push_back(fmt::format("{}: {} ({:.4f} mm)", path.placeOf(bad.location), bad.what, bad.distance));
    if (clear.unproven > 0) notHeld = fmt::format("{} moves are not shown to be clear", clear.unproven);
  } else {
    remarks.emplace_back("no holder was named: nothing is said about clearance");
  }
  ForeignProof out;
  for (const PromiseResult& p : promises)
    if (p.verdict != Verdict::Kept)
      out.heldBy.push_back(fmt::format("promise {} is {}", p.name, p.verdict == Verdict::Broken ? "broken" : "not known"));
  for (const std::string& b : blockers) out.heldBy.push_back(b + " (cannot be waived)");
  if (!notHeld.empty()) out.heldBy.push_back(notHeld);
  const Cutter& c = assembly.cutter;
  out.report = {{"hemline", HEMLINE_VERSION},
                {"job", name},
                {"proven", out.heldBy.empty()},
                {"standing", out.heldBy.empty() ? "proven" : "held"},
                {"held_by", out.heldBy},
                {"facet_error_mm", part.facetError},
                {"programs", nlohmann::json::array()}};
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
       {"blockers", blockers},
       {"area_mm2",
        {{"region", proof.areaRegion}, {"not_judged", proof.areaNotJudged}, {"over_cusp", proof.areaOverCusp}, {"rest", proof.areaRest}}}}};
  out.text = fmt::format("{}: {}\n", oneLine(name), out.heldBy.empty() ? "proven" : "not proven");
  for (const std::string& h : out.heldBy) out.text += "held by: " + oneLine(h, 400) + "\n";
  out.text += fmt::format("\n{}  [foreign path; {}, {:.1f} mm out]\n   {} points; cutting {:.1f} m, other {:.1f} m\n",
                          oneLine(fs::path(name).stem().string()), oneLine(c.name), assembly.stickOut, path.locations.size(),
                          path.length(true) / 1000, path.length(false) / 1000);
  for (const PromiseResult& p : promises) out.text += promiseRow(p);
  out.text += "   judged: " + measured.told + "\n";
  for (const std::string& b : blockers) out.text += "   cannot be waived: " + b + "\n";
  for (const std::string& n : remarks) out.text += "   note: " + n + "\n";
  out.stockLeft = std::move(measured.surface.stockLeft);
  return out;
}

} // namespace hemline
