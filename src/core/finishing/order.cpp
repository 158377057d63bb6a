#include "finishing/order.h"

namespace hemline {
namespace {

constexpr int kSamples = 8;        // places of a run
constexpr double kClosed = 1e-3;   // mm: bent fields meet from facet to facet to less
constexpr double kUpright = 1e-9;  // an axis along the reference axis, in cosine
constexpr double kTouching = 0.99; // of the radius: what is farther is only touched
constexpr double kBeside = 1;      // cutter radii: runs that come so near lie beside each other
constexpr int kSmaller = 4;        // radii of arcs that are tried, each half of the one before

struct RunRef {
  std::size_t pass, run;
};

/// Does it end where it began, as it began?
bool isClosed(const Run& run) {
  const Location &a = run.stations.front().at, &b = run.stations.back().at;
  return run.stations.size() > 3 && (a.tip - b.tip).norm() < kClosed && (a.axis - b.axis).norm() < kClosed;
}

/// Does some place of the shorter run lie near the other one?
bool besides(const Run& a, const Run& b, double near) {
  const auto reach = [](const Run& r) {
    Box box;
    for (const Station& s : r.stations) box.add(s.at.contact);
    return box;
  };
  const Box x = reach(a), y = reach(b);
  if (((y.low - x.high).cwiseMax(x.low - y.high)).maxCoeff() > near) return false;
  const Run &few = a.stations.size() < b.stations.size() ? a : b, &many = &few == &a ? b : a;
  for (int k = 0; k <= kSamples; ++k) {
    const Vec3& p = few.stations[(few.stations.size() - 1) * static_cast<std::size_t>(k) / kSamples].at.contact;
    for (std::size_t i = 0; i + 1 < many.stations.size(); ++i) {
      Vec3 on, off;
      if (distanceSegments(p, p, many.stations[i].at.contact, many.stations[i + 1].at.contact, on, off) < near) return true;
    }
  }
  return false;
}

std::vector<std::vector<RunRef>> chainsOf(const std::vector<Pass>& passes, std::size_t count, double near) {
  std::vector<std::vector<RunRef>> chains;
  std::vector<std::size_t> open;
  for (std::size_t p = 0; p < count; ++p) {
    std::vector<std::size_t> nextOpen;
    std::vector<char> taken(open.size(), 0);
    for (std::size_t r = 0; r < passes[p].runs.size(); ++r) {
      std::size_t chain = chains.size();
      for (std::size_t k = 0; k < open.size() && chain == chains.size(); ++k) {
        const RunRef& end = chains[open[k]].back();
        if (taken[k] || !besides(passes[p].runs[r], passes[end.pass].runs[end.run], near)) continue;
        taken[k] = 1;
        chain = open[k];
      }
      if (chain == chains.size()) chains.emplace_back();
      chains[chain].push_back({p, r});
      nextOpen.push_back(chain);
    }
    open = nextOpen;
  }
  return chains;
}

class Linker {
public:
  Linker(const PassMaker& maker, const Part& part, const PassOptions& o, double cutterRadius)
      : maker_(maker), part_(part), o_(o), cutterRadius_(cutterRadius) {
    frameAround(o.up, e_[0], e_[1]);
    for (const Vec3& p : part.mesh.points) shadow_.extend(Vec2(p.dot(e_[0]), p.dot(e_[1])));
  }

  /// Off the surface, over to the next run, and down to its start.
  void goTo(const std::vector<Location>& run) {
    if (!path_.locations.empty()) leave();
    const Location& start = run.front();
    std::vector<Vec3> arc = arcOff(start, start.tip - run[1].tip, -1);
    Location in = start;
    in.motion = Motion::LeadIn;
    const Vec3 above = (arc.empty() ? start.tip : arc.back()) + o_.approach * start.axis;
    const Vec3 out = clearOf(above, start.axis);
    rapid(high(out), start.axis);
    if ((out - above).norm() > 0) rapid(out, start.axis);
    rapid(above, start.axis);
    for (; !arc.empty(); arc.pop_back()) {
      Location on = in;
      on.tip = arc.back(), on.normal = on.contact = Vec3::Zero();
      on.feed = path_.locations.back().motion == Motion::Rapid ? o_.plungeFeed : o_.feed;
      path_.locations.push_back(on);
    }
    in.feed = path_.locations.back().motion == Motion::Rapid ? o_.plungeFeed : o_.feed;
    path_.locations.push_back(in);
  }

