#include "proof/surface_proof.h"
#include "base/threads.h"
#include "base/units.h"
#include "proof/fillet_pieces.h"
#include "proof/surface_pieces.h"
#include <atomic>
#include <cstring>
#include <fmt/format.h>
#include <mutex>
#include <numeric>

namespace hemline {
namespace {

constexpr double kDeep = SurfacePieces::kDeep; // deeper gouges are capped and reported as that
constexpr double kHigh = 5.0;                  // mm: nothing is looked for higher above the allowance
constexpr double kSame = 1e-8;                 // mm: an entry asked again among other moves may come out otherwise by less
constexpr int kSplits = 20000;                 // triangles looked at per facet before giving up on the bound

/// Facets are looked at in pieces with sides no longer than this, mm.
double pieceSize(const Sweep& sweep) {
  return std::max(0.2, 0.15 * sweep.radius());
}

/// Where the chunks of facets begin, and the end of the last: so many facets, or so much area, that large ones have threads of their own.
std::vector<std::size_t> chunkStarts(const Mesh& mesh, const std::vector<int>& order, std::size_t most, double area) {
  std::vector<std::size_t> starts{0};
  double sum = 0;
  for (std::size_t i = 0; i < order.size(); ++i) {
    sum += mesh.facetArea(static_cast<std::size_t>(order[i]));
    if (i + 1 - starts.back() < most && sum < area) continue;
    starts.push_back(i + 1);
    sum = 0;
  }
  if (starts.back() < order.size()) starts.push_back(order.size());
  return starts;
}

class SurfaceProver {
  using Piece = SurfacePiece;

public:
  SurfaceProver(const Part& part, const Sweep& sweep, const Placing* reach, const SurfaceProofOptions& o, const Progress& progress)
      : part_(part), pieces_(part, std::max(0.0, -o.allowance)), sweep_(sweep), reach_(reach), o_(o), progress_(progress) {}

  const SurfacePieces& pieces() const { return pieces_; }

  /// The last place that the cutter cannot get to and that was looked at from all sides, and where it stood then.
  struct Anchor {
    bool known = false;
    Vec3 p = Vec3::Zero(), n = Vec3::Zero();
    Location at;
  };
  static constexpr double kAnchor = 0.1; // of the radius: so far an anchor serves
  static constexpr double kAlike = 0.9;  // cosine: facets that face alike

  /// Ground of which no pass comes near, and from which the cutter has to stay away by far more than the rest that is promised. How near
  /// it can come changes by no more than the way from place to place (it is the distance to all that the cutter can fill), so that places
  /// about this one are as hopeless.
  struct Hopeless {
    Vec3 p = Vec3::Zero();
    double rest = 0; ///< least distance less the allowance; 0: none is known
  };
  static constexpr double kHopeless = 5;      // times the promised rest, and
  static constexpr double kHopelessFar = 0.1; // of the radius: so far the cutter stays away at least
  static constexpr double kServes = 0.25;     // of the rest: so far from its place it speaks for others

  /// Moves that matter round about a place; the facets there share them.
  struct Around {
    Vec3 at = Vec3::Zero(), n = Vec3::Zero();
    double radius = -1, rise = 0;
    std::shared_ptr<const Sweep::Near> moves;
  };

  /// Moves that may be met below `high` from anywhere on a piece: what such a ray meets lies within a cylinder about the
  /// place's normal, for which the moves were asked.
  std::shared_ptr<const Sweep::Near> movesAround(Around& around, const Piece& piece, const Vec3& n, double high) const {
    const Vec3 mid = piece.center();
    const double radius = radiusOf(piece.p, mid) * 1.05, rise = lean(piece, n);
    const auto fits = [&] {
      const Vec3 d = mid - around.at;
      const double up = d.dot(around.n), turn = (n - around.n).norm();
      return (d - up * around.n).norm() + radius + kDeep * turn <= around.radius && up + rise + radius * turn <= around.rise;
    };
    if (around.radius < 0 || !fits()) {
      around.at = mid, around.n = n, around.radius = std::max(0.2 * sweep_.radius(), 2 * radius),
      around.rise = 0.1 * around.radius + 2 * rise;
      Sweep::Near moves;
      sweep_.piecesNear(mid, n, around.radius, high + around.rise, moves);
      around.moves = std::make_shared<const Sweep::Near>(std::move(moves));
    }
    Sweep::Near fewer;
    sweep_.sift(*around.moves, mid, n, radius, high + rise, fewer);
    return std::make_shared<const Sweep::Near>(std::move(fewer));
  }

  struct Open : OpenPiece {
    std::shared_ptr<const Sweep::Near> moves; ///< that may be met below `high` anywhere in it; none: not looked for
    std::optional<bool> inside;               ///< see isInside; what is known of the whole holds for its parts
  };

