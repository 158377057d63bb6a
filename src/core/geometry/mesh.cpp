#include "geometry/mesh.h"
#include "base/hash.h"
#include "base/threads.h"
#include <algorithm>
#include <bit>
#include <cmath>
#include <functional>
#include <map>
#include <numeric>
#include <tbb/parallel_sort.h>
#include <tuple>

namespace hemline {

Vec3 Mesh::facetNormal(std::size_t t) const {
  const Vec3 n = (corner(t, 1) - corner(t, 0)).cross(corner(t, 2) - corner(t, 0));
  const double l = n.norm();
  return l > 0 ? Vec3(n / l) : Vec3::Zero();
}

double Mesh::facetArea(std::size_t t) const {
  return 0.5 * (corner(t, 1) - corner(t, 0)).cross(corner(t, 2) - corner(t, 0)).norm();
}

Vec3 Mesh::smoothNormal(std::size_t t, double u, double v) const {
  if (cornerNormals.empty()) return facetNormal(t);
  const Vec3 n = (1 - u - v) * cornerNormals[3 * t] + u * cornerNormals[3 * t + 1] + v * cornerNormals[3 * t + 2];
  const double l = n.norm();
  return l > 1e-9 ? Vec3(n / l) : facetNormal(t);
}

Box Mesh::bounds() const {
  Box box;
  for (const Vec3& p : points) box.add(p);
  return box;
}

double Mesh::area() const {
  double sum = 0;
  for (std::size_t t = 0; t < triangles.size(); ++t) sum += facetArea(t);
  return sum;
}

double Mesh::volume() const {
  if (points.empty()) return 0;
  const Vec3 o = points.front();
  double sum = 0;
  for (std::size_t t = 0; t < triangles.size(); ++t) sum += (corner(t, 0) - o).dot((corner(t, 1) - o).cross(corner(t, 2) - o));
  return sum / 6;
}

namespace {

/// Index of each soup point among the distinct ones; equal means bitwise equal (with -0 taken as 0).
std::vector<int> indexDistinct(const std::vector<Vec3>& soup, std::vector<Vec3>& distinct) {
  const std::size_t capacity = std::bit_ceil(soup.size() * 2 + 16);
  std::vector<int> table(capacity, -1);
  std::vector<int> index(soup.size());
  distinct.reserve(soup.size() / 4);
  for (std::size_t i = 0; i < soup.size(); ++i) {
    Vec3 p = soup[i];
    for (int k = 0; k < 3; ++k)
      if (p[k] == 0) p[k] = 0;
    std::size_t slot = hashArray(p.data(), 3).low & (capacity - 1);
    while (table[slot] >= 0 && distinct[static_cast<std::size_t>(table[slot])] != p) slot = (slot + 1) & (capacity - 1);
    if (table[slot] < 0) {
      table[slot] = static_cast<int>(distinct.size());
      distinct.push_back(p);
    }
    index[i] = table[slot];
  }
  return index;
}

/// Joins boundary points that lie within the tolerance of each other (first in index order wins).
std::size_t weldGaps(Mesh& mesh, double tolerance) {
  std::vector<int> open;
  for (const MeshEdge& e : meshEdges(mesh))
    if (e.right < 0) {
      open.push_back(e.a);
      open.push_back(e.b);
    }
  std::sort(open.begin(), open.end());
  open.erase(std::unique(open.begin(), open.end()), open.end());
  if (open.empty()) return 0;
  const auto at = [&](int i) -> const Vec3& { return mesh.points[static_cast<std::size_t>(i)]; };
  std::sort(open.begin(), open.end(), [&](int a, int b) { return std::make_pair(at(a).x(), a) < std::make_pair(at(b).x(), b); });
  std::vector<int> to(mesh.points.size());
  std::iota(to.begin(), to.end(), 0);
  std::size_t welded = 0;
  for (std::size_t i = 0; i < open.size(); ++i)
    for (std::size_t j = i + 1; j < open.size() && at(open[j]).x() - at(open[i]).x() <= tolerance; ++j) {
      const auto a = static_cast<std::size_t>(open[i]), b = static_cast<std::size_t>(open[j]);
      if (to[b] == open[j] && (mesh.points[a] - mesh.points[b]).norm() <= tolerance) {
        to[b] = to[a];
        ++welded;
      }
    }
  if (welded)
    for (auto& t : mesh.triangles)
      for (int& i : t) i = to[static_cast<std::size_t>(i)];
  return welded;
}

/// Has the triangle no usable normal: repeated corners, or thinner than the tolerance?
bool isSliver(const Mesh& mesh, std::size_t t, double tolerance) {
  const auto& tri = mesh.triangles[t];
  if (tri[0] == tri[1] || tri[1] == tri[2] || tri[2] == tri[0]) return true;
  const Vec3 &a = mesh.corner(t, 0), &b = mesh.corner(t, 1), &c = mesh.corner(t, 2);
  const double longest = std::max({(b - a).norm(), (c - b).norm(), (a - c).norm()});
  return (b - a).cross(c - a).norm() <= tolerance * longest;
}

bool runsForward(const std::array<int, 3>& tri, int a, int b) {
  return (tri[0] == a && tri[1] == b) || (tri[1] == a && tri[2] == b) || (tri[2] == a && tri[0] == b);
}

/// Slivers are taken out so that no hole opens: short sides are drawn together, and where a corner lies on the opposite
/// side, the neighbour there is cut in two at that corner. Returns how many were taken out.
std::size_t mendSlivers(Mesh& mesh, double tolerance) {
  std::vector<std::size_t> slivers;
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
    if (isSliver(mesh, t, tolerance)) slivers.push_back(t);
  if (slivers.empty()) return 0;
  std::vector<int> to(mesh.points.size());
  std::iota(to.begin(), to.end(), 0);
  for (const std::size_t t : slivers)
    for (std::size_t k = 0; k < 3; ++k) {
      const int a = mesh.triangles[t][k], b = mesh.triangles[t][(k + 1) % 3];
      const int into = to[static_cast<std::size_t>(std::min(a, b))];
      if ((mesh.corner(t, k) - mesh.corner(t, (k + 1) % 3)).norm() <= tolerance) to[static_cast<std::size_t>(std::max(a, b))] = into;
    }
  for (auto& t : mesh.triangles)
    for (int& i : t) i = to[static_cast<std::size_t>(i)];
  std::vector<char> drop(mesh.triangles.size(), 0);
  std::size_t count = 0;
  const auto repeated = [&](std::size_t t) {
    const auto& tri = mesh.triangles[t];
    return tri[0] == tri[1] || tri[1] == tri[2] || tri[2] == tri[0];
  };
  for (const std::size_t t : slivers)
    if (repeated(t)) drop[t] = 1, ++count;
  std::map<std::pair<int, int>, std::vector<std::size_t>> around; // sides of the slivers that are left
  const auto side = [](int a, int b) { return std::pair(std::min(a, b), std::max(a, b)); };
  for (const std::size_t t : slivers)
    for (std::size_t k = 0; k < 3 && !drop[t]; ++k) around[side(mesh.triangles[t][k], mesh.triangles[t][(k + 1) % 3])];
  if (!around.empty())
    for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
      for (std::size_t k = 0; k < 3 && !drop[t]; ++k)
        if (const auto it = around.find(side(mesh.triangles[t][k], mesh.triangles[t][(k + 1) % 3])); it != around.end())
          it->second.push_back(t);
  std::vector<char> touched(mesh.triangles.size(), 0); // its sides are no longer those in the list
  for (const std::size_t t : slivers) {
    if (drop[t] || touched[t]) continue;
    std::size_t longest = 0;
    double most = -1;
    for (std::size_t k = 0; k < 3; ++k)
      if (const double l = (mesh.corner(t, k) - mesh.corner(t, (k + 1) % 3)).norm(); l > most) most = l, longest = k;
    const int a = mesh.triangles[t][longest], b = mesh.triangles[t][(longest + 1) % 3], c = mesh.triangles[t][(longest + 2) % 3];
    const auto& both = around[side(a, b)];
    if (both.size() != 2) continue;
    const std::size_t o = both[0] == t ? both[1] : both[0];
    if (touched[o] || drop[o] || o == t) continue;
    const std::array<int, 3> other = mesh.triangles[o];
    int d = -1;
    for (const int i : other)
      if (i != a && i != b) d = i;
    if (d == c || d < 0) continue;
    const bool forward = runsForward(other, a, b);
    mesh.triangles[t] = forward ? std::array{a, c, d} : std::array{c, a, d};
    mesh.triangles[o] = forward ? std::array{c, b, d} : std::array{b, c, d};
    mesh.patch[t] = mesh.patch[o];
    touched[t] = touched[o] = 1;
    ++count;
  }
  std::size_t kept = 0;
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
    if (!drop[t] && mesh.facetArea(t) > 0) {
      mesh.patch[kept] = mesh.patch[t];
      mesh.triangles[kept++] = mesh.triangles[t];
    } else if (!drop[t]) {
      ++count;
    }
  mesh.triangles.resize(kept);
  mesh.patch.resize(kept);
  return count;
}

std::size_t dropDuplicates(Mesh& mesh) {
  std::vector<std::pair<std::array<int, 3>, int>> sorted(mesh.triangles.size());
  for (std::size_t t = 0; t < sorted.size(); ++t) {
    sorted[t] = {mesh.triangles[t], static_cast<int>(t)};
    std::sort(sorted[t].first.begin(), sorted[t].first.end());
  }
  tbb::parallel_sort(sorted.begin(), sorted.end());
  std::vector<char> drop(mesh.triangles.size(), 0);
  std::size_t dropped = 0;
  for (std::size_t i = 1; i < sorted.size(); ++i)
    if (sorted[i].first == sorted[i - 1].first) {
      drop[static_cast<std::size_t>(sorted[i].second)] = 1;
      ++dropped;
    }
  if (!dropped) return 0;
  std::size_t kept = 0;
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
    if (!drop[t]) {
      mesh.patch[kept] = mesh.patch[t];
      mesh.triangles[kept++] = mesh.triangles[t];
    }
  mesh.triangles.resize(kept);
  mesh.patch.resize(kept);
  return dropped;
}

constexpr double kNearlyClosed = 0.02; // holes' share of the area

/// Does a ray from p meet the triangles of all other shells an odd number of times?
bool insideOthers(const Mesh& mesh, const std::vector<int>& shellOf, int shell, const Vec3& p) {
  const Vec3 d = Vec3(0.5144957554275265, 0.6859943405700354, 0.5144957554275266); // along no usual face
  bool in = false;
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    if (shellOf[t] == shell) continue;
    const Vec3 &a = mesh.corner(t, 0), e = mesh.corner(t, 1) - a, f = mesh.corner(t, 2) - a, h = d.cross(f);
    const double det = e.dot(h);
    if (det == 0) continue;
    const double u = (p - a).dot(h) / det;
    const Vec3 q = (p - a).cross(e);
    const double v = d.dot(q) / det;
    if (u >= 0 && v >= 0 && u + v <= 1 && f.dot(q) / det > 0) in = !in;
  }
  return in;
}

/// All facets that hang together with the first one of `shell`, turned as it is; how many had to be. `open`: one has a free edge.
std::size_t walkShell(Mesh& mesh, const FacetNeighbours& over, std::vector<char>& seen, std::vector<int>& shell, bool& open) {
  std::size_t turned = 0;
  for (std::size_t i = 0; i < shell.size(); ++i) {
    const auto t = static_cast<std::size_t>(shell[i]);
    for (std::size_t k = 0; k < 3; ++k) {
      const int o = over[t][k];
      if (o < 0) {
        open = true;
        continue;
      }
      auto& other = mesh.triangles[static_cast<std::size_t>(o)];
      if (seen[static_cast<std::size_t>(o)]) continue;
      seen[static_cast<std::size_t>(o)] = 1;
      // `over` is indexed by edge position, which a flip changes; look the edge up by its points instead.
      int a = -1, b = -1;
      for (std::size_t m = 0; m < 3; ++m)
        for (std::size_t n = 0; n < 3; ++n) {
          const int p = mesh.triangles[t][m], q = mesh.triangles[t][(m + 1) % 3];
          if ((other[n] == q && other[(n + 1) % 3] == p) || (other[n] == p && other[(n + 1) % 3] == q)) a = p, b = q;
        }
      if (a >= 0 && runsForward(other, a, b)) {
        std::swap(other[1], other[2]);
        ++turned;
      }
      shell.push_back(o);
    }
  }
  return turned;
}

/// Holes: loops of boundary edges, counted as connected sets of boundary points.
void countHoles(const Mesh& mesh, const std::vector<MeshEdge>& edges, MeshReport& report) {
  std::vector<int> root(mesh.points.size(), -1);
  std::function<int(int)> find = [&](int i) {
    while (root[static_cast<std::size_t>(i)] != i)
      i = root[static_cast<std::size_t>(i)] = root[static_cast<std::size_t>(root[static_cast<std::size_t>(i)])];
    return i;
  };
  for (const MeshEdge& e : edges)
    if (e.right < 0) {
      for (const int i : {e.a, e.b})
        if (root[static_cast<std::size_t>(i)] < 0) {
          root[static_cast<std::size_t>(i)] = i;
          ++report.holes;
        }
      const int a = find(e.a), b = find(e.b);
      if (a != b) {
        root[static_cast<std::size_t>(b)] = a;
        --report.holes;
      }
    }
}

void orient(Mesh& mesh, MeshReport& report, bool openFacesUp) {
  std::size_t nonManifold = 0;
  const auto edges = meshEdges(mesh, &nonManifold);
  report.nonManifoldEdges = nonManifold;
  report.boundaryEdges = static_cast<std::size_t>(std::count_if(edges.begin(), edges.end(), [](const MeshEdge& e) { return e.right < 0; }));
  const auto over = facetNeighbours(mesh, edges);
  std::vector<char> seen(mesh.triangles.size(), 0);
  std::vector<int> shell, shellOf(mesh.triangles.size(), 0);
  std::vector<std::vector<int>> inward; // closed shells that came facing inward: voids, where they lie in others
  for (std::size_t seed = 0; seed < mesh.triangles.size(); ++seed) {
    if (seen[seed]) continue;
    ++report.components;
    shell.assign(1, static_cast<int>(seed));
    seen[seed] = 1;
    bool open = false;
    std::size_t turned = walkShell(mesh, over, seen, shell, open);
    for (const int i : shell) shellOf[static_cast<std::size_t>(i)] = static_cast<int>(report.components);
    double volume = 0, area = 0;
    Vec3 vectorArea = Vec3::Zero();
    const Vec3 origin = mesh.corner(seed, 0);
    for (const int i : shell) {
      const auto t = static_cast<std::size_t>(i);
      const Vec3 cross = (mesh.corner(t, 1) - mesh.corner(t, 0)).cross(mesh.corner(t, 2) - mesh.corner(t, 0));
      volume += (mesh.corner(t, 0) - origin).dot(cross);
      area += cross.norm();
      vectorArea += cross;
    }
    // The outside of a closed shell is told by its volume, also where a few triangles are missing (the vector area is that of
    // the holes, then); an open sheet faces up.
    double measure = volume;
    if (open && vectorArea.norm() > kNearlyClosed * area) measure = openFacesUp ? vectorArea.z() : 2 * turned > shell.size() ? -1 : 1;
    if (!open && volume < 0 && turned == 0) inward.push_back(shell);
    if (measure < 0) {
      for (const int i : shell) std::swap(mesh.triangles[static_cast<std::size_t>(i)][1], mesh.triangles[static_cast<std::size_t>(i)][2]);
      turned = shell.size() - turned;
    }
    report.flipped += turned;
  }
  for (const auto& cavity : inward) {
    constexpr std::size_t kAsked = 7; // of its corners; all have to lie inside
    bool in = report.components > 1;
    for (std::size_t k = 0; in && k < kAsked; ++k) {
      const auto t = static_cast<std::size_t>(cavity[k * (cavity.size() - 1) / (kAsked - 1)]);
      in = insideOthers(mesh, shellOf, shellOf[t], mesh.corner(t, 0));
    }
    if (!in) continue;
    for (const int i : cavity) std::swap(mesh.triangles[static_cast<std::size_t>(i)][1], mesh.triangles[static_cast<std::size_t>(i)][2]);
    report.flipped -= cavity.size();
    ++report.voids;
  }
  report.closed = report.boundaryEdges == 0 && report.nonManifoldEdges == 0;
  countHoles(mesh, edges, report);
}

void dropUnusedPoints(Mesh& mesh) {
  std::vector<int> to(mesh.points.size(), -1);
  std::vector<Vec3> used;
  for (auto& t : mesh.triangles)
    for (int& i : t) {
      int& target = to[static_cast<std::size_t>(i)];
      if (target < 0) {
        target = static_cast<int>(used.size());
        used.push_back(mesh.points[static_cast<std::size_t>(i)]);
      }
      i = target;
    }
  mesh.points = std::move(used);
}

} // namespace

