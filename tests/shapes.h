// Surfaces with known answers, as dense triangle tessellations, in any orientation.
#pragma once
#include "base/units.h"
#include "cutter/cutter.h"
#include "part/part.h"
#include "toolpath/path.h"
#include <functional>
#include <random>

namespace shapes {

using namespace hemline;

/// Three orientations that share nothing with the axes, and the plain one.
inline std::vector<Mat3> orientations() {
  return {Mat3::Identity(), Eigen::AngleAxisd(0.7, Vec3(1, 2, -1).normalized()).toRotationMatrix(),
          Eigen::AngleAxisd(2.1, Vec3(-2, 1, 0.5).normalized()).toRotationMatrix()};
}

inline Vec3 up(const Mat3& turn) {
  return turn * Vec3::UnitZ();
}

/// z = height(x, y) over a rectangle, n by m cells, turned.
inline std::shared_ptr<const Part> field(double x0, double x1, double y0, double y1, int n, int m,
                                         const std::function<double(double, double)>& height, const Mat3& turn = Mat3::Identity()) {
  std::vector<Vec3> soup;
  const auto at = [&](int i, int j) {
    const double x = x0 + (x1 - x0) * i / n, y = y0 + (y1 - y0) * j / m;
    return Vec3(turn * Vec3(x, y, height(x, y)));
  };
  for (int i = 0; i < n; ++i)
    for (int j = 0; j < m; ++j)
      for (const Vec3& p : {at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j), at(i + 1, j + 1), at(i, j + 1)}) soup.push_back(p);
  return partFromTriangles(soup, "field", 3.0);
}

inline std::vector<Vec3> box(const Vec3& a, const Vec3& b) {
  const auto c = [&](int i) { return Vec3(i & 1 ? b.x() : a.x(), i & 2 ? b.y() : a.y(), i & 4 ? b.z() : a.z()); };
  const int quads[6][4] = {{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}};
  std::vector<Vec3> out;
  for (const auto& q : quads)
    for (const int i : {0, 1, 2, 0, 2, 3}) out.push_back(c(q[i]));
  return out;
}

/// Two planes that fall to the x axis with `slope`, 30 mm long and 10 wide each, in cells of about `cell` mm; between them an arc about
/// a fillet of radius `fillet` (0: sharp).
inline std::vector<Vec3> groove(double slope, double fillet, double cell, const Mat3& turn = Mat3::Identity()) {
  const double a = std::atan(slope), flat = fillet * std::sin(a); // the arc ends there
  std::vector<Vec2> section;
  const auto arc = static_cast<int>(std::ceil(2 * flat / std::min(cell, 0.1)));
  const double top = fillet / std::cos(a); // its middle's height
  for (int k = 0; k <= arc && fillet > 0; ++k) {
    const double at = -a + 2 * a * k / arc;
    section.emplace_back(fillet * std::sin(at), top - fillet * std::cos(at));
  }
  if (section.empty()) section.emplace_back(0, 0);
  const auto n = static_cast<int>((10 - flat) / cell);
  for (int k = 1; k <= n; ++k) {
    const double y = flat + (10 - flat) * k / n;
    section.emplace_back(y, slope * y);
    section.insert(section.begin(), {-y, slope * y});
  }
  const auto m = static_cast<int>(30 / cell);
  std::vector<Vec3> soup;
  const auto at = [&](int i, std::size_t k) { return Vec3(turn * Vec3(30.0 * i / m, section[k].x(), section[k].y())); };
  for (int i = 0; i < m; ++i)
    for (std::size_t k = 0; k + 1 < section.size(); ++k)
      for (const Vec3& p : {at(i, k), at(i + 1, k), at(i + 1, k + 1), at(i, k), at(i + 1, k + 1), at(i, k + 1)}) soup.push_back(p);
  return soup;
}

/// A block of 40 by 40 by 20 with a square pocket of 24 down to z = 8.
inline std::vector<Vec3> tray() {
  auto soup = box({-20, -20, 0}, {20, 20, 8});
  for (const auto& [low, high] : {std::pair(Vec3(-20, -20, 8), Vec3(20, -12, 20)), std::pair(Vec3(-20, 12, 8), Vec3(20, 20, 20)),
                                  std::pair(Vec3(-20, -12, 8), Vec3(-12, 12, 20)), std::pair(Vec3(12, -12, 8), Vec3(20, 12, 20))}) {
    const auto wall = box(low, high);
    soup.insert(soup.end(), wall.begin(), wall.end());
  }
  return soup;
}

/// A block with curved top and foot, 20 x 16 mm and about 10 high.
inline Mesh lens() {
  const auto top = [](double x, double y) { return 5 + 0.012 * (x * x + y * y); };
  const auto foot = [](double x, double y) { return -5 + 0.008 * (x * x + y * y); };
  std::vector<Vec3> soup;
  constexpr int n = 20, m = 16;
  const auto at = [&](int i, int j, bool up) {
    const double x = -10 + 20.0 * i / n, y = -8 + 16.0 * j / m;
    return Vec3(x, y, up ? top(x, y) : foot(x, y));
  };
  const auto quad = [&](const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
    for (const Vec3& p : {a, b, c, a, c, d}) soup.push_back(p);
  };
  for (int i = 0; i < n; ++i)
    for (int j = 0; j < m; ++j) {
      quad(at(i, j, true), at(i + 1, j, true), at(i + 1, j + 1, true), at(i, j + 1, true));
      quad(at(i, j, false), at(i, j + 1, false), at(i + 1, j + 1, false), at(i + 1, j, false));
    }
  for (int i = 0; i < n; ++i)
    for (const int j : {0, m}) {
      const Vec3 a = at(i, j, false), b = at(i + 1, j, false), c = at(i + 1, j, true), d = at(i, j, true);
      j == 0 ? quad(a, b, c, d) : quad(b, a, d, c);
    }
  for (int j = 0; j < m; ++j)
    for (const int i : {0, n}) {
      const Vec3 a = at(i, j, false), b = at(i, j + 1, false), c = at(i, j + 1, true), d = at(i, j, true);
      i == 0 ? quad(b, a, d, c) : quad(a, b, c, d);
    }
  return partFromTriangles(soup, "lens")->mesh;
}

/// One cutter of each kind.
inline std::vector<Cutter> cutters() {
  const auto make = [](const char* name, CutterKind kind, double d, double corner, double profile, double angle) {
    Cutter c;
    c.name = name, c.kind = kind, c.diameter = d, c.corner = corner, c.profileRadius = profile, c.angle = angle;
    c.fluteLength = 14, c.shankDiameter = d;
    return c;
  };
  return {make("flat", CutterKind::Flat, 8, 0, 0, 0),
          make("ball", CutterKind::Ball, 8, 0, 0, 0),
          make("bull nose", CutterKind::BullNose, 8, 1.5, 0, 0),
          make("tapered ball", CutterKind::TaperedBall, 4, 0, 0, radians(8)),
          make("barrel", CutterKind::Barrel, 8, 1, 40, 0),
          make("chamfer", CutterKind::Chamfer, 8, 0, 0, radians(45)),
          make("drill", CutterKind::Drill, 8, 0, 0, radians(59))};
}

/// A place of a path.
inline Location at(const Vec3& tip, const Vec3& axis, Motion motion = Motion::Cut) {
  Location l;
  l.tip = tip, l.axis = axis.normalized(), l.motion = motion, l.feed = 10;
  return l;
}

} // namespace shapes
