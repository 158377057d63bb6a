#include "job/step_run.h"
#include "base/threads.h"
#include "job/estimate.h"
#include "job/regions.h"
#include "job/telling.h"
#include "machine/machine.h"
#include <fmt/format.h>

namespace hemline {
namespace {

constexpr double kMostStock = 100;                  // mm of stock on the part that are looked for
constexpr double kProtectedGrain = 0.005;           // mm to which it is told how deep a step is in protected ground
constexpr int kCloser = 3;                          // times that passes are put between others where too much was measured
constexpr int kShorter = 6;                         // the same of short passes, which cost little
constexpr double kMends = 0.9, kStillMends = 0.995; // of the ground over the promise is left: passes, and short ones, mended something
constexpr double kApproach = 3;                     // mm of lead-in and lead-out of passes

/// Where rapids may cross: above stock and fixtures along the axis.
double safeHeight(const Job& job, const ClampingState& state, const Stock& stock, const Vec3& up) {
  double top = stock.bounds().highest(up);
  for (std::size_t k = 0; k < state.fixtures; ++k)
    for (const Vec3& p : state.bodies[k].body->mesh.points) top = std::max(top, p.dot(up));
  return top + job.safeGap;
}

/// One step on its way.
class StepRun {
public:
  StepRun(const Job& job, const std::string& jobPath, std::size_t i, JobResult& result, RunState& state, Results& results,
          const CoarseDone& coarse, Progress& progress)
      : job_(job), jobPath_(jobPath), i_(i), result_(result), state_(state), results_(results), coarse_(coarse), progress_(progress),
        placed_(placeStep(job, job.steps[i])), step_(placed_.step), clamping_(job.clampings[static_cast<std::size_t>(step_.clamping)]),
        held_(*result.clampings[static_cast<std::size_t>(step_.clamping)]), out_(std::make_shared<StepResult>()) {
    limitStep(placed_, job, *result.part, result.regions);
  }

  std::shared_ptr<const StepResult> run() {
    progress_.report(0, step_.name);
    begin();
    std::visit([this](const auto& body) { plan(body); }, step_.body);
    asSet();
    // What the path does to the part, beside what it does to the stock and where it would collide.
    parallelBoth(
        [this] {
          std::visit([this](const auto& body) { measure(body); }, step_.body);
          intoProtected();
        },
        [this] {
          time();
          clear();
          cut();
        });
    load();
    judgeAll();
    return out_;
  }

  PassMemory planAhead() {
    begin();
    PassMemory memory;
    std::visit(
        [&]<class Body>(const Body& body) {
          if constexpr (FinishingBody<Body>) {
            if (followsWhatIsLeft(layFor(body, nominal_.cutter))) return; // it waits for the steps before
            ground_ = regionFacets(*result_.part, placed_.region, step_.axis, step_.name);
            const Laid laid = lay(body, aside_);
            if (partsOf(laid.lay).size() == 1) results_.of(kPlanPasses, passesIn(body, laid), aside_, memory);
          }
        },
        step_.body);
    return memory;
  }

private:
  template <class In, class Out> Ref<Out> of(const Node<In, Out>& node, const In& in) { return results_.of(node, in, progress_); }
  /// The same while another thread reports.
  template <class In, class Out> Ref<Out> beside(const Node<In, Out>& node, const In& in) { return results_.of(node, in, aside_); }

  /// Assemblies, as meant and as set; speeds; what has to stay clear.
  void begin() {
    const Cutter& cutter = job_.cutter(step_.cutter);
    const Holder& holder = job_.holder(step_.holder);
    const Machine& machine = *held_.machine;
    nominal_ = {cutter, holder, step_.stickOut, machine.nose};
    mounted_ = {cutterAsSet(cutter, step_.asSet), holder, step_.asSet.stickOut.value_or(step_.stickOut), machine.nose};
    reach_ = nominal_.assembly().reach;
    out_->number = i_ + 1, out_->step = step_, out_->region = placed_.region;
    out_->held = result_.clampings[static_cast<std::size_t>(step_.clamping)];
    out_->assembly = mounted_.assembly();
    conditions(step_, cutter, machine.spindle.empty() ? kInfinity : machine.spindle.back().rpm, out_->rpm, out_->feed);
    scene_ = {result_.part, held_.bodies};
    safe_ = safeHeight(job_, held_, result_.stock->stock, step_.axis);
    clear_.wanted = step_.promises.clearance.value_or(0.0);
    clear_.uncertainty = job_.uncertainty + placingUncertainty(clamping_, result_.stock->stock.bounds());
    // What grew outside may have grown anywhere, and stays grown in later clampings.
    for (int k = 0; k <= step_.clamping; ++k)
      if (const auto& outside = job_.clampings[static_cast<std::size_t>(k)].outside) clear_.uncertainty += std::max(0.0, outside->most);
    clear_.facetError = result_.part->facetError;
  }

