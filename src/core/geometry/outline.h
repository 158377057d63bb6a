// Plane regions as closed outlines: union, difference, offset, clipping of open lines. Clipper does the work, on a grid of
// 0.01 um.
#pragma once
#include "geometry/vec.h"
#include <functional>
#include <vector>

namespace hemline {

using Outline = std::vector<Vec2>;
/// Outer outlines counter-clockwise, holes clockwise.
using Outlines = std::vector<Outline>;

Outlines intersect(const Outlines& a, const Outlines& b);
Outlines subtract(const Outlines& a, const Outlines& b);
/// Grown (d > 0) or shrunk (d < 0) with round corners, to 2 um.
Outlines offset(const Outlines& region, double d);
/// Pieces of open lines inside the region.
std::vector<Outline> clipLines(const std::vector<Outline>& lines, const Outlines& region);
double regionArea(const Outlines& region);
bool regionContains(const Outlines& region, const Vec2& p);
/// One region per connected part: an outer outline with its holes.
std::vector<Outlines> connectedParts(const Outlines& region);

/// Grid of samples for contours: n by m places from `low`, `step` apart.
struct Grid {
  Vec2 low;
  double step;
  int n, m;
  Vec2 at(int i, int j) const { return low + step * Vec2(i, j); }
};
/// Outline of the places where `in` is true (marching squares). edge(inside, outside) gives the crossing between a place
/// inside and its neighbour outside. Places on the rim of the grid count as outside.
Outlines contour(const Grid& grid, const std::function<bool(int, int)>& in, const std::function<Vec2(const Vec2&, const Vec2&)>& edge);

} // namespace hemline
