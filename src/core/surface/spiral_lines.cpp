#include "surface/spiral_lines.h"
#include "geometry/outline.h"
#include <algorithm>
#include <climits>
#include <map>
#include <set>
#include <utility>

namespace hemline {
namespace {

constexpr double kOnLoop = 1e-9;       // levels: an end that lies on a loop
constexpr std::size_t kMostNests = 30; // that are looked at
constexpr double kWinds = 0.9;         // turns: less is no spiral
constexpr int kDeepest = 12;           // nests beside nests

Vec2 atCorner(std::size_t k) {
  return {k == 1 ? 1.0 : 0.0, k == 2 ? 1.0 : 0.0};
}
std::size_t place(int i) {
  return static_cast<std::size_t>(i);
}

/// A field on the elements that may have whole numbers more on the one side of an edge than on the other; its whole-number lines are closed
/// or end at the border for all that.
class Turning {
public:
  /// `levels`: per vertex, as so many levels from the first one; `angle`: per vertex, in turns; `turns`: levels gained by a turn.
  Turning(const LevelLines& lines, const std::vector<double>& levels, const std::vector<double>& angle, double turns)
      : lines_(&lines), levels_(&levels), angle_(&angle), turns_(turns) {}

  /// What is in the way at the middle has none.
  bool has(int element) const { return turns_ == 0 || std::abs(around(element)) < 0.5; }
  double corner(int element, std::size_t k) const {
    const auto& v = vertices(element);
    const double turned = k == 0 ? 0 : apart(v[0], v[k]);
    return (*levels_)[place(v[k])] - turns_ * ((*angle_)[place(v[0])] + turned);
  }
  std::pair<int, int> range(int element) const {
    double low = kInfinity, high = -kInfinity;
    for (std::size_t k = 0; k < 3; ++k) low = std::min(low, corner(element, k)), high = std::max(high, corner(element, k));
    return {static_cast<int>(std::ceil(low)), static_cast<int>(std::floor(high))};
  }
  /// What the other side of an element's edge counts less.
  int shiftTo(int element, std::size_t k, int other) const {
    const int v = vertices(element)[k];
    std::size_t there = 0;
    while (there < 2 && vertices(other)[there] != v) ++there;
    return static_cast<int>(std::lround(corner(element, k) - corner(other, there)));
  }
  /// Edge over which the line of a whole number leaves (or comes in); -1: it does not cross the element.
  int edge(int element, int number, bool back) const {
    for (int k = 0; k < 3; ++k) {
      const bool a = corner(element, place(k)) >= number, b = corner(element, place((k + 1) % 3)) >= number;
      if (a != b && a == back) return k;
    }
    return -1;
  }
  std::optional<LinePiece> piece(int element, int number) const {
    LinePiece out;
    out.element = element;
    for (const bool back : {true, false}) {
      const int k = edge(element, number, back);
      if (k < 0) return std::nullopt;
      auto i = place(k), j = (i + 1) % 3;
      if (vertices(element)[i] > vertices(element)[j]) std::swap(i, j); // the same place from both sides
      const double a = corner(element, i), b = corner(element, j);
      (back ? out.in : out.out) = atCorner(i) + std::clamp((number - a) / (b - a), 0.0, 1.0) * (atCorner(j) - atCorner(i));
    }
    return out;
  }
  /// Where the line goes on: element and its number there; -1: nowhere within the region.
  std::pair<int, int> next(int element, int number, bool back) const {
    const int k = edge(element, number, back);
    const int other = k < 0 ? -1 : lines_->mesh().over()[place(element)][place(k)];
    if (other < 0 || !lines_->inRegion(other) || !has(other)) return {-1, 0};
    const int v = vertices(element)[place(k)];
    std::size_t there = 0;
    while (there < 3 && vertices(other)[there] != v) ++there;
    if (there == 3) return {-1, 0};
    const int shift = static_cast<int>(std::lround(corner(other, there) - corner(element, place(k))));
    const int through = edge(other, number + shift, !back);
    if (through < 0 || lines_->mesh().over()[place(other)][place(through)] != element) return {-1, 0};
    return {other, number + shift};
  }

private:
  const std::array<int, 3>& vertices(int element) const { return lines_->mesh().elements()[place(element)].v; }
  double apart(int a, int b) const {
    const double d = (*angle_)[place(b)] - (*angle_)[place(a)];
    return d - std::round(d);
  }
  double around(int element) const {
    const auto& v = vertices(element);
    return apart(v[0], v[1]) + apart(v[1], v[2]) + apart(v[2], v[0]);
  }
  const LevelLines* lines_;
  const std::vector<double>* levels_;
  const std::vector<double>* angle_;
  double turns_;
};

struct Line {
  std::vector<LinePiece> pieces;
  int number = 0; ///< where it begins
  bool closed = false;
};

/// From one place about a middle to another, in turns.
double turnsPast(const Vec2& a, const Vec2& b) {
  return std::atan2(a.x() * b.y() - a.y() * b.x(), a.dot(b)) / (2 * kPi);
}
/// Turns of a loop about a middle, in plan.
double windingOf(const std::vector<Vec2>& loop, const Vec2& middle) {
  double turns = 0;
  for (std::size_t i = 0; i < loop.size(); ++i) turns += turnsPast(loop[i] - middle, loop[(i + 1) % loop.size()] - middle);
  return turns;
}
/// Halfway between two sides of it, on the level of its points' mean: surely within.
Vec2 middleOf(const std::vector<Vec2>& loop) {
  double y = 0;
  for (const Vec2& p : loop) y += p.y() / static_cast<double>(loop.size());
  std::vector<double> crossed;
  for (std::size_t i = 0; i < loop.size(); ++i) {
    const Vec2 &a = loop[i], &b = loop[(i + 1) % loop.size()];
    if ((a.y() > y) != (b.y() > y)) crossed.push_back(a.x() + (y - a.y()) / (b.y() - a.y()) * (b.x() - a.x()));
  }
  std::sort(crossed.begin(), crossed.end());
  double widest = -1, x = loop.front().x();
  for (std::size_t i = 0; i + 1 < crossed.size(); i += 2)
    if (crossed[i + 1] - crossed[i] > widest) widest = crossed[i + 1] - crossed[i], x = 0.5 * (crossed[i] + crossed[i + 1]);
  return {x, y};
}

class Spirals {
public:
  Spirals(const LevelLines& lines, const SpiralAsk& ask) : lines_(lines), ask_(ask) {
    frameAround(ask.up, e1_, e2_);
    const auto& vertices = lines.mesh().vertices();
    levels_.resize(vertices.size()), angle_.resize(vertices.size(), 0);
    const auto& elements = lines.mesh().elements();
    for (std::size_t e = 0; e < elements.size(); ++e)
      for (std::size_t k = 0; k < 3; ++k) levels_[place(elements[e].v[k])] = levelOf(lines.valueOn(static_cast<int>(e), atCorner(k)));
    summit_.assign(levels_.size(), 0);
    firstOf_.assign(levels_.size() + 1, 0);
    const auto eachCorner = [&](const auto& what) {
      for (std::size_t e = 0; e < elements.size(); ++e)
        for (std::size_t k = 0; k < 3 && lines_.inRegion(static_cast<int>(e)); ++k) what(elements[e].v[k], static_cast<int>(e));
    };
    eachCorner([&](int v, int) { ++firstOf_[place(v) + 1]; });
    for (std::size_t v = 0; v < levels_.size(); ++v) firstOf_[v + 1] += firstOf_[v];
    std::vector<int> next(firstOf_.begin(), firstOf_.end() - 1);
    elementsOf_.resize(place(firstOf_.back()));
    eachCorner([&](int v, int e) { elementsOf_[place(next[place(v)]++)] = e; });
  }

