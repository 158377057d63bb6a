#include "roughing/plan_level_roughing.h"
#include "base/units.h"
#include "finishing/region_limits.h"
#include "roughing/constant_engagement.h"
#include "roughing/roughing_moves.h"
#include <fmt/format.h>
#include <set>

namespace hemline {
namespace {

constexpr double kLeast = 0.5;                       // of the thinned spacing: nearer to the level above no level is worth its passes
constexpr double kBack = 25;                         // cutter radii: a longer way back takes more time than an entry
constexpr double kLowRing = 0.05, kLowRadius = 0.25; // of the radius: the lowest ring whose engagement counts, and the smallest
constexpr double kThinSection = 1;                   // squares of the stock's cell
constexpr double kGap = 0.25, kLongWay = 3;          // cutter radii: a pass runs on over air no farther; longer ways through it are lifted
constexpr double kPlace = 0.2, kNothing = 1e-9;      // cutter radii between places that are tried; mm^3
constexpr std::size_t kLead = 3;                     // places before a cut at which the cutter comes down, if it can
constexpr double kHole = 6;                          // cutter radii: across an opening that is for entering by, not for cutting from
constexpr double kLook = 1;                          // mm: the assembly's distance to the stock is asked this often
constexpr double kThinWall = 1;                      // cutter radii: a wall that wants to be cut evenly from both sides
constexpr double kLoop = 0.15, kHelix = 0.6;         // of the radius: smallest loop unless asked for, and helix

class Rougher {
public:
  Rougher(const Part& part, const Stock& stock, const Cutter& cutter, const RoughingOptions& o, Progress& progress)
      : cutter_(cutter), o_(o), progress_(progress), profile_(makeProfile(cutter)), R_(profile_.maxRadius()),
        slices_(part, stock, profile_, o, progress), grid_(slices_.grid()), moves_(part, slices_, cutter, profile_, o, progress, result_) {
    result_.stockAfter = stock;
  }

  RoughingResult plan() {
    const std::vector<double> levels = slices_.levels();
    result_.tabs = slices_.tabs();
    levels_ = levels;
    if (o_.byRegion)
      downward(0, {});
    else
      for (std::size_t k = 0; k < levels.size(); ++k)
        if (!cutLevel(k, nullptr)) break;
    result_.levels = done_.size();
    moves_.retract();
    moves_.cut();
    if (result_.path.locations.empty())
      throw NothingToCut("This cutter reaches none of the stock", "level roughing",
                         "Choose a smaller cutter, or check the allowances and the boundary.");
    if (result_.reached) {
      result_.reachedNote = result_.path.notes.size();
      result_.path.notes.push_back(
          fmt::format("ends {:.2f} mm above the lowest level: below that the holder would come too near to the stock",
                      *result_.reached - levels.back()));
    }
    double left = 0;
    for (const EngagedAt& l : result_.engaged) left += l.left;
    if (left > 1)
      result_.path.notes.push_back(fmt::format("{:.0f} mm2 of the levels were left, since they cannot be cut within the arc", left));
    if (result_.skipped > 0)
      result_.path.notes.push_back(fmt::format("{} left: no room to enter from air, by helix or by ramp",
                                               result_.skipped == 1 ? "1 pocket was" : fmt::format("{} pockets were", result_.skipped)));
    return std::move(result_);
  }

private:
  Vec3 world(const Vec2& p, double z) const { return slices_.world(p, z); }

  /// A level with those that thin its staircase, within `mask` if there is one. False where the assembly would come too near to the stock:
  /// then nothing of it is kept.
  bool cutLevel(std::size_t k, const Outlines* mask) {
    progress_.report(0.15 + 0.85 * std::min(1.0, double(cut_++) / double(levels_.size())),
                     fmt::format("level {} of {}", k + 1, levels_.size()));
    const double z = levels_[k], above = k == 0 ? slices_.top() : levels_[k - 1];
    const std::optional<RoughingResult> before = o_.reach ? std::optional(result_) : std::nullopt;
    level(z, above, mask);
    // Upwards on the slopes: the cutter's side takes the whole height of what stands there, but little of its width.
    if (o_.thinning)
      for (double h = z + *o_.thinning; h < above - kLeast * *o_.thinning; h += *o_.thinning)
        level(h, std::min(h + *o_.thinning, above), mask), ++result_.thinned;
    if (!before || reaches(*before)) {
      done_.insert(k);
      return true;
    }
    if (before->path.locations.empty())
      throw Error(Fault::Cannot, "The holder would come too near to the stock at the very first level", "level roughing",
                  "Let the cutter stick out farther, take a slimmer holder, or promise less clearance.")
          .mendedBy("stick_out_mm");
    result_ = *before;
    moves_.backTo(result_.path.locations.size());
    lastPass_.clear();
    result_.reached = std::max(k > 0 ? levels_[k - 1] : z, result_.reached.value_or(-kInfinity));
    return false;
  }

