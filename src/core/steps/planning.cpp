#include "steps/planning.h"
#include "base/file.h"
#include "steps/read_given_path.h"
#include "study/ball_border.h"
#include "study/largest_ball.h"
#include <fmt/format.h>

namespace hemline {
namespace {

constexpr double kLinkFeed = 3;      // feeds: ways back over cleared ground
constexpr double kTurn = radians(5); // turn of the axis in one move between directions
constexpr double kHalfRound = radians(175);
constexpr double kTurnGap = 10; // mm: kept to the stock while it turns

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

RoughingOptions optionsOf(const RoughingIn& in, const Assembly* reach) {
  RoughingOptions o;
  const LevelRoughing& how = in.how;
  o.depth = how.depth, o.stepOver = how.stepOver, o.wall = how.wall, o.floor = how.floor;
  o.bottom = how.bottom, o.boundary = in.boundary, o.fromOpenSide = how.fromOpenSide;
  o.belowEdge = how.belowEdge;
  if (how.tabs) o.tabs = *how.tabs;
  o.thinning = how.thinning, o.leastThickness = how.leastThickness, o.leastArea = how.leastArea;
  o.engagement = how.engagement, o.smallestLoop = how.smallestLoop, o.byRegion = how.byRegion;
  o.own = in.own;
  if (reach) o.reach = RoughingReach{reach, in.clearance};
  o.feed = in.feed / 60, o.plungeFeed = kPlungeFeed * in.feed / 60, o.linkFeed = kLinkFeed * in.feed / 60;
  return o;
}

void append(Planned& p, RoughingResult& rr, std::size_t k, std::size_t directions) {
  int passes = 0;
  for (const Location& l : p.path.locations) passes = std::max(passes, l.pass + 1);
  for (Location l : rr.path.locations) {
    if (l.pass >= 0) l.pass += passes;
    p.path.locations.push_back(l);
  }
  if (rr.reached) p.endsEarly.push_back(p.path.notes.size() + rr.reachedNote);
  p.path.notes.insert(p.path.notes.end(), rr.path.notes.begin(), rr.path.notes.end());
  p.engaged.insert(p.engaged.end(), rr.engaged.begin(), rr.engaged.end());
  p.summary += fmt::format("{}{}{} levels{}; {} entries from air, {} by helix, {} by ramp", p.summary.empty() ? "" : "; ",
                           directions > 1 ? fmt::format("direction {}: ", k + 1) : "", rr.levels,
                           rr.thinned > 0 ? fmt::format(" and {} between them on the slopes", rr.thinned) : "", rr.airEntries,
                           rr.helixEntries, rr.rampEntries);
}

Planned planRoughing(const RoughingIn& in, NoAid&, Progress& progress) {
  std::optional<Assembly> reach;
  if (in.reach) reach = in.reach->assembly();
  RoughingOptions o = optionsOf(in, reach ? &*reach : nullptr);
  Planned p;
  Stock now = in.stock->stock;
  for (std::size_t k = 0; k < in.axes.size(); ++k) {
    o.up = in.axes[k], o.safeHeight = in.safe[k];
    RoughingResult rr;
    try {
      rr = planLevelRoughing(*in.part, now, in.cutter, o, progress);
    } catch (const Error& e) {
      if (in.axes.size() == 1) throw;
      p.path.notes.push_back(fmt::format("direction {}: {}", k + 1, e.what()));
      continue;
    }
    if (!p.path.locations.empty()) turnAxis(p.path, p.path.locations.back().axis, in.axes[k], in.overhead, in.turning);
    append(p, rr, k, in.axes.size());
    now = std::move(rr.stockAfter);
  }
  if (p.path.locations.empty())
    throw Error(Fault::NothingToDo, "There is nothing to rough along any of the directions", "level roughing",
                "Check stock, directions and bottom limit.");
  if (const double e = efficiencyOf(p.engaged); e > 0)
    p.summary += fmt::format("; constant engagement, {:.2f} times the least length of passes", e);
  return p;
}

Planned planHoles(const HolesIn& in, NoAid&, Progress& progress) {
  DrillingResult d = planDrilling(*in.part, in.stock->stock, in.cutter, in.options, progress);
  Planned p;
  p.path = std::move(d.path);
  p.summary = d.holes == 1 ? "1 hole" : fmt::format("{} holes", d.holes);
  return p;
}

Planned readGiven(const GivenIn& in, NoAid&, Progress& progress) {
  progress.report(0, "reading " + in.name);
  GivenPath g = readGivenPath(readFile(in.file.path), in.name, &in.machine, in.tool, in.reach);
  mustBeUnchanged(in.file);
  Planned p;
  p.path = pathOut(g.path, in.frame), p.deviation = g.deviation, p.unproven = std::move(g.unproven), p.joints = std::move(g.joints);
  p.path.notes.insert(p.path.notes.end(), g.remarks.begin(), g.remarks.end());
  p.summary = fmt::format("{} of {}", g.isProgram ? "ISO program" : "cutter-location text", in.name);
  return p;
}

/// The options for a mesh that has points of its own for the field, and for ground that the field bounds.
PassOptions optionsOn(const FineMesh& mesh, const Laid& laid, PassOptions o) {
  if (o.region.only) o.region.only = std::make_shared<const std::vector<char>>(mesh.flags(*o.region.only));
  if (laid.found && !laid.found->within.empty()) {
    // Facets that the ground's border crosses belong to it; contacts are looked at one by one.
    const std::vector<double>& within = laid.found->within;
    const auto& triangles = mesh.part->mesh.triangles;
    std::vector<char> only = o.region.only ? *o.region.only : std::vector<char>(triangles.size(), 1);
    for (std::size_t t = 0; t < only.size(); ++t)
      only[t] =
          only[t] && std::any_of(triangles[t].begin(), triangles[t].end(), [&](int p) { return within[static_cast<std::size_t>(p)] >= 0; });
    o.region.only = std::make_shared<const std::vector<char>>(std::move(only));
    o.region.within = std::make_shared<const std::vector<double>>(within);
  }
  return o;
}

Planned planPasses(const PassesIn& in, PassMemory& memory, Progress& progress) {
  // Fields that were found live on a mesh of their own: passes are planned on that.
  FineMesh mesh;
  mesh.part = in.part;
  if (in.laid.found) mesh = meshForFields(in.part, in.laid.found->cuts);
  const auto field = fieldOf(in.laid, in.part, &mesh);
  const PassOptions& o = in.options;
  const Profile profile = makeProfile(in.cutter);
  // Where an earlier plan was found on disk its passes are not in the memory: they are planned again.
  if (memory.plans > in.earlier.size()) memory = {};
  for (; memory.plans < in.earlier.size(); ++memory.plans)
    planLevelPasses(*mesh.part, profile, *field, optionsOn(mesh, in.laid, in.earlier[memory.plans]), progress, &memory);
  PassPlan pp = planLevelPasses(*mesh.part, profile, *field, optionsOn(mesh, in.laid, o), progress, &memory);
  ++memory.plans;
  Planned p;
  p.path = std::move(pp.path);
  p.stripCusp = std::move(pp.stripCusp), p.spacing = std::move(pp.spacing), p.levels = std::move(pp.levels);
  p.summary = o.spiral ? fmt::format("{} turns, wound into spirals", p.levels.size())
                       : fmt::format("{} {}", p.levels.size(), p.levels.size() == 1 ? "pass" : "passes");
  if (pp.along > 0) p.summary += fmt::format(", {} along {}", pp.along, pp.along == 1 ? "a line of the ground" : "lines of the ground");
  if (pp.mended > 0)
    p.summary += fmt::format(" and {} between them", pp.mended == 1 ? "a short one" : fmt::format("{} short ones", pp.mended));
  if (o.fillet > 0) p.summary += fmt::format(", corners left round by {:.4g} mm", o.fillet);
  if (pp.aligned) p.summary += fmt::format(", {:.0f} % of their points beside one of the pass before", std::floor(100 * *pp.aligned));
  if (in.laid.found && !in.laid.found->told.empty()) p.summary += "; " + in.laid.found->told;
  return p;
}

std::vector<std::vector<Vec3>> findCorners(const CornersIn& in, NoAid&, Progress& progress) {
  constexpr double kTight = 1.02; // of the radius: larger balls fit where corners are no matter
  constexpr double kNear = 0.5;   // of the radius
  std::vector<std::vector<Vec3>> out;
  const Part& part = *in.part;
  const std::vector<double> off = facetTolerance(part);
  std::vector<Vec3> tight;
  for (const Touching& t : in.over)
    if (largestBall(*part.tree, t.place.point, t.place.normal, off[static_cast<std::size_t>(t.on.facet)], 2 * in.radius) <
        kTight * in.radius)
      tight.push_back(t.place.point);
  if (tight.empty()) return out;
  std::vector<Box> boxes;
  for (const Vec3& p : tight) boxes.emplace_back().add(p);
  const BoxTree near(boxes);
  const auto isNear = [&](const Vec3& p, double most) {
    double best = most;
    near.minimise([&](const Vec3& c, const Vec3& h) { return ((p - c).cwiseAbs() - h).cwiseMax(0.0).norm(); },
                  [&](int i) { best = std::min(best, (p - tight[static_cast<std::size_t>(i)]).norm()); }, best);
    return best < most;
  };
  const FineMesh fine = meshForFields(in.part);
  std::vector<char> flags = fine.flags(in.ground);
  const Mesh& mesh = fine.part->mesh;
  for (std::size_t t = 0; t < flags.size(); ++t) {
    const Vec3 mid = (mesh.corner(t, 0) + mesh.corner(t, 1) + mesh.corner(t, 2)) / 3;
    flags[t] = flags[t] && isNear(mid, 2 * in.radius + (mesh.corner(t, 0) - mid).norm());
  }
  for (std::vector<Vec3>& line : ballBorder(part, fine, flags, in.radius, progress).lines)
    if (std::any_of(line.begin(), line.end(), [&](const Vec3& p) { return isNear(p, kNear * in.radius); })) out.push_back(std::move(line));
  return out;
}

Planned join(const JoinIn& in, NoAid&, Progress&) {
  Planned all;
  for (const Ref<Planned>& p : in.parts) {
    const std::size_t passes = all.levels.size(); // whether they touch anything or not
    for (Location l : p->path.locations) {
      if (l.pass >= 0) l.pass += static_cast<int>(passes);
      all.path.locations.push_back(l);
    }
    all.path.notes.insert(all.path.notes.end(), p->path.notes.begin(), p->path.notes.end());
    // A strip lies between neighbouring passes: none between the last of one part and the first of the next.
    all.stripCusp.resize(passes, 0);
    all.stripCusp.insert(all.stripCusp.end(), p->stripCusp.begin(), p->stripCusp.end());
    all.spacing.insert(all.spacing.end(), p->spacing.begin(), p->spacing.end());
    all.levels.insert(all.levels.end(), p->levels.begin(), p->levels.end());
    all.summary += (all.summary.empty() ? "" : ", then ") + p->summary;
  }
  return all;
}

Planned link(const LinksIn& in, RapidMemory& memory, Progress& progress) {
  Planned p = *in.plan;
  const Assembly assembly = in.mounted.assembly();
  p.path = shortenRapids(p.path, in.axis, assembly, in.scene.obstacles(), in.stock->stock, in.clear, progress, &memory);
  return p;
}

} // namespace

const Node<RoughingIn, Planned> kPlanRoughing{"plan roughing", 1, planRoughing, true};
const Node<HolesIn, Planned> kPlanHoles{"plan holes", 1, planHoles, true};
const Node<FieldIn, FieldFound> kFindField{"find field", 1,
                                           [](const FieldIn& in, NoAid&, Progress& progress) { return findField(in, progress); }};
const Node<GivenIn, Planned> kReadGiven{"plan given", 1, readGiven, true};
const Node<PassesIn, Planned, PassMemory> kPlanPasses{"plan passes", 4, planPasses, true};
const Node<CornersIn, std::vector<std::vector<Vec3>>> kFindCorners{"find corners", 1, findCorners};
const Node<JoinIn, Planned> kJoin{"join", 1, join, true};
const Node<LinksIn, Planned, RapidMemory> kLinks{"links", 1, link, true};

} // namespace hemline
