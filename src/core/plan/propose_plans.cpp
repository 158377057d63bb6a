#include "plan/propose_plans.h"
#include "model/fields.h"
#include "plan/advise.h"
#include "plan/assemble.h"
#include "plan/new_job.h"
#include "plan/roughing_chain.h"
#include "plan/suggest.h"
#include "steps/placed_step.h"
#include <fmt/format.h>
#include <map>

namespace hemline {
namespace {

constexpr int kRounds = 2;         // of mending assemblies: a longer one may meet what a shorter one did not
constexpr double kWorthTaking = 1; // mm^2 of forgotten ground that is worth a change
constexpr double kTidy = 10;       // places a mm: stick-outs are told to tenths
constexpr double kSameLeft = 0.1;  // mm: chains that leave so much more at the most are as good

bool takesBulk(const Step& s) {
  return s.is<LevelRoughing>();
}

/// Is the step's assembly not shown to be clear?
bool inTheWay(const StepResult& s) {
  return s.found(Code::Collision) || s.found(Code::NotShownClear) || s.found(Code::RapidThroughStock) ||
         std::any_of(s.promises.begin(), s.promises.end(), [](const PromiseResult& p) {
           return p.name == "clearance_mm" && p.verdict != Verdict::Kept && p.verdict != Verdict::Waived;
         });
}

class Proposer {
public:
  Proposer(const Job& job, const std::string& path, const CutterLibrary& library, Evaluator& evaluator, Progress& progress, LengthUnit unit)
      : job_(job), path_(path), library_(library), evaluator_(evaluator), progress_(progress), unit_(unit) {
    if (std::none_of(job.steps.begin(), job.steps.end(), [](const Step& s) { return s.finishing() != nullptr; }))
      throw Error(Fault::Missing, "The job has no finishing step that says what is promised", job.name, "Add one first.");
    job_.variants.clear();
  }

  std::vector<ProposedPlan> plans(const PlanDone& done) {
    Progress reading = progress_.part(0, 0.05), choosing = progress_.part(0.05, 0.3, "roughing");
    known_ = evaluator_.prepare(job_, path_, reading);
    std::vector<ProposedPlan> out = job_.clampings.size() > 1 ? ofAllSides(choosing) : ofTheSide(0, choosing);
    for (std::size_t k = 0; k < out.size();) {
      const auto same = [&](const ProposedPlan& p) { return toJson(p.job)["steps"] == toJson(out[k].job)["steps"]; };
      if (std::any_of(out.begin(), out.begin() + static_cast<std::ptrdiff_t>(k), same)) {
        out.erase(out.begin() + static_cast<std::ptrdiff_t>(k));
        continue;
      }
      const double share = 0.7 / static_cast<double>(out.size()), from = 0.3 + share * static_cast<double>(k);
      Progress running = progress_.part(from, from + share, out[k].name);
      run(out[k], running);
      if (done) done(out[k]);
      ++k;
    }
    return out;
  }

private:
  /// From now on it is about this clamping; false: nothing of it finishes.
  bool turnTo(int clamping, Progress& progress) {
    const auto of = [&](auto is) {
      return std::find_if(job_.steps.begin(), job_.steps.end(), [&](const Step& s) { return s.clamping == clamping && is(s); });
    };
    const auto rough = of(takesBulk), finish = of([](const Step&s) { return s.finishing() != nullptr; });
    if (finish == job_.steps.end()) return false;
    clamping_ = clamping;
    rough_ = rough == job_.steps.end() ? std::nullopt : std::optional(*rough);
    finish_ = *finish;
    finish_.finishing()->regions.clear(), finish_.finishing()->patches.clear();
    finish_.name = "Finish", finish_.rpm = finish_.feed = 0, finish_.asSet = {};
    if (!finish_.promises.cusp) finish_.promises.cusp = 0.005;
    up_ = placeStep(job_, finish_).step.axis;
    study_ = studyPart(*known_.part, up_, progress);
    return true;
  }

  std::vector<RoughingChain> roughingChains(Progress& progress) {
    std::vector<RoughingChain> chains;
    if (rough_) chains = proposeRoughing(bare(), path_, library_, evaluator_, progress, clamping_, unit_);
    std::erase_if(chains, [](const RoughingChain& c) { return c.failed; });
    return chains;
  }

  std::vector<ProposedPlan> ofTheSide(int clamping, Progress& progress) {
    if (!turnTo(clamping, progress)) return {};
    const auto chains = roughingChains(progress);
    std::vector<ProposedPlan> out{few(), ballForEach(chains)};
    if (auto quick = cornersLeft(chains))
      out.push_back(std::move(*quick));
    else if (auto other = roughedOtherwise(chains, out.back().job))
      out.push_back(std::move(*other));
    return out;
  }

