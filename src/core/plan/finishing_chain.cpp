#include "plan/finishing_chain.h"
#include "finishing/placing.h"
#include "job/regions.h"
#include "plan/assemble.h"
#include "steps/placed_step.h"
#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace hemline {
namespace {

constexpr double kSemiCoarser = 10, kFinestSemi = 0.01, kCoarsestSemi = 0.05; // cusp of the semi-finish: times the promise, and within, mm
constexpr double kLeftCusps = 7.5;                                            // of that cusp is left: the layer changes by a seventh
constexpr double kRounder = 0.1;    // of the ball: so much rounder are the corners that it rolls through
constexpr double kLayerRoom = 5;    // cusps of the semi-finish over what it leaves: borders, which both round
constexpr double kOverOwn = 1.2;    // cusps: more than that is left, and not their own
constexpr double kMuchMore = 1.5;   // times that is left are worth a step of their own
constexpr double kHundredths = 100; // places a mm

double tidy(double mm) {
  return std::ceil(mm * kHundredths - 1e-9) / kHundredths;
}

class Chainer {
public:
  Chainer(const Job& job, const JobResult& prepared, std::size_t step, const CutterLibrary& library)
      : prepared_(prepared), library_(library), like_(job.steps.at(step)) {
    const Finishing* f = like_.finishing();
    if (!f || like_.is<CleanUpPasses>() || like_.is<CornerPasses>())
      throw Error(Fault::Cannot, "A chain to the end is made of a step that finishes its ground", like_.name,
                  "Choose a finishing step that is no corner or clean-up step.");
    const bool bounded = std::visit(
        []<class Body>(const Body&) {
          return requires(Body body) {
            body.rails;
          };
        },
        like_.body);
    if (bounded)
      throw Error(Fault::Cannot, "The step's rails bound its ground, which a semi-finish would not know", like_.name,
                  "Let it finish a region instead.");
    if (!like_.promises.cusp)
      throw Error(Fault::Missing, "The step promises no cusp", like_.name, "Promise one: it says how fine the chain ends.");
    if (!prepared.balls) throw Error(Fault::Missing, "The part is not studied yet", job.name, "Wait until its largest balls are known.");
    out_.job = job;
    out_.job.steps.erase(out_.job.steps.begin() + static_cast<std::ptrdiff_t>(step));
    at_ = step, allowance_ = f->allowance, cusp_ = *like_.promises.cusp;
    semiCusp_ = std::clamp(kSemiCoarser * cusp_, kFinestSemi, kCoarsestSemi), left_ = tidy(kLeftCusps * semiCusp_);
    if (semiCusp_ <= cusp_)
      throw Error(Fault::Cannot, "The promised cusp is as coarse as a semi-finish leaves", like_.name,
                  "Leave it one step, or promise a finer one.");
    findBalls(job);
  }

  FinishingChain chain() {
    const Cutter& widest = balls_.front();
    const double rounder = tidy(kRounder * 0.5 * widest.diameter), fillet = 0.5 * widest.diameter + rounder + left_;
    // What each ball leaves for the next one; the widest as it rolls through corners. Where that is little the next one is not needed.
    const double over = std::max(kOverOwn * cusp_, like_.promises.rest.value_or(0));
    std::vector<std::pair<Cutter, double>> after; // with the radius before
    double left = 0;
    for (std::size_t k = 1; k < balls_.size(); ++k) {
      const double before = after.empty() ? fillet : 0.5 * after.back().first.diameter, leaves = leftBy(before);
      if (leaves > over) after.emplace_back(balls_[k], before);
      if (after.size() == 1) left = std::max(left, leaves);
    }
    const bool more = !after.empty();
    Step semi = semiFinish(ConstantCuspPasses(), "semi-finish", widest);
    if (more) semi.finishing()->filletMore = rounder;
    add(semi, widest, semiCusp_, all_, fmt::format("leaves {:.2f} mm, even to {:.0f} µm", left_, 1e3 * semiCusp_));
    finish(more ? std::optional(rounder + left_) : std::nullopt);
    if (const double thick = left_ + kOverOwn * semiCusp_; more && left > kMuchMore * thick) {
      Step relief = semiFinish(CleanUpPasses(), "corners first", after.front().first);
      cleansUp(relief, allowance_ + thick);
      add(relief, after.front().first, semiCusp_, tighterThan(fillet),
          "takes the bulk out of the corners, which the passes before rolled over");
    }
    for (std::size_t k = 0; k < after.size(); ++k) {
      Step s = like_;
      s.body = CleanUpPasses();
      takeOver(s);
      s.name = fmt::format("{}: corners, {}", like_.name, after[k].first.name);
      cleansUp(s, allowance_ + over);
      if (k + 1 < after.size()) s.promises.rest.reset();
      add(s, after[k].first, cusp_, tighterThan(after[k].second), "cleans up what the steps before really leave");
    }
    out_.time += kCutterChange * static_cast<double>(after.size() + 1);
    return std::move(out_);
  }

private:
  void findBalls(const Job& job) {
    PlacedStep placed = placeStep(job, like_);
    limitStep(placed, job, *prepared_.part, prepared_.regions);
    axis_ = placed.step.axis;
    wanted_ = regionFacets(*prepared_.part, placed.region, placed.step.axis, placed.step.name);
    if (prepared_.machine && !prepared_.machine->spindle.empty()) rpmMost_ = prepared_.machine->spindle.back().rpm;
    const std::vector<Cutter> known = library_.mountable();
    Ladder ladder = cutterLadder(*prepared_.balls, known, cusp_, rpmMost_, kCutterChange, wanted_);
    if (ladder.rungs.empty())
      throw Error(Fault::Cannot, "No ball of the library finishes any of the step's ground", like_.name,
                  "Add smaller balls to the library.");
    std::stable_sort(ladder.rungs.begin(), ladder.rungs.end(), [](const Rung& a, const Rung& b) { return a.radius > b.radius; });
    for (const Rung& r : ladder.rungs)
      balls_.push_back(*std::find_if(known.begin(), known.end(), [&](const Cutter& c) { return c.name == r.cutter; }));
    all_ = prepared_.balls->sampled(wanted_);
  }

