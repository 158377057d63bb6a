#include "geometry/tree.h"
#include "base/threads.h"
#include <cmath>
#include <limits>
#include <numeric>
#include <tbb/parallel_invoke.h>

namespace hemline {
namespace {

constexpr int kLeaf = 4;             // items in a leaf: below this a split costs more than it saves
constexpr int kBins = 12;            // split candidates per axis
constexpr std::size_t kFork = 20000; // items above which the two halves are built in parallel

struct Builder {
  const std::vector<Box>& boxes;
  const Vec3 origin;
  std::vector<int>& order;

  using Nodes = std::vector<BoxTree::Node>;

  static float down(double x) {
    const float f = static_cast<float>(x);
    return f > x ? std::nextafter(f, -std::numeric_limits<float>::infinity()) : f;
  }
  static float up(double x) {
    const float f = static_cast<float>(x);
    return f < x ? std::nextafter(f, std::numeric_limits<float>::infinity()) : f;
  }
  static double surface(const Box& b) {
    if (b.empty()) return 0;
    const Vec3 s = b.size();
    return s.x() * s.y() + s.y() * s.z() + s.z() * s.x();
  }
  Vec3 mid(int i) const { return boxes[static_cast<std::size_t>(i)].center(); }

  /// Appends the subtree over order[first, last) to `nodes`; child indices are absolute once `base` is added by callers.
  void build(std::size_t first, std::size_t last, Nodes& nodes) const {
    Box all, mids;
    for (std::size_t i = first; i < last; ++i) {
      all.add(boxes[static_cast<std::size_t>(order[i])]);
      mids.add(mid(order[i]));
    }
    const std::size_t self = nodes.size();
    nodes.push_back({});
    for (int k = 0; k < 3; ++k) {
      nodes[self].low[k] = down(all.low[k] - origin[k]);
      nodes[self].high[k] = up(all.high[k] - origin[k]);
    }
    const std::size_t count = last - first;
    if (count <= kLeaf) {
      nodes[self].first = static_cast<int>(first);
      nodes[self].count = static_cast<int>(count);
      return;
    }
    const std::size_t middle = split(first, last, mids);
    nodes[self].count = 0;
    if (count > kFork) {
      Nodes left, right;
      tbb::parallel_invoke([&] { build(first, middle, left); }, [&] { build(middle, last, right); });
      append(nodes, left);
      nodes[self].first = static_cast<int>(nodes.size());
      append(nodes, right);
    } else {
      build(first, middle, nodes);
      nodes[self].first = static_cast<int>(nodes.size());
      build(middle, last, nodes);
    }
  }

  static void append(Nodes& nodes, Nodes& sub) {
    const int base = static_cast<int>(nodes.size());
    for (BoxTree::Node& n : sub)
      if (n.count == 0) n.first += base;
    nodes.insert(nodes.end(), sub.begin(), sub.end());
  }

