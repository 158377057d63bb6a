#include "base/threads.h"
#include "proof/clearance.h"
#include "proof/motions.h"

namespace hemline {

namespace {

constexpr double kNothing = 1e-6;  // mm
constexpr double kFarthest = 20;   // mm: nothing is looked for farther away
constexpr double kShortest = 0.02; // mm: a move that gets no farther from its middle is split no more
constexpr double kGrazes = 0.06;   // radians: so much of a ring may lie in a wall that it only slides along
constexpr double kStretch = 12;    // cells: removal is told over so much of the path
constexpr double kGrazed = 0.1;    // squares of the stock's cell: a way that removes less of a section has no arc
constexpr double kChance = 0.02;   // of the cutter's section: an entry that removes less than that of what it goes down by grazes
constexpr double kFine = 0.25;     // of a cell: a move that gets no farther than this from its middle is not split for the least alone

class StockProver {
public:
  StockProver(Stock& s, const Assembly& a, const Path& p, const OtherWays& ways, bool engagement, const ClearanceOptions& o,
              Progress& progress, CutReport& out)
      : stock_(s), assembly_(a), path_(p), ways_(ways), engagement_(engagement), o_(o), progress_(progress),
        out_(out), bodies_{&a.bodies, nullptr, a.reach}, whole_{&a.bodies, &a.profile, a.reach}, motions_{p, a.reach} {
    out_.clearance.least.value = out_.clearance.least.bound = kInfinity;
    out_.clearance.least.known = true;
  }

  void run() {
    const std::size_t n = path_.locations.size();
    out_.moves.resize(n);
    for (std::size_t i = 1; i < n;) {
      std::size_t j = i + 1;
      const bool rapid = path_.locations[i].motion == Motion::Rapid;
      if (!path_.knowsWayTo(i)) {
        ++i;
        continue;
      }
      while (j < n && j - i < 4096 && (path_.locations[j].motion == Motion::Rapid) == rapid && path_.knowsWayTo(j)) ++j;
      moves(i, j, rapid);
      i = j;
      progress_.report(double(i) / double(n), "cutting the stock");
    }
    closeStretch();
    out_.airShare = cutLength_ > 0 ? airLength_ / cutLength_ : 0;
    if (out_.stretch > 0 && cutLength_ > airLength_) out_.meanSection = inCut_ / (cutLength_ - airLength_);
    out_.meanEngagement = cutLength_ > airLength_ ? arcLength_ / (cutLength_ - airLength_) : 0;
  }

private:
  /// Distance that has to be shown for the bodies now: what is promised; or, where nothing came nearer so far, all but the least that was
  /// met. The least is found to two cells or a tenth of it.
  double needed() const {
    const double promised = o_.wanted + o_.uncertainty;
    return std::max(promised, std::min(low_ - std::max(stock_.cell(), 0.1 * low_), kFarthest));
  }

  void moves(std::size_t first, std::size_t last, bool rapid) {
    progress_.check();
    if (last - first > 1) {
      Vec3 tip, axis;
      motions_.middle(first, last, tip, axis);
      const double r = motions_.radius(tip, axis, first, last);
      if (r < 60 && shows(tip, axis, r) && (!rapid || isFree(tip, axis, r))) {
        if (!rapid) cut(first, last);
        for (std::size_t i = first; rapid && i < last; ++i)
          if (!otherWays(i)) ++out_.clearance.unproven;
        return;
      }
      const std::size_t m = (first + last) / 2;
      moves(first, m, rapid);
      moves(m, last, rapid);
      return;
    }
    const Location &a = path_.locations[first - 1], &b = path_.locations[first];
    bool clear = false;
    std::pair<double, double> most{0, 0}; // arc, depth
    const auto prove = [&] { clear = piece(a.tip, a.axis, b.tip, b.axis, false, first); };
    if (engagement_ && counts(first))
      parallelBoth(prove, [&] { most = largestEngagement(a, b); }); // both only read the stock, and each writes figures of its own
    else
      prove();
    if (rapid) {
      clear = piece(a.tip, a.axis, b.tip, b.axis, true, first) && clear;
      clear = otherWays(first) && clear;
    }
    if (!clear) ++out_.clearance.unproven;
    if (rapid) return;
    if (engagement_)
      cutMove(first, most);
    else
      cutStretches(first, last);
  }