  std::vector<SpiralLine> all() {
    const std::vector<double> levels = levels_;
    for (const std::vector<int>& piece : piecesOfRegion()) {
      levels_ = levels;
      wind({piece, {}, 0, static_cast<int>(ask_.levels.size()) - 1}, 0);
    }
    if (wound_.empty()) return {};
    for (SpiralLine& l : beside_) wound_.push_back(std::move(l));
    return std::move(wound_);
  }

private:
  /// Elements whose nest is wound, with the levels of their vertices (empty: as they are), from one of them to another.
  struct Ground {
    std::vector<int> elements;
    std::vector<double> levels;
    int first = 0, last = 0;
  };
  /// A closed line of the field that is wound, beside its middle.
  struct Loop {
    SpiralLine line;
    std::vector<Vec2> plan;
    double area = 0;
  };

  void wind(const Ground& ground, int depth) {
    if (!ground.levels.empty()) levels_ = ground.levels;
    first_ = ground.first, last_ = ground.last;
    std::vector<Line> flat = linesOf(Turning(lines_, levels_, angle_, 0), ground.elements, first_, last_);
    const double turns = goRound(flat);
    for (Line& l : flat) // of a nest only its ends
      if (turns == 0 || (l.number != first_ && l.number != last_ && !(l.number >= top_ && onSummit(l.pieces.front().element)))) {
        if (turns == 0) beside_.push_back({std::move(l.pieces), l.closed, false, {!l.closed, !l.closed}});
        l.pieces.clear();
      }
    if (turns == 0) return;
    const Turning field(lines_, levels_, angle_, turns);
    std::vector<Loop> loops;
    for (const Line& way : linesOf(field, ground.elements, INT_MIN, INT_MAX))
      for (SpiralLine& l : within(way)) {
        if (l.closed)
          loops.push_back({std::move(l), inPlan(way), 0});
        else if (bind(l, flat))
          wound_.push_back(std::move(l));
        else
          beside_.push_back(std::move(l));
      }
    for (Line& l : flat)
      if (!l.pieces.empty()) beside_.push_back({std::move(l.pieces), l.closed, false, {!l.closed, !l.closed}});
    for (const Ground& other : nestsBeside(loops, field, ground, depth)) wind(other, depth + 1);
  }

