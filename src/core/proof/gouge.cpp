#include "proof/gouge.h"
#include "base/threads.h"
#include "base/units.h"
#include "geometry/separation.h"
#include "proof/moving_body.h"

namespace hemline {
namespace {

constexpr std::size_t kMovesTogether = 128; // moves of one task
constexpr std::size_t kTogether = 64;       // moves that are looked at as one, at most
constexpr double kStraight = 0.05;          // mm: so far may they leave the straight way between their ends
constexpr double kFinest = 1e-4;            // mm to which a distance is found
constexpr double kTouch = 1e-9;             // mm: what touches is always looked at
constexpr double kBend = 1e-4;              // mm by which a turning move may leave the hull of its ends; longer ones are halved
constexpr double kStep = 4;                 // each cutter is shrunk so many times as far as the one before
constexpr double kClose = 1.2;              // the depth of a cut is known when it is bracketed so closely
constexpr double kCore = 0.95;              // of the cutter's radius: it is not shrunk farther
constexpr double kNearlyRound = kPi - 1e-3; // radians: such a turn has no way of its own
constexpr double kConcave = 0.02;           // radians: flatter concave edges hide nothing from rays beside them

/// What is to be kept clear of: facets, and edges of concave corners as triangles without a width.
struct Ground {
  std::vector<std::array<Vec3, 3>> items;
  BoxTree tree;
};

/// `edges`: of the facets that are measured, the edges of concave corners.
Ground groundOf(const Part& part, const std::vector<char>* measured, bool edges) {
  Ground out;
  const Mesh& mesh = part.mesh;
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
    if (!measured || !(*measured)[t]) out.items.push_back({mesh.corner(t, 0), mesh.corner(t, 1), mesh.corner(t, 2)});
  if (measured && edges) {
    // An edge is met from both of its facets; it is concave where the third corner of one lies above the other's plane.
    struct Side {
      std::pair<int, int> edge;
      std::size_t facet;
      int third;
    };
    std::vector<Side> sides;
    for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
      for (std::size_t k = 0; k < 3; ++k) {
        const auto& v = mesh.triangles[t];
        const int a = v[k], b = v[(k + 1) % 3];
        sides.push_back({{std::min(a, b), std::max(a, b)}, t, v[(k + 2) % 3]});
      }
    std::sort(sides.begin(), sides.end(),
              [](const Side& a, const Side& b) { return a.edge != b.edge ? a.edge < b.edge : a.facet < b.facet; });
    for (std::size_t i = 0; i + 1 < sides.size(); ++i) {
      const Side &s = sides[i], &o = sides[i + 1];
      if (s.edge != o.edge || (!(*measured)[s.facet] && !(*measured)[o.facet])) continue;
      const Vec3 n = mesh.facetNormal(s.facet), m = mesh.facetNormal(o.facet);
      const Vec3 a = mesh.points[static_cast<std::size_t>(s.edge.first)], b = mesh.points[static_cast<std::size_t>(s.edge.second)];
      if (angleBetween(n, m) > kConcave && n.dot(mesh.points[static_cast<std::size_t>(o.third)] - a) > 0) out.items.push_back({a, b, b});
    }
  }
  std::vector<Box> boxes(out.items.size());
  for (std::size_t i = 0; i < boxes.size(); ++i)
    for (const Vec3& p : out.items[i]) boxes[i].add(p);
  out.tree = BoxTree(boxes);
  return out;
}

/// The cutter, or one shrunk by `by`: each place of the cutter is within `within` of it.
struct Shrunk {
  double by, within;
  Profile profile;
};

struct Nearest3 {
  double low = kInfinity, high = kInfinity;
  Vec3 at = Vec3::Zero();
};

class Keeper {
public:
  Keeper(const Part& part, const Profile& profile, const GougeOptions& o)
      : part_(part), o_(o), ground_(groundOf(part, o.measured, !(profile.ballRadius() > 0))), whole_{0, 0, profile} {
    const double most = kCore * profile.maxRadius();
    for (double by = std::clamp(0.2 * o.promise, 1e-4, 5e-3); by < most; by *= kStep)
      if (auto s = shrunk(by)) levels_.push_back(std::move(*s));
    if (auto s = shrunk(most)) levels_.push_back(std::move(*s));
    core_ = 0.5 * (profile.length() + profile.lowest());
  }
  bool empty() const { return ground_.items.empty(); }

