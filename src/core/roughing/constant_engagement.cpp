#include "roughing/constant_engagement.h"
#include "base/units.h"
#include "geometry/planar_field.h"
#include <queue>
#include <unordered_map>

namespace hemline {
namespace {

constexpr int kRing = 90;         // places on the ring, 4 degrees apart; borders are found between them
constexpr double kGrid = 20;      // grid steps in a radius
constexpr double kStep = 16;      // steps of the walk in a radius
constexpr double kSeen = 5e-4;    // of the radius: what stands in the ring by less is not seen, as the grid may be off by nearly as much
constexpr double kGraze = 2.5e-3; // of the radius: what a way back over cleared ground may graze
constexpr double kTouch = radians(4); // arc from which a move is worth making: 0.02 mm for a radius of 8 mm
constexpr double kSlope = 1.0;        // at which a pass may draw near to the material, and its cut grow wider: 45 degrees
constexpr double kMostLeft = 2.1;     // radians that a step may turn away from the material
constexpr double kLoose = 0.02;       // mm: by how much the grid may be off at the border of the free ground
constexpr double kTurned = 0.004;     // mm: the same for the loop that a pass could still turn away on
constexpr double kCoarse = 0.12;      // of the width swept: thinner remains wait for the end
constexpr double kFine = 0.05;        // mm: thinner remains are left
constexpr double kPlaces = 16e6;      // of the grid, at most

Vec2 heading(double a) {
  return {std::cos(a), std::sin(a)};
}

class Walker {
public:
  Walker(const Outlines& free, const Outlines& material, const Outlines& wanted, const EngagementOptions& o, Progress& progress)
      : o_(o), progress_(progress), R_(o.radius), free_(offset(offset(free, -o.smallest - 0.005), o.smallest)), grid_(gridOver(material)),
        band_(3 * grid_.step), F_(grid_, free_, band_), U_(grid_, material, band_), border_(free_, 4 * grid_.step),
        step_(std::min(R_ / kStep, 0.5 * o.smallest)), seen_(kSeen * R_) {
    const PlanarField target(grid_, intersect(wanted, offset(free_, R_ - 0.02)), band_);
    wanted_.resize(static_cast<std::size_t>(grid_.n) * static_cast<std::size_t>(grid_.m));
    for (int j = 0; j < grid_.m; ++j)
      for (int i = 0; i < grid_.n; ++i) wanted_[index(i, j)] = target.value(i, j) > 0;
    for (int k = 0; k < kRing; ++k) ring_[static_cast<std::size_t>(k)] = R_ * heading(2 * kPi * k / kRing);
    for (int k = 0; k <= kRing / 2; ++k) half_[static_cast<std::size_t>(k)] = R_ * heading(2 * kPi * k / kRing - kPi / 2);
  }

  EngagedLevel plan(const Vec2* at) {
    if (at) at_ = *at, here_ = true;
    const double coarse = std::max(kCoarse * R_ * (1 - std::cos(o_.arc)), 1.5 * grid_.step);
    clear(coarse, true);
    alongWalls();
    clear(std::max(kFine, 0.5 * grid_.step), false);
    out_.left = static_cast<double>(remaining(coarse)) * grid_.step * grid_.step;
    return std::move(out_);
  }

private:
  struct Contact {
    double arc = 0, deepest = -kInfinity;
  };

  Grid gridOver(const Outlines& material) const {
    Eigen::AlignedBox2d box;
    for (const Outlines* r : {&material, &free_})
      for (const Outline& o : *r)
        for (const Vec2& p : o) box.extend(p);
    if (box.isEmpty()) return {Vec2::Zero(), R_ / kGrid, 4, 4};
    const Vec2 size = box.sizes() + Vec2::Constant(2.5 * R_);
    const double step = std::max(R_ / kGrid, std::sqrt(size.x() * size.y() / kPlaces));
    return {box.min() - Vec2::Constant(1.25 * R_), step, static_cast<int>(size.x() / step) + 2, static_cast<int>(size.y() / step) + 2};
  }
  std::size_t index(int i, int j) const {
    return static_cast<std::size_t>(j) * static_cast<std::size_t>(grid_.n) + static_cast<std::size_t>(i);
  }