  /// Does the assembly keep clear of the stock all along what was added?
  bool reaches(const RoughingResult& before) const {
    const Intruder bodies{&o_.reach->assembly->bodies, nullptr, o_.reach->assembly->reach};
    const double wanted = o_.reach->clearance + kLook; // between two places nothing comes nearer than that
    const auto& l = result_.path.locations;
    double since = kInfinity;
    Vec3 at;
    for (std::size_t i = std::max<std::size_t>(before.path.locations.size(), 1); i < l.size(); ++i) {
      if (l[i].motion == Motion::Rapid) continue;
      progress_.check();
      const Vec3 run = l[i].tip - l[i - 1].tip;
      const int n = std::max(1, static_cast<int>(std::ceil(run.norm() / kLook)));
      for (int k = 1; k <= n; ++k) {
        since += run.norm() / n;
        if (since < 0.5 * kLook && i + 1 < l.size()) continue; // places come no farther apart than kLook
        since = 0;
        // The stock before the level: what its own cuts take lies below the holder.
        if (before.stockAfter.clearance(bodies, l[i - 1].tip + run * (double(k) / n), o_.up, wanted, wanted + 1e-9, at) < wanted)
          return false;
      }
    }
    return true;
  }

  /// One pocket to its bottom before the next. Pockets with a thin wall between them go down together, so that it is never left standing
  /// alone against a cut on one side.
  void downward(std::size_t k, const Outlines& mask) {
    for (; k < levels_.size(); ++k) {
      const double z = levels_[k], above = k == 0 ? slices_.top() : levels_[k - 1];
      Outlines solid = slices_.material(result_.stockAfter, z, above);
      if (!mask.empty()) solid = intersect(solid, mask);
      const Outlines ground = intersect(slices_.allowed(z), offset(solid, R_ - 0.5 * grid_.step));
      // Grown by half a thin wall they meet.
      const std::vector<Outlines> groups = connectedParts(offset(ground, (1 + 0.5 * kThinWall) * R_ + o_.wall));
      if (groups.size() < 2) {
        if (!cutLevel(k, mask.empty() ? nullptr : &mask)) return;
        continue;
      }
      for (const Outlines& group : groups) downward(k, mask.empty() ? group : intersect(group, mask));
      return;
    }
  }