  struct Worst {
    double value = 0, bound = 0;
    Vec3 at = Vec3::Zero();
    bool lost = false; ///< no smaller cutter came free: it may be inside from here on
    bool known = true;
  };

  /// Is the middle of the cutter inside the part there?
  bool inside(const Location& l) const {
    if (!part_.report.closed) return false;
    return insideAt(l.tip + core_ * l.axis, l.axis);
  }

  /// The moves into locations first..last (last excluded), none of them a rapid. Where the axis keeps still, many at once: they lie in the
  /// hull of their ends, grown by what they leave the straight way by.
  void moves(const std::vector<Location>& l, std::size_t first, std::size_t last, Worst& w) const {
    if (last - first > 1 && freeTogether(l, first, last, w)) return;
    if (last - first < 2) {
      if (first < last) move(l[first - 1], l[first], w);
      return;
    }
    const std::size_t middle = (first + last) / 2;
    moves(l, first, middle, w);
    moves(l, middle, last, w);
  }

  void move(const Location& a, const Location& b, Worst& w) const {
    const double angle = angleBetween(a.axis, b.axis);
    if (angle > kNearlyRound) {
      w.known = false;
      return;
    }
    const double reach = whole_.profile.length() + whole_.profile.maxRadius();
    if (angle > 1e-12 && reach * angle * angle / 8 > kBend) {
      Location middle = b;
      poseAlong(a, b, 0.5, middle.tip, middle.axis);
      move(a, middle, w);
      move(middle, b, w);
      return;
    }
    piece(a, b, angle > 1e-12 ? reach * angle * angle / 8 : 0, w);
  }

private:
  std::optional<Shrunk> shrunk(double by) const {
    double within = 0;
    auto p = whole_.profile.shrunk(by, within);
    if (!p) return std::nullopt;
    return Shrunk{by, within, std::move(*p)};
  }

  bool insideAt(const Vec3& p, const Vec3& along) const {
    const RayHit hit = castRay(*part_.tree, p, along);
    return hit.hit && part_.mesh.facetNormal(static_cast<std::size_t>(hit.triangle)).dot(along) > 1e-9;
  }

  /// Distance of the hull of both poses from the ground, where it is less than `need`; else low = need. The hull is that of a convex
  /// body's ends, and so are a facet and a box.
  Nearest3 nearest(const Profile& profile, const Location& a, const Location& b, double need, double fine) const {
    Nearest3 out;
    double low = need;
    const bool turning = (a.axis - b.axis).squaredNorm() > 1e-24;
    const Vec3 tip = 0.5 * (a.tip + b.tip), axis = turning ? slerp(a.axis, b.axis, 0.5) : a.axis;
    const double height = profile.length() + profile.maxRadius(),
                 travel = 0.5 * ((a.tip - b.tip).norm() + (turning ? height * angleBetween(a.axis, b.axis) : 0.0)) + 1e-9;
    const auto awayFrom = [&](const Vec3& p) {
      const Vec3 v = p - tip;
      const double z = v.dot(axis);
      Vec2 gradient;
      return profile.distance(std::sqrt(std::max(0.0, v.squaredNorm() - z * z)), z, gradient);
    };
    ground_.tree.minimise([&](const Vec3& c, const Vec3& h) { return awayFrom(c) - h.norm() - travel; },
                          [&](int item) {
                            const std::array<Vec3, 3>& corner = ground_.items[static_cast<std::size_t>(item)];
                            const Vec3 m = (corner[0] + corner[1] + corner[2]) / 3;
                            const double size = std::sqrt(
                                std::max({(corner[0] - m).squaredNorm(), (corner[1] - m).squaredNorm(), (corner[2] - m).squaredNorm()}));
                            if (awayFrom(m) - size - travel >= low) return;
                            const auto difference = [&](const Vec3& d) -> DifferencePoint {
                              const Vec3& on = farthestOf(corner, d);
                              Vec3 other = a.tip + farthestOf(profile, a.axis, -d);
                              if (turning) {
                                const Vec3 second = b.tip + farthestOf(profile, b.axis, -d);
                                if (second.dot(d) < other.dot(d)) other = second;
                              } else if ((b.tip - a.tip).dot(d) < 0) {
                                other += b.tip - a.tip;
                              }
                              return {on - other, on};
                            };
                            const Separation s =
                                separation(difference, m - tip - 0.5 * (profile.lowest() + profile.length()) * axis, fine, low);
                            if (s.low >= low) return;
                            low = s.low;
                            if (s.high < out.high) out.high = s.high, out.at = s.onA;
                          },
                          low);
    out.low = low;
    return out;
  }