  /// Arc of a ring in material, place by place, with the borders found between them.
  struct ArcSum {
    double arc = 0, before = 0; ///< in places; positive inside
    void add(double now) {
      arc += before > 0 && now > 0 ? 1 : before > 0 ? before / (before - now) : now > 0 ? now / (now - before) : 0;
      before = now;
    }
  };

  /// Of the whole ring, `more` larger than it is.
  Contact contact(const Vec2& c, double more = 0) const {
    Contact out;
    const double scale = 1 + more / R_;
    ArcSum sum{0, U_.at(c + scale * ring_[kRing - 1]) - seen_};
    for (const Vec2& p : ring_) {
      const double now = U_.at(c + scale * p) - seen_;
      out.deepest = std::max(out.deepest, now);
      sum.add(now);
    }
    out.arc = sum.arc * 2 * kPi / kRing;
    return out;
  }

  /// Of the half of the ring that looks along `a`: what a move that comes in along it cuts.
  Contact ahead(const Vec2& c, double a) const {
    Contact out;
    const Vec2 f = heading(a);
    ArcSum sum;
    for (int k = 0; k <= kRing / 2; ++k) {
      const Vec2 &q = half_[static_cast<std::size_t>(k)], p(q.x() * f.x() - q.y() * f.y(), q.x() * f.y() + q.y() * f.x());
      const double now = U_.at(c + p) - seen_;
      out.deepest = std::max(out.deepest, now);
      if (k > 0)
        sum.add(now);
      else
        sum.before = now;
    }
    out.arc = sum.arc * 2 * kPi / kRing;
    return out;
  }

  bool isFree(const Vec2& c) const { return F_.at(c) > -kLoose; }
  /// May the cutter stand here without cutting?
  bool clearAt(const Vec2& c) const { return isFree(c) && contact(c).deepest < kGraze * R_; }

  /// Back on the border where the grid let a place slip out of it.
  Vec2 inside(const Vec2& c) const {
    Vec2 at;
    bool outside = false;
    if (F_.at(c) < 1.5 * grid_.step && border_.nearest(c, at, outside) && (outside || (c - at).norm() < 1e-4)) return at;
    return c;
  }

  /// Is there room to turn away from the material on the smallest loop?
  bool canTurn(const Vec2& p, double a, double side) const {
    const Vec2 f = heading(a), away = side * Vec2(-f.y(), f.x());
    for (const double b : {radians(8), radians(20), radians(45), radians(90)})
      if (F_.at(p + o_.smallest * (std::sin(b) * f + (1 - std::cos(b)) * away)) < -kTurned) return false;
    return true;
  }

  /// Where the walk goes from c, looking along `a`, with the material on its right (side 1) or left (-1): as far towards it as `allowed`
  /// lets it. False where it cannot go on.
  template <class Allowed> bool next(const Vec2& c, double& a, double side, double step, const Allowed& allowed, Vec2& to) const {
    const double most = std::min(step / o_.smallest, 0.6);
    const auto ok = [&](double turn) { // positive: away from the material
      const double b = a + side * turn;
      const Vec2 p = c + step * heading(b);
      return isFree(p) && canTurn(p, b, side) && allowed(p, b);
    };
    double good, bad;
    constexpr double kLook = radians(8);
    if (ok(0)) {
      good = 0, bad = -kInfinity;
      for (double t = -kLook; t > -most - kLook; t -= kLook) {
        const double turn = std::max(t, -most);
        if (!ok(turn)) {
          bad = turn;
          break;
        }
        good = turn;
      }
    } else {
      bad = 0, good = kInfinity;
      for (double t = kLook; t < kMostLeft; t += kLook) {
        if (ok(t)) {
          good = t;
          break;
        }
        bad = t;
      }
      if (good > kFinite) return false;
    }
    for (int k = 0; k < 7 && bad > -kFinite; ++k) {
      const double m = 0.5 * (good + bad);
      (ok(m) ? good : bad) = m;
    }
    to = inside(c + step * heading(a + side * good));
    if ((to - c).norm() < 0.1 * step) return false;
    a = std::atan2((to - c).y(), (to - c).x());
    return true;
  }

