#include "region/rail.h"
#include "base/error.h"
#include "geometry/outline.h"
#include <Eigen/Dense>
#include <algorithm>
#include <fmt/format.h>
#include <map>
#include <unordered_map>

namespace hemline {
namespace {

constexpr double kStillAlike = 0.5; // cosine between normals that still face alike

struct Directed {
  int from, to;
};

/// Directed edges joined end to end: first what has a beginning, then what runs round.
std::vector<std::vector<int>> chains(const std::vector<Directed>& edges, std::vector<char>& closed) {
  std::unordered_map<int, std::vector<std::size_t>> out;
  std::unordered_map<int, int> balance;
  for (std::size_t i = 0; i < edges.size(); ++i) out[edges[i].from].push_back(i), ++balance[edges[i].from], --balance[edges[i].to];
  std::vector<char> used(edges.size(), 0);
  std::vector<std::vector<int>> found;
  const auto follow = [&](std::size_t i) {
    std::vector<int> line{edges[i].from};
    for (bool more = true; more;) {
      used[i] = 1;
      const int at = edges[i].to;
      line.push_back(at);
      more = false;
      if (at == line.front()) break;
      if (const auto it = out.find(at); it != out.end())
        for (const std::size_t k : it->second)
          if (!used[k]) {
            i = k, more = true;
            break;
          }
    }
    const bool round = line.size() > 3 && line.front() == line.back();
    if (round) line.pop_back();
    closed.push_back(round);
    found.push_back(std::move(line));
  };
  for (std::size_t i = 0; i < edges.size(); ++i)
    if (!used[i] && balance[edges[i].from] > 0) follow(i);
  for (std::size_t i = 0; i < edges.size(); ++i)
    if (!used[i]) follow(i);
  return found;
}

std::vector<Rail> railsOf(const std::vector<Directed>& edges, const std::vector<Mark>& marks, const std::string& from) {
  std::vector<char> closed;
  const auto lines = chains(edges, closed);
  std::vector<Rail> rails;
  for (std::size_t i = 0; i < lines.size(); ++i) {
    Rail r;
    r.from = from, r.closed = closed[i];
    for (const int v : lines[i]) r.marks.push_back(marks[static_cast<std::size_t>(v)]);
    rails.push_back(std::move(r));
  }
  std::stable_sort(rails.begin(), rails.end(), [](const Rail& a, const Rail& b) { return a.length() > b.length(); });
  return rails;
}

/// Points of the mesh with the sum of the normals about them.
std::vector<Mark> pointMarks(const Mesh& mesh) {
  std::vector<Mark> marks(mesh.points.size());
  for (std::size_t v = 0; v < marks.size(); ++v) marks[v] = {mesh.points[v], Vec3::Zero()};
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
    for (const int v : mesh.triangles[t]) marks[static_cast<std::size_t>(v)].normal += mesh.facetNormal(t);
  for (Mark& s : marks)
    if (s.normal.norm() > 1e-9) s.normal.normalize();
  return marks;
}

/// Smooth normal at a point of facet t.
Vec3 normalAt(const Mesh& mesh, std::size_t t, const Vec3& p) {
  if (mesh.cornerNormals.empty()) return mesh.facetNormal(t);
  const Vec3 a = mesh.corner(t, 0), n = (mesh.corner(t, 1) - a).cross(mesh.corner(t, 2) - a);
  const double all = n.squaredNorm();
  if (!(all > 0)) return mesh.facetNormal(t);
  const double u = (p - a).cross(mesh.corner(t, 2) - a).dot(n) / all, v = (mesh.corner(t, 1) - a).cross(p - a).dot(n) / all;
  return mesh.smoothNormal(t, u, v);
}

/// Between the next places that are not so near that their direction would be rounding, or the facets' own zigzag.
Vec3 tangentAt(const Rail& r, std::size_t i, double near) {
  const std::size_t n = r.marks.size();
  const Vec3& p = r.marks[i].at;
  Vec3 sum = Vec3::Zero();
  for (const int way : {-1, 1}) {
    Vec3 d = Vec3::Zero();
    std::size_t k = i;
    for (std::size_t steps = 1; steps < n && d.norm() <= near; ++steps) {
      if (!r.closed && (way < 0 ? k == 0 : k + 1 == n)) break;
      k = way < 0 ? (k + n - 1) % n : (k + 1) % n;
      d = r.marks[k].at - p;
    }
    if (d.norm() > 0) sum += way * d.normalized();
  }
  return sum.norm() > 1e-9 ? Vec3(sum.normalized()) : Vec3::Zero();
}

double nearOn(const Rail& r) {
  return 0.3 * r.length() / static_cast<double>(r.marks.size());
}

/// Straightest way over the surface; past its border straight on, with the normal zero there.
Mark walk(const Part& part, const Mark& from, Vec3 along, double distance) {
  constexpr double kTurn = 0.02; // of the distance: steps are so short that the ground between them is nearly plane
  const int steps = 50;
  const double h = kTurn * distance;
  Mark at = from;
  for (int k = 0; k < steps; ++k) {
    const Vec3 to = at.at + h * along;
    if (at.normal.isZero()) {
      at.at = to;
      continue;
    }
    const Nearest q = closestPoint(*part.tree, to);
    // Beyond the border the nearest place does not follow.
    if ((to - q.point).dot(along) > 0.3 * h) {
      at = {to, Vec3::Zero()};
      continue;
    }
    at = {q.point, normalAt(part.mesh, static_cast<std::size_t>(q.triangle), q.point)};
    const Vec3 flat = along - along.dot(at.normal) * at.normal;
    if (flat.norm() > 1e-9) along = flat.normalized();
  }
  return at;
}

} // namespace

double Rail::length() const {
  double sum = 0;
  for (std::size_t i = 0; i + (closed ? 0 : 1) < marks.size(); ++i) sum += (marks[(i + 1) % marks.size()].at - marks[i].at).norm();
  return sum;
}

std::vector<Rail> borderRails(const Mesh& mesh, const std::vector<char>& facets) {
  assert(facets.size() == mesh.triangles.size());
  std::vector<Directed> edges;
  for (const MeshEdge& e : meshEdges(mesh)) {
    const bool l = e.left >= 0 && facets[static_cast<std::size_t>(e.left)], r = e.right >= 0 && facets[static_cast<std::size_t>(e.right)];
    if (l == r) continue;
    const auto& c = mesh.triangles[static_cast<std::size_t>(l ? e.left : e.right)]; // the facets lie on the left
    bool forward = false;
    for (std::size_t k = 0; k < 3; ++k) forward = forward || (c[k] == e.a && c[(k + 1) % 3] == e.b);
    edges.push_back(forward ? Directed{e.a, e.b} : Directed{e.b, e.a});
  }
  return railsOf(edges, pointMarks(mesh), "border");
}

Rail edgeRail(const Part& part, const Vec3& near) {
  const Mesh& mesh = part.mesh;
  const auto edges = meshEdges(mesh);
  const auto patch = [&](int t) { return t < 0 ? -1 : mesh.patch[static_cast<std::size_t>(t)]; };
  const auto pair = [&](const MeshEdge& e) { return std::minmax({patch(e.left), patch(e.right)}); };
  double best = kInfinity;
  const MeshEdge* nearest = nullptr;
  for (const MeshEdge& e : edges) {
    if (patch(e.left) == patch(e.right)) continue;
    Vec3 p, q;
    const double d =
        distanceSegments(near, near, mesh.points[static_cast<std::size_t>(e.a)], mesh.points[static_cast<std::size_t>(e.b)], p, q);
    if (d < best) best = d, nearest = &e;
  }
  if (!nearest) throw Error(Fault::Missing, "The model has no edge", part.name, "Draw the rail, or take a section.");
  std::vector<Directed> run;
  for (const MeshEdge& e : edges)
    if (pair(e) == pair(*nearest)) {
      const int low = patch(e.left) == pair(e).second ? e.left : e.right; // the later patch lies on the left
      const auto& c = mesh.triangles[static_cast<std::size_t>(low)];
      bool forward = false;
      for (std::size_t k = 0; k < 3; ++k) forward = forward || (c[k] == e.a && c[(k + 1) % 3] == e.b);
      run.push_back(forward ? Directed{e.a, e.b} : Directed{e.b, e.a});
    }
  const Vec3 a = mesh.points[static_cast<std::size_t>(nearest->a)], b = mesh.points[static_cast<std::size_t>(nearest->b)];
  for (Rail& r : railsOf(run, pointMarks(mesh), "edge"))
    for (std::size_t i = 0; i < r.marks.size(); ++i)
      if (const Vec3& p = r.marks[i].at, &q = r.marks[(i + 1) % r.marks.size()].at; (p == a && q == b) || (p == b && q == a)) return r;
  throw Error(Fault::Cannot, "The edge could not be followed", part.name, "Draw the rail, or take a section.");
}

std::vector<Rail> sectionRails(const Part& part, const Vec3& at, const Vec3& normal) {
  const Mesh& mesh = part.mesh;
  std::vector<double> height(mesh.points.size());
  for (std::size_t v = 0; v < height.size(); ++v) height[v] = (mesh.points[v] - at).dot(normal);
  std::unordered_map<std::uint64_t, int> known;
  std::vector<Mark> marks;
  std::vector<Directed> edges;
  const auto crossing = [&](int a, int b, const Vec3& n) {
    const auto low = static_cast<std::uint64_t>(std::min(a, b)), high = static_cast<std::uint64_t>(std::max(a, b));
    const auto [it, fresh] = known.try_emplace(low << 32 | high, static_cast<int>(marks.size()));
    if (fresh) {
      const double h = height[low], g = height[high];
      marks.push_back({mesh.points[low] + h / (h - g) * (mesh.points[high] - mesh.points[low]), Vec3::Zero()});
    }
    marks[static_cast<std::size_t>(it->second)].normal += n;
    return it->second;
  };
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    int from = -1, to = -1;
    const Vec3 n = mesh.facetNormal(t);
    for (std::size_t k = 0; k < 3; ++k) {
      const int a = mesh.triangles[t][k], b = mesh.triangles[t][(k + 1) % 3];
      const bool up = height[static_cast<std::size_t>(a)] >= 0, upNext = height[static_cast<std::size_t>(b)] >= 0;
      if (up && !upNext) from = crossing(a, b, n);
      if (!up && upNext) to = crossing(a, b, n);
    }
    if (from >= 0 && to >= 0 && from != to) edges.push_back({from, to});
  }
  for (Mark& s : marks)
    if (s.normal.norm() > 1e-9) s.normal.normalize();
  return railsOf(edges, marks, "section");
}

