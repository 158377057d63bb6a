#include "region/region.h"
#include "base/error.h"
#include <algorithm>
#include <fmt/format.h>
#include <set>

namespace hemline {
namespace {

constexpr std::size_t kMarks = 16;         // places that stand for a patch
constexpr double kNear = 0.02;             // of the part's size: farther off nothing is taken for what was marked
constexpr double kAlike = 0.9;             // cosine (26 degrees) between normals of a mark and of what it is found on
constexpr double kPaintAlike = 0.5;        // the same for paint, which runs over bends
constexpr double kCrossed = 0.3;           // of a facet's size: a rail is asked this often which facets it runs over
constexpr double kSame = 0.02, kOff = 0.2; // share of area, of marks: told as changed; a patch needs more than this of the marks

/// The nearest ground to a mark that faces as it did.
int groundNear(const Part& part, const Mark& s, double reach, double alike, double* moved = nullptr) {
  const Nearest q = closestPoint(*part.tree, s.at, reach);
  if (q.triangle < 0 || !(part.mesh.facetNormal(static_cast<std::size_t>(q.triangle)).dot(s.normal) > alike)) return -1;
  if (moved) *moved = std::max(*moved, q.distance);
  return q.triangle;
}

/// All facets with a corner or their middle within r of p, or that hold p.
template <class Visit> void facetsWithin(const MeshTree& tree, const Vec3& p, double r, Visit&& visit) {
  const double best = r;
  tree.tree.minimise([&](const Vec3& center, const Vec3& half) { return ((p - center).cwiseAbs() - half).cwiseMax(0.0).norm() - 1e-9; },
                     [&](int t) { visit(static_cast<std::size_t>(t)); }, best);
}

Vec3 middleOf(const Mesh& mesh, std::size_t t) {
  return (mesh.corner(t, 0) + mesh.corner(t, 1) + mesh.corner(t, 2)) / 3;
}

/// On which side of a closed rail a place lies, seen from outside the part.
class RailSides {
public:
  explicit RailSides(const Rail& rail) : rail_(rail) {
    std::vector<Box> boxes;
    for (std::size_t i = 0; i < rail.marks.size(); ++i) {
      boxes.emplace_back();
      boxes.back().add(rail.marks[i].at), boxes.back().add(rail.marks[(i + 1) % rail.marks.size()].at);
    }
    tree_ = BoxTree(boxes);
  }
  bool left(const Vec3& m) const {
    double best = kInfinity, sine = 0; // of two pieces with a corner in common the one that is more across
    tree_.minimise([&](const Vec3& center, const Vec3& half) { return ((m - center).cwiseAbs() - half).cwiseMax(0.0).norm() - 1e-6; },
                   [&](int i) {
                     const Mark &a = rail_.marks[static_cast<std::size_t>(i)],
                                &b = rail_.marks[(static_cast<std::size_t>(i) + 1) % rail_.marks.size()];
                     Vec3 x, y;
                     const double d = distanceSegments(m, m, a.at, b.at, x, y);
                     const Vec3 along = b.at - a.at, to = m - y;
                     const double s = along.cross(to).dot(a.normal + b.normal) / std::max(1e-300, along.norm() * to.norm());
                     if (d < best - 1e-9 || (d < best + 1e-9 && std::abs(s) > std::abs(sine))) best = std::min(best, d), sine = s;
                   },
                   best);
    return sine > 0;
  }

private:
  const Rail& rail_;
  BoxTree tree_;
};

/// What finding the pieces of one region needs and tells.
struct Search {
  const Part& part;
  const FacetNeighbours& beside;
  const std::vector<float>& ballRadius;
  const std::vector<Rail>& rails;
  FoundRegion& out;
  double near = kNear * part.mesh.bounds().diagonal();

  std::vector<char> none() const { return std::vector<char>(part.mesh.triangles.size(), 0); }