  double widthOf(double arc) const { return R_ * (1 - std::cos(arc)); }
  double arcOf(double width) const { return std::acos(std::clamp(1 - width / R_, -1.0, 1.0)); }

  /// One pass from c; it ends where there is nothing on its right any more, or where it could not go on within the arc.
  /// What it runs before it cuts goes to `head`.
  Outline walk(Vec2 c, double a, std::size_t& taken, Outline* head = nullptr) {
    Outline line{c};
    std::size_t first = 0, last = 0; // in contact
    double air = 0, step = step_;
    taken = 0;
    Contact now = contact(c);
    for (int n = 0; air < R_; ++n) {
      if (n % 64 == 0) progress_.check();
      const bool touching = now.deepest > 0;
      const double most = std::min(o_.arc, arcOf(widthOf(touching ? now.arc : 0) + kSlope * step));
      const double deepest = touching ? kInfinity : std::max(now.deepest, -band_) + kSlope * step;
      const auto allowed = [&](const Vec2& p, double b) {
        const Contact there = ahead(p, b);
        return there.arc <= most && (there.deepest <= deepest || there.deepest <= 0.9 * -band_);
      };
      Vec2 to;
      const double before = a;
      if (!next(c, a, 1, step, allowed, to)) break;
      // The arc is largest where a step ends: the shorter the steps of a bend, the evener it is.
      const double turn = std::abs(std::remainder(a - before, 2 * kPi));
      if (turn > 0.06)
        step = std::max(0.5 * step, step_ / 4);
      else if (turn < 0.025)
        step = std::min(1.5 * step, step_);
      now = ahead(to, a);
      taken += U_.takeAway(c, to, R_);
      line.push_back(to);
      air = now.arc > kTouch ? 0 : air + (to - c).norm();
      if (now.arc > kTouch) last = line.size() - 1;
      if (last == 0) first = line.size() - 1;
      c = to;
    }
    line.resize(last + 1);
    if (!head) return line;
    first = std::min(first, last);
    head->assign(line.begin(), line.begin() + static_cast<std::ptrdiff_t>(first) + 1);
    return {line.begin() + static_cast<std::ptrdiff_t>(first), line.end()};
  }

  /// Back along the border of the material to where a pass along it would begin.
  void toBeginning(Vec2& c, double& a) const {
    const double most = std::max(contact(c).arc, radians(8));
    const Vec2 begun = c;
    double air = 0, run = 0;
    Vec2 at = c, last = c;
    double looking = a + kPi, lastLooking = looking;
    while (air < 0.5 * R_ && run < 400 * R_) {
      Vec2 to;
      if (!next(
              at, looking, -1, step_, [&](const Vec2& p, double) { return contact(p).arc <= most; }, to))
        break;
      run += (to - at).norm();
      at = to;
      air = contact(at).arc > kTouch ? 0 : air + step_;
      if (air == 0) last = at, lastLooking = looking;
      if (run > 2 * R_ && (at - begun).norm() < step_) break; // all round: any place will do
    }
    // A little farther back, until nothing is touched any more.
    a = lastLooking + kPi;
    c = last;
    for (int k = 0; k < 4 && contact(c).deepest > 0; ++k) {
      const Vec2 to = c - step_ * heading(a);
      if (!isFree(to) || contact(to).arc > contact(c).arc) break;
      c = inside(to);
    }
  }

  /// A place of the free ground from which a remain at x is just touched.
  bool touching(const Vec2& x, Vec2& c, double& a) const {
    double least = o_.arc;
    bool found = false;
    for (int k = 0; k < 108; ++k) {
      const Vec2 u = heading(2 * kPi * k / 36);
      // x itself on the ring, or only the border before it.
      const Vec2 p = x - (R_ - 0.5 * seen_ + 0.48 * (k / 36) * U_.at(x)) * u;
      if (!isFree(p)) continue;
      const Contact there = contact(p);
      if (there.arc > least || there.deepest <= 0) continue;
      least = there.arc, c = p, a = std::atan2(u.y(), u.x()) + kPi / 2, found = true;
    }
    if (found) c = inside(c);
    return found;
  }

