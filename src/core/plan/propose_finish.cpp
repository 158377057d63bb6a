#include "plan/propose_finish.h"
#include "base/text.h"
#include "finishing/cusp_metric.h"
#include "geometry/tree.h"
#include "job/estimate.h"
#include "job/regions.h"
#include "model/fields.h"
#include "steps/lay.h"
#include "steps/placed_step.h"
#include "study/study.h"
#include <algorithm>
#include <fmt/format.h>
#include <set>

namespace hemline {
namespace {

constexpr double kPassesLooked = 60;  // across the ground: finer spacings are planned coarser
constexpr double kCoarsest = 5;       // times the spacing
constexpr double kTurn = radians(30); // a sharp turn
constexpr double kSteep = 0.1;        // share of the ground that is worth a lay of its own
constexpr double kOnGround = 0.5;     // share of a rail that lies on the ground
constexpr double kNear = 0.05;        // mm: a rail lies on the part
constexpr std::size_t kRails = 3;     // rails that are tried
constexpr int kDirections = 12;
constexpr std::size_t kFewFaces = 4; // of more, lines seldom go on in each other

std::string degreesText(double radians) {
  return fmt::format("{:.0f}°", degrees(radians));
}

/// The step with another body; what finishing kinds have in common stays.
template <class Body> Step with(const Step& step, Body body) {
  body.finish = *step.finishing();
  Step out = step;
  out.body = std::move(body);
  return out;
}

class Chooser {
public:
  Chooser(const Job& job, const std::string& path, std::size_t index, Evaluator& evaluator, Progress& progress)
      : job_(job), path_(path), evaluator_(evaluator), progress_(progress), step_(job.steps.at(index)) {
    if (!step_.finishing())
      throw Error(Fault::Cannot, "Only finishing steps have a pattern of passes", "step '" + step_.name + "'", "Choose a finishing step.");
    if (const auto* clean = step_.as<CleanUpPasses>(); clean && clean->really)
      throw Error(Fault::Cannot, "Where the steps before leave something it is cleaned up along its valleys, whatever that is",
                  "step '" + step_.name + "'", "Choose a step that finishes its ground, or let this one clean up after a ball.");
    job_.variants.clear();
    job_.steps = {step_};
    checkJob(job_);
  }

