#include "proof/clearance.h"
#include "base/threads.h"
#include "base/units.h"
#include "proof/motions.h"
#include "proof/moving_body.h"
#include <fmt/format.h>

namespace hemline {
namespace {

constexpr std::size_t kRun = 512;     // moves that are first tried as one motion
constexpr std::size_t kBatch = 16;    // runs that are looked at between two looks at the least clearance so far
constexpr double kRound = kPi - 1e-3; // radians: such a turn has no way of its own
constexpr double kWhole = 2;          // mm of travel up to which a move is looked at whole
constexpr double kWide = 40;          // mm: moves that get no farther from one pose, or one straight move, are first looked at together
constexpr double kLong = 64;          // mm: no straight move is looked at whole that is longer

struct Found {
  double least = kInfinity, certified = kInfinity; // raw distances; certified: with margins off
  Vec3 at = Vec3::Zero();
  std::string pair;
  std::vector<ClearanceFinding> bad;
  std::size_t unproven = 0;
};

/// Some moves of one path against one obstacle.
struct Run {
  const Path* path;
  const std::vector<std::size_t>* moveOf; // other ways: the move they stand for
  const Obstacle* obstacle;
  std::size_t first, last;
  double low = 0; // certified, cheaply
};

class Prover {
public:
  Prover(const Assembly& a, const ClearanceOptions& options)
      : options_(options), bodies_(a.bodies, nullptr, a.reach), whole_(a.bodies, &a.profile, a.reach) {}

  double margin(const Obstacle& o) const { return options_.uncertainty + (o.isPart ? options_.facetError : 0); }
  double wanted(const Obstacle& o, bool cutter) const { return std::max(1e-6, (cutter ? options_.rapidGap : options_.wanted) + margin(o)); }
  /// First look: the pose in the middle, and what that says of all.
  void look(Run& run, Found& out) const {
    const Motions motions{*run.path, bodies_.reach()};
    PoseOf pose;
    motions.middle(run.first, run.last, pose.tip, pose.axis);
    const auto d = bodies_.distance(*run.obstacle->tree, pose, pose, 1e9, kExact * options_.spacing);
    take(d, run, out);
    run.low = d.low - motions.radius(pose.tip, pose.axis, run.first, run.last);
    if (run.first == 1) inside(run, 0, out);
  }
  /// All moves of the run; nothing nearer than `least` is known so far.
  Found prove(const Run& run, double least, Progress& progress) const {
    Found out;
    out.least = least;
    const auto& l = run.path->locations;
    for (std::size_t i = run.first; i < run.last;) {
      std::size_t j = i + 1;
      const bool rapid = l[i].motion == Motion::Rapid;
      while (j < run.last && (l[j].motion == Motion::Rapid) == rapid && run.path->knowsWayTo(j)) ++j;
      if (!run.path->knowsWayTo(i)) {
        inside(run, i++, out);
        continue;
      }
      moves(run, i, j, rapid, out, progress);
      if (options_.verdictOnly && out.unproven > 0) break;
      i = j;
    }
    return out;
  }

private:
  static constexpr double kExact = 0.3; // of the spacing: what one move is resolved to
  static constexpr double kBent = 0.25; // of the spacing: what a turning move may leave its hull by

  std::size_t numberOf(const Run& run, std::size_t move) const { return run.moveOf ? (*run.moveOf)[move] : move; }
  static void take(const MovingBody::Distance& d, const Run& run, Found& out) {
    if (!(d.high < out.least)) return;
    out.least = d.high, out.at = d.at;
    out.pair = fmt::format("{} against {}", bodyName(d.kind), run.obstacle->name);
  }
  /// Nothing below this matters any more: neither to the promise nor to the least clearance.
  double enough(const Run& run, const Found& out) const {
    if (options_.verdictOnly) return wanted(*run.obstacle, false);
    return std::max(wanted(*run.obstacle, false), out.least - 0.2 * options_.spacing);
  }

  /// A pose right inside an obstacle meets none of its facets.
  void inside(const Run& run, std::size_t location, Found& out) const {
    if (!run.obstacle->closed) return;
    const Location& pose = run.path->locations[location];
    const RayHit hit = castRay(*run.obstacle->tree, pose.tip + 0.5 * bodies_.reach() * pose.axis, pose.axis);
    if (!hit.hit || run.obstacle->tree->mesh->facetNormal(static_cast<std::size_t>(hit.triangle)).dot(pose.axis) <= 1e-9) return;
    ++out.unproven;
    out.least = std::min(out.least, -1e-6), out.certified = -bodies_.thickness() - margin(*run.obstacle), out.at = pose.tip;
    out.pair = "assembly within " + run.obstacle->name;
    out.bad.push_back({out.pair, numberOf(run, location), pose.tip, -1e-6});
  }