Rail drawnRail(const Part& part, const std::vector<Mark>& through, bool closed, double step) {
  if (through.size() < (closed ? 3u : 2u))
    throw Error(Fault::Missing, "The rail has too few places", "rail",
                closed ? "Set at least three for a closed one." : "Set at least two.");
  Rail out;
  out.from = "drawn", out.closed = closed;
  for (std::size_t i = 0; i + (closed ? 0 : 1) < through.size(); ++i) {
    const Mark &a = through[i], &b = through[(i + 1) % through.size()];
    const Vec3 d = b.at - a.at, across = d.cross(a.normal + b.normal);
    if (!(d.norm() > 1e-9)) continue;
    if (!(across.norm() > 1e-9 * d.norm()))
      throw Error(Fault::Cannot, fmt::format("Places {} and {} of the rail face each other", i + 1, i + 2), "rail",
                  "Set a place between them.");
    // Of all lines in that plane the one that meets both places, the shorter way round.
    double best = kInfinity;
    std::vector<Mark> way;
    for (const Rail& r : sectionRails(part, a.at, across.normalized())) {
      const auto nearest = [&](const Vec3& p, double& off) {
        std::size_t at = 0;
        off = kInfinity;
        for (std::size_t k = 0; k + (r.closed ? 0 : 1) < r.marks.size(); ++k) {
          Vec3 x, y;
          if (const double e = distanceSegments(p, p, r.marks[k].at, r.marks[(k + 1) % r.marks.size()].at, x, y); e < off) off = e, at = k;
        }
        return at;
      };
      double offA = 0, offB = 0;
      const std::size_t from = nearest(a.at, offA), to = nearest(b.at, offB), n = r.marks.size();
      const double limit = 1e-3 * d.norm() + 2 * part.facetError + 1e-6;
      if (offA > limit || offB > limit) continue;
      for (const bool forward : {true, false}) { // places strictly between both, one way and the other
        if (!r.closed && forward != (from <= to) && from != to) continue;
        std::vector<Mark> middle;
        if (forward)
          for (std::size_t k = from; k != to; k = (k + 1) % n) middle.push_back(r.marks[(k + 1) % n]);
        else
          for (std::size_t k = from; k != to; k = (k + n - 1) % n) middle.push_back(r.marks[k]);
        if (from == to && !forward) continue;
        double length = 0;
        Vec3 last = a.at;
        for (const Mark& s : middle) length += (s.at - last).norm(), last = s.at;
        length += (b.at - last).norm();
        if (length < best) best = length, way = std::move(middle);
      }
    }
    if (best > kFinite)
      throw Error(Fault::Missing, fmt::format("There is no way along the surface from place {} of the rail to the next", i + 1), "rail",
                  "Set a place between them.");
    out.marks.push_back(a);
    Vec3 last = a.at;
    for (std::size_t k = 0; k < way.size(); ++k) { // thinned to the step, but never at a bend
      const Vec3 in = way[k].at - last, onward = (k + 1 < way.size() ? way[k + 1].at : b.at) - way[k].at;
      const bool bends = in.norm() > 1e-12 && onward.norm() > 1e-12 && in.normalized().dot(onward.normalized()) < 0.9999;
      if (in.norm() < 1e-6 || (in.norm() < step && !bends)) continue;
      out.marks.push_back(way[k]);
      last = way[k].at;
    }
  }
  if (!closed) out.marks.push_back(through.back());
  return out;
}