  /// Regions of the job that keep more than walls and floors.
  std::vector<OwnAllowance> ownGround(const LevelRoughing& how) const {
    std::vector<OwnAllowance> out;
    for (std::size_t k = 0; k < job_.regions.size(); ++k)
      if (const auto own = how.own.find(job_.regions[k].name); own != how.own.end() && result_.regions[k]->surface)
        out.push_back({result_.regions[k]->surface, own->second});
    return out;
  }

  void plan(const LevelRoughing& how) {
    RoughingIn in{result_.part,
                  how.fromBlank ? result_.stock : state_.meant,
                  nominal_.cutter,
                  how,
                  {},
                  ownGround(how),
                  {step_.axis},
                  {},
                  out_->feed,
                  {},
                  0,
                  {},
                  Vec3::UnitZ()};
    in.how.within = {}, in.how.own = {}, in.how.moreAxes = {}, in.how.fromBlank = false;
    in.boundary = acrossAxis(placed_, placed_.region.boundary);
    in.axes.insert(in.axes.end(), how.moreAxes.begin(), how.moreAxes.end());
    for (const Vec3& axis : in.axes) in.safe.push_back(safeHeight(job_, held_, result_.stock->stock, axis));
    if (how.withinReach) in.reach = nominal_, in.clearance = clear_.wanted + clear_.uncertainty;
    if (in.axes.size() > 1) {
      in.overhead = held_.frame.directionOut(Vec3::UnitZ());
      in.turning = result_.stock->stock.bounds();
      for (const Standing& s : held_.bodies)
        for (const Vec3& p : s.body->mesh.points) in.turning.add(p);
    }
    plan_ = of(kPlanRoughing, in);
  }

  void plan(const Drilling& drill) {
    DrillingOptions o;
    o.up = step_.axis, o.holes = acrossAxis(placed_, drill.holes), o.bottom = drill.bottom, o.allowance = drill.floor, o.peck = drill.peck;
    o.feed = out_->feed / 60, o.safeHeight = safe_;
    plan_ = of(kPlanHoles, {result_.part, state_.meant, nominal_.cutter, o});
  }

  void plan(const GivenPathStep& given) {
    const FileIn file = fileIn(resolve(jobPath_, given.file));
    result_.inputs.push_back({"path", file.path, file.bytes});
    plan_ = of(kReadGiven, {file, given.file, *held_.machine, given.programTool, reach_, held_.frame});
    clear_.uncertainty += plan_->deviation;
  }

  /// Is the pass of the highest level cut first?
  template <FinishingBody Body> static bool lastFirst(const Body& passes) {
    if constexpr (requires { passes.from.insideOut; }) return passes.from.insideOut;
    if constexpr (requires { Body::kOutsideIn; }) return Body::kOutsideIn;
    return false;
  }
  /// Level lines have what is higher on their left: as it is still to be cut, following them would be conventional.
  template <FinishingBody Body> static bool runsAgainst(const Body& passes) {
    return !passes.finish.zigzag && passes.finish.conventional == lastFirst(passes);
  }
  /// Forward and left are those of the level lines.
  template <FinishingBody Body> static TiltRule tiltOf(const Body& passes) {
    const Finishing& f = passes.finish;
    const double sense = runsAgainst(passes) ? -1 : 1;
    return {f.follow, sense * f.lead, sense * f.tilt};
  }

  /// As the cutter should be, not as it was set: what they leave is meant to be left.
  template <FinishingBody Body> double filletOf(const Body& passes) const {
    return passes.finish.filletRadius(nominal_.cutter.diameter / 2);
  }