  /// Measures facet t. Facets that are large beside the cutter (plane faces of CAD models) are
  /// looked at in pieces, since every move over a facet is a candidate for all of it; the moves near a larger piece are
  /// found once and sifted on the way down.
  /// Cusp and rest are judged piece by piece: ground out of reach in one corner says nothing of the rest of the facet.
  /// `before`: what was found with other passes; what the cutter can reach is taken from there.
  FacetProof facet(std::size_t t, Around& around, int& hint, Sweep::Near& near, const FacetProof& before, Anchor& anchor,
                   Hopeless& hopeless) {
    const Vec3 n = measuringNormal(part_, t);
    const double limit = pieceSize(sweep_), first = 12 * limit, high = o_.allowance + std::max(3 * o_.cusp, 0.001 * sweep_.radius());
    FacetProof found;
    std::vector<Open> open(1);
    open[0].piece = pieces_.pieceOf(t, n);
    while (!open.empty()) {
      progress_.check(); // a large facet takes long
      Open now = std::move(open.back());
      open.pop_back();
      const double longest = now.longest();
      if (!now.inside) now.inside = isInside(t, now, n);
      const std::optional<bool> inside = now.inside;
      const bool halvedForBorder = !inside && longest <= limit && now.moves; // what is near the whole is near enough
      if (sweep_.ball() && longest <= first && !halvedForBorder) {
        if (longest <= limit && !now.moves && !now.slim) {
          now.moves = movesAround(around, now.piece, n, high);
        } else {
          Vec3 mid;
          double radius = 0, rise = 0;
          now.size(n, mid, radius, rise);
          Sweep::Near fewer;
          if (now.moves)
            sweep_.sift(*now.moves, mid, n, radius, high + rise, fewer);
          else
            sweep_.piecesNear(mid, n, radius, high + rise, fewer);
          now.moves = std::make_shared<const Sweep::Near>(std::move(fewer));
        }
      }
      if (const auto parts = pieces_.divide(now, inside ? limit : o_.grain); !parts.empty()) {
        for (const OpenPiece& part : parts) open.push_back({part, now.moves, inside});
        continue;
      }
      const std::array<Vec3, 3>& tri = now.piece.p;
      double v = 0, top = 0, low = 0, gouge = 0;
      Vec3 vAt = tri[0], lAt = tri[0];
      const bool judged =
          piece(now.piece, inside.value_or(false), n, hint, now.moves.get(), high, near, v, top, vAt, low, gouge, lAt, found.capped);
      const double area = 0.5 * (tri[1] - tri[0]).cross(tri[2] - tri[0]).norm();
      if (o_.allowance - low > found.gouge) found.gouge = o_.allowance - low, found.gougeAt = lAt;
      found.gougeBound = std::max(found.gougeBound, gouge);
      if (!judged) {
        found.areaNotJudged += area;
        continue;
      }
      double excess = v - o_.allowance, excessBound = top - o_.allowance;
      const double restBefore = found.areaRest;
      Touching nearest;
      bool asked = excessBound > o_.cusp && reach_;
      if (asked && reach_->filletRadius() > 0 && judgeFillets(t, now.piece, n, area, hint, excess, excessBound, vAt, nearest, found))
        asked = false, found.filleted = true;
      const bool given = asked && isHopeless(vAt, v, area, hopeless, found);
      if (given) excess = 0, excessBound = kInfinity; // no cusp was looked for: none is certified
      if (asked && !given) takeReachOff(vAt, n, v, top, area, excess, excessBound, nearest, found, before, anchor, hopeless);
      found.left = std::max(found.left, v);
      found.leftBound = std::max(found.leftBound, std::max(top, v));
      found.area += area;
      if (excess > o_.cusp) found.areaOver += area;
      if (excess > o_.cusp || found.areaRest > restBefore) found.areaOpen += area;
      if (excessBound > o_.cusp && nearest.on.facet >= 0) found.over.push_back(nearest);
      if (excess > found.cusp) found.cusp = excess, found.cuspAt = vAt;
      found.cuspBound = std::max(found.cuspBound, excessBound);
    }
    return found;
  }

  /// Ground under virtual fillets: the cusp is what is left over them, what lies under them is rest. False: there are none.
  bool judgeFillets(std::size_t t, const Piece& ground, const Vec3& n, double area, int& hint, double& excess, double& excessBound,
                    Vec3& at, Touching& nearest, FacetProof& found) {
    bool rest = false, any = false;
    Sweep::Near near;
    for (const double off : {0.02, 0.002}) { // of the cusp: how far the fillet leaves its pieces
      const std::vector<FilletPiece> pieces = filletPieces(*reach_, ground, n, t, off * o_.cusp);
      any = !pieces.empty();
      if (!any) break;
      excess = -kInfinity, excessBound = 0;
      judgeEach(pieces, n, hint, near, excess, excessBound, at, nearest, found, rest);
      if (excess > o_.cusp || excessBound <= o_.cusp) break;
    }
    if (rest) found.areaRest += area;
    return any;
  }
  void judgeEach(const std::vector<FilletPiece>& pieces, const Vec3& n, int& hint, Sweep::Near& near, double& excess, double& excessBound,
                 Vec3& at, Touching& nearest, FacetProof& found, bool& rest) {
    for (const FilletPiece& p : pieces) {
      progress_.check();
      Vec3 highest = p.piece.p[0];
      double value = 0, bound = 0;
      leftOver(p, hint, near, value, bound, highest);
      std::size_t k = 0;
      for (const std::size_t o : {1, 2})
        if ((p.piece.p[o] - highest).squaredNorm() < (p.piece.p[k] - highest).squaredNorm()) k = o;
      if (value - o_.allowance > excess) excess = value - o_.allowance, at = p.ground[k], nearest = {p.on[k], {p.ground[k], n}};
      excessBound = std::max(excessBound, bound - o_.allowance);
      if (p.rest > found.rest) found.rest = p.rest, found.restAt = p.restAt;
      found.restBound = std::max(found.restBound, p.restBound);
      rest = rest || p.rest > o_.rest;
    }
  }

