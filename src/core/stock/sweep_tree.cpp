#include "stock/sweep_tree.h"
#include "geometry/tree.h"
#include <Eigen/Eigenvalues>
#include <cmath>

// The kernel below is compiled for several instruction sets, and the best is chosen when the program starts. No contraction: the
// same numbers on each.
#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__)
#define HEMLINE_WIDE __attribute__((target_clones("avx512f", "avx2", "default")))
#else
#define HEMLINE_WIDE
#endif

namespace hemline {
namespace {

constexpr int W = SweepTree::kWide;
constexpr double kNever = 1e300;
constexpr double kRounding = 1e-10; // mm
constexpr double kFlat = 1e-3;      // a gradient that hardly changes along the ray says nothing of where it enters

struct Shape {
  double ball;
  const SweepTree::Side* sides;
  std::size_t count;
};

/// What of the ray the kernel reads: its end q, direction, length, radius.
struct Ray {
  double q[3], n[3], span, radius;
};

/// Lower bound of t - ask.to for the entry into each lane; kNever where it is not entered before the ray's end, -kNever where
/// nothing can be said.
HEMLINE_WIDE void bounds(const Shape& shape, const SweepTree::Group& g, const Ray& ray, double* __restrict key) {
  double v[3][W], z[W], s[W], grad[3][W];
  for (int k = 0; k < 3; ++k)
    for (int i = 0; i < W; ++i) v[k][i] = ray.q[k] - g.center[k][i];
  for (int i = 0; i < W; ++i) z[i] = v[0][i] * g.axis[0][i] + v[1][i] * g.axis[1][i] + v[2][i] * g.axis[2][i];
  double far[W];
  for (int i = 0; i < W; ++i) far[i] = __builtin_sqrt(v[0][i] * v[0][i] + v[1][i] * v[1][i] + v[2][i] * v[2][i]);
  if (shape.ball > 0) {
    // Half ball with a cylinder on top: the distance to a half line.
    double up[W], inverse[W];
    for (int i = 0; i < W; ++i) up[i] = z[i] > 0 ? z[i] : 0;
    for (int i = 0; i < W; ++i) {
      const double x = v[0][i] - up[i] * g.axis[0][i], y = v[1][i] - up[i] * g.axis[1][i], w = v[2][i] - up[i] * g.axis[2][i];
      const double d = __builtin_sqrt(x * x + y * y + w * w);
      s[i] = d - shape.ball;
      inverse[i] = d > 1e-12 ? 1 / d : 0;
    }
    for (int k = 0; k < 3; ++k)
      for (int i = 0; i < W; ++i) grad[k][i] = (v[k][i] - up[i] * g.axis[k][i]) * inverse[i];
  } else {
    double r[W], gr[W], gz[W];
    for (int i = 0; i < W; ++i) {
      const double x = v[0][i] - z[i] * g.axis[0][i], y = v[1][i] - z[i] * g.axis[1][i], w = v[2][i] - z[i] * g.axis[2][i];
      r[i] = __builtin_sqrt(x * x + y * y + w * w);
      s[i] = -kNever, gr[i] = 0, gz[i] = 0;
    }
    for (std::size_t j = 0; j < shape.count; ++j) {
      const SweepTree::Side side = shape.sides[j];
      if (side.arc) {
        for (int i = 0; i < W; ++i) {
          const double dr = r[i] - side.r, dz = z[i] - side.z, d = __builtin_sqrt(dr * dr + dz * dz);
          const bool within = (side.ar * dz - side.az * dr >= 0) & (dr * side.bz - dz * side.br >= 0) & (d > 1e-12);
          const double value = within ? d - side.radius : -kNever, inverse = within ? 1 / d : 0;
          const bool more = value > s[i];
          s[i] = more ? value : s[i];
          gr[i] = more ? dr * inverse : gr[i];
          gz[i] = more ? dz * inverse : gz[i];
        }
      } else {
        for (int i = 0; i < W; ++i) {
          const double value = side.ar * (r[i] - side.r) + side.az * (z[i] - side.z);
          const bool more = value > s[i];
          s[i] = more ? value : s[i];
          gr[i] = more ? side.ar : gr[i];
          gz[i] = more ? side.az : gz[i];
        }
      }
    }
    double share[W];
    for (int i = 0; i < W; ++i) share[i] = r[i] > 1e-12 ? gr[i] / r[i] : 0;
    for (int k = 0; k < 3; ++k)
      for (int i = 0; i < W; ++i) grad[k][i] = gz[i] * g.axis[k][i] + share[i] * (v[k][i] - z[i] * g.axis[k][i]);
  }
  double slack[W];
  if (g.leaf) {
    for (int i = 0; i < W; ++i) slack[i] = std::abs(grad[0][i] * g.half[0][i] + grad[1][i] * g.half[1][i] + grad[2][i] * g.half[2][i]);
  } else {
    for (int i = 0; i < W; ++i) {
      const double across = grad[0][i] * g.normal[0][i] + grad[1][i] * g.normal[1][i] + grad[2][i] * g.normal[2][i];
      slack[i] = std::abs(across) * g.slab[i] + std::abs(grad[0][i] - across * g.normal[0][i]) * g.half[0][i] +
                 std::abs(grad[1][i] - across * g.normal[1][i]) * g.half[1][i] +
                 std::abs(grad[2][i] - across * g.normal[2][i]) * g.half[2][i];
    }
  }
  for (int i = 0; i < W; ++i) {
    const double rate = grad[0][i] * ray.n[0] + grad[1][i] * ray.n[1] + grad[2][i] * ray.n[2];
    const double length2 = grad[0][i] * grad[0][i] + grad[1][i] * grad[1][i] + grad[2][i] * grad[2][i], lateral2 = length2 - rate * rate;
    // An axis that leans otherwise turns the body about its reference point; half balls know of it above their centres only.
    const double lever = far[i] + g.size[i] + ray.radius;
    const bool feels = (g.spread[i] > 0) & ((shape.ball <= 0) | (z[i] + g.size[i] + ray.radius + g.spread[i] * lever > 0));
    const double turn = feels ? g.spread[i] : 0;
    const double bound = s[i] - slack[i] - ray.radius * __builtin_sqrt(lateral2 > 0 ? lateral2 : 0) - turn * lever - kRounding;
    const double falls = -rate - turn;
    const double whole = bound - (falls < 0 ? -falls : 0) * ray.span;
    const double steep = bound / (falls > kFlat ? falls : 1);
    key[i] = falls > kFlat ? (bound > 0 ? kNever : steep) : (whole > 0 ? kNever : -kNever);
  }
}

Ray rayOf(const SweepTree::Ask& ask) {
  Ray ray{};
  const Vec3 q = ask.p + ask.to * ask.n;
  for (int k = 0; k < 3; ++k) ray.q[k] = q[k], ray.n[k] = ask.n[k];
  ray.span = ask.to - ask.from;
  ray.radius = ask.radius;
  return ray;
}

/// Puts lane i where it belongs among those kept, least first.
void insert(int* order, int& kept, const double* low, int i) {
  int k = kept++;
  for (; k > 0 && low[order[k - 1]] > low[i]; --k) order[k] = order[k - 1];
  order[k] = i;
}

std::vector<SweepTree::Side> sidesOf(const Profile& profile) {
  std::vector<SweepTree::Side> sides;
  const auto corner = [&](const Vec2& at, const Vec2& before, const Vec2& after) {
    if (before.x() * after.y() - before.y() * after.x() > 1e-12)
      sides.push_back({at.x(), at.y(), 0, before.x(), before.y(), after.x(), after.y(), true});
  };
  Vec2 before(0, -1);
  for (const ProfilePiece& p : profile.pieces()) {
    corner(p.a, before, p.normalA);
    const Vec2 at = p.radius > 0 ? p.center : p.a;
    sides.push_back({at.x(), at.y(), p.radius, p.normalA.x(), p.normalA.y(), p.normalB.x(), p.normalB.y(), p.radius > 0});
    before = p.normalB;
  }
  return sides;
}

} // namespace

SweepTree::SweepTree(const Profile& profile, double ball, const std::vector<SweepPiece>& pieces) : ball_(ball), sides_(sidesOf(profile)) {
  if (pieces.empty()) return;
  std::vector<Box> boxes(pieces.size());
  for (std::size_t i = 0; i < boxes.size(); ++i) {
    boxes[i].add(pieces[i].a);
    boxes[i].add(pieces[i].b);
  }
  const BoxTree tree(boxes);
  groups_.reserve(pieces.size() / 4 + 8);
  build(pieces, tree, 0, 0, pieces.size());
}

void SweepTree::fill(Group& g, const std::vector<SweepPiece>& pieces, const int* items, std::size_t count) {
  g.leaf = true;
  g.count = static_cast<int>(count);
  for (std::size_t i = 0; i < W; ++i) {
    const int item = items[std::min(i, count - 1)]; // lanes that are not used repeat the last
    const SweepPiece& m = pieces[static_cast<std::size_t>(item)];
    const Vec3 middle = 0.5 * (m.a + m.b), half = 0.5 * (m.b - m.a);
    const bool turns = (m.axisA - m.axisB).squaredNorm() > 1e-24;
    const Vec3 axis = turns ? Vec3((m.axisA + m.axisB).normalized()) : m.axisA;
    for (int k = 0; k < 3; ++k) g.center[k][i] = middle[k], g.half[k][i] = half[k], g.normal[k][i] = 0, g.axis[k][i] = axis[k];
    g.slab[i] = 0;
    g.spread[i] = turns ? 0.5 * angleBetween(m.axisA, m.axisB) + 1e-9 : 0;
    g.size[i] = half.norm();
    g.child[i] = item;
  }
}

int SweepTree::build(const std::vector<SweepPiece>& pieces, const BoxTree& boxes, int node, std::size_t first, std::size_t last) {
  const int self = static_cast<int>(groups_.size());
  groups_.emplace_back();
  if (last - first <= W) {
    fill(groups_.back(), pieces, &boxes.items()[first], last - first);
    return self;
  }
  // The binary hierarchy's descendants, the fullest opened first, until there are eight.
  struct Range {
    int node;
    std::size_t first, last;
  };
  std::array<Range, W> ranges{};
  std::size_t count = 0;
  ranges[count++] = {node, first, last};
  while (count < W) {
    std::size_t fullest = 0;
    for (std::size_t i = 1; i < count; ++i)
      if (ranges[i].last - ranges[i].first > ranges[fullest].last - ranges[fullest].first) fullest = i;
    const Range whole = ranges[fullest];
    if (whole.last - whole.first <= W || boxes.nodes()[static_cast<std::size_t>(whole.node)].count > 0) break;
    const int right = boxes.nodes()[static_cast<std::size_t>(whole.node)].first;
    int lead = right; // the right one's first leaf says where its items begin
    while (boxes.nodes()[static_cast<std::size_t>(lead)].count == 0) ++lead;
    const auto middle = static_cast<std::size_t>(boxes.nodes()[static_cast<std::size_t>(lead)].first);
    ranges[fullest] = {whole.node + 1, whole.first, middle};
    ranges[count++] = {right, middle, whole.last};
  }
  Group g;
  g.leaf = false;
  g.count = static_cast<int>(count);
  for (std::size_t i = 0; i < W; ++i) {
    const Range& range = ranges[std::min(i, count - 1)];
    Box box;
    Vec3 sum = Vec3::Zero(), axes = Vec3::Zero();
    const auto at = [&](std::size_t item) -> const SweepPiece& { return pieces[static_cast<std::size_t>(boxes.items()[item])]; };
    for (std::size_t k = range.first; k < range.last; ++k) {
      const SweepPiece& m = at(k);
      box.add(m.a), box.add(m.b);
      sum += m.a + m.b, axes += m.axisA + m.axisB;
    }
    const Vec3 mean = sum / (2 * double(range.last - range.first));
    Mat3 square = Mat3::Zero();
    for (std::size_t k = range.first; k < range.last; ++k)
      for (const Vec3& end : {at(k).a, at(k).b}) square += (end - mean) * (end - mean).transpose();
    Vec3 normal = Eigen::SelfAdjointEigenSolver<Mat3>().computeDirect(square).eigenvectors().col(0);
    if (!(std::abs(normal.norm() - 1) < 1e-9)) normal = Vec3::UnitZ();
    const Vec3 axis = at(range.first).axisA;
    Vec3 lean = axes.norm() > 1e-9 ? Vec3(axes.normalized()) : Vec3::UnitZ();
    double low = kNever, high = -kNever, spread = 0, size2 = 0;
    bool steady = true;
    for (std::size_t k = range.first; k < range.last; ++k) {
      const SweepPiece& m = at(k);
      steady = steady && m.axisA == axis && m.axisB == axis;
      for (const Vec3& end : {m.a, m.b}) low = std::min(low, normal.dot(end - mean)), high = std::max(high, normal.dot(end - mean));
    }
    if (steady) lean = axis;
    const Vec3 boxed = box.center(), middle = boxed + (0.5 * (low + high) - normal.dot(boxed - mean)) * normal;
    for (std::size_t k = range.first; k < range.last; ++k) {
      const SweepPiece& m = at(k);
      if (!steady) spread = std::max({spread, angleBetween(lean, m.axisA), angleBetween(lean, m.axisB)});
      size2 = std::max({size2, (m.a - middle).squaredNorm(), (m.b - middle).squaredNorm()});
    }
    for (int k = 0; k < 3; ++k) {
      g.center[k][i] = middle[k], g.normal[k][i] = normal[k], g.axis[k][i] = lean[k];
      g.half[k][i] = 0.5 * box.size()[k] + std::abs(middle[k] - boxed[k]);
    }
    g.slab[i] = 0.5 * (high - low);
    g.spread[i] = steady ? 0 : spread + 1e-9;
    g.size[i] = std::sqrt(size2);
    g.child[i] = i < count ? build(pieces, boxes, range.node, range.first, range.last) : -1;
  }
  groups_[static_cast<std::size_t>(self)] = g;
  return self;
}

int SweepTree::ordered(const Group& g, const Ask& ask, double* low, int* order) const {
  bounds({ball_, sides_.data(), sides_.size()}, g, rayOf(ask), low);
  int kept = 0;
  for (int i = 0; i < g.count; ++i) {
    if (low[i] >= kNever) continue;
    low[i] = std::max(ask.from, ask.to + low[i]);
    insert(order, kept, low, i);
  }
  return kept;
}

void SweepTree::sift(const std::vector<SweepPiece>& pieces, const std::vector<int>& from, const Ask& ask, std::vector<int>& out) const {
  out.clear();
  const Ray ray = rayOf(ask);
  Group g;
  double low[W];
  for (std::size_t first = 0; first < from.size(); first += W) {
    fill(g, pieces, &from[first], std::min<std::size_t>(W, from.size() - first));
    bounds({ball_, sides_.data(), sides_.size()}, g, ray, low);
    for (int i = 0; i < g.count; ++i)
      if (low[i] < kNever) out.push_back(g.child[i]);
  }
}

double SweepTree::distanceToLines(const std::vector<SweepPiece>& pieces, const Vec3& p, double limit) const {
  double best = limit;
  std::vector<int> stack{0};
  while (!groups_.empty() && !stack.empty()) {
    const Group& g = groups_[static_cast<std::size_t>(stack.back())];
    stack.pop_back();
    double low[W];
    int order[W], kept = 0;
    for (int i = 0; i < g.count; ++i) {
      const Vec3 v = p - Vec3(g.center[0][i], g.center[1][i], g.center[2][i]);
      if (g.leaf) {
        const SweepPiece& m = pieces[static_cast<std::size_t>(g.child[i])];
        Vec3 on, off;
        if (v.norm() - g.size[i] < best) best = std::min(best, distanceSegments(p, p, m.a, m.b, on, off));
      } else {
        low[i] = (v.cwiseAbs() - Vec3(g.half[0][i], g.half[1][i], g.half[2][i])).cwiseMax(0.0).norm();
        if (low[i] < best) insert(order, kept, low, i);
      }
    }
    for (int k = kept; k-- > 0;) stack.push_back(g.child[order[k]]);
  }
  return best;
}

} // namespace hemline