  std::size_t split(std::size_t first, std::size_t last, const Box& mids) const {
    double best = kInfinity;
    int axis = -1, cut = 0;
    const Vec3 extent = mids.size();
    std::array<std::array<Box, kBins>, 3> bins;
    std::array<std::array<int, kBins>, 3> counts{};
    Vec3 scale = Vec3::Zero();
    for (int k = 0; k < 3; ++k)
      if (extent[k] > 0) scale[k] = kBins / extent[k];
    for (std::size_t i = first; i < last; ++i) {
      const Box& box = boxes[static_cast<std::size_t>(order[i])];
      const Vec3 at = (box.center() - mids.low).cwiseProduct(scale);
      for (std::size_t k = 0; k < 3; ++k) {
        const auto b = static_cast<std::size_t>(std::min<double>(kBins - 1, at[static_cast<int>(k)]));
        bins[k][b].add(box);
        ++counts[k][b];
      }
    }
    for (int k = 0; k < 3; ++k) {
      if (extent[k] <= 0) continue;
      const auto& bin = bins[static_cast<std::size_t>(k)];
      const auto& n = counts[static_cast<std::size_t>(k)];
      std::array<double, kBins> right{};
      Box acc;
      int total = 0;
      for (std::size_t b = kBins - 1; b > 0; --b) {
        acc.add(bin[b]);
        total += n[b];
        right[b] = surface(acc) * total;
      }
      acc = Box();
      total = 0;
      for (std::size_t b = 0; b + 1 < kBins; ++b) {
        acc.add(bin[b]);
        total += n[b];
        if (total == 0 || total == static_cast<int>(last - first)) continue;
        const double cost = surface(acc) * total + right[b + 1];
        if (cost < best) best = cost, axis = k, cut = static_cast<int>(b) + 1;
      }
    }
    const auto begin = order.begin() + static_cast<std::ptrdiff_t>(first), end = order.begin() + static_cast<std::ptrdiff_t>(last);
    if (axis >= 0) {
      const auto it = std::stable_partition(begin, end, [&](int i) {
        return static_cast<int>(std::min<double>(kBins - 1, (mid(i)[axis] - mids.low[axis]) * scale[axis])) < cut;
      });
      if (it != begin && it != end) return first + static_cast<std::size_t>(it - begin);
    }
    return first + (last - first) / 2;
  }
};

} // namespace

BoxTree::BoxTree(const std::vector<Box>& boxes) {
  if (boxes.empty()) return;
  Box all;
  for (const Box& b : boxes) all.add(b);
  origin_ = all.center();
  items_.resize(boxes.size());
  std::iota(items_.begin(), items_.end(), 0);
  nodes_.reserve(boxes.size());
  Builder{boxes, origin_, items_}.build(0, boxes.size(), nodes_);
}

MeshTree::MeshTree(const Mesh& m) : mesh(&m) {
  std::vector<Box> boxes(m.triangles.size());
  for (std::size_t t = 0; t < boxes.size(); ++t)
    for (std::size_t k = 0; k < 3; ++k) boxes[t].add(m.corner(t, k));
  tree = BoxTree(boxes);
  constexpr int kLargest = 2048; // triangles; larger nodes are seldom flat
  const auto& nodes = tree.nodes();
  std::vector<std::pair<int, int>> range(nodes.size()); // of the tree's items
  for (std::size_t k = nodes.size(); k-- > 0;)
    range[k] = nodes[k].count > 0 ? std::pair(nodes[k].first, nodes[k].first + nodes[k].count)
                                  : std::pair(range[k + 1].first, range[static_cast<std::size_t>(nodes[k].first)].second);
  slabs.resize(nodes.size());
  parallelChunks(nodes.size(), 1024, [&](std::size_t first, std::size_t last) {
    for (std::size_t k = first; k < last; ++k) {
      const auto [from, to] = range[k];
      if (to - from > kLargest) continue;
      Vec3 sum = Vec3::Zero();
      for (int i = from; i < to; ++i) {
        const auto t = static_cast<std::size_t>(tree.items()[static_cast<std::size_t>(i)]);
        sum += (m.corner(t, 1) - m.corner(t, 0)).cross(m.corner(t, 2) - m.corner(t, 0));
      }
      if (!(sum.norm() > 0)) continue;
      Slab& slab = slabs[k];
      const Vec3 n = sum.normalized();
      for (int c = 0; c < 3; ++c) slab.normal[c] = static_cast<float>(n[c]);
      double high = -kInfinity, far = 0;
      for (int i = from; i < to; ++i)
        for (const int v : m.triangles[static_cast<std::size_t>(tree.items()[static_cast<std::size_t>(i)])]) {
          const Vec3 p = m.points[static_cast<std::size_t>(v)] - tree.origin();
          high = std::max(high, n.dot(p)), far = std::max(far, p.norm());
        }
      high += 2e-7 * far; // the normal is kept in single precision
      slab.high = std::nextafter(static_cast<float>(high), std::numeric_limits<float>::infinity());
    }
  });
}

void meetTriangle(const Mesh& mesh, int triangle, const Vec3& from, const Vec3& d, RayHit& hit) {
  constexpr double kOn = 1e-12; // shares of a side: a ray along an edge meets both of its triangles
  const auto t = static_cast<std::size_t>(triangle);
  const Vec3 &a = mesh.corner(t, 0), e1 = mesh.corner(t, 1) - a, e2 = mesh.corner(t, 2) - a;
  const Vec3 p = d.cross(e2);
  const double det = e1.dot(p);
  if (det == 0) return;
  const Vec3 s = from - a;
  const double u = s.dot(p) / det;
  if (u < -kOn || u > 1 + kOn) return;
  const Vec3 q = s.cross(e1);
  const double v = d.dot(q) / det;
  if (v < -kOn || u + v > 1 + kOn) return;
  const double w = e2.dot(q) / det;
  if (w >= 0 && w < hit.distance) hit = {true, w, triangle, u, v};
}

RayHit castRay(const MeshTree& part, const Vec3& from, const Vec3& d, double limit) {
  RayHit hit;
  hit.distance = limit;
  const Vec3 inverse = d.cwiseInverse();
  const auto bound = [&](const Vec3& c, const Vec3& h) {
    double t0 = 0, t1 = kInfinity;
    for (int k = 0; k < 3; ++k) {
      if (d[k] == 0) {
        if (std::abs(from[k] - c[k]) > h[k]) return 1e301;
        continue;
      }
      const double m = (c[k] - from[k]) * inverse[k], r = std::abs(h[k] * inverse[k]);
      t0 = std::max(t0, m - r);
      t1 = std::min(t1, m + r);
    }
    return t0 <= t1 * (1 + 1e-12) ? t0 * (1 - 1e-12) : 1e301;
  };
  part.tree.minimise(
      bound, [&](int i) { meetTriangle(*part.mesh, i, from, d, hit); }, hit.distance);
  if (!hit.hit) hit.distance = RayHit().distance;
  return hit;
}

double distanceSegments(const Vec3& p, const Vec3& q, const Vec3& a, const Vec3& b, Vec3& onFirst, Vec3& onSecond) {
  const Vec3 d1 = q - p, d2 = b - a, r = p - a;
  const double A = d1.squaredNorm(), e = d2.squaredNorm(), f = d2.dot(r);
  double s = 0, t = 0;
  if (A < 1e-24 && e < 1e-24) {
  } else if (A < 1e-24) {
    t = std::clamp(f / e, 0.0, 1.0);
  } else {
    const double c = d1.dot(r);
    if (e < 1e-24) {
      s = std::clamp(-c / A, 0.0, 1.0);
    } else {
      const double B = d1.dot(d2), denominator = A * e - B * B;
      if (denominator > 1e-18 * A * e) s = std::clamp((B * f - c * e) / denominator, 0.0, 1.0);
      t = (B * s + f) / e;
      if (t < 0) {
        t = 0;
        s = std::clamp(-c / A, 0.0, 1.0);
      } else if (t > 1) {
        t = 1;
        s = std::clamp((B - c) / A, 0.0, 1.0);
      }
    }
  }
  onFirst = p + s * d1;
  onSecond = a + t * d2;
  return (onFirst - onSecond).norm();
}

Vec3 closestOnTriangle(const Vec3& p, const Vec3& a, const Vec3& b, const Vec3& c) {
  const Vec3 ab = b - a, ac = c - a, ap = p - a;
  const double d1 = ab.dot(ap), d2 = ac.dot(ap);
  if (d1 <= 0 && d2 <= 0) return a;
  const Vec3 bp = p - b;
  const double d3 = ab.dot(bp), d4 = ac.dot(bp);
  if (d3 >= 0 && d4 <= d3) return b;
  const double vc = d1 * d4 - d3 * d2;
  if (vc <= 0 && d1 >= 0 && d3 <= 0) return a + d1 / (d1 - d3) * ab;
  const Vec3 cp = p - c;
  const double d5 = ab.dot(cp), d6 = ac.dot(cp);
  if (d6 >= 0 && d5 <= d6) return c;
  const double vb = d5 * d2 - d1 * d6;
  if (vb <= 0 && d2 >= 0 && d6 <= 0) return a + d2 / (d2 - d6) * ac;
  const double va = d3 * d6 - d5 * d4;
  if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) return b + (d4 - d3) / ((d4 - d3) + (d5 - d6)) * (c - b);
  const double scale = 1 / (va + vb + vc);
  return a + ab * (vb * scale) + ac * (vc * scale);
}

Nearest closestPoint(const MeshTree& part, const Vec3& p, double limit) {
  Nearest best;
  best.distance = limit;
  const auto bound = [&](const Vec3& c, const Vec3& h) { return ((p - c).cwiseAbs() - h).cwiseMax(0.0).norm() * (1 - 1e-12); };
  const auto visit = [&](int i) {
    const auto t = static_cast<std::size_t>(i);
    const Vec3 q = closestOnTriangle(p, part.mesh->corner(t, 0), part.mesh->corner(t, 1), part.mesh->corner(t, 2));
    const double d = (p - q).norm();
    if (d < best.distance) best = {d, q, i};
  };
  part.tree.minimise(bound, visit, best.distance);
  return best;
}

} // namespace hemline
