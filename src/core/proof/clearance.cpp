#include "proof/clearance.h"
#include "base/parallel.h"
#include "base/units.h"
#include "geometry/separation.h"
#include <fmt/format.h>

namespace hemline {
namespace {

constexpr double kShortest = 1e-4; // mm of travel below which an undecided piece counts as not clear
constexpr std::size_t kRun = 512;  // moves that are first tried as one motion
constexpr double kGrain = 0.01;    // mm to which a triangle's distance is resolved; the bound errs by this, on the safe side

/// Largest travel of any assembly point between two poses, by arc.
double travel(const Vec3& tipA, const Vec3& axisA, const Vec3& tipB, const Vec3& axisB, double reach) {
  return (tipA - tipB).norm() + reach * angleBetween(axisA, axisB);
}

struct Motions {
  const Path& path;
  double reach;
  /// Pose a fraction u through the moves first..last (each from location i-1 to i).
  static void middle(const Path& path, std::size_t first, std::size_t last, Vec3& tip, Vec3& axis) {
    const std::size_t m = (first + last) / 2;
    const Location& l = path.locations[m == 0 ? 0 : m - 1 < first ? first : m - 1];
    tip = l.tip, axis = l.axis;
  }
  /// Bound of travel from a pose to any pose of the moves first..last (excluded).
  double radius(const Vec3& tip, const Vec3& axis, std::size_t first, std::size_t last) const {
    double r = 0;
    // Poses on a move lie within its ends' ball: the tip is on a segment, the axis on a great circle shorter than pi.
    for (std::size_t i = first - 1; i < last; ++i) r = std::max(r, travel(tip, axis, path.locations[i].tip, path.locations[i].axis, reach));
    double bulge = 0;
    for (std::size_t i = first; i < last; ++i) {
      const double turn = angleBetween(path.locations[i - 1].axis, path.locations[i].axis);
      if (turn > 0.02) bulge = std::max(bulge, reach * turn); // spherical segments are convex only when short
    }
    return r + bulge;
  }
};

} // namespace

double clearanceToMesh(const Intruder& body, const MeshTree& mesh, const Vec3& tip, const Vec3& axis, double enough, Vec3& at, int& kind) {
  double best = enough, found = 1e300;
  const auto distance = [&](const Vec3& p, int* k) {
    const Vec3 v = p - tip;
    const double z = v.dot(axis);
    return body.distance((v - z * axis).norm(), z, k);
  };
  const auto bound = [&](const Vec3& c, const Vec3& h) { return distance(c, nullptr) - h.norm(); };
  struct Tri {
    Vec3 a, b, c;
  };
  std::vector<Tri> open;
  const auto visit = [&](int i) {
    const auto t = static_cast<std::size_t>(i);
    open.assign(1, {mesh.mesh->corner(t, 0), mesh.mesh->corner(t, 1), mesh.mesh->corner(t, 2)});
    while (!open.empty()) {
      const Tri tri = open.back();
      open.pop_back();
      const Vec3 m = (tri.a + tri.b + tri.c) / 3;
      const double r = std::sqrt(std::max({(tri.a - m).squaredNorm(), (tri.b - m).squaredNorm(), (tri.c - m).squaredNorm()}));
      int k = 0;
      const double d = distance(m, &k);
      if (d - r >= best) continue;
      if (d < enough - 2 * kGrain) { // nearer than asked for: that is all the caller needs
        found = d, at = m, kind = k;
        best = -1e300;
        return;
      }
      if (r <= kGrain) {
        best = d - r, at = m, kind = k;
        continue;
      }
      // Split the longest edge.
      const double ab = (tri.a - tri.b).squaredNorm(), bc = (tri.b - tri.c).squaredNorm(), ca = (tri.c - tri.a).squaredNorm();
      if (ab >= bc && ab >= ca) {
        const Vec3 x = 0.5 * (tri.a + tri.b);
        open.push_back({tri.a, x, tri.c});
        open.push_back({x, tri.b, tri.c});
      } else if (bc >= ca) {
        const Vec3 x = 0.5 * (tri.b + tri.c);
        open.push_back({tri.a, tri.b, x});
        open.push_back({tri.a, x, tri.c});
      } else {
        const Vec3 x = 0.5 * (tri.c + tri.a);
        open.push_back({tri.a, tri.b, x});
        open.push_back({x, tri.b, tri.c});
      }
    }
  };
  mesh.tree.minimise(bound, visit, best);
  return found < 1e299 ? found : best;
}

namespace {

/// One obstacle, proven over all moves. Results per chunk so that threads do not change them.
struct Part1 {
  double least = 1e300, certified = 1e300;
  Vec3 at = Vec3::Zero();
  std::vector<ClearanceFinding> bad;
  std::size_t unproven = 0;
};

class FixedProver {
public:
  FixedProver(const Assembly& a, const Path& p, const Obstacle& o, const ClearanceOptions& options)
      : path_(p), obstacle_(o),
        options_(options), bodies_{&a.bodies, nullptr, a.reach}, whole_{&a.bodies, &a.profile, a.reach}, motions_{p, a.reach} {}

