// Bounding volume hierarchy (BVH) over triangles (or any boxes). One tree serves every search; each engine brings its own bound.
#pragma once
#include "geometry/mesh.h"
#include "geometry/vec.h"
#include <array>
#include <vector>

namespace hemline {

/// Binary hierarchy of boxes, single precision rounded outward and relative to `origin`, so that boxes find and doubles
/// decide. Built by binned surface-area splits (I. Wald, IRT 2007).
class BoxTree {
public:
  BoxTree() = default;
  /// items: one box per item. O(n log n), parallel, the same tree on any number of threads.
  explicit BoxTree(const std::vector<Box>& items);

  struct Node {
    float low[3], high[3];
    int first; ///< leaf: first entry of items(); else index of the second child (the first is the next node)
    int count; ///< items in a leaf, 0 for an inner node
  };

  bool empty() const { return nodes_.empty(); }
  const std::vector<Node>& nodes() const { return nodes_; }
  const std::vector<int>& items() const { return items_; }
  const Vec3& origin() const { return origin_; }

  /// Depth first, nearer child first. bound(center, half) is a lower bound of the sought value inside a box given by its
  /// centre and half sizes; visit(item) looks at one item and may lower `best`. Boxes whose bound is not below `best`
  /// are skipped.
  template <class Bound, class Visit> void minimise(Bound&& bound, Visit&& visit, const double& best) const {
    minimiseNodes([&](int n) { return bound(center(n), half(n)); }, visit, best);
  }
  /// The same with a bound that takes the node's index, for callers that keep data of their own per node.
  template <class Bound, class Visit> void minimiseNodes(Bound&& bound, Visit&& visit, const double& best) const {
    if (nodes_.empty()) return;
    struct Entry {
      int node;
      double bound;
    };
    std::array<Entry, 96> stack;
    std::size_t top = 0;
    stack[top++] = {0, bound(0)};
    while (top > 0) {
      const Entry e = stack[--top];
      if (!(e.bound < best)) continue;
      const Node& node = nodes_[static_cast<std::size_t>(e.node)];
      if (node.count > 0) {
        for (int i = 0; i < node.count; ++i) visit(items_[static_cast<std::size_t>(node.first + i)]);
        continue;
      }
      const int left = e.node + 1, right = node.first;
      const double bl = bound(left), br = bound(right);
      if (bl <= br) {
        if (br < best) stack[top++] = {right, br};
        if (bl < best) stack[top++] = {left, bl};
      } else {
        if (bl < best) stack[top++] = {left, bl};
        if (br < best) stack[top++] = {right, br};
      }
    }
  }

  Vec3 center(int n) const {
    const Node& b = nodes_[static_cast<std::size_t>(n)];
    return origin_ + 0.5 * Vec3(double(b.low[0]) + b.high[0], double(b.low[1]) + b.high[1], double(b.low[2]) + b.high[2]);
  }
  Vec3 half(int n) const {
    const Node& b = nodes_[static_cast<std::size_t>(n)];
    return 0.5 * Vec3(double(b.high[0]) - b.low[0], double(b.high[1]) - b.low[1], double(b.high[2]) - b.low[2]);
  }

private:
  Vec3 origin_ = Vec3::Zero();
  std::vector<Node> nodes_;
  std::vector<int> items_;
};

/// A mesh with its hierarchy.
struct MeshTree {
  explicit MeshTree(const Mesh& m);
  const Mesh* mesh;
  BoxTree tree;
  /// Half space normal . (p - tree.origin()) <= high that holds all of a node's triangles; along their mean normal, so that
  /// it is tight where a box that lies aslant of the surface is not. Normal zero: none (large nodes).
  struct Slab {
    float normal[3] = {0, 0, 0}, high = 0;
  };
  std::vector<Slab> slabs; ///< per node
};

struct RayHit {
  bool hit = false;
  double distance = kInfinity;
  int triangle = -1;
  double u = 0, v = 0; ///< barycentric: (1-u-v, u, v)
};

/// Takes a triangle that the ray meets nearer than the hit so far (T. Moeller and B. Trumbore, J. Graphics Tools 2(1), 1997).
void meetTriangle(const Mesh& mesh, int triangle, const Vec3& from, const Vec3& direction, RayHit& hit);

/// First triangle along a ray (either side) nearer than `limit`, double precision.
RayHit castRay(const MeshTree& part, const Vec3& from, const Vec3& direction, double limit = kInfinity);

struct Nearest {
  double distance = kInfinity;
  Vec3 point = Vec3::Zero();
  int triangle = -1;
};

/// Closest point of the mesh within `limit`; triangle -1 if there is none.
Nearest closestPoint(const MeshTree& part, const Vec3& p, double limit = kInfinity);

/// Closest point of a triangle (C. Ericson, Real-Time Collision Detection, 2005, 5.1.5).
Vec3 closestOnTriangle(const Vec3& p, const Vec3& a, const Vec3& b, const Vec3& c);

/// Distance of the segments pq and ab with the nearest points (Ericson 2005, 5.1.9). Segments may be points.
double distanceSegments(const Vec3& p, const Vec3& q, const Vec3& a, const Vec3& b, Vec3& onFirst, Vec3& onSecond);

} // namespace hemline