  /// The loops beside a middle, outermost first: where some lie in one, the ground within that is a nest of its own, of the field that is
  /// wound already (it goes round nothing there). Single ones stay.
  std::vector<Ground> nestsBeside(std::vector<Loop>& loops, const Turning& field, const Ground& within, int depth) {
    for (Loop& l : loops) l.area = std::abs(regionArea({l.plan}));
    std::stable_sort(loops.begin(), loops.end(), [](const Loop& a, const Loop& b) { return a.area > b.area; });
    std::vector<Ground> out;
    std::vector<char> taken(loops.size(), 0);
    for (std::size_t i = 0; i < loops.size(); ++i) {
      if (taken[i]) continue;
      std::vector<std::size_t> nest{i};
      for (std::size_t k = i + 1; k < loops.size(); ++k)
        if (!taken[k] && std::abs(windingOf(loops[i].plan, loops[k].plan.front())) > 0.5) nest.push_back(k);
      std::optional<Ground> ground;
      if (nest.size() > 1 && depth < kDeepest) ground = groundOf(loops, nest, field, within);
      if (!ground) {
        beside_.push_back(std::move(loops[i].line));
        continue;
      }
      for (const std::size_t k : nest) taken[k] = 1;
      out.push_back(std::move(*ground));
    }
    return out;
  }