  std::vector<char> find(const PatchPiece& p) {
    std::vector<char> in = none();
    const double reach = std::max(std::min(near, 0.5 * std::sqrt(p.area)), 2 * part.facetError + 1e-3);
    std::vector<std::size_t> votes(part.patches.size(), 0);
    std::size_t found = 0;
    double moved = 0;
    for (const Mark& s : p.marks)
      if (const int t = groundNear(part, s, reach, kAlike, &moved); t >= 0)
        ++votes[static_cast<std::size_t>(part.mesh.patch[static_cast<std::size_t>(t)])], ++found;
    std::set<int> taken;
    double area = 0;
    for (std::size_t k = 0; k < votes.size(); ++k)
      if (static_cast<double>(votes[k]) > kOff * static_cast<double>(p.marks.size())) taken.insert(static_cast<int>(k));
    for (std::size_t t = 0; t < in.size(); ++t)
      if (taken.count(part.mesh.patch[t])) in[t] = 1, area += part.mesh.facetArea(t);
    if (taken.empty()) {
      out.lost.push_back(fmt::format("the patch '{}' of {:.1f} mm2: nothing like it lies within {:.2f} mm", p.name, p.area, reach));
      return in;
    }
    const double share = static_cast<double>(found) / static_cast<double>(p.marks.size());
    if (share < 1) out.lost.push_back(fmt::format("{:.0f} % of the patch '{}'", 100 * (1 - share), p.name));
    if (std::abs(area - p.area) > kSame * p.area)
      out.changed.push_back(fmt::format("'{}' is {:.1f} mm2 now, it was {:.1f}", p.name, area, p.area));
    if (moved > 1e-3 + 2 * part.facetError) out.changed.push_back(fmt::format("'{}' lies up to {:.3f} mm off", p.name, moved));
    return in;
  }

  std::vector<char> find(const SlopePiece& p) {
    std::vector<char> in = none();
    for (std::size_t t = 0; t < in.size(); ++t) {
      const double slope = angleBetween(measuringNormal(part, t), p.up);
      in[t] = slope >= p.from - 1e-9 && slope <= p.to + 1e-9;
    }
    return in;
  }

  std::vector<char> find(const RadiusPiece& p) {
    std::vector<char> in = none();
    if (ballRadius.size() != in.size()) {
      out.lost.push_back("ground by its largest ball: that is not known");
      return in;
    }
    for (std::size_t t = 0; t < in.size(); ++t) {
      const auto r = static_cast<double>(ballRadius[t]);
      in[t] = r >= p.from && r <= p.to;
    }
    return in;
  }

  /// From facet `start` as far as `passes` lets.
  template <class Passes> std::vector<char> flood(int start, Passes&& passes) const {
    std::vector<char> in = none();
    std::vector<int> open{start};
    in[static_cast<std::size_t>(start)] = 1;
    while (!open.empty()) {
      const auto t = static_cast<std::size_t>(open.back());
      open.pop_back();
      for (std::size_t k = 0; k < 3; ++k)
        if (const int n = beside[t][k]; n >= 0 && !in[static_cast<std::size_t>(n)] && passes(t, k, static_cast<std::size_t>(n)))
          in[static_cast<std::size_t>(n)] = 1, open.push_back(n);
    }
    return in;
  }

  /// How far the surface bends over edge k of facet t, between the normals of both sides there.
  double bend(std::size_t t, std::size_t k, std::size_t n) const {
    const Mesh& mesh = part.mesh;
    if (!part.exact || mesh.cornerNormals.empty()) return angleBetween(mesh.facetNormal(t), mesh.facetNormal(n));
    double most = 0;
    for (const std::size_t at : {k, (k + 1) % 3})
      for (std::size_t j = 0; j < 3; ++j)
        if (mesh.triangles[n][j] == mesh.triangles[t][at])
          most = std::max(most, angleBetween(mesh.cornerNormals[3 * t + at], mesh.cornerNormals[3 * n + j]));
    return most;
  }

  std::vector<char> find(const GrownPiece& p) {
    const int start = groundNear(part, p.from, near, kAlike);
    if (start < 0) {
      out.lost.push_back(fmt::format("what grew from {:.1f}, {:.1f}, {:.1f}: there is no such ground within {:.2f} mm", p.from.at.x(),
                                     p.from.at.y(), p.from.at.z(), near));
      return none();
    }
    return flood(start, [&](std::size_t t, std::size_t k, std::size_t n) { return bend(t, k, n) < p.crease; });
  }

  std::vector<char> find(const PaintPiece& p) {
    std::vector<char> in = none();
    std::size_t lost = 0;
    for (const Mark& s : p.stroke) {
      const int on = groundNear(part, s, std::min(near, p.radius), kPaintAlike);
      if (on < 0) {
        ++lost;
        continue;
      }
      in[static_cast<std::size_t>(on)] = 1;
      facetsWithin(*part.tree, s.at, p.radius, [&](std::size_t t) {
        if ((middleOf(part.mesh, t) - s.at).norm() <= p.radius && part.mesh.facetNormal(t).dot(s.normal) > kPaintAlike) in[t] = 1;
      });
    }
    if (lost > 0) out.lost.push_back(fmt::format("{} of {} places of the paint", lost, p.stroke.size()));
    return in;
  }

