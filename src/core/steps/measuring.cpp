#include "steps/measuring.h"
#include "finishing/cusp_metric.h"
#include "proof/gouge.h"
#include "study/reach.h"
#include "surface/mesh_field.h"
#include <fmt/format.h>

namespace hemline {
namespace {

constexpr std::size_t kStepPlaces = 5000; // at which it is asked what a step can touch
constexpr int kTraced = 800;              // places at which the clearance is told along a step
constexpr double kThinSkin = 1;           // mm: what hangs by less may tear or shiver
constexpr double kBorderGrain = 0.1;      // of the spacing: to which the border of ground is known that a field bounds
constexpr double kFinestGrain = 0.02;     // mm; the spacing of cutters with flat ends is not known before they are planned
constexpr double kFlat = 1e-6;            // 1/mm: fields that grow by less are level
constexpr double kRapidSpread = 1e-3;     // mm to which turning rapids become moves

SurfaceProofOptions optionsOf(const SurfacePromises& p, const SurfaceAid& aid) {
  SurfaceProofOptions o;
  o.allowance = p.allowance, o.cusp = p.cusp, o.gouge = p.gouge, o.rest = p.rest, o.coarse = aid.coarse;
  return o;
}

std::vector<std::shared_ptr<const Part>> bodiesOf(const std::vector<Standing>& standing) {
  std::vector<std::shared_ptr<const Part>> out;
  for (const Standing& s : standing) out.push_back(s.body);
  return out;
}

Key keyAfter(const StockState& stock, const Cutter& cutter, const Ref<Path>& path) {
  return contentKey(std::string("stock after"), stock, cutter, path);
}

AssemblyReach reach(const ReachIn& in, NoAid&, Progress& progress) {
  return reachWith(*in.part, Sight(in.part->mesh), spreadPlaces(*in.part, kStepPlaces), in.mounted.assembly(), in.axis, in.lean, in.dip,
                   in.ground, progress);
}

/// What is kept of an earlier measuring may lie higher than what would be found anew: so that a result is of its input alone, one whose
/// earlier ones were found on disk begins with them again.
SurfaceProof measureInTurn(const SurfaceIn& in, const Profile& profile, const Placing& dense, const SurfaceProofOptions& o, SurfaceAid& aid,
                           Progress& progress) {
  std::vector<Ref<Path>> turns = in.earlier;
  turns.push_back(in.path);
  const bool begun = aid.measured.size() < turns.size() && std::equal(aid.measured.begin(), aid.measured.end(), turns.begin(),
                                                                      [](const auto& a, const auto& b) { return a.key == b.key; });
  if (!begun) aid.record = {}, aid.measured.clear();
  SurfaceProof proof;
  while (aid.measured.size() < turns.size()) {
    const Ref<Path>& now = turns[aid.measured.size()];
    const Sweep sweep(profile, *now), changed(profile, changedMoves(aid.measured.empty() ? Path{} : *aid.measured.back(), *now));
    proof = proveSurface(*in.part, in.ground, sweep, &dense, o, aid.record, &changed, progress);
    aid.measured.push_back(now);
  }
  return proof;
}

SurfaceProof measureSurface(const SurfaceIn& in, SurfaceAid& aid, Progress& progress) {
  const Profile profile = makeProfile(in.cutter);
  const auto field = fieldOf(in.laid, in.part);
  const double fillet = in.fillet > profile.ballRadius() ? in.fillet : 0; // a ball that was set larger leaves more than they by itself
  const Placing dense(*in.part, profile, in.axis, in.tilt, in.promised.allowance, field.get(), fillet);
  SurfaceProofOptions o = optionsOf(in.promised, aid);
  FineMesh fine;
  if (in.laid.found && !in.laid.found->within.empty()) {
    fine = meshForFields(in.part, in.laid.found->cuts);
    o.grain = std::max(kBorderGrain * in.spacing, kFinestGrain);
    o.inside = [&](std::size_t t, const Vec3& place) {
      const MeshField within{&fine.part->mesh, &in.laid.found->within, nullptr,
                             nullptr,          &in.part->mesh,         fine.parent.empty() ? nullptr : &fine};
      const SurfacePoint at = pointOver(in.part->mesh, static_cast<int>(t), place);
      // By how it grows there: what the field counts in says nothing of millimetres.
      return within.value(at, {}) / std::max(within.gradient(at).norm(), kFlat);
    };
  }
  SurfaceProof proof = measureInTurn(in, profile, dense, o, aid, progress);
  if (in.cuspForLength) {
    proof.contactLengthBound =
        leastContactLength(in.part->mesh, in.ground,
                           cuspMetric(*in.part, profile, {*in.cuspForLength, in.axis, in.tilt, in.promised.allowance, fillet}, progress));
    // Of facets that are ground in part their share counts.
    if (o.inside) proof.contactLengthBound *= proof.areaRegion / std::max(proof.areaRegion + proof.areaNotJudged, 1e-9);
  }
  return proof;
}

LayerMet layer(const LayerIn& in, NoAid&, Progress& progress) {
  return layerMet(*in.path, in.allowance, sweepsOf(in.earlier), in.promised, progress);
}

SurfaceProof elsewhere(const ElsewhereIn& in, NoAid&, Progress& progress) {
  SurfaceProof proof = *in.surface;
  addGougeElsewhere(proof, *in.part, makeProfile(in.cutter), *in.path, in.allowance, in.gouge, progress);
  return proof;
}

GivenProof measureGiven(const GivenSurfaceIn& in, SurfaceAid& aid, Progress& progress) {
  return measureGivenPath(*in.part, makeProfile(in.cutter), *in.path, in.deviation, optionsOf(in.promised, aid), in.name, progress);
}

Measured gouge(const GougeIn& in, NoAid&, Progress& progress) {
  Measured m = proveGouge(*in.part, makeProfile(in.cutter), *in.path, {in.keep, in.promise}, progress);
  m.bound += in.deviation;
  return m;
}

Path asSet(const PathAsSetIn& in, NoAid&, Progress&) {
  return pathAsSet(in.plan->path, in.set);
}

InTime timed(const TimeIn& in, NoAid&, Progress&) {
  InTime t;
  const Path run = pathInto(in.plan->path, in.frame);
  t.joints = in.plan->joints.empty() ? solveJoints(in.machine, run) : judgeJoints(in.machine, in.plan->joints);
  t.timing = planTime(in.machine, run, t.joints);
  return t;
}

InTime timedWithFeeds(const TimeWithFeedsIn& in, NoAid&, Progress&) {
  InTime t = *in.time;
  t.timing = planTime(in.machine, pathInto(in.plan->path, in.frame), t.joints);
  return t;
}

OtherWays ways(const WaysIn& in, NoAid&, Progress&) {
  const Path run = pathInto(in.plan->path, in.frame);
  OtherWays w = otherRapidWays(in.machine, run, in.time->joints.joints, in.reach, kRapidSpread);
  w.path = pathAsSet(pathOut(w.path, in.frame), in.set);
  return w;
}

ClearanceResult clearance(const ClearanceIn& in, NoAid&, Progress& progress) {
  return proveClearance(in.mounted.assembly(), *in.path, *in.ways, in.scene.obstacles(), in.clear, progress);
}

ClearanceTrace trace(const TraceIn& in, NoAid&, Progress& progress) {
  ClearanceTrace t;
  const auto& at = in.time->timing.at;
  for (int k = 0; k <= kTraced && !at.empty(); ++k) {
    const auto place = static_cast<std::size_t>(std::lower_bound(at.begin(), at.end(), at.back() * k / kTraced) - at.begin());
    if (t.location.empty() || place > t.location.back()) t.location.push_back(std::min(place, at.size() - 1));
  }
  t.distance = clearanceAt(in.mounted.assembly(), *in.path, t.location, in.scene.obstacles(), ClearanceTrace::kMost, progress);
  return t;
}

CutResult cut(const CutIn& in, NoAid&, Progress& progress) {
  CutResult c;
  Stock s = in.stock->stock;
  c.report = cutAndProve(s, in.mounted.assembly(), *in.path, *in.ways, in.engaged, in.clear, progress);
  const std::size_t own = s.memoryBeside(in.stock->stock);
  c.after = std::make_shared<StockState>(StockState{std::move(s), keyAfter(*in.stock, in.mounted.cutter, in.path), own});
  return c;
}

StockState stockAfter(const StockAfterIn& in, NoAid&, Progress& progress) {
  StockState state{in.stock->stock, keyAfter(*in.stock, in.cutter, in.path), 0};
  state.stock.cut(makeProfile(in.cutter), *in.path, 1, in.path->locations.size(), &progress);
  state.own = state.stock.memoryBeside(in.stock->stock);
  return state;
}

Holding grip(const GripIn& in, NoAid&, Progress&) {
  return measureGrip(in.stock->stock, in.fixtures, bodiesOf(in.bodies), in.frame);
}

Hanging hanging(const PiecesIn& in, NoAid&, Progress&) {
  return hangingPieces(in.stock->stock, bodiesOf(in.bodies), kThinSkin);
}

std::vector<StockPiece> loose(const PiecesIn& in, NoAid&, Progress&) {
  return loosePieces(in.stock->stock, bodiesOf(in.bodies));
}

Effort effort(const EffortIn& in, NoAid&, Progress&) {
  return effortOf(*in.path, in.cut->report, in.mounted.assembly(), in.rpm, in.material, in.before->stock, in.cut->after->stock, in.frame,
                  *in.grip, in.tailstock);
}

FeedPlan feeds(const FeedsIn& in, NoAid&, Progress&) {
  FeedPlan f = planFeeds(*in.path, in.cut->report, *in.effort, in.mounted.assembly(), in.rpm, in.material, in.limits);
  f.time = planTime(in.machine, pathInto(withFeeds(*in.plan, f).path, in.frame), in.time->joints).total;
  return f;
}

Planned fed(const WithFeedsIn& in, NoAid&, Progress&) {
  return withFeeds(*in.plan, *in.feeds);
}

} // namespace

Planned withFeeds(const Planned& plan, const FeedPlan& f) {
  Planned p = plan;
  for (std::size_t k = 0; k < p.path.locations.size(); ++k) p.path.locations[k].feed = f.feed[k];
  p.summary += fmt::format("; feeds follow the load, {:.0f} to {:.0f} %", 100 * f.slowest, 100 * f.fastest);
  return p;
}

const Node<ReachIn, AssemblyReach> kReach{"touched", 1, reach};
const Node<SurfaceIn, SurfaceProof, SurfaceAid> kSurface{"surface", 5, measureSurface};
const Node<LayerIn, LayerMet> kLayer{"layer", 1, layer};
const Node<ElsewhereIn, SurfaceProof> kElsewhere{"surface and elsewhere", 2, elsewhere};
const Node<GivenSurfaceIn, GivenProof, SurfaceAid> kGivenSurface{"surface of given", 2, measureGiven};
const Node<GougeIn, Measured> kGouge{"gouge", 1, gouge};
const Node<PathAsSetIn, Path> kPathAsSet{"path as set", 1, asSet, false, false};
const Node<TimeIn, InTime> kTime{"time", 1, timed};
const Node<WaysIn, OtherWays> kWays{"rapid ways", 1, ways};
const Node<ClearanceIn, ClearanceResult> kClearance{"clearance", 1, clearance};
const Node<TraceIn, ClearanceTrace> kTrace{"clearance trace", 1, trace};
const Node<CutIn, CutResult> kCut{"cut", 1, cut};
const Node<StockAfterIn, StockState> kStockAfter{"stock as meant", 1, stockAfter};
const Node<GripIn, Holding> kGrip{"grip", 1, grip, true};
const Node<PiecesIn, Hanging> kHanging{"hanging pieces", 1, hanging};
const Node<PiecesIn, std::vector<StockPiece>> kLoose{"loose pieces", 1, loose};
const Node<EffortIn, Effort> kEffort{"effort", 1, effort};
const Node<FeedsIn, FeedPlan> kFeeds{"feeds", 1, feeds};
const Node<WithFeedsIn, Planned> kWithFeeds{"with feeds", 1, fed, true, false};
const Node<TimeWithFeedsIn, InTime> kTimeWithFeeds{"time with feeds", 1, timedWithFeeds};

} // namespace hemline
