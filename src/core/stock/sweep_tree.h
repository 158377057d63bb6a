// Sixteen-wide bounding hierarchy over the pieces of a sweep. It asks one thing of sixteen boxes at once: can a place on the ray be
// inside the cutter while its reference point is anywhere in the box? The distance of a place to a convex body is convex in the
// reference point, so that its tangent at one point of the box bounds it from below over the whole box. The tangent is taken at the
// point of the box's middle plane that lies nearest; boxes are turned to the sheet that the passes form.
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
  static constexpr int kWide = 16;
  static constexpr std::size_t kStack = 192; ///< fifteen of each level wait at most: enough for twelve levels

  /// Sixteen boxes (inner group) or pieces (leaf) with what their bounds need, in single precision from an origin of their own. Arrays per
  /// coordinate, then lane. Lengths in mm.
  struct alignas(64) Group {
    float center[3][kWide];
    float along[3][kWide];  ///< the box's longest direction; of a leaf's piece: from a to b
    float across[3][kWide]; ///< the next (boxes only)
    float normal[3][kWide]; ///< the thinnest (boxes only)
    float half[3][kWide];   ///< half sizes along the three (a piece: the first only)
    float axis[3][kWide];
    float spread[kWide]; ///< radians: no axis within leans farther from `axis`
    float size[kWide];   ///< no reference point is farther from the middle
    int child[kWide];    ///< inner: group; leaf: piece
    double origin[3];
    int count = 0;
    bool leaf = true;
    bool steady = true; ///< all spreads are 0
  };

  /// A side of the profile as the kernel reads it.
  struct Side {
    float r, z, radius, ar, az, br, bz;
    bool arc;
  };

  /// One ray: all t from `from` to `to` along p + t n, or along any parallel ray within `radius` of those that start on the stretch
  /// from p - half along to p + half along (along unit).
  struct Ask {
    Vec3 p, n;
    double from, to, radius = 0;
    Vec3 along = Vec3::Zero();
    double half = 0;
  };

  /// What of it the kernel reads.
  struct Ray {
    double q[3], n[3], radius, along[3], half; ///< end, direction
    double aim[3];                             ///< where the reference point is when the body touches the end squarely
  };

  /// Pieces that matter near a place, packed for the kernel.
  struct Near {
    std::vector<int> pieces;
    std::vector<Group> groups; ///< the same pieces, a group at a time
    void clear() { pieces.clear(), groups.clear(); }
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
    std::array<Entry, kStack> stack;
    std::size_t top = 0;
    stack[top++] = {0, ask.from};
    Ray ray = rayOf(ask);
    while (top > 0) {
      const Entry e = stack[--top];
      if (e.low > ask.to) continue;
      const Group& g = groups_[static_cast<std::size_t>(e.group)];
      double low[kWide];
      int order[kWide];
      const int kept = ordered(g, ask, ray, low, order);
      if (g.leaf) {
        const double before = ask.to;
        for (int k = 0; k < kept; ++k)
          if (low[order[k]] <= ask.to) visit(g.child[order[k]], low[order[k]]);
        if (ask.to < before) ray = rayOf(ask);
      } else {
        for (int k = kept; k-- > 0;) stack[top++] = {g.child[order[k]], low[order[k]]};
      }
    }
  }
  /// The same among the pieces listed, in their order; calls visit(piece).
  template <class Visit> void walk(const Near& near, Ask& ask, Visit&& visit) const {
    Ray ray = rayOf(ask);
    for (const Group& g : near.groups) {
      std::array<int, kWide> may;
      const int count = among(g, ask, ray, may.data());
      const double before = ask.to;
      for (int k = 0; k < count; ++k) visit(g.child[may[static_cast<std::size_t>(k)]]);
      if (ask.to < before) ray = rayOf(ask);
    }
  }
  /// All pieces that the ray may enter at or before ask.to.
  void gather(const Ask& ask, Near& out) const;
  /// Those of a list.
  void sift(const Near& from, const Ask& ask, Near& out) const;
  /// Least distance of p to the lines of the reference points, where it is below `limit`; else `limit`.
  double distanceToLines(const std::vector<SweepPiece>& pieces, const Vec3& p, double limit) const;

private:
  /// Lower bounds of the entry into each lane that may be entered by ask.to; how many, the nearest first.
  int ordered(const Group& g, const Ask& ask, const Ray& ray, double* low, int* order) const;
  Ray rayOf(const Ask& ask) const;
  /// Lanes that may be entered by ask.to, as they come.
  int among(const Group& g, const Ask& ask, const Ray& ray, int* lanes) const;
  int build(const std::vector<SweepPiece>& pieces, const class BoxTree& boxes, int node, std::size_t first, std::size_t last);
  static void fill(Group& leaf, const std::vector<SweepPiece>& pieces, const int* items, std::size_t count);

  double ball_ = 0;
  Profile profile_;
  std::vector<Side> lower_;   ///< all but the lid and its rim: without them the distance is too small at most
  float size_ = 0;            ///< no coordinate of these is greater
  Vec3 axis_ = Vec3::UnitZ(); ///< of the first piece: only where tangents are best taken depends on it
  std::vector<Group> groups_;
};

} // namespace hemline
