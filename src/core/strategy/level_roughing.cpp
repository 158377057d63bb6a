#include "strategy/level_roughing.h"
#include "base/parallel.h"
#include "base/units.h"
#include "cutter/touch.h"
#include "geometry/outline.h"
#include "strategy/region.h"
#include "toolpath/rapid_reach.h"
#include <fmt/format.h>
#include <set>

namespace hemline {
namespace {

constexpr double kLeast = 0.5;        // of the thinned spacing: nearer to the level above no level is worth its passes
constexpr double kHelixChord = 0.005; // mm: by how much the blocks of a helix cut its round short
constexpr double kWall = 0.087;       // cosine of the slope from which ground is a wall (85 degrees)
constexpr double kBack = 25;          // cutter radii: a longer way back takes more time than an entry

class Rougher {
public:
  Rougher(const Part& part, const Stock& stock, const Cutter& cutter, const RoughingOptions& o, Progress& progress)
      : part_(part), cutter_(cutter), o_(o), progress_(progress), profile_(makeProfile(cutter)), grown_(profile_.grown(o.wall, o.floor)),
        rapid_(profile_.grown(0.5, 0.5)), R_(profile_.maxRadius()) {
    frameAround(o.up, e1_, e2_);
    result_.stockAfter = stock;
  }

  RoughingResult plan() {
    layGrid();
    if (o_.belowEdge) findEdge();
    measureHeights();
    std::vector<double> levels = findLevels();
    if (o_.tabs && !levels.empty()) leaveTabs(levels);
    if (levels.empty())
      throw Error("There is nothing to rough: no stock lies above the part", "level roughing", "Check stock, datum and bottom limit.");
    for (std::size_t k = 0; k < levels.size(); ++k) {
      progress_.report(0.15 + 0.85 * double(k) / double(levels.size()), fmt::format("level {} of {}", k + 1, levels.size()));
      const double above = k == 0 ? top_ : levels[k - 1];
      level(levels[k], above);
      if (!o_.thinning) continue;
      // Upwards on the slopes: the cutter's side takes the whole height of what stands there, but little of its width.
      for (double z = levels[k] + *o_.thinning; z < above - kLeast * *o_.thinning; z += *o_.thinning)
        level(z, std::min(z + *o_.thinning, above)), ++result_.thinned;
    }
    result_.levels = levels.size();
    retract();
    if (result_.path.locations.empty())
      throw Error("This cutter reaches none of the stock", "level roughing",
                  "Choose a smaller cutter, or check the allowances and the boundary.");
    if (result_.skipped > 0)
      result_.path.notes.push_back(fmt::format("{} pockets were left: no room to enter from air, by helix or by ramp", result_.skipped));
    return std::move(result_);
  }

private:
  Stock& stock() { return result_.stockAfter; }
  Vec3 world(const Vec2& p, double z) const { return p.x() * e1_ + p.y() * e2_ + z * o_.up; }
  Vec2 plan(const Vec3& p) const { return {p.dot(e1_), p.dot(e2_)}; }

  void layGrid() {
    Box flat;
    const Box& b = stock().bounds();
    top_ = -1e300, bottom_ = 1e300;
    for (int i = 0; i < 8; ++i) {
      const Vec3 c(i & 1 ? b.low.x() : b.high.x(), i & 2 ? b.low.y() : b.high.y(), i & 4 ? b.low.z() : b.high.z());
      flat.add(Vec3(c.dot(e1_), c.dot(e2_), 0));
      top_ = std::max(top_, c.dot(o_.up));
      bottom_ = std::min(bottom_, c.dot(o_.up));
    }
    const double step = std::clamp(R_ / 12, stock().cell() * 0.8, 1.0), rim = R_ + 4 * step + 1;
    grid_ = {flat.low.head<2>() - Vec2(rim, rim), step, static_cast<int>((flat.size().x() + 2 * rim) / step) + 2,
             static_cast<int>((flat.size().y() + 2 * rim) / step) + 2};
  }

