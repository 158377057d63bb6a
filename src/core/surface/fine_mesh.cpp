#include "surface/fine_mesh.h"
#include "geometry/tree.h"
#include <unordered_map>

namespace hemline {
namespace {

constexpr int kFew = 12; // facets are gone through one by one

std::size_t at(int i) {
  return static_cast<std::size_t>(i);
}

std::uint64_t sideKey(int a, int b) {
  return (static_cast<std::uint64_t>(std::min(a, b)) << 32) | static_cast<std::uint32_t>(std::max(a, b));
}

/// What is cut up: a mesh with the parameters of its corners and where its facets came from.
struct Cutting {
  Mesh mesh;
  std::vector<Vec2> uv; ///< empty: there are none
  std::vector<int> parent;
};
struct Cut {
  int point;
  double x; ///< share of the side from its lower point
};
using Cuts = std::unordered_map<std::uint64_t, Cut>;

/// Cuts facets along the points that lie on their sides. Two of them on one facet are joined by a side.
void cutFacets(Cutting& c, const Cuts& cuts) {
  const Mesh& mesh = c.mesh;
  Cutting out;
  out.mesh.points = mesh.points;
  const bool smooth = !mesh.cornerNormals.empty();
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    // Corners 0 to 2, points 3 to 5 on the sides that begin at them; -1 where the side stays.
    std::array<int, 6> p{mesh.triangles[t][0], mesh.triangles[t][1], mesh.triangles[t][2], -1, -1, -1};
    std::array<Vec3, 6> n;
    std::array<Vec2, 6> uv;
    int cut = 0;
    for (std::size_t k = 0; k < 3; ++k) {
      if (smooth) n[k] = mesh.cornerNormals[3 * t + k];
      if (!c.uv.empty()) uv[k] = c.uv[3 * t + k];
    }
    for (std::size_t k = 0; k < 3; ++k) {
      const std::size_t next = (k + 1) % 3;
      const auto it = cuts.find(sideKey(p[k], p[next]));
      if (it == cuts.end()) continue;
      const double x = p[k] < p[next] ? it->second.x : 1 - it->second.x;
      p[3 + k] = it->second.point, ++cut;
      if (!c.uv.empty()) uv[3 + k] = (1 - x) * uv[k] + x * uv[next];
      if (!smooth) continue;
      const Vec3 sum = (1 - x) * n[k] + x * n[next];
      n[3 + k] = sum.norm() > 1e-9 ? Vec3(sum.normalized()) : n[k];
    }
    const auto add = [&](std::size_t i, std::size_t j, std::size_t k) {
      out.mesh.triangles.push_back({p[i], p[j], p[k]});
      if (!mesh.patch.empty()) out.mesh.patch.push_back(mesh.patch[t]);
      if (smooth) out.mesh.cornerNormals.insert(out.mesh.cornerNormals.end(), {n[i], n[j], n[k]});
      if (!c.uv.empty()) out.uv.insert(out.uv.end(), {uv[i], uv[j], uv[k]});
      out.parent.push_back(c.parent[t]);
    };
    std::size_t a = 0; // turned so that the sides that are cut come first
    if (cut == 1)
      while (p[3 + a] < 0) ++a;
    if (cut == 2)
      while (p[3 + (a + 2) % 3] >= 0) ++a;
    const std::size_t b = (a + 1) % 3, d = (a + 2) % 3;
    const auto across = [&](std::size_t i, std::size_t j) { return (mesh.points[at(p[i])] - mesh.points[at(p[j])]).squaredNorm(); };
    if (cut == 0) {
      add(0, 1, 2);
    } else if (cut == 1) {
      add(a, 3 + a, d), add(3 + a, b, d);
    } else if (cut == 2) { // and the quadrangle that is left, over its shorter diagonal
      add(3 + a, b, 3 + b);
      if (across(a, 3 + b) < across(3 + a, d))
        add(a, 3 + a, 3 + b), add(a, 3 + b, d);
      else
        add(a, 3 + a, d), add(3 + a, 3 + b, d);
    } else {
      add(0, 3, 5), add(3, 1, 4), add(4, 2, 5), add(3, 4, 5);
    }
  }
  c = std::move(out);
}

/// Halves all sides longer than `longest`; false: there was none.
bool halveSides(Cutting& c, double longest) {
  Cuts cuts;
  for (const auto& t : c.mesh.triangles)
    for (std::size_t k = 0; k < 3; ++k) {
      const int a = t[k], b = t[(k + 1) % 3];
      if (!((c.mesh.points[at(a)] - c.mesh.points[at(b)]).norm() > longest)) continue;
      if (cuts.try_emplace(sideKey(a, b), Cut{static_cast<int>(c.mesh.points.size()), 0.5}).second)
        c.mesh.points.push_back(0.5 * (c.mesh.points[at(a)] + c.mesh.points[at(b)]));
    }
  if (!cuts.empty()) cutFacets(c, cuts);
  return !cuts.empty();
}

bool hasLonger(const Mesh& mesh, double longest) {
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
    for (std::size_t k = 0; k < 3; ++k)
      if ((mesh.corner(t, k) - mesh.corner(t, (k + 1) % 3)).norm() > longest) return true;
  return false;
}

Cutting ofPart(const Part& part) {
  Cutting c{part.mesh, part.uv, std::vector<int>(part.mesh.triangles.size())};
  for (std::size_t t = 0; t < c.parent.size(); ++t) c.parent[t] = static_cast<int>(t);
  return c;
}

std::shared_ptr<const Part> partOf(const Part& like, Cutting&& c, const Key& key) {
  auto fine = std::make_shared<Part>();
  fine->name = like.name, fine->mesh = std::move(c.mesh), fine->report = like.report, fine->patches = like.patches;
  fine->exact = like.exact, fine->surface = like.surface, fine->uv = std::move(c.uv);
  fine->facetError = like.facetError, fine->resolution = like.resolution;
  fine->key = key;
  fine->tree = std::make_unique<MeshTree>(fine->mesh);
  return fine;
}

} // namespace