  /// From the inner loops out to the outermost, its elements too; the levels there are those of the wound field, over all of it.
  std::optional<Ground> groundOf(const std::vector<Loop>& loops, const std::vector<std::size_t>& nest, const Turning& field,
                                 const Ground& within) const {
    const auto& over = lines_.mesh().over();
    std::vector<char> rim(over.size(), 0), inside(over.size(), 0);
    std::vector<int> shift(over.size(), 0);
    for (const int e : within.elements) inside[place(e)] = 1;
    for (const LinePiece& p : loops[nest.front()].line.pieces) rim[place(p.element)] = 1;
    Ground out;
    std::vector<char> found(over.size(), 0);
    for (std::size_t k = 1; k < nest.size() && out.elements.empty(); ++k)
      for (const LinePiece& p : loops[nest[k]].line.pieces)
        if (!rim[place(p.element)] && out.elements.empty()) out.elements.push_back(p.element), found[place(p.element)] = 1;
    for (std::size_t i = 0; i < out.elements.size(); ++i) {
      const int e = out.elements[i];
      if (!field.has(e)) return {};
      if (rim[place(e)]) continue;
      for (std::size_t k = 0; k < 3; ++k) {
        const int o = over[place(e)][k];
        if (o < 0 || !inside[place(o)] || found[place(o)]) continue;
        found[place(o)] = 1, shift[place(o)] = shift[place(e)] + field.shiftTo(e, k, o);
        out.elements.push_back(o);
      }
    }
    out.levels = levels_;
    const auto& elements = lines_.mesh().elements();
    for (const int e : out.elements)
      for (std::size_t k = 0; k < 3; ++k) out.levels[place(elements[place(e)].v[k])] = field.corner(e, k) + shift[place(e)];
    out.first = INT_MAX, out.last = INT_MIN;
    for (const std::size_t k : nest) {
      const auto& pieces = loops[k].line.pieces;
      const auto p = std::find_if(pieces.begin(), pieces.end(), [&](const LinePiece& x) { return found[place(x.element)] != 0; });
      if (p == pieces.end()) return {};
      const auto number = static_cast<int>(std::lround(levelAt(out.levels, p->element, p->in)));
      out.first = std::min(out.first, number), out.last = std::max(out.last, number);
    }
    std::sort(out.elements.begin(), out.elements.end());
    if (out.first == out.last) return {};
    return out;
  }

  /// So many levels from the first one.
  double levelOf(double value) const {
    const auto& l = ask_.levels;
    const auto k = std::clamp<std::ptrdiff_t>(std::upper_bound(l.begin(), l.end(), value) - l.begin(), 1, std::ssize(l) - 1);
    const double a = l[static_cast<std::size_t>(k) - 1], b = l[static_cast<std::size_t>(k)];
    return static_cast<double>(k - 1) + (value - a) / (b - a);
  }
  double levelAt(int element, const Vec2& uv) const { return levelAt(levels_, element, uv); }
  double levelAt(const std::vector<double>& levels, int element, const Vec2& uv) const {
    const auto& v = lines_.mesh().elements()[place(element)].v;
    return (1 - uv.x() - uv.y()) * levels[place(v[0])] + uv.x() * levels[place(v[1])] + uv.y() * levels[place(v[2])];
  }
  Vec2 planOf(const Vec3& p) const { return {p.dot(e1_), p.dot(e2_)}; }
  Vec2 planAt(int element, const Vec2& uv) const { return planOf(lines_.mesh().placeAt(element, uv.x(), uv.y()).point); }

  std::vector<std::vector<int>> piecesOfRegion() const {
    const auto& over = lines_.mesh().over();
    std::vector<char> seen(over.size(), 0);
    std::vector<std::vector<int>> out;
    for (std::size_t e = 0; e < over.size(); ++e) {
      if (seen[e] || !lines_.inRegion(static_cast<int>(e))) continue;
      std::vector<int> piece{static_cast<int>(e)};
      seen[e] = 1;
      for (std::size_t i = 0; i < piece.size(); ++i)
        for (const int o : over[place(piece[i])])
          if (o >= 0 && !seen[place(o)] && lines_.inRegion(o)) seen[place(o)] = 1, piece.push_back(o);
      std::sort(piece.begin(), piece.end());
      out.push_back(std::move(piece));
    }
    return out;
  }

  std::vector<Line> linesOf(const Turning& field, const std::vector<int>& piece, int from, int to) const {
    std::vector<Line> out;
    std::set<std::pair<int, int>> done;
    for (const int e : piece) {
      if (!field.has(e)) continue;
      const auto [low, high] = field.range(e);
      for (int m = std::max(low, from); m <= std::min(high, to); ++m) {
        if (done.count({e, m}) || field.edge(e, m, false) < 0) continue;
        // Back to where it begins, then along it.
        std::pair<int, int> start{e, m};
        bool closed = false;
        for (std::pair<int, int> at = start;;) {
          at = field.next(at.first, at.second, true);
          if (at.first < 0) break;
          if (at == std::pair(e, m)) {
            closed = true;
            break;
          }
          start = at;
        }
        if (closed) start = {e, m};
        Line line;
        line.closed = closed, line.number = start.second;
        for (std::pair<int, int> at = start; at.first >= 0 && done.insert(at).second; at = field.next(at.first, at.second, false))
          if (const auto p = field.piece(at.first, at.second)) line.pieces.push_back(*p);
        if (!line.pieces.empty()) out.push_back(std::move(line));
      }
    }
    return out;
  }

