#include "machine/program.h"
#include <algorithm>
#include <charconv>
#include <fmt/format.h>
#include <limits>
#include <optional>
#include <sstream>

namespace hemline {
namespace {

constexpr double kSagitta = 1e-4;      // mm between an arc and its chords
constexpr double kArcMismatch = 0.005; // mm by which both radii of an arc may differ
constexpr double kLargestArc = 1e5;    // mm
constexpr double kMostTurns = 1000;    // of a rotary axis in one block
constexpr std::size_t kMoves = 20'000'000;
constexpr std::size_t kListed = 50; // remarks kept of each kind
constexpr double kUnknown = std::numeric_limits<double>::quiet_NaN();

struct Word {
  char letter;
  double value;
  bool point; ///< written with a decimal point
};

/// G words by ten times their number, with the group of which one block may hold one. Group 0: without effect on the way.
struct Known {
  int code;
  int group;
};
enum Group { kNone, kMotion, kPlane, kDistance, kFeedMode, kUnit, kLength, kOnce };
constexpr std::array<Known, 32> kKnown{
    {{0, kMotion},     {10, kMotion},    {20, kMotion},    {30, kMotion},    {40, kOnce},  {170, kPlane},  {180, kPlane},  {190, kPlane},
     {200, kUnit},     {210, kUnit},     {280, kOnce},     {300, kOnce},     {400, kNone}, {430, kLength}, {434, kLength}, {490, kLength},
     {500, kNone},     {530, kOnce},     {540, kNone},     {690, kNone},     {700, kUnit}, {710, kUnit},   {800, kNone},   {900, kDistance},
     {910, kDistance}, {930, kFeedMode}, {940, kFeedMode}, {950, kFeedMode}, {970, kNone}, {980, kNone},   {990, kNone},   {150, kNone}}};
/// Words that say how corners are run and the like: the way stays within the control's tolerance, so they are only told.
constexpr std::array<int, 5> kToldOnly{90, 610, 611, 640, 641};

class Reader {
public:
  Reader(const Machine& m, const std::string& text) : machine_(m), text_(text) {
    at_.fill(kUnknown), word_.fill(kUnknown);
    if (!m.fiveAxis) at_[3] = at_[4] = word_[3] = word_[4] = 0;
  }

  Replay run() {
    std::istringstream in(text_);
    std::string line;
    for (line_ = 1; std::getline(in, line); ++line_) {
      if (!split(line)) continue;
      if (ended_) fail("The program goes on after its end (M2 or M30)");
      block();
    }
    if (!unknown_.empty()) {
      std::string list;
      for (std::size_t i = 0; i < std::min<std::size_t>(unknown_.size(), 8); ++i) list += (i > 0 ? "; " : "") + unknown_[i];
      if (unknown_.size() > 8) list += fmt::format("; and {} more", unknown_.size() - 8);
      throw Error(Fault::Cannot, "The program uses words that move the axes in a way this machine does not know: " + list,
                  fmt::format("line {}", first_),
                  "Write the program with G0, G1, G2 and G3 only, without cycles, cutter compensation, subprograms and variables.");
    }
    return std::move(out_);
  }

private:
  [[noreturn]] void fail(const std::string& what) const {
    throw Error(Fault::Damaged, what, fmt::format("line {}", line_), "Correct the program or write it again.");
  }
  void tell(std::vector<std::string>& list, const std::string& what) const {
    if (list.size() < kListed)
      list.push_back(fmt::format("line {}: {}", line_, what));
    else if (list.size() == kListed)
      list.push_back("and more");
  }
  void unknown(const std::string& what) {
    if (unknown_.empty()) first_ = line_;
    if (unknown_.size() < kListed) unknown_.push_back(fmt::format("line {}: {}", line_, what));
  }