  /// Each kind of plan clamping by clamping, each on what the ones before it leave. What does not finish stays as it is.
  std::vector<ProposedPlan> ofAllSides(Progress& progress) {
    std::vector<ProposedPlan> out;
    const Job asked = job_;
    const auto n = static_cast<int>(asked.clampings.size());
    for (int kind = 0; kind < 3; ++kind) {
      ProposedPlan whole;
      whole.name = std::array{"few cutters", "a ball for each ground", "corners left"}[std::size_t(kind)];
      job_ = asked, before_.clear();
      for (int c = 0; c < n; ++c) {
        Progress here = progress.part((kind * n + c) / (3.0 * n), (kind * n + c + 1) / (3.0 * n), asked.clampings[std::size_t(c)].name);
        if (!turnTo(c, here)) {
          for (const Step& s : asked.steps)
            if (s.clamping == c) before_.push_back(s);
          continue;
        }
        std::vector<RoughingChain> chains;
        if (kind > 0) chains = roughingChains(here);
        ProposedPlan side = kind == 0 ? few() : ballForEach(chains);
        if (kind == 2)
          if (auto quick = cornersLeft(chains)) side = std::move(*quick);
        side.job = namedFor(std::move(side.job), asked.clampings[std::size_t(c)].name);
        whole.why += (whole.why.empty() ? "" : ". ") + asked.clampings[std::size_t(c)].name + ": " + side.why;
        before_ = side.job.steps;
        const std::vector<Step> steps = job_.steps;
        job_ = std::move(side.job), job_.steps = steps; // its cutters, holders and regions
      }
      whole.job = job_, whole.job.steps = before_;
      out.push_back(std::move(whole));
    }
    job_ = asked;
    return out;
  }

  /// The new steps and regions with the clamping's name; regions only of ground that it sees.
  Job namedFor(Job job, const std::string& clamping) const {
    std::map<std::string, std::string> renamed;
    for (Region& r : job.regions) {
      if (std::any_of(job_.regions.begin(), job_.regions.end(), [&](const Region& x) { return x.name == r.name; })) continue;
      Piece seen;
      seen.mode = PieceMode::Only, seen.what = SlopePiece{0, kPi / 2, up_};
      r.pieces.push_back(seen);
      r.name = renamed[r.name] = r.name + ", " + clamping;
    }
    for (std::size_t k = before_.size(); k < job.steps.size(); ++k) {
      if (!rough_ || job.steps[k].name != rough_->name) job.steps[k].name += ", " + clamping;
      if (Finishing* f = job.steps[k].finishing())
        for (std::string& r : f->regions)
          if (const auto now = renamed.find(r); now != renamed.end()) r = now->second;
    }
    return job;
  }

  /// The job with what comes before, the first roughing of the clamping and one finish of all ground.
  Job bare() const {
    Job out = job_;
    out.steps = before_;
    if (rough_) out.steps.push_back(*rough_);
    out.steps.push_back(finish_);
    return out;
  }

  StudyParts studied() const { return {&study_, known_.balls.get(), known_.around.get(), known_.walls.get()}; }

  std::vector<Cutter> balls() const {
    const Vec3 size = known_.part->mesh.bounds().size();
    const Box blank = known_.stock->stock.bounds();
    return finishingBalls(library_, std::min(size.x(), size.y()), blank.size().z(), *finish_.promises.cusp);
  }

  void finishWith(Job& job, const Cutter& ball) const {
    assemble(job, job.steps.back(), ball, library_);
    job.steps.back().name = "Finish, " + ball.name;
  }

  /// The steps of the chain that `better` puts first, and the finish.
  template <class Better> Job roughedBy(const std::vector<RoughingChain>& chains, Better better, std::string& why) const {
    if (chains.empty()) return bare();
    const RoughingChain& best = *std::min_element(chains.begin(), chains.end(), better);
    why += "; roughed " + best.name;
    return best.job;
  }

  ProposedPlan few() const {
    ProposedPlan out;
    const Cutter ball = finishingBall(balls(), studied());
    out.name = "few cutters";
    out.job = bare();
    finishWith(out.job, ball);
    out.why = fmt::format("Little to set up and nothing to blend: '{}' finishes all ground that it can touch", ball.name);
    if (rough_) out.why += fmt::format(", after '{}' in one roughing step", rough_->cutter);
    return out;
  }