SurfacePoint FineMesh::find(const Mesh& coarse, const SurfacePoint& on) const {
  if (parent.empty()) return on;
  const Vec3 p = pointOn(coarse, on);
  const int first = first_[at(on.facet)], last = first_[at(on.facet) + 1];
  // Of many the nearest by the tree, unless that is one of a neighbour's, over the side.
  if (last - first > kFew)
    if (const int t = closestPoint(*part->tree, p).triangle; t >= 0 && parent[at(t)] == on.facet) return pointOver(part->mesh, t, p);
  SurfacePoint best;
  double out = kInfinity;
  for (int i = first; i < last && out > 0; ++i) {
    const SurfacePoint here = pointOver(part->mesh, children_[at(i)], p);
    const double off = -std::min({here.u, here.v, 1 - here.u - here.v});
    if (off < out) out = off, best = here;
  }
  return best;
}

std::vector<char> FineMesh::flags(const std::vector<char>& ofPart) const {
  if (parent.empty()) return ofPart;
  std::vector<char> out(parent.size());
  for (std::size_t t = 0; t < out.size(); ++t) out[t] = ofPart[at(parent[t])];
  return out;
}

void FineMesh::setParents(std::vector<int> parents, std::size_t facets) {
  parent = std::move(parents);
  first_.assign(facets + 1, 0);
  for (const int p : parent) ++first_[at(p) + 1];
  for (std::size_t t = 0; t < facets; ++t) first_[t + 1] += first_[t];
  std::vector<int> next(first_.begin(), first_.end() - 1);
  children_.resize(parent.size());
  for (std::size_t t = 0; t < parent.size(); ++t) children_[at(next[at(parent[t])]++)] = static_cast<int>(t);
}

FineMesh fineMesh(const std::shared_ptr<const Part>& part, double longest) {
  assert(longest > 0);
  FineMesh out;
  out.part = part;
  if (part->exact || !hasLonger(part->mesh, longest)) return out;
  Cutting c = ofPart(*part);
  while (halveSides(c, longest)) {
  }
  out.setParents(std::move(c.parent), part->mesh.triangles.size());
  out.part = partOf(*part, std::move(c), combine(std::array{part->key, hashText(std::to_string(longest))}));
  return out;
}

FineMesh cutSides(const FineMesh& mesh, std::size_t facets, const std::vector<SideCut>& cuts) {
  if (cuts.empty()) return mesh;
  Cutting c = ofPart(*mesh.part);
  if (!mesh.parent.empty()) c.parent = mesh.parent;
  Cuts where;
  std::vector<Key> keys{mesh.part->key};
  for (const SideCut& s : cuts) {
    assert(s.a < s.b && s.x > 0 && s.x < 1);
    where[sideKey(s.a, s.b)] = {static_cast<int>(c.mesh.points.size()), s.x};
    c.mesh.points.push_back((1 - s.x) * c.mesh.points[at(s.a)] + s.x * c.mesh.points[at(s.b)]);
    keys.push_back(hashBytes(&s, sizeof s));
  }
  cutFacets(c, where);
  FineMesh out;
  out.setParents(std::move(c.parent), facets);
  out.part = partOf(*mesh.part, std::move(c), combine(keys));
  return out;
}

} // namespace hemline