  std::size_t remaining(double thick) const {
    std::size_t n = 0;
    for (int j = 0; j < grid_.m; ++j)
      for (int i = 0; i < grid_.n; ++i) n += wanted_[index(i, j)] && U_.value(i, j) > thick;
    return n;
  }

  /// Places at the border of what remains, the nearest first.
  std::vector<std::pair<int, int>> rims(double thick) const {
    std::vector<std::pair<double, std::pair<int, int>>> found;
    const float t = static_cast<float>(thick);
    for (int j = 1; j + 1 < grid_.m; ++j)
      for (int i = 1; i + 1 < grid_.n; ++i)
        if (wanted_[index(i, j)] && U_.value(i, j) > thick &&
            (U_.value(i - 1, j) <= t || U_.value(i + 1, j) <= t || U_.value(i, j - 1) <= t || U_.value(i, j + 1) <= t))
          found.push_back({here_ ? (grid_.at(i, j) - at_).squaredNorm() : grid_.at(i, j).squaredNorm(), {i, j}});
    std::sort(found.begin(), found.end());
    std::vector<std::pair<int, int>> out;
    for (const auto& f : found) out.push_back(f.second);
    return out;
  }

  void giveUp(const Vec2& x, double reach) {
    const int w = std::max(1, static_cast<int>(reach / grid_.step));
    const int i0 = static_cast<int>(std::lround((x.x() - grid_.low.x()) / grid_.step)),
              j0 = static_cast<int>(std::lround((x.y() - grid_.low.y()) / grid_.step));
    for (int j = std::max(0, j0 - w); j <= std::min(grid_.m - 1, j0 + w); ++j)
      for (int i = std::max(0, i0 - w); i <= std::min(grid_.n - 1, i0 + w); ++i)
        if ((grid_.at(i, j) - x).norm() <= reach + 1e-9) tried_[index(i, j)] = 1;
  }

  /// Passes until nothing thicker remains that can be got at.
  void clear(double thick, bool entries) {
    tried_.assign(wanted_.size(), 0);
    for (;;) {
      progress_.check();
      if (passFromRim(thick)) continue;
      if (!entries || !enterInside(thick)) break;
      std::fill(tried_.begin(), tried_.end(), 0); // there is room from another side now
    }
  }

  bool passFromRim(double thick) {
    for (const auto& [i, j] : rims(thick)) {
      if (tried_[index(i, j)]) continue;
      progress_.check();
      const Vec2 x = grid_.at(i, j);
      Vec2 c;
      double a = 0;
      if (!touching(x, c, a)) {
        giveUp(x, 0);
        continue;
      }
      toBeginning(c, a);
      EngagedPass pass;
      if (!reach(c, pass)) {
        giveUp(x, grid_.step);
        continue;
      }
      std::size_t taken = 0;
      Outline head;
      pass.line = walk(c, a, taken, &head);
      if (taken == 0 || pass.line.size() < 2) {
        giveUp(x, grid_.step);
        continue;
      }
      pass.way.insert(pass.way.end(), head.begin() + 1, head.end());
      keep(std::move(pass), taken);
      return true;
    }
    return false;
  }

  void keep(EngagedPass pass, std::size_t taken) {
    for (std::size_t k = 1; k < pass.line.size(); ++k) out_.length += (pass.line[k] - pass.line[k - 1]).norm();
    out_.area += static_cast<double>(taken) * grid_.step * grid_.step;
    at_ = pass.line.back(), here_ = true;
    out_.passes.push_back(std::move(pass));
  }

  /// Straight, without touching anything?
  bool clearWay(const Vec2& a, const Vec2& b) const {
    const int n = std::max(1, static_cast<int>(std::ceil((b - a).norm() / (2 * grid_.step))));
    for (int k = 1; k < n; ++k)
      if (!clearAt(a + (b - a) * (double(k) / n))) return false;
    return true;
  }