  double heightAt(const Vec2& p, int& hint) const {
    const Touch t = touchAlong(*part_.tree, grown_, o_.up, world(p, 0), hint);
    hint = t.triangle;
    double height = std::max(t.hit ? t.height : -1e300, edgeAt(p));
    for (const Strip& tab : tabs_) {
      const Vec2 d = p - tab.from;
      const double out = d.dot(tab.outward), side = d.x() * tab.outward.y() - d.y() * tab.outward.x();
      if (out > -R_ && out < tab.length && std::abs(side) < 0.5 * o_.tabs->width + R_) height = std::max(height, tabTop_);
    }
    return height;
  }

  /// Tabs on the outline of the largest island at the lowest level; and a level on top of them.
  void leaveTabs(std::vector<double>& levels) {
    const Tabs& t = *o_.tabs;
    Outline island;
    const Outlines free = allowed(levels.back());
    for (const Outline& o : free)
      if (const double a = signedArea(o); a < 0 && -a > -signedArea(island)) island = o; // holes run clockwise
    if (island.empty())
      throw Error("There is nothing to leave tabs on: the lowest level does not run round the part", "level roughing",
                  "Take the tabs away, or give the blank room beside the part for the cutter.");
    std::vector<double> run{0};
    for (std::size_t i = 0; i < island.size(); ++i) run.push_back(run.back() + (island[(i + 1) % island.size()] - island[i]).norm());
    if (t.count * (t.width + 4 * R_) > run.back())
      throw Error(fmt::format("{} tabs of {:g} mm do not fit round an outline of {:.0f} mm", t.count, t.width, run.back()),
                  "level roughing", "Leave fewer or narrower ones.");
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
      result_.tabs.push_back(world(tab.from, tabTop_));
    }
    measureHeights(); // now with them
    if (tabTop_ < top_ - 0.02 && std::none_of(levels.begin(), levels.end(), [&](double z) { return std::abs(z - tabTop_) < 0.02; }))
      levels.insert(std::upper_bound(levels.begin(), levels.end(), tabTop_, std::greater<>()), tabTop_);
  }

  static double signedArea(const Outline& o) {
    double twice = 0;
    for (std::size_t i = 0; i < o.size(); ++i) {
      const Vec2 &a = o[i], &b = o[(i + 1) % o.size()];
      twice += a.x() * b.y() - a.y() * b.x();
    }
    return 0.5 * twice;
  }

  std::size_t cell(int i, int j) const {
    return static_cast<std::size_t>(j) * static_cast<std::size_t>(grid_.n) + static_cast<std::size_t>(i);
  }

