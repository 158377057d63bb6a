#include "plan/roughing_chain.h"
#include "cutter/mount.h"
#include "hold/outside.h"
#include "study/reach.h"
#include <fmt/format.h>

namespace hemline {
namespace {

constexpr double kLarger = 1.7;       // of the given cutter's diameter: one that is tried in its place
constexpr double kRestShare = 0.7;    // of the first cutter's diameter: the one that roughs the rest
constexpr double kArc = radians(55);  // of constant engagement
constexpr double kDeep = 0.5;         // of the diameter: levels of constant engagement
constexpr double kStep = 0.14;        // of the diameter: levels otherwise, and stairs that are thinned
constexpr double kStairs = 0.35;      // of the diameter: deep levels whose stairs are thinned
constexpr double kOver = 0.45;        // of the diameter: from pass to pass
constexpr std::size_t kPlaces = 4000; // at which the stock that is left is asked for
constexpr double kFarthest = 50;      // mm of it that are looked for
constexpr double kLeavesNoMore = 0.1; // mm: a larger cutter may leave so much more at the most
constexpr double kLeaves = 0.1;       // of its diameter: what has to be left over the allowance for a smaller cutter still ..
constexpr double kBetter = 0.8;       // .. and the share of it that it may leave
constexpr double kLongest = 0.75;     // of its length that a cutter may stick out, where it may be held as far out as that

const Cutter* restCutter(const Cutter& first, const std::vector<Cutter>& library) {
  const Cutter* best = nullptr;
  for (const Cutter& c : library)
    if ((c.kind == CutterKind::BullNose || c.kind == CutterKind::Flat) && c.diameter <= kRestShare * first.diameter + 1e-9 &&
        (!best || c.diameter > best->diameter || (c.diameter == best->diameter && c.kind == CutterKind::BullNose)))
      best = &c;
  return best;
}

/// The next larger one that could rough in its place.
const Cutter* largerCutter(const Cutter& given, const CutterLibrary& library) {
  const Cutter* best = nullptr;
  for (const Cutter& c : library.cutters)
    if ((c.kind == CutterKind::BullNose || c.kind == CutterKind::Flat) && c.diameter > given.diameter * 1.01 &&
        c.diameter <= kLarger * given.diameter && c.rampAngle > 0 && mountFor(c, library.holders, 0) &&
        (!best || c.diameter < best->diameter || (c.diameter == best->diameter && c.kind == CutterKind::BullNose)))
      best = &c;
  return best;
}

/// The first level roughing of a clamping; of any where it is negative.
std::size_t firstRoughing(const Job& job, int clamping) {
  std::size_t k = 0;
  while (k < job.steps.size() && (!job.steps[k].is<LevelRoughing>() || (clamping >= 0 && job.steps[k].clamping != clamping))) ++k;
  return k;
}

/// What its steps in the clamping take, and leave on the ground that they see.
void measure(RoughingChain& chain, int clamping, const std::string& jobPath, Evaluator& evaluator, Progress& progress) {
  try {
    const JobResult r = evaluator.evaluate(chain.job, jobPath, progress, chain.steps);
    for (const auto& s : r.steps) {
      if (!s->step.is<LevelRoughing>() || s->step.clamping != clamping) continue;
      chain.time += s->time->timing.total;
      if (chain.engagement == 0) chain.engagement = s->cut->report.engagement;
      if (s->effort) chain.force = std::max(chain.force, s->effort->force);
      const std::size_t k = s->number - 1;
      for (const PromiseResult& p : s->promises)
        if (p.verdict != Verdict::Kept)
          chain.limits.push_back({fmt::format("{}: {} is {}", s->step.name, p.name, verdictName(p.verdict)), k});
      for (const std::string& b : s->texts(Severity::Blocker)) chain.limits.push_back({s->step.name + ": " + b, k});
      for (const std::string& c : s->texts(Severity::Caution)) chain.limits.push_back({s->step.name + " " + c, k});
      const auto& early = s->planned->endsEarly;
      for (std::size_t n = 0; n < s->planned->path.notes.size(); ++n)
        chain.limits.push_back(
            {s->step.name + ": " + s->planned->path.notes[n], k, std::find(early.begin(), early.end(), n) != early.end()});
    }
    // On the ground that the job finishes, seen from the roughing's side.
    const Step& rough = r.steps[firstRoughing(chain.job, clamping)]->step;
    const auto& levels = *rough.as<LevelRoughing>();
    const Vec3 up = rough.axis;
    const Places places = spreadPlaces(*r.part, kPlaces);
    const Stock& stock = r.steps.back()->cut->after->stock;
    std::size_t n = 0;
    for (std::size_t k = 0; k < places.at.size(); ++k) {
      if (places.normal[k].dot(up) < 0.05 ||
          (levels.bottom && places.at[k].dot(up) < *levels.bottom - std::max(levels.wall, levels.floor) - 0.01))
        continue;
      const StockSpread s = stockSpread(stock, {places.at[k]}, {places.normal[k]}, {}, kFarthest);
      chain.mean += s.most, ++n;
      if (s.most > chain.most) chain.most = s.most, chain.mostAt = places.at[k];
    }
    if (n > 0) chain.mean /= double(n);
  } catch (const NothingToCut& e) {
    chain.failed = chain.nothing = true;
    chain.limits = {{e.what(), 0, false}};
  } catch (const Error& e) {
    chain.failed = true;
    chain.limits = {{e.what(), 0, false}};
  }
}

class Proposal {
public:
  Proposal(const Job& job, const std::string& jobPath, const CutterLibrary& library, Evaluator& evaluator, Progress& progress, int clamping,
           LengthUnit unit)
      : job_(job), path_(jobPath), library_(library), progress_(progress), evaluator_(evaluator), unit_(unit),
        at_(firstRoughing(job, clamping)) {
    if (at_ == job.steps.size())
      throw Error(Fault::Missing, "The job has no level roughing to choose for", job.name,
                  "Add one: its allowances, limits and axis are taken over.");
    base_ = job.steps[at_];
    LevelRoughing& levels = *base_.as<LevelRoughing>();
    levels.engagement.reset(), levels.thinning.reset(), levels.smallestLoop.reset(), base_.promises.engagement.reset();
    levels.leastThickness = levels.leastArea = 0, base_.rpm = base_.feed = 0, levels.fromBlank = false, levels.withinReach = true;
  }