  bool freeTogether(const std::vector<Location>& l, std::size_t first, std::size_t last, Worst& w) const {
    const Location &a = l[first - 1], &b = l[last - 1];
    if (last - first > kTogether || w.lost) return false;
    double off = 0;
    Vec3 on, other;
    for (std::size_t k = first; k < last; ++k) {
      if ((l[k].axis - a.axis).squaredNorm() > 1e-24) return false;
      off = std::max(off, distanceSegments(l[k].tip, l[k].tip, a.tip, b.tip, on, other));
      if (off > kStraight) return false;
    }
    if ((w.lost = inside(a))) return false;
    if (noDeeper(a, b, off, w)) return true;
    const double need = std::max(o_.keep - w.bound, kTouch) + off;
    return nearest(whole_.profile, a, b, need, kFinest).low >= need;
  }

  /// A cut no deeper than the worst so far changes nothing: it is enough that a cutter shrunk by so much is free.
  bool noDeeper(const Location& a, const Location& b, double bend, const Worst& w) const {
    const auto deepest = std::find_if(levels_.rbegin(), levels_.rend(), [&](const Shrunk& s) { return o_.keep + s.within <= w.bound; });
    return deepest != levels_.rend() && nearest(deepest->profile, a, b, bend + kTouch, 0.1 * kTouch).low >= bend + kTouch;
  }

  void piece(const Location& a, const Location& b, double bend, Worst& w) const {
    if (w.lost || (w.lost = inside(a))) {
      through(a, b, w);
      w.lost = inside(b);
      return;
    }
    if (noDeeper(a, b, bend, w)) return;
    // What is nowhere nearer than the worst so far is not looked at closer.
    const double need = std::max(o_.keep - w.bound, kTouch) + bend;
    const Nearest3 whole = nearest(whole_.profile, a, b, need, kFinest);
    if (whole.low >= need) return;
    if (whole.low > bend + kTouch) {
      w.bound = std::max(w.bound, o_.keep - whole.low + bend);
      if (o_.keep - whole.high > w.value) w.value = o_.keep - whole.high, w.at = whole.at;
      return;
    }
    if (whole.high <= kFinest && o_.keep - whole.high > w.value) w.value = o_.keep - whole.high, w.at = whole.at;
    // It touches the part: shrink it until it is free.
    std::optional<Shrunk> free;
    Nearest3 gap;
    double bound = kInfinity, least = 0; // least: shrunk so far it still touches
    const auto tryFree = [&](const Shrunk& s) {
      const double fine = std::clamp(0.1 * s.by, 1e-6, kFinest);
      const Nearest3 d = nearest(s.profile, a, b, s.within + fine, fine);
      if (d.low > bend + kTouch) {
        bound = std::min(bound, o_.keep + s.within - d.low + bend);
        free = s, gap = d;
      } else {
        least = std::max(least, s.by);
      }
      return d.low > bend + kTouch;
    };
    for (const Shrunk& s : levels_)
      if (tryFree(s)) break;
    if (!free) {
      through(a, b, w);
      w.lost = inside(b);
      return;
    }
    while (bound > std::max(w.bound, o_.promise) && least > 0 && free->by > kClose * least) {
      const auto half = shrunk(std::sqrt(free->by * least));
      if (!half) break;
      tryFree(*half);
    }
    w.bound = std::max(w.bound, bound);
    if (bound > w.value) witness(a, b, *free, gap, w);
  }