  std::vector<char> find(const RailPiece& p) {
    const auto rail = std::find_if(rails.begin(), rails.end(), [&](const Rail& r) { return r.name == p.rail; });
    const int start = groundNear(part, p.inside, near, kAlike);
    const bool there = rail != rails.end();
    if (!there || !rail->closed || rail->marks.size() < 3 || start < 0) {
      out.lost.push_back(!there          ? fmt::format("the ground within the rail '{}': there is no such rail", p.rail)
                         : !rail->closed ? fmt::format("the ground within the rail '{}': it is open", p.rail)
                         : start < 0     ? fmt::format("the place within the rail '{}' is not on the part", p.rail)
                                         : fmt::format("the ground within the rail '{}': too little of it was found", p.rail));
      return none();
    }
    // Facets that the rail runs over stop the flood; each then goes by the side on which its middle lies.
    const RailSides sides(*rail);
    std::vector<char> wall = none();
    const std::size_t n = rail->marks.size();
    for (std::size_t i = 0; i < n; ++i) {
      const Vec3 &a = rail->marks[i].at, &b = rail->marks[(i + 1) % n].at;
      std::size_t pieces = 1;
      for (std::size_t k = 0; k < pieces; ++k) { // as many places as the facets there ask for
        const Vec3 at = a + (static_cast<double>(k) + 0.5) / static_cast<double>(pieces) * (b - a);
        const auto t = static_cast<std::size_t>(closestPoint(*part.tree, at).triangle);
        if ((b - a).norm() / static_cast<double>(pieces) > kCrossed * std::sqrt(part.mesh.facetArea(t)) && pieces < 4096)
          pieces *= 2, k = static_cast<std::size_t>(-1); // from the start again
        else
          wall[t] = 1;
      }
    }
    std::vector<char> in = flood(start, [&](std::size_t t, std::size_t, std::size_t to) { return !wall[t] && !wall[to]; });
    std::size_t arrived[2] = {0, 0}; // on the rail's right and left
    for (std::size_t t = 0; t < wall.size(); ++t)
      for (const int b : beside[t])
        if (wall[t] && b >= 0 && in[static_cast<std::size_t>(b)] && !wall[static_cast<std::size_t>(b)])
          ++arrived[sides.left(middleOf(part.mesh, static_cast<std::size_t>(b)))];
    if (std::min(arrived[0], arrived[1]) > std::max(arrived[0], arrived[1]) / 3)
      out.lost.push_back(fmt::format("the ground within the rail '{}': it does not close on the surface", p.rail));
    for (std::size_t t = 0; t < wall.size(); ++t)
      if (wall[t]) in[t] = sides.left(middleOf(part.mesh, t)) == (arrived[1] > arrived[0]);
    return in;
  }
};

} // namespace

const char* regionUseName(RegionUse use) {
  return use == RegionUse::Finish ? "finish" : use == RegionUse::Left ? "left" : "protected";
}

PatchPiece markPatch(const Part& part, int patch) {
  const Mesh& mesh = part.mesh;
  PatchPiece p;
  p.name = part.patches[static_cast<std::size_t>(patch)].name;
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
    if (mesh.patch[t] == patch) p.area += mesh.facetArea(t);
  // At equal steps of the summed area; within the facet by the golden ratio, kept off its edges.
  double summed = 0;
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    if (mesh.patch[t] != patch) continue;
    const double next = summed + mesh.facetArea(t);
    while (p.marks.size() < kMarks && (static_cast<double>(p.marks.size()) + 0.5) * p.area < static_cast<double>(kMarks) * next) {
      const auto i = static_cast<double>(p.marks.size());
      double u = std::fmod(0.5 + 0.7548776662466927 * i, 1.0), v = std::fmod(0.5 + 0.5698402909980532 * i, 1.0);
      if (u + v > 1) u = 1 - u, v = 1 - v;
      u = 0.1 + 0.7 * u, v = 0.1 + 0.7 * v;
      p.marks.push_back({(1 - u - v) * mesh.corner(t, 0) + u * mesh.corner(t, 1) + v * mesh.corner(t, 2), mesh.facetNormal(t)});
    }
    summed = next;
  }
  return p;
}