  template <FinishingBody Body> PassesIn passesIn(const Body& passes, const Laid& laid) const {
    const Finishing& finish = passes.finish;
    PassesIn in{result_.part, nominal_.cutter, laid, {}, {}};
    PassOptions& o = in.options;
    o.cusp = *step_.promises.cusp, o.chord = finish.chord, o.allowance = finish.allowance, o.zigzag = finish.zigzag;
    o.up = step_.axis, o.tilt = tiltOf(passes), o.region = placed_.region;
    o.feed = out_->feed / 60, o.plungeFeed = kPlungeFeed * out_->feed / 60, o.safeHeight = safe_, o.approach = kApproach;
    o.lastFirst = lastFirst(passes), o.against = runsAgainst(passes);
    if constexpr (requires { passes.from.spiral; }) o.spiral = passes.from.spiral;
    if constexpr (requires { passes.spiral; }) o.spiral = passes.spiral;
    o.contactFeed = finish.contactFeed, o.fillet = filletOf(passes);
    if (finish.pointsApart) o.longest = *finish.pointsApart;
    o.shortest = finish.pointsNear.value_or(0), o.fewest = finish.fewest, o.evenPoints = finish.evenPoints.value_or(0);
    o.endRadius = finish.endRadius.value_or(0), o.endArc = finish.endArc, o.endLean = finish.endLean;
    o.tilt.byContact = laid.found.value != nullptr;
    if (laid.found) o.strips = false, o.levels = laid.found->levels, o.also = laid.found->ridges;
    return in;
  }

  /// Passes of one lay on its share of the ground.
  struct Sheet {
    PassesIn in;
    std::shared_ptr<const SurfaceField> field;
    PassMemory memory;
    double slopeFrom = 0, slopeTo = kPi; ///< of its share, radians
    Ref<Planned> planned;
    bool done = false; ///< closer passes mend nothing more
  };
  /// Of each lay of the kind, steep ground first; shares without ground are left out.
  template <FinishingBody Body> std::vector<Sheet> sheetsOf(const Body& passes) {
    laid_ = lay(passes, progress_);
    std::vector<Sheet> out;
    for (const LayPart& part : partsOf(laid_.lay)) {
      const Laid laid{part.lay, laid_.found};
      Sheet s{passesIn(passes, laid), fieldOf(laid, result_.part), {}, part.slopeFrom, part.slopeTo, {}, false};
      RegionLimits& region = s.in.options.region;
      region.slopeFrom = std::max(region.slopeFrom, part.slopeFrom), region.slopeTo = std::min(region.slopeTo, part.slopeTo);
      if (region.slopeFrom > placed_.region.slopeFrom || region.slopeTo < placed_.region.slopeTo) {
        try {
          regionFacets(*result_.part, region, step_.axis, step_.name);
        } catch (const Error& e) {
          if (e.fault != Fault::NothingToDo) throw;
          continue;
        }
      }
      out.push_back(std::move(s));
    }
    return out;
  }

  /// Are a sheet's passes levels of height?
  bool byHeight(const Sheet& s) const { return areLevels(s.in.laid.lay, step_.axis); }
  /// Where levels of height leave too much (beside saddles, round summits) there are short passes at the very places, and where these mend
  /// nothing lines across.
  void flats(Sheet& s, const std::vector<double>& levels, const std::vector<Vec3>& places, const std::vector<Vec3>& slopes,
             int round) const {
    PassOptions& o = s.in.options;
    if (o.levels.empty()) o.levels = s.planned->levels; // they stay
    std::vector<double> apart = s.planned->spacing;
    const double across = estimatedSpacing(step_, nominal_.cutter);
    std::nth_element(apart.begin(), apart.begin() + static_cast<std::ptrdiff_t>(apart.size() / 2), apart.end());
    const double step = apart.empty() ? across : apart[apart.size() / 2];
    for (ShortPass& p : shortPasses(levels, places, 0.3 * step, -kInfinity)) o.shortOnes.push_back(std::move(p));
    if (round == 0) return;
    std::vector<Vec3> ends, ways;
    for (std::size_t i = 0; i < places.size(); ++i) {
      const Vec3 way = slopes[i].norm() > 1e-9 ? Vec3(slopes[i].normalized()) : Vec3(step_.axis.unitOrthogonal());
      ends.push_back(places[i] - 0.5 * across * way), ways.push_back(way);
    }
    for (auto& line : linesInto(ends, ways, across)) o.also.push_back(std::move(line));
  }