  /// What some moves are looked at as: one move from a to b, which none of them leaves by more than `off`. What it comes within of
  /// an obstacle, they come within of by no more than `met` further.
  struct Look {
    PoseOf a, b;
    double off = 0, met = 0; ///< mm
  };
  Look lookAt(const Run& run, std::size_t first, std::size_t last) const {
    const auto& l = run.path->locations;
    Look out;
    if (std::all_of(l.begin() + static_cast<std::ptrdiff_t>(first), l.begin() + static_cast<std::ptrdiff_t>(last),
                    [&](const Location& x) { return x.axis == l[first - 1].axis; })) {
      // The axis stands: the straight way from end to end. The moves pass beside each place of it, so that both differ by `off` at most.
      out.a = {l[first - 1].tip, l[first - 1].axis}, out.b = {l[last - 1].tip, l[last - 1].axis};
      for (std::size_t i = first; i + 1 < last; ++i) {
        Vec3 on, same;
        out.off = std::max(out.off, distanceSegments(l[i].tip, l[i].tip, out.a.tip, out.b.tip, same, on));
      }
      out.met = out.off;
    } else { // a pose in their middle
      const Motions motions{*run.path, bodies_.reach()};
      motions.middle(first, last, out.a.tip, out.a.axis);
      out.b = out.a, out.off = motions.radius(out.a.tip, out.a.axis, first, last);
    }
    return out;
  }

  void moves(const Run& run, std::size_t first, std::size_t last, bool rapid, Found& out, Progress& progress) const {
    progress.check();
    const auto& l = run.path->locations;
    if (last - first == 1) {
      const PoseOf a{l[first - 1].tip, l[first - 1].axis}, b{l[first].tip, l[first].axis};
      if (angleBetween(a.axis, b.axis) > kRound) {
        ++out.unproven;
        if (out.bad.size() < 20)
          out.bad.push_back({"the axis turns right round in one move, nobody knows which way", numberOf(run, first), b.tip, 0});
        return;
      }
      if (!piece(run, a, b, false, first, out, progress)) ++out.unproven;
      if (rapid && !piece(run, a, b, true, first, out, progress)) ++out.unproven;
      return;
    }
    const Look look = lookAt(run, first, last);
    // A long run is not worth one wide look: the answer must reach beyond the whole run.
    if (look.off < kWide && (look.b.tip - look.a.tip).norm() < kLong) {
      const double need = enough(run, out) + look.off;
      auto d = bodies_.distance(*run.obstacle->tree, look.a, look.b, need, kExact * options_.spacing);
      bool clear = d.low >= need;
      if (clear && rapid) {
        const double w = wanted(*run.obstacle, true) + look.off;
        clear = whole_.distance(*run.obstacle->tree, look.a, look.b, w, kExact * options_.spacing).low >= w;
      }
      if (clear) {
        out.certified = std::min(out.certified, d.low - look.off - margin(*run.obstacle));
        return;
      }
      d.high += look.met;
      take(d, run, out);
    }
    const std::size_t m = (first + last) / 2;
    moves(run, first, m, rapid, out, progress);
    if (options_.verdictOnly && out.unproven > 0) return;
    moves(run, m, last, rapid, out, progress);
  }

  /// One move, or a part of it. Cutter: the whole assembly on a rapid, of which only the wanted distance is asked.
  bool piece(const Run& run, const PoseOf& a, const PoseOf& b, bool cutter, std::size_t move, Found& out, Progress& progress) const {
    progress.check();
    const MovingBody& body = cutter ? whole_ : bodies_;
    const MeshTree& mesh = *run.obstacle->tree;
    const double least = wanted(*run.obstacle, cutter), need = cutter ? least : enough(run, out), off = margin(*run.obstacle);
    const double r = body.travel(a, b), fine = kExact * options_.spacing;
    const auto notClear = [&](const MovingBody::Distance& d) {
      if (out.bad.size() < 20)
        out.bad.push_back({fmt::format("{}{} against {}", cutter ? "rapid: " : "", bodyName(d.kind), run.obstacle->name),
                           numberOf(run, move), d.at, d.high});
      return false;
    };
    const double bend = body.bend(a, b);
    if (r <= (bend > 0 ? kWhole : 0.5 * kLong) && bend <= kBent * options_.spacing) {
      MovingBody::Distance d = body.distance(mesh, a, b, need, fine);
      if (r <= kWhole || d.low > 0) { // of a long one that goes in it is looked for where
        if (d.low <= 0) deepen(body, mesh, a, b, d);
        if (!cutter) {
          out.certified = std::min(out.certified, (d.low <= 0 ? -body.thickness() : d.low) - off);
          if (d.low < need) take(d, run, out);
        }
        return d.low >= least || notClear(d);
      }
    }
    const PoseOf middle{0.5 * (a.tip + b.tip), slerp(a.axis, b.axis, 0.5)};
    MovingBody::Distance d = body.distance(mesh, middle, middle, need + r, fine);
    if (d.low >= need + r) {
      if (!cutter) out.certified = std::min(out.certified, d.low - r - off);
      return true;
    }
    if (d.low <= 0) { // it is in the way: how far it goes in elsewhere on this move is not looked for
      deepen(body, mesh, middle, middle, d);
      if (!cutter) out.certified = std::min(out.certified, -body.thickness() - off), take(d, run, out);
      return notClear(d);
    }
    if (!cutter && d.low < need) take(d, run, out);
    const bool left = piece(run, a, middle, cutter, move, out, progress);
    if (!left && (cutter || options_.verdictOnly)) return false;
    return piece(run, middle, b, cutter, move, out, progress) && left;
  }
  /// Bodies that overlap: by how much, as corners of facets tell.
  static void deepen(const MovingBody& body, const MeshTree& mesh, const PoseOf& a, const PoseOf& b, MovingBody::Distance& d) {
    Vec3 at;
    int kind = 0;
    const PoseOf middle{0.5 * (a.tip + b.tip), slerp(a.axis, b.axis, 0.5)};
    const double depth = body.depth(mesh, middle, at, kind);
    if (depth < d.high) d.high = depth, d.at = at, d.kind = kind;
    d.low = std::min(d.low, d.high);
  }