std::vector<char> grown(const Mesh& mesh, const FacetNeighbours& beside, const std::vector<char>& facets, double distance) {
  assert(facets.size() == mesh.triangles.size() && beside.size() == facets.size());
  const bool outward = distance > 0;
  std::vector<std::array<Vec3, 2>> border;
  std::vector<Box> boxes;
  std::vector<int> open;
  std::vector<char> out = facets, asked(facets.size(), 0);
  for (std::size_t t = 0; t < facets.size(); ++t)
    for (std::size_t k = 0; k < 3; ++k) {
      const int n = beside[t][k];
      if (!facets[t] || (n >= 0 && facets[static_cast<std::size_t>(n)]) || (n < 0 && outward)) continue;
      border.push_back({mesh.corner(t, k), mesh.corner(t, (k + 1) % 3)});
      boxes.emplace_back();
      for (const Vec3& p : border.back()) boxes.back().add(p);
      const int start = outward ? n : static_cast<int>(t);
      if (!asked[static_cast<std::size_t>(start)]) asked[static_cast<std::size_t>(start)] = 1, open.push_back(start);
    }
  if (border.empty()) return out;
  const BoxTree tree(boxes);
  while (!open.empty()) {
    const auto t = static_cast<std::size_t>(open.back());
    open.pop_back();
    const Vec3 m = middleOf(mesh, t);
    double best = std::abs(distance);
    bool in = false;
    tree.minimise([&](const Vec3& center, const Vec3& half) { return ((m - center).cwiseAbs() - half).cwiseMax(0.0).norm() - 1e-9; },
                  [&](int i) {
                    Vec3 x, y;
                    const auto& e = border[static_cast<std::size_t>(i)];
                    if (const double d = distanceSegments(m, m, e[0], e[1], x, y); d <= best) best = d, in = true;
                  },
                  best);
    if (!in) continue;
    out[t] = outward;
    for (const int n : beside[t])
      if (n >= 0 && !asked[static_cast<std::size_t>(n)] && (facets[static_cast<std::size_t>(n)] != 0) != outward)
        asked[static_cast<std::size_t>(n)] = 1, open.push_back(n);
  }
  return out;
}

FoundRegion findRegion(const Part& part, const FacetNeighbours& beside, const std::vector<float>& ballRadius,
                       const std::vector<Rail>& rails, const Region& region) {
  assert(beside.size() == part.mesh.triangles.size());
  const Mesh& mesh = part.mesh;
  FoundRegion out;
  out.facets.assign(mesh.triangles.size(), 0);
  Search search{part, beside, ballRadius, rails, out};
  for (const Piece& p : region.pieces) {
    const auto in = std::visit([&](const auto& what) { return search.find(what); }, p.what);
    for (std::size_t t = 0; t < in.size(); ++t)
      out.facets[t] = p.mode == PieceMode::Add      ? out.facets[t] || in[t]
                      : p.mode == PieceMode::Remove ? out.facets[t] && !in[t]
                                                    : out.facets[t] && in[t];
  }
  if (region.grow != 0) out.facets = grown(mesh, beside, out.facets, region.grow);
  for (std::size_t t = 0; t < out.facets.size(); ++t) {
    if (!out.facets[t]) continue;
    out.area += mesh.facetArea(t);
    // Where it ends with its patch, or with the surface, the border is as exact as the tessellation.
    const bool border = std::any_of(beside[t].begin(), beside[t].end(), [&](int n) {
      return n >= 0 && !out.facets[static_cast<std::size_t>(n)] && mesh.patch[static_cast<std::size_t>(n)] == mesh.patch[t];
    });
    for (std::size_t k = 0; border && k < 3; ++k) out.grain = std::max(out.grain, (mesh.corner(t, (k + 1) % 3) - mesh.corner(t, k)).norm());
  }
  if (out.area == 0 && out.lost.empty() && !region.pieces.empty()) out.lost.push_back("all of it: no ground answers to its rules");
  return out;
}

Region marksRenewed(const Part& part, const Region& region) {
  const double near = kNear * part.mesh.bounds().diagonal();
  const auto renew = [&](Mark& s, double reach, double alike) {
    const int t = groundNear(part, s, reach, alike);
    if (t < 0) return;
    s.at = closestPoint(*part.tree, s.at, reach).point, s.normal = part.mesh.facetNormal(static_cast<std::size_t>(t));
  };
  Region out = region;
  for (Piece& piece : out.pieces) {
    if (auto* p = std::get_if<PatchPiece>(&piece.what)) {
      const double reach = std::max(std::min(near, 0.5 * std::sqrt(p->area)), 2 * part.facetError + 1e-3);
      std::vector<std::size_t> votes(part.patches.size(), 0);
      for (const Mark& s : p->marks)
        if (const int t = groundNear(part, s, reach, kAlike); t >= 0)
          ++votes[static_cast<std::size_t>(part.mesh.patch[static_cast<std::size_t>(t)])];
      const auto most = std::max_element(votes.begin(), votes.end());
      // One patch that has all marks is marked afresh; pieces of one keep the marks they have.
      if (most != votes.end() && *most == p->marks.size()) *p = markPatch(part, static_cast<int>(most - votes.begin()));
    } else if (auto* g = std::get_if<GrownPiece>(&piece.what)) {
      renew(g->from, near, kAlike);
    } else if (auto* c = std::get_if<PaintPiece>(&piece.what)) {
      for (Mark& s : c->stroke) renew(s, std::min(near, c->radius), kPaintAlike);
    } else if (auto* r = std::get_if<RailPiece>(&piece.what)) {
      renew(r->inside, near, kAlike);
    }
  }
  return out;
}

} // namespace hemline
