#include "strategy/parallel.h"
#include "base/threads.h"
#include "base/units.h"
#include "strategy/strip.h"
#include <fmt/format.h>

namespace hemline {
namespace {

constexpr double kReserve = 0.975;    // of the promise: what may hide between the places where a strip is measured
constexpr double kOutermost = 1e-4;   // mm: how near to the end of the ground its outermost pass lies, in plan
constexpr double kSummit = 0.9;       // of the aim: lower summits of a strip are not climbed
constexpr double kRise = 0.002;       // of the aim: less than this is level
constexpr double kAim = 0.985;        // share of the rest that a new strip aims at
constexpr double kEnough = 0.95;      // a strip that uses at least this share is accepted
constexpr double kNarrow = 0.4;       // share of the spacing on level ground below which a strip is narrow
constexpr int kTries = 7;             // corrections per strip
constexpr double kOnBorder = 1e-6;    // mm
constexpr double kChordShare = 0.7;   // of the chord tolerance: a kink beside the middle may lie farther off than the middle
constexpr double kBreakTurn = 0.0873; // radians between neighbours at which a pass is broken (5 degrees)
constexpr double kStraight = 1e-8;    // mm: places that lie off a block by no more are left out of it
constexpr double kSame = 1e-12;       // axes and normals that differ by no more are one
constexpr double kBlock = 4;          // cutter radii: no block is made longer by that

struct Border {
  Vec3 a, b, normal; ///< of the facet inside
};

class Planner {
public:
  Planner(const Part& part, const Profile& profile, const ParallelOptions& o, Progress& progress, PassMemory* memory)
      : part_(part), profile_(profile), o_(o), progress_(progress), memory_(memory),
        field_(part, profile, planFrame(o.up, o.angle), o.tilt, o.allowance),
        region_(regionFacets(part, o.region, o.up, "parallel passes")) {}

  ParallelResult plan() {
    target_ = kReserve * o_.cusp;
    findExtent();
    findBorder();
    std::vector<Pass> passes;
    if (!o_.at.empty()) {
      for (const double w : o_.at) {
        progress_.report((w - w0_) / (w1_ - w0_), fmt::format("pass {} of {}", passes.size() + 1, o_.at.size()));
        passes.push_back(remembered(w));
        if (passes.size() == 1) continue;
        Pass& last = passes[passes.size() - 2];
        result_.spacing.push_back(w - last.w);
        const double* known = knownStrip(last.w, w);
        result_.stripCusp.push_back(known ? *known : measureStrip(last, passes.back(), nullptr));
        last.sweep.reset();
      }
    } else
      march(passes);
    for (const Pass& p : passes) result_.at.push_back(p.w), result_.lifted += p.lifted;
    link(passes);
    if (memory_) remember(passes);
    return std::move(result_);
  }

private:
  Pass remembered(double w) {
    if (memory_)
      if (auto node = memory_->passes.extract(w)) return std::move(node.mapped());
    return makePass(w);
  }
  const double* knownStrip(double a, double b) const {
    if (!memory_) return nullptr;
    const auto at = memory_->strips.find({a, b});
    return at == memory_->strips.end() ? nullptr : &at->second;
  }
  void remember(std::vector<Pass>& passes) {
    memory_->strips.clear();
    for (std::size_t i = 1; i < passes.size(); ++i) memory_->strips[{passes[i - 1].w, passes[i].w}] = result_.stripCusp[i - 1];
    memory_->passes.clear();
    for (Pass& p : passes) {
      p.sweep.reset();
      const double w = p.w;
      memory_->passes.emplace(w, std::move(p));
    }
  }

