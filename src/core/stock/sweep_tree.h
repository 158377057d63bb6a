// Eight-wide bounding hierarchy over the pieces of a sweep. It asks one thing of eight boxes at once: can a place on the ray be
// inside the cutter while its reference point is anywhere in the box? The distance of a place to a convex body is convex in
// place and reference point together, so that its tangent at the box's middle bounds it from below over the whole box;
// thin sheets of passes are bounded tightly since the gradient is nearly the sheet's normal there.
#pragma once
#include "cutter/profile.h"
#include <array>
#include <vector>

namespace hemline {

/// A short move: reference point (ball centre or tip) from a to b, axis from axisA to axisB.
struct SweepPiece {
  Vec3 a, b, axisA, axisB;
};

class SweepTree {
public:
  static constexpr int kWide = 8;

  /// Eight boxes (inner group) or pieces (leaf) with what their bounds need. Arrays per coordinate, then lane. Lengths in mm.
  struct alignas(64) Group {
    double center[3][kWide];
    double half[3][kWide];   ///< inner: half sizes; leaf: half of the way from a to b
    double normal[3][kWide]; ///< inner: of the thinnest slab that holds all reference points (the middle is the slab's, too)
    double slab[kWide];      ///< inner: half thickness
    double axis[3][kWide];
    double spread[kWide]; ///< radians: no axis within leans farther from `axis`
    double size[kWide];   ///< no reference point is farther from the middle
    int child[kWide];     ///< inner: group; leaf: piece
    int count = 0;
    bool leaf = true;
  };

  /// Lines and arcs of the profile with all its corners as arcs of radius 0: the signed distance is the largest of theirs.
  struct Side {
    double r, z, radius;   ///< point of a line, or centre of an arc
    double ar, az, br, bz; ///< outward normals at both ends
    bool arc;
  };

  /// One ray: all t from `from` to `to` along p + t n, or along any parallel ray within `radius` of it.
  struct Ask {
    Vec3 p, n;
    double from, to, radius = 0;
  };

  SweepTree() = default;
  /// ball: the profile's half ball's radius, or 0; the pieces' reference points are its centres, or tips.
  SweepTree(const Profile& profile, double ball, const std::vector<SweepPiece>& pieces);

  /// Calls visit(piece, low) for every piece that the ray may enter at some t <= ask.to, nearly in the order of entry; `low` is a certified
  /// lower bound of it (at least ask.from). `visit` may make ask.to smaller.
  template <class Visit> void walk(Ask& ask, Visit&& visit) const {
    if (groups_.empty()) return;
    struct Entry {
      int group;
      double low;
    };
    std::array<Entry, 128> stack; // seven of each level wait at most: enough for eight levels beyond any path
    std::size_t top = 0;
    stack[top++] = {0, ask.from};
    while (top > 0) {
      const Entry e = stack[--top];
      if (e.low > ask.to) continue;
      const Group& g = groups_[static_cast<std::size_t>(e.group)];
      double low[kWide];
      int order[kWide];
      const int kept = ordered(g, ask, low, order);
      if (g.leaf) {
        for (int k = 0; k < kept; ++k)
          if (low[order[k]] <= ask.to) visit(g.child[order[k]], low[order[k]]);
      } else {
        for (int k = kept; k-- > 0;) stack[top++] = {g.child[order[k]], low[order[k]]};
      }
    }
  }
  /// Of the pieces listed, those that the ray may enter at or before ask.to.
  void sift(const std::vector<SweepPiece>& pieces, const std::vector<int>& from, const Ask& ask, std::vector<int>& out) const;
  /// Least distance of p to the lines of the reference points, where it is below `limit`; else `limit`.
  double distanceToLines(const std::vector<SweepPiece>& pieces, const Vec3& p, double limit) const;

private:
  /// Lower bounds of the entry into each lane that may be entered by ask.to; how many, the nearest first.
  int ordered(const Group& g, const Ask& ask, double* low, int* order) const;
  int build(const std::vector<SweepPiece>& pieces, const class BoxTree& boxes, int node, std::size_t first, std::size_t last);
  static void fill(Group& leaf, const std::vector<SweepPiece>& pieces, const int* items, std::size_t count);

  double ball_ = 0;
  std::vector<Side> sides_;
  std::vector<Group> groups_;
};

} // namespace hemline