Rail offsetRail(const Part& part, const Rail& rail, double distance) {
  Rail out = rail;
  out.from = "moved";
  const double near = nearOn(rail);
  for (std::size_t i = 0; i < rail.marks.size(); ++i) {
    const Vec3 left = rail.marks[i].normal.cross(tangentAt(rail, i, near));
    if (left.norm() > 1e-9) out.marks[i] = walk(part, rail.marks[i], std::copysign(1.0, distance) * left.normalized(), std::abs(distance));
  }
  return out;
}

Rail extendedRail(const Rail& rail, double atStart, double atEnd) {
  if (rail.closed || rail.marks.size() < 2) throw Error(Fault::Missing, "A closed rail has no ends", rail.name, "Extend an open one.");
  Rail out = rail;
  const std::size_t n = rail.marks.size();
  const double near = nearOn(rail);
  if (atEnd > 0) out.marks.push_back({rail.marks.back().at + atEnd * tangentAt(rail, n - 1, near), Vec3::Zero()});
  if (atStart > 0) out.marks.insert(out.marks.begin(), {rail.marks.front().at - atStart * tangentAt(rail, 0, near), Vec3::Zero()});
  return out;
}

FoundRail findRail(const Part& part, const Rail& rail, double reach) {
  FoundRail out;
  out.rail = rail, out.all = rail.marks.size();
  out.rail.marks.clear();
  for (const Mark& s : rail.marks) {
    if (s.normal.isZero()) { // in air
      out.rail.marks.push_back(s);
      continue;
    }
    const Nearest q = closestPoint(*part.tree, s.at, reach);
    const Vec3 n = q.triangle < 0 ? Vec3::Zero() : normalAt(part.mesh, static_cast<std::size_t>(q.triangle), q.point);
    if (!(n.dot(s.normal) > kStillAlike)) {
      ++out.lost;
      continue;
    }
    out.moved = std::max(out.moved, q.distance);
    out.rail.marks.push_back({q.point, n});
  }
  return out;
}