  std::vector<Vec2> inPlan(const Line& line) const {
    std::vector<Vec2> out;
    for (const LinePiece& p : line.pieces) out.push_back(planAt(p.element, p.in));
    return out;
  }

  /// Vertices that hang together at a level and above, from an element on.
  void markSummit(int at, int number) {
    summit_.assign(levels_.size(), 0);
    std::vector<int> found;
    const auto add = [&](int element) {
      for (const int v : lines_.mesh().elements()[place(element)].v)
        if (levels_[place(v)] >= number && !std::exchange(summit_[place(v)], 1)) found.push_back(v);
    };
    add(at);
    for (std::size_t i = 0; i < found.size(); ++i)
      for (int k = firstOf_[place(found[i])]; k < firstOf_[place(found[i]) + 1]; ++k) add(elementsOf_[place(k)]);
  }
  bool onSummit(int element) const {
    const auto& v = lines_.mesh().elements()[place(element)].v;
    return std::any_of(v.begin(), v.end(), [&](int x) { return summit_[place(x)] != 0; });
  }

  /// Finds the nest of loops that is longest, its summit and its middle, and sets the angles about that; levels gained by a turn, 0: there
  /// is no nest.
  double goRound(const std::vector<Line>& flat) {
    struct Loop {
      const Line* line;
      std::vector<Vec2> plan;
      double area = 0, length = 0;
    };
    std::vector<Loop> loops;
    for (const Line& l : flat) {
      Loop loop{&l, l.closed ? inPlan(l) : std::vector<Vec2>()};
      if (loop.plan.size() < 3) continue;
      loop.area = std::abs(regionArea({loop.plan}));
      for (std::size_t i = 0; i < loop.plan.size(); ++i) loop.length += (loop.plan[i] - loop.plan[(i + 1) % loop.plan.size()]).norm();
      loops.push_back(std::move(loop));
    }
    std::stable_sort(loops.begin(), loops.end(), [](const Loop& a, const Loop& b) { return a.area < b.area; });
    struct Nest {
      const Loop* inner;
      Vec2 middle;
      double length = 0, rises = 0; ///< of its loops; less that of those which rise outward
      int loops = 0;
    };
    std::vector<Nest> nests;
    for (const Loop& l : loops) {
      bool about = false;
      for (Nest& n : nests) {
        const double turns = windingOf(l.plan, n.middle);
        if (std::abs(turns) < 0.5) continue;
        about = true, n.length += l.length, n.rises += turns > 0 ? l.length : -l.length, ++n.loops;
      }
      if (about || nests.size() == kMostNests) continue;
      const Vec2 middle = middleOf(l.plan);
      nests.push_back({&l, middle, l.length, windingOf(l.plan, middle) > 0 ? l.length : -l.length, 1});
    }
    const Nest* best = nullptr;
    for (const Nest& n : nests)
      if (n.loops > 1 && (!best || n.length > best->length)) best = &n;
    if (!best) return 0;
    middle_ = best->middle, top_ = INT_MIN;
    summit_.assign(levels_.size(), 0);
    if (windingOf(best->inner->plan, middle_) > 0) { // it rises to the middle
      top_ = best->inner->line->number;
      markSummit(best->inner->line->pieces.front().element, top_);
    }
    for (std::size_t v = 0; v < angle_.size(); ++v) {
      const Vec2 d = planOf(lines_.mesh().part().mesh.points[place(lines_.mesh().vertices()[v].point)]) - middle_;
      angle_[v] = std::atan2(d.y(), d.x()) / (2 * kPi);
    }
    return (best->rises > 0 ? 1 : -1) * (ask_.rising ? 1 : -1);
  }