  Part1 run(std::size_t first, std::size_t last, Progress& progress) {
    Part1 out;
    // Rapids and cutting moves ask for different bodies: split where the kind changes.
    for (std::size_t i = first; i < last;) {
      std::size_t j = i + 1;
      const bool rapid = path_.locations[i].motion == Motion::Rapid;
      while (j < last && (path_.locations[j].motion == Motion::Rapid) == rapid && path_.knowsWayTo(j)) ++j;
      if (!path_.knowsWayTo(i)) {
        // The place itself is proven with the move that leaves it.
        ++i;
        continue;
      }
      moves(i, j, rapid, out, progress);
      i = j;
    }
    return out;
  }

private:
  double margin() const { return options_.uncertainty + (obstacle_.isPart ? options_.facetError : 0); }

  void moves(std::size_t first, std::size_t last, bool rapid, Part1& out, Progress& progress) {
    progress.check();
    if (last - first == 1) {
      const Location &a = path_.locations[first - 1], &b = path_.locations[first];
      if (!piece(a.tip, a.axis, b.tip, b.axis, false, first, out, progress)) ++out.unproven;
      if (rapid && !piece(a.tip, a.axis, b.tip, b.axis, true, first, out, progress)) ++out.unproven;
      return;
    }
    Vec3 tip, axis, at;
    Motions::middle(path_, first, last, tip, axis);
    const double r = motions_.radius(tip, axis, first, last);
    int kind = 0;
    // A long run is not worth one wide look: the answer must reach beyond the whole run.
    if (r < 40) {
      const double wantedBodies = options_.wanted + margin();
      const double d = clearanceToMesh(bodies_, *obstacle_.tree, tip, axis, wantedBodies + r + 2 * kGrain, at, kind);
      const bool clear = d - r >= wantedBodies - 1e-12;
      bool rapidClear = true;
      if (clear && rapid) {
        const double w = options_.rapidGap + margin();
        rapidClear = clearanceToMesh(whole_, *obstacle_.tree, tip, axis, w + r + 2 * kGrain, at, kind) - r >= w - 1e-12;
      }
      if (clear && rapidClear) {
        out.certified = std::min(out.certified, d - r - margin());
        return;
      }
    }
    const std::size_t m = (first + last) / 2;
    moves(first, m, rapid, out, progress);
    moves(m, last, rapid, out, progress);
  }

  bool piece(const Vec3& t0, const Vec3& a0, const Vec3& t1, const Vec3& a1, bool cutter, std::size_t move, Part1& out,
             Progress& progress) {
    progress.check();
    const Vec3 tip = 0.5 * (t0 + t1), axis = slerp(a0, a1, 0.5);
    const Intruder& body = cutter ? whole_ : bodies_;
    const double wanted = (cutter ? options_.rapidGap : options_.wanted) + margin();
    const double r = 0.5 * (t0 - t1).norm() + 0.5 * motions_.reach * angleBetween(a0, a1);
    Vec3 at;
    int kind = 0;
    const double d = clearanceToMesh(body, *obstacle_.tree, tip, axis, wanted + r + 2 * kGrain, at, kind);
    if (!cutter && d < wanted + r && d < out.least) out.least = d, out.at = at;
    if (d - r >= wanted - 1e-12) {
      if (!cutter) out.certified = std::min(out.certified, d - r - margin());
      return true;
    }
    if (d < wanted || r < kShortest) {
      if (!cutter) out.certified = std::min(out.certified, d - r - margin());
      if (out.bad.size() < 20)
        out.bad.push_back({fmt::format("{}{} against {}", cutter ? "rapid: " : "", bodyName(kind), obstacle_.name), move, at, d});
      return false;
    }
    const bool left = piece(t0, a0, tip, axis, cutter, move, out, progress);
    return left && piece(tip, axis, t1, a1, cutter, move, out, progress);
  }