  /// What is left over a piece of a fillet, as `piece` does it for ground.
  void leftOver(const FilletPiece& p, int& hint, Sweep::Near& near, double& value, double& bound, Vec3& at) {
    const double under = 0.1 + std::max(0.0, -o_.allowance); // mm: nothing is cut deeper into fillets
    const double far = o_.allowance + kHigh;
    double top = -kInfinity, ceiling = kInfinity;
    for (const Vec3& q : {p.piece.center(), p.piece.p[0], p.piece.p[1], p.piece.p[2]}) {
      const auto entry = ray(q, p.normal, under, nullptr, far, hint);
      if (entry.t > top) top = entry.t, at = q;
      double worst = entry.move < 0 ? kInfinity : 0;
      for (const Vec3& corner : p.piece.p)
        if (worst < ceiling) worst = std::max(worst, sweep_.entryInto(entry.move, corner, p.normal, under, std::min(ceiling, far)));
      ceiling = std::min(ceiling, worst);
    }
    value = std::min(top, far), bound = kInfinity;
    if (top >= far) return;
    const Vec3 mid = p.piece.center();
    sweep_.piecesNear(mid, p.normal, radiusOf(p.piece.p, mid),
                      std::min(std::max(ceiling, top) + p.piece.below, far) + lean(p.piece, p.normal) + kSame, near);
    bound = split(p.piece, p.normal, under, near, value, at);
  }

  /// Is a piece ground that is judged? Nothing: some of it may be.
  std::optional<bool> isInside(std::size_t t, const OpenPiece& of, const Vec3& n) const {
    if (!o_.inside) return true;
    double least = kInfinity, most = -kInfinity;
    const auto look = [&](const Vec3& p) {
      const double in = o_.inside(t, p);
      least = std::min(least, in), most = std::max(most, in);
    };
    for (const Vec3& p : of.piece.p) look(p);
    if (of.slim) look(of.d);
    Vec3 mid;
    double radius = 0, rise = 0;
    of.size(n, mid, radius, rise);
    look(mid);
    // Small pieces by their corners: what is missed between them is narrower than that, and either way nothing is told too well.
    constexpr double kSmall = 4; // grains
    const bool small = radius <= kSmall * o_.grain;
    if (most < 0 && (small || most < -radius)) return false;
    if (least >= 0 && (small || least >= radius)) return true;
    return radius <= o_.grain ? std::optional(false) : std::nullopt;
  }

  /// A place that no pass comes near to, about one that the cutter cannot come near to: all of it is rest, of which no more is asked.
  bool isHopeless(const Vec3& p, double value, double area, const Hopeless& known, FacetProof& found) const {
    const double off = (p - known.p).norm();
    if (value < o_.allowance + kHigh || !(off < kServes * known.rest)) return false;
    found.rest = std::max(found.rest, known.rest - off), found.restBound = std::max(found.restBound, known.rest + off);
    found.areaRest += area;
    return true;
  }

  /// Too much is left on a piece: is it spacing, or can the cutter not get there? What is out of reach counts for rest; the cusp
  /// is what lies above the reach there. In a corner the normal runs past the cutter, and a hair of spacing looks like
  /// millimetres along it: there too the shortest distance is taken.
  void takeReachOff(const Vec3& at, const Vec3& n, double value, double bound, double area, double& excess, double& excessBound,
                    Touching& nearest, FacetProof& found, const FacetProof& before, Anchor& anchor, Hopeless& hopeless) const {
    const auto known = std::find_if(before.reached.begin(), before.reached.end(), [&](const auto& r) { return r.p == at; });
    const FacetProof::Reached there = known != before.reached.end() ? *known : reachAt(at, n, anchor);
    found.reached.push_back(there);
    const double distance = there.distance;
    // Where the part is too thin to look as deep as it is cut on purpose, what lies below is not known: all that is left counts.
    const bool blind = o_.allowance < 0 && there.along <= kSame - pieces_.depthAt(at, n);
    const double along = blind ? o_.allowance : there.along;
    nearest = there.nearest;
    if (along - o_.allowance <= 0.1 * o_.cusp) return;
    const double rest = std::max(0.0, distance - o_.allowance);
    if (rest > found.rest) found.rest = rest, found.restAt = at;
    found.restBound = std::max(found.restBound, rest + there.fine);
    if (value >= o_.allowance + kHigh && rest > std::max(kHopeless * o_.rest, kHopelessFar * sweep_.radius())) hopeless = {at, rest};
    if (rest > o_.rest) found.areaRest += area;
    excess = std::max(0.0, value - std::max(o_.allowance, along));
    if (sweep_.ball()) excess = std::min(excess, std::max(0.0, sweep_.distanceToBalls(at, value) - std::max(o_.allowance, distance)));
    excessBound = std::min(excessBound, excess + std::max(0.0, (bound < kFinite ? bound - value : 0.0)));
  }

  static double radiusOf(const std::array<Vec3, 3>& t, const Vec3& mid) {
    return std::sqrt(std::max({(t[0] - mid).squaredNorm(), (t[1] - mid).squaredNorm(), (t[2] - mid).squaredNorm()}));
  }

  /// How far a piece rises or falls along n from its middle (the direction of measuring need not be the facet's normal).
  static double lean(const Piece& t, const Vec3& n) {
    const Vec3 mid = t.center();
    return std::max({std::abs((t.p[0] - mid).dot(n)), std::abs((t.p[1] - mid).dot(n)), std::abs((t.p[2] - mid).dot(n))}) + t.below +
           t.above;
  }

  /// First entry among the moves listed, if it lies below `high`; else among all.
  Sweep::Entry ray(const Vec3& p, const Vec3& n, double depth, const Sweep::Near* moves, double high, int& hint) const {
    const double far = o_.allowance + kHigh;
    const Sweep::Entry best = moves ? sweep_.firstEntry(p, n, depth, far, *moves, high, hint) : sweep_.firstEntry(p, n, depth, far, hint);
    if (best.move >= 0) hint = best.move;
    return best;
  }