  void march(std::vector<Pass>& passes) {
    passes.push_back(makePass(w0_));
    double step = firstGuess();
    const double smallest = step / 40, largest = std::max(profile_.maxRadius() * 0.7, step);
    while (passes.back().w < w1_ - 1e-9) {
      Pass& last = passes.back();
      progress_.report((last.w - w0_) / (w1_ - w0_), fmt::format("pass {}", passes.size()));
      double used = 0;
      Pass next = nextPass(last, step, smallest, largest, used);
      result_.spacing.push_back(next.w - last.w);
      result_.stripCusp.push_back(used);
      step = std::clamp(next.w - last.w, smallest, largest);
      last.sweep.reset();
      passes.push_back(std::move(next));
    }
  }

  void findExtent() {
    u0_ = w0_ = kInfinity, u1_ = w1_ = -kInfinity;
    const Mesh& mesh = part_.mesh;
    const auto grow = [&](const Vec2& p) {
      u0_ = std::min(u0_, p.x()), u1_ = std::max(u1_, p.x());
      w0_ = std::min(w0_, p.y()), w1_ = std::max(w1_, p.y());
    };
    for (std::size_t t = 0; t < region_.size(); ++t)
      if (region_[t])
        for (std::size_t k = 0; k < 3; ++k) grow(field_.planFor(mesh.corner(t, k), measuringNormal(part_, t)));
    if (o_.tilt.follow) { // the contact itself runs to the border: a hair inside it the ground is surely there
      const double in = std::min(1e-6, 0.1 * (w1_ - w0_));
      w0_ += in, w1_ -= in;
    }
    top_ = part_.mesh.bounds().diagonal() + std::abs(part_.mesh.bounds().center().dot(o_.up)) + 1;
    station_ = std::clamp(profile_.maxRadius() / 8, 0.05, 1.0);
    const double hair = std::min(1e-6, 0.1 * (u1_ - u0_));
    r0_ = u0_ + hair, r1_ = u1_ - hair;
    u0_ -= firstGuess(), u1_ += firstGuess();
  }

  /// Passes run on past the region's border by one spacing, so that the border itself is finished as the rest is.
  void findBorder() {
    const Mesh& mesh = part_.mesh;
    for (const MeshEdge& e : meshEdges(mesh)) {
      const bool a = e.left >= 0 && region_[static_cast<std::size_t>(e.left)],
                 b = e.right >= 0 && region_[static_cast<std::size_t>(e.right)];
      if (a == b) continue;
      border_.push_back({mesh.points[static_cast<std::size_t>(e.a)], mesh.points[static_cast<std::size_t>(e.b)],
                         measuringNormal(part_, static_cast<std::size_t>(a ? e.left : e.right))});
    }
    std::vector<Box> boxes(border_.size());
    for (std::size_t i = 0; i < boxes.size(); ++i) boxes[i].add(border_[i].a), boxes[i].add(border_[i].b);
    borderTree_ = BoxTree(boxes);
    overrun_ = firstGuess();
  }

  /// Is the contact within `reach` of the border? With `steady`, only if its normal is still about that of the facet inside.
  bool nearBorder(const Location& l, double reach, bool steady) const {
    double best = reach;
    bool near = false;
    borderTree_.minimise([&](const Vec3& c, const Vec3& h) { return ((l.contact - c).cwiseAbs() - h).cwiseMax(0.0).norm(); },
                         [&](int i) {
                           const Border& e = border_[static_cast<std::size_t>(i)];
                           Vec3 on, off;
                           const double d = distanceSegments(l.contact, l.contact, e.a, e.b, on, off);
                           if (d < best && (!steady || l.normal.dot(e.normal) >= kSwing)) best = d, near = true;
                         },
                         best);
    return near;
  }

  /// A first spacing from the curvature at the contact on level ground; measuring corrects it.
  double firstGuess() const {
    double k = 0;
    for (const ProfilePiece& p : profile_.pieces())
      if (p.radius > 0) k = std::max(k, p.radius);
    const double R = k > 0 ? std::min(k, 50.0) : profile_.maxRadius();
    return std::min(std::sqrt(8 * target_ * R), 0.5 * profile_.maxRadius());
  }