  /// Where the proof found too much: passes of that share's lay between those that there are, or short ones where fields are found.
  void closer(Sheet& s, const std::vector<Touching>& over, int round) const {
    std::vector<double> levels;
    std::vector<Vec3> places, corners, slopes;
    for (const Touching& t : over) {
      const double slope = angleBetween(t.place.normal, step_.axis);
      if (slope < s.slopeFrom || slope > s.slopeTo) continue;
      const double level = s.field->value(t.on, t.place);
      if (byHeight(s)) slopes.push_back(step_.axis - step_.axis.dot(t.place.normal) * t.place.normal);
      if (laid_.found && round > 0 && level < kBegins * laid_.found->step)
        corners.push_back(t.place.point), slopes.push_back(s.field->gradient(t.on));
      else
        levels.push_back(level), places.push_back(t.place.point);
    }
    if (laid_.found) {
      PassOptions& o = s.in.options;
      for (ShortPass& p : shortPasses(levels, places, laid_.found->step, kBegins * laid_.found->step)) o.shortOnes.push_back(std::move(p));
      for (auto& line : linesInto(corners, slopes, estimatedSpacing(step_, nominal_.cutter))) o.also.push_back(std::move(line));
      return;
    }
    if (byHeight(s)) {
      s.done = places.empty();
      if (!s.done) flats(s, levels, places, slopes, round);
      return;
    }
    const std::vector<double> more = closerLevels(s.planned->levels, levels, estimatedSpacing(step_, nominal_.cutter) / 40);
    s.done = more == s.planned->levels || round == kCloser;
    s.in.options.levels = more;
  }

  /// Where too much was left in corners that the ball touches on both sides no level leads into them: passes along the very lines.
  template <FinishingBody Body> void alongCorners(const Body& passes, std::vector<Sheet>& sheets) const {
    const LayAsk ask = askFor(step_.axis, passes.finish, nominal_.cutter, job_);
    if (!(ask.ball > 0) || passes.finish.follow || filletOf(passes) > 0 || runsAlongCorners(laid_.lay)) return;
    const auto lines = results_.of(kFindCorners, {result_.part, ground_, ask.ball, surface_->over}, progress_);
    for (Sheet& s : sheets) {
      if (!lines->empty()) s.done = false;
      s.in.options.also.insert(s.in.options.also.end(), lines->begin(), lines->end());
    }
  }

  /// Of several shares one may be ground that nothing can be cut of (fillets too tight for the cutter): the others are planned.
  void planFirst(std::vector<Sheet>& sheets) {
    std::optional<Error> nothing;
    for (Sheet& s : sheets) try {
        s.planned = results_.of(kPlanPasses, s.in, progress_, s.memory);
      } catch (const Error& e) {
        if (e.fault != Fault::NothingToDo) throw;
        nothing = e;
      }
    std::erase_if(sheets, [](const Sheet& s) { return !s.planned; });
    if (sheets.empty() && nothing) throw Error(*nothing);
  }

  /// What was measured has the last word: where the spacing left too much, passes are put between and all is measured again. Passes that
  /// mend nothing are taken out again.
  template <FinishingBody Body> void plan(const Body& passes) {
    ground_ = regionFacets(*result_.part, placed_.region, step_.axis, step_.name);
    std::vector<Sheet> sheets = sheetsOf(passes);
    if (laid_.found) ground_ = groundWithin(result_.part, ground_, *laid_.found);
    if (sheets.size() == 1) sheets.front().memory = std::move(state_.ahead[i_]);
    RapidMemory rapids;
    SurfaceAid aid{{}, {}, coarse_};
    const bool shortOnes = laid_.found || std::any_of(sheets.begin(), sheets.end(), [&](const Sheet& s) { return byHeight(s); });
    Ref<Planned> before;
    Ref<SurfaceProof> surfaceBefore;
    std::vector<Ref<Path>> measured;
    for (int round = 0;; ++round) {
      if (round == 0) planFirst(sheets);
      JoinIn parts;
      for (Sheet& s : sheets) {
        if (round > 0) s.planned = results_.of(kPlanPasses, s.in, progress_, s.memory);
        parts.parts.push_back(s.planned);
      }
      plan_ = sheets.size() == 1 ? sheets.front().planned : of(kJoin, parts);
      plan_ = results_.of(kLinks, {plan_, step_.axis, nominal_, scene_, state_.meant, clear_}, progress_, rapids);
      surface_ = results_.of(kSurface, surfaceIn(passes, nominal_.cutter, pathOf(plan_), measured), progress_, aid);
      measured.push_back(pathOf(plan_));
      if (round > 0 && !(surface_->cusp.bound < surfaceBefore->cusp.bound) &&
          !(surface_->areaOverCusp < (shortOnes ? kStillMends : kMends) * surfaceBefore->areaOverCusp)) {
        plan_ = before, surface_ = surfaceBefore;
        break;
      }
      before = plan_, surfaceBefore = surface_;
      if (surface_->over.empty() || round == (shortOnes ? kShorter : kCloser)) break;
      std::vector<PassOptions> were;
      for (Sheet& s : sheets) were.push_back(s.in.options), closer(s, surface_->over, round);
      if (round == 0) alongCorners(passes, sheets);
      for (std::size_t k = 0; k < sheets.size(); ++k)
        if (contentKey(were[k]) != contentKey(sheets[k].in.options)) sheets[k].in.earlier.push_back(std::move(were[k]));
      if (std::all_of(sheets.begin(), sheets.end(), [](const Sheet& s) { return s.done; })) break;
    }
  }

