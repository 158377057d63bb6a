#include "finishing/passes.h"
#include "base/threads.h"
#include "base/units.h"
#include "finishing/even_points.h"
#include "finishing/order.h"
#include "finishing/strip.h"
#include <fmt/format.h>
#include <utility>

namespace hemline {
namespace {

constexpr double kReserve = 0.975;      // of the promise: what may hide between the places where a strip is measured
constexpr double kOutermost = 1e-4;     // mm: how near to the end of the ground its outermost pass lies, between levels
constexpr double kSummit = 0.9;         // of the aim: lower summits of a strip are not climbed
constexpr double kSummitAtBorder = 0.5; // the same where the border cuts the strip off: they are steeper
constexpr double kRise = 0.002;         // of the aim: less than this is level
constexpr double kAim = 0.985;          // share of the rest that a new strip aims at
constexpr double kEnough = 0.95;        // a strip that uses at least this share is accepted
constexpr double kNarrow = 0.4;         // share of the spacing on level ground below which a strip is narrow
constexpr double kShortReach = 1;       // spacings on level ground: so far short passes run on beside the places they are for
constexpr double kFlat = 2e-6;          // mm of the field: ground on which it changes by no more runs with the passes
constexpr double kBesideFlat = 0.05;    // spacings on level ground: as near to another pass it needs none of its own
constexpr std::size_t kMostFlats = 200;
constexpr double kBesidePasses = 1; // cutter radii: points of passes farther off are not beside them
constexpr double kSlowest = 0.2;    // of the feed, in the tightest hollows
constexpr int kTries = 7;           // corrections per strip
constexpr double kBeyond = 10; // first spacings: so far passes are followed past a border that they run along; the ground ends them before
constexpr double kCrease = radians(5); // edges that turn by more are edges, those that turn by less smooth ground

double firstSpacing(const Profile& profile, double target) {
  double k = 0;
  for (const ProfilePiece& p : profile.pieces())
    if (p.radius > 0) k = std::max(k, p.radius);
  const double R = k > 0 ? std::min(k, 50.0) : profile.maxRadius();
  return std::min(std::sqrt(8 * target * R), 0.5 * profile.maxRadius());
}

class Planner {
public:
  Planner(const Part& part, const Profile& profile, const SurfaceField& field, const PassOptions& o, Progress& progress, PassMemory* memory)
      : part_(part), profile_(profile), o_(o), progress_(progress), memory_(memory), target_(kReserve * o.cusp),
        guess_(firstSpacing(profile, target_)), station_(std::clamp(profile.maxRadius() / 8, 0.05, 1.0)),
        ground_(part, regionFacets(part, o.region, o.up, "passes"), o.region, profile.maxRadius(), guess_),
        contacts_(part, o.tilt.follow ? kPatchCrease : kCrease), placing_(part, profile, o.up, o.tilt, o.allowance, &field, o.fillet),
        lines_(contacts_, field, ground_.region()),
        curves_(lines_, std::clamp(kBeyond * guess_, profile.maxRadius(), 3 * profile.maxRadius()), placing_.guideRadius(), !o.tilt.follow),
        maker_(curves_, placing_, ground_, {o.chord, station_, o.longest, o.shortest, o.fewest}, progress),
        even_(maker_, curves_, o.evenPoints, kBesidePasses * profile.maxRadius()) {
    // A hair inside the extent the ground is surely there.
    const double in = std::min(1e-6, 0.1 * (lines_.highest() - lines_.lowest()));
    w0_ = lines_.lowest() + in, w1_ = lines_.highest() - in;
  }