  bool wanted(const Location& l, int triangle) const {
    if (triangle < 0) return false;
    // On an edge the contact's normal swings from one facet's to the other's. Inside the region such places are needed;
    // on its border the pass follows a little way round, not down the side.
    const auto t = static_cast<std::size_t>(triangle);
    const bool inside = region_[t] && (l.normal.dot(measuringNormal(part_, t)) >= kSwing || !nearBorder(l, kOnBorder, false));
    if (!inside && !nearBorder(l, overrun_, true)) return false;
    if (o_.region.boundary.empty()) return true;
    const Vec2 at = o_.region.plan(o_.region.meaning == BoundaryMeaning::Contact ? l.contact : l.tip);
    if (!insidePolygon(o_.region.boundary, at)) return false;
    return o_.region.meaning != BoundaryMeaning::WholeCutter || distanceToPolygon(o_.region.boundary, at) >= profile_.maxRadius();
  }

  std::optional<Location> place(double u, double w, int& hint, bool& lifted) const {
    double lift = 0;
    auto l = field_.at(u, w, hint, &lift);
    if (!l || !wanted(*l, hint)) return std::nullopt;
    lifted = lift > std::max(o_.chord, 1e-6);
    return l;
  }

  double deviation(const Location& a, const Location& b, const Location& mid) const {
    const auto off = [](const Vec3& p, const Vec3& q, const Vec3& x) {
      const Vec3 d = q - p;
      const double l = d.squaredNorm();
      const double t = l > 0 ? std::clamp((x - p).dot(d) / l, 0.0, 1.0) : 0;
      return (x - p - t * d).norm();
    };
    const double R = std::min(profile_.maxRadius(), profile_.length());
    double dev = off(a.tip, b.tip, mid.tip);
    if (o_.tilt.follow) dev = std::max(dev, off(a.tip + R * a.axis, b.tip + R * b.axis, mid.tip + R * mid.axis));
    return dev;
  }

  void refine(const Station& a, const Station& b, double w, int depth, Run& out, int& hint) const {
    if (depth > 0 && b.u - a.u > 1e-3) {
      // What lies between two places of a pass belongs to it, whether asked for or not: it must not be cut across.
      // A curve is farthest from its chord in the middle; where the normals say there is a kink, look beside it too.
      const double u = 0.5 * (a.u + b.u);
      const bool kink = angleBetween(a.at.normal, b.at.normal) > 0.02;
      if (auto mid = field_.at(u, w, hint)) {
        bool split = deviation(a.at, b.at, *mid) > o_.chord * kChordShare;
        for (const double x : {0.25, 0.75})
          if (kink && !split)
            if (auto beside = field_.at(a.u + x * (b.u - a.u), w, hint)) split = deviation(a.at, b.at, *beside) > o_.chord * kChordShare;
        if (split) {
          const Station m{u, *mid};
          refine(a, m, w, depth - 1, out, hint);
          refine(m, b, w, depth - 1, out, hint);
          return;
        }
      }
    }
    out.push_back(b);
  }

  /// Last good place between a good and a bad one, to 0.1 um.
  Station limit(Station good, double bad, double w, int hint) const {
    while (std::abs(bad - good.u) > 1e-4) {
      const double u = 0.5 * (good.u + bad);
      bool lifted = false;
      if (auto l = place(u, w, hint, lifted))
        good = {u, *l};
      else
        bad = u;
    }
    return good;
  }