  /// The words of a line; false if there are none.
  bool split(const std::string& line) {
    words_.clear();
    for (std::size_t i = 0; i < line.size();) {
      const char c = static_cast<char>(std::toupper(static_cast<unsigned char>(line[i])));
      if (c == '(') {
        const auto close = line.find(')', i);
        if (close == std::string::npos) fail("A comment is not closed");
        i = close + 1;
      } else if (c == ';') {
        break;
      } else if (std::isspace(static_cast<unsigned char>(c)) || c == '%') {
        ++i;
      } else if (c == '/') {
        tell(out_.unproven, "a block that a switch of the control may skip (/); it is run here");
        ++i;
      } else if (c == '#' || c == '[' || c == '=') {
        unknown("variables and formulas");
        words_.clear();
        return false;
      } else {
        if (c < 'A' || c > 'Z') fail(fmt::format("'{}' is not a word", line[i]));
        const char* begin = line.c_str() + i + 1;
        while (*begin == ' ') ++begin;
        if (*begin == '#' || *begin == '[') {
          unknown("variables and formulas");
          words_.clear();
          return false;
        }
        if (*begin == '+') ++begin;
        Word w{c, 0, false};
        // No exponents: E is a word of its own.
        const auto [end, error] = std::from_chars(begin, line.c_str() + line.size(), w.value, std::chars_format::fixed);
        if (error != std::errc() || !std::isfinite(w.value)) fail(fmt::format("The word {} has no number", c));
        if (std::abs(w.value) > 1e9) fail(fmt::format("The number of {} is too large", c));
        w.point = std::find(begin, end, '.') != end;
        words_.push_back(w);
        i = static_cast<std::size_t>(end - line.c_str());
      }
    }
    return !words_.empty();
  }

  std::optional<double> value(char letter) const {
    for (const Word& w : words_)
      if (w.letter == letter) return w.value;
    return std::nullopt;
  }

  /// What the words of one block ask for beside the modes that they set.
  struct Asked {
    std::array<bool, kOnce + 1> seen{};
    int once = -1, motion = -1, length = -1;
    bool toolChange = false, end = false, spindleStop = false;
  };

  void gWord(const Word& w, Asked& asked) {
    const int code = static_cast<int>(std::lround(w.value * 10));
    const auto k = std::find_if(kKnown.begin(), kKnown.end(), [&](const Known& g) { return g.code == code; });
    if (k == kKnown.end() || std::abs(w.value * 10 - code) > 1e-6) {
      if (std::find(kToldOnly.begin(), kToldOnly.end(), code) != kToldOnly.end())
        tell(out_.unsupported, fmt::format("G{:g}: how corners are run is the control's; it is not proven here", w.value));
      else
        unknown(fmt::format("G{:g}", w.value));
      return;
    }
    const auto group = static_cast<std::size_t>(k->group);
    if (k->group != kNone && asked.seen[group]) fail(fmt::format("G{:g} and another word of its kind are in one block", w.value));
    asked.seen[group] = true;
    switch (k->group) {
    case kMotion:
      asked.motion = code / 10;
      break;
    case kPlane:
      plane_ = code / 10 - 17;
      break;
    case kDistance:
      absolute_ = code == 900;
      break;
    case kFeedMode:
      if (feedMode_ != code / 10) feed_ = 0;
      feedMode_ = code / 10;
      break;
    case kUnit:
      scale_ = code == 200 || code == 700 ? kInch : 1;
      break;
    case kLength:
      asked.length = code;
      break;
    case kOnce:
      asked.once = code / 10;
      break;
    default:
      break;
    }
  }

  void mWord(const Word& w, Asked& asked) {
    const int code = static_cast<int>(std::lround(w.value));
    if (code == 2 || code == 30)
      asked.end = true;
    else if (code == 3 || code == 4)
      spindleOn_ = true;
    else if (code == 5)
      asked.spindleStop = true;
    else if (code == 6)
      asked.toolChange = true;
    else if (code >= 96 && code <= 99)
      unknown(fmt::format("M{} (subprogram)", code));
    else if (code != 0 && code != 1 && (code < 7 || code > 9))
      tell(out_.unsupported, fmt::format("M{}", code));
  }