  /// Are the bodies shown to be as far away as needed all within r of this pose? What is met on the way is kept.
  bool shows(const Vec3& tip, const Vec3& axis, double r) {
    const double need = needed(), enough = need + r;
    Vec3 at;
    double met = kInfinity;
    const double d = stock_.clearance(bodies_, tip, axis, -kInfinity, enough + 1e-9, at, &met);
    keep(d, met, at);
    if (d < enough) return false;
    note(d - r);
    return true;
  }
  /// Nothing may touch: the bound already covers the cell, so that more than 0 is enough.
  bool isFree(const Vec3& tip, const Vec3& axis, double r) const {
    Vec3 at;
    return stock_.clearance(whole_, tip, axis, kNothing + r, kNothing + r + 1e-9, at) >= kNothing + r;
  }
  void keep(double low, double met, const Vec3& at) {
    if (met < kFinite) low_ = std::min(low_, low); // else only how far was looked
    Measured& least = out_.clearance.least;
    if (met < least.value) least.value = met, least.at = at;
  }

  /// The same rapid as the machine may run it, too.
  bool otherWays(std::size_t move) {
    const auto& l = ways_.path.locations;
    const auto [from, to] = std::equal_range(ways_.move.begin(), ways_.move.end(), move);
    bool clear = true;
    for (auto i = static_cast<std::size_t>(from - ways_.move.begin()); i < static_cast<std::size_t>(to - ways_.move.begin()); ++i)
      if (ways_.path.knowsWayTo(i)) clear = piece(l[i - 1].tip, l[i - 1].axis, l[i].tip, l[i].axis, true, move) && clear;
    return clear;
  }

  bool piece(const Vec3& t0, const Vec3& a0, const Vec3& t1, const Vec3& a1, bool rapid, std::size_t move) {
    progress_.check();
    const Vec3 tip = 0.5 * (t0 + t1), axis = slerp(a0, a1, 0.5);
    const double r = 0.5 * (t0 - t1).norm() + 0.5 * motions_.reach * angleBetween(a0, a1);
    const double wanted = rapid ? kNothing : o_.wanted + o_.uncertainty, need = rapid ? kNothing : needed();
    Vec3 at;
    double met = kInfinity;
    const double d = stock_.clearance(rapid ? whole_ : bodies_, tip, axis, rapid ? need : -kInfinity, need + r + 1e-9, at, &met);
    if (!rapid) keep(d, met, at);
    if (d - r >= need || (!rapid && d - r >= wanted && r < std::max(kFine * stock_.cell(), kShortest))) {
      if (!rapid) note(d - r);
      return true;
    }
    if (d < wanted || r < kShortest) {
      if (rapid) {
        out_.clearance.rapidThroughStock = true;
      } else {
        note(d - r);
        if (d + stock_.cell() < 0) out_.clearance.collision = true;
      }
      if (out_.clearance.notClear.size() < 20)
        out_.clearance.notClear.push_back({rapid ? "rapid against stock" : "holder, shank or neck against stock", move, at, d});
      return false;
    }
    const bool left = piece(t0, a0, tip, axis, rapid, move);
    return left && piece(tip, axis, t1, a1, rapid, move);
  }

  void note(double bound) {
    double& least = out_.clearance.least.bound;
    least = std::min(least, bound - o_.uncertainty);
  }