  std::vector<FinishWay> ways(const WayDone& done) {
    Progress reading = progress_.part(0, 0.1);
    const JobResult known = evaluator_.prepare(job_, path_, reading);
    const Part& part = *known.part;
    PlacedStep placed = placeStep(job_, step_);
    limitStep(placed, job_, part, known.regions);
    ground_ = regionFacets(part, placed.region, placed.step.axis, step_.name);
    double area = 0;
    for (std::size_t t = 0; t < ground_.size(); ++t)
      if (ground_[t]) area += part.mesh.facetArea(t);
    coarser_ = std::clamp(std::sqrt(area) / estimatedSpacing(step_, job_.cutter(step_.cutter)) / kPassesLooked, 1.0, kCoarsest);
    std::vector<FinishWay> out;
    std::vector<std::pair<std::string, Step>> asked = candidates(known, placed, area);
    for (std::size_t k = 0; k < asked.size(); ++k) {
      const double share = 0.9 / static_cast<double>(asked.size()), from = 0.1 + share * static_cast<double>(k);
      Progress running = progress_.part(from, from + share, asked[k].first);
      out.push_back(look(asked[k].first, asked[k].second, area, running));
      out.back().own = k == 0;
      if (done) done(out.back());
    }
    std::stable_sort(out.begin(), out.end(), betterWay);
    return out;
  }

private:
  std::vector<std::pair<std::string, Step>> candidates(const JobResult& known, const PlacedStep& placed, double area) {
    const Part& part = *known.part;
    const Finishing& f = *step_.finishing();
    const Vec3& up = placed.step.axis;
    const std::vector<Mat3> metric = cuspMetric(part, makeProfile(job_.cutter(step_.cutter)),
                                                {*step_.promises.cusp, up, {f.follow, f.lead, f.tilt}, f.allowance}, progress_);
    // Angles of a step are told in its clamping's frame.
    Vec3 e1, e2;
    frameAround(up, e1, e2);
    const double turn = std::atan2(placed.region.x.dot(e2), placed.region.x.dot(e1));
    double best = std::fmod(shortestDirection(part.mesh, ground_, metric, up) - turn, kPi);
    if (best < -1e-9) best += kPi;
    std::vector<std::pair<std::string, Step>> out{{"as it is: " + std::string(kindOf(step_).id), step_}};
    ParallelPasses parallel;
    parallel.angle = best;
    const auto* own = step_.as<ParallelPasses>();
    if (own && std::abs(std::sin(own->angle - best)) < 1e-6)
      out.front().first = "as it is: parallel passes at " + degreesText(best);
    else
      out.emplace_back("parallel passes at " + degreesText(best), with(step_, parallel));
    std::vector<double> slopes, areas;
    double steep = 0;
    TwoLayFinish two;
    for (std::size_t t = 0; t < ground_.size(); ++t)
      if (ground_[t]) slopes.push_back(angleBetween(part.mesh.facetNormal(t), up)), areas.push_back(part.mesh.facetArea(t));
    if (const TwoLays lays = twoLays(slopes, areas); lays.angle > 0) two.split = std::round(degrees(lays.angle)) * kPi / 180;
    for (std::size_t k = 0; k < slopes.size(); ++k) steep += slopes[k] > two.split ? areas[k] : 0;
    if (!f.follow && steep > kSteep * area && steep < (1 - kSteep) * area) {
      two.angle = best;
      out.emplace_back("level passes from " + degreesText(two.split) + ", parallel ones below", with(step_, two));
    }
    out.emplace_back("passes of even cusp from the border", with(step_, ConstantCuspPasses()));
    out.emplace_back("passes of even spacing from the border", with(step_, ConstantSpacingPasses()));
    for (const bool alongV : {false, true}) {
      FlowPasses flow;
      flow.alongV = alongV;
      if (flows(known, placed, flow))
        out.emplace_back(alongV ? "passes along v of the faces" : "passes along u of the faces", with(step_, flow));
    }
    // A rail on the border touches the ground, too.
    std::vector<char> touched(part.mesh.points.size(), 0);
    for (std::size_t t = 0; t < ground_.size(); ++t)
      for (const int p : part.mesh.triangles[t]) touched[static_cast<std::size_t>(p)] |= ground_[t];
    const auto touches = [&](int facet) {
      const auto& corners = part.mesh.triangles[static_cast<std::size_t>(facet)];
      return std::any_of(corners.begin(), corners.end(), [&](int p) { return touched[static_cast<std::size_t>(p)]; });
    };
    std::size_t rails = 0;
    for (const Rail& r : job_.rails) {
      std::size_t on = 0;
      for (const Mark& m : r.marks) {
        const Nearest n = closestPoint(*part.tree, m.at, kNear);
        on += n.triangle >= 0 && touches(n.triangle);
      }
      if (static_cast<double>(on) < kOnGround * static_cast<double>(r.marks.size()) || rails == kRails) continue;
      ++rails;
      ConstantCuspPasses from;
      from.from.rails = {r.name};
      out.emplace_back((r.isPlace() ? "passes of even cusp from place " : "passes of even cusp from rail ") + r.name, with(step_, from));
    }
    return out;
  }