  PassPlan plan() {
    std::vector<Pass> passes;
    if (o_.levels.empty() && o_.strips)
      march(passes);
    else if (o_.strips || !o_.spiral)
      putAtLevels(passes);
    for (const Pass& p : passes) result_.levels.push_back(p.level);
    std::vector<Pass> loops; // that were only made to find the levels
    if (o_.spiral) {
      if (passes.empty()) result_.levels = o_.levels;
      loops = std::exchange(passes, wound());
      result_.stripCusp.clear();
    }
    for (const Pass& p : passes) result_.blocked += p.blocked;
    if (o_.evenPoints > 0) result_.aligned = even_.share(passes);
    const std::size_t whole = passes.size();
    if (o_.lastFirst && !o_.spiral) std::reverse(passes.begin(), passes.end());
    addShortOnes(passes);
    result_.path = orderRuns(passes, whole, maker_, part_, o_, profile_.maxRadius(), progress_);
    if (o_.contactFeed) slowContacts(result_.path);
    tell();
    passes.resize(whole);
    if (o_.lastFirst && !o_.spiral) std::reverse(passes.begin(), passes.end());
    if (memory_ && o_.spiral) memory_->woundOver = result_.levels, memory_->spirals = std::exchange(passes, std::move(loops));
    if (memory_) remember(passes);
    return std::move(result_);
  }

private:
  static constexpr double kPatchCrease = 0.4363; // 25 degrees: an axis that follows turns smoothly over what a patch joins

  void putAtLevels(std::vector<Pass>& passes) {
    for (const double w : o_.levels) {
      progress_.report((w - w0_) / (w1_ - w0_), fmt::format("pass {} of {}", passes.size() + 1, o_.levels.size()));
      passes.push_back(remembered(w, passes.empty() ? nullptr : &passes.back()));
      if (passes.size() == 1) continue;
      Pass& last = passes[passes.size() - 2];
      result_.spacing.push_back(w - last.level);
      if (!o_.strips) {
        last.measuring.reset();
        continue;
      }
      const double* known = knownStrip(last.level, w);
      result_.stripCusp.push_back(known ? *known : measureStrip(last, passes.back(), nullptr));
      last.measuring.reset();
    }
  }

  /// Spirals over the levels.
  std::vector<Pass> wound() {
    if (memory_ && !memory_->spirals.empty() && memory_->woundOver == result_.levels) return std::move(memory_->spirals);
    progress_.report(0.9, "winding loops into spirals");
    std::vector<Pass> out = maker_.spirals({result_.levels, o_.up, o_.lastFirst == o_.against});
    if (out.empty())
      throw Error(Fault::Cannot, "The passes are no nested loops, so no spiral runs through them", "passes",
                  "Let them run one after the other, or bound the ground so that they close.")
          .mendedBy("spiral");
    return out;
  }

  /// Passes along lines, and runs of short passes near their places.
  void addShortOnes(std::vector<Pass>& passes) {
    for (const std::vector<Vec3>& line : o_.also) {
      progress_.check();
      if (Pass p = maker_.along(line); !p.runs.empty()) passes.push_back(std::move(p)), ++result_.along;
    }
    for (const ShortPass& s : o_.shortOnes) {
      progress_.check();
      const PassMaker::Near near{&s.places, kShortReach * guess_};
      Pass p = maker_.make(s.level, &near);
      p.blocked = 0;
      if (p.runs.empty()) continue;
      ++result_.mended;
      passes.push_back(std::move(p));
    }
  }

  /// `before`: the pass before it; null: none.
  Pass passAt(double level, const Pass* before) const {
    Pass pass = maker_.make(level);
    if (o_.evenPoints > 0) even_.set(pass, before);
    return pass;
  }
  Pass remembered(double w, const Pass* before) {
    if (memory_)
      if (auto node = memory_->passes.extract(w)) return std::move(node.mapped());
    return passAt(w, before);
  }
  const double* knownStrip(double a, double b) const {
    if (!memory_) return nullptr;
    const auto at = memory_->strips.find({a, b});
    return at == memory_->strips.end() ? nullptr : &at->second;
  }
  void remember(std::vector<Pass>& passes) {
    memory_->strips.clear();
    for (std::size_t i = 1; i < passes.size() && i <= result_.stripCusp.size(); ++i)
      memory_->strips[{passes[i - 1].level, passes[i].level}] = result_.stripCusp[i - 1];
    memory_->passes.clear();
    for (Pass& p : passes) {
      p.measuring.reset();
      const double w = p.level;
      memory_->passes.emplace(w, std::move(p));
    }
  }