  /// Largest arc in material of any ring, from the tip up as far as they meet stock, and how high that is. Rings lie in planes of the
  /// stock's rays, a little inside the outline, so that the wall that was just cut does not count. Where the axis runs along none of its
  /// fields, or the cut is thinner than their distance, most of a cell inside.
  std::pair<double, double> engagementAt(const Vec3& tip, const Vec3& axis, const Vec3& ahead) {
    const double R = assembly_.profile.maxRadius(), cell = stock_.cell(), rise = std::max(0.1 * R, 0.5 * cell),
                 length = assembly_.profile.length();
    double most = 0, depth = 0;
    const auto look = [&](const std::vector<double>& rings, double inside) {
      int empty = 0;
      for (std::size_t k = 0; k < rings.size() && empty < 2; ++k) {
        const double ring = assembly_.profile.radiusAt(rings[k]) - inside;
        if (ring < 0.25 * R) continue; // near the axis a ring says nothing of the side's load
        const double arc = stock_.arcInside(tip, axis, ahead, ring, rings[k]);
        empty = arc > 0 ? 0 : empty + 1;
        if (arc > kGrazes) depth = std::max(depth, rings[k] + 0.5 * rise);
        most = std::max(most, arc);
      }
    };
    const std::vector<double> rows = stock_.ringHeights(tip, axis, 0.05 * R, length, rise);
    look(rows, 0.1 * cell);
    if (most > 0) return {most, depth};
    std::vector<double> rings;
    for (double high = 0.5 * rise; high < (rows.empty() ? length : rows.front()); high += rise) rings.push_back(high);
    look(rings, 0.75 * cell);
    out_.coarse = std::max(out_.coarse, most);
    return {most, depth};
  }

  void cut(std::size_t first, std::size_t last) {
    if (!engagement_) return cutStretches(first, last);
    for (std::size_t i = first; i < last; ++i) {
      std::pair<double, double> most{0, 0}; // arc, depth
      if (counts(i)) most = largestEngagement(path_.locations[i - 1], path_.locations[i]);
      cutMove(i, most);
    }
  }
  bool counts(std::size_t i) const { return path_.locations[i].motion == Motion::Cut; }

  /// `most`: the largest arc and the depth of a move that counts.
  void cutMove(std::size_t i, std::pair<double, double> most) {
    const Location &a = path_.locations[i - 1], &b = path_.locations[i];
    const double length = (b.tip - a.tip).norm();
    // Ways in and ways between passes are meant to cut nothing, or little; where they do, their arc counts as well.
    const bool aside = (b.motion == Motion::LeadIn || b.motion == Motion::Link) && std::abs((b.tip - a.tip).dot(b.axis)) < kNothing;
    const std::optional<Stock> before = aside ? std::optional(stock_) : std::nullopt;
    const double removed = stock_.cut(assembly_.profile, path_, i, i + 1, &progress_);
    if (aside && removed > kGrazed * stock_.cell() * stock_.cell() * length) {
      Stock after = std::move(stock_);
      stock_ = *before;
      most = largestEngagement(a, b);
      stock_ = std::move(after);
      out_.moves[i] = {static_cast<float>(removed), static_cast<float>(most.first), static_cast<float>(most.second)};
    }
    out_.removed += removed;
    if (b.motion == Motion::Link) out_.linksRemoved += removed;
    if (b.motion == Motion::Entry || b.motion == Motion::LeadIn) entry(a, b, removed);
    if (!counts(i)) return;
    cutLength_ += length;
    ++out_.cutting;
    // A short move may fall between the rays: it cuts if its arc lies in material.
    if (removed < 1e-9 && !(most.first > 0))
      airLength_ += length, ++out_.air;
    else
      arcLength_ += most.first * length;
    out_.depth = std::max(out_.depth, most.second);
    out_.moves[i] = {static_cast<float>(removed), static_cast<float>(most.first), static_cast<float>(most.second)};
  }

  /// Along a move, at places a quarter radius apart: the largest arc and the depth.
  std::pair<double, double> largestEngagement(const Location& a, const Location& b) {
    const double length = (b.tip - a.tip).norm();
    std::pair<double, double> out{0, 0};
    if (!(length > 0)) return out;
    const int n = std::max(1, static_cast<int>(length / (0.25 * assembly_.profile.maxRadius())));
    for (int k = 0; k < n; ++k) {
      const Vec3 tip = a.tip + (b.tip - a.tip) * ((k + 0.5) / n);
      const auto [arc, high] = engagementAt(tip, b.axis, b.tip - a.tip);
      out = {std::max(out.first, arc), std::max(out.second, high)};
      if (arc > out_.engagement) out_.engagement = arc, out_.engagementAt = tip;
    }
    return out;
  }

