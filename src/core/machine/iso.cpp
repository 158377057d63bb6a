#include "machine/program.h"
#include <charconv>
#include <fmt/format.h>
#include <sstream>

namespace hemline {
namespace {

struct Words {
  double factor; // mm to output unit
  int decimals;
  static constexpr int kAngleDecimals = 5;
  double rounding() const { return 0.5 * std::pow(10.0, -decimals) / factor; }
  static double angleRounding() { return radians(0.5e-5); }
};

Words wordsFor(LengthUnit unit) {
  return unit == LengthUnit::Inch ? Words{1 / kInch, 6} : Words{1, 5};
}

/// Joints as programmed numbers: tip coordinates with tool-centre-point, else machine axes.
std::array<double, 5> programmed(const Machine& m, const Location& l, const Joints& q, bool tcp) {
  if (m.fiveAxis && tcp) return {l.tip.x(), l.tip.y(), l.tip.z(), q[3], q[4]};
  return q;
}

std::string cleaned(std::string s) {
  for (char& c : s)
    if (c == '(' || c == ')' || static_cast<unsigned char>(c) < 32 || static_cast<unsigned char>(c) > 126) c = ' ';
  return s;
}

/// Straight in joints from q0 to q1: where is the tip at u?
ReplayedMove moveOf(const Joints& a, const Joints& b, bool tcp) {
  return {a, b, false, tcp, 0, 0};
}

} // namespace

std::string writeIso(const Machine& m, const std::vector<ProgramStep>& steps, const ProgramOptions& o) {
  const Words w = wordsFor(o.unit);
  const bool tcp = m.fiveAxis && o.toolCentrePoint;
  std::string out = "%\n(" + cleaned(o.title) + ")\n";
  if (!m.commissioned) out += "(NOT QUALIFIED FOR YOUR MACHINE: no commissioned post is recorded)\n";
  out += fmt::format("(written for the stand-in machine {})\n", cleaned(m.name));
  out += "(first run: single block, low feed override, hand on feed hold, guards closed, eye protection)\n"
         "(touch the cutter length off again after every change; the machine maker's manual and the shop's rules come first)\n";
  out += fmt::format("{} G90 G94 G17\n", o.unit == LengthUnit::Inch ? "G20" : "G21");
  for (const ProgramStep& step : steps) {
    out += fmt::format("(step {}; cutter {})\n", cleaned(step.name), cleaned(step.cutter));
    out += fmt::format("T{} M6\n", step.toolNumber);
    if (step.rpm > 0) out += fmt::format("S{:.0f} M3\n", step.rpm);
    out += tcp ? fmt::format("G43.4 H{}\n", step.toolNumber) : fmt::format("G43 H{}\n", step.toolNumber);
    std::array<std::string, 5> last;
    std::string lastFeed, lastG;
    const auto block = [&](const std::array<double, 5>& v, bool rapid, double feed) {
      std::string line;
      for (std::size_t k = 0; k < (m.fiveAxis ? 5U : 3U); ++k) {
        double x = k < 3 ? v[k] * w.factor : degrees(v[k]);
        std::string text = fmt::format("{:.{}f}", x, k < 3 ? w.decimals : Words::kAngleDecimals);
        if (text.find_first_not_of("-0.") == std::string::npos && text[0] == '-') text.erase(0, 1);
        if (text == last[k]) continue;
        last[k] = text;
        while (text.back() == '0') text.pop_back(); // "12." stays
        line += fmt::format(" {}{}", kAxisName[k], text);
      }
      if (line.empty()) return;
      const std::string g = rapid ? "G0" : "G1";
      std::string head = g == lastG ? "" : g;
      lastG = g;
      out += head.empty() ? line.substr(1) : head + line;
      if (!rapid) {
        const std::string f = fmt::format(" F{:.3f}", feed * 60 * w.factor);
        if (f != lastFeed) out += lastFeed = f;
      }
      out += '\n';
    };
    const auto& l = step.path->locations;
    for (std::size_t i = 0; i < l.size(); ++i) {
      const bool rapid = l[i].motion == Motion::Rapid;
      if (i > 0 && m.fiveAxis) {
        // Between blocks the control runs its joints; split until tip and axis stay within the tolerance.
        const std::function<void(double, const Joints&, double, const Joints&, int)> split = [&](double u0, const Joints& q0, double u1,
                                                                                                 const Joints& q1, int depth) {
          Vec3 tip, axis, tipM, axisM;
          const double u = 0.5 * (u0 + u1);
          poseAlong(l[i - 1], l[i], u, tip, axis);
          replayedPose(m, moveOf(q0, q1, tcp), 0.5, tipM, axisM);
          if (depth == 0 || rapid || (tip - tipM).norm() + 10 * angleBetween(axis, axisM) <= 0.8 * o.tolerance) return;
          const auto both = inverse(m, tip, axis, q0);
          const Joints& a = (*both)[0];
          const Joints& b = (*both)[1];
          const Joints q = std::abs(a[3] - q0[3]) + std::abs(a[4] - q0[4]) <= std::abs(b[3] - q0[3]) + std::abs(b[4] - q0[4]) ? a : b;
          split(u0, q0, u, q, depth - 1);
          Location mid = l[i];
          mid.tip = tip;
          block(programmed(m, mid, q, tcp), false, l[i].feed);
          split(u, q, u1, q1, depth - 1);
        };
        split(0, step.joints->joints[i - 1], 1, step.joints->joints[i], 10);
      }
      block(programmed(m, l[i], step.joints->joints[i], tcp), rapid, l[i].feed);
    }
    out += "M5\n";
    if (tcp) out += "G49\n";
  }
  out += "M30\n%\n";
  return out;
}

Replay replayIso(const Machine& m, const std::string& text) {
  Replay out;
  std::istringstream in(text);
  std::string line;
  Joints at{};
  std::array<double, 5> word{}; // programmed values, mm and radians
  double scale = 1, feed = 0;
  bool rapid = true, absolute = true, tcp = false, placed = false;
  for (int number = 1; std::getline(in, line); ++number) {
    const auto fail = [&](const std::string& what) {
      throw Error(what, fmt::format("line {}", number), "The program is damaged or uses words this machine does not know.");
    };
    bool motion = false;
    std::array<bool, 5> given{};
    for (std::size_t i = 0; i < line.size();) {
      const char c = line[i];
      if (c == '(') {
        const auto close = line.find(')', i);
        if (close == std::string::npos) fail("A comment is not closed");
        i = close + 1;
        continue;
      }
      if (std::isspace(static_cast<unsigned char>(c)) || c == '%') {
        ++i;
        continue;
      }
      if (c < 'A' || c > 'Z') fail(std::string("'") + c + "' is not a word");
      double v = 0;
      const char* begin = line.c_str() + i + 1;
      const auto [end, error] = std::from_chars(begin, line.c_str() + line.size(), v);
      if (error != std::errc() || !std::isfinite(v)) fail(std::string("The word ") + c + " has no number");
      i = static_cast<std::size_t>(end - line.c_str());
      const auto axis = std::find(kAxisName.begin(), kAxisName.end(), c);
      if (axis != kAxisName.end()) {
        const auto k = static_cast<std::size_t>(axis - kAxisName.begin());
        if (k >= 3 && !m.fiveAxis) fail(std::string("The machine has no axis ") + c);
        const double x = k < 3 ? v * scale : radians(v);
        word[k] = absolute ? x : word[k] + x;
        given[k] = motion = true;
      } else if (c == 'G') {
        const long g = std::lround(v * 10);
        if (g == 0)
          rapid = true;
        else if (g == 10)
          rapid = false;
        else if (g == 200)
          scale = kInch;
        else if (g == 210)
          scale = 1;
        else if (g == 900)
          absolute = true;
        else if (g == 910)
          absolute = false;
        else if (g == 434)
          tcp = true, placed = false;
        else if (g == 490)
          tcp = false, placed = false;
        else if (g == 20 || g == 30)
          fail("Arcs are not supported");
        else if (g != 430 && g != 940 && g != 170)
          out.unsupported.push_back(fmt::format("line {}: G{}", number, v));
      } else if (c == 'F') {
        feed = v * scale / 60;
      } else if (c != 'N' && c != 'S' && c != 'T' && c != 'M' && c != 'H' && c != 'O') {
        out.unsupported.push_back(fmt::format("line {}: {}", number, c));
      }
    }
    if (!motion) continue;
    Joints to = word;
    const bool useTcp = m.fiveAxis && tcp;
    if (useTcp) {
      const Mat3 ra = Eigen::AngleAxisd(word[3], Vec3::UnitX()).toRotationMatrix(),
                 rc = Eigen::AngleAxisd(word[4], Vec3::UnitZ()).toRotationMatrix();
      const Vec3 p = m.aPivot + ra * (rc * (Vec3(word[0], word[1], word[2]) + m.workOffset) - m.aPivot);
      to = {p.x(), p.y(), p.z(), word[3], word[4]};
    }
    if (!rapid && feed <= 0) fail("A cutting move has no feed");
    // The first position of a step is reached from wherever the machine stood.
    out.moves.push_back({placed ? at : to, to, rapid, useTcp, feed, number});
    placed = true;
    at = to;
  }
  return out;
}

void replayedPose(const Machine& m, const ReplayedMove& move, double u, Vec3& tip, Vec3& axis) {
  Joints q;
  for (std::size_t k = 0; k < 5; ++k) q[k] = move.from[k] + u * (move.to[k] - move.from[k]);
  forward(m, q, tip, axis);
  if (move.toolCentrePoint) {
    Vec3 t0, t1, a;
    forward(m, move.from, t0, a);
    forward(m, move.to, t1, a);
    tip = t0 + u * (t1 - t0);
  }
}

Comparison compareReplay(const Machine& m, const Replay& replay, const std::vector<ProgramStep>& steps, const ProgramOptions& o) {
  Comparison out;
  const Words w = wordsFor(o.unit);
  double lever = 0;
  const double inside = m.fiveAxis ? o.tolerance : 0;
  std::size_t k = 0;
  for (const ProgramStep& step : steps) {
    const auto& l = step.path->locations;
    // Places of the path, each met in order by the replay; between them the replay must stay on the move.
    std::size_t i = 0;
    Vec3 tip, axis;
    while (i < l.size() && k < replay.moves.size()) {
      const ReplayedMove& move = replay.moves[k];
      if (i == 0) {
        replayedPose(m, move, 1, tip, axis);
        out.tip = std::max(out.tip, (tip - l[0].tip).norm());
        out.angle = std::max(out.angle, angleBetween(axis, l[0].axis));
        ++i, ++k;
        // Locations equal within rounding write no block of their own.
        continue;
      }
      replayedPose(m, move, 1, tip, axis);
      const double close = 2e-4 + 4 * w.rounding();
      if ((l[i].tip - l[i - 1].tip).norm() + 100 * angleBetween(l[i].axis, l[i - 1].axis) < 4 * w.rounding() &&
          (tip - l[i].tip).norm() > close) {
        ++i;
        continue;
      }
      if (move.rapid != (l[i].motion == Motion::Rapid)) out.complete = false;
      for (const double u : {0.25, 0.5, 0.75, 1.0}) {
        Vec3 t, a;
        replayedPose(m, move, u, t, a);
        const Vec3 d = l[i].tip - l[i - 1].tip;
        const double dd = d.squaredNorm(), x = dd > 0 ? std::clamp((t - l[i - 1].tip).dot(d) / dd, 0.0, 1.0) : 0;
        const double off = (t - l[i - 1].tip - x * d).norm();
        // Rapids are proven as straight joints elsewhere; here their ends count.
        if (move.rapid && u < 1) continue;
        if (off > out.tip) out.tip = off, out.line = move.line;
        lever = std::max(lever, (t + m.workOffset - m.aPivot).norm());
      }
      const bool arrived = (tip - l[i].tip).norm() < close && angleBetween(axis, l[i].axis) < 1e-5;
      if (arrived) {
        out.angle = std::max(out.angle, angleBetween(axis, l[i].axis));
        ++i;
      }
      ++k;
    }
    while (i < l.size() && (l[i].tip - l[i - 1].tip).norm() < 4 * w.rounding()) ++i;
    if (i < l.size()) out.complete = false;
  }
  if (k < replay.moves.size()) out.complete = false;
  out.allowed = 1e-4 + std::sqrt(3.0) * w.rounding() + (m.fiveAxis && !o.toolCentrePoint ? 2 * Words::angleRounding() * lever : 0) + inside;
  return out;
}

} // namespace hemline
