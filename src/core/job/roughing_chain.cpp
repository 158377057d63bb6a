#include "job/roughing_chain.h"
#include "hold/outside.h"
#include "study/reach.h"
#include <fmt/format.h>

namespace hemline {
namespace {

constexpr double kSmaller = 0.7;      // of the first cutter's diameter: the one that roughs the rest
constexpr double kArc = radians(55);  // of constant engagement
constexpr double kDeep = 0.5;         // of the diameter: levels of constant engagement
constexpr double kStep = 0.14;        // of the diameter: levels otherwise, and stairs that are thinned
constexpr double kStairs = 0.35;      // of the diameter: deep levels whose stairs are thinned
constexpr double kOver = 0.45;        // of the diameter: from pass to pass
constexpr std::size_t kPlaces = 4000; // at which the stock that is left is asked for
constexpr double kFarthest = 50;      // mm of it that are looked for
constexpr double kLongest = 0.75;     // of its length that a cutter may stick out

const Cutter* restCutter(const Cutter& first, const std::vector<Cutter>& library) {
  const Cutter* best = nullptr;
  for (const Cutter& c : library)
    if ((c.kind == CutterKind::BullNose || c.kind == CutterKind::Flat) && c.diameter <= kSmaller * first.diameter + 1e-9 &&
        (!best || c.diameter > best->diameter || (c.diameter == best->diameter && c.kind == CutterKind::BullNose)))
      best = &c;
  return best;
}

/// The first level roughing of a clamping; of any where it is negative.
std::size_t firstRoughing(const Job& job, int clamping) {
  std::size_t k = 0;
  while (k < job.steps.size() && (job.steps[k].kind != StepKind::LevelRoughing || (clamping >= 0 && job.steps[k].clamping != clamping)))
    ++k;
  return k;
}

template <class T> void takeInto(std::vector<T>& list, const T& what) {
  if (std::none_of(list.begin(), list.end(), [&](const T& t) { return t.name == what.name; })) list.push_back(what);
}

void measure(RoughingChain& chain, const std::string& jobPath, Evaluator& evaluator, Progress& progress) {
  try {
    const JobResult r = evaluator.evaluate(chain.job, jobPath, progress, chain.steps);
    for (const auto& s : r.steps) {
      if (s->step.kind != StepKind::LevelRoughing) continue;
      chain.time += s->time->timing.total;
      if (chain.engagement == 0) chain.engagement = s->cut->report.engagement;
      if (s->effort) chain.force = std::max(chain.force, s->effort->force);
      for (const PromiseResult& p : s->promises)
        if (p.verdict != Verdict::Kept) chain.limits.push_back(fmt::format("{}: {} is {}", s->step.name, p.name, verdictName(p.verdict)));
      for (const std::string& b : s->blockers) chain.limits.push_back(s->step.name + ": " + b);
      for (const std::string& c : s->cautions) chain.limits.push_back(s->step.name + " " + c);
      for (const std::string& n : s->planned->path.notes) chain.limits.push_back(s->step.name + ": " + n);
    }
    // On the ground that the job finishes, seen from the roughing's side.
    const Step& rough = r.steps[firstRoughing(chain.job, -1)]->step;
    const Vec3 up = rough.axis;
    const Places places = spreadPlaces(*r.part, kPlaces);
    const Stock& stock = r.steps.back()->cut->after->stock;
    std::size_t n = 0;
    for (std::size_t k = 0; k < places.at.size(); ++k) {
      if (places.normal[k].dot(up) < 0.05 ||
          (rough.bottom && places.at[k].dot(up) < *rough.bottom - std::max(rough.wall, rough.floor) - 0.01))
        continue;
      const StockSpread s = stockSpread(stock, {places.at[k]}, {places.normal[k]}, {}, kFarthest);
      chain.mean += s.most, ++n;
      if (s.most > chain.most) chain.most = s.most, chain.mostAt = places.at[k];
    }
    if (n > 0) chain.mean /= double(n);
  } catch (const Error& e) {
    chain.failed = true;
    chain.limits = {e.what()};
  }
}

} // namespace

std::vector<RoughingChain> proposeRoughing(const Job& job, const std::string& jobPath, const CutterLibrary& library, Progress& progress) {
  const std::size_t at = firstRoughing(job, -1);
  if (at == job.steps.size())
    throw Error("The job has no level roughing to choose for", job.name, "Add one: its allowances, limits and axis are taken over.");
  const Cutter large = job.cutter(job.steps[at].cutter);
  const Cutter* found = restCutter(large, library.cutters);
  if (!found)
    throw Error("No cutter of the library is small enough to rough what '" + large.name + "' leaves", job.name,
                "Add a flat or bull nose cutter of at most 0.7 of its diameter to the library.");
  const Cutter small = *found;
  const Holder* held = library.slimmest(small);
  if (!held) throw Error("No holder takes '" + small.name + "'", job.name, "Add one to the library.");

  Step base = job.steps[at];
  base.engagement.reset(), base.thinning.reset(), base.smallestLoop.reset(), base.promises.engagement.reset();
  base.leastThickness = base.leastArea = 0, base.rpm = base.feed = 0, base.fromBlank = false, base.withinReach = true;
  const auto roughing = [&](const char* name, double depth) {
    Step s = base;
    s.name = name, s.depth = std::min(depth * large.diameter, large.fluteLength), s.stepOver = kOver * large.diameter;
    return s;
  };
  Step rest = base;
  rest.name = "Rough the rest", rest.cutter = small.name, rest.holder = held->name;
  rest.stickOut = std::clamp(base.stickOut, small.fluteLength + 2, kLongest * small.length);
  rest.depth = kStep * small.diameter, rest.stepOver = kOver * small.diameter, rest.leastThickness = 0.1 * small.diameter;
  const double longest = kLongest * large.length; // short and stiff first; what that does not reach is for the same cutter, farther out

  std::vector<RoughingChain> chains;
  const auto chain = [&](const char* name, const char* why, std::vector<Step> steps) {
    RoughingChain c;
    c.name = name, c.why = why, c.job = job;
    takeInto(c.job.cutters, small);
    takeInto(c.job.holders, *held);
    std::erase_if(c.job.steps, [&](const Step& s) { return s.kind == StepKind::LevelRoughing && s.clamping == base.clamping; });
    const auto place = std::find_if(c.job.steps.begin(), c.job.steps.end(), [&](const Step& s) { return s.clamping >= base.clamping; });
    c.job.steps.insert(place, steps.begin(), steps.end());
    c.steps = firstRoughing(c.job, base.clamping) + steps.size();
    chains.push_back(std::move(c));
  };
  Step levels = roughing("Rough level by level", kStep), engaged = roughing("Rough at constant engagement", kDeep),
       stairs = roughing("Rough deep, thin the stairs", kStairs);
  engaged.engagement = kArc, engaged.promises.engagement = 1.3 * kArc;
  stairs.thinning = kStep * large.diameter;
  chain("level by level, then the rest", "Simple and light on the machine; first passes of a level are full slots.", {levels, rest});
  chain("constant engagement, then the rest", "Deep cuts with an even chip for a stiff machine; the small cutter takes the stairs.",
        {engaged, rest});
  chain("deep levels, thinned stairs", "One cutter, an even load for what finishes; corners keep more.", {stairs});

  Evaluator evaluator;
  for (std::size_t k = 0; k < chains.size(); ++k) {
    progress.report(double(k) / double(chains.size()), chains[k].name);
    measure(chains[k], jobPath, evaluator, progress);
    if (const std::size_t last = chains[k].steps - 1; chains[k].failed && chains[k].job.steps[last].name == rest.name) {
      // There may be no rest that is worth a step.
      chains[k].failed = false, chains[k].limits.clear();
      chains[k].job.steps.erase(chains[k].job.steps.begin() + static_cast<std::ptrdiff_t>(last)), --chains[k].steps;
      measure(chains[k], jobPath, evaluator, progress);
      if (!chains[k].failed) chains[k].why += " Here the smaller cutter finds nothing that is worth a step.";
    }
    const auto ends = [](const std::string& l) { return l.find("holder would come too near") != std::string::npos; };
    RoughingChain& c = chains[k];
    if (c.failed || std::none_of(c.limits.begin(), c.limits.end(), ends) || longest <= base.stickOut + 1) continue;
    // What the short assembly does not reach.
    RoughingChain deeper = c;
    deeper.time = deeper.most = deeper.mean = deeper.engagement = deeper.force = 0, deeper.limits.clear();
    const std::size_t begins = firstRoughing(c.job, base.clamping);
    Step more = c.job.steps[begins];
    more.name = "Rough deeper, farther out", more.stickOut = longest, more.withinReach = false;
    deeper.job.steps.insert(deeper.job.steps.begin() + static_cast<std::ptrdiff_t>(begins) + 1, more);
    ++deeper.steps;
    deeper.name += ", deeper farther out";
    measure(deeper, jobPath, evaluator, progress);
    // Where the first one ends the second goes on.
    std::erase_if(deeper.limits, [&](const std::string& l) { return ends(l) && l.starts_with(deeper.job.steps[begins].name + ":"); });
    if (!deeper.failed) c = std::move(deeper);
  }
  return chains;
}

std::vector<std::string> chainText(const std::vector<RoughingChain>& chains, LengthUnit unit) {
  std::vector<std::string> out;
  for (std::size_t k = 0; k < chains.size(); ++k) {
    const RoughingChain& c = chains[k];
    if (c.failed) {
      out.push_back(fmt::format("{}. {}: cannot be computed. {}", k + 1, c.name, c.limits.front()));
      continue;
    }
    out.push_back(fmt::format("{}. {}: {}; leaves {} at the most, {} in the mean; engagement of the first step up to {:.0f}\u00b0{}", k + 1,
                              c.name, formatDuration(c.time), formatLength(c.most, unit), formatLength(c.mean, unit), degrees(c.engagement),
                              c.force > 0 ? fmt::format("; about {:.0f} N", c.force) : ""));
    out.push_back("   " + c.why);
    for (const std::string& l : c.limits) out.push_back("   limit: " + l);
  }
  return out;
}

} // namespace hemline