  /// The most that a ball of this radius leaves, mm: the shortest way to it, at the tightest places.
  double leftBy(double radius) const {
    constexpr std::size_t kPlaces = 300;
    const Part& part = *prepared_.part;
    Cutter ball = balls_.front();
    ball.kind = CutterKind::Ball, ball.diameter = ball.shankDiameter = 2 * radius,
    ball.fluteLength = std::max(ball.fluteLength, 2 * radius);
    const Finishing& f = *like_.finishing();
    const Placing dense(part, makeProfile(ball), axis_, {f.follow, f.lead, f.tilt}, allowance_);
    std::vector<const LargestBalls::Sample*> tight;
    for (const LargestBalls::Sample& s : prepared_.balls->samples)
      if (static_cast<double>(s.radius) < radius && wanted_[static_cast<std::size_t>(s.facet)]) tight.push_back(&s);
    double most = 0;
    for (std::size_t k = 0; k < std::min(kPlaces, tight.size()); ++k) {
      const LargestBalls::Sample& s = *tight[k * tight.size() / std::min(kPlaces, tight.size())];
      const SurfacePoint on = pointOver(part.mesh, s.facet, s.at);
      const Vec3 n = placeOn(part, static_cast<std::size_t>(s.facet), on.u, on.v).normal;
      const double d = dense.reach(s.at, n, allowance_ + most, 0.01).distance - allowance_;
      if (d < kFinite) most = std::max(most, d);
    }
    return most;
  }

  double tighterThan(double radius) const { return all_ - prepared_.balls->finishedBy(radius, wanted_).area; }

  /// The finishing part of the step, without what is for the last path alone.
  void takeOver(Step& s) const {
    Finishing& f = *s.finishing();
    f = *like_.finishing();
    f.fillet.reset(), f.filletMore.reset(), f.evenPoints.reset();
  }

  template <class Body> Step semiFinish(Body body, const char* what, const Cutter& ball) const {
    Step s = like_;
    s.body = std::move(body);
    takeOver(s);
    s.name = fmt::format("{}: {}, {}", like_.name, what, ball.name);
    s.finishing()->allowance = allowance_ + left_, s.finishing()->fewest = false;
    s.finishing()->chord = std::max(s.finishing()->chord, 0.1 * semiCusp_);
    s.promises.cusp = semiCusp_, s.promises.rest.reset(), s.promises.layer.reset();
    if (s.promises.gouge) s.promises.gouge = std::max(*s.promises.gouge, semiCusp_);
    return s;
  }

  static void cleansUp(Step& s, double over) {
    CleanUpPasses& c = *s.as<CleanUpPasses>();
    c.really = true, c.leftMore = over;
    s.promises.layer.reset();
  }

  /// The step itself; with its virtual fillets about the same middles as those of the semi-finish, which lie farther out by what it leaves.
  void finish(std::optional<double> rounder) {
    const Cutter& widest = balls_.front();
    Step s = like_;
    s.name = fmt::format("{}, {}", like_.name, widest.name);
    s.promises.layer = left_ + kLayerRoom * semiCusp_;
    if (rounder) s.finishing()->fillet.reset(), s.finishing()->filletMore = rounder, s.promises.rest.reset();
    add(s, widest, cusp_, all_, fmt::format("meets {:.2f} mm at most", *s.promises.layer));
  }

  void add(Step s, const Cutter& ball, double cusp, double area, std::string why) {
    assemble(out_.job, s, ball, library_);
    const double time = area / groundPerSecond(ball, cusp, rpmMost_);
    out_.links.push_back({s.name, std::move(why), time}), out_.time += time;
    out_.job.steps.insert(out_.job.steps.begin() + static_cast<std::ptrdiff_t>(at_++), std::move(s));
  }

  const JobResult& prepared_;
  const CutterLibrary& library_;
  const Step like_;
  FinishingChain out_;
  std::size_t at_ = 0;
  double allowance_ = 0, cusp_ = 0, semiCusp_ = 0, left_ = 0, rpmMost_ = kInfinity, all_ = 0; // mm, mm^2
  Vec3 axis_ = Vec3::UnitZ();
  std::vector<char> wanted_;
  std::vector<Cutter> balls_; // widest first
};

} // namespace

FinishingChain chainToTheEnd(const Job& job, const JobResult& prepared, std::size_t step, const CutterLibrary& library) {
  return Chainer(job, prepared, step, library).chain();
}

std::vector<std::string> chainText(const FinishingChain& chain) {
  std::vector<std::string> out{
      fmt::format("about {} with the changes of cutter, estimated from area, spacing and feed", formatDuration(std::round(chain.time)))};
  for (const ChainLink& l : chain.links) out.push_back(fmt::format("{}: {}; {}", l.step, formatDuration(std::round(l.time)), l.why));
  return out;
}

} // namespace hemline