  Pass makePass(double w) {
    Pass pass;
    pass.w = w;
    const std::size_t n = static_cast<std::size_t>(std::ceil((u1_ - u0_) / station_)) + 1;
    const double du = n > 1 ? (u1_ - u0_) / static_cast<double>(n - 1) : 0;
    std::vector<std::optional<Location>> at(n);
    std::vector<char> lifted(n, 0);
    const auto uOf = [&](std::size_t i) { return u0_ + du * static_cast<double>(i); };
    parallelChunks(n, 32, [&](std::size_t first, std::size_t last) {
      progress_.check();
      int hint = -1;
      for (std::size_t i = first; i < last; ++i) {
        bool up = false;
        at[i] = place(uOf(i), w, hint, up);
        lifted[i] = up;
      }
    });
    // Between stations: points where the chord tolerance asks for them.
    std::vector<Run> between(n);
    parallelChunks(n - 1, 32, [&](std::size_t first, std::size_t last) {
      progress_.check();
      int hint = -1;
      for (std::size_t i = first; i < last; ++i) {
        if (at[i] && at[i + 1])
          refine({uOf(i), *at[i]}, {uOf(i + 1), *at[i + 1]}, w, 12, between[i], hint);
        else if (at[i])
          refine({uOf(i), *at[i]}, limit({uOf(i), *at[i]}, uOf(i + 1), w, hint), w, 12, between[i], hint);
        else if (at[i + 1]) {
          const Station start = limit({uOf(i + 1), *at[i + 1]}, uOf(i), w, hint);
          between[i].push_back(start);
          refine(start, {uOf(i + 1), *at[i + 1]}, w, 12, between[i], hint);
        }
      }
    });
    Run run;
    const auto close = [&] {
      if (run.size() > 1) pass.runs.push_back(withoutPlacesOnLines(run));
      run.clear();
    };
    for (std::size_t i = 0; i < n; ++i) {
      if (at[i]) {
        if (run.empty() && i > 0 && !between[i - 1].empty() && !at[i - 1]) run = between[i - 1];
        if (run.empty() || run.back().u < uOf(i)) run.push_back({uOf(i), *at[i]});
        pass.lifted += static_cast<std::size_t>(lifted[i]);
        if (i + 1 < n)
          for (const Station& s : between[i]) {
            if (!run.empty() && angleBetween(run.back().at.axis, s.at.axis) > kBreakTurn) close();
            if (run.empty() || s.u > run.back().u) run.push_back(s);
          }
      }
      if (!at[i] || i + 1 == n) close();
    }
    close();
    return pass;
  }

  /// Over plane ground a pass is straight, and what touches does not turn: the same pass, and the same contacts, in fewer blocks.
  Run withoutPlacesOnLines(const Run& run) const {
    const double longest = kBlock * profile_.maxRadius();
    const auto same = [](const Vec3& a, const Vec3& b) { return (a - b).squaredNorm() <= kSame * kSame; };
    const auto straight = [&](std::size_t first, std::size_t last) {
      const Location &a = run[first].at, &b = run[last].at;
      const Vec3 way = b.tip - a.tip;
      const double length = way.norm();
      if (!(length <= longest) || !same(a.axis, b.axis) || !same(a.normal, b.normal)) return false;
      double before = 0;
      for (std::size_t i = first + 1; i < last; ++i) {
        const Vec3 off = run[i].at.tip - a.tip;
        const double along = off.dot(way) / length;
        if (!(along >= before && along <= length && (off - along / length * way).norm() <= kStraight)) return false;
        before = along;
      }
      return true;
    };
    Run out{run.front()};
    for (std::size_t i = 1, from = 0; i < run.size(); ++i)
      if (i + 1 == run.size() || !same(run[i].at.axis, run[from].at.axis) || !same(run[i].at.normal, run[from].at.normal) ||
          !straight(from, i + 1))
        out.push_back(run[i]), from = i;
    return out;
  }

  static Path pathOf(const Pass& pass) {
    Path path;
    for (const Run& run : pass.runs)
      for (std::size_t i = 0; i < run.size(); ++i) {
        path.locations.push_back(run[i].at);
        path.locations.back().motion = i == 0 ? Motion::Rapid : Motion::Cut;
      }
    return path;
  }