  /// Levels at which plane ground that runs with the passes is just touched: floors between walls that are gone round by levels, upright
  /// walls that passes run along. The ground's own, and what stands beside it.
  std::vector<double> levelsOfFlats() const {
    const Mesh& mesh = part_.mesh;
    const std::vector<char>& region = ground_.region();
    const SurfaceField& field = lines_.field();
    std::vector<std::pair<double, double>> flats; // level, mm2
    for (std::size_t t = 0; t < region.size(); ++t) {
      const auto& beside = contacts_.beside()[t];
      if (!region[t] && std::none_of(beside.begin(), beside.end(), [&](int o) { return o >= 0 && region[static_cast<std::size_t>(o)]; }))
        continue;
      double low = kInfinity, high = -kInfinity;
      for (const Vec2& uv : {Vec2(0, 0), Vec2(1, 0), Vec2(0, 1)}) {
        const double v = field.value({static_cast<int>(t), uv.x(), uv.y()}, placeOn(part_, t, uv.x(), uv.y()));
        low = std::min(low, v), high = std::max(high, v);
      }
      if (high - low < kFlat && low > w0_ + kBesideFlat * guess_ && high < w1_ - kBesideFlat * guess_)
        flats.emplace_back(0.5 * (low + high), mesh.facetArea(t));
    }
    std::sort(flats.begin(), flats.end());
    std::vector<double> out;
    for (std::size_t i = 0, k = 0; i < flats.size(); i = k) {
      double area = 0;
      for (; k < flats.size() && flats[k].first - flats[i].first < kFlat; ++k) area += flats[k].second;
      if (area < guess_ * guess_ || (!out.empty() && flats[i].first - out.back() < kBesideFlat * guess_)) continue;
      // Just to that side of it where more can be touched.
      double best = 0;
      std::optional<double> level;
      for (const double side : {-kFlat, kFlat}) {
        const double l = lengthOf(maker_.make(flats[i].first + side));
        if (l > best) best = l, level = flats[i].first + side;
      }
      if (level && out.size() < kMostFlats) out.push_back(*level);
    }
    return out;
  }
  static double lengthOf(const Pass& pass) {
    double sum = 0;
    for (const Run& r : pass.runs)
      for (std::size_t i = 1; i < r.stations.size(); ++i) sum += (r.stations[i].at.tip - r.stations[i - 1].at.tip).norm();
    return sum;
  }

  void march(std::vector<Pass>& passes) {
    std::vector<double> stops = levelsOfFlats(); // where a pass lies, come what may
    stops.push_back(w1_);
    passes.push_back(passAt(w0_, nullptr));
    double step = guess_;
    const double smallest = step / 40, largest = std::max(profile_.maxRadius() * 0.7, step);
    std::size_t stop = 0;
    while (passes.back().level < w1_ - 1e-9) {
      Pass& last = passes.back();
      progress_.report((last.level - w0_) / (w1_ - w0_), fmt::format("pass {}", passes.size()));
      while (stop + 1 < stops.size() && stops[stop] < last.level + smallest) ++stop;
      double used = 0;
      Pass next = nextPass(last, step, smallest, largest, stops[stop], used);
      result_.spacing.push_back(next.level - last.level);
      result_.stripCusp.push_back(used);
      if (next.level < stops[stop]) step = std::clamp(next.level - last.level, smallest, largest);
      last.measuring.reset();
      passes.push_back(std::move(next));
    }
  }