  /// False: it is not `asked` for, or not all of it is ground that the path comes near to (SurfaceProofOptions::within); only its gouge is
  /// told then.
  bool piece(Piece tri, bool asked, const Vec3& n, int& hint, const Sweep::Near* moves, double high, Sweep::Near& near, double& value,
             double& bound, Vec3& at, double& lowest, double& gougeBound, Vec3& lowAt, bool& capped) {
    pieces_.findBulge(tri, n);
    const std::array<Vec3, 3>& corners = tri.p;
    const Vec3 mid = tri.face < 0 ? tri.center() : part_.surface->pointAt(tri.face, (tri.uv[0] + tri.uv[1] + tri.uv[2]) / 3);
    // On a curved piece places may lie a little outside the corners' triangle.
    const double radius = radiusOf(corners, mid) * (tri.face < 0 ? 1 : 1.05);
    const double far = o_.allowance + kHigh;
    const double depth = pieces_.depthOf(corners, mid, n);
    double top = -kInfinity, low = kInfinity;
    Vec3 lowPoint = mid, topPoint = mid;
    bool missed = false;
    double ceiling = kInfinity; // no e in the piece is larger: one convex sweep carried to the three corners
    for (const Vec3& p : {mid, corners[0], corners[1], corners[2]}) {
      const auto entry = ray(p, n, depth, moves, high, hint);
      if (entry.move < 0) missed = true;
      if (entry.t > top) top = entry.t, topPoint = p;
      if (entry.t < low) low = entry.t, lowPoint = p;
      double worst = 0;
      if (entry.move >= 0)
        for (const Vec3& corner : corners)
          if (worst < ceiling) worst = std::max(worst, sweep_.entryInto(entry.move, corner, n, depth, std::min(ceiling, far)));
      if (entry.move >= 0) ceiling = std::min(ceiling, worst);
    }
    lowest = low < 0 ? -depthOfCut(lowPoint, n, low) : low, lowAt = lowPoint;
    constexpr double kStart = 1e-6; // mm: cut away where the ray starts
    capped = capped || (low < -kStart && low <= kStart - depth);
    // Beside the border of an open sheet a cutter that goes below the surface also goes round the border: other means tell how deep.
    if (const double most = std::max(-o_.allowance, pieces_.toBorder(lowPoint, kDeep)); o_.allowance < 0 && lowest < -most)
      lowest = -most, capped = true;
    value = std::min(top, far), at = topPoint;
    bound = missed ? kInfinity : 0;
    gougeBound = 0;
    const bool judged = asked && (o_.within > kFinite || (!missed && top <= o_.allowance + o_.within));
    if (low >= far) { // no ray met anything; the side of a cutter may still clip the piece between them
      sweep_.piecesNear(mid, n, radius, o_.allowance + lean(tri, n), near);
      if (near.pieces.empty()) return judged;
      if (o_.certifyGouge) gougeBound = sweep_.ball() ? gougeOf(tri, near, lowest) : gougeByHalfSpaces(tri, n, depth, 0, near);
      return judged;
    }
    const double upTo = std::min(std::max(ceiling, top) + tri.below, far) + lean(tri, n) + kSame;
    if (moves && upTo < high)
      sweep_.sift(*moves, mid, n, radius, upTo, near);
    else
      sweep_.piecesNear(mid, n, radius, upTo, near);
    if (!missed && judged) {
      value = top;
      bound = split(tri, n, depth, near, value, at);
    }
    if (o_.certifyGouge)
      gougeBound =
          sweep_.ball() ? gougeOf(tri, near, lowest) : gougeByHalfSpaces(tri, n, depth, std::max(0.0, o_.allowance - lowest), near);
    return judged;
  }

  /// A piece with the moves that are met at its corners, and where.
  struct Entered : Piece {
    std::array<double, 3> e;
    std::array<int, 3> winner;
    double bound;
  };

  /// Candidates are the winners at the corners, each carried to the other corners; what bounds the whole bounds its part.
  void boundOf(Entered& tri, double known, const Vec3& n, double depth) const {
    tri.bound = known;
    for (std::size_t k = 0; k < 3; ++k) {
      if (k > 0 && tri.winner[k] == tri.winner[k - 1]) continue;
      double worst = tri.e[k];
      for (std::size_t j = 0; j < 3; ++j)
        if (j != k && worst < tri.bound)
          worst = std::max(worst, tri.winner[k] == tri.winner[j]
                                      ? tri.e[j]
                                      : sweep_.entryInto(tri.winner[k], tri.p[j], n, depth, std::min(tri.bound, 1e3)));
      tri.bound = std::min(tri.bound, worst);
    }
  }

  /// Does a crest cross the side, away from its ends?
  bool divided(const Entered& tri, std::size_t k, std::size_t l, const Vec3& n, double depth) const {
    if (tri.winner[k] == tri.winner[l]) return false;
    const double clear = 0.002 * o_.cusp;
    return sweep_.entryInto(tri.winner[k], tri.p[l], n, depth, tri.e[l] + 2 * clear) > tri.e[l] + clear &&
           sweep_.entryInto(tri.winner[l], tri.p[k], n, depth, tri.e[k] + 2 * clear) > tri.e[k] + clear;
  }

  /// The longest side; one that a crest crosses counts as six times as long.
  std::size_t sideToSplit(const Entered& tri, const Vec3& n, double depth) const {
    std::size_t edge = 0;
    double longest = -1;
    for (std::size_t k = 0; k < 3; ++k) {
      double l = (tri.p[(k + 1) % 3] - tri.p[k]).squaredNorm();
      if (divided(tri, k, (k + 1) % 3, n, depth)) l *= 40;
      if (l > longest) longest = l, edge = k;
    }
    return edge;
  }