std::vector<MeshEdge> meshEdges(const Mesh& mesh, std::size_t* nonManifold) {
  // Sides laid out by their smaller corner; the few at one corner are then sorted.
  struct Half {
    int a, b, t;
  };
  std::vector<std::size_t> start(mesh.points.size() + 1, 0);
  for (const auto& t : mesh.triangles)
    for (std::size_t k = 0; k < 3; ++k) ++start[static_cast<std::size_t>(std::min(t[k], t[(k + 1) % 3])) + 1];
  std::partial_sum(start.begin(), start.end(), start.begin());
  std::vector<std::size_t> fill(start.begin(), start.end() - 1);
  std::vector<Half> halves(mesh.triangles.size() * 3);
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
    for (std::size_t k = 0; k < 3; ++k) {
      const int a = mesh.triangles[t][k], b = mesh.triangles[t][(k + 1) % 3];
      halves[fill[static_cast<std::size_t>(std::min(a, b))]++] = {std::min(a, b), std::max(a, b), static_cast<int>(t)};
    }
  parallelChunks(mesh.points.size(), 4096, [&](std::size_t first, std::size_t last) {
    for (std::size_t i = first; i < last; ++i)
      std::sort(halves.begin() + static_cast<std::ptrdiff_t>(start[i]), halves.begin() + static_cast<std::ptrdiff_t>(start[i + 1]),
                [](const Half& x, const Half& y) { return std::tie(x.b, x.t) < std::tie(y.b, y.t); });
  });
  std::vector<MeshEdge> edges;
  edges.reserve(halves.size() / 2);
  if (nonManifold) *nonManifold = 0;
  for (std::size_t i = 0; i < halves.size();) {
    std::size_t j = i;
    while (j < halves.size() && halves[j].a == halves[i].a && halves[j].b == halves[i].b) ++j;
    if (j - i == 1) edges.push_back({halves[i].a, halves[i].b, halves[i].t, -1});
    for (std::size_t k = i; k + 1 < j; k += 2) edges.push_back({halves[i].a, halves[i].b, halves[k].t, halves[k + 1].t});
    if (j - i > 2 && nonManifold) ++*nonManifold;
    i = j;
  }
  return edges;
}

