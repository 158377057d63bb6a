#include "plan/suggest.h"
#include "geometry/outline.h"
#include "plan/assemble.h"
#include <algorithm>
#include <fmt/format.h>

namespace hemline {

Job withLadder(const Job& job, const Ladder& ladder, const CutterLibrary& library, std::string& told) {
  if (ladder.rungs.empty())
    throw Error(Fault::Cannot, "No ball of the library finishes any of the ground", job.name, "Add smaller balls to the library.");
  const auto last = std::find_if(job.steps.rbegin(), job.steps.rend(), [](const Step& s) { return s.finishing() != nullptr; });
  if (last == job.steps.rend())
    throw Error(Fault::Missing, "The job has no finishing step whose passes could be taken over", job.name, "Add a finishing step first.");
  const auto at = static_cast<std::size_t>(last.base() - job.steps.begin()) - 1;
  const Step like = job.steps[at];
  if (!like.finishing()->regions.empty())
    throw Error(Fault::Cannot, fmt::format("The step '{}' finishes regions of its own", like.name), job.name,
                "Let it have all ground, then try again.");
  std::vector<Rung> rungs = ladder.rungs;
  std::stable_sort(rungs.begin(), rungs.end(), [](const Rung& a, const Rung& b) { return a.radius > b.radius; });
  Job out = job;
  out.steps.erase(out.steps.begin() + static_cast<std::ptrdiff_t>(at));
  std::string names;
  for (std::size_t i = 0; i < rungs.size(); ++i) {
    const Rung& rung = rungs[i];
    const bool smallest = i + 1 == rungs.size();
    if (std::none_of(out.cutters.begin(), out.cutters.end(), [&](const Cutter& c) { return c.name == rung.cutter; })) {
      const auto& known = library.cutters;
      const auto c = std::find_if(known.begin(), known.end(), [&](const Cutter& x) { return x.name == rung.cutter; });
      if (c == known.end())
        throw Error(Fault::Missing, "The library has no cutter '" + rung.cutter + "'", job.name, "Study the part again.");
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
    s.finishing()->regions = {r.name};
    assemble(out, s, out.cutter(rung.cutter), library);
    out.steps.insert(out.steps.begin() + static_cast<std::ptrdiff_t>(at + i), s);
    names += (i == 0 ? "" : smallest ? " and " : ", ") + rung.cutter;
  }
  told = fmt::format("'{}' is {} now, with {}, each on a region of its own. Holders and stick-outs are the slimmest and shortest that take "
                     "them: look them over.",
                     like.name, rungs.size() == 1 ? "one step" : fmt::format("{} steps", rungs.size()), names);
  return out;
}

Job withStages(const Job& job, std::size_t step, std::size_t stages, double gripTop, const Box& blank, std::string& told) {
  constexpr double kAlong = 0.99, kAcross = 0.05; // cosines of the axis against z
  const Step& whole = job.steps.at(step);
  const double along = std::abs(whole.axis.z()), top = blank.high.z();
  const auto* levels = whole.as<LevelRoughing>();
  if (!levels) throw Error(Fault::Cannot, "Only level roughing is cut in stages", whole.name, "Choose a roughing step.");
  if (along < kAlong && along > kAcross)
    throw Error(Fault::Cannot, "The step's axis leans against the clamping's z", whole.name, "Cut stages along z or across it.");
  if (!levels->within.rail.empty())
    throw Error(Fault::Cannot, "The step is bounded by a rail", whole.name, "Take it away first: stages are boundaries of their own.");
  if (stages < 2 || !(top > gripTop + 2 * kStageOverlap))
    throw Error(Fault::NothingToDo, "There is nothing to cut in stages", whole.name, "Leave the step as it is.");
  Job out = job;
  out.steps.erase(out.steps.begin() + static_cast<std::ptrdiff_t>(step));
  Vec3 e1, e2;
  frameAround(whole.axis, e1, e2);
  const double high = top - gripTop, far = 2 * blank.diagonal() + 1000;
  for (std::size_t k = 0; k < stages; ++k) {
    Step s = whole;
    s.name = fmt::format("{}, stage {} of {}", whole.name, k + 1, stages), s.ownProgram = true;
    // The last stage goes as far down as the whole step did.
    const double from = top - high * static_cast<double>(k + 1) / static_cast<double>(stages) - kStageOverlap;
    const double to = k == 0 ? top + far : top - high * static_cast<double>(k) / static_cast<double>(stages);
    if (along >= kAlong) {
      if (auto& bottom = s.as<LevelRoughing>()->bottom; k + 1 < stages)
        bottom = std::max(bottom.value_or(-kInfinity), whole.axis.z() * from);
    } else {
      // Across: the stretch of z as a strip in the plane of e1 and e2.
      const Vec2 z = Vec2(e1.z(), e2.z()).normalized(), side(-z.y(), z.x());
      const double low = k + 1 < stages ? from : -far;
      const Outline strip{low * z - far * side, low * z + far * side, to * z + far * side, to * z - far * side};
      Outlines bound{strip};
      if (regionArea(bound) < 0) std::reverse(bound[0].begin(), bound[0].end());
      if (!levels->within.points.empty()) bound = intersect({levels->within.points}, bound);
      if (bound.empty())
        throw Error(Fault::NothingToDo, fmt::format("The boundary leaves nothing of stage {}", k + 1), whole.name,
                    "Take the boundary away, or cut fewer stages.");
      s.as<LevelRoughing>()->within.points = *std::max_element(
          bound.begin(), bound.end(), [](const Outline& a, const Outline& b) { return regionArea({a}) < regionArea({b}); });
    }
    out.steps.insert(out.steps.begin() + static_cast<std::ptrdiff_t>(step + k), s);
  }
  told = fmt::format("'{}' is cut in {} stages now, the farthest from the grip first, each in a program of its own.", whole.name, stages);
  return out;
}

} // namespace hemline