  /// Fields are found for the cutter that passes are made for.
  template <FinishingBody Body> Lay layFor(const Body& passes, const Cutter& cutter) const {
    return layOf(passes, askFor(step_.axis, passes.finish, cutter, job_));
  }
  std::vector<EarlierCut> earlierCuts() {
    std::vector<EarlierCut> out;
    for (const auto& s : result_.steps) {
      const Cutter& cutter = job_.cutter(s->step.cutter);
      out.push_back(
          {s->step.asSet.lengthOff ? of(kPathAsSet, {s->planned, s->step.asSet}) : pathOf(s->planned), cutterAsSet(cutter, s->step.asSet)});
    }
    return out;
  }
  /// Those that have to be found are found on the ground.
  template <FinishingBody Body> Laid lay(const Body& passes, Progress& progress) {
    Laid laid{layFor(passes, nominal_.cutter), {}};
    const Finishing& f = passes.finish;
    if (isFound(laid.lay))
      laid.found = results_.of(kFindField,
                               {result_.part, ground_, nominal_.cutter, laid.lay, cuspSpacedFor(*step_.promises.cusp, f.chord), step_.axis,
                                tiltOf(passes), f.allowance, filletOf(passes),
                                followsWhatIsLeft(laid.lay) ? earlierCuts() : std::vector<EarlierCut>()},
                               progress);
    return laid;
  }
  SurfacePromises promised() const {
    return {step_.allowance(), step_.promises.cusp.value_or(1e6), step_.promises.gouge.value_or(0.001), step_.promises.rest.value_or(0.01)};
  }
  template <FinishingBody Body>
  SurfaceIn surfaceIn(const Body& passes, const Cutter& cutter, const Ref<Path>& path, const std::vector<Ref<Path>>& earlier = {}) const {
    return {result_.part,
            ground_,
            cutter,
            path,
            earlier,
            promised(),
            step_.axis,
            laid_.found ? laid_ : Laid{layFor(passes, cutter), {}},
            tiltOf(passes),
            filletOf(passes),
            step_.promises.cusp,
            estimatedSpacing(step_, cutter)};
  }
  static Ref<Path> pathOf(const Ref<Planned>& plan) { return {std::shared_ptr<const Path>(plan.value, &plan->path), plan.key}; }

  /// The path as its tip goes, with the cutter as it was set.
  void asSet() {
    path_ = pathOf(plan_);
    if (step_.asSet.lengthOff) path_ = of(kPathAsSet, {plan_, step_.asSet});
    clear_.uncertainty += 0.5 * step_.asSet.runout.value_or(0);
  }

