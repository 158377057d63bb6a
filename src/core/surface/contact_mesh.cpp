#include "surface/contact_mesh.h"
#include "base/threads.h"
#include "base/units.h"
#include <numeric>

namespace hemline {
namespace {

constexpr double kSlice = radians(6); // a sharp edge's normals are told apart so finely

} // namespace

Vec3 pointOn(const Mesh& mesh, const SurfacePoint& at) {
  const auto t = static_cast<std::size_t>(at.facet);
  return (1 - at.u - at.v) * mesh.corner(t, 0) + at.u * mesh.corner(t, 1) + at.v * mesh.corner(t, 2);
}

SurfacePoint pointOver(const Mesh& mesh, int facet, const Vec3& p) {
  const auto t = static_cast<std::size_t>(facet);
  const Vec3 &a = mesh.corner(t, 0), e1 = mesh.corner(t, 1) - a, e2 = mesh.corner(t, 2) - a, d = p - a;
  const double d11 = e1.dot(e1), d12 = e1.dot(e2), d22 = e2.dot(e2), det = d11 * d22 - d12 * d12;
  if (!(det > 0)) return {facet, 0, 0};
  return {facet, (d22 * d.dot(e1) - d12 * d.dot(e2)) / det, (d11 * d.dot(e2) - d12 * d.dot(e1)) / det};
}

ContactMesh::ContactMesh(const Part& part, double crease) : part_(&part), facets_(static_cast<int>(part.mesh.triangles.size())) {
  beside_ = facetNeighbours(part.mesh, meshEdges(part.mesh));
  joinCorners(crease);
  addEdges();
  addCorners();
}

/// Corners of facets that meet over smooth edges are one vertex.
void ContactMesh::joinCorners(double crease) {
  const Mesh& mesh = part_->mesh;
  const std::size_t n = mesh.triangles.size();
  const bool exact = part_->exact && mesh.cornerNormals.size() == 3 * n;
  const double limit = std::cos(crease);
  std::vector<std::array<int, 3>> across(n, {-1, -1, -1}); // the neighbour's edge
  sharp_.assign(n, {0, 0, 0});
  parallelChunks(n, 4096, [&](std::size_t first, std::size_t last) {
    for (std::size_t t = first; t < last; ++t)
      for (std::size_t k = 0; k < 3; ++k) {
        if (beside_[t][k] < 0) continue;
        const auto o = static_cast<std::size_t>(beside_[t][k]);
        const std::size_t next = (k + 1) % 3;
        for (std::size_t m = 0; m < 3; ++m)
          if (mesh.triangles[o][m] == mesh.triangles[t][next] && mesh.triangles[o][(m + 1) % 3] == mesh.triangles[t][k])
            across[t][k] = static_cast<int>(m);
        if (across[t][k] < 0) continue; // it faces the other way
        const auto m = static_cast<std::size_t>(across[t][k]);
        sharp_[t][k] = exact ? std::min(mesh.cornerNormals[3 * t + k].dot(mesh.cornerNormals[3 * o + (m + 1) % 3]),
                                        mesh.cornerNormals[3 * t + next].dot(mesh.cornerNormals[3 * o + m])) < limit
                             : mesh.facetNormal(t).dot(mesh.facetNormal(o)) < limit;
      }
  });
  std::vector<int> root(3 * n);
  std::iota(root.begin(), root.end(), 0);
  const auto find = [&](int c) {
    while (root[static_cast<std::size_t>(c)] != c)
      c = root[static_cast<std::size_t>(c)] = root[static_cast<std::size_t>(root[static_cast<std::size_t>(c)])];
    return c;
  };
  const auto join = [&](std::size_t a, std::size_t b) {
    const int x = find(static_cast<int>(a)), y = find(static_cast<int>(b));
    root[static_cast<std::size_t>(std::max(x, y))] = std::min(x, y);
  };
  for (std::size_t t = 0; t < n; ++t)
    for (std::size_t k = 0; k < 3; ++k)
      if (across[t][k] >= 0 && !sharp_[t][k]) {
        const std::size_t o = 3 * static_cast<std::size_t>(beside_[t][k]), m = static_cast<std::size_t>(across[t][k]);
        join(3 * t + k, o + (m + 1) % 3), join(3 * t + (k + 1) % 3, o + m);
      }
  std::vector<int> vertexOf(3 * n, -1);
  elements_.resize(n);
  over_ = std::vector<std::array<int, 3>>(n, {-1, -1, -1});
  for (std::size_t t = 0; t < n; ++t) {
    const Vec3 normal = mesh.facetNormal(t);
    elements_[t].facet = static_cast<int>(t), elements_[t].other = -1;
    for (std::size_t k = 0; k < 3; ++k) {
      const auto r = static_cast<std::size_t>(find(static_cast<int>(3 * t + k)));
      if (vertexOf[r] < 0) {
        vertexOf[r] = static_cast<int>(vertices_.size());
        vertices_.push_back({mesh.triangles[t][k], static_cast<int>(3 * t + k), Vec3::Zero()});
      }
      elements_[t].v[k] = vertexOf[r];
      const Vec3 u = mesh.corner(t, (k + 1) % 3) - mesh.corner(t, k), v = mesh.corner(t, (k + 2) % 3) - mesh.corner(t, k);
      vertices_[static_cast<std::size_t>(vertexOf[r])].normal +=
          exact ? mesh.cornerNormals[3 * t + k] : Vec3(std::atan2(u.cross(v).norm(), u.dot(v)) * normal);
      if (across[t][k] >= 0 && !sharp_[t][k]) over_[t][k] = beside_[t][k];
    }
  }
  for (Vertex& v : vertices_)
    v.normal = v.normal.norm() > 1e-9 ? Vec3(v.normal.normalized()) : mesh.facetNormal(static_cast<std::size_t>(v.corner / 3));
}

/// Vertices from one to another that lies at the same point: the normals between theirs.
std::vector<int> ContactMesh::turn(int from, int to) {
  if (from == to) return {from};
  if (from > to) {
    std::vector<int> out = turn(to, from);
    std::reverse(out.begin(), out.end());
    return out;
  }
  std::vector<int>& known = turns_[{from, to}];
  if (!known.empty()) return known;
  const Vertex a = vertices_[static_cast<std::size_t>(from)], b = vertices_[static_cast<std::size_t>(to)];
  const int n = std::max(1, static_cast<int>(std::ceil(angleBetween(a.normal, b.normal) / kSlice)));
  known.push_back(from);
  for (int i = 1; i < n; ++i) {
    known.push_back(static_cast<int>(vertices_.size()));
    vertices_.push_back({a.point, a.corner, slerp(a.normal, b.normal, double(i) / n)});
  }
  known.push_back(to);
  return known;
}

void ContactMesh::addElement(int a, int b, int c, int facet, int other) {
  const int e = static_cast<int>(elements_.size());
  elements_.push_back({{a, b, c}, facet, other});
  over_.push_back({-1, -1, -1});
  const std::array<int, 4> v{a, b, c, a};
  for (std::size_t k = 0; k < 3; ++k)
    if (v[k] != v[k + 1]) open_[{v[k], v[k + 1]}] = 3 * e + static_cast<int>(k);
}

/// Each sharp edge is a band of elements from the normals of one side to those of the other.
void ContactMesh::addEdges() {
  const Mesh& mesh = part_->mesh;
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
    for (std::size_t k = 0; k < 3; ++k) {
      if (!sharp_[t][k]) continue;
      open_[{elements_[t].v[k], elements_[t].v[(k + 1) % 3]}] = static_cast<int>(3 * t + k);
      const auto o = static_cast<std::size_t>(beside_[t][k]);
      if (o < t) continue; // it was added from there
      std::size_t m = 0;
      while (mesh.triangles[o][m] != mesh.triangles[t][(k + 1) % 3]) ++m;
      const std::vector<int> start = turn(elements_[t].v[k], elements_[o].v[(m + 1) % 3]),
                             end = turn(elements_[t].v[(k + 1) % 3], elements_[o].v[m]);
      std::size_t p = 0, q = 0;
      while (p + 1 < start.size() || q + 1 < end.size()) {
        const bool first = q + 1 == end.size() || (p + 1 < start.size() && p * (end.size() - 1) <= q * (start.size() - 1));
        addElement(end[q], start[p], first ? start[p + 1] : end[q + 1], static_cast<int>(t), static_cast<int>(o));
        ++(first ? p : q);
      }
    }
}

/// Where more than two smooth grounds meet at a point: the normals between all of them. Then all that lie beside each other are joined.
void ContactMesh::addCorners() {
  const auto match = [&] {
    for (auto it = open_.begin(); it != open_.end();) {
      const auto other = open_.find({it->first.second, it->first.first});
      if (other == open_.end()) {
        ++it;
        continue;
      }
      const auto a = static_cast<std::size_t>(it->second), b = static_cast<std::size_t>(other->second);
      over_[a / 3][a % 3] = static_cast<int>(b / 3), over_[b / 3][b % 3] = static_cast<int>(a / 3);
      open_.erase(other);
      it = open_.erase(it);
    }
  };
  match();
  // Each open side of a band at a point, the other way round, is a side of what fills the corner.
  std::map<int, std::pair<int, int>> next; // from a vertex: to which, and beside which element
  for (const auto& [edge, where] : open_)
    if (vertices_[static_cast<std::size_t>(edge.first)].point == vertices_[static_cast<std::size_t>(edge.second)].point)
      next[edge.second] = {edge.first, where / 3};
  while (!next.empty()) {
    const int start = next.begin()->first, beside = next.begin()->second.second;
    std::vector<int> loop;
    int at = start;
    while (next.count(at)) {
      loop.push_back(at);
      const int to = next[at].first;
      next.erase(at);
      at = to;
    }
    if (at != start) continue; // at the end of the surface
    const Element by = elements_[static_cast<std::size_t>(beside)];
    Vertex middle = vertices_[static_cast<std::size_t>(start)];
    for (const int v : loop)
      if (v != start) middle.normal += vertices_[static_cast<std::size_t>(v)].normal;
    if (!(middle.normal.norm() > 1e-6)) continue;
    middle.normal.normalize();
    const int centre = static_cast<int>(vertices_.size());
    vertices_.push_back(middle);
    for (std::size_t i = 0; i < loop.size(); ++i) addElement(centre, loop[i], loop[(i + 1) % loop.size()], by.facet, by.other);
  }
  match();
  open_.clear(), turns_.clear();
}

Place ContactMesh::placeAt(int element, double u, double v) const {
  const Element& e = elements_[static_cast<std::size_t>(element)];
  const auto t = static_cast<std::size_t>(e.facet);
  if (isFacet(element) && knowsSurface(*part_, t)) return placeOn(*part_, t, u, v);
  Place place{Vec3::Zero(), Vec3::Zero()};
  const std::array<double, 3> weight{1 - u - v, u, v};
  for (std::size_t k = 0; k < 3; ++k) {
    const Vertex& at = vertices_[static_cast<std::size_t>(e.v[k])];
    place.point += weight[k] * part_->mesh.points[static_cast<std::size_t>(at.point)];
    place.normal += weight[k] * at.normal;
  }
  const double l = place.normal.norm();
  place.normal = l > 1e-9 ? Vec3(place.normal / l) : part_->mesh.facetNormal(t);
  return place;
}

} // namespace hemline