  /// The way to where a pass begins: through cleared ground from here, else from air.
  bool reach(const Vec2& c, EngagedPass& pass) {
    if (here_ && clearWay(at_, c)) {
      pass.by = EngagedPass::By::Along, pass.way = {at_, c};
      return true;
    }
    Outline way;
    if (here_) {
      const auto beside = [&](const Vec2& p) { return (p - at_).norm() < 1.5 * lattice() && clearWay(p, at_); };
      if (route(c, beside, &at_, way)) {
        way.insert(way.begin(), at_);
        pass.by = EngagedPass::By::Along, pass.way = straightened(way);
        return true;
      }
      here_ = false; // from here there is no way; the next pass comes from air
      way.clear();
    }
    // Nothing at all below the cutter, not even a thin remain that waits for the end.
    const auto inAir = [&](const Vec2& p) {
      for (int k = 8; k >= 0; --k)
        if (contact(p, k == 8 ? o_.room : R_ * (k / 8.0 - 1)).deepest > 0) return false;
      return true;
    };
    if (!route(c, inAir, nullptr, way)) return false;
    pass.by = EngagedPass::By::Air, pass.way = straightened(way);
    return true;
  }

  double lattice() const { return 4 * grid_.step; }

  /// The shortest way over cleared places from one that is `good` to c. `to`: where that is, if it is known (then it is headed for).
  template <class Good> bool route(const Vec2& c, const Good& good, const Vec2* to, Outline& way) const {
    const double h = lattice();
    const auto place = [&](std::int64_t id) { return Vec2(c + h * Vec2(double(id >> 32), double(static_cast<std::int32_t>(id)))); };
    const auto idOf = [](std::int64_t i, std::int64_t j) { return (i << 32) | (j & 0xffffffff); };
    struct Node {
      double cost = kInfinity;
      std::int64_t from = 0;
      bool done = false;
    };
    std::unordered_map<std::int64_t, Node> nodes;
    std::unordered_map<std::int64_t, bool> freeAt;
    using Entry = std::pair<double, std::int64_t>;
    std::priority_queue<Entry, std::vector<Entry>, std::greater<>> open;
    const auto ahead = [&](const Vec2& p) { return to ? (p - *to).norm() : 0.0; };
    nodes[0].cost = 0;
    open.emplace(ahead(c), 0);
    while (!open.empty()) {
      const auto [bound, id] = open.top();
      open.pop();
      Node& node = nodes[id];
      if (node.done) continue;
      node.done = true;
      if (bound > o_.farthest) return false;
      const double cost = node.cost;
      const Vec2 p = place(id);
      if (good(p)) {
        for (std::int64_t k = id;; k = nodes[k].from) {
          way.push_back(place(k));
          if (k == 0) break;
        }
        return true;
      }
      const std::int64_t i = id >> 32, j = static_cast<std::int32_t>(id);
      for (int di = -1; di <= 1; ++di)
        for (int dj = -1; dj <= 1; ++dj) {
          if (di == 0 && dj == 0) continue;
          const std::int64_t k = idOf(i + di, j + dj);
          const Vec2 q = place(k);
          const double far = cost + h * std::hypot(di, dj);
          Node& there = nodes[k];
          if (there.done || far >= there.cost) continue;
          const auto [known, fresh] = freeAt.try_emplace(k, false);
          if (fresh) known->second = clearAt(q);
          if (!known->second || !clearAt(0.5 * (p + q))) continue;
          there.cost = far, there.from = id;
          open.emplace(far + ahead(q), k);
        }
    }
    return false;
  }

  Outline straightened(const Outline& way) const {
    Outline out{way.front()};
    for (std::size_t k = 0; k + 1 < way.size();) {
      std::size_t to = k + 1;
      while (to + 1 < way.size() && clearWay(way[k], way[to + 1])) ++to;
      out.push_back(way[to]);
      k = to;
    }
    return out;
  }

