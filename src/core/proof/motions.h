// Runs of moves looked at as one: a pose in their middle, and how far any of them gets from it.
#pragma once
#include "toolpath/path.h"

namespace hemline {

struct Motions {
  const Path& path;
  double reach; ///< farthest point of the assembly from the tip, mm
  /// The pose at the location in the middle of the moves first..last (excluded; each from location i - 1 to i).
  void middle(std::size_t first, std::size_t last, Vec3& tip, Vec3& axis) const {
    const std::size_t m = (first + last) / 2;
    const Location& l = path.locations[m == 0 ? 0 : m - 1 < first ? first : m - 1];
    tip = l.tip, axis = l.axis;
  }
  /// Bound of what any point of the assembly travels from a pose to any pose of these moves, by arc.
  double radius(const Vec3& tip, const Vec3& axis, std::size_t first, std::size_t last) const {
    double r = 0, bulge = 0;
    for (std::size_t i = first - 1; i < last; ++i) {
      const Location& l = path.locations[i];
      r = std::max(r, (tip - l.tip).norm() + reach * angleBetween(axis, l.axis));
      if (i < first) continue;
      // Poses on a move lie within its ends' ball: the tip is on a segment, the axis on a great circle; spherical caps are convex only
      // when small.
      const double turn = angleBetween(path.locations[i - 1].axis, l.axis);
      if (turn > 0.02) bulge = std::max(bulge, reach * turn);
    }
    return r + bulge;
  }
};

} // namespace hemline