  /// Behind the place of the surface that is nearest to a smaller cutter lies a place of the cutter itself: it is removed, and lies so
  /// deep. Where the cutter runs beside a wall many places are as near, and some lie at the wall's border: several are tried.
  void witness(const Location& a, const Location& b, const Shrunk& free, const Nearest3& gap, Worst& w) const {
    if (!(gap.high < kFinite)) return;
    const double sought = free.within - gap.low; // at most
    Vec3 away, gradient;
    /// Behind `on`, along the way out of the smaller cutter there: false once nothing better is to be found.
    const auto behind = [&](const Vec3& on) {
      const double distance = distanceOnTheWay(free.profile, a, b, on, away);
      for (const double share : {1.0, 0.9, 0.7, 0.4}) {
        const double deep = share * (free.by - distance);
        if (deep <= 0 || o_.keep + deep <= w.value) break;
        const Vec3 p = on + deep * away;
        if (distanceOnTheWay(whole_.profile, a, b, p, gradient) > kFinest) continue;
        const Nearest near = closestPoint(*part_.tree, p, 1.01 * deep + kFinest);
        if (near.triangle < 0) continue;
        const Vec3 out = near.point - p;
        const Vec3 n = part_.mesh.facetNormal(static_cast<std::size_t>(near.triangle));
        if (part_.report.closed && out.dot(n) < 0.3 * out.norm()) continue; // a sheet has no inside
        if (o_.keep + out.norm() > w.value) w.value = o_.keep + out.norm(), w.at = near.point;
        break;
      }
      return w.value < o_.keep + 0.9 * sought;
    };
    if (!behind(gap.at) || w.value > std::max(0.0, o_.keep) + 2 * o_.promise) return; // more is sought only while nothing is shown
    const double low = whole_.profile.lowest(), high = whole_.profile.length(), reach = free.within + whole_.profile.maxRadius();
    for (const double x : {0.5, 0.02, 0.98, 0.25, 0.75})
      for (const double z : {0.05, 0.2, 0.35, 0.5, 0.7, 0.9}) {
        Vec3 tip, axis;
        poseAlong(a, b, x, tip, axis);
        const Nearest near = closestPoint(*part_.tree, tip + (low + z * (high - low)) * axis, reach);
        if (near.triangle >= 0 && !behind(near.point)) return;
      }
    if (part_.report.closed && w.value < std::max(0.0, o_.keep) + o_.promise) strew(a, b, w);
  }

  /// The least distance of a place from the cutter on its way, or a little more, with the direction away from it there. Met at one pose.
  static double distanceOnTheWay(const Profile& profile, const Location& a, const Location& b, const Vec3& p, Vec3& away) {
    Vec2 gradient;
    const auto at = [&](double u, Vec3* direction) {
      Vec3 tip, axis;
      poseAlong(a, b, u, tip, axis);
      double z, r;
      const Vec3 aside = acrossAxis(p - tip, axis, z, r);
      const double d = profile.distance(r, z, gradient);
      if (direction) *direction = gradient.x() * aside + gradient.y() * axis;
      return d;
    };
    double lo = 0, hi = 1; // convex along a straight move
    for (int k = 0; k < 32; ++k) {
      const double x = lo + (hi - lo) / 3, y = hi - (hi - lo) / 3;
      (at(x, nullptr) < at(y, nullptr) ? hi : lo) = at(x, nullptr) < at(y, nullptr) ? y : x;
    }
    return at(0.5 * (lo + hi), &away);
  }

  /// Places all over the cutter's side, on its way: the deepest that is inside.
  void strew(const Location& a, const Location& b, Worst& w) const {
    constexpr int kAbout = 12, kUp = 8, kOn = 5;
    for (int i = 0; i < kOn; ++i) {
      Vec3 tip, axis, e1, e2;
      poseAlong(a, b, (i + 0.5) / kOn, tip, axis);
      frameAround(axis, e1, e2);
      for (int k = 0; k < kUp; ++k) {
        const double share = (k + 0.5) / kUp, low = whole_.profile.lowest(), z = low + share * share * (whole_.profile.length() - low),
                     r = whole_.profile.radiusAt(z) * (1 - 1e-9);
        for (int n = 0; n < kAbout; ++n) {
          const double phi = 2 * kPi * n / kAbout;
          const Vec3 p = tip + z * axis + r * (std::cos(phi) * e1 + std::sin(phi) * e2);
          if (!insideAt(p, axis)) continue;
          const Nearest out = closestPoint(*part_.tree, p);
          if (o_.keep + out.distance > w.value) w.value = o_.keep + out.distance, w.at = out.point;
        }
      }
    }
  }