  /// Certified upper bound of e over the triangle by splitting; raises `value` to the largest e met on the way.
  double split(const Piece& piece, const Vec3& n, double depth, const Sweep::Near& near, double& value, Vec3& at) {
    // Splitting stops once a triangle is below what is wanted anyway, or only 1 % above the largest value met.
    const double wanted = o_.allowance + o_.cusp;
    std::vector<Entered> open;
    // `cap` is known to be at least e there, which spares looking at moves that can only be met higher up.
    const auto corner = [&](Entered& tri, std::size_t k, double cap) {
      tri.e[k] = cap + kSame, tri.winner[k] = -1;
      if (const Sweep::Entry first = sweep_.firstAmong(tri.p[k], n, depth, near, tri.e[k]); first.move >= 0)
        tri.e[k] = first.t, tri.winner[k] = first.move;
      if (tri.winner[k] < 0) {
        if (const double far = o_.allowance + kHigh; cap > far && value < far) value = far, at = tri.p[k]; // nothing is met so far up
        return false;
      }
      if (tri.e[k] > value) value = tri.e[k], at = tri.p[k];
      return true;
    };
    Entered whole{piece, {}, {-1, -1, -1}, 0};
    const double cap = value;
    for (std::size_t k = 0; k < 3; ++k)
      if (!corner(whole, k, cap)) return kInfinity; // contradicts the rays: no bound
    boundOf(whole, kInfinity, n, depth);
    open.push_back(whole);
    double bound = -kInfinity;
    int looked = 1;
    // The highest bound first: should the splits run out, what is left is the least that can be said.
    const auto lower = [](const Entered& a, const Entered& b) { return a.bound + a.below < b.bound + b.below; };
    while (!open.empty()) {
      std::pop_heap(open.begin(), open.end(), lower);
      Entered tri = open.back();
      open.pop_back();
      const double enough = value > wanted ? value + 0.01 * std::abs(value) : wanted;
      if (tri.bound + tri.below > enough && tri.bound <= enough) pieces_.findBulge(tri, n);
      // Halves of a flat piece lie as far off what it stands for as the whole.
      const bool asGood = tri.bound + tri.below <= enough || (tri.face < 0 && tri.below > 0 && tri.bound <= enough);
      if (asGood || looked > kSplits) {
        bound = std::max(bound, tri.bound + tri.below);
        if (looked > kSplits) break;
        continue;
      }
      const std::size_t edge = sideToSplit(tri, n, depth);
      const Vec3 p = tri.p[edge], q = tri.p[(edge + 1) % 3];
      if ((p - q).norm() < o_.smallest) {
        bound = std::max(bound, tri.bound + tri.below);
        continue;
      }
      const auto halves = pieces_.halve(tri, edge, crossing(p, q, n, depth, tri.winner[edge], tri.winner[(edge + 1) % 3]));
      Entered first{halves[0], tri.e, tri.winner, 0}, second{halves[1], tri.e, tri.winner, 0};
      if (!corner(first, (edge + 1) % 3, tri.bound + tri.below)) return kInfinity;
      second.e[edge] = first.e[(edge + 1) % 3];
      second.winner[edge] = first.winner[(edge + 1) % 3];
      // What bounds the whole bounds its part, whose corners may lie lower by that.
      boundOf(first, tri.bound + tri.below, n, depth);
      boundOf(second, tri.bound + tri.below, n, depth);
      looked += 2;
      for (const Entered& half : {first, second}) {
        open.push_back(half);
        std::push_heap(open.begin(), open.end(), lower);
      }
    }
    return std::max(bound, value);
  }

  /// Where along pq two moves leave the same: there lies the crest, and a triangle cut there falls to one move on each side.
  double crossing(const Vec3& p, const Vec3& q, const Vec3& n, double depth, int atP, int atQ) const {
    if (atP == atQ || atP < 0 || atQ < 0) return 0.5;
    const auto difference = [&](double x) {
      const Vec3 at = p + x * (q - p);
      return sweep_.entryInto(atP, at, n, depth, 1.0) - sweep_.entryInto(atQ, at, n, depth, 1.0);
    };
    double lo = 0, hi = 1, dLo = difference(0), dHi = difference(1);
    if (!(dLo <= 0 && dHi >= 0) || dLo < -1e3 || dHi > 1e3 || dHi - dLo < 1e-12) return 0.5;
    double x = 0.5;
    for (int i = 0; i < 4; ++i) {
      x = lo - dLo * (hi - lo) / (dHi - dLo);
      const double d = difference(x);
      if (std::abs(d) < 0.005 * o_.cusp || std::abs(d) > 1e3) break;
      if (d < 0)
        lo = x, dLo = d;
      else
        hi = x, dHi = d;
    }
    return std::clamp(x, 0.02, 0.98);
  }

  /// How deep the place p + t n (t < 0) that was cut lies in the part: the shortest way out. Along n alone a ray from a sharp
  /// ridge would run just below the other side of it and call a scratch there deep.
  double depthOfCut(const Vec3& p, const Vec3& n, double t) const {
    constexpr double kNothing = 1e-6;
    if (t > -kNothing) return -t;
    return std::min(-t, closestPoint(*part_.tree, p + t * n, -t).distance);
  }