  const Path& path_;
  const Obstacle& obstacle_;
  const ClearanceOptions& options_;
  Intruder bodies_, whole_;
  Motions motions_;
};

void addFinding(ClearanceResult& out, const ClearanceFinding& f) {
  for (const auto& g : out.notClear)
    if (g.what == f.what && out.notClear.size() >= 5) return;
  if (out.notClear.size() < 20) out.notClear.push_back(f);
}

} // namespace

ClearanceResult proveClearance(const Assembly& assembly, const Path& path, const std::vector<Obstacle>& obstacles,
                               const ClearanceOptions& options, Progress& progress) {
  ClearanceResult out;
  out.least.value = out.least.bound = 1e300;
  out.least.known = true;
  const std::size_t n = path.locations.size();
  for (const Obstacle& o : obstacles) {
    if (n < 2) break;
    const std::size_t chunks = (n - 1 + kRun - 1) / kRun;
    std::vector<Part1> parts(chunks);
    std::atomic<std::size_t> done{0};
    parallelChunks(n - 1, kRun, [&](std::size_t first, std::size_t last) {
      parts[first / kRun] = FixedProver(assembly, path, o, options).run(first + 1, last + 1, progress);
      progress.report(double(++done) / double(chunks), "clearance to " + o.name);
    });
    for (const Part1& p : parts) {
      if (p.least < out.least.value) out.least.value = p.least, out.least.at = p.at;
      out.least.bound = std::min(out.least.bound, p.certified);
      out.unproven += p.unproven;
      for (const auto& f : p.bad) {
        if (f.distance <= 0) out.collision = true;
        addFinding(out, f);
      }
    }
  }
  if (out.least.value > 1e299) out.least.value = out.least.bound; // nothing came near enough to be looked at closely
  out.notModelled = {"spindle nose and machine", "clamps that are not in the job", "chips and coolant hoses"};
  return out;
}

namespace {

/// How far the cutter would have to rise to come out of the part: the most that is met, every 2 * grain along a move.
double depthAlong(const Part& part, const Profile& profile, const Location& a, const Location& b, double grain, Vec3& at) {
  double most = 0;
  int hint = -1;
  const int pieces = std::max(1, static_cast<int>(std::ceil((b.tip - a.tip).norm() / (2 * grain))));
  for (int k = 0; k < pieces; ++k) {
    const Touch t = touchAlong(*part.tree, profile, b.axis, a.tip + ((k + 0.5) / pieces) * (b.tip - a.tip), hint);
    hint = t.triangle;
    if (t.hit && t.height > most) most = t.height, at = t.contact;
  }
  return most;
}

} // namespace

Measured proveKeep(const Part& part, const Profile& profile, const Path& path, double keep, double grain, Progress& progress) {
  constexpr double kFine = 1e-4;  // mm to which a distance is found
  constexpr double kTouch = 1e-9; // mm: what touches is always looked at
  const std::size_t n = path.locations.size();
  struct Worst {
    double value = 0, bound = 0;
    Vec3 at = Vec3::Zero();
  };
  std::vector<Worst> worst((n + kRun - 1) / kRun);
  parallelChunks(n, kRun, [&](std::size_t first, std::size_t last) {
    Worst& w = worst[first / kRun];
    for (std::size_t i = std::max<std::size_t>(first, 1); i < last; ++i) {
      progress.check();
      const Location &a = path.locations[i - 1], &b = path.locations[i];
      if (b.motion == Motion::Rapid) continue;
      const Vec3 &axis = b.axis, way = b.tip - a.tip;
      // The body a straight move sweeps is convex, and so are a triangle and a box.
      const auto farthest = [&](const Vec3& d) -> Vec3 {
        const double up = d.dot(axis);
        const Vec3 aside = d - up * axis;
        const double side = aside.norm(), all = std::hypot(side, up);
        if (!(all > 0)) return a.tip;
        const Vec2 p = profile.support(side / all, -up / all);
        Vec3 out = (d.dot(way) > 0 ? b.tip : a.tip) + p.y() * axis;
        if (side > 0) out += p.x() / side * aside;
        return out;
      };
      const Vec3 inside = 0.5 * (a.tip + b.tip) + 0.5 * profile.length() * axis;
      // The least that is shown to be kept: what is nowhere less than the worst so far is not looked at closer.
      double low = std::max(keep - w.bound, kTouch), high = 1e300;
      const double before = low;
      Vec3 at = Vec3::Zero();
      part.tree->tree.minimise(
          [&](const Vec3& c, const Vec3& h) {
            const auto box = [&](const Vec3& d) -> DifferencePoint {
              const Vec3 on = c + Vec3(d.x() < 0 ? -h.x() : h.x(), d.y() < 0 ? -h.y() : h.y(), d.z() < 0 ? -h.z() : h.z());
              return {on - farthest(-d), on};
            };
            return separation(box, c - inside, 0.1 * keep + 0.1, low).low;
          },
          [&](int item) {
            const auto t = static_cast<std::size_t>(item);
            const std::array<Vec3, 3> corner{part.mesh.corner(t, 0), part.mesh.corner(t, 1), part.mesh.corner(t, 2)};
            const auto triangle = [&](const Vec3& d) -> DifferencePoint {
              const double s0 = corner[0].dot(d), s1 = corner[1].dot(d), s2 = corner[2].dot(d);
              const Vec3& on = corner[s0 >= s1 && s0 >= s2 ? 0 : s1 >= s2 ? 1 : 2];
              return {on - farthest(-d), on};
            };
            const Separation s = separation(triangle, corner[0] - inside, kFine, low);
            if (s.low >= low) return;
            low = s.low;
            if (s.high < high) high = s.high, at = s.onA;
          },
          low);
      if (low >= before) continue;
      double lacks = keep - high, bound = keep - low;
      if (low <= 0) { // it touches the part
        lacks = keep + depthAlong(part, profile, a, b, grain, at);
        bound = lacks + grain;
      }
      w.bound = std::max(w.bound, bound);
      if (lacks > w.value) w.value = lacks, w.at = at;
    }
    progress.report(double(last) / double(n), "distance kept from the part");
  });
  Measured out;
  out.known = true;
  for (const Worst& w : worst) {
    if (w.value > out.value) out.value = w.value, out.at = w.at;
    out.bound = std::max(out.bound, w.bound);
  }
  out.bound += part.facetError;
  return out;
}

namespace {

class StockProver {
public:
  StockProver(Stock& s, const Assembly& a, const Path& p, bool engagement, const ClearanceOptions& o, Progress& progress, CutReport& out)
      : stock_(s), assembly_(a), path_(p), engagement_(engagement), o_(o), progress_(progress),
        out_(out), bodies_{&a.bodies, nullptr, a.reach}, whole_{&a.bodies, &a.profile, a.reach}, motions_{p, a.reach} {
    out_.clearance.least.value = out_.clearance.least.bound = 1e300;
    out_.clearance.least.known = true;
  }