  void block() {
    std::array<int, 6> letters{};
    Asked asked;
    for (const Word& w : words_) {
      if (w.letter == 'G') {
        gWord(w, asked);
      } else if (w.letter == 'M') {
        mWord(w, asked);
      } else if (w.letter == 'T') {
        nextTool_ = static_cast<int>(std::lround(w.value));
      } else if (w.letter == 'S') {
        if (w.value < 0) fail("The spindle speed is less than 0");
        rpm_ = w.value;
      } else if (w.letter == 'B' || w.letter == 'U' || w.letter == 'V' || w.letter == 'W') {
        fail(fmt::format("The machine has no axis {}", w.letter));
      } else if (w.letter == 'E' || w.letter == 'L' || w.letter == 'Q') {
        unknown(fmt::format("{}{:g}", w.letter, w.value));
      } else if (w.letter >= 'I' && w.letter <= 'K') {
        if (++letters[static_cast<std::size_t>(w.letter - 'I')] > 1) fail(fmt::format("{} is given twice", w.letter));
      } else if (w.letter != 'N' && w.letter != 'O' && w.letter != 'H' && w.letter != 'F' && w.letter != 'R' && w.letter != 'P' &&
                 std::find(kAxisName.begin(), kAxisName.end(), w.letter) == kAxisName.end()) {
        tell(out_.unsupported, fmt::format("{}{:g}", w.letter, w.value));
      }
    }
    if (asked.end) ended_ = true;
    if (!unknown_.empty()) return; // where the axes go is not known any more: only more such words are looked for
    if (asked.motion >= 0) motion_ = asked.motion;
    feedWord(asked.once == 4);
    if (asked.toolChange) changeTool();
    if (asked.length >= 0) lengthMode(asked.length);
    if (asked.once == 4) {
      // A dwell: its numbers are seconds, not places.
    } else if (asked.once >= 0) {
      toReference(asked.once);
    } else {
      axes();
    }
    if (asked.spindleStop) spindleOn_ = false;
  }

  void feedWord(bool dwell) {
    given_ = false;
    const auto f = value('F');
    if (!f || dwell) return;
    if (!(*f > 0)) fail("The feed is not more than 0");
    given_ = true;
    feed_ = *f * (feedMode_ == 93 ? 1 : scale_);
  }

  void changeTool() {
    if (nextTool_ > 0) tool_ = nextTool_;
    for (std::size_t k = 0; k < 3; ++k) at_[k] = word_[k] = kUnknown;
    spindleOn_ = false;
    for (const Word& w : words_) spindleOn_ = spindleOn_ || (w.letter == 'M' && (w.value == 3 || w.value == 4));
  }

  void lengthMode(int code) {
    const bool tcp = code == 434;
    if (tcp && !machine_.fiveAxis) fail("The machine has no tool-centre-point (G43.4): it has three axes");
    cancelled_ = code == 490;
    if (machine_.fiveAxis && tcp != tcp_) {
      tcp_ = tcp;
      // The axes stand still; the numbers they are called by change.
      bool all = true;
      for (const double x : at_) all = all && !std::isnan(x);
      if (all) {
        Vec3 tip, axis;
        forward(machine_, at_, tip, axis);
        const Vec3 p = tcp ? tip : Vec3(Vec3(at_[0], at_[1], at_[2]) - machine_.workOffset);
        for (std::size_t k = 0; k < 3; ++k) word_[k] = p[static_cast<Eigen::Index>(k)];
      } else {
        for (std::size_t k = 0; k < 3; ++k) at_[k] = word_[k] = kUnknown;
      }
    }
  }

