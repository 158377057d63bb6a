#include "plan/next_step.h"
#include "model/edit.h"
#include "plan/assemble.h"
#include "plan/suggest.h"
#include <fmt/format.h>

namespace hemline {
namespace {

constexpr double kSmaller = 0.7; // of the cutter before: one that is hardly smaller enters hardly more
constexpr double kWorth = 0.002; // of the ground: a ball that finishes less more than the one before it is not worth its change

/// The last step before `place` that `is` one.
template <class Is> const Step* before(const Job& job, std::size_t place, Is is) {
  for (std::size_t k = std::min(place, job.steps.size()); k-- > 0;)
    if (is(job.steps[k])) return &job.steps[k];
  return nullptr;
}
bool roughs(const Step& s) {
  return s.is<LevelRoughing>();
}
bool finishes(const Step& s) {
  return s.finishing() != nullptr;
}

/// Cutters of job and library for which `is`, that some holder takes; the widest first.
template <class Is> std::vector<Cutter> cuttersFor(const Job& job, const CutterLibrary& library, Is is) {
  std::vector<Cutter> out;
  for (const auto* list : {&job.cutters, &library.cutters})
    for (const Cutter& c : *list)
      if (is(c) && (mountFor(c, library.holders, 0) || mountFor(c, job.holders, 0)) &&
          std::none_of(out.begin(), out.end(), [&](const Cutter& o) { return o.name == c.name; }))
        out.push_back(c);
  std::stable_sort(out.begin(), out.end(), [](const Cutter& a, const Cutter& b) { return a.diameter > b.diameter; });
  return out;
}
bool roughingCutter(const Cutter& c) {
  return c.kind == CutterKind::BullNose || c.kind == CutterKind::Flat;
}
bool isBall(const Cutter& c) {
  return c.kind == CutterKind::Ball;
}

/// A name that no step of the job has.
void call(Step& s, const Job& job, const std::string& name) {
  s.name = name;
  for (int n = 2; std::any_of(job.steps.begin(), job.steps.end(), [&](const Step& o) { return o.name == s.name; }); ++n)
    s.name = fmt::format("{} {}", name, n);
}

/// A later roughing step is for what the one before it could not enter.
std::string guessRoughing(Job& job, Step& s, const Job& was, std::size_t place, const CutterLibrary& library) {
  LevelRoughing& levels = *s.as<LevelRoughing>();
  const Step* last = before(was, place, roughs);
  const auto all = cuttersFor(was, library, roughingCutter);
  if (!last) {
    const Cutter c = all[all.size() / 2];
    assemble(job, s, c, library);
    call(s, was, "Rough");
    levels.depth = std::clamp(0.12 * c.diameter, 0.3, 3.0), levels.stepOver = 0.42 * c.diameter;
    levels.wall = levels.floor = std::clamp(0.03 * c.diameter, 0.1, 0.5);
    return fmt::format("'{}' takes the bulk off with '{}', which is neither the widest nor the slimmest of the library", s.name, c.name);
  }
  levels = *last->as<LevelRoughing>();
  levels.fromBlank = false, levels.tabs.reset();
  const double wide = was.cutter(last->cutter).diameter;
  const auto next = std::find_if(all.begin(), all.end(), [&](const Cutter& c) { return c.diameter <= kSmaller * wide; });
  const Cutter c = next != all.end() ? *next : all.back();
  assemble(job, s, c, library);
  call(s, was, "Rest roughing, " + c.name);
  const double share = c.diameter / wide;
  levels.depth *= share, levels.stepOver *= share;
  if (levels.smallestLoop) *levels.smallestLoop *= share;
  if (levels.thinning && *levels.thinning >= levels.depth) levels.thinning.reset();
  return fmt::format("'{}' takes '{}' for what '{}' ({}) could not enter: it is planned on the stock as that "
                     "leaves it",
                     s.name, c.name, last->name, last->cutter);
}

/// How many rails a kind needs: 2 where it goes from one to another.
template <class Body> constexpr std::size_t railsNeeded() {
  if constexpr (requires(Body body) { body.rails; }) return requires(Body body) {
      body.sides;
    }
  ? 1 : 2;
  return 0;
}

/// A later finishing step is for what the ball before it could not touch.
std::string guessFinishing(Job& job, Step& s, const Job& was, const JobResult& known, std::size_t place, const CutterLibrary& library) {
  const Step* last = before(was, place, finishes);
  const auto all = cuttersFor(was, library, isBall);
  if (!s.promises.cusp) s.promises.cusp = 0.005;
  if (!s.promises.rest) s.promises.rest = std::max(0.01, *s.promises.cusp);
  std::visit(
      [&]<class Body>(Body& body) {
        if constexpr (requires { body.rails; })
          for (std::size_t k = 0; k < railsNeeded<Body>(); ++k) body.rails.push_back(was.rails[k].name);
      },
      s.body);
  s.finishing()->chord = std::min(s.finishing()->chord, 0.15 * *s.promises.cusp);
  if (!last) {
    assemble(job, s, all[all.size() / 2], library);
    call(s, was, "Finish");
    return fmt::format("'{}' finishes all ground with '{}'", s.name, s.cutter);
  }
  const Cutter& old = was.cutter(last->cutter);
  if (!known.balls || old.kind != CutterKind::Ball) {
    assemble(job, s, old, library);
    call(s, was, "Finish again");
    return fmt::format("'{}' takes the cutter of '{}': choose another where that leaves something", s.name, last->name);
  }
  const std::vector<char> ground = known.study ? known.study->ground : std::vector<char>();
  const double whole = known.balls->sampled(ground), done = known.balls->finishedBy(old.diameter / 2, ground).area;
  const Cutter* best = nullptr;
  double most = done + kWorth * whole;
  for (const Cutter& c : all) {
    if (c.diameter >= old.diameter) continue;
    const double area = known.balls->finishedBy(c.diameter / 2, ground).area;
    // A slimmer one must reach clearly more than a stouter one.
    if (area > most) most = area + kWorth * whole, best = &c;
  }
  if (!best) {
    assemble(job, s, old, library);
    call(s, was, "Finish again");
    return fmt::format("'{}' takes '{}' again: no smaller ball of the library finishes clearly more of the ground", s.name, old.name);
  }
  const Cutter c = *best;
  assemble(job, s, c, library);
  call(s, was, "Finish, " + c.name);
  Region r;
  r.name = fmt::format("too tight for {}", old.name);
  r.pieces = {{PieceMode::Add, RadiusPiece{0, old.diameter / 2}}};
  r.grow = kLadderOverlap;
  if (CleanUpPasses* clean = s.as<CleanUpPasses>()) { // it finds that ground by itself
    clean->cutter = old.name;
    return fmt::format("'{}' takes '{}' for the ground that is too tight for '{}' ({:.2g} % of it)", s.name, c.name, old.name,
                       100 * (whole - done) / whole);
  }
  if (std::none_of(job.regions.begin(), job.regions.end(), [&](const Region& x) { return x.name == r.name; })) job.regions.push_back(r);
  s.finishing()->regions = {r.name};
  return fmt::format("'{}' takes '{}' for the ground that is too tight for '{}' ({:.2g} % of it), which is a region of its own now", s.name,
                     c.name, old.name, 100 * (whole - done) / whole);
}

/// The step from `place` on, else before it, that enters by helix or ramp and is computed.
std::optional<std::size_t> entering(const Job& job, const JobResult& known) {
  for (std::size_t k = 0; k < std::min(job.steps.size(), known.steps.size()); ++k) {
    const auto* levels = job.steps[k].as<LevelRoughing>();
    if (!levels || !levels->moreAxes.empty()) continue;
    const auto& l = known.steps[k]->planned->path.locations;
    if (std::any_of(l.begin(), l.end(), [](const Location& x) { return x.motion == Motion::Entry; })) return k;
  }
  return {};
}

} // namespace

std::string whyNotStep(const StepKind& kind, const Job& job, const JobResult& known, const CutterLibrary& library) {
  Step s;
  s.body = kind.body;
  if (job.clampings.empty()) return "The job has no clamping.";
  if (roughs(s) && cuttersFor(job, library, roughingCutter).empty())
    return "Job and library have no bull nose or flat cutter that a holder takes.";
  if (finishes(s) && cuttersFor(job, library, isBall).empty()) return "Job and library have no ball that a holder takes.";
  const std::size_t rails = std::visit([]<class Body>(const Body&) { return railsNeeded<Body>(); }, s.body);
  if (job.rails.size() < rails)
    return rails == 1 ? "The job has no rail: draw one in Study." : "The job has no two rails: draw them in Study.";
  if (s.is<Drilling>()) {
    if (cuttersFor(job, library, [](const Cutter& c) { return c.kind == CutterKind::Drill; }).empty())
      return "Job and library have no drill that a holder takes.";
    if (!entering(job, known)) return "No computed roughing step enters by helix or ramp, so that no hole is needed.";
  }
  return {};
}

Job withStep(const Job& job, const JobResult& known, const StepKind& kind, std::size_t place, const CutterLibrary& library,
             std::string& told) {
  if (const std::string why = whyNotStep(kind, job, known, library); !why.empty())
    throw Error(Fault::Cannot, "A step of this kind (" + kind.id + ") cannot be added: " + why, job.name, "Choose another kind.");
  Job out = job;
  Step s = stepLike(job, kind, place);
  if (s.is<Drilling>()) return withDrilledEntries(job, known, *entering(job, known), library, told);
  if (roughs(s)) told = guessRoughing(out, s, job, place, library);
  if (finishes(s)) told = guessFinishing(out, s, job, known, place, library);
  out.steps.insert(out.steps.begin() + static_cast<std::ptrdiff_t>(std::min(place, job.steps.size())), s);
  return out;
}

} // namespace hemline