  void measure(const LevelRoughing& how) {
    if (!step_.promises.gouge) return;
    const double promise = *step_.promises.gouge;
    Measured worst = *beside(kGouge, {result_.part, mounted_.cutter, path_, std::min(how.wall, how.floor), promise, 0});
    for (const OwnAllowance& own : ownGround(how)) {
      const Measured there = *beside(kGouge, {own.ground, mounted_.cutter, path_, own.allowance, promise, 0});
      if (there.value > worst.value) worst.value = there.value, worst.at = there.at;
      worst.bound = std::max(worst.bound, there.bound), worst.known = worst.known && there.known;
    }
    gouge_ = worst;
  }
  void measure(const Drilling& drill) {
    if (step_.promises.gouge) gouge_ = *beside(kGouge, {result_.part, mounted_.cutter, path_, drill.floor, *step_.promises.gouge, 0});
  }
  void measure(const GivenPathStep&) {
    if (!step_.promises.cusp && !step_.promises.gouge) return;
    SurfaceAid aid{{}, {}, coarse_};
    const auto given =
        results_.of(kGivenSurface, {result_.part, mounted_.cutter, path_, plan_->deviation, promised(), step_.name}, aside_, aid);
    surface_ = {std::shared_ptr<const SurfaceProof>(given.value, &given->surface), given.key};
    out_->judged = given->told;
  }
  template <FinishingBody Body> void measure(const Body& passes) {
    const double off = angleBetween(step_.axis, held_.frame.directionOut(Vec3::UnitZ()));
    const double dip = std::max(step_.promises.gouge.value_or(0), step_.promises.rest.value_or(0));
    out_->reach = beside(kReach, {result_.part, nominal_, step_.axis, std::max(0.0, held_.machine->leans() - off), dip, ground_}).value;
    if (step_.asSet.any()) {
      SurfaceAid aid{{}, {}, coarse_};
      surface_ = results_.of(kSurface, surfaceIn(passes, mounted_.cutter, path_), aside_, aid);
    }
    surface_ = beside(kElsewhere, {surface_, result_.part, mounted_.cutter, path_, passes.finish.allowance, promised().gouge});
    // Contacts are those of the cutter as planned.
    if (step_.promises.layer && !result_.steps.empty() && !step_.asSet.any())
      out_->layer = beside(kLayer, {path_, passes.finish.allowance, earlierCuts(), *step_.promises.layer}).value;
  }

  void time() {
    time_ = of(kTime, {plan_, *held_.machine, held_.frame});
    ways_ = of(kWays, {plan_, time_, *held_.machine, held_.frame, out_->assembly.reach, step_.asSet});
    clear_.uncertainty += ways_->deviation;
  }

  void clear() {
    clearance_ = of(kClearance, {mounted_, path_, ways_, scene_, clear_});
    out_->clearance = clearance_.value;
    out_->clearanceTrace = of(kTrace, {mounted_, path_, scene_, time_}).value;
  }

  bool engaged() const { return step_.is<LevelRoughing>() || (!step_.is<Drilling>() && step_.promises.engagement.has_value()); }

  void cut() {
    out_->before = state_.stock;
    spread();
    // Of the work as the clamping finds it: what holds it does not change with what is cut.
    Ref<Holding>& grip = state_.grips[static_cast<std::size_t>(step_.clamping)];
    if (!grip) grip = of(kGrip, {state_.stock, clamping_.fixtures, held_.bodies, held_.frame});
    grip_ = grip, result_.grips[static_cast<std::size_t>(step_.clamping)] = grip.value;
    const bool apart = step_.asSet.any() || state_.meant != state_.stock;
    cut_ = of(kCut, {state_.stock, mounted_, path_, ways_, engaged(), clear_});
    state_.meant = apart ? of(kStockAfter, {state_.meant, nominal_.cutter, pathOf(plan_)}).value : cut_->after;
    state_.stock = cut_->after;
    out_->cut = cut_.value;
    if (std::any_of(clamping_.fixtures.begin(), clamping_.fixtures.end(), [](const Fixture& f) { return grips(f); }))
      out_->hanging = of(kHanging, {state_.stock, held_.bodies}).value;
    out_->loose = of(kLoose, {state_.stock, held_.bodies}).value;
  }

  /// Stock on what this step and those after it finish, where it comes from outside.
  void spread() {
    auto& spread = result_.spreads[static_cast<std::size_t>(step_.clamping)];
    if (!clamping_.outside || spread) return;
    const Part& part = *result_.part;
    std::vector<char> later(part.mesh.triangles.size(), 0);
    for (std::size_t k = i_; k < job_.steps.size(); ++k) {
      if (!job_.steps[k].finishing()) continue;
      PlacedStep p = placeStep(job_, job_.steps[k]);
      limitStep(p, job_, part, result_.regions);
      const auto facets = regionFacets(part, p.region, p.step.axis, p.step.name);
      for (std::size_t t = 0; t < later.size(); ++t) later[t] = later[t] || facets[t];
    }
    const Places all = spreadPlaces(part, kReachPlaces);
    std::vector<Vec3> at, normal;
    for (std::size_t k = 0; k < all.at.size(); ++k)
      if (const auto t = static_cast<std::size_t>(all.facet[k]); later[t] && state_.finishedIn[t] < 0)
        at.push_back(all.at[k]), normal.push_back(all.normal[k]);
    spread = std::make_shared<StockSpread>(stockSpread(state_.stock->stock, at, normal, *clamping_.outside, kMostStock));
  }