  /// Do the lines of the ground's faces go on in each other?
  bool flows(const JobResult& known, const PlacedStep& placed, const FlowPasses& passes) {
    std::set<int> faces;
    for (std::size_t t = 0; t < ground_.size(); ++t)
      if (ground_[t]) faces.insert(known.part->mesh.patch[t]);
    if (!known.part->exact || faces.size() > kFewFaces) return false;
    const Finishing& f = *step_.finishing();
    const Cutter& cutter = job_.cutter(step_.cutter);
    try {
      findField({known.part,
                 ground_,
                 cutter,
                 layOf(passes, askFor(placed.step.axis, f, cutter, job_)),
                 *step_.promises.cusp,
                 placed.step.axis,
                 {f.follow, f.lead, f.tilt},
                 f.allowance,
                 0,
                 {}},
                progress_);
      return true;
    } catch (const Error&) { // a pattern that is not there is not offered
      return false;
    }
  }

  /// Planned and measured with passes farther apart: lengths grow back by as much.
  FinishWay look(const std::string& name, const Step& step, double area, Progress& progress) {
    FinishWay way;
    way.name = name, way.step = step;
    Job job = job_;
    Step& coarse = job.steps.front();
    coarse = step;
    coarse.promises = {};
    coarse.promises.cusp = std::min(*step.promises.cusp * coarser_ * coarser_, 0.2 * job_.cutter(step.cutter).diameter);
    coarse.finishing()->chord *= coarser_ * coarser_;
    way.coarser = std::sqrt(*coarse.promises.cusp / *step.promises.cusp);
    try {
      const JobResult result = evaluator_.evaluate(job, path_, progress);
      measure(*result.steps.front(), area, way);
      way.planned = result.steps.front()->planned;
    } catch (const Error& e) {
      way.failure = e.what();
    }
    return way;
  }

  static void measure(const StepResult& r, double area, FinishWay& way) {
    const auto& l = r.planned->path.locations;
    double path = 0, links = 0;
    std::size_t pieces = 0, turns = 0;
    for (std::size_t i = 1; i < l.size(); ++i) {
      const Vec3 move = l[i].tip - l[i - 1].tip;
      if (l[i].motion != Motion::Cut) {
        links += move.norm();
        pieces += l[i].motion == Motion::LeadIn;
        continue;
      }
      path += (l[i].contact - l[i - 1].contact).norm();
      if (i + 1 == l.size() || l[i + 1].motion != Motion::Cut) continue;
      const Vec3 next = l[i + 1].tip - l[i].tip;
      turns += move.norm() > 1e-9 && next.norm() > 1e-9 && angleBetween(move.normalized(), next.normalized()) > kTurn;
    }
    way.path = path * way.coarser, way.links = links * way.coarser, way.time = r.time->timing.total * way.coarser;
    way.pieces = static_cast<std::size_t>(static_cast<double>(pieces) * way.coarser);
    way.turns = static_cast<std::size_t>(static_cast<double>(turns) * way.coarser);
    way.share = r.efficiency;
    way.over = r.surface && area > 0 ? r.surface->areaOverCusp / area : 0;
  }