  void run() {
    const std::size_t n = path_.locations.size();
    for (std::size_t i = 1; i < n;) {
      std::size_t j = i + 1;
      const bool rapid = path_.locations[i].motion == Motion::Rapid;
      if (!path_.knowsWayTo(i)) {
        ++i;
        continue;
      }
      while (j < n && j - i < 4096 && (path_.locations[j].motion == Motion::Rapid) == rapid && path_.knowsWayTo(j)) ++j;
      moves(i, j, rapid);
      i = j;
      progress_.report(double(i) / double(n), "cutting the stock");
    }
    if (out_.clearance.least.value > 1e299) out_.clearance.least.value = out_.clearance.least.bound;
    out_.airShare = cutLength_ > 0 ? airLength_ / cutLength_ : 0;
  }

private:
  void moves(std::size_t first, std::size_t last, bool rapid) {
    progress_.check();
    const bool one = last - first == 1;
    Vec3 tip, axis, at;
    if (!one) {
      Motions::middle(path_, first, last, tip, axis);
      const double r = motions_.radius(tip, axis, first, last), wanted = o_.wanted + o_.uncertainty;
      const bool worth = r < 60;
      const double d = worth ? stock_.clearance(rapid ? whole_ : bodies_, tip, axis, wanted + r, wanted + r + 1e-9, at) : -1;
      if (worth && d - r >= wanted - 1e-12) {
        note(d - r - o_.uncertainty);
        if (!rapid) cut(first, last);
        return;
      }
      const std::size_t m = (first + last) / 2;
      moves(first, m, rapid);
      moves(m, last, rapid);
      return;
    }
    const Location &a = path_.locations[first - 1], &b = path_.locations[first];
    if (!piece(a.tip, a.axis, b.tip, b.axis, rapid, first)) ++out_.clearance.unproven;
    if (!rapid) cut(first, last);
  }

