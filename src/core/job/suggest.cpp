#include "job/suggest.h"
#include <algorithm>
#include <fmt/format.h>

namespace hemline {

Job withLadder(const Job& job, const Ladder& ladder, const std::vector<Cutter>& library, std::string& told) {
  if (ladder.rungs.empty()) throw Error("No ball of the library finishes any of the ground", job.name, "Add smaller balls to the library.");
  const auto last = std::find_if(job.steps.rbegin(), job.steps.rend(), [](const Step& s) { return s.kind == StepKind::ParallelPasses; });
  if (last == job.steps.rend())
    throw Error("The job has no finishing step whose passes could be taken over", job.name, "Add a finishing step first.");
  const auto at = static_cast<std::size_t>(last.base() - job.steps.begin()) - 1;
  const Step like = job.steps[at];
  if (!like.regions.empty())
    throw Error(fmt::format("The step '{}' finishes regions of its own", like.name), job.name, "Let it have all ground, then try again.");
  std::vector<Rung> rungs = ladder.rungs;
  std::stable_sort(rungs.begin(), rungs.end(), [](const Rung& a, const Rung& b) { return a.radius > b.radius; });
  Job out = job;
  out.steps.erase(out.steps.begin() + static_cast<std::ptrdiff_t>(at));
  std::string names;
  for (std::size_t i = 0; i < rungs.size(); ++i) {
    const Rung& rung = rungs[i];
    const bool smallest = i + 1 == rungs.size();
    if (std::none_of(out.cutters.begin(), out.cutters.end(), [&](const Cutter& c) { return c.name == rung.cutter; })) {
      const auto c = std::find_if(library.begin(), library.end(), [&](const Cutter& x) { return x.name == rung.cutter; });
      if (c == library.end()) throw Error("The library has no cutter '" + rung.cutter + "'", job.name, "Study the part again.");
      out.cutters.push_back(*c);
    }
    Region r;
    r.name = "for " + rung.cutter;
    r.pieces = {{PieceMode::Add, RadiusPiece{smallest ? 0 : rung.radius, i == 0 ? 1e9 : rungs[i - 1].radius}}};
    r.grow = rungs.size() > 1 ? kLadderOverlap : 0;
    std::erase_if(out.regions, [&](const Region& x) { return x.name == r.name; });
    out.regions.push_back(r);
    Step s = like;
    s.name = fmt::format("{}, {}", like.name, rung.cutter);
    s.cutter = rung.cutter, s.regions = {r.name}, s.rpm = s.feed = 0, s.asSet = {};
    s.stickOut = std::max(s.stickOut, out.cutter(rung.cutter).fluteLength);
    out.steps.insert(out.steps.begin() + static_cast<std::ptrdiff_t>(at + i), s);
    names += (i == 0 ? "" : smallest ? " and " : ", ") + rung.cutter;
  }
  told = fmt::format("'{}' is {} now, with {}, each on a region of its own. Look over stick-outs and holders.", like.name,
                     rungs.size() == 1 ? "one step" : fmt::format("{} steps", rungs.size()), names);
  return out;
}

} // namespace hemline