  /// A move that runs right through: no place of the cutter lies deeper than the middle's distance and what it is away from there.
  void through(const Location& a, const Location& b, Worst& w) const {
    const double half = 0.5 * (whole_.profile.length() - whole_.profile.lowest()),
                 about = std::hypot(half, whole_.profile.maxRadius()) +
                         0.5 * ((b.tip - a.tip).norm() + 2 * half * angleBetween(a.axis, b.axis));
    Vec3 tip, axis;
    poseAlong(a, b, 0.5, tip, axis);
    const Nearest near = closestPoint(*part_.tree, tip + core_ * axis);
    if (near.triangle < 0) return;
    w.bound = std::max(w.bound, o_.keep + near.distance + about);
    for (const double u : {0.0, 0.5, 1.0})
      for (const double share : {0.0, 0.1, 0.25, 0.5, 0.75, 1.0}) {
        poseAlong(a, b, u, tip, axis);
        const Vec3 p = tip + (whole_.profile.lowest() + share * 2 * half) * axis;
        if (!part_.report.closed || !insideAt(p, axis)) continue;
        const Nearest out = closestPoint(*part_.tree, p);
        if (o_.keep + out.distance > w.value) w.value = o_.keep + out.distance, w.at = out.point;
      }
    if (part_.report.closed && w.value <= std::max(0.0, o_.keep) + 2 * o_.promise) strew(a, b, w);
  }

  const Part& part_;
  const GougeOptions& o_;
  Ground ground_;
  Shrunk whole_;
  std::vector<Shrunk> levels_;
  double core_ = 0; ///< height of the middle above the tip
};

} // namespace

Measured proveGouge(const Part& part, const Profile& profile, const Path& path, const GougeOptions& options, Progress& progress) {
  assert(options.promise > 0);
  const Keeper keeper(part, profile, options);
  Measured out;
  out.known = true;
  const std::size_t n = path.locations.size();
  if (keeper.empty() && !part.report.closed) return out; // a path may lie wholly inside a closed part, near to no facet
  std::vector<Keeper::Worst> worst((n + kMovesTogether - 1) / kMovesTogether);
  parallelChunks(n, kMovesTogether, [&](std::size_t first, std::size_t last) {
    Keeper::Worst& w = worst[first / kMovesTogether];
    w.lost = first > 0 && keeper.inside(path.locations[first - 1]);
    const auto isRapid = [&](std::size_t i) { return path.locations[i].motion == Motion::Rapid || !path.knowsWayTo(i); };
    for (std::size_t i = std::max<std::size_t>(first, 1), next = i; i < last; i = next) {
      progress.check();
      next = i + 1;
      if (isRapid(i)) {
        w.lost = keeper.inside(path.locations[i]); // how it came there is looked at by the clearance
        continue;
      }
      while (next < last && next - i < kTogether && !isRapid(next)) ++next;
      keeper.moves(path.locations, i, next, w);
    }
    progress.report(double(last) / double(n), "gouge, over the whole part");
  });
  for (const Keeper::Worst& w : worst) {
    if (w.value > out.value) out.value = w.value, out.at = w.at;
    out.bound = std::max(out.bound, w.bound);
    out.known = out.known && w.known;
  }
  out.bound = std::max(out.bound, out.value) + part.facetError;
  return out;
}

Measured addGougeElsewhere(SurfaceProof& proof, const Part& part, const Profile& profile, const Path& path, double allowance,
                           double promise, Progress& progress) {
  const Measured elsewhere = proveGouge(part, profile, path, {std::min(allowance, 0.0), promise, &proof.region}, progress);
  const auto take = [&](const Measured& m) {
    if (m.value > proof.gouge.value) proof.gouge.value = m.value, proof.gouge.at = m.at;
    proof.gouge.bound = std::max(proof.gouge.bound, m.bound);
    proof.gouge.known = proof.gouge.known && m.known;
  };
  take(elsewhere);
  if (allowance < 0) proof.beside = proveGouge(part, profile, path, {0, promise, &proof.region}, progress);
  // The bound of half balls holds however short the rays were.
  if (proof.capped && !(profile.ballRadius() > 0 && proof.gouge.bound <= promise)) {
    std::vector<char> outside(proof.region);
    for (char& f : outside) f = !f;
    take(proveGouge(part, profile, path, {allowance, promise, &outside}, progress));
  }
  return elsewhere;
}

} // namespace hemline
