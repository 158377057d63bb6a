#include "machine/program.h"
#include <algorithm>
#include <fmt/format.h>
#include <functional>

namespace hemline {

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

namespace {

/// How far a pose is from a move, at the tip and at the far end of the assembly: at the place of the move that fits both best.
struct Off {
  double tip = 0, angle = 0, top = 0;
};

Off offMove(const Location& a, const Location& b, const Vec3& tip, const Vec3& axis, double reach) {
  const Vec3 d = b.tip - a.tip;
  const double dd = d.squaredNorm(), turn = angleBetween(a.axis, b.axis);
  const auto at = [&](double x) {
    Off o;
    o.tip = (tip - a.tip - x * d).norm(), o.angle = angleBetween(axis, slerp(a.axis, b.axis, x)), o.top = o.tip + reach * o.angle;
    return o;
  };
  double x = dd > 0 ? std::clamp((tip - a.tip).dot(d) / dd, 0.0, 1.0) : 0;
  if (!(turn > 1e-12)) return at(x);
  if (!(dd > 1e-12)) x = std::clamp(angleBetween(axis, a.axis) / turn, 0.0, 1.0);
  // Both distances are about convex in the place: thirds close in on the least of their sum from where the tip is.
  double lo = std::max(0.0, x - 0.1), hi = std::min(1.0, x + 0.1);
  if (dd < 1e-6) lo = 0, hi = 1;
  Off best = at(x);
  for (int k = 0; k < 40 && best.top > 1e-5; ++k) {
    const double p = lo + (hi - lo) / 3, q = hi - (hi - lo) / 3;
    const Off atP = at(p), atQ = at(q);
    if (atP.top < best.top) best = atP;
    if (atQ.top < best.top) best = atQ;
    (atP.top < atQ.top ? hi : lo) = atP.top < atQ.top ? q : p;
  }
  return best;
}

} // namespace

Comparison compareReplay(const Machine& m, const Replay& replay, const std::vector<ProgramStep>& steps, const ProgramOptions& o) {
  assert(std::all_of(steps.begin(), steps.end(), [](const ProgramStep& s) { return s.path && s.joints; }));
  Comparison out;
  const OutputWords w(o.unit);
  double lever = 0, reach = 0, worst = 0;
  const double inside = m.fiveAxis ? o.tolerance : 0;
  std::size_t k = 0;
  const auto take = [&](const Off& off, int line) {
    out.tip = std::max(out.tip, off.tip), out.angle = std::max(out.angle, off.angle), out.top = std::max(out.top, off.top);
    if (off.top > worst) worst = off.top, out.line = line;
  };
  for (const ProgramStep& step : steps) {
    const auto& l = step.path->locations;
    reach = std::max(reach, step.reach);
    // Places of the path, each met in order by the replay; between them the replay must stay on the move.
    std::size_t i = 0;
    Vec3 tip, axis;
    while (i < l.size() && k < replay.moves.size()) {
      const ReplayedMove& move = replay.moves[k];
      replayedPose(m, move, 1, tip, axis);
      if (i == 0) {
        take(offMove(l[0], l[0], tip, axis, step.reach), move.line);
        ++i, ++k;
        // Locations equal within rounding write no block of their own.
        continue;
      }
      const double close = 2e-4 + 4 * w.rounding();
      if ((l[i].tip - l[i - 1].tip).norm() + 100 * angleBetween(l[i].axis, l[i - 1].axis) < 4 * w.rounding() &&
          (tip - l[i].tip).norm() > close) {
        ++i;
        continue;
      }
      if (move.rapid != (l[i].motion == Motion::Rapid)) out.complete = false;
      for (const double u : {0.25, 0.5, 0.75, 1.0}) {
        // Rapids are proven as straight joints elsewhere; here their ends count.
        if (move.rapid && u < 1) continue;
        Vec3 t, a;
        replayedPose(m, move, u, t, a);
        take(offMove(l[i - 1], l[i], t, a, step.reach), move.line);
        lever = std::max(lever, (t + m.workOffset - m.aPivot).norm());
      }
      if ((tip - l[i].tip).norm() < close && angleBetween(axis, l[i].axis) < 1e-5) ++i;
      ++k;
    }
    while (i < l.size() && (l[i].tip - l[i - 1].tip).norm() < 4 * w.rounding()) ++i;
    if (i < l.size()) out.complete = false;
  }
  if (k < replay.moves.size()) out.complete = false;
  out.allowed =
      1e-4 + std::sqrt(3.0) * w.rounding() + (m.fiveAxis && !o.toolCentrePoint ? 2 * OutputWords::angleRounding() * lever : 0) + inside;
  out.allowedTop = out.allowed + (m.fiveAxis ? 2 * OutputWords::angleRounding() * reach : 0);
  if (out.tip > out.allowed || out.top > out.allowedTop)
    out.wrong = fmt::format(
        "line {}: as the machine runs it, the {} leaves the proven path by {:.4f} mm ({:.4f} allowed){}", out.line,
        out.tip > out.allowed ? "tip" : "far end of the assembly", out.tip > out.allowed ? out.tip : out.top,
        out.tip > out.allowed ? out.allowed : out.allowedTop,
        m.fiveAxis ? "; a rotary axis turns too far within one block there. Lean the step's axis away from the machine's C axis, or use "
                     "centre-point mode"
                   : "");
  else if (!out.complete)
    out.wrong = "its blocks are not the path's places in order; compute the job again";
  return out;
}

namespace {

/// Joints a fraction u through a move.
Joints jointsAlong(const Machine& m, const ReplayedMove& move, double u) {
  Joints q;
  for (std::size_t k = 0; k < 5; ++k) q[k] = move.from[k] + u * (move.to[k] - move.from[k]);
  if (!move.toolCentrePoint || u == 0 || u == 1) return u == 1 ? move.to : q;
  Vec3 tip, axis;
  replayedPose(m, move, u, tip, axis);
  const Mat3 ra = Eigen::AngleAxisd(q[3], Vec3::UnitX()).toRotationMatrix(), rc = Eigen::AngleAxisd(q[4], Vec3::UnitZ()).toRotationMatrix();
  const Vec3 p = m.aPivot + ra * (rc * (tip + m.workOffset) - m.aPivot);
  return {p.x(), p.y(), p.z(), q[3], q[4]};
}

} // namespace

ReplayedPath pathOf(const Machine& m, const Replay& replay, int tool, double reach, double tolerance) {
  ReplayedPath out;
  double split = 0;
  std::vector<Location>& l = out.path.locations;
  bool fresh = true; // the next move does not follow from the one before
  int pass = 0;
  const auto limits = [&](const Joints& q, int line) {
    for (std::size_t k = 0; k < (m.fiveAxis ? 5U : 3U); ++k) {
      const AxisLimits& a = m.axis[k];
      if ((q[k] >= a.low - 1e-9 && q[k] <= a.high + 1e-9) || out.limits.size() >= 20) continue;
      const double scale = k < 3 ? 1 : 180 / kPi;
      out.limits.push_back(fmt::format("line {}: {} = {:.3f} is outside its travel of {:.0f} to {:.0f}", line, kAxisName[k], q[k] * scale,
                                       a.low * scale, a.high * scale));
    }
  };
  const auto put = [&](const Vec3& tip, const Vec3& axis, const ReplayedMove& move, double u) {
    Location x;
    x.tip = tip, x.axis = axis;
    x.motion = fresh || move.rapid ? Motion::Rapid : Motion::Cut;
    x.feed = x.motion == Motion::Rapid ? 0 : move.feed;
    x.pass = x.motion == Motion::Rapid ? -1 : pass;
    if (fresh) out.path.unknownWays.push_back(l.size());
    fresh = false;
    l.push_back(x);
    out.path.lines.push_back(move.line);
    out.joints.push_back(jointsAlong(m, move, u));
    limits(out.joints.back(), move.line);
  };
  for (const ReplayedMove& move : replay.moves) {
    if (!move.rapid && (out.tools.empty() || out.tools.back() != move.tool)) out.tools.push_back(move.tool);
    if (tool != 0 && move.tool != tool) {
      fresh = true;
      continue;
    }
    Vec3 tip0, axis0, tip1, axis1;
    if (fresh || move.jump) {
      fresh = true;
      replayedPose(m, move, 0, tip0, axis0);
      put(tip0, axis0, move, 0);
      if (move.jump) continue;
    }
    if (move.rapid) ++pass;
    replayedPose(m, move, 0, tip0, axis0);
    replayedPose(m, move, 1, tip1, axis1);
    const bool bent = m.fiveAxis && (move.from[3] != move.to[3] || move.from[4] != move.to[4]);
    const std::function<void(double, const Vec3&, const Vec3&, double, const Vec3&, const Vec3&, int)> piece =
        [&](double u0, const Vec3& t0, const Vec3& a0, double u1, const Vec3& t1, const Vec3& a1, int depth) {
          double off = 0;
          for (const double x : {0.25, 0.5, 0.75}) {
            Vec3 t, a;
            replayedPose(m, move, u0 + x * (u1 - u0), t, a);
            off = std::max(off, (t - (t0 + x * (t1 - t0))).norm() + reach * angleBetween(a, slerp(a0, a1, x)));
          }
          const bool wide = angleBetween(a0, a1) > 0.1;
          if (depth == 0 || (off <= 0.8 * tolerance && !wide)) {
            split = std::max(split, 1.25 * off);
            put(t1, a1, move, u1);
            return;
          }
          const double u = 0.5 * (u0 + u1);
          Vec3 t, a;
          replayedPose(m, move, u, t, a);
          piece(u0, t0, a0, u, t, a, depth - 1);
          piece(u, t, a, u1, t1, a1, depth - 1);
        };
    if (bent)
      piece(0, tip0, axis0, 1, tip1, axis1, 16);
    else
      put(tip1, axis1, move, 1);
  }
  out.deviation = replay.chordError + split;
  return out;
}

} // namespace hemline