  ProposedPlan ballForEach(const std::vector<RoughingChain>& chains) const {
    ProposedPlan out;
    StudyWishes wishes;
    wishes.library = library_.mountable(), wishes.cusp = *finish_.promises.cusp, wishes.promised = true;
    const Ladder ladder = ladderFor(studied(), wishes);
    out.name = "a ball for each ground";
    out.why = "The balls that finish the most in the least time, each on the ground that the wider ones cannot touch: " + rungNames(ladder);
    out.job = roughedBy(
        chains,
        [](const RoughingChain& a, const RoughingChain& b) {
          return std::tuple(a.limits.size(), std::floor(a.most / kSameLeft), a.time) <
                 std::tuple(b.limits.size(), std::floor(b.most / kSameLeft), b.time);
        },
        out.why);
    std::string told;
    if (!ladder.rungs.empty()) out.job = withLadder(out.job, ladder, library_, told);
    return out;
  }

  /// Nothing where the widest ball that the plan would take finishes everything, or none finishes most.
  std::optional<ProposedPlan> cornersLeft(const std::vector<RoughingChain>& chains) const {
    const double whole = known_.balls->sampled(study_.ground);
    const auto done = [&](const Cutter& c) { return known_.balls->finishedBy(c.diameter / 2, study_.ground).area; };
    const auto all = balls();
    const auto ball = std::find_if(all.begin(), all.end(), [&](const Cutter& c) { return done(c) >= kMostOf * whole; });
    if (ball == all.end() || done(*ball) >= whole) return {};
    ProposedPlan out;
    out.name = "corners left";
    out.why = fmt::format("Soon done: '{}' finishes {:.1f} % of the ground; what is too tight for it, {}, stays on purpose, for "
                          "another cutter or another way",
                          ball->name, 100 * done(*ball) / whole, formatArea(whole - done(*ball), unit_));
    out.job = roughedBy(
        chains,
        [](const RoughingChain& a, const RoughingChain& b) {
          return std::pair(a.limits.size(), a.time) < std::pair(b.limits.size(), b.time);
        },
        out.why);
    finishWith(out.job, *ball);
    Region left;
    left.name = "left: tighter than " + ball->name, left.use = RegionUse::Left, left.grow = kLadderOverlap;
    left.pieces = {{PieceMode::Add, RadiusPiece{0, ball->diameter / 2}}};
    std::erase_if(out.job.regions, [&](const Region& r) { return r.name == left.name; });
    out.job.regions.push_back(left);
    return out;
  }

  /// Where one ball finishes all: the best of the chains that `taken` is not roughed by. Nothing where there is none.
  std::optional<ProposedPlan> roughedOtherwise(const std::vector<RoughingChain>& chains, const Job& taken) const {
    const auto roughing = [](const Job& job) {
      nlohmann::json out = nlohmann::json::array();
      for (const Step& s : job.steps)
        if (takesBulk(s)) out.push_back(toJson(s));
      return out;
    };
    const RoughingChain* best = nullptr;
    for (const RoughingChain& c : chains)
      if (roughing(c.job) != roughing(taken) && (!best || std::pair(c.limits.size(), c.time) < std::pair(best->limits.size(), best->time)))
        best = &c;
    if (!best) return {};
    ProposedPlan out;
    out.name = best->name;
    out.why = best->why + " Then one ball for all ground";
    out.job = best->job;
    finishWith(out.job, finishingBall(balls(), studied()));
    return out;
  }

  void run(ProposedPlan& plan, Progress& progress) {
    try {
      checkJob(plan.job);
      measure(plan, progress);
      takeSteep(plan, progress);
      for (int round = 0; round < kRounds && clearTheWay(plan, progress); ++round) continue;
    } catch (const Error& e) {
      if (!plan.result) plan.failure = e.what();
    }
  }

  void measure(ProposedPlan& plan, Progress& progress) {
    auto result = std::make_shared<JobResult>(evaluator_.evaluate(plan.job, path_, progress));
    result->study = known_.study, result->balls = known_.balls, result->around = known_.around, result->walls = known_.walls;
    plan.facts = planFacts(plan.job, *result);
    plan.result = std::move(result);
  }

  /// Keeps a change only where it is one for the better: nothing more holds the plan, and `better` says so.
  template <class Better> bool tryOut(ProposedPlan& plan, const Job& job, const std::string& told, Better better, Progress& progress) {
    ProposedPlan other = plan;
    other.job = job, other.mended.push_back(told);
    checkJob(other.job);
    measure(other, progress);
    if (other.facts.heldBy.size() > plan.facts.heldBy.size() || !better(other)) return false;
    plan = std::move(other);
    return true;
  }