  /// Beside the part the ground at the nearest edge goes on level, so much lower as was asked for, so that no trench is cut round
  /// the part in a larger blank.
  /// Walls steeper than kWall are no ground.
  void findEdge() {
    const std::size_t n = static_cast<std::size_t>(grid_.n) * static_cast<std::size_t>(grid_.m);
    std::vector<double> ground(n, -1e300);
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
    edge_.assign(n, -1e300);
    std::vector<std::array<int, 2>> nearest(n, {-1, -1});
    for (int j = 0; j < grid_.m; ++j)
      for (int i = 0; i < grid_.n; ++i)
        if (ground[cell(i, j)] > -1e299) nearest[cell(i, j)] = {i, j};
    const auto far = [](const std::array<int, 2>& begin, int i, int j) {
      return begin[0] < 0 ? 1e300 : std::hypot(begin[0] - i, begin[1] - j);
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

  double edgeAt(const Vec2& p) const {
    if (edge_.empty()) return -1e300;
    const Vec2 at = (p - grid_.low) / grid_.step;
    const int i = std::clamp(static_cast<int>(std::lround(at.x())), 0, grid_.n - 1),
              j = std::clamp(static_cast<int>(std::lround(at.y())), 0, grid_.m - 1);
    return edge_[cell(i, j)];
  }

  void measureHeights() {
    height_.assign(static_cast<std::size_t>(grid_.n) * static_cast<std::size_t>(grid_.m), -1e300);
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

  std::vector<double> findLevels() const {
    double lowest = bottom_;
    if (o_.bottom) lowest = std::max(lowest, *o_.bottom);
    double reach = 1e300;
    for (const double h : height_)
      if (h > -1e299) reach = std::min(reach, h);
    // Nowhere lower than the deepest place above the part, unless a bottom is asked for.
    if (!o_.bottom && reach < 1e299) lowest = std::max(lowest, reach);
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

  /// Where the tip may stand at height z; outline vertices are places that were tried and are free.
  Outlines allowed(double z) const {
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

  /// Where there is material between this level and the one above.
  Outlines material(double z, double above) const {
    const double d = std::min(o_.depth, above - z);
    return contour(
        grid_,
        [&](int i, int j) {
          progress_.check();
          const Vec2 p = grid_.at(i, j);
          for (const double x : {0.1, 0.5, 0.9})
            if (result_.stockAfter.contains(world(p, z + x * d))) return true;
          return false;
        },
        [](const Vec2& a, const Vec2& b) { return Vec2(0.5 * (a + b)); });
  }

  /// No material under or in the cutter's cylinder from height z upwards.
  bool freeColumn(const Vec2& p, double z) const {
    const Stock& s = result_.stockAfter;
    const double r = R_ + s.cell();
    for (double h = z + 0.5 * s.cell(); h < top_ + s.cell(); h += s.cell())
      for (double q = 0; q <= r + 1e-9; q += std::max(r / 4, s.cell())) {
        const int n = q == 0 ? 1 : 24;
        for (int k = 0; k < n; ++k)
          if (s.contains(world(p + q * Vec2(std::cos(2 * kPi * k / n), std::sin(2 * kPi * k / n)), h))) return false;
      }
    return true;
  }

  bool free(const Vec2& a, const Vec2& b, double z) const {
    const int n = std::max(1, static_cast<int>(std::ceil((b - a).norm() / (0.5 * grid_.step))));
    int hint = -1;
    for (int i = 0; i <= n; ++i)
      if (heightAt(a + (b - a) * (double(i) / n), hint) > z + 0.01) return false;
    return true;
  }

  void add(const Vec3& tip, Motion motion, double feed, int pass = -1) {
    Location l;
    l.tip = tip, l.axis = o_.up, l.motion = motion, l.feed = feed, l.pass = pass;
    result_.path.locations.push_back(l);
  }

  void retract() {
    auto& l = result_.path.locations;
    if (l.empty() || l.back().tip.dot(o_.up) >= o_.safeHeight - 1e-9) return;
    const Vec3 tip = l.back().tip;
    // By feed until clear of what stands beside the cutter, stock or part; then rapidly.
    const double z = tip.dot(o_.up), high = std::min(o_.safeHeight, clearHeight(plan(tip), z));
    add(tip + (high - z) * o_.up, Motion::LeadOut, o_.feed);
    add(tip + (o_.safeHeight - tip.dot(o_.up)) * o_.up, Motion::Rapid, 0);
  }

  /// Highest material in the cylinder round p, or z.
  double topOver(const Vec2& p, double r, double z) const {
    const Stock& s = result_.stockAfter;
    for (double h = top_ + s.cell(); h > z; h -= 0.5 * s.cell())
      for (double q = 0; q <= r + R_ + 1e-9; q += std::max(R_ / 5, s.cell())) {
        const int n = q == 0 ? 1 : 24;
        for (int k = 0; k < n; ++k)
          if (s.contains(world(p + q * Vec2(std::cos(2 * kPi * k / n), std::sin(2 * kPi * k / n)), h))) return h + 0.5 * s.cell();
      }
    return z;
  }

  /// Lowest height at which a rapid may run here: above all stock within a cell and a half of the cutter, and clear of the part.
  double clearHeight(const Vec2& p, double z) const {
    const Touch t = touchAlong(*part_.tree, rapid_, o_.up, world(p, 0));
    const double low =
        std::max({z + 1.0, topOver(p, 1.5 * result_.stockAfter.cell(), z) + result_.stockAfter.cell(), t.hit ? t.height + 0.05 : -1e300});
    // Thin walls and slivers stand between the places that were looked at.
    const std::vector<Body> none;
    const Intruder body{&none, &profile_, profile_.length() + R_};
    return lowestClear(std::max(o_.safeHeight, low), low, [&](double h, double s) {
      Vec3 at;
      return result_.stockAfter.clearance(body, world(p, h), o_.up, s + 0.05, s + 0.05, at) >= s + 0.05 - 1e-9;
    });
  }

  /// Brings the cutter to the start of a pass: along the ground if it is near, else from air, by helix or by ramp.
  bool enter(const Outline& line, double z) {
    progress_.check();
    auto& l = result_.path.locations;
    const Vec2& start = line.front();
    if (!l.empty() && std::abs(l.back().tip.dot(o_.up) - z) < 1e-9) {
      const Vec2 at = plan(l.back().tip);
      if ((start - at).norm() < 2.2 * o_.stepOver + 1e-6 && free(at, start, z)) {
        if ((start - at).norm() > 1e-9) add(world(start, z), Motion::Link, o_.feed);
        return true;
      }
      if (backAlong(start, z)) return true;
    }
    // From air: here, or from a place passed before, near by.
    std::vector<Vec2> tries{start};
    std::vector<std::pair<double, Vec2>> near;
    for (const Vec2& p : passed_)
      if ((p - start).norm() < 3 * o_.stepOver + R_) near.emplace_back((p - start).norm(), p);
    for (const Vec2& p : airSide_)
      if ((p - start).norm() < 2 * o_.stepOver + 2 * R_) near.emplace_back((p - start).norm(), p);
    std::sort(near.begin(), near.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    for (std::size_t i = 0; i < near.size() && tries.size() < 12; ++i)
      if ((near[i].second - tries.back()).norm() > 0.1 * R_) tries.push_back(near[i].second);
    for (const Vec2& q : tries)
      if (freeColumn(q, z) && free(q, start, z)) {
        retract();
        add(world(q, o_.safeHeight), Motion::Rapid, 0);
        add(world(q, clearHeight(q, z)), Motion::Rapid, 0);
        add(world(q, z), Motion::Entry, o_.plungeFeed);
        if ((q - start).norm() > 1e-9) add(world(start, z), Motion::LeadIn, o_.feed);
        ++result_.airEntries;
        return true;
      }
    if (!(cutter_.rampAngle > 0)) return false;
    return helix(start, z) || ramp(line, z);
  }

  /// Back through the ground that the last pass has cleared, if this one starts beside its start: what is next to it in a slot
  /// that is cut from its open end.
  bool backAlong(const Vec2& start, double z) {
    if (lastPass_.size() < 2 || lastHeight_ != z) return false;
    if ((start - lastPass_.front()).norm() > 2.2 * o_.stepOver || !free(lastPass_.front(), start, z)) return false;
    if (lengthOf(lastPass_) > kBack * R_) return false;
    for (std::size_t i = lastPass_.size() - 1; i-- > 0;) add(world(lastPass_[i], z), Motion::Link, o_.feed);
    if ((start - lastPass_.front()).norm() > 1e-9) add(world(start, z), Motion::Link, o_.feed);
    return true;
  }

  bool helix(const Vec2& start, double z) {
    for (const double share : {0.9, 0.7, 0.5, 0.35}) {
      const double r = share * R_;
      const int round = std::max(24, static_cast<int>(std::ceil(2 * kPi * r / (0.5 * grid_.step))));        // places looked at
      const int perRound = std::max(48, static_cast<int>(std::ceil(kPi / std::acos(1 - kHelixChord / r)))); // blocks
      // Centres such that the helix ends on the start of the pass.
      for (int k = 0; k < 12; ++k) {
        const double a = 2 * kPi * k / 12;
        const Vec2 c = start - r * Vec2(std::cos(a), std::sin(a));
        bool room = true;
        int hint = -1;
        for (int i = 0; i < round && room; ++i)
          room = heightAt(c + r * Vec2(std::cos(2 * kPi * i / round), std::sin(2 * kPi * i / round)), hint) <= z;
        if (!room) continue;
        const double high = topOver(c, r + 1.5 * stock().cell(), z) + stock().cell(), drop = high - z,
                     perTurn = 2 * kPi * r * std::tan(cutter_.rampAngle);
        const double turns = drop / perTurn;
        const int n = std::max(24, static_cast<int>(std::ceil(turns * perRound)));
        retract();
        const auto on = [&](double back) { // `back` turns before the end
          const double t = a - 2 * kPi * back;
          return Vec2(c + r * Vec2(std::cos(t), std::sin(t)));
        };
        add(world(on(turns), o_.safeHeight), Motion::Rapid, 0);
        add(world(on(turns), std::max(high, clearHeight(on(turns), z))), Motion::Rapid, 0);
        if (clearHeight(on(turns), z) > high) add(world(on(turns), high), Motion::Entry, o_.plungeFeed);
        for (int i = 1; i <= n; ++i) add(world(on(turns * (1 - double(i) / n)), high - drop * double(i) / n), Motion::Entry, o_.plungeFeed);
        for (int i = 1; i <= perRound; ++i)
          add(world(on(-double(i) / perRound), z), Motion::Entry, o_.feed); // level the floor of the helix
        ++result_.helixEntries;
        return true;
      }
    }
    return false;
  }

  /// To and fro along the first part of the pass, going down at the permitted angle.
  bool ramp(const Outline& line, double z) {
    Outline leg{line.front()};
    double length = 0;
    for (std::size_t i = 1; i < line.size() && length < 4 * R_; ++i) {
      length += (line[i] - line[i - 1]).norm();
      leg.push_back(line[i]);
    }
    if (length < 0.8 * R_) return false;
    double high = z;
    for (const Vec2& p : leg) high = std::max(high, topOver(p, 1.5 * stock().cell(), z));
    high += stock().cell();
    retract();
    add(world(leg.front(), o_.safeHeight), Motion::Rapid, 0);
    add(world(leg.front(), std::max(high, clearHeight(leg.front(), z))), Motion::Rapid, 0);
    if (clearHeight(leg.front(), z) > high) add(world(leg.front(), high), Motion::Entry, o_.plungeFeed);
    double h = high;
    bool forward = true;
    // An even number of legs ends where the pass starts.
    const int legs = 2 * std::max(1, static_cast<int>(std::ceil((high - z) / (2 * length * std::tan(cutter_.rampAngle)))));
    const double slope = (high - z) / (legs * length);
    for (int k = 0; k < legs; ++k) {
      const auto n = leg.size();
      for (std::size_t i = 1; i < n; ++i) {
        const Vec2 &a = forward ? leg[i - 1] : leg[n - i], &b = forward ? leg[i] : leg[n - 1 - i];
        h -= slope * (b - a).norm();
        add(world(b, std::max(h, z)), Motion::Entry, o_.plungeFeed);
      }
      forward = !forward;
    }
    result_.path.locations.back().tip = world(leg.front(), z);
    ++result_.rampEntries;
    return true;
  }

  /// Leaves out points that lie within a hundredth of a millimetre of the line without them.
  static Outline thinned(const Outline& line) {
    Outline out{line.front()};
    std::size_t from = 0;
    for (std::size_t to = 2; to < line.size(); ++to) {
      const Vec2& a = line[from];
      const Vec2 d = line[to] - a;
      bool straight = to - from < 200;
      for (std::size_t i = from + 1; i < to && straight; ++i) {
        const double u = d.squaredNorm() > 0 ? std::clamp((line[i] - a).dot(d) / d.squaredNorm(), 0.0, 1.0) : 0.0;
        straight = (line[i] - a - u * d).norm() <= 0.01;
      }
      if (!straight) {
        from = to - 1;
        out.push_back(line[from]);
      }
    }
    out.push_back(line.back());
    return out;
  }

  /// One pass with its way in; where there is none the pass is put aside until its neighbours are cut.
  void pass(const Outline& full, double z) {
    if (full.size() < 2) return;
    const Outline line = thinned(full);
    const std::size_t first = result_.path.locations.size();
    if (!enter(line, z)) {
      aside_.push_back(full);
      return;
    }
    for (std::size_t i = 1; i < line.size(); ++i) add(world(line[i], z), Motion::Cut, o_.feed, passes_);
    ++passes_;
    stock().cut(profile_, result_.path, std::max<std::size_t>(first, 1), result_.path.locations.size(), &progress_);
    lastPass_ = line, lastHeight_ = z;
    rememberPassed(line);
  }

  /// Passes that were put aside: again, now that there is more room, until none of them can be entered.
  void passAside(double z) {
    for (std::size_t before = aside_.size() + 1; !aside_.empty() && aside_.size() < before;) {
      before = aside_.size();
      std::vector<Outline> again;
      again.swap(aside_);
      for (const Outline& line : again)
        if (isMaterialOn(line, z)) pass(line, z);
    }
    result_.skipped += aside_.size();
    aside_.clear();
  }

  /// Does the cutter meet material on this line?
  bool isMaterialOn(const Outline& line, double z) const {
    const Stock& s = result_.stockAfter;
    double run = 0;
    for (std::size_t i = 0; i < line.size(); ++i) {
      run += i > 0 ? (line[i] - line[i - 1]).norm() : 0.5 * R_;
      if (run < 0.5 * R_) continue;
      run = 0;
      for (double q = 0; q < R_; q += std::max(R_ / 4, s.cell())) {
        const double high = profile_.height(q) + 0.5 * s.cell();
        for (int k = 0; k < (q == 0 ? 1 : 24); ++k)
          if (s.contains(world(line[i] + q * Vec2(std::cos(kPi * k / 12), std::sin(kPi * k / 12)), z + high))) return true;
      }
    }
    return false;
  }

  /// Places on the pass and a little to either side of it: on its open side there is room to come down from air.
  void rememberPassed(const Outline& line) {
    const double aside = 1.5 * stock().cell(), apart = 0.5 * R_;
    double next = 0, run = 0;
    for (std::size_t i = 1; i < line.size(); ++i) {
      const Vec2 d = line[i] - line[i - 1];
      const double length = d.norm();
      if (length < 1e-9) continue;
      const Vec2 across = Vec2(-d.y(), d.x()) / length * aside;
      for (; next <= run + length; next += apart)
        for (const double side : {0.0, 1.0, -1.0}) passed_.push_back(line[i - 1] + d * ((next - run) / length) + side * across);
      run += length;
    }
  }

  static Outline closed(Outline o) {
    if (!o.empty()) o.push_back(o.front());
    return o;
  }
  static Outline reversed(Outline o) {
    std::reverse(o.begin(), o.end());
    return o;
  }

  /// Closed loops are turned so that they start near where the cutter is.
  Outline startNear(Outline loop) const {
    if (result_.path.locations.empty() || loop.size() < 3) return closed(loop);
    const Vec2 at = plan(result_.path.locations.back().tip);
    std::size_t best = 0;
    for (std::size_t i = 1; i < loop.size(); ++i)
      if ((loop[i] - at).squaredNorm() < (loop[best] - at).squaredNorm()) best = i;
    std::rotate(loop.begin(), loop.begin() + static_cast<std::ptrdiff_t>(best), loop.end());
    return closed(loop);
  }

  /// Without what is too thin or too small to be worth its passes. What has to stay anyway says nothing: where the tip may not come near
  /// the part, its allowance stands beside what is to be cut.
  Outlines worthCutting(Outlines solid, double z) const {
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

  void level(double z, double above) {
    progress_.check();
    passed_.clear();
    airSide_.clear();
    const Outlines solid = worthCutting(material(z, above), z);
    if (regionArea(solid) < 4 * grid_.step * grid_.step) return;
    const Outlines free = allowed(z);
    const Outlines touching = offset(solid, R_ - 0.5 * grid_.step);
    for (const Outlines& part : connectedParts(intersect(free, touching))) {
      if (regionArea(part) < grid_.step * grid_.step) continue;
      progress_.check();
      const Outlines rim = subtract(intersect(free, offset(solid, R_ + 2 * grid_.step)), offset(solid, R_ + 0.5 * grid_.step));
      const Outlines own = intersect(rim, offset(part, 2.5 * grid_.step));
      if (o_.fromOpenSide && regionArea(own) > 2 * R_ * grid_.step)
        fromOpenSide(part, solid, own, z);
      else
        insideOut(part, z);
      passAside(z);
    }
  }

  /// A stretch of a ring, `ring` step-overs from the open side.
  struct RingLine {
    Outline line;
    int ring;
    std::vector<std::size_t> outer; ///< beside it, one ring farther out: to be cut before
    bool done = false;
    RingLine(Outline l, int k) : line(std::move(l)), ring(k) {}
  };

  static double lengthOf(const Outline& line) {
    double length = 0;
    for (std::size_t i = 1; i < line.size(); ++i) length += (line[i] - line[i - 1]).norm();
    return length;
  }

  /// Does some place of one line lie within `reach` of the other?
  static bool beside(const Outline& a, const Outline& b, double reach) {
    Eigen::AlignedBox2d boxA, boxB;
    for (const Vec2& p : a) boxA.extend(p);
    for (const Vec2& p : b) boxB.extend(p);
    if (boxA.exteriorDistance(boxB) > reach) return false;
    const auto near = [&](const Outline& from, const Outline& to, const Eigen::AlignedBox2d& box) {
      for (const Vec2& p : from) {
        if (box.exteriorDistance(p) > reach) continue;
        for (std::size_t i = 1; i < to.size(); ++i) {
          const Vec2 d = to[i] - to[i - 1];
          const double u = d.squaredNorm() > 0 ? std::clamp((p - to[i - 1]).dot(d) / d.squaredNorm(), 0.0, 1.0) : 0.0;
          if ((p - to[i - 1] - u * d).squaredNorm() <= reach * reach) return true;
        }
      }
      return false;
    };
    return near(a, b, boxB) || near(b, a, boxA);
  }

  /// From the open side inwards: a line waits for those beside it that lie farther out. What can be reached without leaving the
  /// cut comes first, so that one side is cut to its end before the next begins.
  void inward(std::vector<RingLine>& lines, double z) {
    for (std::size_t i = 0; i < lines.size(); ++i) {
      progress_.check();
      for (std::size_t j = 0; j < i; ++j)
        if (lines[j].ring == lines[i].ring - 1 && beside(lines[i].line, lines[j].line, 1.5 * o_.stepOver)) lines[i].outer.push_back(j);
    }
    for (std::size_t n = 0; n < lines.size(); ++n) {
      const Vec2 at = result_.path.locations.empty() ? Vec2(0, 0) : plan(result_.path.locations.back().tip);
      const bool low = lastHeight_ == z && !lastPass_.empty();
      std::size_t best = lines.size();
      double least = 1e300;
      for (std::size_t i = 0; i < lines.size(); ++i) {
        if (lines[i].done || std::any_of(lines[i].outer.begin(), lines[i].outer.end(), [&](std::size_t j) { return !lines[j].done; }))
          continue;
        const Vec2& start = lines[i].line.front();
        double far = (start - at).norm();
        const bool back = low && (start - lastPass_.front()).norm() < 2.2 * o_.stepOver;
        if (!(low && far < 2.2 * o_.stepOver) && !back) far += 1e6; // it would have to be entered anew
        if (far < least) least = far, best = i;
      }
      lines[best].done = true;
      pass(lines[best].line, z);
    }
  }

  void fromOpenSide(const Outlines& part, const Outlines& solid, const Outlines& rim, double z) {
    // Places in air beside the stock from which a pass may be entered.
    for (const Outline& o : offset(rim, 0.0))
      for (const Vec2& p : o)
        if (airSide_.empty() || (p - airSide_.back()).norm() > 0.25 * R_) airSide_.push_back(p);
    std::vector<RingLine> lines;
    for (int k = 1; k < 10000; ++k) {
      const Outlines ring = offset(solid, R_ - k * o_.stepOver);
      if (ring.empty()) break;
      std::vector<Outline> closedRings;
      for (const Outline& o : ring) closedRings.push_back(reversed(closed(o))); // material on the right: climb
      for (Outline& o : joinEnds(clipLines(closedRings, part)))
        if (lengthOf(o) > 0.25 * grid_.step) lines.emplace_back(std::move(o), k);
    }
    inward(lines, z);
    std::vector<Outline> walls;
    for (const Outline& o : part) walls.push_back(closed(o));
    for (Outline& line : order(joinEnds(clipLines(walls, offset(solid, R_ - 2 * grid_.step))))) pass(line, z);
  }

  void insideOut(const Outlines& part, double z) {
    std::vector<Outlines> rings;
    for (int k = 0; k < 10000; ++k) {
      Outlines ring = offset(part, -k * o_.stepOver - (k == 0 ? 1e-4 : 0));
      if (ring.empty()) break;
      rings.push_back(ring);
    }
    for (std::size_t k = rings.size(); k-- > 0;)
      for (const Outline& o : rings[k]) pass(startNear(o), z);
  }

  /// Clipping cuts a closed line at its own start: join pieces that meet end to start.
  static std::vector<Outline> joinEnds(std::vector<Outline> lines) {
    for (std::size_t i = 0; i < lines.size(); ++i)
      for (std::size_t j = 0; j < lines.size(); ++j)
        if (i != j && !lines[i].empty() && !lines[j].empty() && (lines[i].back() - lines[j].front()).norm() < 1e-4) {
          lines[i].insert(lines[i].end(), lines[j].begin() + 1, lines[j].end());
          lines[j].clear();
          j = 0;
        }
    std::erase_if(lines, [](const Outline& o) { return o.size() < 2; });
    return lines;
  }

  /// Nearest start first.
  std::vector<Outline> order(std::vector<Outline> lines) const {
    std::vector<Outline> out;
    Vec2 at = result_.path.locations.empty() ? Vec2(0, 0) : plan(result_.path.locations.back().tip);
    while (!lines.empty()) {
      std::size_t best = 0;
      for (std::size_t i = 1; i < lines.size(); ++i)
        if ((lines[i].front() - at).squaredNorm() < (lines[best].front() - at).squaredNorm()) best = i;
      at = lines[best].back();
      if (lengthOf(lines[best]) > 0.25 * grid_.step) out.push_back(lines[best]);
      lines.erase(lines.begin() + static_cast<std::ptrdiff_t>(best));
    }
    return out;
  }

  const Part& part_;
  const Cutter& cutter_;
  const RoughingOptions& o_;
  Progress& progress_;
  Profile profile_, grown_, rapid_; ///< plain, with allowances, with the gap of rapids
  double R_;
  Vec3 e1_, e2_;
  Grid grid_{};
  std::vector<double> height_, edge_; ///< per cell: lowest tip; ground at the nearest edge, beside the part
  double top_ = 0, bottom_ = 0, tabTop_ = 0;
  /// Ground of a tab in plan: across the outline, outward.
  struct Strip {
    Vec2 from, outward;
    double length;
  };
  std::vector<Strip> tabs_;
  RoughingResult result_;
  std::vector<Vec2> passed_, airSide_;
  Outline lastPass_;
  std::vector<Outline> aside_;
  double lastHeight_ = 0;
  int passes_ = 0;
};

} // namespace

RoughingResult planLevelRoughing(const Part& part, const Stock& stock, const Cutter& cutter, const RoughingOptions& o, Progress& progress) {
  if (!(o.depth > 0) || !(o.stepOver > 0)) throw Error("Depth and step-over must be more than 0", "level roughing", "Give both in mm.");
  if (o.stepOver > cutter.diameter)
    throw Error("The step-over is larger than the cutter", "level roughing", "Use at most the cutter's diameter; half is usual.");
  if (o.wall < 0 || o.floor < 0) throw Error("Allowances must not be negative in roughing", "level roughing", "Use 0 or more.");
  return Rougher(part, stock, cutter, o, progress).plan();
}

} // namespace hemline