  std::vector<RoughingChain> chains() {
    const Cutter given = job_.cutter(base_.cutter);
    progress_.report(0, "level by level, then the rest");
    RoughingChain levels = levelByLevel(given);
    Cutter first = given;
    // A larger cutter takes more at a time, where it leaves no more for those after it and breaks nothing.
    if (const Cutter* larger = largerCutter(given, library_)) {
      progress_.report(0.25, "level by level with " + larger->name);
      RoughingChain other = levelByLevel(*larger);
      if (!other.failed && (levels.failed || (other.time < levels.time && other.limits.size() <= levels.limits.size() &&
                                              other.most <= levels.most + kLeavesNoMore))) {
        if (!levels.failed)
          other.why +=
              fmt::format(" '{}' in the place of '{}' saves {}.", larger->name, given.name, formatDuration(levels.time - other.time));
        levels = std::move(other), first = *larger;
      }
    }
    Step engaged = roughing(first, "Rough at constant engagement", kDeep), stairs = roughing(first, "Rough deep, thin the stairs", kStairs);
    engaged.as<LevelRoughing>()->engagement = kArc, engaged.promises.engagement = 1.3 * kArc;
    stairs.as<LevelRoughing>()->thinning = kStep * first.diameter;
    std::vector<RoughingChain> out{std::move(levels)};
    progress_.report(0.4, "constant engagement, then the rest");
    out.push_back(chain("constant engagement", "Deep cuts with an even chip for a stiff machine", withRest(first, engaged)));
    progress_.report(0.7, "deep levels, thinned stairs");
    out.push_back(chain("deep levels, thinned stairs", "One cutter, an even load for what finishes; corners keep more", {stairs}));
    return out;
  }

private:
  RoughingChain levelByLevel(const Cutter& first) {
    return chain("level by level", "Simple and light on the machine; first passes of a level are full slots",
                 withRest(first, roughing(first, "Rough level by level", kStep)));
  }