  /// Force, and feeds that follow it.
  void load() {
    if (job_.material && engaged()) {
      const auto effort = [&](const Ref<Path>& path) {
        return of(kEffort, {path, cut_, out_->before, mounted_, out_->rpm, *job_.material, held_.frame, grip_, clamping_.tailstock});
      };
      Ref<Effort> asked = effort(path_);
      const LoadLimits limits = limitsOf(step_, nominal_.cutter, *held_.machine, out_->rpm, out_->feed);
      feeds_ = of(kFeeds, {plan_, path_, cut_, asked, mounted_, out_->rpm, *job_.material, limits, *held_.machine, held_.frame, time_});
      out_->feeds = feeds_.value;
      if (out_->fedByLoad()) {
        plan_ = of(kWithFeeds, {plan_, feeds_});
        asked = effort(pathOf(plan_));
        time_ = of(kTimeWithFeeds, {plan_, time_, *held_.machine, held_.frame});
      }
      out_->effort = asked.value;
    }
    out_->planned = plan_, out_->time = time_, out_->surface = surface_.value;
  }

  void intoProtected() {
    for (std::size_t k = 0; k < result_.regions.size(); ++k)
      out_->into.push_back(
          job_.regions[k].use != RegionUse::Protected || !result_.regions[k]->surface
              ? nullptr
              : beside(kGouge, {result_.regions[k]->surface, mounted_.cutter, path_, 0, kProtectedGrain, plan_->deviation}).value);
  }

  void judgeAll() {
    judgeSurface();
    if (step_.promises.clearance) judgeClearance();
    if (step_.promises.engagement && engaged()) judgeEngagement();
    if (step_.is<LevelRoughing>() && cut_->report.steepestEntry > 0) judgeEntry();
    for (PromiseResult& p : out_->promises)
      if (step_.is<GivenPathStep>() && p.name == "rest_mm" && !surface_->rest.known)
        p.note = "not measured where the axis of a given path turns";
      else if (p.verdict != Verdict::Kept && p.bound > kFinite && p.note.empty())
        p.note = "part of the region was not reached at all";
    tellCautions(*out_, state_.meant->key != result_.stock->key, job_.material.has_value());
    tellBlockers(job_, *out_, *path_);
    // All that measured values and their judgement come from: a waiver is given for this content.
    const auto* how = step_.as<LevelRoughing>();
    out_->key = contentKey(path_, mounted_, step_.body, ground_, how ? ownGround(*how) : std::vector<OwnAllowance>{}, scene_,
                           *held_.machine, clear_, *state_.stock, step_.promises, step_.feedByLoad ? feeds_ : Ref<FeedPlan>());
    for (PromiseResult& p : out_->promises) applyWaivers(job_, step_.name, out_->key, p);
  }

  void judgeSurface() {
    const Promises& want = step_.promises;
    if (gouge_) out_->promises.push_back(judge("gouge_mm", *want.gouge, *gouge_));
    if (!surface_) return;
    if (want.cusp) out_->promises.push_back(judge("cusp_mm", *want.cusp, surface_->cusp));
    if (want.gouge) out_->promises.push_back(judge("gouge_mm", *want.gouge, surface_->gouge));
    if (want.rest) out_->promises.push_back(judge("rest_mm", *want.rest, surface_->rest));
    if (want.layer) judgeLayer();
    double contact = 0;
    const auto& l = path_->locations;
    for (std::size_t k = 1; k < l.size(); ++k)
      if (l[k].motion == Motion::Cut && l[k - 1].normal.squaredNorm() > 0 && l[k].normal.squaredNorm() > 0)
        contact += (l[k].contact - l[k - 1].contact).norm();
    out_->efficiency = contact > 0 ? surface_->contactLengthBound / contact : 0;
  }

  void judgeLayer() {
    PromiseResult p = judge("layer_mm", *step_.promises.layer, out_->layer ? out_->layer->most : Measured());
    if (!out_->layer)
      p.note = step_.asSet.any() ? "not measured where the cutter was set otherwise than planned" : "no step comes before it";
    else if (p.bound > kFinite)
      p.note = "no step before it cut there";
    out_->promises.push_back(p);
  }