  /// Upper bound of the gouge over the facet. Half balls, with their flutes: the way from a place that was cut to the axis, which lies
  /// outside the part, crosses the surface, so that this place lies no deeper than R - distance of the axis. (An axis within the part is
  /// met by the rays.)
  double gougeOf(const Piece& piece, const Sweep::Near& near, double lowest) const {
    double worst = std::max(0.0, o_.allowance - lowest);
    const double most = o_.allowance + sweep_.ballRadius() + piece.above;
    for (const int m : near.pieces) worst = std::max(worst, most - sweep_.axisDistance(m, piece.p, most - worst));
    return worst;
  }

  /// The same for other profiles: each move lies in a half space that touches it over the piece, and over a triangle that half space
  /// is deepest at a corner. Pieces are split until the bound is within what is promised, or about what was met. Along a
  /// sharp ridge a strip of kRidge stays measured only: there the ground below one side belongs to the other.
  double gougeByHalfSpaces(const Piece& whole, const Vec3& n, double depth, double met, Sweep::Near& moves) const {
    constexpr int kMost = 600;
    const double enough = std::max(o_.gouge, 1.02 * met);
    struct Share {
      Piece piece;
      double bound;           // of all moves
      double within;          // of those that are known to be within `enough`, and are looked at no more
      std::vector<int> moves; // the others
    };
    const auto look = [&](const Piece& p, const std::vector<int>& from, double within) {
      Share out{p, 0, within, {}};
      for (const int m : from) {
        const double deep = o_.allowance + p.above - sweep_.lowestEntry(m, p.p, n, depth);
        if (deep > enough) out.moves.push_back(m);
        if (deep <= enough) out.within = std::max(out.within, deep);
        out.bound = std::max(out.bound, deep);
      }
      out.bound = std::max(out.bound, out.within);
      return out;
    };
    const auto lower = [](const Share& a, const Share& b) { return a.bound < b.bound; };
    const Vec3 mid = whole.center();
    sweep_.piecesNear(mid, n, radiusOf(whole.p, mid) * 1.05, o_.allowance - enough + lean(whole, n), moves);
    std::vector<Share> open{look(whole, moves.pieces, 0)};
    for (int looked = 0; !open.empty(); ++looked) {
      std::pop_heap(open.begin(), open.end(), lower);
      const Share now = std::move(open.back());
      open.pop_back();
      if (now.bound <= enough || looked > kMost) return std::max(met, now.bound); // the others lie lower
      if (isRidge(now.piece, n)) continue;
      std::size_t edge = 0;
      std::array<double, 3> side;
      for (std::size_t k = 0; k < 3; ++k) side[k] = (now.piece.p[(k + 1) % 3] - now.piece.p[k]).squaredNorm();
      for (std::size_t k = 1; k < 3; ++k)
        if (side[k] > side[edge]) edge = k;
      for (Piece& half : pieces_.halve(now.piece, edge, 0.5)) {
        pieces_.findBulge(half, n);
        open.push_back(look(half, now.moves, now.within));
        std::push_heap(open.begin(), open.end(), lower);
      }
    }
    return met;
  }

  /// Is this small piece so near a sharp ridge that what lies a few times its size below it is nearer to the other side?
  bool isRidge(const Piece& piece, const Vec3& n) const {
    constexpr double kRidge = 0.02; // mm
    const Vec3 mid = piece.center();
    const double r = radiusOf(piece.p, mid);
    return r < kRidge && closestPoint(*part_.tree, mid - 5 * r * n, 5 * r).distance < 3 * r;
  }

  /// What infinitely dense passes would leave at p: along the normal (an upper estimate) and as the shortest distance, and where the cutter
  /// then touches.
  FacetProof::Reached reachAt(const Vec3& p, const Vec3& n, Anchor& anchor) const {
    FacetProof::Reached out{p, kInfinity, 0, {}, 0};
    constexpr double kFinest = 1e-4; // mm
    const double coarsest = 0.1 * o_.cusp;
    // Within a twentieth of the promise the place counts as reached. Near a place that was looked at from all sides, and cannot be reached
    // either, the search starts from where the cutter stood for that one.
    const double enough = o_.allowance + 0.05 * o_.cusp, off = (p - anchor.p).norm();
    const bool near = anchor.known && off < kAnchor * sweep_.radius() && n.dot(anchor.n) > kAlike;
    const Placing::Reach best = reach_->reach(p, n, enough, kFinest, coarsest, near ? &anchor.at : nullptr, off);
    out.fine = std::max(kFinest, coarsest);
    if (!near) anchor = {best.distance > enough && best.stand, p, n, best.stand ? best.stand->at : Location{}};
    out.distance = std::max(std::min(0.0, o_.allowance), best.distance);
    if (!best.stand) return out;
    const Location& l = best.stand->at;
    out.nearest = {pointOver(part_.mesh, best.stand->facet, l.contact), {l.contact, l.normal}};
    // Along the normal: the entry into the cutter at that place.
    Path one;
    one.locations = {l, l};
    one.locations.front().motion = Motion::Rapid;
    out.along = Sweep(reach_->profile(), one).firstEntry(p, n, pieces_.depthAt(p, n), 1e3).t;
    return out;
  }