  /// How steeply a way in goes down into material. Ways down beside the stock graze a cell of it at most.
  void entry(const Location& a, const Location& b, double removed) {
    const Vec3 run = b.tip - a.tip;
    const double down = -run.dot(b.axis), R = assembly_.profile.maxRadius();
    if (down < kNothing || removed < std::max(kChance * kPi * R * R, stock_.cell() * stock_.cell()) * down) return;
    const double slope = std::asin(std::clamp(down / run.norm(), 0.0, 1.0));
    if (slope > out_.steepestEntry) out_.steepestEntry = slope, out_.steepestAt = b.tip;
  }

  void cutStretches(std::size_t first, std::size_t last) {
    out_.stretch = kStretch * stock_.cell();
    for (std::size_t i = first; i < last;) {
      const bool counts = path_.locations[i].motion == Motion::Cut;
      std::size_t j = i;
      double length = 0;
      for (; j < last && (path_.locations[j].motion == Motion::Cut) == counts && stretchLength_ + length < out_.stretch; ++j)
        length += (path_.locations[j].tip - path_.locations[j - 1].tip).norm();
      if (!counts || (stretchEnd_ != i && stretchLength_ > 0)) closeStretch();
      const double removed = stock_.cut(assembly_.profile, path_, i, j, &progress_);
      out_.removed += removed;
      if (counts) {
        if (stretchLength_ <= 0) stretchFirst_ = i;
        stretchEnd_ = j, stretchLength_ += length, stretchRemoved_ += removed;
        if (stretchLength_ >= out_.stretch) closeStretch();
      }
      i = j;
    }
  }
  void closeStretch() {
    if (stretchLength_ > 0) {
      const double section = stretchRemoved_ / stretchLength_;
      const bool air = stretchRemoved_ < 1e-9;
      for (std::size_t i = stretchFirst_; i < stretchEnd_; ++i)
        out_.moves[i].removed = static_cast<float>(section * (path_.locations[i].tip - path_.locations[i - 1].tip).norm());
      inCut_ += stretchRemoved_, cutLength_ += stretchLength_, out_.cutting += stretchEnd_ - stretchFirst_;
      if (air) airLength_ += stretchLength_, out_.air += stretchEnd_ - stretchFirst_;
      // A piece that is left over at an end is too short to be told apart from chance.
      if (section > out_.heaviest && stretchLength_ >= 0.5 * out_.stretch)
        out_.heaviest = section, out_.heaviestAt = path_.locations[(stretchFirst_ + stretchEnd_) / 2].tip;
    }
    stretchLength_ = stretchRemoved_ = 0;
  }

  Stock& stock_;
  const Assembly& assembly_;
  const Path& path_;
  const OtherWays& ways_;
  bool engagement_;
  const ClearanceOptions& o_;
  Progress& progress_;
  CutReport& out_;
  Intruder bodies_, whole_;
  Motions motions_;
  double low_ = kInfinity; // least lower bound met at a pose
  double cutLength_ = 0, airLength_ = 0, arcLength_ = 0;
  std::size_t stretchFirst_ = 0, stretchEnd_ = 0; ///< the stretch that is being cut
  double stretchLength_ = 0, stretchRemoved_ = 0, inCut_ = 0;
};

} // namespace

CutReport cutAndProve(Stock& stock, const Assembly& assembly, const Path& path, const OtherWays& ways, bool wantEngagement,
                      const ClearanceOptions& options, Progress& progress) {
  assert(options.wanted >= 0 && options.uncertainty >= 0);
  assert(ways.move.size() == ways.path.locations.size());
  CutReport out;
  StockProver(stock, assembly, path, ways, wantEngagement, options, progress, out).run();
  return out;
}

} // namespace hemline