  void leave() {
    const Location end = path_.locations.back();
    Location off = end;
    off.motion = Motion::LeadOut, off.feed = o_.feed, off.pass = -1, off.normal = off.contact = Vec3::Zero();
    for (const Vec3& tip : arcOff(end, end.tip - path_.locations[path_.locations.size() - 2].tip, 1)) {
      off.tip = tip;
      path_.locations.push_back(off);
    }
    off.tip += o_.approach * off.axis;
    path_.locations.push_back(off);
    const Vec3 out = clearOf(off.tip, off.axis);
    if ((out - off.tip).norm() > 0) rapid(out, off.axis);
    rapid(high(out), off.axis);
  }

  bool stayDown(const Location& to) {
    const auto way = maker_.ride(path_.locations.back(), to);
    for (std::size_t i = 0; way && i < way->size(); ++i) {
      Location l = (*way)[i];
      l.motion = Motion::Link, l.feed = o_.feed, l.pass = -1;
      path_.locations.push_back(l);
    }
    return way.has_value();
  }

  void cut(const std::vector<Location>& run, std::size_t pass) {
    for (std::size_t i = 1; i < run.size(); ++i) {
      Location l = run[i];
      l.motion = Motion::Cut, l.feed = o_.feed, l.pass = static_cast<int>(pass);
      path_.locations.push_back(l);
    }
  }

  /// A run as it is cut next: closed ones from where they come nearest, open ones from one of their ends.
  std::vector<Location> asCut(const Run& run, bool closed, bool forward, bool first) const {
    std::vector<Location> out;
    for (const Station& s : run.stations) out.push_back(s.at);
    if (closed ? o_.against : !forward) std::reverse(out.begin(), out.end());
    if (!closed || first) return out;
    const Vec3 from = path_.locations.back().tip;
    const auto nearest = std::min_element(out.begin(), out.end() - 1, [&](const Location& a, const Location& b) {
      return (a.tip - from).squaredNorm() < (b.tip - from).squaredNorm();
    });
    out.pop_back();
    std::rotate(out.begin(), nearest, out.end());
    out.push_back(out.front());
    return out;
  }

  const Vec3& tip() const { return path_.locations.back().tip; }
  Path take() { return std::move(path_); }

private:
  /// Tips on an arc that leaves a run at its end, in the plane of `away` (not zero; with the feed or, -1, against it) and the surface's
  /// normal, leaning to the side that is asked for, else to the other, else not at all, or of the axis where nothing of that is free (in
  /// valleys), from there on; none: along the axis. All of it is free of the part.
  std::vector<Vec3> arcOff(const Location& end, const Vec3& away, double feed) const {
    const Vec3 way = away.normalized(), left = feed * end.normal.cross(way);
    std::vector<Vec3> outs;
    for (const double lean : {o_.endLean, -o_.endLean})
      if (lean != 0) outs.push_back(std::cos(lean) * end.normal + std::sin(lean) * left);
    outs.push_back(end.normal), outs.push_back(end.axis);
    double radius = o_.endRadius;
    for (int k = 0; k < kSmaller && radius > o_.chord; ++k, radius *= 0.5)
      for (const Vec3& out : outs) {
        const Vec3 up = (out - out.dot(way) * way).normalized();
        std::vector<Vec3> arc;
        const int parts = std::max(2, static_cast<int>(std::ceil(o_.endArc / (2 * std::acos(1 - o_.chord / radius)))));
        for (int i = 1; i <= parts && up.norm() > 0.5 && way.norm() > 0.5; ++i) { // both are known
          const double a = o_.endArc * i / parts;
          arc.push_back(end.tip + radius * (std::sin(a) * way + (1 - std::cos(a)) * up));
        }
        const auto isBarred = [&](const Vec3& tip) { return !maker_.clears(tip, end.axis); };
        if (!arc.empty() && std::none_of(arc.begin(), arc.end(), isBarred)) return arc;
      }
    return {};
  }
  void rapid(const Vec3& tip, const Vec3& axis) {
    Location r;
    r.tip = tip, r.axis = axis, r.motion = Motion::Rapid;
    path_.locations.push_back(r);
  }
  Vec3 high(const Vec3& tip) const { return tip + (o_.safeHeight - tip.dot(o_.up)) * o_.up; }
  /// Does a ball of the cutter's radius come up from here?
  bool freeAbove(const Vec3& from) const {
    const double top = part_.mesh.bounds().highest(o_.up) - from.dot(o_.up), step = 0.5 * cutterRadius_;
    for (double h = 0; h < top + step; h += step)
      if (closestPoint(*part_.tree, from + h * o_.up, kTouching * cutterRadius_).triangle >= 0) return false;
    return true;
  }
  /// Where some of the part lies above: straight out along the axis until nothing of it lies above the cutter any more. (An axis that
  /// points straight down leads nowhere: the clearance proof has the word.)
  Vec3 clearOf(const Vec3& tip, const Vec3& axis) const {
    if (axis.dot(o_.up) > 1 - kUpright || freeAbove(tip + cutterRadius_ * axis)) return tip;
    constexpr double kAside = 0.05; // of the axis
    const double margin = cutterRadius_ + o_.approach;
    double way = kInfinity; // to where it leaves the part's shadow
    for (int k = 0; k < 2; ++k) {
      const double a = axis.dot(e_[k]), limit = a > 0 ? shadow_.max()[k] + margin : shadow_.min()[k] - margin;
      if (std::abs(a) > kAside) way = std::min(way, std::max(0.0, (limit - tip.dot(e_[k])) / a));
    }
    return tip + (way < kFinite ? way : 0) * axis;
  }