  Step roughing(const Cutter& c, const char* name, double depth) {
    Step s = base_;
    s.name = name;
    s.as<LevelRoughing>()->depth = std::min(depth * c.diameter, c.fluteLength), s.as<LevelRoughing>()->stepOver = kOver * c.diameter;
    if (c.name != s.cutter) hold(s, c);
    return s;
  }

  /// Followed by the rest, where the library has a smaller cutter and something that holds it.
  std::vector<Step> withRest(const Cutter& first, const Step& step) {
    const Cutter* rest = restCutter(first, library_.cutters);
    return rest && mountFor(*rest, library_.holders, 0) ? std::vector<Step>{step, restWith(*rest)} : std::vector<Step>{step};
  }

  Step restWith(const Cutter& c) {
    Step s = base_;
    s.name = fmt::format("Rough the rest, {:.3g} mm", c.diameter);
    hold(s, c);
    LevelRoughing& levels = *s.as<LevelRoughing>();
    levels.depth = kStep * c.diameter, levels.stepOver = kOver * c.diameter, levels.leastThickness = 0.1 * c.diameter;
    return s;
  }

  void hold(Step& s, const Cutter& c) const {
    const auto held = mountFor(c, library_.holders, std::max(c.fluteLength + 2, std::min(base_.stickOut, kLongest * c.length)));
    if (!held) throw Error(Fault::Cannot, "No holder takes '" + c.name + "'", job_.name, "Add one to the library.");
    s.cutter = c.name, s.holder = held->holder->name, s.stickOut = held->stickOut;
  }

  /// A step after the chain's last one.
  RoughingChain with(const RoughingChain& c, const Step& step, std::size_t place) const {
    RoughingChain more = c;
    more.time = more.most = more.mean = more.engagement = more.force = 0, more.limits.clear();
    take(more.job, step);
    more.job.steps.insert(more.job.steps.begin() + static_cast<std::ptrdiff_t>(place), step);
    ++more.steps;
    return more;
  }

  void take(Job& job, const Step& step) const {
    for (const Cutter& c : library_.cutters)
      if (c.name == step.cutter) takeInto(job.cutters, c);
    for (const Holder& h : library_.holders)
      if (h.name == step.holder) takeInto(job.holders, h);
  }

  RoughingChain chain(const char* name, const char* why, const std::vector<Step>& steps) {
    RoughingChain c;
    c.name = name, c.why = why, c.job = job_;
    const bool rest = steps.size() > 1, whole = steps.front().as<LevelRoughing>()->thinning.has_value();
    c.name += rest ? ", then the rest" : "";
    c.why += rest ? "; the small cutter takes what is left." : whole ? "." : ". The library has no smaller cutter for the rest.";
    for (const Step& s : steps) take(c.job, s);
    std::erase_if(c.job.steps, [&](const Step& s) { return s.is<LevelRoughing>() && s.clamping == base_.clamping; });
    const auto place = std::find_if(c.job.steps.begin(), c.job.steps.end(), [&](const Step& s) { return s.clamping >= base_.clamping; });
    c.job.steps.insert(place, steps.begin(), steps.end());
    c.steps = firstRoughing(c.job, base_.clamping) + steps.size();
    measure(c, base_.clamping, path_, evaluator_, progress_);
    if (c.failed && steps.size() > 1) { // there may be no rest that is worth a step
      const std::string failed = c.limits.front().text;
      const bool none = c.nothing;
      c.failed = c.nothing = false, c.limits.clear();
      c.job.steps.erase(c.job.steps.begin() + static_cast<std::ptrdiff_t>(--c.steps));
      measure(c, base_.clamping, path_, evaluator_, progress_);
      if (!c.failed)
        c.name = name, c.why = fmt::format("{}; {}", why,
                                           none ? "here the smaller cutter finds nothing that is worth a step."
                                                : "without the rest, which cannot be computed: " + failed);
      deeper(c);
      return c;
    }
    deeper(c);
    if (steps.size() > 1) smaller(c);
    return c;
  }