  /// Places of one strip, per station, while its width is looked for.
  struct Places {
    double step = 0;           ///< width that the next is compared with
    std::vector<double> cusp;  ///< at that width
    std::vector<char> givenUp; ///< a narrower strip does not lower them: measuring the surface has to say what they are
    double highest = 0;        ///< of all places of the strip that was measured last, given up or not
    bool both = false;         ///< both passes touch something, so that it was measured from both
  };

  /// A few places that hold up the whole strip are given up where a narrower one does not help (a crest falls with the square of
  /// the width, where the cutter rests on two walls with the width; what falls slower than its root is not made by spacing: the
  /// rim of a hollow that the cutter cannot enter, say), or where it would have to be far narrower than level ground asks for.
  /// Measuring and closer passes see to them.
  void giveUp(Places& places, double step, std::vector<double>& cusp) const {
    constexpr double kClearly = 0.85;          // narrower than this share of the last width there is something to compare
    constexpr double kFew = 0.02, kMuch = 1.5; // a little too much is soon mended
    places.givenUp.resize(cusp.size(), 0);
    const auto high = [&](std::size_t i) { return cusp[i] > target_ && !places.givenUp[i]; };
    const bool compare = step < kClearly * places.step, narrow = step < kNarrow * guess_;
    std::size_t over = 0;
    for (std::size_t i = 0; i < cusp.size(); ++i) over += high(i);
    const bool few = static_cast<double>(over) <= kFew * static_cast<double>(cusp.size());
    const double much = step < 0.4 * kNarrow * guess_ ? target_ : kMuch * target_;
    for (std::size_t i = 0; few && i < cusp.size(); ++i)
      if (high(i) &&
          ((narrow && cusp[i] > much) || (compare && places.cusp[i] > target_ && cusp[i] > std::sqrt(step / places.step) * places.cusp[i])))
        places.givenUp[i] = 1;
    if (compare || places.step == 0) places.step = step, places.cusp = cusp;
    for (std::size_t i = 0; i < cusp.size(); ++i)
      if (places.givenUp[i]) cusp[i] = 0;
  }

  /// Crests across the strip at all footings of one pass, mm. Where the ground turns between neighbours, between them too. `cut`: which of
  /// them end at the border.
  std::vector<double> crests(const std::vector<Footing>& feet, Pass& a, Pass& b, bool fromA, std::vector<char>& cut) {
    const StripPromise promise{o_.cusp, target_};
    const bool ball = profile_.ballRadius() > 0; // the rays of other profiles are too slow for a second look
    Pass& own = fromA ? a : b;
    std::vector<double> cusp(feet.size(), 0);
    cut.assign(feet.size(), 0);
    parallelChunks(feet.size(), 32, [&](std::size_t first, std::size_t end) {
      progress_.check();
      Strip strip(lines_, placing_, promise, a, b);
      Vec3 before = Vec3::Zero();
      for (std::size_t i = first; i < end; ++i) {
        Vec3 now;
        cusp[i] = strip.cuspFrom(feet[i], fromA, &now);
        cut[i] = !strip.arrived();
        if (ball && fromA && i > first && feet[i].curve == feet[i - 1].curve) {
          const double swing = std::max((now - before).norm(), (feet[i].at.normal - feet[i - 1].at.normal).norm());
          const double apart = feet[i].s - feet[i - 1].s;
          const int parts = std::min(12, static_cast<int>(40 * swing * std::min(1.0, station_ / apart)));
          for (int k = 1; k < parts; ++k)
            if (const auto between = footingBeside(own, feet[i - 1], apart * k / parts))
              cusp[i] = std::max(cusp[i], strip.cuspFrom(*between, fromA));
        }
        before = now;
      }
    });
    return cusp;
  }