  const PassMaker& maker_;
  const Part& part_;
  const PassOptions& o_;
  double cutterRadius_;
  std::array<Vec3, 2> e_;
  Eigen::AlignedBox2d shadow_; ///< of the part, along `up`, in that frame
  Path path_;
};

} // namespace

Path orderRuns(const std::vector<Pass>& passes, std::size_t inOrder, const PassMaker& maker, const Part& part, const PassOptions& o,
               double cutterRadius, Progress& progress) {
  Linker linker(maker, part, o, cutterRadius);
  bool any = false;
  for (const auto& chain : chainsOf(passes, inOrder, kBeside * cutterRadius)) {
    bool forward = !o.against, first = true;
    for (const RunRef& ref : chain) {
      progress.check();
      const Run& run = passes[ref.pass].runs[ref.run];
      const bool closed = isClosed(run);
      const std::vector<Location> way = linker.asCut(run, closed, forward, first);
      if (first || !(o.zigzag || closed) || !linker.stayDown(way.front())) linker.goTo(way);
      first = false, any = true;
      linker.cut(way, ref.pass);
      if (o.zigzag && !closed) forward = !forward;
    }
  }
  std::vector<RunRef> left;
  for (std::size_t p = inOrder; p < passes.size(); ++p)
    for (std::size_t r = 0; r < passes[p].runs.size(); ++r) left.push_back({p, r});
  while (!left.empty()) {
    progress.check();
    // One way: each begins where it does; both ways: at either end.
    std::size_t best = 0;
    bool turned = o.against;
    double near = kInfinity;
    for (std::size_t i = 0; i < left.size() && any; ++i) {
      const auto& stations = passes[left[i].pass].runs[left[i].run].stations;
      const double a = o.zigzag || !o.against ? (stations.front().at.tip - linker.tip()).norm() : kInfinity,
                   b = o.zigzag || o.against ? (stations.back().at.tip - linker.tip()).norm() : kInfinity;
      if (std::min(a, b) < near) near = std::min(a, b), best = i, turned = b < a;
    }
    const Run& run = passes[left[best].pass].runs[left[best].run];
    const bool closed = isClosed(run);
    const std::vector<Location> way = linker.asCut(run, closed, !turned, !any);
    if (!any || !linker.stayDown(way.front())) linker.goTo(way);
    linker.cut(way, left[best].pass);
    left.erase(left.begin() + static_cast<std::ptrdiff_t>(best));
    any = true;
  }
  if (!any) throw Error(Fault::NothingToDo, "No pass touches the surface asked for", "passes", "Check region, boundary and cutter.");
  linker.leave();
  return linker.take();
}

} // namespace hemline
