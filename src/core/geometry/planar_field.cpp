#include "geometry/planar_field.h"
#include <algorithm>
#include <cmath>

namespace hemline {
namespace {

double distanceToSegment(const Vec2& p, const Vec2& a, const Vec2& b, double* along = nullptr) {
  const Vec2 d = b - a;
  const double u = d.squaredNorm() > 0 ? std::clamp((p - a).dot(d) / d.squaredNorm(), 0.0, 1.0) : 0.0;
  if (along) *along = u;
  return (p - a - u * d).norm();
}

/// Places of the grid, index from..to, that lie within `reach` of a stretch of one axis.
void span(double low, double high, double reach, double origin, double step, int n, int& from, int& to) {
  from = std::max(0, static_cast<int>(std::ceil((low - reach - origin) / step)));
  to = std::min(n - 1, static_cast<int>(std::floor((high + reach - origin) / step)));
}

} // namespace

PlanarField::PlanarField(const Grid& grid, const Outlines& region, double band) : grid_(grid), band_(band) {
  value_.assign(static_cast<std::size_t>(grid.n) * static_cast<std::size_t>(grid.m), static_cast<float>(band));
  // Nearest border, in a band about it.
  std::vector<std::vector<std::pair<double, int>>> crossings(static_cast<std::size_t>(grid.m));
  for (const Outline& o : region)
    for (std::size_t k = 0; k < o.size(); ++k) {
      const Vec2 &a = o[k], &b = o[(k + 1) % o.size()];
      int i0, i1, j0, j1;
      span(std::min(a.x(), b.x()), std::max(a.x(), b.x()), band, grid.low.x(), grid.step, grid.n, i0, i1);
      span(std::min(a.y(), b.y()), std::max(a.y(), b.y()), band, grid.low.y(), grid.step, grid.m, j0, j1);
      for (int j = j0; j <= j1; ++j)
        for (int i = i0; i <= i1; ++i) {
          float& v = value_[index(i, j)];
          v = std::min(v, static_cast<float>(distanceToSegment(grid.at(i, j), a, b)));
        }
      // Rows that the edge crosses, each once for the half-open rule.
      const bool up = a.y() < b.y();
      const Vec2 &low = up ? a : b, &high = up ? b : a;
      span(low.y(), high.y(), grid.step, grid.low.y(), grid.step, grid.m, j0, j1); // rounding must not lose a row
      for (int j = j0; j <= j1; ++j) {
        const double y = grid.low.y() + grid.step * j;
        if (!(low.y() <= y && y < high.y())) continue;
        crossings[static_cast<std::size_t>(j)].emplace_back(low.x() + (high - low).x() * (y - low.y()) / (high.y() - low.y()), up ? 1 : -1);
      }
    }
  for (int j = 0; j < grid.m; ++j) {
    auto& row = crossings[static_cast<std::size_t>(j)];
    std::sort(row.begin(), row.end());
    std::size_t k = 0;
    int winding = 0;
    for (int i = 0; i < grid.n; ++i) {
      const double x = grid.low.x() + grid.step * i;
      for (; k < row.size() && row[k].first <= x; ++k) winding += row[k].second;
      if (winding == 0) value_[index(i, j)] = -value_[index(i, j)];
    }
  }
}

double PlanarField::at(const Vec2& p) const {
  const double x = std::clamp((p.x() - grid_.low.x()) / grid_.step, 0.0, grid_.n - 1.000001),
               y = std::clamp((p.y() - grid_.low.y()) / grid_.step, 0.0, grid_.m - 1.000001);
  const int i = static_cast<int>(x), j = static_cast<int>(y);
  const double u = x - i, v = y - j;
  const float* row = value_.data() + index(i, j);
  const float* next = row + grid_.n;
  return (1 - v) * ((1 - u) * static_cast<double>(row[0]) + u * static_cast<double>(row[1])) +
         v * ((1 - u) * static_cast<double>(next[0]) + u * static_cast<double>(next[1]));
}

std::size_t PlanarField::takeAway(const Vec2& a, const Vec2& b, double radius) {
  int i0, i1, j0, j1;
  const double reach = radius + band_;
  span(std::min(a.x(), b.x()), std::max(a.x(), b.x()), reach, grid_.low.x(), grid_.step, grid_.n, i0, i1);
  span(std::min(a.y(), b.y()), std::max(a.y(), b.y()), reach, grid_.low.y(), grid_.step, grid_.m, j0, j1);
  std::size_t taken = 0;
  for (int j = j0; j <= j1; ++j)
    for (int i = i0; i <= i1; ++i) {
      float& v = value_[index(i, j)];
      if (static_cast<double>(v) <= -band_) continue;
      const float d = static_cast<float>(distanceToSegment(grid_.at(i, j), a, b) - radius);
      if (d >= v) continue;
      taken += v > 0 && d <= 0;
      v = std::max(d, static_cast<float>(-band_));
    }
  return taken;
}

Border::Border(const Outlines& region, double reach) : cell_(std::max(reach, 1e-3)) {
  Eigen::AlignedBox2d box;
  for (const Outline& o : region)
    for (std::size_t k = 0; k < o.size(); ++k) {
      edges_.push_back({o[k], o[(k + 1) % o.size()]});
      box.extend(o[k]);
    }
  if (edges_.empty()) return;
  low_ = box.min() - Vec2::Constant(2 * cell_);
  n_ = static_cast<int>((box.sizes().x()) / cell_) + 5, m_ = static_cast<int>((box.sizes().y()) / cell_) + 5;
  cells_.resize(static_cast<std::size_t>(n_) * static_cast<std::size_t>(m_));
  for (std::size_t e = 0; e < edges_.size(); ++e) {
    const Vec2 &a = edges_[e].a, &b = edges_[e].b;
    const auto cell = [&](double v, double origin) { return static_cast<int>(std::floor((v - origin) / cell_)); };
    const int i0 = cell(std::min(a.x(), b.x()) - reach, low_.x()), i1 = cell(std::max(a.x(), b.x()) + reach, low_.x()),
              j0 = cell(std::min(a.y(), b.y()) - reach, low_.y()), j1 = cell(std::max(a.y(), b.y()) + reach, low_.y());
    for (int j = std::max(0, j0); j <= std::min(m_ - 1, j1); ++j)
      for (int i = std::max(0, i0); i <= std::min(n_ - 1, i1); ++i) {
        // A long slanted edge passes few of the cells of its box.
        if (distanceToSegment(low_ + cell_ * Vec2(i + 0.5, j + 0.5), a, b) > reach + 0.75 * cell_) continue;
        cells_[static_cast<std::size_t>(j) * static_cast<std::size_t>(n_) + static_cast<std::size_t>(i)].push_back(static_cast<int>(e));
      }
  }
}

bool Border::nearest(const Vec2& p, Vec2& at, bool& outside) const {
  const int i = static_cast<int>(std::floor((p.x() - low_.x()) / cell_)), j = static_cast<int>(std::floor((p.y() - low_.y()) / cell_));
  if (i < 0 || j < 0 || i >= n_ || j >= m_) return false;
  double least = kInfinity, most = 0;
  for (const int e : cells_[static_cast<std::size_t>(j) * static_cast<std::size_t>(n_) + static_cast<std::size_t>(i)]) {
    const Vec2 &a = edges_[static_cast<std::size_t>(e)].a, &b = edges_[static_cast<std::size_t>(e)].b;
    double u;
    const double d = distanceToSegment(p, a, b, &u);
    // At a corner two edges are as near: the one that p lies most beside tells the side.
    const Vec2 t = (b - a).normalized();
    const double side = t.x() * (p - a).y() - t.y() * (p - a).x();
    if (d > least + 1e-9 || (d > least - 1e-9 && std::abs(side) <= std::abs(most))) continue;
    least = std::min(d, least), most = side, at = a + u * (b - a), outside = side < 0; // the region lies on the left
  }
  return least < kFinite;
}

} // namespace hemline