  /// Places of one strip, per station, while its width is looked for.
  struct Places {
    double step = 0;           ///< width that the next is compared with
    std::vector<double> cusp;  ///< at that width
    std::vector<char> givenUp; ///< a narrower strip does not lower them: measuring the surface has to say what they are
    double highest = 0;        ///< of all places of the strip that was measured last, given up or not
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
    const bool compare = step < kClearly * places.step, narrow = step < kNarrow * firstGuess();
    std::size_t over = 0;
    for (std::size_t i = 0; i < cusp.size(); ++i) over += high(i);
    const bool few = static_cast<double>(over) <= kFew * static_cast<double>(cusp.size());
    const double much = step < 0.4 * kNarrow * firstGuess() ? target_ : kMuch * target_;
    for (std::size_t i = 0; few && i < cusp.size(); ++i)
      if (high(i) &&
          ((narrow && cusp[i] > much) || (compare && places.cusp[i] > target_ && cusp[i] > std::sqrt(step / places.step) * places.cusp[i])))
        places.givenUp[i] = 1;
    if (compare || places.step == 0) places.step = step, places.cusp = cusp;
    for (std::size_t i = 0; i < cusp.size(); ++i)
      if (places.givenUp[i]) cusp[i] = 0;
  }

  /// Largest cusp of the strip between two passes; while its width is looked for, but for the places given up.
  double measureStrip(Pass& a, Pass& b, Places* places) {
    if (!a.sweep) a.sweep = std::make_unique<Sweep>(profile_, pathOf(a));
    if (!b.sweep) b.sweep = std::make_unique<Sweep>(profile_, pathOf(b));
    if (a.sweep->size() == 0 || b.sweep->size() == 0) return 0;
    const std::size_t n = static_cast<std::size_t>(std::ceil((u1_ - u0_) / station_)) + 1;
    const double du = n > 1 ? (u1_ - u0_) / static_cast<double>(n - 1) : 0;
    // Spread within the station by the golden ratio, so that the places never keep step with the facets; what lies beyond
    // the region's extent is asked on its very border.
    const auto placeOf = [&](std::size_t i) {
      const double phase = static_cast<double>(i) * 0.6180339887498949;
      return std::clamp(u0_ + du * (static_cast<double>(i) + phase - std::floor(phase)), r0_, r1_);
    };
    const Ground ground{part_, field_, region_, o_.allowance, o_.cusp, target_, top_};
    const bool ball = profile_.ballRadius() > 0; // the rays of other profiles are too slow for a second look
    std::vector<double> cusp(n, 0);
    parallelChunks(n, 32, [&](std::size_t first, std::size_t end) {
      progress_.check();
      Strip strip(ground, a, b);
      double before = 0;
      Strip::Ends last;
      for (std::size_t i = first; i < end; ++i) {
        const double u = placeOf(i);
        Strip::Ends now, between;
        cusp[i] = strip.cuspAt(u, now);
        // Where a contact runs ahead of the tip (hollow ground) or swings over an edge, the crest changes faster: look between.
        if (i > first && u > before && ball) {
          const double run = std::max((now.a - last.a).norm(), (now.b - last.b).norm()) / (u - before);
          const double swing = std::max((now.normalA - last.normalA).norm(), (now.normalB - last.normalB).norm());
          const int parts = std::min(12, std::max(static_cast<int>(3 * run), static_cast<int>(40 * swing)));
          for (int k = 1; k < parts; ++k) cusp[i] = std::max(cusp[i], strip.cuspAt(before + (u - before) * k / parts, between));
        }
        before = u, last = now;
      }
    });
    if (places) places->highest = *std::max_element(cusp.begin(), cusp.end()), giveUp(*places, b.w - a.w, cusp);
    double worst = *std::max_element(cusp.begin(), cusp.end());
    if (!ball || worst > target_) return worst;
    // The strip would be accepted: climb its summits, which lie between the places looked at.
    std::vector<std::size_t> summits;
    for (std::size_t i = 1; i + 1 < n; ++i)
      if (cusp[i] > kSummit * target_ && cusp[i] >= cusp[i - 1] && cusp[i] >= cusp[i + 1] &&
          cusp[i] > std::min(cusp[i - 1], cusp[i + 1]) + kRise * target_)
        summits.push_back(i);
    std::vector<double> tops(summits.size(), 0);
    parallelChunks(summits.size(), 4, [&](std::size_t first, std::size_t end) {
      progress_.check();
      Strip strip(ground, a, b);
      Strip::Ends ends;
      for (std::size_t k = first; k < end; ++k) {
        double at = placeOf(summits[k]), reach = du;
        for (int round = 0; round < 2; ++round, reach *= 0.25) {
          const double middle = at;
          for (int i = -4; i <= 4; ++i)
            if (const double u = std::clamp(middle + 0.25 * i * reach, r0_, r1_), h = i == 0 ? 0 : strip.cuspAt(u, ends); h > tops[k])
              tops[k] = h, at = u;
        }
      }
    });
    for (const double h : tops) worst = std::max(worst, h);
    return worst;
  }