  /// The strip would be accepted: climb its summits, which lie between the places looked at.
  double climb(const std::vector<Footing>& feet, const std::vector<double>& cusp, const std::vector<char>& cut, Pass& a, Pass& b,
               bool fromA) {
    std::vector<std::size_t> summits;
    for (std::size_t i = 1; i + 1 < cusp.size(); ++i)
      if (cusp[i] > (cut[i] ? kSummitAtBorder : kSummit) * target_ && cusp[i] >= cusp[i - 1] && cusp[i] >= cusp[i + 1] &&
          cusp[i] > std::min(cusp[i - 1], cusp[i + 1]) + kRise * target_)
        summits.push_back(i);
    const StripPromise promise{o_.cusp, target_};
    std::vector<double> tops(summits.size(), 0);
    parallelChunks(summits.size(), 4, [&](std::size_t first, std::size_t end) {
      progress_.check();
      Strip strip(lines_, placing_, promise, a, b);
      for (std::size_t k = first; k < end; ++k) {
        double best = 0, reach = station_;
        for (int round = 0; round < 2; ++round, reach *= 0.25) {
          const double middle = best;
          for (int i = -4; i <= 4; ++i) {
            if (i == 0) continue;
            const auto beside = footingBeside(fromA ? a : b, feet[summits[k]], middle + 0.25 * i * reach);
            if (const double h = beside ? strip.cuspFrom(*beside, fromA) : 0; h > tops[k]) tops[k] = h, best = middle + 0.25 * i * reach;
          }
        }
      }
    });
    double top = 0;
    for (const double h : tops) top = std::max(top, h);
    return top;
  }

  /// Largest cusp of the strip between two passes; while its width is looked for, but for the places given up.
  double measureStrip(Pass& a, Pass& b, Places* places) {
    maker_.prepare(a), maker_.prepare(b);
    if (a.measuring->sweep->size() == 0 && b.measuring->sweep->size() == 0) return 0;
    const auto largest = [](const std::vector<double>& v) { return v.empty() ? 0.0 : *std::max_element(v.begin(), v.end()); };
    const std::vector<Footing>&feet = a.measuring->feet, &others = b.measuring->feet;
    std::vector<char> cutOff, besideCutOff;
    std::vector<double> cusp = crests(feet, a, b, true, cutOff);
    const std::vector<double> beside = crests(others, a, b, false, besideCutOff);
    if (places) {
      places->both = !feet.empty() && !others.empty();
      places->highest = std::max(largest(cusp), largest(beside)), giveUp(*places, b.level - a.level, cusp);
    }
    double worst = largest(cusp);
    // Ground that only the second pass comes near to: of a few places narrower strips are not asked.
    const auto over = static_cast<double>(std::count_if(beside.begin(), beside.end(), [&](double h) { return h > target_; }));
    if (!places || b.level - a.level > kNarrow * guess_ || over > 0.02 * static_cast<double>(beside.size()))
      worst = std::max(worst, largest(beside));
    if (profile_.ballRadius() <= 0 || worst > target_) return worst;
    return std::max({worst, climb(feet, cusp, cutOff, a, b, true), climb(others, beside, besideCutOff, a, b, false)});
  }

  /// Where the ground begins or ends: the outermost pass that still touches it.
  Pass outermost(double full, double empty, const Pass* before) const {
    Pass out;
    while (std::abs(full - empty) > kOutermost) {
      Pass mid = maker_.make(0.5 * (full + empty));
      (mid.runs.empty() ? empty : full) = mid.level;
      if (!mid.runs.empty()) out = std::move(mid);
    }
    if (o_.evenPoints > 0) even_.set(out, before);
    return out;
  }