  bool piece(const Vec3& t0, const Vec3& a0, const Vec3& t1, const Vec3& a1, bool rapid, std::size_t move) {
    progress_.check();
    const Vec3 tip = 0.5 * (t0 + t1), axis = slerp(a0, a1, 0.5);
    const double r = 0.5 * (t0 - t1).norm() + 0.5 * motions_.reach * angleBetween(a0, a1);
    // On rapids nothing may touch: the column bound already covers the cell, so more than 0 is enough.
    const double wanted = rapid ? 1e-6 : o_.wanted + o_.uncertainty;
    Vec3 at;
    const double d = stock_.clearance(rapid ? whole_ : bodies_, tip, axis, wanted + r, wanted + r + 1e-9, at);
    if (d - r >= wanted - 1e-12) {
      if (!rapid) note(d - r - o_.uncertainty);
      return true;
    }
    if (d < wanted || r < 0.02) {
      ClearanceFinding f{rapid ? "rapid against stock" : "holder, shank or neck against stock", move, at, d};
      if (rapid)
        out_.clearance.rapidThroughStock = true;
      else {
        note(d - r - o_.uncertainty);
        Measured& least = out_.clearance.least;
        if (d - o_.uncertainty < least.value) least.value = d - o_.uncertainty, least.at = at;
        if (d + stock_.cell() < 0) out_.clearance.collision = true;
      }
      addFinding(out_.clearance, f);
      return false;
    }
    const bool left = piece(t0, a0, tip, axis, rapid, move);
    return left && piece(tip, axis, t1, a1, rapid, move);
  }

  void note(double bound) {
    if (bound < out_.clearance.least.bound) out_.clearance.least.bound = bound;
  }

  void cut(std::size_t first, std::size_t last) {
    if (!engagement_) {
      out_.removed += stock_.cut(assembly_.profile, path_, first, last, &progress_);
      return;
    }
    const double R = assembly_.profile.maxRadius();
    for (std::size_t i = first; i < last; ++i) {
      const Location &a = path_.locations[i - 1], &b = path_.locations[i];
      const double length = (b.tip - a.tip).norm();
      if (b.motion == Motion::Cut && length > 0) {
        // Rings half a cell inside the outline, from the tip up as far as they meet stock; places a quarter radius apart.
        const int n = std::max(1, static_cast<int>(length / (0.25 * R)));
        const double inside = 0.5 * stock_.cell(), rise = std::max(0.1 * R, inside);
        for (int k = 0; k < n; ++k) {
          const Vec3 tip = a.tip + (b.tip - a.tip) * ((k + 0.5) / n);
          int empty = 0;
          for (double high = 0.5 * rise; high < assembly_.profile.length() && empty < 2; high += rise) {
            const double ring = assembly_.profile.radiusAt(high) - inside;
            if (ring < 0.25 * R) continue; // near the axis a ring says nothing of the side's load
            const double arc = stock_.arcInside(tip, b.axis, b.tip - a.tip, ring, high);
            empty = arc > 0 ? 0 : empty + 1;
            if (arc > out_.engagement) out_.engagement = arc, out_.engagementAt = tip;
          }
        }
      }
      const double removed = stock_.cut(assembly_.profile, path_, i, i + 1, &progress_);
      out_.removed += removed;
      if (b.motion == Motion::Cut) {
        cutLength_ += length;
        if (removed < 1e-9) airLength_ += length;
      }
    }
  }

  Stock& stock_;
  const Assembly& assembly_;
  const Path& path_;
  bool engagement_;
  const ClearanceOptions& o_;
  Progress& progress_;
  CutReport& out_;
  Intruder bodies_, whole_;
  Motions motions_;
  double cutLength_ = 0, airLength_ = 0;
};

} // namespace

CutReport cutAndProve(Stock& stock, const Assembly& assembly, const Path& path, bool wantEngagement, const ClearanceOptions& options,
                      Progress& progress) {
  CutReport out;
  StockProver(stock, assembly, path, wantEngagement, options, progress, out).run();
  return out;
}

} // namespace hemline