std::vector<Vec2> outlineOf(const Rail& rail, const Vec3& x, const Vec3& y, double out) {
  if (!rail.closed || rail.marks.size() < 3)
    throw Error(Fault::Cannot, "The rail is open, so it bounds nothing", rail.name, "Choose a closed rail, or close this one.");
  Outline line;
  for (const Mark& s : rail.marks) line.emplace_back(x.dot(s.at), y.dot(s.at));
  double twice = 0;
  for (std::size_t i = 0; i < line.size(); ++i) {
    const Vec2 &a = line[i], &b = line[(i + 1) % line.size()];
    twice += a.x() * b.y() - a.y() * b.x();
  }
  if (twice < 0) std::reverse(line.begin(), line.end());
  const double all = regionArea(intersect({line}, {line}));
  if (!(all > 0) || std::abs(all - 0.5 * std::abs(twice)) > 1e-3 * all)
    throw Error(Fault::Cannot, "Seen along the axis, the rail crosses itself", rail.name, "Draw one that runs round its ground once.");
  if (out == 0) return line;
  const Outlines moved = offset({line}, out);
  if (moved.empty()) throw Error(Fault::NothingToDo, "Moved inward so far, nothing is left within the rail", rail.name, "Move it less.");
  return *std::max_element(moved.begin(), moved.end(),
                           [](const Outline& a, const Outline& b) { return regionArea({a}) < regionArea({b}); });
}

} // namespace hemline
