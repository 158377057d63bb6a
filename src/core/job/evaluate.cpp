#include "job/evaluate.h"
#include "base/file.h"
#include "cutter/library.h"
#include "job/bodies.h"
#include "job/estimate.h"
#include "job/given_path.h"
#include "job/reader.h"
#include "job/regions.h"
#include "job/remember.h"
#include "job/rough_step.h"
#include "job/telling.h"
#include "proof/gouge.h"
#include "proof/rapids.h"
#include "strategy/strip.h"
#include <fmt/format.h>

namespace hemline {

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

namespace {

constexpr std::size_t kStepPlaces = 5000; // at which it is asked what a step can touch

constexpr double kMostStock = 100;        // mm of stock on the part that are looked for
constexpr double kThinSkin = 1;           // mm: what hangs by less may tear or shiver
constexpr double kProtectedGrain = 0.005; // mm to which it is told how deep a step is in protected ground
constexpr int kTraced = 800;              // places at which the clearance is told along a step
constexpr int kCloser = 3;                // times that passes are put between others where too much was measured

Key keyOfPath(const Path& path) {
  std::vector<double> numbers;
  numbers.reserve(14 * path.locations.size());
  for (const Location& l : path.locations) {
    for (const Vec3* v : {&l.tip, &l.axis, &l.contact, &l.normal}) numbers.insert(numbers.end(), v->data(), v->data() + 3);
    numbers.push_back(l.feed);
    numbers.push_back(static_cast<double>(l.motion) + 16.0 * l.pass);
  }
  return hashBytes(numbers.data(), numbers.size() * sizeof(double));
}

/// Where rapids may cross: above stock and fixtures along the axis.
double safeHeight(const Job& job, const Clamping& clamping, const ClampingState& state, const Stock& stock, const Vec3& up) {
  double top = stock.bounds().highest(up);
  for (std::size_t k = 0; k < clamping.fixtures.size(); ++k)
    for (const Vec3& p : state.bodies[k]->mesh.points) top = std::max(top, p.dot(up));
  return top + job.safeGap;
}

/// A waiver lapses when the content it was given for changed and the result got worse.
void applyWaivers(const Job& job, const std::string& step, const Key& content, PromiseResult& p) {
  if (p.verdict == Verdict::Kept) return;
  for (const Waiver& w : job.waivers)
    if (w.step == step && w.promise == p.name &&
        (w.key == content.text() || (p.name == "clearance_mm" ? p.bound >= w.bound - 1e-12 : p.bound <= w.bound + 1e-12)))
      p.verdict = Verdict::Waived, p.note = "waived by " + w.who + ": " + w.why;
}

/// Least length of contact curves for the promised cusp on this region: integral of dA over the widest spacing, with the
/// surface taken as plane (curvature of the part not yet counted), so a lower bound only on ground that is not hollow.
double contactBound(const SurfaceProof& proof, const Step& step, const Profile& profile) {
  const double R = profile.ballRadius();
  if (!(R > 0)) return 0;
  const double h = *step.promises.cusp;
  return proof.areaRegion / (2 * std::sqrt(2 * h * R - h * h));
}

SurfaceProofOptions surfaceOptions(const Step& step) {
  SurfaceProofOptions o;
  o.allowance = step.allowance, o.cusp = step.promises.cusp.value_or(1e6);
  o.gouge = step.promises.gouge.value_or(0.001), o.rest = step.promises.rest.value_or(0.01);
  return o;
}

} // namespace

PromiseResult judge(const char* name, double promised, const Measured& m, bool smallerIsBetter, double scale) {
  PromiseResult p;
  p.name = name;
  p.promised = promised * scale, p.measured = m.value * scale, p.bound = m.bound * scale;
  p.at = m.at;
  if (!m.known) return p;
  const double slack = 1e-12;
  if (smallerIsBetter)
    p.verdict = m.bound <= promised + slack ? Verdict::Kept : m.value > promised ? Verdict::Broken : Verdict::Unknown;
  else
    p.verdict = m.bound >= promised - slack ? Verdict::Kept : m.value < promised ? Verdict::Broken : Verdict::Unknown;
  return p;
}

std::size_t Evaluator::computed() const {
  std::size_t n = 0;
  for (const auto& [what, count] : computed_) n += count;
  return n;
}

std::size_t Evaluator::computed(const std::string& what) const {
  const auto it = computed_.find(what);
  return it == computed_.end() ? 0 : it->second;
}

Step stepInPart(const Job& job, const Step& step) {
  const Frame f = frameOf(job.clampings[static_cast<std::size_t>(step.clamping)]);
  Step s = step;
  // Passes keep their angle in the clamping's frame, and so do the axes of the boundary.
  Vec3 e1, e2, own1, own2;
  frameAround(step.axis, own1, own2);
  s.region.x = f.directionOut(own1), s.region.y = f.directionOut(own2);
  if (f.same()) return s;
  s.axis = f.directionOut(step.axis);
  for (Vec3& a : s.moreAxes) a = f.directionOut(a);
  frameAround(s.axis, e1, e2);
  s.angle += std::atan2(s.region.x.dot(e2), s.region.x.dot(e1));
  for (std::vector<Vec2>* list : {&s.region.boundary, &s.holes})
    for (Vec2& p : *list) p += s.region.plan(f.origin);
  if (s.bottom) *s.bottom += s.axis.dot(f.origin);
  return s;
}

Path pathInClamping(const StepResult& step) {
  return pathInto(step.planned->path, step.held->frame);
}

JobResult Evaluator::evaluate(const Job& job, const std::string& jobPath, Progress& progress, std::size_t steps, const StepDone& done,
                              const StepCoarse& coarse) {
  checkJob(job);
  JobResult r = prepare(job, jobPath, progress, Studied::ForSteps);
  // The stock as it becomes, and as it is meant to become: paths are planned on the latter, so that what was measured on a cutter at the
  // machine changes no path of any step.
  auto stock = r.stock, meant = r.stock;
  r.kept = true;
  r.grips.resize(job.clampings.size()), r.seams.resize(job.clampings.size()), r.spreads.resize(job.clampings.size());
  std::vector<int> finishedIn(r.part->mesh.triangles.size(), -1); // the clamping
  constexpr float kUntouched = std::numeric_limits<float>::infinity();
  std::vector<float> open(r.part->mesh.triangles.size(), kUntouched); // mm^2 of each facet that the best step leaves over its promise
  for (std::size_t i = 0; i < std::min(steps, job.steps.size()); ++i) {
    Step limited = stepInPart(job, job.steps[i]);
    limitStep(limited, job, *r.part, r.regions);
    const Step& step = limited;
    const Clamping& clamping = job.clampings[static_cast<std::size_t>(step.clamping)];
    const ClampingState& held = *r.clampings[static_cast<std::size_t>(step.clamping)];
    const Key &fixtureKey = held.fixtureKey, &machineKey = held.machineKey;
    progress.report(0, step.name);
    auto out = std::make_shared<StepResult>();
    out->number = i + 1;
    out->step = step;
    out->held = r.clampings[static_cast<std::size_t>(step.clamping)];
    // Planned with the assembly as it is meant, measured with the one that was set.
    const Cutter& cutter = job.cutter(step.cutter);
    Assembly nominal = assemble(cutter, job.holder(step.holder), step.stickOut);
    out->assembly = assemble(cutterAsSet(cutter, step.asSet), job.holder(step.holder), step.asSet.stickOut.value_or(step.stickOut));
    for (Assembly* a : {&nominal, &out->assembly}) addSpindleNose(*a, held.machine->nose);
    conditions(step, nominal.cutter, held.machine->spindle.empty() ? 1e300 : held.machine->spindle.back().rpm, out->rpm, out->feed);
    nlohmann::json planJson = toJson(step);
    const nlohmann::json promisesJson = planJson["promises"];
    for (const char* field : {"name", "holder", "stick_out_mm", "as_set", "clamping", "regions", "rail", "rail_out_mm", "own_program",
                              "feed_by_load", "most_force_N", "most_bend_mm"})
      planJson.erase(field);
    if (!step.region.boundary.empty()) planJson["boundary_along"] = {triple(step.region.x), triple(step.region.y)};
    planJson["promises"] = {{"cusp_mm", promisesJson.value("cusp_mm", 0.0)}};
    const double safe = safeHeight(job, clamping, held, r.stock->stock, step.axis);
    if (step.region.only) planJson["only"] = hashBytes(step.region.only->data(), step.region.only->size()).text();
    const Key cutterKey = keyOf(toJson(nominal.cutter)), planKey = keyOf(planJson), safeKey = hashText(fmt::format("{}", safe));
    const Key assemblyKey = combine(
        std::array{cutterKey, keyOf(toJson(nominal.holder)), machineKey, hashText(fmt::format("{} {}", step.stickOut, job.uncertainty))});
    const bool drilling = step.kind == StepKind::Drilling, roughing = step.kind == StepKind::LevelRoughing || drilling,
               given = step.kind == StepKind::GivenPath;
    SurfaceProofOptions measuring = surfaceOptions(step);
    if (coarse) measuring.coarse = [&coarse, i](std::shared_ptr<const CoarseSurface> c) { coarse(i, std::move(c)); };

    if (step.kind == StepKind::ParallelPasses)
      out->reach = remember<AssemblyReach>("touched", {r.part->key, assemblyKey, planKey}, [&] {
        const double dip = std::max(step.promises.gouge.value_or(0), step.promises.rest.value_or(0));
        const double off = angleBetween(step.axis, held.frame.directionOut(Vec3::UnitZ()));
        return reachWith(*r.part, Sight(r.part->mesh), spreadPlaces(*r.part, kStepPlaces), nominal, step.axis,
                         std::max(0.0, held.machine->leans() - off), dip, regionFacets(*r.part, step.region, step.axis, step.name),
                         progress);
      });

    ClearanceOptions clear;
    clear.wanted = step.promises.clearance.value_or(0.0);
    clear.uncertainty = job.uncertainty + placingUncertainty(clamping, r.stock->stock.bounds());
    // What grew outside may have grown anywhere, and stays grown in later clampings.
    for (int k = 0; k <= step.clamping; ++k)
      if (const auto& outside = job.clampings[static_cast<std::size_t>(k)].outside) clear.uncertainty += std::max(0.0, outside->most);
    clear.facetError = r.part->facetError;
    const Key clearKey = hashText(fmt::format("{} {}", clear.wanted, clear.uncertainty));
    std::vector<Obstacle> obstacles{{"part", r.part->tree.get(), true, r.part->report.closed}};
    for (const auto& f : held.bodies) obstacles.push_back({f->name, f->tree.get(), false});

    const auto planFrom = step.fromBlank ? r.stock : meant;
    Key pathKey = combine(std::array{r.part->key, cutterKey, planKey, safeKey, roughing ? planFrom->key : Key{}});
    if (roughing) {
      if (!step.moreAxes.empty()) pathKey = combine(std::array{pathKey, fixtureKey}); // the axis turns clear of them
      if (!step.own.empty() || step.withinReach) {
        std::vector<Key> also{pathKey, step.withinReach ? combine(std::array{assemblyKey, clearKey}) : Key{}};
        for (const auto& region : r.regions)
          if (region->surface) also.push_back(region->key);
        pathKey = combine(also);
      }
      Box around = r.stock->stock.bounds();
      for (const auto& f : held.bodies)
        for (const Vec3& p : f->mesh.points) around.add(p);
      out->planned = remember<Planned>("plan", {pathKey}, [&] {
        if (step.kind == StepKind::Drilling) return planHoles(*r.part, step, planFrom->stock, nominal, out->feed, safe, progress);
        return planRoughing(
            r, job, step, planFrom->stock, nominal, out->feed, clear.wanted + clear.uncertainty, held.frame.directionOut(Vec3::UnitZ()),
            around, [&](const Vec3& up) { return safeHeight(job, clamping, held, r.stock->stock, up); }, progress);
      });
    } else if (given) {
      const std::string file = resolve(jobPath, step.pathFile);
      const Key fileKey = hashFile(file);
      r.inputs.push_back({"path", file, fileKey});
      pathKey = combine(std::array{pathKey, fileKey, machineKey, hashText(fmt::format("{}", nominal.reach))});
      out->planned = remember<Planned>("plan", {pathKey}, [&] {
        progress.report(0, "reading " + step.pathFile);
        GivenPath g = readGivenPath(readFile(file), step.pathFile, held.machine.get(), step.programTool, nominal.reach);
        Planned p;
        p.path = pathOut(g.path, held.frame), p.deviation = g.deviation, p.unproven = std::move(g.unproven), p.joints = std::move(g.joints);
        p.path.notes.insert(p.path.notes.end(), g.remarks.begin(), g.remarks.end());
        p.summary = fmt::format("{} of {}", g.isProgram ? "ISO program" : "cutter-location text", step.pathFile);
        return p;
      });
      clear.uncertainty += out->planned->deviation;
    } else {
      const Promises& want = step.promises;
      const PoseField reach(*r.part, nominal.profile, planFrame(step.axis, step.angle), {step.follow, step.lead, step.tilt},
                            step.allowance);
      const Key proofKey =
          hashText(fmt::format("{} {} {} {}", *want.cusp, want.gouge.value_or(0.001), want.rest.value_or(0.01), step.allowance));
      const Key firstKey = pathKey;
      const auto facets = regionFacets(*r.part, step.region, step.axis, step.name);
      std::vector<double> at;
      std::shared_ptr<const Planned> planBefore;
      std::shared_ptr<const SurfaceProof> surfaceBefore;
      SurfaceRecord record; // of the path measured last
      Path measuredPath;
      const auto memory = std::make_shared<PassMemory>();
      RapidMemory rapids;
      for (int round = 0;; ++round) {
        const Key planned = combine(std::array{firstKey, hashBytes(at.data(), at.size() * sizeof(double))});
        out->planned = remember<Planned>("plan", {planned}, [&] {
          Planned p;
          ParallelOptions o;
          o.cusp = *want.cusp, o.chord = step.chord, o.angle = step.angle, o.allowance = step.allowance, o.zigzag = step.zigzag;
          o.up = step.axis, o.tilt = {step.follow, step.lead, step.tilt}, o.region = step.region;
          o.feed = out->feed / 60, o.plungeFeed = 0.3 * out->feed / 60, o.safeHeight = safe, o.approach = 3;
          o.at = at, o.memory = memory;
          ParallelResult pr = planParallel(*r.part, nominal.profile, o, progress);
          p.path = std::move(pr.path);
          p.stripCusp = std::move(pr.stripCusp), p.spacing = std::move(pr.spacing), p.at = std::move(pr.at);
          p.summary = fmt::format("{} passes", p.spacing.size() + 1);
          return p;
        });
        out->planned = remember<Planned>("links", {planned, assemblyKey, fixtureKey, meant->key, clearKey}, [&] {
          Planned p = *out->planned;
          p.path = shortenRapids(p.path, step.axis, nominal, obstacles, meant->stock, clear, progress, &rapids);
          return p;
        });
        // Another stock that leaves the path as it was asks for nothing to be measured again.
        pathKey = keyOfPath(out->planned->path);
        out->surface =
            remember<SurfaceProof>("surface", {r.part->key, cutterKey, hashBytes(facets.data(), facets.size()), pathKey, proofKey}, [&] {
              const Sweep sweep(nominal.profile, out->planned->path);
              const Sweep changed(nominal.profile, changedMoves(measuredPath, out->planned->path));
              SurfaceProof proof = proveSurface(*r.part, facets, sweep, &reach, measuring, record, &changed, progress);
              measuredPath = out->planned->path;
              proof.contactLengthBound = contactBound(proof, step, nominal.profile);
              return proof;
            });
        // What was measured has the last word: where the spacing left too much, passes are put between and all is measured again.
        // Passes that mend nothing are taken out again.
        if (round > 0 && !(out->surface->cusp.bound < surfaceBefore->cusp.bound) &&
            !(out->surface->areaOverCusp < 0.9 * surfaceBefore->areaOverCusp)) {
          out->planned = planBefore, out->surface = surfaceBefore;
          pathKey = keyOfPath(out->planned->path);
          break;
        }
        planBefore = out->planned, surfaceBefore = out->surface;
        if (out->surface->over.empty() || round == kCloser) break;
        at = closerPasses(out->planned->at, out->surface->over, estimatedSpacing(step, nominal.cutter) / 40);
        if (at == out->planned->at) break;
      }
    }
    // The path as its tip goes, and what it leaves, measured with the cutter as it was set.
    const AsSet& set = step.asSet;
    const Key setKey = hashText(set.any() ? toJson(step)["as_set"].dump() : std::string());
    const auto shifted = set.lengthOff ? std::make_shared<const Path>(pathAsSet(out->planned->path, set)) : nullptr;
    const auto asPlanned = out->planned; // feeds by the load make a new one, of the same places
    const Path& path = shifted ? *shifted : asPlanned->path;
    const Key plannedKey = pathKey;
    pathKey = combine(std::array{pathKey, setKey});
    clear.uncertainty += 0.5 * set.runout.value_or(0);
    std::shared_ptr<const GivenProof> ofGiven;
    if (given && (step.promises.cusp || step.promises.gouge)) {
      ofGiven = remember<GivenProof>("surface", {r.part->key, pathKey, keyOf(promisesJson)}, [&] {
        return measureGivenPath(*r.part, out->assembly.profile, path, out->planned->deviation, surfaceOptions(step), step.name, progress);
      });
      out->surface = std::shared_ptr<const SurfaceProof>(ofGiven, &ofGiven->surface), out->judged = ofGiven->told;
    } else if (!roughing && !given && set.any())
      out->surface = remember<SurfaceProof>("surface as set", {r.part->key, cutterKey, planKey, pathKey, keyOf(promisesJson)}, [&] {
        const PoseField reach(*r.part, out->assembly.profile, planFrame(step.axis, step.angle), {step.follow, step.lead, step.tilt},
                              step.allowance);
        SurfaceProof proof = proveSurface(*r.part, regionFacets(*r.part, step.region, step.axis, step.name),
                                          Sweep(out->assembly.profile, path), &reach, measuring, progress);
        addGougeElsewhere(proof, *r.part, out->assembly.profile, path, step.allowance, measuring.gouge, progress);
        return proof;
      });
    else if (out->surface)
      out->surface = remember<SurfaceProof>("surface and elsewhere", {r.part->key, cutterKey, planKey, pathKey, keyOf(promisesJson)}, [&] {
        SurfaceProof proof = *out->surface;
        addGougeElsewhere(proof, *r.part, out->assembly.profile, path, step.allowance, measuring.gouge, progress);
        return proof;
      });
    const bool engaged = (roughing && !drilling) || (!drilling && step.promises.engagement.has_value());
    out->time = remember<InTime>("time", {plannedKey, machineKey}, [&] {
      InTime t;
      const Path run = pathInto(out->planned->path, held.frame);
      t.joints = out->planned->joints.empty() ? solveJoints(*held.machine, run) : judgeJoints(*held.machine, out->planned->joints);
      t.timing = planTime(*held.machine, run, t.joints);
      return t;
    });
    const auto ways = remember<OtherWays>("rapid ways", {pathKey, machineKey, hashText(fmt::format("{}", out->assembly.reach))}, [&] {
      const Path run = pathInto(out->planned->path, held.frame);
      OtherWays w = otherRapidWays(*held.machine, run, out->time->joints.joints, out->assembly.reach, 1e-3);
      w.path = pathAsSet(pathOut(w.path, held.frame), set);
      return w;
    });
    clear.uncertainty += ways->deviation;
    const Key standingKey = combine(std::array{assemblyKey, setKey});
    out->clearance = remember<ClearanceResult>("clearance", {r.part->key, pathKey, standingKey, fixtureKey, clearKey, machineKey},
                                               [&] { return proveClearance(out->assembly, path, *ways, obstacles, clear, progress); });
    out->clearanceTrace = remember<ClearanceTrace>("clearance trace", {r.part->key, pathKey, standingKey, fixtureKey, machineKey}, [&] {
      ClearanceTrace t;
      const auto& at = out->time->timing.at;
      for (int k = 0; k <= kTraced && !at.empty(); ++k) {
        const auto place = static_cast<std::size_t>(std::lower_bound(at.begin(), at.end(), at.back() * k / kTraced) - at.begin());
        if (t.location.empty() || place > t.location.back()) t.location.push_back(std::min(place, at.size() - 1));
      }
      t.distance = clearanceAt(out->assembly, path, t.location, obstacles, ClearanceTrace::kMost, progress);
      return t;
    });
    const bool apart = set.any() || meant != stock;
    out->before = stock;
    auto& spread = r.spreads[static_cast<std::size_t>(step.clamping)];
    if (clamping.outside && !spread) {
      std::vector<char> later(r.part->mesh.triangles.size(), 0); // what this step and those after it finish
      for (std::size_t k = i; k < job.steps.size(); ++k) {
        Step s = stepInPart(job, job.steps[k]);
        if (s.kind != StepKind::ParallelPasses) continue;
        limitStep(s, job, *r.part, r.regions);
        const auto facets = regionFacets(*r.part, s.region, s.axis, s.name);
        for (std::size_t t = 0; t < later.size(); ++t) later[t] = later[t] || facets[t];
      }
      const Places all = spreadPlaces(*r.part, kReachPlaces);
      std::vector<Vec3> at, normal;
      for (std::size_t k = 0; k < all.at.size(); ++k)
        if (const auto t = static_cast<std::size_t>(all.facet[k]); later[t] && finishedIn[t] < 0)
          at.push_back(all.at[k]), normal.push_back(all.normal[k]);
      spread = std::make_shared<StockSpread>(stockSpread(stock->stock, at, normal, *clamping.outside, kMostStock));
    }
    auto& grip = r.grips[static_cast<std::size_t>(step.clamping)];
    if (!grip)
      grip = remember<Holding>("grip", {fixtureKey, keyOf(toJson(clamping)["fixtures"]), stock->key}, // a force makes a plate grip
                               [&] { return measureGrip(stock->stock, clamping.fixtures, held.bodies, held.frame); });
    out->cut =
        remember<CutResult>("cut", {pathKey, standingKey, stock->key, clearKey, machineKey, hashText(engaged ? "engaged" : "")}, [&] {
          CutResult c;
          Stock s = stock->stock;
          c.report = cutAndProve(s, out->assembly, path, *ways, engaged, clear, progress);
          c.after = std::make_shared<StockState>(StockState{std::move(s), combine(std::array{pathKey, stock->key})});
          return c;
        });
    // The key is the one that the stock has where nothing was measured, so that what is planned on it is remembered.
    const Key meantKey = combine(std::array{combine(std::array{plannedKey, hashText("")}), meant->key});
    meant = !apart ? out->cut->after : remember<StockState>("stock as meant", {meantKey}, [&] {
      StockState state{meant->stock, meantKey};
      state.stock.cut(nominal.profile, out->planned->path, 1, out->planned->path.locations.size(), &progress);
      return state;
    });
    stock = out->cut->after;
    if (std::any_of(clamping.fixtures.begin(), clamping.fixtures.end(), [](const Fixture& f) { return grips(f); }))
      out->hanging = remember<Hanging>("hanging pieces", {fixtureKey, stock->key},
                                       [&] { return hangingPieces(stock->stock, held.bodies, kThinSkin); });
    out->loose =
        remember<std::vector<StockPiece>>("loose pieces", {fixtureKey, stock->key}, [&] { return loosePieces(stock->stock, held.bodies); });
    const LoadLimits limits = limitsOf(step, nominal.cutter, *held.machine, out->rpm, out->feed);
    Key feedKey{};
    if (job.material && engaged) {
      const Key effortKey = combine(std::array{pathKey, standingKey, stock->key, fixtureKey, keyOf(toJson(*job.material)),
                                               hashText(fmt::format("{} {} {}", out->rpm, out->feed, clamping.tailstock))});
      const auto effort = [&](const Path& run) {
        return effortOf(run, out->cut->report, out->assembly, out->rpm, *job.material, out->before->stock, stock->stock, held.frame, *grip,
                        clamping.tailstock);
      };
      out->effort = remember<Effort>("effort", {effortKey}, [&] { return effort(path); });
      const auto joints = out->time;
      const auto withFeeds = [&](const FeedPlan& f) {
        Planned p = *asPlanned;
        for (std::size_t k = 0; k < p.path.locations.size(); ++k) p.path.locations[k].feed = f.feed[k];
        p.summary += fmt::format("; feeds follow the load, {:.0f} to {:.0f} %", 100 * f.slowest, 100 * f.fastest);
        return p;
      };
      feedKey = combine(std::array{
          effortKey, machineKey,
          hashText(fmt::format("{} {} {} {}", limits.torque.value_or(0), limits.force.value_or(0), limits.bend.value_or(0), limits.chip))});
      out->feeds = remember<FeedPlan>("feeds", {feedKey}, [&] {
        FeedPlan f = planFeeds(path, out->cut->report, *out->effort, out->assembly, out->rpm, *job.material, limits);
        f.time = planTime(*held.machine, pathInto(withFeeds(f).path, held.frame), joints->joints).total;
        return f;
      });
      if (out->fedByLoad()) {
        out->planned = remember<Planned>("plan with feeds", {feedKey}, [&] { return withFeeds(*out->feeds); });
        out->effort = remember<Effort>("effort with feeds", {feedKey}, [&] { return effort(out->planned->path); });
        out->time = remember<InTime>("time with feeds", {feedKey}, [&] {
          InTime t = *joints;
          t.timing = planTime(*held.machine, pathInto(out->planned->path, held.frame), t.joints);
          return t;
        });
      }
    }
    for (std::size_t k = 0; k < r.regions.size(); ++k)
      out->into.push_back(
          job.regions[k].use != RegionUse::Protected || !r.regions[k]->surface
              ? nullptr
              : remember<Measured>("into protected ground", {pathKey, standingKey, r.regions[k]->key}, [&] {
                  Measured m = proveGouge(*r.regions[k]->surface, out->assembly.profile, path, {0, kProtectedGrain}, progress);
                  m.bound += out->planned->deviation;
                  return m;
                }));
    // Promise against measurement.
    const Promises& want = step.promises;
    if (roughing) {
      if (want.gouge) {
        const double keep = drilling ? step.floor : std::min(step.wall, step.floor);
        const auto m =
            *remember<Measured>("kept apart", {r.part->key, standingKey, pathKey, hashText(fmt::format("{} {}", keep, *want.gouge))}, [&] {
              Measured worst = proveGouge(*r.part, out->assembly.profile, path, {keep, *want.gouge}, progress);
              for (const auto& [ground, own] : ownGround(r, job, step)) {
                const Measured there = proveGouge(*ground, out->assembly.profile, path, {own, *want.gouge}, progress);
                if (there.value > worst.value) worst.value = there.value, worst.at = there.at;
                worst.bound = std::max(worst.bound, there.bound), worst.known = worst.known && there.known;
              }
              return worst;
            });
        out->promises.push_back(judge("gouge_mm", *want.gouge, m, true));
      }
    } else if (out->surface) {
      if (want.cusp) out->promises.push_back(judge("cusp_mm", *want.cusp, out->surface->cusp, true));
      if (want.gouge) out->promises.push_back(judge("gouge_mm", *want.gouge, out->surface->gouge, true));
      if (want.rest) out->promises.push_back(judge("rest_mm", *want.rest, out->surface->rest, true));
      double contact = 0;
      const auto& l = path.locations;
      for (std::size_t k = 1; k < l.size(); ++k)
        if (l[k].motion == Motion::Cut && l[k - 1].normal.squaredNorm() > 0 && l[k].normal.squaredNorm() > 0)
          contact += (l[k].contact - l[k - 1].contact).norm();
      out->efficiency = contact > 0 ? out->surface->contactLengthBound / contact : 0;
    }
    if (want.clearance) {
      Measured m;
      m.known = true;
      const Measured &a = out->clearance->least, &b = out->cut->report.clearance.least;
      // Farther away than is looked for nothing of the stock is met; it is at least as far as its bound.
      const bool stockMet = b.value < 1e299;
      m.value = std::min(a.value, stockMet ? b.value : b.bound), m.bound = std::min(a.bound, b.bound);
      m.at = !stockMet || a.value <= b.value ? a.at : b.at;
      PromiseResult p = judge("clearance_mm", *want.clearance, m, false);
      p.note = fmt::format("{} {:.3f} mm{}", out->clearance->pair, a.value,
                           stockMet          ? fmt::format("; stock {:.2f} mm", b.value)
                           : b.bound < 1e299 ? fmt::format("; stock at least {:.2f} mm", b.bound)
                                             : "");
      out->promises.push_back(p);
    }
    if (engaged) {
      Measured m;
      m.known = true;
      m.value = out->cut->report.engagement;
      const double cells = r.stock->stock.cell() / out->assembly.profile.maxRadius();
      // Ring points and cells; a quarter of a cell at corners of the border where it is read between rays.
      const double thin = out->cut->report.coarse;
      m.bound = std::max(std::acos(std::clamp(std::cos(m.value) - 0.25 * cells, -1.0, 1.0)) + radians(1),
                         thin > 0 ? thin + radians(3) + cells : 0.0);
      m.bound = std::min(m.bound, kPi);
      m.at = out->cut->report.engagementAt;
      if (want.engagement) out->promises.push_back(judge("engagement_deg", *want.engagement, m, true, 180 / kPi));
    }
    if (const CutReport& cut = out->cut->report; step.kind == StepKind::LevelRoughing && cut.steepestEntry > 0) {
      Measured m;
      m.known = true, m.value = cut.steepestEntry, m.at = cut.steepestAt;
      const double allowed = out->assembly.cutter.rampAngle;
      if (std::abs(m.value - allowed) < 1e-6) m.value = allowed; // blocks that are rounded
      m.bound = m.value;
      out->promises.push_back(judge("entry_deg", allowed, m, true, 180 / kPi));
    }
    for (PromiseResult& p : out->promises)
      if (given && p.name == "rest_mm" && !out->surface->rest.known)
        p.note = "not measured where the axis of a given path turns";
      else if (p.verdict != Verdict::Kept && p.bound > 1e299)
        p.note = "part of the region was not reached at all";

    tellCautions(*out, meant->key != r.stock->key, job.material.has_value());

    tellBlockers(job, *out, path);
    out->key =
        combine(std::array{pathKey, standingKey, fixtureKey, clearKey, stock->key, keyOf(promisesJson), step.feedByLoad ? feedKey : Key{}});
    for (PromiseResult& p : out->promises) applyWaivers(job, step.name, out->key, p);
    for (const PromiseResult& p : out->promises) r.kept = r.kept && p.verdict == Verdict::Kept;
    r.kept = r.kept && out->blockers.empty();
    r.time += out->time->timing.total;
    if (out->surface)
      for (std::size_t t = 0; t < open.size(); ++t)
        if (out->surface->region[t])
          open[t] = std::min(open[t], out->surface->facetOpen[t]), finishedIn[t] = finishedIn[t] < 0 ? step.clamping : finishedIn[t];
    r.steps.push_back(out);
    if (done) done(i, out);
  }
  for (std::size_t k = 1; k < job.clampings.size(); ++k)
    if (const Clamping& c = job.clampings[k]; c.dowels)
      r.seams[k] = std::make_shared<Seam>(seamBetween(r.part->mesh, finishedIn, static_cast<int>(k), r.clampings[k]->frame, *c.dowels));
  std::vector<Vec3> ups;
  for (const Step& step : job.steps) ups.push_back(stepInPart(job, step).axis);
  const auto steep = [&](std::size_t t) {
    const Vec3 n = r.part->mesh.facetNormal(t);
    return std::all_of(ups.begin(), ups.end(), [&](const Vec3& up) { return n.dot(up) <= std::cos(job.leaveSlopeFrom) + 1e-9; });
  };
  std::vector<char> left(open.size(), 0);
  for (std::size_t k = 0; k < r.regions.size(); ++k)
    for (std::size_t t = 0; t < left.size() && job.regions[k].use != RegionUse::Finish; ++t)
      left[t] = left[t] || r.regions[k]->found.facets[t];
  Coverage& cover = r.coverage;
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