  /// What the walk left standing at walls: once along them.
  void alongWalls() {
    for (const Outline& o : free_) {
      Outline places;
      for (std::size_t k = 0; k < o.size(); ++k) {
        const Vec2 &a = o[k], &b = o[(k + 1) % o.size()];
        const int n = std::max(1, static_cast<int>(std::ceil((b - a).norm() / step_)));
        for (int s = 0; s < n; ++s) places.push_back(a + (b - a) * (double(s) / n));
      }
      const std::size_t n = places.size();
      const auto stands = [&](const Vec2& p) {
        const Contact there = contact(p);
        return there.deepest > kFine && there.arc > 0 && there.arc <= o_.arc && isWanted(p);
      };
      std::vector<char> cut(n, 0);
      bool all = true;
      for (std::size_t k = 0; k < n; ++k) cut[k] = stands(places[k]), all = all && cut[k];
      if (std::none_of(cut.begin(), cut.end(), [](char c) { return c; })) continue;
      std::size_t begin = 0; // in a gap that is worth a way of its own
      const auto gap = static_cast<std::size_t>(1.5 * R_ / step_);
      std::size_t run = 0;
      for (std::size_t k = 0; k < 2 * n && !all; ++k) {
        run = cut[k % n] ? 0 : run + 1;
        if (run > gap) {
          begin = k % n;
          break;
        }
      }
      for (std::size_t k = 0; k < n;) {
        if (!cut[(begin + k) % n]) {
          ++k;
          continue;
        }
        std::size_t last = k;
        for (std::size_t e = k; e < n && e - last <= gap; ++e)
          if (cut[(begin + e) % n]) last = e;
        Outline line;
        for (std::size_t e = k; e <= last + 1; ++e) line.push_back(places[(begin + e) % n]);
        wallPass(line);
        k = last + 1;
      }
    }
  }

  bool isWanted(const Vec2& c) const {
    for (const Vec2& p : ring_) {
      const Vec2 q = (c + p - grid_.low) / grid_.step;
      const int i = static_cast<int>(std::lround(q.x())), j = static_cast<int>(std::lround(q.y()));
      if (i >= 0 && j >= 0 && i < grid_.n && j < grid_.m && wanted_[index(i, j)] && U_.value(i, j) > kFine) return true;
    }
    return false;
  }

  /// Along a wall; broken off where more is in the way than the arc allows.
  void wallPass(const Outline& line) {
    progress_.check();
    EngagedPass pass;
    std::size_t taken = 0;
    bool begun = false;
    const auto end = [&] {
      if (pass.line.size() > 1 && taken > 0) keep(std::move(pass), taken);
      pass = {}, taken = 0, begun = false;
    };
    for (const Vec2& p : line) {
      if (contact(p).arc > o_.arc) {
        end();
        continue;
      }
      if (!begun) {
        if (!reach(p, pass)) continue;
        begun = true;
        pass.line = {p};
        taken += U_.takeAway(p, p, R_);
        continue;
      }
      taken += U_.takeAway(pass.line.back(), p, R_);
      pass.line.push_back(p);
    }
    end();
  }

  /// The place with the most room in a region, and how much that is.
  static double deepest(const Outlines& region, Vec2& at) {
    double low = 0, high = 1;
    Outlines in = region;
    const auto take = [&](double d) {
      Outlines smaller = offset(region, -d);
      if (smaller.empty()) return false;
      in = std::move(smaller), low = d;
      return true;
    };
    while (take(high)) high *= 2;
    for (int k = 0; k < 12; ++k) {
      const double m = 0.5 * (low + high);
      if (!take(m)) high = m;
    }
    Vec2 sum = Vec2::Zero();
    for (const Vec2& p : in.front()) sum += p;
    at = sum / double(in.front().size());
    if (!regionContains(region, at)) at = in.front().front();
    return low;
  }

