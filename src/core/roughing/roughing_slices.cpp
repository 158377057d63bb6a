#include "roughing/roughing_slices.h"
#include "base/threads.h"
#include "cutter/touch.h"
#include "finishing/region_limits.h"
#include <fmt/format.h>

namespace hemline {
namespace {

constexpr double kWall = 0.087; // cosine of the slope from which ground is a wall (85 degrees)

double signedArea(const Outline& o) {
  double twice = 0;
  for (std::size_t i = 0; i < o.size(); ++i) {
    const Vec2 &a = o[i], &b = o[(i + 1) % o.size()];
    twice += a.x() * b.y() - a.y() * b.x();
  }
  return 0.5 * twice;
}

} // namespace

RoughingSlices::RoughingSlices(const Part& part, const Stock& stock, const Profile& profile, const RoughingOptions& o, Progress& progress)
    : part_(part), o_(o), progress_(progress), grown_(profile.grown(o.wall, o.floor)), R_(profile.maxRadius()) {
  frameAround(o.up, e1_, e2_);
  for (const OwnAllowance& a : o.own) own_.push_back(profile.grown(a.allowance, a.allowance));
  layGrid(stock);
  if (o_.belowEdge) findEdge();
  measureHeights();
}

std::vector<double> RoughingSlices::levels() {
  std::vector<double> found = findLevels();
  if (o_.tabs && !found.empty()) leaveTabs(found);
  if (found.empty())
    throw Error(Fault::NothingToDo, "There is nothing to rough: no stock lies above the part", "level roughing",
                "Check stock, datum and bottom limit.");
  return found;
}

void RoughingSlices::layGrid(const Stock& stock) {
  Box flat;
  const Box& b = stock.bounds();
  top_ = -kInfinity, bottom_ = kInfinity;
  for (int i = 0; i < 8; ++i) {
    const Vec3 c(i & 1 ? b.low.x() : b.high.x(), i & 2 ? b.low.y() : b.high.y(), i & 4 ? b.low.z() : b.high.z());
    flat.add(Vec3(c.dot(e1_), c.dot(e2_), 0));
    top_ = std::max(top_, c.dot(o_.up));
    bottom_ = std::min(bottom_, c.dot(o_.up));
  }
  const double step = std::clamp(R_ / 12, stock.cell() * 0.8, 1.0), rim = R_ + 4 * step + 1;
  grid_ = {flat.low.head<2>() - Vec2(rim, rim), step, static_cast<int>((flat.size().x() + 2 * rim) / step) + 2,
           static_cast<int>((flat.size().y() + 2 * rim) / step) + 2};
}

double RoughingSlices::heightAt(const Vec2& p, int& hint) const {
  const Touch t = touchAlong(*part_.tree, grown_, o_.up, world(p, 0), hint);
  hint = t.triangle;
  double height = std::max(t.hit ? t.height : -kInfinity, edgeAt(p));
  for (std::size_t k = 0; k < own_.size(); ++k)
    if (const Touch own = touchAlong(*o_.own[k].ground->tree, own_[k], o_.up, world(p, 0)); own.hit) height = std::max(height, own.height);
  for (const Strip& tab : tabs_) {
    const Vec2 d = p - tab.from;
    const double out = d.dot(tab.outward), side = d.x() * tab.outward.y() - d.y() * tab.outward.x();
    if (out > -R_ && out < tab.length && std::abs(side) < 0.5 * o_.tabs->width + R_) height = std::max(height, tabTop_);
  }
  return height;
}

bool RoughingSlices::free(const Vec2& a, const Vec2& b, double z) const {
  const int n = std::max(1, static_cast<int>(std::ceil((b - a).norm() / (0.5 * grid_.step))));
  int hint = -1;
  for (int i = 0; i <= n; ++i)
    if (heightAt(a + (b - a) * (double(i) / n), hint) > z + 0.01) return false;
  return true;
}

/// Tabs on the outline of the largest island at the lowest level; and a level on top of them.
void RoughingSlices::leaveTabs(std::vector<double>& levels) {
  const Tabs& t = *o_.tabs;
  Outline island;
  const Outlines free = allowed(levels.back());
  for (const Outline& o : free)
    if (const double a = signedArea(o); a < 0 && -a > -signedArea(island)) island = o; // holes run clockwise
  if (island.empty())
    throw Error(Fault::NothingToDo, "There is nothing to leave tabs on: the lowest level does not run round the part", "level roughing",
                "Take the tabs away, or give the blank room beside the part for the cutter.")
        .mendedBy("tabs");
  std::vector<double> run{0};
  for (std::size_t i = 0; i < island.size(); ++i) run.push_back(run.back() + (island[(i + 1) % island.size()] - island[i]).norm());
  if (t.count * (t.width + 4 * R_) > run.back())
    throw Error(Fault::Cannot, fmt::format("{} tabs of {:g} mm do not fit round an outline of {:.0f} mm", t.count, t.width, run.back()),
                "level roughing", "Leave fewer or narrower ones.")
        .mendedBy("tabs");
  tabTop_ = levels.back() + t.thickness;
  for (int k = 0; k < t.count; ++k) {
    const double at = (k + 0.5) / t.count * run.back();
    const auto i = static_cast<std::size_t>(std::upper_bound(run.begin(), run.end(), at) - run.begin()) - 1;
    const double u = (at - run[i]) / std::max(1e-12, run[i + 1] - run[i]);
    const Vec2 &a = island[i], &b = island[(i + 1) % island.size()], along = (b - a).normalized();
    Strip tab{(1 - u) * a + u * b, Vec2(-along.y(), along.x()), R_}; // a hole runs clockwise, with the free ground on its left
    // As far out as the level is cut, so that it bridges to what stays.
    while (tab.length < grid_.step * (grid_.n + grid_.m) && regionContains(free, tab.from + (tab.length - R_ + grid_.step) * tab.outward))
      tab.length += grid_.step;
    tabs_.push_back(tab);
    tabAt_.push_back(world(tab.from, tabTop_));
  }
  measureHeights(); // now with them
  if (tabTop_ < top_ - 0.02 && std::none_of(levels.begin(), levels.end(), [&](double z) { return std::abs(z - tabTop_) < 0.02; }))
    levels.insert(std::upper_bound(levels.begin(), levels.end(), tabTop_, std::greater<>()), tabTop_);
}

/// Beside the part the ground at the nearest edge goes on level, so much lower as was asked for, so that no trench is cut round
/// the part in a larger blank.
/// Walls steeper than kWall are no ground.
void RoughingSlices::findEdge() {
  const std::size_t n = static_cast<std::size_t>(grid_.n) * static_cast<std::size_t>(grid_.m);
  std::vector<double> ground(n, -kInfinity);
  std::vector<char> over(n, 0); // there is some of the part below
  const double from = std::max(top_, part_.mesh.bounds().center().dot(o_.up) + part_.mesh.bounds().diagonal()) + 1;
  parallelChunks(static_cast<std::size_t>(grid_.m), 4, [&](std::size_t first, std::size_t last) {
    for (std::size_t j = first; j < last; ++j) {
      progress_.check();
      for (int i = 0; i < grid_.n; ++i) {
        const std::size_t k = cell(i, static_cast<int>(j));
        const RayHit hit = castRay(*part_.tree, world(grid_.at(i, static_cast<int>(j)), from), -o_.up);
        over[k] = hit.hit;
        if (hit.hit && part_.mesh.facetNormal(static_cast<std::size_t>(hit.triangle)).dot(o_.up) > kWall)
          ground[k] = from - hit.distance + o_.floor;
      }
    }
  });
  // The nearest ground is handed on from cell to cell, there and back, until nothing changes.
  edge_.assign(n, -kInfinity);
  std::vector<std::array<int, 2>> nearest(n, {-1, -1});
  for (int j = 0; j < grid_.m; ++j)
    for (int i = 0; i < grid_.n; ++i)
      if (ground[cell(i, j)] > -kFinite) nearest[cell(i, j)] = {i, j};
  const auto far = [](const std::array<int, 2>& begin, int i, int j) {
    return begin[0] < 0 ? kInfinity : std::hypot(begin[0] - i, begin[1] - j);
  };
  for (bool changed = true, back = false; changed || back; back = !back) {
    progress_.check();
    changed = changed && back;
    for (int y = 0; y < grid_.m; ++y)
      for (int x = 0; x < grid_.n; ++x) {
        const int i = back ? grid_.n - 1 - x : x, j = back ? grid_.m - 1 - y : y;
        for (const auto& [di, dj] : {std::pair{-1, 0}, {1, 0}, {0, -1}, {0, 1}, {-1, -1}, {1, -1}, {-1, 1}, {1, 1}}) {
          const int u = i + di, v = j + dj;
          if (u < 0 || v < 0 || u >= grid_.n || v >= grid_.m) continue;
          if (far(nearest[cell(u, v)], i, j) < far(nearest[cell(i, j)], i, j) - 1e-9)
            nearest[cell(i, j)] = nearest[cell(u, v)], changed = true;
        }
      }
  }
  for (std::size_t k = 0; k < n; ++k)
    if (!over[k] && nearest[k][0] >= 0) edge_[k] = ground[cell(nearest[k][0], nearest[k][1])] - *o_.belowEdge;
}

double RoughingSlices::edgeAt(const Vec2& p) const {
  if (edge_.empty()) return -kInfinity;
  const Vec2 at = (p - grid_.low) / grid_.step;
  const int i = std::clamp(static_cast<int>(std::lround(at.x())), 0, grid_.n - 1),
            j = std::clamp(static_cast<int>(std::lround(at.y())), 0, grid_.m - 1);
  return edge_[cell(i, j)];
}

void RoughingSlices::measureHeights() {
  height_.assign(static_cast<std::size_t>(grid_.n) * static_cast<std::size_t>(grid_.m), -kInfinity);
  parallelChunks(static_cast<std::size_t>(grid_.m), 4, [&](std::size_t first, std::size_t last) {
    int hint = -1;
    for (std::size_t j = first; j < last; ++j) {
      progress_.check();
      for (int i = 0; i < grid_.n; ++i)
        height_[j * static_cast<std::size_t>(grid_.n) + static_cast<std::size_t>(i)] = heightAt(grid_.at(i, static_cast<int>(j)), hint);
    }
  });
  progress_.report(0.15, "heights");
}

std::vector<double> RoughingSlices::findLevels() const {
  double lowest = bottom_;
  if (o_.bottom) lowest = std::max(lowest, *o_.bottom);
  double reach = kInfinity;
  for (const double h : height_)
    if (h > -kFinite) reach = std::min(reach, h);
  // Nowhere lower than the deepest place above the part, unless a bottom is asked for.
  if (!o_.bottom && reach < kFinite) lowest = std::max(lowest, reach);
  std::vector<double> levels;
  for (double z = top_ - o_.depth; z > lowest + 1e-6; z -= o_.depth) levels.push_back(z);
  if (lowest < top_ - 1e-6) levels.push_back(lowest);
  // Flats of the part get a level of their own, so that none misses them by a hair.
  std::map<long, double> flats;
  for (std::size_t t = 0; t < part_.mesh.triangles.size(); ++t)
    if (part_.mesh.facetNormal(t).dot(o_.up) > 0.99999)
      flats[std::lround(part_.mesh.corner(t, 0).dot(o_.up) * 1000)] += part_.mesh.facetArea(t);
  for (const auto& [um, area] : flats) {
    const double z = static_cast<double>(um) / 1000 + o_.floor + 1e-4;
    if (area > 2 * R_ * R_ && z > lowest && z < top_ - 0.05 * o_.depth) levels.push_back(z);
  }
  std::sort(levels.rbegin(), levels.rend());
  std::vector<double> out;
  for (const double z : levels)
    if (out.empty() || out.back() - z > 0.02) out.push_back(z);
  return out;
}

Outlines RoughingSlices::allowed(double z) const {
  const auto in = [&](int i, int j) {
    return height_[static_cast<std::size_t>(j) * static_cast<std::size_t>(grid_.n) + static_cast<std::size_t>(i)] <= z;
  };
  const auto edge = [&](Vec2 good, Vec2 bad) {
    int hint = -1;
    for (int k = 0; k < 6; ++k) {
      const Vec2 m = 0.5 * (good + bad);
      (heightAt(m, hint) <= z ? good : bad) = m;
    }
    return good;
  };
  Outlines region = contour(grid_, in, edge);
  if (!o_.boundary.empty()) region = intersect(region, {o_.boundary});
  return region;
}

Outlines RoughingSlices::material(const Stock& stock, double z, double above) const {
  const double d = std::min(o_.depth, above - z);
  return contour(
      grid_,
      [&](int i, int j) {
        progress_.check();
        const Vec2 p = grid_.at(i, j);
        for (const double x : {0.1, 0.5, 0.9})
          if (stock.contains(world(p, z + x * d))) return true;
        return false;
      },
      [](const Vec2& a, const Vec2& b) { return Vec2(0.5 * (a + b)); });
}

Outlines RoughingSlices::standing(const Stock& stock, double z, double above) const {
  std::vector<double> heights;
  for (const double x : {0.02, 0.25, 0.5, 0.75, 0.98}) heights.push_back(z + x * (above - z));
  const double rise = std::max({stock.cell(), 0.5 * (above - z), 0.5});
  for (double h = above + 0.5 * rise; h < top_; h += rise) heights.push_back(h);
  const auto solid = [&](const Vec2& p) {
    return std::any_of(heights.begin(), heights.end(), [&](double h) { return stock.contains(world(p, h)); });
  };
  std::vector<char> in(height_.size(), 0);
  parallelChunks(static_cast<std::size_t>(grid_.m), 4, [&](std::size_t first, std::size_t last) {
    for (std::size_t j = first; j < last; ++j) {
      progress_.check();
      for (int i = 0; i < grid_.n; ++i) in[cell(i, static_cast<int>(j))] = solid(grid_.at(i, static_cast<int>(j)));
    }
  });
  return contour(
      grid_, [&](int i, int j) { return in[cell(i, j)] != 0; },
      [&](Vec2 inside, Vec2 outside) {
        for (int k = 0; k < 5; ++k) {
          const Vec2 m = 0.5 * (inside + outside);
          (solid(m) ? inside : outside) = m;
        }
        return outside;
      });
}

Outlines RoughingSlices::worthCutting(Outlines solid, double z) const {
  if (o_.leastThickness <= 0 && o_.leastArea <= 0) return solid;
  const Outlines cut = intersect(solid, offset(allowed(z), R_));
  Outlines kept;
  for (const Outlines& part : connectedParts(cut)) {
    if (regionArea(part) < o_.leastArea) continue;
    // Its thick places, grown back with a little overlap.
    const Outlines thick =
        o_.leastThickness > 0 ? intersect(offset(offset(part, -0.5 * o_.leastThickness), o_.leastThickness), part) : part;
    kept.insert(kept.end(), thick.begin(), thick.end());
  }
  return kept;
}

} // namespace hemline
