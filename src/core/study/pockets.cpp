#include "study/pockets.h"
#include <algorithm>
#include <queue>

namespace hemline {
namespace {

constexpr double kNothing = -kInfinity;

struct HeightMap {
  std::size_t n = 0, m = 0;
  double cell = 0;
  Vec3 origin = Vec3::Zero(), x = Vec3::UnitX(), y = Vec3::UnitY(), up = Vec3::UnitZ();
  std::vector<double> z;
  Vec3 place(std::size_t i) const {
    return origin + (static_cast<double>(i % n) + 0.5) * cell * x + (static_cast<double>(i / n) + 0.5) * cell * y + z[i] * up;
  }
};

HeightMap heightMap(const Part& part, const Vec3& up, std::size_t across) {
  HeightMap h;
  h.up = up;
  frameAround(up, h.x, h.y);
  const Mesh& mesh = part.mesh;
  Box box;
  std::vector<Vec3> in(mesh.points.size());
  for (std::size_t v = 0; v < in.size(); ++v) {
    const Vec3& p = mesh.points[v];
    in[v] = Vec3(h.x.dot(p), h.y.dot(p), up.dot(p));
    box.add(in[v]);
  }
  h.cell = std::max({box.size().x(), box.size().y(), 1e-9}) / static_cast<double>(across);
  h.n = static_cast<std::size_t>(std::ceil(box.size().x() / h.cell)) + 1,
  h.m = static_cast<std::size_t>(std::ceil(box.size().y() / h.cell)) + 1;
  // Centred, so that neither side of a symmetric part comes out differently.
  const double x0 = box.center().x() - 0.5 * static_cast<double>(h.n) * h.cell,
               y0 = box.center().y() - 0.5 * static_cast<double>(h.m) * h.cell;
  h.origin = x0 * h.x + y0 * h.y;
  h.z.assign(h.n * h.m, kNothing);
  for (const auto& t : mesh.triangles) {
    const Vec3 &a = in[static_cast<std::size_t>(t[0])], &b = in[static_cast<std::size_t>(t[1])], &c = in[static_cast<std::size_t>(t[2])];
    const double area = (b - a).head<2>().x() * (c - a).head<2>().y() - (b - a).head<2>().y() * (c - a).head<2>().x();
    if (!(std::abs(area) > 0)) continue;
    const auto first = [&](double least, double from, std::size_t most) {
      return static_cast<std::size_t>(std::clamp(std::ceil((least - from) / h.cell - 0.5), 0.0, static_cast<double>(most)));
    };
    const std::size_t i0 = first(std::min({a.x(), b.x(), c.x()}), x0, h.n), j0 = first(std::min({a.y(), b.y(), c.y()}), y0, h.m);
    const double right = std::max({a.x(), b.x(), c.x()}), far = std::max({a.y(), b.y(), c.y()});
    for (std::size_t j = j0; j < h.m && y0 + (static_cast<double>(j) + 0.5) * h.cell <= far; ++j)
      for (std::size_t i = i0; i < h.n && x0 + (static_cast<double>(i) + 0.5) * h.cell <= right; ++i) {
        const Vec2 p(x0 + (static_cast<double>(i) + 0.5) * h.cell, y0 + (static_cast<double>(j) + 0.5) * h.cell);
        const auto weight = [&](const Vec3& q, const Vec3& r) {
          return ((q.x() - p.x()) * (r.y() - p.y()) - (q.y() - p.y()) * (r.x() - p.x())) / area;
        };
        const double u = weight(b, c), v = weight(c, a), w = weight(a, b);
        constexpr double kEdge = -1e-9; // a place on an edge belongs to both facets
        if (u < kEdge || v < kEdge || w < kEdge) continue;
        double& z = h.z[j * h.n + i];
        z = std::max(z, u * a.z() + v * b.z() + w * c.z());
      }
  }
  return h;
}

template <class Visit> void neighbours(const HeightMap& h, std::size_t i, Visit&& visit) {
  const std::size_t x = i % h.n, y = i / h.n;
  if (x > 0) visit(i - 1);
  if (x + 1 < h.n) visit(i + 1);
  if (y > 0) visit(i - h.n);
  if (y + 1 < h.m) visit(i + h.n);
}

} // namespace

Pockets findPockets(const Part& part, const Vec3& up, std::size_t across, Progress& progress) {
  assert(isUnit(up) && across > 0);
  constexpr double kShallow = 1e-3; // of the part's height
  const HeightMap h = heightMap(part, up, across);
  progress.check();
  Pockets out;
  out.cell = h.cell;
  std::vector<double> level(h.z.size(), kNothing);
  std::vector<char> seen(h.z.size(), 0);
  using At = std::pair<double, std::size_t>;
  std::priority_queue<At, std::vector<At>, std::greater<>> open;
  double top = kNothing, low = kInfinity;
  for (std::size_t i = 0; i < h.z.size(); ++i) {
    if (h.z[i] > kNothing) top = std::max(top, h.z[i]), low = std::min(low, h.z[i]);
    const std::size_t x = i % h.n, y = i / h.n;
    if (h.z[i] > kNothing && x > 0 && y > 0 && x + 1 < h.n && y + 1 < h.m) continue;
    level[i] = h.z[i], seen[i] = 1;
    open.push({level[i], i});
  }
  while (!open.empty()) {
    const auto [z, i] = open.top();
    open.pop();
    const double from = z;
    neighbours(h, i, [&](std::size_t k) {
      if (seen[k]) return;
      seen[k] = 1;
      level[k] = std::max(h.z[k], from);
      open.push({level[k], k});
    });
  }
  progress.check();
  const double shallow = kShallow * std::max(top - low, 1e-9), wetFrom = 1e-3 * shallow; // rounding is no water
  std::vector<char> taken(h.z.size(), 0);
  for (std::size_t start = 0; start < h.z.size(); ++start) {
    if (taken[start] || !(level[start] > h.z[start] + wetFrom)) continue;
    Pocket p;
    std::vector<std::size_t> wet{start};
    taken[start] = 1;
    for (std::size_t at = 0; at < wet.size(); ++at) {
      const std::size_t i = wet[at];
      const double depth = level[i] - h.z[i];
      p.volume += depth * h.cell * h.cell, p.area += h.cell * h.cell;
      if (depth > p.depth) p.depth = depth, p.deepest = h.place(i);
      neighbours(h, i, [&](std::size_t k) {
        if (!taken[k] && level[k] > h.z[k] + wetFrom) taken[k] = 1, wet.push_back(k);
      });
    }
    if (p.depth < shallow) continue;
    out.volume += p.volume;
    out.pockets.push_back(p);
  }
  std::stable_sort(out.pockets.begin(), out.pockets.end(), [](const Pocket& a, const Pocket& b) { return a.volume > b.volume; });
  return out;
}

} // namespace hemline
