// Signed distance on a plane grid, read between its places: the border of what is left in a slice, to much less than a cell.
#pragma once
#include "geometry/outline.h"

namespace hemline {

class PlanarField {
public:
  /// Distance to the border of the region, positive inside, exact at the grid's places where it is less than `band` and cut off there.
  PlanarField(const Grid& grid, const Outlines& region, double band);

  const Grid& grid() const { return grid_; }
  /// Bilinear: off by less than step^2 / 8 times the border's curvature where the border is smooth, by 0.3 of a step at its corners.
  /// Beyond the grid as on its rim.
  double at(const Vec2& p) const;
  double value(int i, int j) const { return value_[index(i, j)]; }
  /// Takes away all that lies within `radius` of the line from a to b. Returns how many places were inside and are not any more.
  std::size_t takeAway(const Vec2& a, const Vec2& b, double radius);

private:
  std::size_t index(int i, int j) const {
    return static_cast<std::size_t>(j) * static_cast<std::size_t>(grid_.n) + static_cast<std::size_t>(i);
  }
  Grid grid_;
  double band_;
  std::vector<float> value_;
};

/// Border of a region, asked for its nearest place again and again.
class Border {
public:
  /// Places farther away than `reach` are not looked for.
  Border(const Outlines& region, double reach);
  /// The nearest place of the border, within reach; false if there is none. `outside`: p lies on its outer side.
  bool nearest(const Vec2& p, Vec2& at, bool& outside) const;

private:
  struct Edge {
    Vec2 a, b;
  };
  std::vector<Edge> edges_;
  double cell_;
  Vec2 low_ = Vec2::Zero();
  int n_ = 0, m_ = 0;
  std::vector<std::vector<int>> cells_; ///< edges within reach of a cell
};

} // namespace hemline