  void judgeClearance() {
    Measured m;
    m.known = true;
    const Measured &a = clearance_->least, &b = cut_->report.clearance.least;
    // Farther away than is looked for nothing of the stock is met; it is at least as far as its bound.
    const bool stockMet = b.value < kFinite;
    m.value = std::min(a.value, stockMet ? b.value : b.bound), m.bound = std::min(a.bound, b.bound);
    m.at = !stockMet || a.value <= b.value ? a.at : b.at;
    PromiseResult p = judge("clearance_mm", *step_.promises.clearance, m);
    p.note = stockMet && b.value < a.value ? "nearest: the stock; of all else " + clearance_->pair : "nearest: " + clearance_->pair;
    out_->promises.push_back(p);
  }

  void judgeEngagement() {
    const CutReport& cut = cut_->report;
    Measured m;
    m.known = true;
    m.value = cut.engagement, m.at = cut.engagementAt;
    const double cells = result_.stock->stock.cell() / out_->assembly.profile.maxRadius();
    // Ring points and cells; a quarter of a cell at corners of the border where it is read between rays.
    m.bound = std::max(std::acos(std::clamp(std::cos(m.value) - 0.25 * cells, -1.0, 1.0)) + radians(1),
                       cut.coarse > 0 ? cut.coarse + radians(3) + cells : 0.0);
    m.bound = std::min(m.bound, kPi);
    out_->promises.push_back(judge("engagement_deg", *step_.promises.engagement, m));
  }

  void judgeEntry() {
    Measured m;
    m.known = true, m.value = cut_->report.steepestEntry, m.at = cut_->report.steepestAt;
    const double allowed = out_->assembly.cutter.rampAngle;
    if (std::abs(m.value - allowed) < 1e-6) m.value = allowed; // blocks that are rounded
    m.bound = m.value;
    out_->promises.push_back(judge("entry_deg", allowed, m));
  }

  const Job& job_;
  const std::string& jobPath_;
  const std::size_t i_;
  JobResult& result_;
  RunState& state_;
  Results& results_;
  const CoarseDone& coarse_;
  Progress& progress_;
  Progress aside_ = progress_.beside();
  PlacedStep placed_;
  const Step& step_;
  const Clamping& clamping_;
  const ClampingState& held_;
  std::shared_ptr<StepResult> out_;
  Mounted nominal_, mounted_; ///< as meant, and as set
  double reach_ = 0, safe_ = 0;
  Scene scene_;
  ClearanceOptions clear_;
  std::vector<char> ground_;
  Laid laid_;
  Ref<Planned> plan_;
  Ref<Path> path_; ///< as its tip goes
  Ref<SurfaceProof> surface_;
  std::optional<Measured> gouge_; ///< of steps without a surface
  Ref<InTime> time_;
  Ref<OtherWays> ways_;
  Ref<ClearanceResult> clearance_;
  Ref<Holding> grip_;
  Ref<CutResult> cut_;
  Ref<FeedPlan> feeds_;
};

} // namespace

void applyWaivers(const Job& job, const std::string& step, const Key& content, PromiseResult& p) {
  if (p.verdict == Verdict::Kept) return;
  for (const Waiver& w : job.waivers)
    if (w.step == step && w.promise == p.name &&
        (w.key == content.text() || (p.name == "clearance_mm" ? p.bound >= w.bound - 1e-12 : p.bound <= w.bound + 1e-12)))
      p.verdict = Verdict::Waived, p.note = "waived by " + w.who + ": " + w.why;
}

PassMemory planAhead(const Job& job, const std::string& jobPath, std::size_t i, JobResult& result, RunState& state, Results& results,
                     Progress& progress) {
  try {
    return StepRun(job, jobPath, i, result, state, results, {}, progress).planAhead();
  } catch (const Error&) {
    return {};
  }
}

std::shared_ptr<const StepResult> runStep(const Job& job, const std::string& jobPath, std::size_t i, JobResult& result, RunState& state,
                                          Results& results, const CoarseDone& coarse, Progress& progress) {
  try {
    return StepRun(job, jobPath, i, result, state, results, coarse, progress).run();
  } catch (Error& e) {
    e.step = job.steps[i].name;
    throw;
  }
}

} // namespace hemline