  /// Short and stiff first: what the short assembly does not reach is for the same cutter farther out.
  void deeper(RoughingChain& c) {
    const auto ends = [](const ChainLimit& l) { return l.endsEarly; };
    if (c.failed || std::none_of(c.limits.begin(), c.limits.end(), ends)) return;
    const std::size_t begins = firstRoughing(c.job, base_.clamping);
    Step more = c.job.steps[begins];
    const Cutter& cutter = c.job.cutter(more.cutter);
    const auto range = stickOuts(cutter, c.job.holder(more.holder));
    const double longest = range ? std::min(kLongest * cutter.length, range->most) : 0;
    if (longest <= more.stickOut + 1) return;
    more.name = "Rough deeper, farther out", more.stickOut = longest, more.as<LevelRoughing>()->withinReach = false;
    RoughingChain deep = with(c, more, begins + 1);
    deep.name += ", deeper farther out";
    measure(deep, base_.clamping, path_, evaluator_, progress_);
    // Where the first one ends the second goes on.
    std::erase_if(deep.limits, [&](const ChainLimit& l) { return ends(l) && l.step == begins; });
    if (!deep.failed) c = std::move(deep);
  }

  /// Slim last: a smaller cutter again, where the rest roughing leaves more than the allowance and it takes a good part of that.
  void smaller(RoughingChain& c) {
    const Step& last = c.job.steps[c.steps - 1];
    const Cutter* next = restCutter(c.job.cutter(last.cutter), library_.cutters);
    const LevelRoughing& levels = *base_.as<LevelRoughing>();
    if (c.failed || !next || !mountFor(*next, library_.holders, 0) ||
        c.most <= std::max(levels.wall, levels.floor) + kLeaves * next->diameter)
      return;
    RoughingChain more = with(c, restWith(*next), c.steps);
    measure(more, base_.clamping, path_, evaluator_, progress_);
    if (more.failed || more.limits.size() > c.limits.size() || more.most > kBetter * c.most) return;
    more.why += fmt::format(" '{}' takes {} more of what is left, in {}.", next->name, formatLength(c.most - more.most, unit_),
                            formatDuration(more.time - c.time));
    c = std::move(more);
  }

  const Job& job_;
  const std::string& path_;
  const CutterLibrary& library_;
  Progress& progress_;
  Evaluator& evaluator_;
  LengthUnit unit_;
  std::size_t at_;
  Step base_;
};

} // namespace

std::vector<RoughingChain> proposeRoughing(const Job& job, const std::string& jobPath, const CutterLibrary& library, Evaluator& evaluator,
                                           Progress& progress, int clamping, LengthUnit unit) {
  return Proposal(job, jobPath, library, evaluator, progress, clamping, unit).chains();
}

std::vector<std::string> chainText(const std::vector<RoughingChain>& chains, LengthUnit unit) {
  std::vector<std::string> out;
  for (std::size_t k = 0; k < chains.size(); ++k) {
    const RoughingChain& c = chains[k];
    if (c.failed) {
      out.push_back(fmt::format("{}. {}: cannot be computed. {}", k + 1, c.name, c.limits.front().text));
      continue;
    }
    out.push_back(fmt::format("{}. {}: {}; leaves {} at the most, {} in the mean; engagement of the first step up to {:.0f}\u00b0{}", k + 1,
                              c.name, formatDuration(c.time), formatLength(c.most, unit), formatLength(c.mean, unit), degrees(c.engagement),
                              c.force > 0 ? fmt::format("; about {:.0f} N", c.force) : ""));
    out.push_back("   " + c.why);
    for (const ChainLimit& l : c.limits) out.push_back("   limit: " + l.text);
  }
  return out;
}

} // namespace hemline