  /// G28, G30, G53: to places that only the machine knows. Straight up to the upper end of Z is the one way that can be shown: G91 G28 Z0,
  /// and G53 Z0. Where any other number in the machine's own values lies depends on the cutter's length, which may take it down.
  void toReference(int code) {
    std::array<bool, 5> named{};
    bool onlyZ = true, any = false, still = true, zero = true;
    for (const Word& w : words_) {
      const auto axis = std::find(kAxisName.begin(), kAxisName.end(), w.letter);
      if (axis == kAxisName.end()) continue;
      const auto k = static_cast<std::size_t>(axis - kAxisName.begin());
      if (k >= 3 && !machine_.fiveAxis) fail(fmt::format("The machine has no axis {}", w.letter));
      named[k] = any = true;
      onlyZ = onlyZ && k == 2;
      still = still && !absolute_;
      zero = zero && w.value == 0;
    }
    if (!any && code == 53) fail("G53 names no axis");
    if (!any) named.fill(true);
    bool known = true;
    for (const double x : at_) known = known && !std::isnan(x);
    if (any && onlyZ && zero && known && (code == 53 ? absolute_ : code == 28 && still)) {
      Joints to = at_;
      to[2] = machine_.axis[2].high;
      tell(out_.unsupported, fmt::format("G{}: Z is taken to go to the upper end of its travel", code));
      out_.moves.push_back({at_, to, true, false, 0, line_, tool_, rpm(), false});
      at_ = to;
      afterJoints();
      return;
    }
    tell(out_.unproven, fmt::format("G{} goes to a place that only the machine knows", code));
    for (std::size_t k = 0; k < 5; ++k)
      if (named[k] && (k < 3 || machine_.fiveAxis)) at_[k] = word_[k] = kUnknown;
    if (tcp_)
      for (std::size_t k = 0; k < 3; ++k) at_[k] = word_[k] = kUnknown;
  }

  double rpm() const { return spindleOn_ ? rpm_ : 0; }

  /// Programmed numbers from joints.
  void afterJoints() {
    Vec3 p = Vec3(at_[0], at_[1], at_[2]) - machine_.workOffset, axis;
    if (tcp_) forward(machine_, at_, p, axis);
    word_ = {p.x(), p.y(), p.z(), at_[3], at_[4]};
  }

  Joints joints(const std::array<double, 5>& w) const {
    const Vec3 p = Vec3(w[0], w[1], w[2]) + machine_.workOffset;
    if (!tcp_) return {p.x(), p.y(), p.z(), w[3], w[4]};
    const Mat3 ra = Eigen::AngleAxisd(w[3], Vec3::UnitX()).toRotationMatrix(),
               rc = Eigen::AngleAxisd(w[4], Vec3::UnitZ()).toRotationMatrix();
    const Vec3 q = machine_.aPivot + ra * (rc * p - machine_.aPivot);
    return {q.x(), q.y(), q.z(), w[3], w[4]};
  }