  /// Ground that nobody finishes because the step's limit of slope leaves it out.
  void takeSteep(ProposedPlan& plan, Progress& progress) {
    const double forgotten = plan.facts.forgotten;
    if (forgotten < kWorthTaking) return;
    Job job = plan.job;
    bool changed = false;
    for (Step& s : job.steps)
      if (Finishing* f = s.finishing(); f && f->slopeTo < job.leaveSlopeFrom) f->slopeTo = job.leaveSlopeFrom, changed = true;
    if (!changed) return;
    const std::string told = fmt::format("Ground up to {:.0f}\u00b0 is finished: {} was steeper than the step went",
                                         degrees(job.leaveSlopeFrom), formatArea(forgotten, unit_));
    tryOut(
        plan, job, told, [&](const ProposedPlan& p) { return p.facts.forgotten < forgotten; }, progress);
  }

  /// Assemblies that are not clear; false: nothing was changed.
  bool clearTheWay(ProposedPlan& plan, Progress& progress) {
    Job job = plan.job;
    std::string told;
    std::vector<Holder> holders = library_.holders;
    for (std::size_t k = 0; k < plan.result->steps.size(); ++k) {
      if (!inTheWay(*plan.result->steps[k])) continue;
      progress.report(0.9, "assemblies that clear");
      Step& s = job.steps[k];
      const StepAdvice advice = adviseStep(job, *plan.result, k, holders, progress);
      const double out = std::ceil(advice.shortest.value_or(0) * kTidy) / kTidy;
      if (advice.shortest && out > s.stickOut) {
        told += fmt::format("{}'{}' sticks out {}, not {}, to be clear{}", told.empty() ? "" : "; ", s.name, formatLength(out, unit_),
                            formatLength(s.stickOut, unit_), advice.ofStock ? "" : " of the part");
        s.stickOut = out;
      } else if (!advice.others.empty()) {
        const HolderAdvice& other = advice.others.front();
        const double way = std::ceil(other.stickOut * kTidy) / kTidy;
        told += fmt::format("{}'{}' is held in '{}', {} out, to be clear", told.empty() ? "" : "; ", s.name, other.holder,
                            formatLength(way, unit_));
        s.holder = other.holder, s.stickOut = way;
        for (const Holder& h : library_.holders)
          if (h.name == other.holder) takeInto(job.holders, h);
      }
    }
    if (told.empty()) return false;
    const auto least = [](const ProposedPlan& p) { return p.facts.clearance ? p.facts.clearance->of.measured : kInfinity; };
    return tryOut(
        plan, job, told, [&](const ProposedPlan& p) { return p.facts.heldBy.size() < plan.facts.heldBy.size() || least(p) > least(plan); },
        progress);
  }

  Job job_;
  const std::string& path_;
  const CutterLibrary& library_;
  Evaluator& evaluator_;
  Progress& progress_;
  LengthUnit unit_;
  JobResult known_;
  // Of the clamping that is being planned:
  int clamping_ = 0;
  std::vector<Step> before_; ///< steps that run before it
  std::optional<Step> rough_;
  Step finish_;
  Vec3 up_ = Vec3::UnitZ(); ///< in the part's frame
  Study study_;
};

} // namespace

std::vector<ProposedPlan> proposePlans(const Job& job, const std::string& jobPath, const CutterLibrary& library, Evaluator& evaluator,
                                       Progress& progress, const PlanDone& done, LengthUnit unit) {
  return Proposer(job, jobPath, library, evaluator, progress, unit).plans(done);
}

std::vector<std::string> planText(const std::vector<ProposedPlan>& plans, LengthUnit unit) {
  std::vector<std::string> out;
  std::vector<PlanFacts> facts;
  for (const ProposedPlan& p : plans)
    if (p.failure.empty()) facts.push_back(p.facts);
  for (std::size_t k = 0; k < plans.size(); ++k) {
    const ProposedPlan& p = plans[k];
    out.push_back(fmt::format("{}. {}{}", k + 1, p.name, p.failure.empty() ? "" : ": cannot be computed. " + p.failure));
    out.push_back("   " + p.why + ".");
    if (!p.failure.empty()) continue;
    for (const std::string& m : p.mended) out.push_back("   mended: " + m + ".");
    for (const Step& s : p.job.steps) out.push_back(fmt::format("   step: {}: {}, {}, {}", s.name, kindOf(s).id, s.cutter, s.holder));
    for (const FactRow& r : factRows(p.facts, unit)) out.push_back(fmt::format("   {:<16} {}", r.title, r.value));
    for (const std::string& l : ownLimits(p.facts, facts)) out.push_back("   holds it: " + l);
  }
  if (facts.size() > 1)
    for (const std::string& l : commonLimits(facts)) out.push_back("of all of them: " + l);
  return out;
}

} // namespace hemline
