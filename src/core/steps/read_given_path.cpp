#include "steps/read_given_path.h"
#include "base/safe_name.h"
#include "base/threads.h"
#include "machine/program.h"
#include "proof/gouge.h"
#include "proof/surface_proof.h"
#include <algorithm>
#include <fmt/format.h>
#include <sstream>

namespace hemline {
namespace {

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
    throw Error(Fault::Missing, "An ISO program says nothing without a machine", where,
                "Name the machine file, or give the path as cutter-location text.");
  Replay replay;
  try {
    replay = replayIso(*machine, text);
  } catch (const Error& e) {
    throw Error(e.fault, e.happened, where + ", " + e.place, e.remedy);
  }
  ReplayedPath read = pathOf(*machine, replay, tool, reach, kTolerance);
  std::vector<int> tools = read.tools;
  std::sort(tools.begin(), tools.end());
  tools.erase(std::unique(tools.begin(), tools.end()), tools.end());
  std::string list;
  for (const int t : tools) list += (list.empty() ? "T" : ", T") + std::to_string(t);
  if (tool == 0 && tools.size() > 1)
    throw Error(Fault::Cannot, "The program cuts with several cutters: " + list, where,
                "Say which one is meant; each is proven on its own.")
        .mendedBy("program_tool");
  if (read.path.locations.size() < 2)
    throw Error(Fault::NothingToDo,
                tool == 0 ? "The program holds no motion" : fmt::format("The program does not move cutter T{} (it has {})", tool, list),
                where, "Check that it is the right program.")
        .mendedBy("path_file");
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
    throw Error(Fault::NothingToDo, "The path comes near no part of the model", name, "Check that path and model share unit and origin.");
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
  std::optional<Placing> reach;
  if (fixed) reach.emplace(part, profile, l.front().axis, TiltRule{}, options.allowance);
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

} // namespace hemline