  void axes() {
    std::array<double, 5> to = word_;
    std::array<bool, 5> named{};
    bool any = false;
    for (const Word& w : words_) {
      const auto axis = std::find(kAxisName.begin(), kAxisName.end(), w.letter);
      if (axis == kAxisName.end()) continue;
      const auto k = static_cast<std::size_t>(axis - kAxisName.begin());
      if (k >= 3 && !machine_.fiveAxis) fail(fmt::format("The machine has no axis {}", w.letter));
      if (named[k]) fail(fmt::format("{} is given twice", w.letter));
      const double x = k < 3 ? w.value * scale_ : radians(w.value);
      if (!absolute_ && std::isnan(word_[k])) fail(fmt::format("{} goes on from a place that is not known (G91)", w.letter));
      if (!w.point && w.value != 0 && !wholeTold_) {
        wholeTold_ = true;
        tell(out_.unsupported, "numbers without a decimal point are read as whole units; some controls take them for the smallest step");
      }
      to[k] = absolute_ ? x : word_[k] + x;
      named[k] = any = true;
    }
    const bool arc = motion_ == 2 || motion_ == 3;
    const bool centre = value('I') || value('J') || value('K') || value('R');
    if (!any && !(arc && centre)) return;
    if (motion_ < 0) fail("Axes are named before any of G0, G1, G2 and G3");
    if (value('P') && arc) fail("P at an arc (several turns) is not known here");
    const bool rapid = motion_ == 0;
    bool fromKnown = true, toKnown = true;
    for (std::size_t k = 0; k < 5; ++k) fromKnown = fromKnown && !std::isnan(at_[k]), toKnown = toKnown && !std::isnan(to[k]);
    if (!toKnown) {
      if (!rapid) {
        const auto k = static_cast<std::size_t>(std::find_if(to.begin(), to.end(), [](double x) { return std::isnan(x); }) - to.begin());
        fail(fmt::format("A cutting move begins while the place of {} is not known", kAxisName[k]));
      }
      word_ = to;
      for (std::size_t k = 0; k < 5; ++k)
        if (tcp_ || std::isnan(to[k]))
          at_[k] = kUnknown;
        else
          at_[k] = k < 3 ? to[k] + machine_.workOffset[static_cast<Eigen::Index>(k)] : to[k];
      return;
    }
    if (!fromKnown && !rapid) fail("A cutting move begins at a place that is not known");
    if (!rapid && cancelled_) tell(out_.unproven, "cuts while the length of the cutter is not counted (G49)");
    if (!rapid && !spindleOn_ && !standTold_) {
      standTold_ = true;
      tell(out_.unproven, "cuts while the spindle is not turning");
    }
    if (!fromKnown) {
      const Joints q = joints(to);
      out_.moves.push_back({q, q, true, tcp_, 0, line_, tool_, rpm(), true});
      at_ = q, word_ = to;
      return;
    }
    if (arc)
      arcTo(to, named);
    else
      lineTo(to, rapid, rapid ? 0 : feedFor((Vec3(to[0], to[1], to[2]) - Vec3(word_[0], word_[1], word_[2])).norm()));
  }

  /// mm/s for a block of this tip travel.
  double feedFor(double length) {
    if (feedMode_ == 93) {
      if (!given_) fail("Inverse time feed (G93) needs an F in every cutting block");
      return std::max(length, 1e-9) * feed_ / 60;
    }
    if (!(feed_ > 0)) fail("A cutting move has no feed");
    if (feedMode_ == 94) return feed_ / 60;
    if (!(rpm() > 0)) fail("Feed per turn (G95) needs a turning spindle");
    return feed_ * rpm() / 60;
  }

  void lineTo(const std::array<double, 5>& to, bool rapid, double feed) {
    if (out_.moves.size() >= kMoves) fail("The program has too many moves");
    const Joints q = joints(to);
    for (std::size_t k = 3; k < 5; ++k)
      if (const double turns = std::abs(q[k] - at_[k]) / (2 * kPi); !(turns <= kMostTurns))
        fail(fmt::format("{} turns round {:.0f} times in one block; no more than {:.0f} are followed", kAxisName[k], turns, kMostTurns));
    out_.moves.push_back({at_, q, rapid, tcp_, feed, line_, tool_, rpm(), false});
    at_ = q, word_ = to;
  }