Mesh weldAndOrient(const std::vector<Vec3>& soup, MeshReport& report, Progress& progress, bool openFacesUp) {
  Mesh mesh;
  report.trianglesRead = soup.size() / 3;
  const auto index = indexDistinct(soup, mesh.points);
  progress.check();
  report.pointsWelded = soup.size() - mesh.points.size();
  mesh.triangles.resize(soup.size() / 3);
  mesh.patch.resize(mesh.triangles.size());
  std::iota(mesh.patch.begin(), mesh.patch.end(), 0);
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
    for (std::size_t k = 0; k < 3; ++k) mesh.triangles[t][k] = index[3 * t + k];
  // Single-precision files carry about 6e-8 of their extent; a few of those are noise, not shape.
  report.weldTolerance = mesh.bounds().diagonal() * 1e-7;
  report.gapsWelded = weldGaps(mesh, report.weldTolerance);
  report.degenerateDropped = mendSlivers(mesh, report.weldTolerance);
  report.duplicatesDropped = dropDuplicates(mesh);
  progress.check();
  dropUnusedPoints(mesh);
  orient(mesh, report, openFacesUp);
  return mesh;
}

void findPatches(Mesh& mesh, double crease) {
  const std::size_t n = mesh.triangles.size();
  const auto edges = meshEdges(mesh);
  const auto over = facetNeighbours(mesh, edges);
  std::vector<Vec3> normal(n);
  for (std::size_t t = 0; t < n; ++t) normal[t] = mesh.facetNormal(t);
  const double limit = std::cos(crease);
  if (mesh.patch.size() != n) {
    mesh.patch.assign(n, -1);
    int count = 0;
    std::vector<int> stack;
    for (std::size_t seed = 0; seed < n; ++seed) {
      if (mesh.patch[seed] >= 0) continue;
      mesh.patch[seed] = count;
      stack.assign(1, static_cast<int>(seed));
      while (!stack.empty()) {
        const auto t = static_cast<std::size_t>(stack.back());
        stack.pop_back();
        for (const int o : over[t])
          if (o >= 0 && mesh.patch[static_cast<std::size_t>(o)] < 0 && normal[t].dot(normal[static_cast<std::size_t>(o)]) > limit) {
            mesh.patch[static_cast<std::size_t>(o)] = count;
            stack.push_back(o);
          }
      }
      ++count;
    }
  }
  if (mesh.cornerNormals.size() == 3 * n) return;
  // Corner normals: angle-weighted over the triangles round a point that turn less than the crease from this one
  // (G. Thuermer, C. Wuethrich, J. Graphics Tools 3(1), 1998).
  std::vector<std::vector<int>> fan;
  std::vector<int> start(mesh.points.size() + 1, 0), around(3 * n);
  for (const auto& t : mesh.triangles)
    for (const int i : t) ++start[static_cast<std::size_t>(i) + 1];
  std::partial_sum(start.begin(), start.end(), start.begin());
  std::vector<int> fill(start.begin(), start.end() - 1);
  for (std::size_t t = 0; t < n; ++t)
    for (const int i : mesh.triangles[t]) around[static_cast<std::size_t>(fill[static_cast<std::size_t>(i)]++)] = static_cast<int>(t);
  std::vector<double> angle(3 * n);
  parallelChunks(n, 4096, [&](std::size_t first, std::size_t last) {
    for (std::size_t t = first; t < last; ++t)
      for (std::size_t k = 0; k < 3; ++k) {
        const Vec3 u = mesh.corner(t, (k + 1) % 3) - mesh.corner(t, k), v = mesh.corner(t, (k + 2) % 3) - mesh.corner(t, k);
        angle[3 * t + k] = std::atan2(u.cross(v).norm(), u.dot(v));
      }
  });
  mesh.cornerNormals.resize(3 * n);
  parallelChunks(n, 4096, [&](std::size_t first, std::size_t last) {
    for (std::size_t t = first; t < last; ++t)
      for (std::size_t k = 0; k < 3; ++k) {
        const int i = mesh.triangles[t][k];
        Vec3 sum = Vec3::Zero();
        for (int s = start[static_cast<std::size_t>(i)]; s < start[static_cast<std::size_t>(i) + 1]; ++s) {
          const auto o = static_cast<std::size_t>(around[static_cast<std::size_t>(s)]);
          if (normal[o].dot(normal[t]) < limit) continue;
          std::size_t m = 0;
          while (mesh.triangles[o][m] != i) ++m;
          sum += angle[3 * o + m] * normal[o];
        }
        mesh.cornerNormals[3 * t + k] = sum.norm() > 1e-12 ? Vec3(sum.normalized()) : normal[t];
      }
  });
}

FacetNeighbours facetNeighbours(const Mesh& mesh, const std::vector<MeshEdge>& edges) {
  FacetNeighbours over(mesh.triangles.size(), {-1, -1, -1});
  const auto put = [&](int t, const MeshEdge& e, int other) {
    const auto& tri = mesh.triangles[static_cast<std::size_t>(t)];
    for (std::size_t k = 0; k < 3; ++k) {
      const int a = tri[k], b = tri[(k + 1) % 3];
      if (std::min(a, b) == e.a && std::max(a, b) == e.b && over[static_cast<std::size_t>(t)][k] < 0) {
        over[static_cast<std::size_t>(t)][k] = other;
        return;
      }
    }
  };
  for (const MeshEdge& e : edges)
    if (e.right >= 0) {
      put(e.left, e, e.right);
      put(e.right, e, e.left);
    }
  return over;
}

} // namespace hemline