  const Part& part_;
  SurfacePieces pieces_;
  const Sweep& sweep_;
  const Placing* reach_;
  const SurfaceProofOptions& o_;
  const Progress& progress_;
};

/// What the largest stock-left is at least and at most while chunks of facets are measured, the highest first.
class Narrowing {
public:
  explicit Narrowing(std::size_t chunks) : bound_(chunks, std::numeric_limits<double>::infinity()), order_(chunks) {
    std::iota(order_.begin(), order_.end(), std::size_t{0});
  }
  void begin(const CoarseSurface& coarse, const std::vector<int>& facets, const std::vector<std::size_t>& starts) {
    met_ = coarse.met;
    for (std::size_t c = 0; c < bound_.size(); ++c) {
      bound_[c] = -kInfinity;
      for (std::size_t i = starts[c]; i < starts[c + 1]; ++i)
        bound_[c] = std::max(bound_[c], coarse.most[static_cast<std::size_t>(facets[i])]);
    }
    std::stable_sort(order_.begin(), order_.end(), [&](std::size_t a, std::size_t b) { return bound_[a] > bound_[b]; });
  }
  std::size_t chunkAt(std::size_t turn) const { return order_[turn]; }
  /// One chunk is measured; in words.
  std::string narrow(std::size_t chunk, double met, double bound) {
    const std::lock_guard lock(mutex_);
    met_ = std::max(met_, met), bound_[chunk] = bound;
    while (next_ < order_.size() && bound_[order_[next_]] <= met_) ++next_; // those change nothing any more
    double most = met_;
    for (std::size_t k = next_; k < order_.size(); ++k) most = std::max(most, bound_[order_[k]]);
    const auto um = [](double mm) { return fmt::format("{:.{}f}", 1e3 * mm, std::abs(mm) < 0.1 ? 2 : 0); };
    return most < kFinite ? fmt::format("highest left: {} to {} µm", um(met_), um(most))
                          : fmt::format("highest left: {} µm or more", um(met_));
  }

private:
  std::mutex mutex_;
  double met_ = 0;
  std::vector<double> bound_;
  std::vector<std::size_t> order_;
  std::size_t next_ = 0;
};

/// May a facet's rays meet any of these moves where it matters?
bool isNear(const Part& part, std::size_t t, const FacetProof& found, const Sweep& moves, const SurfaceProofOptions& o,
            Sweep::Near& pieces) {
  if (found.filleted) return true; // the moves over fillets lie beside its normals
  const Vec3 n = measuringNormal(part, t), mid = (part.mesh.corner(t, 0) + part.mesh.corner(t, 1) + part.mesh.corner(t, 2)) / 3;
  double radius = 0;
  for (std::size_t k = 0; k < 3; ++k) radius = std::max(radius, (part.mesh.corner(t, k) - mid).norm());
  // What was found high above is looked for as far up as the rays look.
  const double high = o.allowance + std::max(3 * o.cusp, 0.001 * moves.radius()), far = o.allowance + kHigh;
  moves.piecesNear(mid, n, 1.05 * radius, (found.left < high && found.cuspBound + o.allowance < high ? high : far) + radius, pieces);
  return !pieces.pieces.empty();
}

} // namespace

SurfaceProof proveSurface(const Part& part, const std::vector<char>& region, const Sweep& sweep, const Placing* reach,
                          const SurfaceProofOptions& o, Progress& progress) {
  SurfaceRecord record;
  return proveSurface(part, region, sweep, reach, o, record, nullptr, progress);
}

SurfaceProof proveSurface(const Part& part, const std::vector<char>& region, const Sweep& sweep, const Placing* reach,
                          const SurfaceProofOptions& o, SurfaceRecord& record, const Sweep* changed, Progress& progress) {
  assert(!o.inside || o.grain > 0);
  assert(region.size() == part.mesh.triangles.size() && (record.facets.empty() || record.facets.size() == region.size()));
  const Mesh& mesh = part.mesh;
  const float nan = std::numeric_limits<float>::quiet_NaN();
  SurfaceProof proof;
  proof.region = region;
  proof.facetLeft.assign(mesh.triangles.size(), nan);
  proof.facetCusp.assign(mesh.triangles.size(), nan);
  proof.facetRest.assign(mesh.triangles.size(), 0);
  proof.facetGouge.assign(mesh.triangles.size(), nan);
  proof.facetOpen.assign(mesh.triangles.size(), 0);
  proof.partly.assign(mesh.triangles.size(), 0);
  for (auto* v : {&proof.facetLeftBound, &proof.facetCuspBound, &proof.facetGougeBound})
    v->assign(mesh.triangles.size(), std::numeric_limits<double>::quiet_NaN());
  const bool again = changed && !record.facets.empty();
  if (!again) record.facets.assign(mesh.triangles.size(), {}), record.stockLeft.assign(mesh.points.size(), nan);
  // Facets in the order of the hierarchy: neighbours follow each other, so the last winner is a good first guess.
  std::vector<int> order;
  for (const int t : part.tree->tree.items())
    if (region[static_cast<std::size_t>(t)]) order.push_back(t);
  constexpr std::size_t kChunk = 128;
  std::vector<char> measured(mesh.triangles.size(), 0);
  SurfaceProver prover(part, sweep, reach, o, progress);
  const std::vector<std::size_t> starts = chunkStarts(mesh, order, kChunk, 256 * pieceSize(sweep) * pieceSize(sweep));
  Narrowing narrowing(starts.size() - 1);
  if (!again) {
    auto coarse =
        std::make_shared<const CoarseSurface>(measureCoarsely(part, prover.pieces(), order, sweep, o.allowance + kHigh, progress));
    narrowing.begin(*coarse, order, starts);
    if (o.coarse) o.coarse(coarse);
  }
  std::atomic<std::size_t> done{0};
  parallelChunks(starts.size() - 1, 1, [&](std::size_t turn, std::size_t) {
    const std::size_t chunk = narrowing.chunkAt(turn), first = starts[chunk], last = starts[chunk + 1];
    int hint = -1;
    Sweep::Near near;
    SurfaceProver::Around around;
    SurfaceProver::Anchor anchor;
    SurfaceProver::Hopeless hopeless;
    double met = -kInfinity, bound = -kInfinity;
    for (std::size_t i = first; i < last; ++i) {
      progress.check();
      const auto t = static_cast<std::size_t>(order[i]);
      if (again && !isNear(part, t, record.facets[t], *changed, o, near)) continue;
      measured[t] = 1;
      record.facets[t] = prover.facet(t, around, hint, near, record.facets[t], anchor, hopeless);
      met = std::max(met, record.facets[t].left), bound = std::max(bound, record.facets[t].leftBound);
    }
    done += last - first;
    const double share = double(done) / double(order.size());
    progress.report(share, again ? "measuring the surface again" : narrowing.narrow(chunk, met, bound));
  });
  for (const int i : order) {
    const auto t = static_cast<std::size_t>(i);
    const FacetProof& f = record.facets[t];
    if (f.area > 0) { // some of it was judged
      proof.facetLeft[t] = static_cast<float>(f.left);
      proof.facetCusp[t] = static_cast<float>(std::max(0.0, f.cusp));
      proof.facetRest[t] = static_cast<float>(f.rest);
      proof.facetLeftBound[t] = std::max(f.left, f.leftBound), proof.facetCuspBound[t] = std::max(f.cusp, f.cuspBound);
    }
    proof.facetGouge[t] = static_cast<float>(f.gouge);
    proof.facetGougeBound[t] = std::max(f.gouge, f.gougeBound);
    proof.over.insert(proof.over.end(), f.over.begin(), f.over.end());
    if (f.cusp > proof.cusp.value) proof.cusp.value = f.cusp, proof.cusp.at = f.cuspAt;
    if (f.gouge > proof.gouge.value) proof.gouge.value = f.gouge, proof.gouge.at = f.gougeAt;
    if (f.rest > proof.rest.value) proof.rest.value = f.rest, proof.rest.at = f.restAt;
    proof.rest.bound = std::max(proof.rest.bound, f.restBound);
    proof.cusp.bound = std::max(proof.cusp.bound, f.cuspBound);
    proof.gouge.bound = std::max(proof.gouge.bound, f.gougeBound);
    proof.areaOverCusp += f.areaOver;
    proof.areaRest += f.areaRest;
    proof.areaRegion += f.area;
    proof.areaNotJudged += f.areaNotJudged;
    proof.facetOpen[t] = static_cast<float>(f.areaOpen + f.areaNotJudged);
    proof.partly[t] = f.areaNotJudged > 0;
    proof.capped = proof.capped || f.capped;
  }
  proof.cusp.bound = std::max(proof.cusp.bound, proof.cusp.value);
  proof.gouge.bound = std::max(proof.gouge.bound, proof.gouge.value);
  proof.capped = proof.capped || !o.certifyGouge;
  proof.gouge.known = sweep.size() > 0;
  proof.cusp.known = proof.gouge.known && proof.areaRegion > 0;
  proof.rest.known = proof.cusp.known && reach != nullptr;
  // Rays at the points, for maps and files.
  std::vector<int> points; // in the order in which the facets meet them
  std::vector<char> pointIn(mesh.points.size(), 0), pointAgain(mesh.points.size(), 0);
  std::vector<Vec3> normal(mesh.points.size(), Vec3::Zero());
  for (const int i : order)
    for (std::size_t k = 0; k < 3; ++k) {
      const auto t = static_cast<std::size_t>(i);
      const int v = mesh.triangles[t][k];
      const auto at = static_cast<std::size_t>(v);
      if (!pointIn[at]) points.push_back(v);
      pointIn[at] = 1;
      if (measured[t]) pointAgain[at] = 1;
      normal[at] += mesh.cornerNormals.empty() ? mesh.facetNormal(t) : mesh.cornerNormals[3 * t + k];
    }
  parallelChunks(points.size(), kChunk, [&](std::size_t first, std::size_t last) {
    progress.check();
    int hint = -1;
    for (std::size_t i = first; i < last; ++i) {
      const auto v = static_cast<std::size_t>(points[i]);
      if (!pointAgain[v] || !(normal[v].norm() > 1e-9)) continue;
      const Vec3 n = normal[v].normalized();
      const auto e = sweep.firstEntry(mesh.points[v], n, prover.pieces().depthAt(mesh.points[v], n), o.allowance + kHigh, hint);
      if (e.move >= 0) hint = e.move;
      record.stockLeft[v] = e.move < 0 ? nan : static_cast<float>(e.t < 0 ? -prover.depthOfCut(mesh.points[v], n, e.t) : e.t);
    }
  });
  proof.stockLeft = record.stockLeft;
  return proof;
}

std::string surfacePly(const Mesh& mesh, const std::vector<float>& stockLeft) {
  assert(stockLeft.empty() || stockLeft.size() == mesh.points.size());
  std::string out = "ply\nformat binary_little_endian 1.0\ncomment design surface, mm; stock_left_mm along the normal, NaN: not "
                    "measured\nelement vertex " +
                    std::to_string(mesh.points.size()) + "\nproperty double x\nproperty double y\nproperty double z\n";
  const bool measured = stockLeft.size() == mesh.points.size();
  if (measured) out += "property float stock_left_mm\n";
  out += "element face " + std::to_string(mesh.triangles.size()) + "\nproperty list uchar int vertex_indices\nend_header\n";
  const auto put = [&](const void* data, std::size_t n) { out.append(static_cast<const char*>(data), n); };
  for (std::size_t v = 0; v < mesh.points.size(); ++v) {
    put(mesh.points[v].data(), 24);
    if (measured) put(&stockLeft[v], 4);
  }
  for (const auto& t : mesh.triangles) {
    const unsigned char three = 3;
    put(&three, 1);
    put(t.data(), 12);
  }
  return out;
}

} // namespace hemline