  void arcTo(const std::array<double, 5>& to, const std::array<bool, 5>& named) {
    if (named[3] || named[4]) fail("An arc cannot turn rotary axes at the same time");
    // G17: X Y, G18: Z X, G19: Y Z; counter-clockwise about the third axis is G3 (ISO 6983-1).
    const std::array<std::array<std::size_t, 3>, 3> order{{{0, 1, 2}, {2, 0, 1}, {1, 2, 0}}};
    const auto [u, v, w] = order[static_cast<std::size_t>(plane_)];
    if (value(static_cast<char>('I' + w))) fail(fmt::format("{} is not in the plane of the arc", static_cast<char>('I' + w)));
    const double sign = motion_ == 3 ? 1 : -1;
    const Vec2 from(word_[u], word_[v]), end(to[u], to[v]);
    Vec2 middle;
    const auto i = value(static_cast<char>('I' + u)), j = value(static_cast<char>('I' + v)), r = value('R');
    if (r && (i || j)) fail("An arc has both a radius and a centre");
    if (r) {
      const Vec2 d = end - from;
      const double chord = d.norm(), R = *r * scale_, h2 = R * R - 0.25 * chord * chord;
      if (!(chord > 1e-9)) fail("A full circle needs a centre: its radius alone does not say where it lies");
      if (h2 < -kArcMismatch * std::abs(R)) fail("The radius of the arc is less than half of its chord");
      // Less than half a turn lies left of the chord for G3 with R > 0.
      const double h = (R > 0 ? 1 : -1) * sign * std::sqrt(std::max(0.0, h2));
      middle = 0.5 * (from + end) + h / chord * Vec2(-d.y(), d.x());
    } else {
      if (!i && !j) fail("An arc has neither a radius nor a centre");
      middle = from + scale_ * Vec2(i.value_or(0), j.value_or(0));
    }
    const double r0 = (from - middle).norm(), r1 = (end - middle).norm();
    if (!(r0 > 1e-9)) fail("The arc has no radius");
    if (r0 > kLargestArc) fail("The radius of the arc is too large");
    if (std::abs(r0 - r1) > kArcMismatch) fail(fmt::format("The end of the arc is {:.4f} mm off its circle", std::abs(r0 - r1)));
    const double a0 = std::atan2(from.y() - middle.y(), from.x() - middle.x()), a1 = std::atan2(end.y() - middle.y(), end.x() - middle.x());
    double turn = sign * (a1 - a0);
    turn -= 2 * kPi * std::floor(turn / (2 * kPi));
    // Start and end in one place: a full circle; so is an end that rounding has put just behind the start.
    if (turn < 1e-9 || (end - from).norm() < 1e-9) turn = 2 * kPi;
    const double step = 2 * std::acos(std::max(0.0, 1 - kSagitta / std::max(r0, r1)));
    const int n = std::max(1, static_cast<int>(std::ceil(turn / std::min(step, 0.5 * kPi))));
    out_.chordError = std::max(out_.chordError, std::max(r0, r1) * (1 - std::cos(0.5 * turn / n)));
    const double feed = feedFor(std::hypot(0.5 * (r0 + r1) * turn, to[w] - word_[w]));
    const std::array<double, 5> start = word_;
    for (int k = 1; k <= n; ++k) {
      const double x = double(k) / n, a = a0 + sign * turn * x, rk = r0 + x * (r1 - r0);
      std::array<double, 5> next = to;
      if (k < n) {
        next = start;
        next[u] = middle.x() + rk * std::cos(a), next[v] = middle.y() + rk * std::sin(a);
        next[w] = start[w] + x * (to[w] - start[w]);
      }
      lineTo(next, false, feed);
    }
  }

  const Machine& machine_;
  const std::string& text_;
  Replay out_;
  std::vector<Word> words_;
  std::vector<std::string> unknown_;
  Joints at_;                  // NaN: not known
  std::array<double, 5> word_; // programmed numbers, mm and radians; NaN: not known
  int line_ = 0, first_ = 0, motion_ = -1, plane_ = 0, feedMode_ = 94, tool_ = 0, nextTool_ = 0;
  double scale_ = 1, feed_ = 0, rpm_ = 0;
  bool absolute_ = true, tcp_ = false, cancelled_ = false, spindleOn_ = false, ended_ = false, given_ = false;
  bool wholeTold_ = false, standTold_ = false;
};

} // namespace

Replay replayIso(const Machine& machine, const std::string& text) {
  return Reader(machine, text).run();
}

} // namespace hemline
