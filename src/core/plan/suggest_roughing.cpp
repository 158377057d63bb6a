#include "base/units.h"
#include "cutter/mount.h"
#include "plan/suggest.h"
#include "study/reach.h"
#include <algorithm>
#include <fmt/format.h>

namespace hemline {
namespace {

constexpr double kRoom = 4;       // cells: a hole is wider than the cutter by so much ..
constexpr double kMoreRoom = 0.5; // .. and this, mm
constexpr std::size_t kWayIn = 4; // moves: a helix or a ramp has more of them than a way down through air
constexpr double kShallow = 1;    // diameters of the drill that its point may end above the entry's foot
constexpr double kTenth = 10;     // places a mm: holes lie at tenths
constexpr std::size_t kAskedPlaces = 4000, kSphere = 600;
constexpr double kAlong = 0.1, kWall = 0.3; // cosine up to which ground is a wall, and what that counts beside ground that faces the cutter
constexpr double kWorthADirection = 0.01;   // of the part's surface that a direction has to add

struct WayIn {
  Vec3 middle; ///< in the part's frame
  double low = kInfinity;
};

/// Ways into material by helix or ramp: entries of more than a few moves.
std::vector<WayIn> waysIn(const Path& path) {
  std::vector<WayIn> out;
  const auto& l = path.locations;
  for (std::size_t i = 0; i < l.size();) {
    std::size_t end = i;
    while (end < l.size() && l[end].motion == Motion::Entry) ++end;
    if (end - i > kWayIn) {
      WayIn way{Vec3::Zero(), kInfinity};
      double length = 0;
      for (std::size_t k = i; k < end; ++k) {
        const double run = k > 0 ? (l[k].tip - l[k - 1].tip).norm() : 0;
        way.middle += run * l[k].tip, length += run, way.low = std::min(way.low, l[k].tip.dot(l[k].axis));
      }
      if (length > 0) way.middle /= length, out.push_back(way);
    }
    i = std::max(end, i + 1);
  }
  return out;
}

const Step& roughingStep(const Job& job, const JobResult& result, std::size_t step) {
  const Step& s = job.steps.at(step);
  const auto* levels = s.as<LevelRoughing>();
  if (!levels) throw Error(Fault::Cannot, "Only level roughing can be given this", s.name, "Choose a roughing step.");
  if (!levels->moreAxes.empty())
    throw Error(Fault::Cannot, "The step has several directions already", s.name, "Choose one with a single direction.");
  if (step >= result.steps.size()) throw Error(Fault::NothingToDo, "The step is not computed yet", s.name, "Wait until it is.");
  return s;
}

} // namespace

Job withDrilledEntries(const Job& job, const JobResult& result, std::size_t step, const CutterLibrary& library, std::string& told) {
  const Step& rough = roughingStep(job, result, step);
  const StepResult& done = *result.steps[step];
  const Vec3 up = done.step.axis;
  std::vector<WayIn> ways = waysIn(done.planned->path);
  if (ways.empty()) throw Error(Fault::NothingToDo, "The step enters nowhere by helix or ramp", rough.name, "It needs no holes.");
  const double wide = job.cutter(rough.cutter).diameter + kRoom * result.stock->stock.cell() + kMoreRoom;
  const Cutter* drill = nullptr;
  for (const auto* list : {&job.cutters, &library.cutters})
    for (const Cutter& c : *list)
      if (c.kind == CutterKind::Drill && c.diameter >= wide && (!drill || c.diameter < drill->diameter)) drill = &c;
  if (!drill)
    throw Error(Fault::Cannot, fmt::format("No drill of job or library is wide enough: the cutter needs holes of {:.1f} mm", wide),
                rough.name, "Add a drill to the library, or take a smaller cutter or cell.");
  CutterLibrary all = library;
  all.holders.insert(all.holders.end(), job.holders.begin(), job.holders.end());
  const auto holder = mountFor(*drill, all.holders, 0);
  if (!holder) throw Error(Fault::Cannot, "No holder takes '" + drill->name + "'", rough.name, "Add one to the library.");

  // The deepest first; what lies within a drill of one that is taken goes in by its hole.
  std::sort(ways.begin(), ways.end(), [](const WayIn& a, const WayIn& b) { return a.low < b.low; });
  const LevelRoughing& levels = *rough.as<LevelRoughing>();
  const double keep = std::max(levels.wall, levels.floor);
  const Profile profile = makeProfile(*drill).grown(keep, keep);
  const Frame frame = done.held->frame;
  Vec3 e1, e2;
  frameAround(rough.axis, e1, e2);
  Step s;
  Drilling drilled;
  s.name = "Drill entries for '" + rough.name + "'", s.clamping = rough.clamping, s.axis = rough.axis;
  s.cutter = drill->name, s.holder = holder->holder->name, drilled.floor = keep, drilled.peck = 0.3 * drill->diameter,
  drilled.bottom = levels.bottom;
  s.promises.gouge = rough.promises.gouge, s.promises.clearance = rough.promises.clearance;
  std::size_t narrow = 0;
  double deepest = kInfinity;
  std::vector<Vec3> taken;
  for (const WayIn& way : ways) {
    const auto across = [&](const Vec3& p) { return (p - way.middle - (p - way.middle).dot(up) * up).norm(); };
    if (std::any_of(taken.begin(), taken.end(), [&](const Vec3& p) { return across(p) < drill->diameter; })) continue;
    const Vec3 foot = way.middle - way.middle.dot(up) * up;
    const Touch touch = touchAlong(*result.part->tree, profile, up, foot);
    const double low = std::max(touch.hit ? touch.height : -kInfinity, done.step.as<LevelRoughing>()->bottom.value_or(-kInfinity));
    if (low > way.low + kShallow * drill->diameter || low < -kFinite) {
      ++narrow;
      continue;
    }
    taken.push_back(way.middle), deepest = std::min(deepest, low);
    const Vec3 at = frame.into(foot);
    drilled.holes.emplace_back(std::round(kTenth * at.dot(e1)) / kTenth, std::round(kTenth * at.dot(e2)) / kTenth);
  }
  if (drilled.holes.empty())
    throw Error(Fault::Cannot, fmt::format("None of the {} entries has room for '{}'", ways.size(), drill->name), rough.name,
                "Let it enter by itself.");
  const double deep = result.stock->stock.bounds().highest(up) - deepest;
  const StickOuts range = *stickOuts(*drill, *holder->holder);
  s.stickOut = std::clamp(std::max(drill->fluteLength, deep) + 2, range.least, range.most);
  s.body = drilled;
  Job out = job;
  takeInto(out.cutters, *drill), takeInto(out.holders, *holder->holder);
  out.steps.insert(out.steps.begin() + static_cast<std::ptrdiff_t>(step), s);
  told = fmt::format("{} of {:.3g} mm drilled before '{}'{}.",
                     drilled.holes.size() == 1 ? "1 hole" : fmt::format("{} holes", drilled.holes.size()), drill->diameter, rough.name,
                     narrow > 0 ? fmt::format("; {} entries have no room for the drill", narrow) : "");
  return out;
}

Job withDirections(const Job& job, const JobResult& result, std::size_t step, std::string& told) {
  const Step& rough = roughingStep(job, result, step);
  const StepResult& done = *result.steps[step];
  const double lean = done.held->machine->leans();
  if (!(lean > 0)) throw Error(Fault::Cannot, "The machine does not tilt", rough.name, "Make a clamping for each direction instead.");
  const Boundary& within = rough.as<LevelRoughing>()->within;
  if (!within.points.empty() || !within.rail.empty())
    throw Error(Fault::Clash, "A boundary limits one direction", rough.name, "Take the boundary away, or make steps of the directions.");
  const Sight sight(result.part->mesh);
  const Places places = spreadPlaces(*result.part, kAskedPlaces);
  const Vec3 up = done.held->frame.directionOut(Vec3::UnitZ());
  std::vector<Vec3> looks;
  for (int k = 0; k < 6; ++k) looks.push_back(done.held->frame.directionOut(k < 3 ? Vec3(Vec3::Unit(k)) : Vec3(-Vec3::Unit(k - 3))));
  for (const Vec3& d : sphereDirections(kSphere)) looks.push_back(d);
  std::erase_if(looks, [&](const Vec3& d) { return angleBetween(d, up) > lean - radians(1); });
  std::vector<std::vector<char>> seen;
  for (const Vec3& d : looks) seen.push_back(seenFrom(sight, places, d));
  std::vector<char> have = seenFrom(sight, places, done.step.axis);
  const auto share = [&](std::size_t n) { return double(n) / double(places.at.size()); };
  Job out = job;
  std::string list;
  const auto before = static_cast<std::size_t>(std::count(have.begin(), have.end(), 1));
  std::size_t all = before;
  for (std::size_t n = 0; n < kMostDirections; ++n) {
    std::size_t best = 0, most = 0;
    double score = 0;
    for (std::size_t k = 0; k < looks.size(); ++k) {
      std::size_t adds = 0;
      double sum = 0;
      for (std::size_t i = 0; i < have.size(); ++i)
        if (seen[k][i] && !have[i]) {
          const double facing = places.normal[i].dot(looks[k]);
          ++adds, sum += facing < kAlong ? kWall : facing;
        }
      if (sum > score) score = sum, most = adds, best = k;
    }
    if (share(most) < kWorthADirection) break;
    for (std::size_t i = 0; i < have.size(); ++i) have[i] = have[i] || seen[best][i];
    all += most;
    const Vec3 d = done.held->frame.directionInto(looks[best]);
    out.steps[step].as<LevelRoughing>()->moreAxes.push_back(d);
    list += fmt::format("{}{:.2f} {:.2f} {:.2f}", list.empty() ? "" : "; ", d.x() + 0.0, d.y() + 0.0, d.z() + 0.0);
  }
  if (list.empty())
    throw Error(
        Fault::NothingToDo,
        fmt::format("No other direction adds a hundredth of the surface to the {:.0f} % that the step's axis sees", 100 * share(before)),
        rough.name, "Leave it with one.");
  told = fmt::format("'{}' roughs from {} more directions ({}): they see {:.0f} % of the surface, its axis alone {:.0f} %.", rough.name,
                     out.steps[step].as<LevelRoughing>()->moreAxes.size(), list, 100 * share(all), 100 * share(before));
  return out;
}

} // namespace hemline