  Pass nextPass(Pass& last, double guess, double smallest, double largest, double stop, double& used) {
    // Beside a pass that meets nothing a strip says nothing: ground narrow between levels (hollows) must not be leapt over.
    const double careful = guess_;
    // Where the strip before was very narrow it is asked anew whether narrow strips help at all.
    if (guess < 0.5 * kNarrow * careful) guess = 0.9 * kNarrow * careful;
    Places places;
    double step = last.runs.empty() ? std::min(guess, careful) : guess, good = 0, bad = kInfinity, goodCusp = 0;
    Pass best;
    for (int k = 0; k < kTries; ++k) {
      const bool end = last.level + step >= stop;
      Pass next = passAt(end ? stop : last.level + step, &last);
      step = next.level - last.level;
      if (next.runs.empty() && step > careful * 1.001) {
        step = careful;
        continue;
      }
      if (next.runs.empty() != last.runs.empty()) {
        Pass edge = last.runs.empty() ? outermost(next.level, last.level, &last) : outermost(last.level, next.level, &last);
        if (last.runs.empty()) return edge.runs.empty() ? std::move(next) : std::move(edge);
        if (!edge.runs.empty()) next = std::move(edge), step = next.level - last.level;
      }
      const double h = measureStrip(last, next, &places), shown = std::max(h, places.highest);
      // Flat cutters leave nothing on level ground, however far passes lie apart: that is no silence.
      const bool silent = h <= 0 && !places.both;
      if (silent && step > careful * 1.001) {
        step = careful;
        continue;
      }
      const bool besideNothing = next.runs.empty();
      if (h <= target_) {
        if (step > good || best.level <= last.level) good = step, goodCusp = shown, best = std::move(next);
        if (end || besideNothing || h >= kEnough * target_ || step >= largest * 0.999) break;
        double grow = h > 0 ? std::sqrt(kAim * target_ / h) : 2.0;
        double wish = std::min(step * std::min(grow, 2.0), silent ? std::max(step, careful) : largest);
        if (wish >= bad) wish = 0.5 * (good + bad);
        if (wish - step < 0.004 * step) break;
        step = wish;
      } else {
        bad = std::min(bad, step);
        if (step <= smallest * 1.001) {
          ++result_.steepStrips;
          best = std::move(next), goodCusp = shown, good = step;
          break;
        }
        double wish = step * std::clamp(std::sqrt(kAim * target_ / h), 0.2, 0.995);
        if (wish <= good) wish = 0.5 * (good + bad);
        step = std::max(wish, smallest);
      }
    }
    if (good == 0) {
      // Not met within the tries: take the smallest step and say so.
      best = passAt(std::min(stop, last.level + std::max(step, smallest)), &last);
      const double h = measureStrip(last, best, &places);
      goodCusp = std::max(h, places.highest);
      if (h > target_) ++result_.steepStrips;
    }
    used = goodCusp;
    return best;
  }

  /// In a hollow of radius r the contact of a ball R runs r / (r - R) times as fast as its tip: the tip gives way.
  void slowContacts(Path& path) const {
    auto& l = path.locations;
    for (std::size_t i = 1; i < l.size(); ++i) {
      if (l[i].motion != Motion::Cut || (l[i - 1].motion != Motion::Cut && l[i - 1].motion != Motion::LeadIn)) continue;
      const double tip = (l[i].tip - l[i - 1].tip).norm(), contact = (l[i].contact - l[i - 1].contact).norm();
      if (contact > tip) l[i].feed = o_.feed * std::max(kSlowest, tip / contact);
    }
  }

  void tell() {
    if (result_.blocked > 0)
      result_.path.notes.push_back(
          fmt::format("{} places of the passes cannot be touched because something else is in the way", result_.blocked));
    if (result_.steepStrips > 0)
      result_.path.notes.push_back(fmt::format("{} strips are too steep across the passes for the promised cusp: give the steep ground "
                                               "passes of another angle",
                                               result_.steepStrips));
  }

