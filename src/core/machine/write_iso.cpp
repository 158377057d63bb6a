#include "base/safe_name.h"
#include "machine/program.h"
#include <fmt/format.h>
#include <functional>

namespace hemline {
namespace {

constexpr int kHalvings = 20; // of one block

/// Joints as programmed numbers, from the work zero: tip coordinates with tool-centre-point, else machine axes.
std::array<double, 5> programmed(const Machine& m, const Location& l, const Joints& q, bool tcp) {
  if (m.fiveAxis && tcp) return {l.tip.x(), l.tip.y(), l.tip.z(), q[3], q[4]};
  return {q[0] - m.workOffset.x(), q[1] - m.workOffset.y(), q[2] - m.workOffset.z(), q[3], q[4]};
}

/// Straight in joints from q0 to q1: where is the tip at u?
ReplayedMove moveOf(const Joints& a, const Joints& b, bool tcp) {
  return {a, b, false, tcp, 0, 0};
}

} // namespace

std::string writeIso(const Machine& m, const std::vector<ProgramStep>& steps, const ProgramOptions& o) {
  assert(std::all_of(steps.begin(), steps.end(),
                     [](const ProgramStep& s) { return s.path && s.joints && s.joints->joints.size() == s.path->locations.size(); }));
  const OutputWords w(o.unit);
  const bool tcp = m.fiveAxis && o.toolCentrePoint;
  std::string out = "%\n(" + isoComment(o.title) + ")\n";
  if (!m.commissioned) out += "(NOT QUALIFIED FOR YOUR MACHINE: no commissioned post is recorded)\n";
  out += fmt::format("(written for the stand-in machine {})\n", isoComment(m.name));
  out += "(first run: single block, low feed override, hand on feed hold, guards closed, eye protection)\n"
         "(touch the cutter length off again after every change; the machine maker's manual and the shop's rules come first)\n";
  out += fmt::format("{} G90 G94 G17 G54\n", o.unit == LengthUnit::Inch ? "G20" : "G21");
  for (const ProgramStep& step : steps) {
    out += fmt::format("(step {}; cutter {})\n", isoComment(step.name), isoComment(step.cutter));
    out += fmt::format("T{} M6\n", step.toolNumber);
    if (step.rpm > 0) out += fmt::format("S{:.0f} M3\n", step.rpm);
    out += tcp ? fmt::format("G43.4 H{}\n", step.toolNumber) : fmt::format("G43 H{}\n", step.toolNumber);
    std::array<std::string, 5> last;
    std::string lastFeed, lastG;
    const auto block = [&](const std::array<double, 5>& v, bool rapid, double feed) {
      std::string line;
      for (std::size_t k = 0; k < (m.fiveAxis ? 5U : 3U); ++k) {
        double x = k < 3 ? v[k] * w.factor : degrees(v[k]);
        std::string text = fmt::format("{:.{}f}", x, k < 3 ? w.decimals : OutputWords::kAngleDecimals);
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
    const double lever = std::max(10.0, step.reach);
    for (std::size_t i = 0; i < l.size(); ++i) {
      const bool rapid = l[i].motion == Motion::Rapid;
      if (i > 0 && m.fiveAxis) {
        // Between blocks the control runs its joints; split until tip and axis stay within the tolerance.
        const std::function<void(double, const Joints&, double, const Joints&, int)> split = [&](double u0, const Joints& q0, double u1,
                                                                                                 const Joints& q1, int depth) {
          if (depth == 0 || rapid) return;
          const auto poseAt = [&](double u, Vec3& tip, Vec3& axis) { poseAlong(l[i - 1], l[i], u, tip, axis); };
          bool within = true;
          for (const double x : {0.25, 0.5, 0.75}) {
            Vec3 tip, axis, tipM, axisM;
            poseAt(u0 + x * (u1 - u0), tip, axis);
            replayedPose(m, moveOf(q0, q1, tcp), x, tipM, axisM);
            within = within && (tip - tipM).norm() + lever * angleBetween(axis, axisM) <= 0.8 * o.tolerance;
          }
          if (within) return;
          const double u = 0.5 * (u0 + u1);
          Location mid = l[i];
          poseAt(u, mid.tip, mid.axis);
          Joints between;
          for (std::size_t k = 0; k < 5; ++k) between[k] = 0.5 * (q0[k] + q1[k]);
          const auto both = inverse(m, mid.tip, mid.axis, between);
          const auto off = [&](const Joints& q) { return std::abs(q[3] - between[3]) + std::abs(q[4] - between[4]); };
          const Joints q = off((*both)[0]) <= off((*both)[1]) ? (*both)[0] : (*both)[1];
          split(u0, q0, u, q, depth - 1);
          block(programmed(m, mid, q, tcp), false, l[i].feed);
          split(u, q, u1, q1, depth - 1);
        };
        split(0, step.joints->joints[i - 1], 1, step.joints->joints[i], kHalvings);
      }
      block(programmed(m, l[i], step.joints->joints[i], tcp), rapid, l[i].feed);
    }
    out += "M5\n";
    if (tcp) out += "G49\n";
  }
  out += "M30\n%\n";
  return out;
}

} // namespace hemline
