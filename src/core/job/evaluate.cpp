// The job as a graph: part -> stock -> path -> stock after -> proofs, and what all steps together leave.
#include "job/evaluate.h"
#include "base/threads.h"
#include "job/regions.h"
#include "job/step_run.h"
#include "model/promise_kinds.h"

namespace hemline {
namespace {

constexpr float kUntouched = std::numeric_limits<float>::infinity();

/// Which ground nobody finishes. `open`: per facet the area that the best step leaves over its promise, mm^2.
Coverage coverageOf(const Job& job, const JobResult& r, const std::vector<float>& open) {
  std::vector<Vec3> ups;
  for (const Step& step : job.steps) ups.push_back(placeStep(job, step).step.axis);
  const auto steep = [&](std::size_t t) {
    const Vec3 n = r.part->mesh.facetNormal(t);
    return std::all_of(ups.begin(), ups.end(), [&](const Vec3& up) { return n.dot(up) <= std::cos(job.leaveSlopeFrom) + 1e-9; });
  };
  std::vector<char> left(open.size(), 0);
  for (std::size_t k = 0; k < r.regions.size(); ++k)
    for (std::size_t t = 0; t < left.size() && job.regions[k].use != RegionUse::Finish; ++t)
      left[t] = left[t] || r.regions[k]->found.facets[t];
  Coverage cover;
  cover.state.assign(open.size(), Covered::Finished);
  double largestForgotten = 0, largestTouched = 0;
  for (std::size_t t = 0; t < open.size(); ++t) {
    const double area = r.part->mesh.facetArea(t);
    const Vec3 at = (r.part->mesh.corner(t, 0) + r.part->mesh.corner(t, 1) + r.part->mesh.corner(t, 2)) / 3;
    if (open[t] < kUntouched) {
      const double over = std::min<double>(area, open[t]);
      if (over > 0) cover.state[t] = Covered::Touched;
      if (over > largestTouched) largestTouched = over, cover.touchedAt = at;
      cover.touched += over, cover.finished += area - over;
    } else if (left[t] || steep(t)) {
      cover.state[t] = Covered::Left, cover.left += area;
    } else {
      cover.state[t] = Covered::Forgotten, cover.forgotten += area;
      if (area > largestForgotten) largestForgotten = area, cover.forgottenAt = at;
    }
  }
  return cover;
}

} // namespace

const char* verdictName(Verdict v) {
  switch (v) {
  case Verdict::Kept:
    return "kept";
  case Verdict::Broken:
    return "broken";
  case Verdict::Unknown:
    return "unknown";
  case Verdict::Waived:
    return "waived";
  }
  return "?";
}

PromiseResult judge(const char* name, double promised, const Measured& m) {
  const PromiseKind& kind = promiseKind(name);
  const double scale = kind.angle() ? 180 / kPi : 1;
  PromiseResult p;
  p.name = name;
  p.promised = promised * scale, p.measured = m.value * scale, p.bound = m.bound * scale;
  p.at = m.at;
  if (!m.known) return p;
  const double slack = 1e-12;
  if (kind.larger)
    p.verdict = m.bound >= promised - slack ? Verdict::Kept : m.value < promised ? Verdict::Broken : Verdict::Unknown;
  else
    p.verdict = m.bound <= promised + slack ? Verdict::Kept : m.value > promised ? Verdict::Broken : Verdict::Unknown;
  return p;
}

std::vector<std::shared_ptr<const Part>> ClampingState::parts() const {
  std::vector<std::shared_ptr<const Part>> out;
  for (const Standing& s : bodies) out.push_back(s.body);
  return out;
}

Path pathInClamping(const StepResult& step) {
  return pathInto(step.planned->path, step.held->frame);
}

JobResult Evaluator::evaluate(const Job& job, const std::string& jobPath, Progress& progress, std::size_t steps, const StepDone& done,
                              const StepCoarse& coarse) {
  checkJob(job);
  JobResult r = prepare(job, jobPath, progress, Studied::ForSteps);
  r.kept = true;
  r.grips.resize(job.clampings.size()), r.seams.resize(job.clampings.size()), r.spreads.resize(job.clampings.size());
  const std::size_t facets = r.part->mesh.triangles.size();
  RunState state{r.stock, r.stock, std::vector<Ref<Holding>>(job.clampings.size()), std::vector<int>(facets, -1)};
  std::vector<float> open(facets, kUntouched);
  const std::size_t all = std::min(steps, job.steps.size());
  for (std::size_t i = 0; i < all; ++i) {
    CoarseDone first;
    if (coarse) first = [&coarse, i](std::shared_ptr<const CoarseSurface> c) { coarse(i, std::move(c)); };
    // Beside it the passes of the next finishing step are planned: they wait for no stock.
    std::size_t next = i + 1;
    while (next < all && (!job.steps[next].finishing() || state.ahead.count(next) > 0)) ++next;
    std::shared_ptr<const StepResult> step;
    PassMemory ahead;
    parallelBoth([&] { step = runStep(job, jobPath, i, r, state, results_, first, progress); },
                 [&] {
                   if (next < all) ahead = planAhead(job, jobPath, next, r, state, results_, progress);
                 });
    if (next < all) state.ahead.emplace(next, std::move(ahead));
    for (const PromiseResult& p : step->promises) r.kept = r.kept && p.verdict == Verdict::Kept;
    r.kept = r.kept && !step->blocked();
    r.time += step->time->timing.total;
    if (step->surface)
      for (std::size_t t = 0; t < facets; ++t)
        if (step->surface->region[t]) {
          open[t] = std::min(open[t], step->surface->facetOpen[t]);
          if (state.finishedIn[t] < 0) state.finishedIn[t] = step->step.clamping;
        }
    r.steps.push_back(step);
    if (done) done(i, step);
  }
  for (std::size_t k = 1; k < job.clampings.size(); ++k)
    if (const Clamping& c = job.clampings[k]; c.dowels)
      r.seams[k] =
          std::make_shared<Seam>(seamBetween(r.part->mesh, state.finishedIn, static_cast<int>(k), r.clampings[k]->frame, *c.dowels));
  r.coverage = coverageOf(job, r, open);
  r.ofRegions = judgeRegions(job, r);
  for (RegionResult& region : r.ofRegions) {
    r.kept = r.kept && region.ground->found.lost.empty();
    for (PromiseResult& p : region.promises) {
      applyWaivers(job, "region " + region.region.name, region.key, p);
      r.kept = r.kept && p.verdict == Verdict::Kept;
    }
  }
  return r;
}

} // namespace hemline