  Job job_;
  const std::string& path_;
  Evaluator& evaluator_;
  Progress& progress_;
  Step step_;
  std::vector<char> ground_;
  double coarser_ = 1;
};

} // namespace

double shortestDirection(const Mesh& mesh, const std::vector<char>& region, const std::vector<Mat3>& metric, const Vec3& up) {
  assert(region.size() == mesh.triangles.size() && metric.size() == region.size() && isUnit(up));
  Vec3 e1, e2;
  frameAround(up, e1, e2);
  double best = 0, shortest = kInfinity;
  for (int k = 0; k < kDirections; ++k) {
    const double angle = k * kPi / kDirections;
    const Vec3 across = -std::sin(angle) * e1 + std::cos(angle) * e2;
    // Of each facet: where it lies across the passes, how much of their length a unit of the field is there, how far apart they may lie.
    struct Share {
      double at, length, apart;
    };
    std::vector<Share> pieces;
    double low = kInfinity, high = -kInfinity;
    for (std::size_t t = 0; t < region.size(); ++t) {
      if (!region[t]) continue;
      const Vec3 n = mesh.facetNormal(t), g = across - across.dot(n) * n;
      const double grows = g.norm();
      if (!(grows > 1e-6)) continue;
      const double at = across.dot(mesh.corner(t, 0) + mesh.corner(t, 1) + mesh.corner(t, 2)) / 3, apart = stepOf(metric[t], n, g);
      pieces.push_back({at, grows * mesh.facetArea(t), apart});
      low = std::min(low, at), high = std::max(high, at);
    }
    if (pieces.empty()) continue;
    // Strips a few passes wide: the tightest ground of each decides.
    std::sort(pieces.begin(), pieces.end(), [](const Share& a, const Share& b) { return a.at < b.at; });
    const double strip = std::max((high - low) / 200, 1e-6);
    double length = 0;
    for (std::size_t i = 0, j = 0; i < pieces.size(); i = j) {
      std::vector<std::pair<double, double>> apart;
      double all = 0;
      for (; j < pieces.size() && pieces[j].at <= pieces[i].at + strip; ++j)
        apart.emplace_back(pieces[j].apart, pieces[j].length), all += pieces[j].length;
      length += all / widestStep(std::move(apart));
    }
    if (length < 0.999 * shortest) shortest = length, best = angle;
  }
  return best;
}

std::vector<FinishWay> proposeFinish(const Job& job, const std::string& jobPath, std::size_t index, Evaluator& evaluator,
                                     Progress& progress, const WayDone& done) {
  return Chooser(job, jobPath, index, evaluator, progress).ways(done);
}

bool betterWay(const FinishWay& a, const FinishWay& b) {
  const auto rank = [](const FinishWay& w) { return !w.failure.empty() ? 2 : w.over > 0 ? 1 : 0; };
  return rank(a) != rank(b) ? rank(a) < rank(b) : a.time < b.time;
}

std::string coarsenessText(const FinishWay& way) {
  if (!(way.coarser > 1)) return {};
  return fmt::format(
      "planned with passes {:.1f} times as far apart and told for the promised cusp: lengths to some 10 %, counts as an order",
      way.coarser);
}

std::vector<std::string> finishText(const std::vector<FinishWay>& ways, LengthUnit unit) {
  std::vector<std::string> out;
  // Letters, not bytes: what begins no letter does not count.
  const auto letters = [](const std::string& text) {
    return static_cast<std::size_t>(std::count_if(text.begin(), text.end(), [](char c) { return (c & 0xC0) != 0x80; }));
  };
  const bool inch = unit == LengthUnit::Inch;
  const auto length = [&](double mm) { return inch ? mm / kInch : mm / 1000; };
  std::size_t wide = letters("pattern");
  for (const FinishWay& w : ways) wide = std::max(wide, letters(w.name));
  out.push_back(fmt::format("   {:<{}}  {:>8}  {:>8}  {:>11}  {:>8}  {:>6}  {:>5}  {:>6}", "pattern", wide, inch ? "path in" : "path m",
                            inch ? "ways in" : "ways m", "time", "of least", "pieces", "turns", "over"));
  for (std::size_t k = 0; k < ways.size(); ++k) {
    const FinishWay& w = ways[k];
    out.push_back(w.failure.empty()
                      ? fmt::format("{}. {:<{}}  {:>8.3g}  {:>8.3g}  {:>11}  {:>6.0f} %  {:>6}  {:>5}  {:>4.2g} %", k + 1, w.name, wide,
                                    length(w.path), length(w.links), formatDuration(w.time), 100 * w.share, w.pieces, w.turns, 100 * w.over)
                      : fmt::format("{}. {:<{}}  {}", k + 1, w.name, wide, w.failure));
  }
  if (!ways.empty())
    if (const std::string coarse = coarsenessText(ways.front()); !coarse.empty()) out.push_back(coarse);
  return out;
}

} // namespace hemline