  /// By helix, else by ramp, into the middle of what cannot be got at.
  bool enterInside(double thick) {
    if (!(o_.helix > 0)) {
      out_.notEntered += remaining(thick) > 0;
      return false;
    }
    const float t = static_cast<float>(thick);
    const Outlines rest = contour(
        grid_, [&](int i, int j) { return wanted_[index(i, j)] && !closed(i, j) && U_.value(i, j) > t; },
        [](const Vec2& a, const Vec2& b) { return Vec2(0.5 * (a + b)); });
    double most = 0;
    Outlines best;
    for (const Outlines& part : connectedParts(intersect(rest, free_)))
      if (const double area = regionArea(part); area > most) most = area, best = part;
    if (most < 4 * grid_.step * grid_.step) {
      out_.notEntered += remaining(thick) > 0 && out_.passes.empty();
      return false;
    }
    EngagedPass pass;
    Vec2 centre;
    const double room = deepest(best, centre);
    std::size_t taken = 0;
    if (room >= 0.3 * o_.helix) {
      pass.by = EngagedPass::By::Helix, pass.centre = centre, pass.radius = std::min(room, o_.helix);
      const int n = std::max(24, static_cast<int>(2 * kPi * pass.radius / step_));
      for (int k = 0; k < n; ++k)
        U_.takeAway(centre + pass.radius * heading(2 * kPi * k / n), centre + pass.radius * heading(2 * kPi * (k + 1) / n), R_);
      U_.takeAway(centre, centre, R_);
      const Vec2 start = centre + Vec2(pass.radius, 0);
      pass.line = walk(start, kPi / 2, taken);
    } else {
      const Outlines middle = offset(best, -0.8 * room);
      if (middle.empty()) return stay(best);
      pass.by = EngagedPass::By::Ramp;
      double length = 0;
      for (std::size_t k = 0; k <= middle.front().size() && length < 4 * R_; ++k) {
        const Vec2& p = middle.front()[k % middle.front().size()];
        if (!pass.way.empty()) length += (p - pass.way.back()).norm();
        pass.way.push_back(p);
      }
      if (length < 0.8 * R_) return stay(best);
      for (std::size_t k = 1; k < pass.way.size(); ++k) U_.takeAway(pass.way[k - 1], pass.way[k], R_);
      const Vec2 d = pass.way[1] - pass.way[0];
      pass.line = walk(pass.way.front(), std::atan2(d.y(), d.x()), taken);
    }
    keep(std::move(pass), taken);
    return true;
  }

  /// A place that cannot be entered stays.
  bool stay(const Outlines& region) {
    ++out_.notEntered;
    const PlanarField in(grid_, region, band_);
    closed_.resize(wanted_.size(), 0);
    for (int j = 0; j < grid_.m; ++j)
      for (int i = 0; i < grid_.n; ++i)
        if (in.value(i, j) > -1.5 * grid_.step) closed_[index(i, j)] = 1;
    return true;
  }
  bool closed(int i, int j) const { return !closed_.empty() && closed_[index(i, j)]; }

  const EngagementOptions& o_;
  Progress& progress_;
  double R_;
  Outlines free_;
  Grid grid_;
  double band_;
  PlanarField F_, U_; ///< free ground, what is left of the material
  Border border_;
  double step_, seen_;
  std::vector<char> wanted_, tried_, closed_;
  std::array<Vec2, kRing> ring_;
  std::array<Vec2, kRing / 2 + 1> half_; ///< from the right over ahead to the left
  Vec2 at_ = Vec2::Zero();
  bool here_ = false;
  EngagedLevel out_;
};

} // namespace

EngagedLevel engagedPasses(const Outlines& free, const Outlines& material, const Outlines& wanted, const EngagementOptions& o,
                           const Vec2* at, Progress& progress) {
  if (!(o.arc >= radians(10) && o.arc <= radians(120)))
    throw Error(Fault::OutOfRange, "An engagement of less than 10 or more than 120 degrees cannot be kept", "constant engagement",
                "Ask for 30 to 90 degrees.")
        .mendedBy("constant_engagement_deg");
  if (!(o.radius > 0) || !(o.smallest > 0) || o.smallest > 2 * o.radius)
    throw Error(Fault::OutOfRange, "The smallest loop must be more than 0 and no larger than the cutter", "constant engagement",
                "A fifth of its radius is usual.")
        .mendedBy("smallest_loop_mm");
  return Walker(free, material, wanted, o, progress).plan(at);
}

} // namespace hemline
