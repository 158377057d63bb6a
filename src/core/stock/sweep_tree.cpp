#include "stock/sweep_tree.h"
#include "geometry/tree.h"
#include <Eigen/Eigenvalues>
#include <cmath>

// The kernel below is compiled for several instruction sets, and the best is chosen when the program starts. No contraction: the
// same numbers on each.
#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__)
#define HEMLINE_WIDE __attribute__((target_clones("avx2", "default")))
#else
#define HEMLINE_WIDE
#endif

namespace hemline {
namespace {

constexpr int W = SweepTree::kWide;
constexpr double kLean = 1e-6; // radians, for the rounding of axes
constexpr double kFlat = 1e-3; // a gradient that hardly changes along the ray says nothing of where it enters

/// Single precision is for leaving out what is certainly out: each bound is made lower by more than rounding can have made it higher. The
/// longest chain is some 25 roundings of numbers no greater than the sum that this is multiplied with, each wrong by half of 1.2e-7.
constexpr float kRounding = 2e-6f;
constexpr float kSlope = 2e-6f; // the same for a slope, which is at most 1

struct Shape {
  float ball;
  const SweepTree::Side* sides;
  std::size_t count;
  float size; ///< no coordinate of the sides is greater
};

/// Lower bound of the distance between the ray's end and the body over each lane's box, and by how much it falls (or rises, if negative)
/// with each millimetre of the ray. kInner: boxes, else pieces. kRow: a row of rays, or a thick one.
template <bool kInner, bool kRow>
[[gnu::always_inline]] inline void boundsOf(const Shape& shape, const SweepTree::Group& g, const SweepTree::Ray& ray,
                                            float* __restrict bound, float* __restrict falls) {
  const float qx = static_cast<float>(ray.q[0] - g.origin[0]), qy = static_cast<float>(ray.q[1] - g.origin[1]),
              qw = static_cast<float>(ray.q[2] - g.origin[2]);
  const float ax = static_cast<float>(ray.aim[0] - g.origin[0]), ay = static_cast<float>(ray.aim[1] - g.origin[1]),
              aw = static_cast<float>(ray.aim[2] - g.origin[2]);
  const float nx = static_cast<float>(ray.n[0]), ny = static_cast<float>(ray.n[1]), nw = static_cast<float>(ray.n[2]);
  const float lx = static_cast<float>(ray.along[0]), ly = static_cast<float>(ray.along[1]), lw = static_cast<float>(ray.along[2]),
              length = static_cast<float>(ray.half), radius = static_cast<float>(ray.radius);
  float v[3][W], on[3][W], z[W], s[W], grad[3][W], start[W], near[W];
  if (kRow)
    for (int i = 0; i < W; ++i) {
      // The end of the ray that touches nearest to the box, where there is a row of them.
      const float x = ax - g.center[0][i], y = ay - g.center[1][i], w = aw - g.center[2][i];
      float u = -(x * lx + y * ly + w * lw);
      u = u > length ? length : u;
      start[i] = u < -length ? -length : u;
    }
  for (int i = 0; i < W; ++i) {
    // The point of the box's middle plane that lies nearest to where it touches; v from there.
    const float dx = kRow ? start[i] * lx : 0, dy = kRow ? start[i] * ly : 0, dw = kRow ? start[i] * lw : 0;
    const float x = ax + dx - g.center[0][i], y = ay + dy - g.center[1][i], w = aw + dw - g.center[2][i];
    float u = x * g.along[0][i] + y * g.along[1][i] + w * g.along[2][i];
    u = u > g.half[0][i] ? g.half[0][i] : u;
    u = u < -g.half[0][i] ? -g.half[0][i] : u;
    on[0][i] = u;
    v[0][i] = qx + dx - g.center[0][i] - u * g.along[0][i];
    v[1][i] = qy + dy - g.center[1][i] - u * g.along[1][i];
    v[2][i] = qw + dw - g.center[2][i] - u * g.along[2][i];
    if (kInner) {
      float t = x * g.across[0][i] + y * g.across[1][i] + w * g.across[2][i];
      t = t > g.half[1][i] ? g.half[1][i] : t;
      t = t < -g.half[1][i] ? -g.half[1][i] : t;
      on[1][i] = t;
      v[0][i] -= t * g.across[0][i];
      v[1][i] -= t * g.across[1][i];
      v[2][i] -= t * g.across[2][i];
    }
  }
  for (int i = 0; i < W; ++i) z[i] = v[0][i] * g.axis[0][i] + v[1][i] * g.axis[1][i] + v[2][i] * g.axis[2][i];
  if (shape.ball > 0) {
    // Half ball with a cylinder on top: the distance to a half line.
    for (int i = 0; i < W; ++i) {
      const float up = z[i] > 0 ? z[i] : 0;
      const float x = v[0][i] - up * g.axis[0][i], y = v[1][i] - up * g.axis[1][i], w = v[2][i] - up * g.axis[2][i];
      const float d = __builtin_sqrtf(x * x + y * y + w * w), inverse = d > 1e-6f ? 1 / d : 0;
      s[i] = d - shape.ball, near[i] = inverse;
      grad[0][i] = x * inverse, grad[1][i] = y * inverse, grad[2][i] = w * inverse;
    }
  } else {
    float r[W], gr[W], gz[W];
    for (int i = 0; i < W; ++i) {
      const float x = v[0][i] - z[i] * g.axis[0][i], y = v[1][i] - z[i] * g.axis[1][i], w = v[2][i] - z[i] * g.axis[2][i];
      r[i] = __builtin_sqrtf(x * x + y * y + w * w);
      s[i] = -1e30f, gr[i] = 0, gz[i] = 0;
    }
    for (std::size_t j = 0; j < shape.count; ++j) {
      const SweepTree::Side side = shape.sides[j];
      if (side.arc) {
        for (int i = 0; i < W; ++i) {
          const float dr = r[i] - side.r, dz = z[i] - side.z, d = __builtin_sqrtf(dr * dr + dz * dz);
          const bool within = (side.ar * dz - side.az * dr >= -1e-6f * d) & (dr * side.bz - dz * side.br >= -1e-6f * d) & (d > 1e-6f);
          const float value = within ? d - side.radius : -1e30f, inverse = within ? 1 / d : 0;
          const bool more = value > s[i];
          s[i] = more ? value : s[i];
          gr[i] = more ? dr * inverse : gr[i];
          gz[i] = more ? dz * inverse : gz[i];
        }
      } else {
        for (int i = 0; i < W; ++i) {
          const float value = side.ar * (r[i] - side.r) + side.az * (z[i] - side.z);
          const bool more = value > s[i];
          s[i] = more ? value : s[i];
          gr[i] = more ? side.ar : gr[i];
          gz[i] = more ? side.az : gz[i];
        }
      }
    }
    for (int i = 0; i < W; ++i) {
      const float share = r[i] > 1e-6f ? gr[i] / r[i] : 0, up = gz[i] - share * z[i];
      near[i] = std::abs(share);
      for (int k = 0; k < 3; ++k) grad[k][i] = up * g.axis[k][i] + share * v[k][i];
    }
  }
  // With the reference point elsewhere in the box the distance changes by no less than -gradient . way.
  const float far = std::abs(qx) + std::abs(qy) + std::abs(qw) + (kRow ? length + radius : 0) + shape.size;
  for (int i = 0; i < W; ++i) {
    const float a = grad[0][i] * g.along[0][i] + grad[1][i] * g.along[1][i] + grad[2][i] * g.along[2][i];
    const float reach = far + std::abs(v[0][i]) + std::abs(v[1][i]) + std::abs(v[2][i]) + g.half[0][i];
    // Near the body's axis the way out is known as badly as the place, beside its distance: of nothing but rounding where that is 0.
    const float off = kRounding * reach * near[i];
    near[i] = off < 2 ? off : 2;
    bound[i] = s[i] + a * on[0][i] - std::abs(a) * g.half[0][i] - kRounding * reach - near[i] * 2 * (g.half[0][i] + (kRow ? length : 0));
    falls[i] = -(grad[0][i] * nx + grad[1][i] * ny + grad[2][i] * nw) - kSlope - near[i];
  }
  if (kInner)
    for (int i = 0; i < W; ++i) {
      const float b = grad[0][i] * g.across[0][i] + grad[1][i] * g.across[1][i] + grad[2][i] * g.across[2][i];
      const float c = grad[0][i] * g.normal[0][i] + grad[1][i] * g.normal[1][i] + grad[2][i] * g.normal[2][i];
      bound[i] += b * on[1][i] - std::abs(b) * g.half[1][i] - std::abs(c) * g.half[2][i] -
                  (kRounding + 2 * near[i]) * (g.half[1][i] + g.half[2][i]);
    }
  if (kRow)
    for (int i = 0; i < W; ++i) {
      const float square = grad[0][i] * grad[0][i] + grad[1][i] * grad[1][i] + grad[2][i] * grad[2][i],
                  lateral2 = square - falls[i] * falls[i] + 4 * kSlope;
      const float a = grad[0][i] * lx + grad[1][i] * ly + grad[2][i] * lw;
      bound[i] -= radius * __builtin_sqrtf(lateral2 > 0 ? lateral2 : 0) + a * start[i] + std::abs(a) * length;
    }
  if (!g.steady) {
    const float reach = kRow ? length + radius : 0;
    for (int i = 0; i < W; ++i) {
      // An axis that leans otherwise turns the body about its reference point; half balls know of it above their centres only.
      const float lever = __builtin_sqrtf(v[0][i] * v[0][i] + v[1][i] * v[1][i] + v[2][i] * v[2][i]) + 2 * g.size[i] + reach;
      const bool feels = (shape.ball <= 0) | (z[i] + 2 * g.size[i] + reach + (g.spread[i] + kRounding) * lever > 0);
      const float turn = feels ? g.spread[i] : 0;
      bound[i] -= turn * lever;
      falls[i] -= turn;
    }
  }
}

HEMLINE_WIDE void boundsOfBoxes(const Shape& shape, const SweepTree::Group& g, const SweepTree::Ray& ray, float* bound, float* falls) {
  boundsOf<true, false>(shape, g, ray, bound, falls);
}
HEMLINE_WIDE void boundsOfBoxesRow(const Shape& shape, const SweepTree::Group& g, const SweepTree::Ray& ray, float* bound, float* falls) {
  boundsOf<true, true>(shape, g, ray, bound, falls);
}
HEMLINE_WIDE void boundsOfPieces(const Shape& shape, const SweepTree::Group& g, const SweepTree::Ray& ray, float* bound, float* falls) {
  boundsOf<false, false>(shape, g, ray, bound, falls);
}
HEMLINE_WIDE void boundsOfPiecesRow(const Shape& shape, const SweepTree::Group& g, const SweepTree::Ray& ray, float* bound, float* falls) {
  boundsOf<false, true>(shape, g, ray, bound, falls);
}

void bounds(const Shape& shape, const SweepTree::Group& g, const SweepTree::Ray& ray, float* bound, float* falls) {
  const bool row = ray.radius > 0 || ray.half > 0;
  if (g.leaf)
    row ? boundsOfPiecesRow(shape, g, ray, bound, falls) : boundsOfPieces(shape, g, ray, bound, falls);
  else
    row ? boundsOfBoxesRow(shape, g, ray, bound, falls) : boundsOfBoxes(shape, g, ray, bound, falls);
}

/// Half balls with a steady axis: is the ray's end inside the piece (1), or does the ray not come nearer to it there (1)?
HEMLINE_WIDE void inside(float ball, const SweepTree::Group& g, const SweepTree::Ray& ray, float* __restrict may) {
  const float qx = static_cast<float>(ray.q[0] - g.origin[0]), qy = static_cast<float>(ray.q[1] - g.origin[1]),
              qw = static_cast<float>(ray.q[2] - g.origin[2]);
  const float nx = static_cast<float>(ray.n[0]), ny = static_cast<float>(ray.n[1]), nw = static_cast<float>(ray.n[2]);
  const float far = ball + std::abs(qx) + std::abs(qy) + std::abs(qw);
  for (int i = 0; i < W; ++i) {
    float x = qx - g.center[0][i], y = qy - g.center[1][i], w = qw - g.center[2][i];
    float u = x * g.along[0][i] + y * g.along[1][i] + w * g.along[2][i];
    u = u > g.half[0][i] ? g.half[0][i] : u;
    u = u < -g.half[0][i] ? -g.half[0][i] : u;
    x -= u * g.along[0][i], y -= u * g.along[1][i], w -= u * g.along[2][i];
    const float z = x * g.axis[0][i] + y * g.axis[1][i] + w * g.axis[2][i], up = z > 0 ? z : 0;
    x -= up * g.axis[0][i], y -= up * g.axis[1][i], w -= up * g.axis[2][i];
    // Beside a flute that moves up or down the nearest point is not found one way after the other.
    const float climb = std::abs(g.along[0][i] * g.axis[0][i] + g.along[1][i] * g.axis[1][i] + g.along[2][i] * g.axis[2][i]);
    const float slack = kRounding * (far + g.half[0][i] + std::abs(x) + std::abs(y) + std::abs(w) + up), enough = ball + slack;
    const bool unclear = (climb > 1e-6f) & (z + 2 * climb * g.half[0][i] + slack > 0);
    may[i] = (unclear | (x * x + y * y + w * w < enough * enough) | (x * nx + y * ny + w * nw > -1e-3f)) ? 1.0f : 0.0f;
  }
}

float single(double x) {
  return static_cast<float>(x);
}

/// Puts lane i where it belongs among those kept, least first.
void insert(int* order, int& kept, const double* low, int i) {
  int k = kept++;
  for (; k > 0 && low[order[k - 1]] > low[i]; --k) order[k] = order[k - 1];
  order[k] = i;
}

} // namespace

SweepTree::Ray SweepTree::rayOf(const Ask& ask) const {
  const Vec3 q = ask.p + ask.to * ask.n;
  Vec3 aim = q;
  if (ball_ <= 0) {
    const double up = ask.n.dot(axis_);
    const Vec3 side = ask.n - up * axis_;
    const double level = side.norm();
    const Vec2 touch = profile_.support(level, up);
    aim -= touch.y() * axis_;
    if (level > 1e-9) aim += (touch.x() / level) * side;
  }
  return {
      {q.x(), q.y(), q.z()},      {ask.n.x(), ask.n.y(), ask.n.z()}, ask.radius, {ask.along.x(), ask.along.y(), ask.along.z()}, ask.half,
      {aim.x(), aim.y(), aim.z()}};
}

SweepTree::SweepTree(const Profile& profile, double ball, const std::vector<SweepPiece>& pieces) : ball_(ball), profile_(profile) {
  if (pieces.empty()) return;
  axis_ = pieces.front().axisA;
  for (const ProfileSide& side : profile.sides())
    if (side.az <= 0) {
      const auto f = [](double x) { return static_cast<float>(x); };
      lower_.push_back({f(side.r), f(side.z), f(side.radius), f(side.ar), f(side.az), f(side.br), f(side.bz), side.arc});
      size_ = std::max({size_, std::abs(f(side.r)) + std::abs(f(side.z)) + f(side.radius), f(ball)});
    }

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
  g.leaf = g.steady = true;
  g.count = static_cast<int>(count);
  for (std::size_t i = 0; i < W; ++i) {
    const int item = items[std::min(i, count - 1)]; // lanes that are not used repeat the last
    const SweepPiece& m = pieces[static_cast<std::size_t>(item)];
    const Vec3 middle = 0.5 * (m.a + m.b), way = m.b - m.a;
    const double length = way.norm();
    const bool turns = (m.axisA - m.axisB).squaredNorm() > 1e-24;
    const Vec3 axis = turns ? Vec3((m.axisA + m.axisB).normalized()) : m.axisA;
    g.steady = g.steady && !turns;
    if (i == 0) std::copy(middle.data(), middle.data() + 3, g.origin);
    for (int k = 0; k < 3; ++k) {
      g.center[k][i] = single(middle[k] - g.origin[k]), g.along[k][i] = single(length > 0 ? way[k] / length : 0),
      g.axis[k][i] = single(axis[k]);
      g.across[k][i] = g.normal[k][i] = g.half[k][i] = 0;
    }
    g.half[0][i] = g.size[i] = single(0.5 * length);
    g.spread[i] = turns ? single(0.5 * angleBetween(m.axisA, m.axisB) + kLean) : 0;
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
  // The binary hierarchy's descendants, the fullest opened first, until there are enough.
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
    Vec3 sum = Vec3::Zero(), axes = Vec3::Zero();
    const auto at = [&](std::size_t item) -> const SweepPiece& { return pieces[static_cast<std::size_t>(boxes.items()[item])]; };
    const Vec3 axis = at(range.first).axisA;
    bool steady = true;
    for (std::size_t k = range.first; k < range.last; ++k) {
      const SweepPiece& m = at(k);
      sum += m.a + m.b, axes += m.axisA + m.axisB;
      steady = steady && m.axisA == axis && m.axisB == axis;
    }
    const Vec3 mean = sum / (2 * double(range.last - range.first));
    Mat3 square = Mat3::Zero();
    for (std::size_t k = range.first; k < range.last; ++k)
      for (const Vec3& end : {at(k).a, at(k).b}) square += (end - mean) * (end - mean).transpose();
    Mat3 frame = Eigen::SelfAdjointEigenSolver<Mat3>().computeDirect(square).eigenvectors(); // thinnest first
    if (!frame.allFinite() || !(frame.transpose() * frame).isIdentity(1e-9)) frame = Mat3::Identity();
    const Vec3 lean = steady ? axis : axes.norm() > 1e-9 ? Vec3(axes.normalized()) : Vec3::UnitZ();
    Box box; // in the frame
    double spread = 0;
    for (std::size_t k = range.first; k < range.last; ++k) {
      const SweepPiece& m = at(k);
      box.add(frame.transpose() * (m.a - mean)), box.add(frame.transpose() * (m.b - mean));
      if (!steady) spread = std::max({spread, angleBetween(lean, m.axisA), angleBetween(lean, m.axisB)});
    }
    const Vec3 middle = mean + frame * box.center(), half = 0.5 * box.size();
    g.steady = g.steady && steady;
    if (i == 0) std::copy(middle.data(), middle.data() + 3, g.origin);
    for (int k = 0; k < 3; ++k) {
      g.center[k][i] = single(middle[k] - g.origin[k]), g.axis[k][i] = single(lean[k]);
      g.along[k][i] = single(frame(k, 2)), g.across[k][i] = single(frame(k, 1)), g.normal[k][i] = single(frame(k, 0));
      g.half[k][i] = single(half[2 - k]);
    }
    g.spread[i] = steady ? 0 : single(spread + kLean);
    g.size[i] = single(half.norm());
    g.child[i] = i < count ? build(pieces, boxes, range.node, range.first, range.last) : -1;
  }
  groups_[static_cast<std::size_t>(self)] = g;
  return self;
}

/// Lower bound of the entry from a bound of the distance at the ray's end; kInfinity if it is not entered before.
static double entryBound(const SweepTree::Ask& ask, double bound, double falls) {
  if (falls > kFlat) return bound > 0 ? kInfinity : std::max(ask.from, ask.to + bound / falls);
  return bound + std::min(falls, 0.0) * (ask.to - ask.from) > 0 ? kInfinity : ask.from;
}

/// Lanes that may be entered by ask.to. Most are out: they are left out without a branch that would be guessed wrongly.
static int kept(const SweepTree::Ask& ask, int count, const float* bound, const float* falls, int* lanes) {
  const float span = single(ask.to - ask.from);
  float least[W];
  for (int i = 0; i < W; ++i) {
    const float f = falls[i] - static_cast<float>(kFlat);
    least[i] = bound[i] + (f < 0 ? f : 0) * span;
  }
  int out = 0;
  for (int i = 0; i < count; ++i) {
    lanes[out] = i;
    out += !(least[i] > 0); // what is no number stays in
  }
  return out;
}

int SweepTree::ordered(const Group& g, const Ask& ask, const Ray& ray, double* low, int* order) const {
  float bound[W], falls[W];
  bounds({single(ball_), lower_.data(), lower_.size(), size_}, g, ray, bound, falls);
  int may[W], out = 0;
  const int count = kept(ask, g.count, bound, falls, may);
  for (int k = 0; k < count; ++k)
    if (const int i = may[k]; (low[i] = entryBound(ask, bound[i], falls[i])) < kInfinity) insert(order, out, low, i);
  return out;
}

int SweepTree::among(const Group& g, const Ask& ask, const Ray& ray, int* lanes) const {
  int count = 0;
  if (g.leaf && ball_ > 0 && g.steady && ask.radius <= 0 && ask.half <= 0) {
    float may[W];
    inside(single(ball_), g, ray, may);
    for (int i = 0; i < g.count; ++i) {
      lanes[count] = i;
      count += may[i] > 0;
    }
    return count;
  }
  float bound[W], falls[W];
  bounds({single(ball_), lower_.data(), lower_.size(), size_}, g, ray, bound, falls);
  return kept(ask, g.count, bound, falls, lanes);
}

/// Adds one lane of a leaf to a list.
static void add(const SweepTree::Group& g, int lane, SweepTree::Near& out) {
  const std::size_t at = out.pieces.size() % W, from = static_cast<std::size_t>(lane);
  if (at == 0) {
    out.groups.emplace_back();
    std::copy(g.origin, g.origin + 3, out.groups.back().origin);
  }
  SweepTree::Group& last = out.groups.back();
  float shift[3];
  for (int c = 0; c < 3; ++c) shift[c] = single(g.origin[c] - last.origin[c]);
  for (std::size_t k = at; k < (at == 0 ? W : at + 1); ++k) { // lanes that are not used repeat the first
    for (int c = 0; c < 3; ++c)
      last.center[c][k] = g.center[c][from] + shift[c], last.along[c][k] = g.along[c][from], last.axis[c][k] = g.axis[c][from];
    last.half[0][k] = g.half[0][from], last.spread[k] = g.spread[from], last.size[k] = g.size[from], last.child[k] = g.child[from];
  }
  last.steady = last.steady && !(g.spread[from] > 0);
  last.count = static_cast<int>(at) + 1;
  out.pieces.push_back(g.child[from]);
}

void SweepTree::gather(const Ask& ask, Near& out) const {
  out.clear();
  if (groups_.empty()) return;
  const Ray ray = rayOf(ask);
  std::array<int, kStack> stack;
  std::size_t top = 0;
  stack[top++] = 0;
  while (top > 0) {
    const Group& g = groups_[static_cast<std::size_t>(stack[--top])];
    std::array<int, W> may;
    const int count = among(g, ask, ray, may.data());
    for (int k = 0; k < count; ++k) {
      const int lane = may[static_cast<std::size_t>(k)];
      if (g.leaf)
        add(g, lane, out);
      else
        stack[top++] = g.child[lane];
    }
  }
}

void SweepTree::sift(const Near& from, const Ask& ask, Near& out) const {
  out.clear();
  const Ray ray = rayOf(ask);
  for (const Group& g : from.groups) {
    std::array<int, W> may;
    const int count = among(g, ask, ray, may.data());
    for (int k = 0; k < count; ++k) add(g, may[static_cast<std::size_t>(k)], out);
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
      Vec3 v;
      for (int k = 0; k < 3; ++k) v[k] = p[k] - g.origin[k] - double(g.center[k][i]);
      const double slack = kRounding * (v.lpNorm<1>() + 2 * g.size[i]);
      if (g.leaf) {
        const SweepPiece& m = pieces[static_cast<std::size_t>(g.child[i])];
        Vec3 on, off;
        if (v.norm() - g.size[i] - slack < best) best = std::min(best, distanceSegments(p, p, m.a, m.b, on, off));
      } else {
        double d2 = 0;
        for (const auto& [direction, half] :
             {std::pair(&g.along, g.half[0][i]), {&g.across, g.half[1][i]}, {&g.normal, g.half[2][i]}}) { // single precision
          const double out = std::abs(v.dot(Vec3((*direction)[0][i], (*direction)[1][i], (*direction)[2][i]))) - double(half) - slack;
          if (out > 0) d2 += out * out;
        }
        low[i] = std::sqrt(d2);
        if (low[i] < best) insert(order, kept, low, i);
      }
    }
    for (int k = kept; k-- > 0;) stack.push_back(g.child[order[k]]);
  }
  return best;
}

} // namespace hemline