  const ClearanceOptions& options_;
  MovingBody bodies_, whole_;
};

void addFinding(ClearanceResult& out, const ClearanceFinding& f) {
  std::size_t same = 0;
  for (const auto& g : out.notClear) same += g.what == f.what;
  if (same < 5 && out.notClear.size() < 20) out.notClear.push_back(f);
}

void merge(const Found& f, ClearanceResult& out) {
  if (f.least < out.least.value) out.least.value = f.least, out.least.at = f.at, out.pair = f.pair;
  out.least.bound = std::min(out.least.bound, f.certified);
  out.unproven += f.unproven;
  for (const auto& b : f.bad) {
    if (b.distance <= 0) out.collision = true;
    addFinding(out, b);
  }
}

} // namespace

ClearanceResult proveClearance(const Assembly& assembly, const Path& path, const OtherWays& ways, const std::vector<Obstacle>& obstacles,
                               const ClearanceOptions& options, Progress& progress) {
  assert(options.wanted >= 0 && options.uncertainty >= 0 && options.spacing > 0);
  assert(ways.move.size() == ways.path.locations.size());
  ClearanceResult out;
  out.least.value = out.least.bound = kInfinity;
  out.least.known = true;
  const Prover prover(assembly, options);
  std::vector<Run> runs;
  for (const Obstacle& o : obstacles)
    for (const Path* p : {&path, &ways.path})
      for (std::size_t i = 1; i < p->locations.size(); i += kRun)
        runs.push_back({p, p == &path ? nullptr : &ways.move, &o, i, std::min(i + kRun, p->locations.size())});
  // First all runs from afar, then those that may hold the least clearance; what is found in one batch spares the next.
  std::vector<Found> found(runs.size());
  parallelChunks(runs.size(), 1, [&](std::size_t first, std::size_t last) {
    for (std::size_t i = first; i < last; ++i) {
      progress.check();
      prover.look(runs[i], found[i]);
    }
  });
  for (const Found& f : found) merge(f, out);
  std::vector<std::size_t> order(runs.size());
  for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
  std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return runs[a].low < runs[b].low; });
  for (std::size_t batch = 0; batch < order.size(); batch += kBatch) {
    const std::size_t n = std::min(kBatch, order.size() - batch);
    parallelChunks(n, 1, [&](std::size_t first, std::size_t last) {
      for (std::size_t i = first; i < last; ++i) found[order[batch + i]] = prover.prove(runs[order[batch + i]], out.least.value, progress);
    });
    for (std::size_t i = 0; i < n; ++i) merge(found[order[batch + i]], out);
    if (options.verdictOnly && out.unproven > 0) break;
    progress.report(double(batch + n) / double(order.size()), "clearance");
  }
  std::stable_sort(out.notClear.begin(), out.notClear.end(),
                   [](const ClearanceFinding& a, const ClearanceFinding& b) { return a.location < b.location; });
  out.notModelled = {"clamps that are not in the job", "the machine's cradle and covers", "chips and coolant hoses",
                     "how axes gather speed on dog-legged rapids"};
  if (std::none_of(assembly.bodies.begin(), assembly.bodies.end(), [](const Body& b) { return b.kind == 4; }))
    out.notModelled.emplace_back("spindle nose");
  if (std::none_of(obstacles.begin(), obstacles.end(), [](const Obstacle& o) { return o.name == "machine table"; }))
    out.notModelled.emplace_back("machine table");
  return out;
}

std::vector<double> clearanceAt(const Assembly& assembly, const Path& path, const std::vector<std::size_t>& locations,
                                const std::vector<Obstacle>& obstacles, double most, Progress& progress) {
  assert(std::all_of(locations.begin(), locations.end(), [&](std::size_t l) { return l < path.locations.size(); }));
  const MovingBody bodies(assembly.bodies, nullptr, assembly.reach);
  std::vector<double> out(locations.size(), most);
  parallelChunks(locations.size(), 64, [&](std::size_t first, std::size_t last) {
    progress.check();
    for (std::size_t i = first; i < last; ++i) {
      const Location& l = path.locations[locations[i]];
      const PoseOf pose{l.tip, l.axis};
      for (const Obstacle& o : obstacles) out[i] = std::min(out[i], bodies.distance(*o.tree, pose, pose, out[i], 1e-3).low);
    }
  });
  return out;
}

} // namespace hemline