  /// What of a line lies between the first level and the last.
  std::vector<SpiralLine> within(const Line& line) const {
    std::vector<SpiralLine> out;
    bool whole = true, going = false;
    for (const LinePiece& p : line.pieces) {
      const double a = levelAt(p.element, p.in), b = levelAt(p.element, p.out);
      double from = 0, to = 1;
      for (const bool atFirst : {true, false}) {
        const double end = atFirst ? first_ : onSummit(p.element) ? top_ : last_;
        const bool in = atFirst ? a >= end : a <= end, stays = atFirst ? b >= end : b <= end;
        if (!in && !stays) to = -1;
        if (in != stays) (in ? to : from) = in ? std::min(to, (end - a) / (b - a)) : std::max(from, (end - a) / (b - a));
      }
      if (!(to > from)) {
        whole = going = false;
        continue;
      }
      if (from > 0 || !going) out.push_back({{}, false, false, {from == 0 && &p == &line.pieces.front(), false}});
      whole = whole && from == 0 && to == 1;
      out.back().pieces.push_back({p.element, p.in + from * (p.out - p.in), p.in + to * (p.out - p.in)});
      going = to == 1;
      out.back().open[1] = going && &p == &line.pieces.back();
    }
    if (line.closed)
      for (SpiralLine& l : out) l.open = {false, false};
    if (line.closed && whole && out.size() == 1) out.front().closed = true;
    // A closed line that was begun between its ends goes on from its last piece into its first.
    if (line.closed && out.size() > 1 && going && out.front().pieces.front().in == line.pieces.front().in) {
      out.back().pieces.insert(out.back().pieces.end(), out.front().pieces.begin(), out.front().pieces.end());
      out.erase(out.begin());
    }
    return out;
  }

  /// Puts the loops of the first and the nest's last level that a line comes to before and behind it; false: it is no spiral.
  bool bind(SpiralLine& line, std::vector<Line>& loops) const {
    double turned = 0;
    for (const LinePiece& p : line.pieces) turned += turnsPast(planAt(p.element, p.in) - middle_, planAt(p.element, p.out) - middle_);
    if (std::abs(turned) < kWinds) return false;
    const auto ends = [&](int element, const Vec2& uv) -> std::vector<LinePiece> {
      const double level = levelAt(element, uv);
      for (const int number : {first_, top_, last_})
        if (std::abs(level - number) < kOnLoop * (last_ - first_) + 1e-12) return loopAt(loops, number, element, uv);
      return {};
    };
    const auto before = ends(line.pieces.front().element, line.pieces.front().in),
               behind = ends(line.pieces.back().element, line.pieces.back().out);
    line.pieces.insert(line.pieces.begin(), before.begin(), before.end());
    line.pieces.insert(line.pieces.end(), behind.begin(), behind.end());
    line.wound = true;
    return true;
  }

  /// Takes the closed loop that runs through a place, from there round to there; nothing where there is none.
  static std::vector<LinePiece> loopAt(std::vector<Line>& loops, int number, int element, const Vec2& at) {
    for (Line& loop : loops) {
      if (!loop.closed || loop.number != number) continue;
      const auto here = std::find_if(loop.pieces.begin(), loop.pieces.end(), [&](const LinePiece& p) { return p.element == element; });
      if (here == loop.pieces.end()) continue;
      std::vector<LinePiece> out(here, loop.pieces.end());
      out.insert(out.end(), loop.pieces.begin(), here + 1);
      out.front().in = out.back().out = at;
      loop.pieces.clear();
      return out;
    }
    return {};
  }

  const LevelLines& lines_;
  const SpiralAsk& ask_;
  int first_ = 0, last_ = 0; ///< levels between which is wound
  std::vector<SpiralLine> wound_, beside_;
  Vec3 e1_, e2_;
  std::vector<double> levels_, angle_;    ///< per vertex; angles in turns
  std::vector<int> firstOf_, elementsOf_; ///< elements of the region by vertex
  Vec2 middle_ = Vec2::Zero();            ///< of the nest, in plan
  int top_ = 0;                           ///< level of the nest's last loop
  std::vector<char> summit_;              ///< per vertex: it lies above that loop
};

} // namespace

std::vector<SpiralLine> spiralLines(const LevelLines& lines, const SpiralAsk& ask) {
  assert(isUnit(ask.up));
  if (ask.levels.size() < 2) return {};
  return Spirals(lines, ask).all();
}

} // namespace hemline
