#include "finishing/ridges.h"
#include "geometry/side_chains.h"
#include "surface/mesh_field.h"
#include <algorithm>

namespace hemline {
namespace {

constexpr double kMeeting = 4;    // sides: so much farther apart than two points their ways begin where fronts meet
constexpr double kShortest = 6;   // sides: shorter ridges are left to short passes
constexpr double kOffEnds = 0.02; // of a side: cuts stay so far from its ends
constexpr double kJoint = 3;      // sides: ends of ridges so near to each other are one ridge
constexpr double kOn = 4;         // sides: so much farther ridges run at their ends
constexpr std::size_t kBack = 6;  // points: the direction at an end is from there
constexpr int kSmoothing = 6;     // rounds

std::size_t slot(int i) {
  return static_cast<std::size_t>(i);
}

/// Without the steps from edge to edge.
std::vector<Vec3> smoothed(std::vector<Vec3> line) {
  for (int round = 0; round < kSmoothing; ++round) {
    const std::vector<Vec3> was = line;
    for (std::size_t i = 1; i + 1 < line.size(); ++i) line[i] = 0.25 * was[i - 1] + 0.5 * was[i] + 0.25 * was[i + 1];
  }
  return line;
}

/// Lines whose ends lie within `near` of each other become one, the nearest first.
std::vector<std::vector<Vec3>> joined(std::vector<std::vector<Vec3>> lines, double near) {
  for (;;) {
    std::size_t a = 0, b = 0;
    int how = 0;
    double least = near;
    for (std::size_t i = 0; i < lines.size(); ++i)
      for (std::size_t j = i + 1; j < lines.size(); ++j)
        for (int k = 0; k < 4; ++k) {
          const Vec3 &p = k & 1 ? lines[i].front() : lines[i].back(), &q = k & 2 ? lines[j].back() : lines[j].front();
          if (const double d = (p - q).norm(); d < least) least = d, a = i, b = j, how = k;
        }
    if (a == b) return lines;
    if (how & 1) std::reverse(lines[a].begin(), lines[a].end());
    if (how & 2) std::reverse(lines[b].begin(), lines[b].end());
    lines[a].insert(lines[a].end(), lines[b].begin(), lines[b].end());
    lines.erase(lines.begin() + static_cast<std::ptrdiff_t>(b));
  }
}

double lengthOf(const std::vector<Vec3>& line) {
  double length = 0;
  for (std::size_t i = 1; i < line.size(); ++i) length += (line[i] - line[i - 1]).norm();
  return length;
}

} // namespace

double meanSide(const Mesh& mesh, const std::vector<char>& region) {
  double sum = 0;
  std::size_t n = 0;
  for (std::size_t t = 0; t < region.size(); ++t)
    if (region[t]) sum += (mesh.corner(t, 1) - mesh.corner(t, 0)).norm(), ++n;
  return n > 0 ? sum / static_cast<double>(n) : 1;
}

Ridges ridgesOf(const Mesh& mesh, const std::vector<char>& region, const IntrinsicMesh::Arrivals& fronts) {
  const double side = meanSide(mesh, region);
  const auto meet = [&](int a, int b) {
    return (fronts.from[slot(a)] - fronts.from[slot(b)]).norm() >
           kMeeting * std::max((mesh.points[slot(a)] - mesh.points[slot(b)]).norm(), side);
  };
  // How each front grows as it comes near: from the facets that it has to itself.
  const MeshField field{&mesh, &fronts.distance};
  std::vector<Vec3> slope(mesh.points.size(), Vec3::Zero());
  std::vector<double> weight(mesh.points.size(), 0);
  std::vector<std::size_t> mixed;
  for (std::size_t t = 0; t < region.size(); ++t) {
    const auto& p = mesh.triangles[t];
    if (!region[t]) continue;
    if (meet(p[0], p[1]) || meet(p[1], p[2]) || meet(p[2], p[0])) {
      mixed.push_back(t);
      continue;
    }
    const double area = mesh.facetArea(t);
    const Vec3 g = area * field.gradientOn(t);
    for (const int v : p) slope[slot(v)] += g, weight[slot(v)] += area;
  }
  Ridges out;
  std::map<Side, Vec3> where;
  SidesBeside beside;
  for (const std::size_t t : mixed) {
    std::vector<Side> crossed;
    for (std::size_t k = 0; k < 3; ++k) {
      const auto [a, b] = std::minmax(mesh.triangles[t][k], mesh.triangles[t][(k + 1) % 3]);
      if (!meet(a, b)) continue;
      // Both come to the same distance there: from a growing by `there` over the side, from b by `back`.
      const Vec3 way = mesh.points[slot(b)] - mesh.points[slot(a)];
      const double there = weight[slot(a)] > 0 ? slope[slot(a)].dot(way) / weight[slot(a)] : 0,
                   back = weight[slot(b)] > 0 ? -slope[slot(b)].dot(way) / weight[slot(b)] : 0;
      if (where.find({a, b}) == where.end()) {
        const double more = fronts.distance[slot(b)] - fronts.distance[slot(a)] + back;
        const double x = there + back > 0 ? std::clamp(more / (there + back), kOffEnds, 1 - kOffEnds) : 0.5;
        where[{a, b}] = mesh.points[slot(a)] + x * way;
        out.cuts.push_back({a, b, x});
        out.value.push_back(std::max(fronts.distance[slot(a)] + there * x, fronts.distance[slot(b)] + back * (1 - x)));
      }
      crossed.emplace_back(a, b);
    }
    if (crossed.size() == 2) beside[crossed[0]].push_back(crossed[1]), beside[crossed[1]].push_back(crossed[0]);
  }
  for (const auto& chain : chainsOf(beside)) {
    std::vector<Vec3> line;
    for (const Side& crossed : chain) line.push_back(where.at(crossed));
    if (line.size() > 1) out.lines.push_back(std::move(line));
  }
  out.lines = joined(std::move(out.lines), kJoint * side);
  std::erase_if(out.lines, [&](const auto& line) { return lengthOf(line) < kShortest * side; });
  for (std::vector<Vec3>& line : out.lines) {
    line = smoothed(std::move(line));
    // Near the border fronts that meet come from places too near to be told apart: straight on.
    const auto on = [&](const Vec3& end, const Vec3& inner) { return Vec3(end + kOn * side * (end - inner).normalized()); };
    const std::size_t back = std::min(kBack, line.size() - 1);
    const Vec3 first = on(line.front(), line[back]), last = on(line.back(), line[line.size() - 1 - back]);
    line.insert(line.begin(), first);
    line.push_back(last);
  }
  return out;
}

} // namespace hemline