  const Part& part_;
  const Profile& profile_;
  const PassOptions& o_;
  Progress& progress_;
  PassMemory* memory_; ///< null: none
  double target_, guess_, station_;
  Ground ground_;
  ContactMesh contacts_;
  Placing placing_;
  LevelLines lines_;
  ContactCurves curves_;
  PassMaker maker_;
  EvenPoints even_;
  PassPlan result_;
  double w0_ = 0, w1_ = 0;
};

} // namespace

std::vector<double> closerLevels(const std::vector<double>& levels, const std::vector<double>& over, double smallest) {
  std::vector<double> sorted = over;
  std::sort(sorted.begin(), sorted.end());
  std::vector<double> out;
  for (std::size_t i = 0; i < levels.size(); ++i) {
    out.push_back(levels[i]);
    if (i + 1 == levels.size()) break;
    const auto first = std::upper_bound(sorted.begin(), sorted.end(), levels[i] + smallest),
               last = std::lower_bound(first, sorted.end(), levels[i + 1] - smallest);
    if (first != last) out.push_back(*(first + (last - first) / 2));
  }
  return out;
}

std::vector<std::vector<Vec3>> linesInto(const std::vector<Vec3>& places, const std::vector<Vec3>& slopes, double length) {
  assert(places.size() == slopes.size());
  std::vector<std::vector<Vec3>> out;
  for (std::size_t i = 0; i < places.size(); ++i) {
    const auto beside = [&](const std::vector<Vec3>& line) { return (line.front() - places[i]).norm() < 0.5 * length; };
    if (slopes[i].norm() > 0 && std::none_of(out.begin(), out.end(), beside))
      out.push_back({places[i], places[i] + length * slopes[i].normalized()});
  }
  return out;
}

std::vector<ShortPass> shortPasses(const std::vector<double>& over, const std::vector<Vec3>& places, double step, double least) {
  assert(over.size() == places.size() && step > 0);
  std::vector<std::size_t> order(over.size());
  for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
  std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return over[a] < over[b]; });
  std::vector<ShortPass> out;
  for (std::size_t i = 0, j = 0; i < order.size(); i = j) {
    while (j < order.size() && over[order[j]] - over[order[i]] <= step / 3) ++j;
    ShortPass s{std::max(over[order[(i + j) / 2]], least), {}};
    for (std::size_t k = i; k < j; ++k) s.places.push_back(places[order[k]]);
    out.push_back(std::move(s));
  }
  return out;
}

PassPlan planLevelPasses(const Part& part, const Profile& profile, const SurfaceField& field, const PassOptions& options,
                         Progress& progress, PassMemory* memory) {
  assert(isUnit(options.up) && std::is_sorted(options.levels.begin(), options.levels.end()));
  if (!(options.cusp > 0))
    throw Error(Fault::OutOfRange, "The cusp must be more than 0", "passes", "Promise a cusp, for instance 2 um.").mendedBy("cusp_mm");
  if (options.cusp > profile.maxRadius())
    throw Error(Fault::OutOfRange, "The cusp is larger than the cutter", "passes", "Promise a smaller cusp or choose a larger cutter.")
        .mendedBy("cusp_mm");
  if (options.shortest > options.longest)
    throw Error(Fault::OutOfRange, "Blocks would have to be longer than they may be", "passes",
                "Let points lie nearer to each other at least than at most.")
        .mendedBy("least_point_distance_mm");
  if (options.spiral && options.evenPoints > 0)
    throw Error(Fault::Cannot, "Even points lie beside those of the pass before, and a spiral is one pass", "passes",
                "Leave one of the two out.")
        .mendedBy("even_points_mm");
  if (options.fewest && options.evenPoints > 0)
    throw Error(Fault::Cannot, "Even points lie beside those of the pass before, so they cannot be the fewest", "passes",
                "Leave one of the two out.")
        .mendedBy("fewest_points");
  if (options.fillet > 0 && !(profile.ballRadius() > 0 && options.fillet > profile.ballRadius()))
    throw Error(Fault::OutOfRange, "Corners are left rounded by balls only, and to more than their radius", "passes",
                "Choose a ball, or a larger radius.")
        .mendedBy("virtual_fillet_mm");
  if (!(options.chord > 0))
    throw Error(Fault::OutOfRange, "The chord tolerance must be more than 0", "passes", "Give a tolerance.").mendedBy("chord_mm");
  return Planner(part, profile, field, options, progress, memory).plan();
}

} // namespace hemline