  /// Brings the cutter to the start of a pass: along the ground if it is near, else from air, by helix or by ramp.
  bool enter(const Outline& line, double z) {
    progress_.check();
    const Vec2& start = line.front();
    if (moves_.begun() && std::abs(moves_.height() - z) < 1e-9) {
      const Vec2 at = moves_.at();
      if ((start - at).norm() < 2.2 * o_.stepOver + 1e-6 && slices_.free(at, start, z)) {
        if ((start - at).norm() > 1e-9) moves_.add(world(start, z), Motion::Link, o_.feed);
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
      if (moves_.freeColumn(q, z) && slices_.free(q, start, z)) {
        moves_.fromAir(q, z);
        if ((q - start).norm() > 1e-9) moves_.add(world(start, z), Motion::LeadIn, o_.feed);
        return true;
      }
    if (!(cutter_.rampAngle > 0)) return false;
    return helix(start, z) || ramp(line, z);
  }

  /// Back through the ground that the last pass has cleared, if this one starts beside its start: what is next to it in a slot
  /// that is cut from its open end.
  bool backAlong(const Vec2& start, double z) {
    if (lastPass_.size() < 2 || lastHeight_ != z) return false;
    if ((start - lastPass_.front()).norm() > 2.2 * o_.stepOver || !slices_.free(lastPass_.front(), start, z)) return false;
    if (lengthOf(lastPass_) > kBack * R_) return false;
    for (std::size_t i = lastPass_.size() - 1; i-- > 0;) moves_.add(world(lastPass_[i], z), Motion::Link, o_.feed);
    if ((start - lastPass_.front()).norm() > 1e-9) moves_.add(world(start, z), Motion::Link, o_.feed);
    return true;
  }

  bool helix(const Vec2& start, double z) {
    for (const double share : {0.9, 0.7, 0.5, 0.35}) {
      const double r = share * R_;
      const int round = std::max(24, static_cast<int>(std::ceil(2 * kPi * r / (0.5 * grid_.step)))); // places looked at
      // Centres such that the helix ends on the start of the pass.
      for (int k = 0; k < 12; ++k) {
        const double a = 2 * kPi * k / 12;
        const Vec2 c = start - r * Vec2(std::cos(a), std::sin(a));
        bool room = true;
        int hint = -1;
        for (int i = 0; i < round && room; ++i)
          room = slices_.heightAt(c + r * Vec2(std::cos(2 * kPi * i / round), std::sin(2 * kPi * i / round)), hint) <= z;
        if (!room) continue;
        moves_.helix(c, r, a, z);
        return true;
      }
    }
    return false;
  }

  /// Along the first part of the pass.
  bool ramp(const Outline& line, double z) {
    Outline leg{line.front()};
    double length = 0;
    for (std::size_t i = 1; i < line.size() && length < 4 * R_; ++i) {
      length += (line[i] - line[i - 1]).norm();
      leg.push_back(line[i]);
    }
    if (length < 0.8 * R_) return false;
    moves_.ramp(leg, z);
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

  /// A line with its ways in, wherever it meets material; what cannot be entered is put aside until its neighbours are cut. Between two
  /// stretches the cutter stays low and runs along the line.
  void pass(const Outline& full, double z) {
    bool low = false; // at the end of the stretch before
    const std::vector<Stretch> stretches = cuttingStretches(full, z);
    for (std::size_t n = 0; n < stretches.size(); ++n) {
      const Stretch& s = stretches[n];
      const Outline line = thinned(s.line);
      if (low) {
        along(s.way, z);
        lastPass_ = joined(joined(lastPass_, s.way), line);
      } else {
        if (s.lead.size() > 1 && enter(joined(s.lead, line), z)) {
          for (std::size_t i = 1; i < s.lead.size(); ++i) moves_.add(world(s.lead[i], z), Motion::LeadIn, o_.feed);
        } else if (!enter(line, z)) {
          Outline rest = joined(s.lead, s.line);
          while (n + 1 < stretches.size() && lengthOf(stretches[n + 1].way) <= kLongWay * R_)
            ++n, rest = joined(joined(rest, stretches[n].way), stretches[n].line);
          aside_.push_back(std::move(rest));
          continue;
        }
        lastPass_ = line;
      }
      low = true;
      for (std::size_t i = 1; i < line.size(); ++i) moves_.add(world(line[i], z), Motion::Cut, o_.feed, passes_);
      ++passes_;
      moves_.cut();
      lastHeight_ = z;
      rememberPassed(line);
    }
  }

  /// To the next stretch: a long way runs lifted, and fast where nothing is left to cut on it.
  void along(const Outline& way, double z) {
    if (lengthOf(way) <= kLongWay * R_) {
      for (const Vec2& p : way) moves_.add(world(p, z), Motion::Link, o_.feed);
      return;
    }
    overTo(way, z);
  }

  /// Where the cutter meets material, and the way there from the end of the stretch before.
  struct Stretch {
    Outline way, lead, line; ///< lead: the last bit of it before the line, to come in by
  };
  static Outline joined(const Outline& lead, const Outline& line) {
    Outline out = lead;
    out.insert(out.end(), line.begin() + (lead.empty() ? 0 : 1), line.end());
    return out;
  }
  /// Stretches of a line along which the cutter removes something, found by cutting a copy of the stock; none that removes less than a
  /// cell of it, or less than kThinSection all along: what is that thin may not be there.
  std::vector<Stretch> cuttingStretches(const Outline& line, double z) const {
    std::vector<Stretch> out;
    if (line.size() < 2) return out;
    Path trial;
    Outline fine;
    const auto place = [&](const Vec2& p) {
      Location l;
      l.tip = world(p, z), l.axis = o_.up, l.motion = Motion::Cut;
      trial.locations.push_back(l);
      fine.push_back(p);
    };
    place(line.front());
    for (std::size_t i = 1; i < line.size(); ++i) {
      const int n = std::max(1, static_cast<int>(std::ceil((line[i] - line[i - 1]).norm() / (kPlace * R_))));
      for (int k = 1; k <= n; ++k) place(line[i - 1] + (line[i] - line[i - 1]) * (double(k) / n));
    }
    const auto part = [&](std::size_t from, std::size_t to) {
      return Outline(fine.begin() + static_cast<std::ptrdiff_t>(from), fine.begin() + static_cast<std::ptrdiff_t>(to) + 1);
    };
    Stock stock = result_.stockAfter;
    const double least = std::pow(stock.cell(), 3);
    const std::size_t none = fine.size();
    std::size_t first = none, last = 0, end = none; // end: of the stretch before
    double gap = 0, removed = 0;
    const auto close = [&] {
      double length = 0;
      for (std::size_t i = first + 1; first != none && i <= last; ++i) length += (fine[i] - fine[i - 1]).norm();
      if (first != none && removed > least && removed > kThinSection * stock.cell() * stock.cell() * length)
        out.push_back({end == none ? Outline() : thinned(part(end, first)),
                       part(std::max(end == none ? 0 : end, first > kLead ? first - kLead : 0), first), part(first, last)}),
            end = last;
      first = none, removed = 0;
    };
    for (std::size_t i = 1; i < none; ++i) {
      const double cut = stock.cut(profile_, trial, i, i + 1);
      gap = cut > kNothing ? 0 : gap + (fine[i] - fine[i - 1]).norm();
      if (cut > kNothing) first = std::min(first, i - 1), last = i, removed += cut;
      if (gap > kGap * R_) close();
    }
    close();
    return out;
  }

  /// Passes that were put aside: again, now that there is more room, until none of them can be entered.
  void passAside(double z) {
    for (std::size_t before = aside_.size() + 1; !aside_.empty() && aside_.size() < before;) {
      before = aside_.size();
      std::vector<Outline> again;
      again.swap(aside_);
      for (const Outline& line : again) pass(line, z);
    }
    result_.skipped += aside_.size();
    aside_.clear();
  }

  /// Places on the pass and a little to either side of it: on its open side there is room to come down from air.
  void rememberPassed(const Outline& line) {
    const double aside = 1.5 * result_.stockAfter.cell(), apart = 0.5 * R_;
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
    if (!moves_.begun() || loop.size() < 3) return closed(loop);
    const Vec2 at = moves_.at();
    std::size_t best = 0;
    for (std::size_t i = 1; i < loop.size(); ++i)
      if ((loop[i] - at).squaredNorm() < (loop[best] - at).squaredNorm()) best = i;
    std::rotate(loop.begin(), loop.begin() + static_cast<std::ptrdiff_t>(best), loop.end());
    return closed(loop);
  }

  /// Passes of constant engagement: the cutter's way to each of them runs through cleared ground a little above the level, or comes from
  /// air, by helix or by ramp.
  void engagedLevel(double z, double above, const Outlines* mask) {
    Outlines worth = slices_.worthCutting(slices_.material(result_.stockAfter, z, above), z);
    if (mask) worth = intersect(worth, *mask);
    if (regionArea(worth) < 4 * grid_.step * grid_.step) return;
    EngagementOptions e;
    // The lowest ring that is looked at is the smallest, so it is the one that reaches farthest round.
    const double low = std::min(kLowRing * R_, 0.5 * (above - z));
    e.radius = std::max(profile_.radiusAt(low), kLowRadius * R_);
    e.arc = *o_.engagement, e.smallest = std::min(o_.smallestLoop.value_or(kLoop * R_), e.radius);
    e.helix = cutter_.rampAngle > 0 ? kHelix * R_ : 0;
    e.room = R_ - e.radius + 1.5 * result_.stockAfter.cell() + grid_.step, e.farthest = kBack * R_;
    const bool here = moves_.begun() && std::abs(moves_.height() - z) < 1e-9;
    const Vec2 at = here ? moves_.at() : Vec2(0, 0);
    const EngagedLevel found =
        engagedPasses(slices_.allowed(z), slices_.standing(result_.stockAfter, z, above), worth, e, here ? &at : nullptr, progress_);
    result_.skipped += found.notEntered;
    for (const EngagedPass& p : found.passes) {
      progress_.check();
      if (!engagedEntry(p, z)) {
        ++result_.skipped; // what comes after it counts on the room that it would have made
        moves_.cut();
        return;
      }
      const Outline line = thinned(p.line);
      for (std::size_t i = 1; i < line.size(); ++i) moves_.add(world(line[i], z), Motion::Cut, o_.feed, passes_);
      ++passes_;
    }
    moves_.cut();
    result_.engaged.push_back({z, found.length, found.area, found.efficiency(e), found.left}); // of levels that were cut to their end
  }

  bool engagedEntry(const EngagedPass& p, double z) {
    switch (p.by) {
    case EngagedPass::By::Along:
      overTo(p.way, z);
      return true;
    case EngagedPass::By::Air:
      moves_.cut();
      return engagedFromAir(p.way, z);
    case EngagedPass::By::Helix:
      moves_.cut();
      moves_.helix(p.centre, p.radius, 0, z);
      return true;
    case EngagedPass::By::Ramp:
      moves_.cut();
      moves_.ramp(p.way, z);
      return true;
    }
    return false;
  }

  /// Lifted over cleared ground along a way that begins where the cutter is. It comes down at the last place where nothing stands below it,
  /// since its side may already touch where the next pass begins, and runs the rest at the level.
  void overTo(const Outline& way, double z) {
    moves_.cut();
    Outline fine{moves_.at()};
    for (const Vec2& q : way) {
      const Vec2 from = fine.back(), d = q - from;
      const int n = static_cast<int>(std::ceil(d.norm() / (kPlace * R_) - 1e-9));
      for (int k = 1; k <= n; ++k) fine.push_back(from + d * (double(k) / n));
    }
    std::size_t down = fine.size() - 1;
    for (std::size_t k = fine.size(); k-- > 0;)
      if (moves_.isClearDown(fine[k], z + o_.lift, z)) {
        down = k;
        break;
      }
    const auto part = [&](std::size_t from, std::size_t to) {
      return thinned(Outline(fine.begin() + static_cast<std::ptrdiff_t>(from), fine.begin() + static_cast<std::ptrdiff_t>(to) + 1));
    };
    if (down > 0) {
      moves_.add(world(moves_.at(), z + o_.lift), Motion::LeadOut, o_.feed);
      wayBack(part(0, down), z + o_.lift);
      moves_.add(world(fine[down], z), Motion::LeadIn, o_.plungeFeed);
    }
    for (const Vec2& q : part(down, fine.size() - 1))
      if ((q - moves_.at()).norm() > 1e-9) moves_.add(world(q, z), Motion::LeadIn, o_.feed);
  }

  /// Fast over cleared ground. Where the cutter would still remove something, it runs as a cut: its side stands out over the lowest ring,
  /// whose slice was planned on, and thin remains are left by passes.
  void wayBack(const Outline& way, double z) {
    moves_.cut();
    Stock trial = result_.stockAfter;
    Path piece;
    piece.locations.resize(2);
    for (Location& l : piece.locations) l.axis = o_.up, l.motion = Motion::Cut;
    for (const Vec2& q : way) {
      if ((q - moves_.at()).norm() < 1e-9) continue;
      piece.locations[0].tip = world(moves_.at(), z), piece.locations[1].tip = world(q, z);
      const bool cuts = trial.cut(profile_, piece, 1, 2) > kNothing;
      moves_.add(world(q, z), cuts ? Motion::Cut : Motion::Link, cuts ? o_.feed : o_.linkFeed);
    }
  }

  /// Down through air at the first place of the way where there is nothing but air, then along it. A thin remain that is finer than the
  /// slice's grid is gone through in a helix.
  bool engagedFromAir(const Outline& way, double z) {
    std::size_t from = 0;
    while (from < way.size() && !moves_.freeColumn(way[from], z)) ++from;
    if (from < way.size()) {
      moves_.fromAir(way[from], z);
    } else {
      from = 0;
      const double r = kHelix / 2 * R_;
      int hint = -1;
      for (int k = 0; k < 24; ++k)
        if (slices_.heightAt(way.front() + r * Vec2(std::cos(kPi * k / 12), std::sin(kPi * k / 12)), hint) > z) return false;
      if (!(cutter_.rampAngle > 0)) return false;
      moves_.helix(way.front(), r, 0, z);
      moves_.add(world(way.front(), z), Motion::LeadIn, o_.feed);
    }
    for (std::size_t k = from + 1; k < way.size(); ++k) moves_.add(world(way[k], z), Motion::LeadIn, o_.feed);
    return true;
  }

  void level(double z, double above, const Outlines* mask) {
    progress_.check();
    if (o_.engagement) return engagedLevel(z, above, mask);
    passed_.clear();
    airSide_.clear();
    Outlines solid = slices_.worthCutting(slices_.material(result_.stockAfter, z, above), z);
    if (mask) solid = intersect(solid, *mask);
    if (regionArea(solid) < 4 * grid_.step * grid_.step) return;
    Outlines free = slices_.allowed(z);
    if (o_.smallestLoop) free = offset(offset(free, -*o_.smallestLoop), *o_.smallestLoop); // inside corners are rounded
    const Outlines touching = offset(solid, R_ - 0.5 * grid_.step);
    for (const Outlines& part : connectedParts(intersect(free, touching))) {
      if (regionArea(part) < grid_.step * grid_.step) continue;
      progress_.check();
      const Outlines rim = subtract(intersect(free, offset(solid, R_ + 2 * grid_.step)), offset(solid, R_ + 0.5 * grid_.step));
      const Outlines own = intersect(rim, offset(part, 2.5 * grid_.step));
      // Places in air, beside the stock or in a hole, from which a pass may be entered.
      for (const Outline& o : offset(own, 0.0))
        for (const Vec2& p : o)
          if (airSide_.empty() || (p - airSide_.back()).norm() > 0.25 * R_) airSide_.push_back(p);
      Outlines open;
      for (const Outlines& side : connectedParts(own)) {
        Eigen::AlignedBox2d box;
        for (const Outline& o : side)
          for (const Vec2& p : o) box.extend(p);
        if (isHole(box, solid))
          airSide_.push_back(box.center());
        else
          open.insert(open.end(), side.begin(), side.end());
      }
      if (o_.fromOpenSide && regionArea(open) > 2 * R_ * grid_.step)
        fromOpenSide(part, solid, z);
      else
        insideOut(part, z);
      passAside(z);
    }
  }

  /// Is this air beside the material only a hole in it, such as was drilled to enter by?
  bool isHole(const Eigen::AlignedBox2d& box, const Outlines& solid) const {
    if (box.diagonal().norm() > kHole * R_) return false;
    const double out = 0.5 * box.sizes().maxCoeff() + R_ + 3 * grid_.step;
    for (int k = 0; k < 16; ++k)
      if (!regionContains(solid, box.center() + out * Vec2(std::cos(kPi * k / 8), std::sin(kPi * k / 8)))) return false;
    return true;
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
      const Vec2 at = !moves_.begun() ? Vec2(0, 0) : moves_.at();
      const bool low = lastHeight_ == z && !lastPass_.empty();
      std::size_t best = lines.size();
      double least = kInfinity;
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

  void fromOpenSide(const Outlines& part, const Outlines& solid, double z) {
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
    Vec2 at = !moves_.begun() ? Vec2(0, 0) : moves_.at();
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

  const Cutter& cutter_;
  const RoughingOptions& o_;
  Progress& progress_;
  Profile profile_;
  double R_;
  RoughingSlices slices_;
  Grid grid_;
  RoughingResult result_;
  RoughingMoves moves_;
  std::vector<Vec2> passed_, airSide_;
  Outline lastPass_;
  std::vector<Outline> aside_;
  std::vector<double> levels_;
  double lastHeight_ = 0;
  std::size_t cut_ = 0; ///< levels, counted for each pocket
  std::set<std::size_t> done_;
  int passes_ = 0;
};

} // namespace

double efficiencyOf(const std::vector<EngagedAt>& levels) {
  double length = 0, least = 0;
  for (const EngagedAt& l : levels)
    if (l.efficiency > 0) length += l.length, least += l.length / l.efficiency;
  return least > 0 ? length / least : 0;
}

RoughingResult planLevelRoughing(const Part& part, const Stock& stock, const Cutter& cutter, const RoughingOptions& o, Progress& progress) {
  assert(isUnit(o.up));
  if (!(o.depth > 0) || !(o.stepOver > 0))
    throw Error(Fault::OutOfRange, "Depth and step-over must be more than 0", "level roughing", "Give both in mm.").mendedBy("depth_mm");
  if (o.stepOver > cutter.diameter)
    throw Error(Fault::OutOfRange, "The step-over is larger than the cutter", "level roughing",
                "Use at most the cutter's diameter; half is usual.")
        .mendedBy("step_over_mm");
  if (o.wall < 0 || o.floor < 0)
    throw Error(Fault::OutOfRange, "Allowances must not be negative in roughing", "level roughing", "Use 0 or more.")
        .mendedBy("wall_allowance_mm");
  return Rougher(part, stock, cutter, o, progress).plan();
}

} // namespace hemline