  Pass nextPass(Pass& last, double guess, double smallest, double largest, double& used) {
    // Beside a pass that meets nothing a strip says nothing: ground narrow in plan (hollows) must not be leapt over.
    const double careful = firstGuess();
    // Where the strip before was very narrow it is asked anew whether narrow strips help at all.
    if (guess < 0.5 * kNarrow * careful) guess = 0.9 * kNarrow * careful;
    Places places;
    double step = last.runs.empty() ? std::min(guess, careful) : guess, good = 0, bad = kInfinity, goodCusp = 0;
    Pass best;
    for (int k = 0; k < kTries; ++k) {
      const bool end = last.w + step >= w1_;
      Pass next = makePass(end ? w1_ : last.w + step);
      step = next.w - last.w;
      if (next.runs.empty() && step > careful * 1.001) {
        step = careful;
        continue;
      }
      if (next.runs.empty() != last.runs.empty()) {
        // Where the ground begins or ends: the outermost pass that still touches it.
        double empty = last.runs.empty() ? last.w : next.w, full = last.runs.empty() ? next.w : last.w;
        Pass outermost;
        while (std::abs(full - empty) > kOutermost) {
          Pass mid = makePass(0.5 * (full + empty));
          (mid.runs.empty() ? empty : full) = mid.w;
          if (!mid.runs.empty()) outermost = std::move(mid);
        }
        if (last.runs.empty()) {
          if (!outermost.runs.empty()) next = std::move(outermost);
          best = std::move(next);
          return best;
        }
        if (!outermost.runs.empty()) next = std::move(outermost), step = next.w - last.w;
      }
      const double h = measureStrip(last, next, &places), shown = std::max(h, places.highest);
      if (h <= 0 && step > careful * 1.001) {
        step = careful;
        continue;
      }
      const bool besideNothing = next.runs.empty();
      if (h <= target_) {
        if (step > good || best.w <= last.w) good = step, goodCusp = shown, best = std::move(next);
        if (end || besideNothing || h >= kEnough * target_ || step >= largest * 0.999) break;
        double grow = h > 0 ? std::sqrt(kAim * target_ / h) : 2.0;
        double wish = std::min(step * std::min(grow, 2.0), h > 0 ? largest : std::max(step, careful));
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
      best = makePass(std::min(w1_, last.w + std::max(step, smallest)));
      const double h = measureStrip(last, best, &places);
      goodCusp = std::max(h, places.highest);
      if (h > target_) ++result_.steepStrips;
    }
    used = goodCusp;
    return best;
  }

  void goTo(const Location& start) {
    auto& l = result_.path.locations;
    const auto rapid = [&](const Vec3& tip, const Vec3& axis) {
      Location r;
      r.tip = tip, r.axis = axis, r.motion = Motion::Rapid;
      l.push_back(r);
    };
    const auto high = [&](const Vec3& tip) { return Vec3(tip + (o_.safeHeight - tip.dot(o_.up)) * o_.up); };
    if (!l.empty()) {
      Location off = l.back();
      off.tip += o_.approach * off.axis;
      off.motion = Motion::LeadOut, off.feed = o_.feed, off.pass = -1, off.normal = off.contact = Vec3::Zero();
      l.push_back(off);
      rapid(high(off.tip), off.axis);
    }
    const Vec3 above = start.tip + o_.approach * start.axis;
    rapid(high(above), start.axis);
    rapid(above, start.axis);
    Location in = start;
    in.motion = Motion::LeadIn, in.feed = o_.plungeFeed;
    l.push_back(in);
  }

  /// Follows the surface from the end of one run to the start of the next, if the cutter may stay down.
  bool stayDown(double u0, double w0, double u1, double w1, const Location& to) {
    const double reach = std::hypot(u1 - u0, w1 - w0);
    if (reach > 2.5 * profile_.maxRadius()) return false;
    // As fine as the chord tolerance asks, like the passes themselves.
    std::vector<Location> link;
    int hint = -1;
    bool lifted = false;
    const std::function<bool(double, const Location&, double, const Location&, int)> between = [&](double x0, const Location& a, double x1,
                                                                                                   const Location& b, int depth) {
      const double x = 0.5 * (x0 + x1);
      const auto mid = place(u0 + x * (u1 - u0), w0 + x * (w1 - w0), hint, lifted);
      if (!mid) return false;
      if (depth > 0 && deviation(a, b, *mid) > o_.chord * kChordShare)
        return between(x0, a, x, *mid, depth - 1) && between(x, *mid, x1, b, depth - 1);
      link.push_back(b);
      return true;
    };
    const Location from0 = result_.path.locations.back();
    const int n = std::max(1, static_cast<int>(std::ceil(reach / station_)));
    Location before = from0;
    for (int i = 1; i <= n; ++i) {
      const double x = double(i) / n;
      const auto stop = i == n ? std::optional<Location>(to) : place(u0 + x * (u1 - u0), w0 + x * (w1 - w0), hint, lifted);
      if (!stop || !between(double(i - 1) / n, before, x, *stop, 10)) return false;
      before = *stop;
    }
    for (Location& l : link) l.motion = Motion::Link, l.feed = o_.feed, l.pass = -1;
    for (std::size_t i = 0; i < link.size(); ++i) {
      const Location& from = i == 0 ? from0 : link[i - 1];
      if (angleBetween(from.axis, link[i].axis) > kBreakTurn) return false;
    }
    for (const Location& l : link) result_.path.locations.push_back(l);
    return true;
  }

  void link(const std::vector<Pass>& passes) {
    // Runs of neighbouring passes that overlap are cut one after the other, so that the cutter can stay down.
    struct Ref {
      std::size_t pass, run;
    };
    std::vector<std::vector<Ref>> chains;
    std::vector<std::size_t> open;
    for (std::size_t p = 0; p < passes.size(); ++p) {
      std::vector<std::size_t> nextOpen;
      std::vector<char> taken(open.size(), 0);
      for (std::size_t r = 0; r < passes[p].runs.size(); ++r) {
        const Run& run = passes[p].runs[r];
        std::size_t chain = chains.size();
        for (std::size_t k = 0; k < open.size() && chain == chains.size(); ++k) {
          const Ref& end = chains[open[k]].back();
          const Run& other = passes[end.pass].runs[end.run];
          if (!taken[k] && run.front().u <= other.back().u && other.front().u <= run.back().u) {
            taken[k] = 1;
            chain = open[k];
          }
        }
        if (chain == chains.size()) chains.emplace_back();
        chains[chain].push_back({p, r});
        nextOpen.push_back(chain);
      }
      open = nextOpen;
    }
    for (const auto& chain : chains) {
      bool forward = true, first = true;
      double u = 0, w = 0;
      for (const Ref& ref : chain) {
        progress_.check();
        Run run = passes[ref.pass].runs[ref.run];
        if (!forward) std::reverse(run.begin(), run.end());
        const double wRun = passes[ref.pass].w;
        if (first || !o_.zigzag || !stayDown(u, w, run.front().u, wRun, run.front().at)) goTo(run.front().at);
        first = false;
        for (std::size_t i = 1; i < run.size(); ++i) {
          Location l = run[i].at;
          l.motion = Motion::Cut, l.feed = o_.feed, l.pass = static_cast<int>(ref.pass);
          result_.path.locations.push_back(l);
        }
        u = run.back().u, w = wRun;
        if (o_.zigzag) forward = !forward;
      }
    }
    auto& l = result_.path.locations;
    if (l.empty()) throw Error("No pass touches the surface asked for", "parallel passes", "Check region, boundary and cutter.");
    Location off = l.back();
    off.tip += o_.approach * off.axis;
    off.motion = Motion::LeadOut, off.feed = o_.feed, off.pass = -1, off.normal = off.contact = Vec3::Zero();
    l.push_back(off);
    Location up = off;
    up.tip += (o_.safeHeight - up.tip.dot(o_.up)) * o_.up;
    up.motion = Motion::Rapid, up.feed = 0;
    l.push_back(up);
    if (result_.lifted > 0)
      result_.path.notes.push_back(
          fmt::format("{} locations were lifted along the axis because something else was in the way", result_.lifted));
    if (result_.steepStrips > 0)
      result_.path.notes.push_back(fmt::format("{} strips are too steep across the passes for the promised cusp: give the steep ground "
                                               "passes of another angle",
                                               result_.steepStrips));
  }

  const Part& part_;
  const Profile& profile_;
  const ParallelOptions& o_;
  Progress& progress_;
  PassMemory* memory_; ///< null: none
  PoseField field_;
  std::vector<char> region_;
  std::vector<Border> border_;
  BoxTree borderTree_;
  double overrun_ = 0;
  ParallelResult result_;
  double u0_ = 0, u1_ = 0, r0_ = 0, r1_ = 0, w0_ = 0, w1_ = 0, station_ = 0.5, target_ = 0, top_ = 0;
};

} // namespace

std::vector<double> closerPasses(const std::vector<double>& at, const std::vector<double>& over, double smallest) {
  std::vector<double> sorted = over;
  std::sort(sorted.begin(), sorted.end());
  std::vector<double> out;
  for (std::size_t i = 0; i < at.size(); ++i) {
    out.push_back(at[i]);
    if (i + 1 == at.size()) break;
    const auto first = std::upper_bound(sorted.begin(), sorted.end(), at[i] + smallest),
               last = std::lower_bound(first, sorted.end(), at[i + 1] - smallest);
    if (first != last) out.push_back(*(first + (last - first) / 2));
  }
  return out;
}

ParallelResult planParallel(const Part& part, const Profile& profile, const ParallelOptions& options, Progress& progress,
                            PassMemory* memory) {
  assert(isUnit(options.up) && std::is_sorted(options.at.begin(), options.at.end()));
  if (!(options.cusp > 0)) throw Error("The cusp must be more than 0", "parallel passes", "Promise a cusp, for instance 2 um.");
  if (options.cusp > profile.maxRadius())
    throw Error("The cusp is larger than the cutter", "parallel passes", "Promise a smaller cusp or choose a larger cutter.");
  if (!(options.chord > 0)) throw Error("The chord tolerance must be more than 0", "parallel passes", "Give a tolerance.");
  return Planner(part, profile, options, progress, memory).plan();
}

} // namespace hemline
