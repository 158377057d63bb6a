#include "machine/machine.h"
#include "base/file.h"
#include "base/ranges.h"
#include "base/units.h"
#include <cmath>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace hemline {
namespace {
double nearTurn(double angle, double near) {
  return angle + 2 * kPi * std::round((near - angle) / (2 * kPi));
}
} // namespace

namespace {
/// All numbers of a machine, each within the range of its field.
void checkNumbers(const nlohmann::json& j, const std::string& where, const std::string& field = "") {
  if (j.is_number()) inRange(field, j.get<double>(), where);
  if (j.is_array())
    for (const auto& v : j) checkNumbers(v, where, field);
  if (j.is_object())
    for (const auto& [name, v] : j.items()) checkNumbers(v, where, name);
}
} // namespace

Machine machineFromJson(const nlohmann::json& j, const std::string& where) {
  Machine m;
  try {
    m.name = j.at("name").get<std::string>();
    const std::string kinematics = j.at("kinematics").get<std::string>();
    m.fiveAxis = kinematics == "A on C table";
    if (!m.fiveAxis && kinematics != "three axes")
      throw Error(Fault::NotUnderstood, "The kinematics '" + kinematics + "' are not known", where, "Use 'three axes' or 'A on C table'.");
    const int axes = m.fiveAxis ? 5 : 3;
    for (int i = 0; i < axes; ++i) {
      const auto& a = j.at("axes").at(std::string(1, kAxisName[static_cast<std::size_t>(i)]));
      const double k = i < 3 ? 1 : kPi / 180;
      m.axis[static_cast<std::size_t>(i)] = {a.at("low").get<double>() * k, a.at("high").get<double>() * k,
                                             a.at("velocity_per_s").get<double>() * k, a.at("acceleration_per_s2").get<double>() * k};
    }
    const auto vec = [&](const char* name) {
      if (!j.contains(name)) return Vec3(0, 0, 0);
      return Vec3(j[name].at(0).get<double>(), j[name].at(1).get<double>(), j[name].at(2).get<double>());
    };
    m.aPivot = vec("a_pivot_mm");
    m.workOffset = vec("work_offset_mm");
    for (const auto& p : j.at("spindle_rpm_nm")) m.spindle.push_back({p.at(0).get<double>(), p.at(1).get<double>()});
    if (j.contains("spindle_nose_mm"))
      for (const auto& p : j["spindle_nose_mm"])
        m.nose.push_back({p.at(0).get<double>(), p.at(1).get<double>(), p.at(2).get<double>(), p.at(3).get<double>()});
    if (j.contains("table_mm")) {
      const auto& t = j["table_mm"];
      m.tableRadius = t.value("radius", 0.0);
      const double R = m.tableRadius;
      const auto corner = [&](const char* name, double side) {
        return R > 0 ? Vec3(side * R, side * R, t.at(name).get<double>())
                     : Vec3(t.at(name).at(0).get<double>(), t.at(name).at(1).get<double>(), t.at(name).at(2).get<double>());
      };
      m.table.add(corner("low", -1)), m.table.add(corner("high", 1));
    }
    m.cornerTime = j.value("corner_time_s", m.cornerTime);
    m.blockTime = j.value("block_time_s", m.blockTime);
    m.commissioned = j.value("post_commissioned", false);
  } catch (const nlohmann::json::exception& e) {
    throw Error(Fault::Damaged, std::string("The machine file is damaged: ") + e.what(), where, "Compare it with the shipped machines.");
  }
  checkNumbers(j, where);
  for (int i = 0; i < (m.fiveAxis ? 5 : 3); ++i)
    if (const AxisLimits& a = m.axis[static_cast<std::size_t>(i)]; !(a.low < a.high && a.velocity > 0 && a.acceleration > 0))
      throw Error(Fault::Missing, fmt::format("Axis {} has no travel, no speed or no acceleration", kAxisName[static_cast<std::size_t>(i)]),
                  where, "Give low below high, and both of the others above 0.");
  for (std::size_t i = 0; i < m.spindle.size(); ++i)
    if (!(m.spindle[i].rpm >= 0 && m.spindle[i].torque >= 0) || (i > 0 && !(m.spindle[i].rpm > m.spindle[i - 1].rpm)))
      throw Error(Fault::OutOfRange, "The spindle's speeds do not rise from point to point", where,
                  "Give [rpm, N m] in order, none negative.");
  for (const HolderPart& n : m.nose)
    if (!(n.z1 > n.z0 && n.r0 > 0 && n.r1 > 0))
      throw Error(Fault::Missing, "A part of the spindle nose has no height or no radius", where,
                  "Give each as [z from, radius, z to, radius], z upwards.");
  if (j.contains("table_mm") && !(m.tableRadius >= 0 && m.table.size().minCoeff() > 0))
    throw Error(Fault::Missing, "The table has no size", where, "Give its low and high corner, or a radius with low and high as heights.");
  return m;
}

Machine readMachine(const std::string& path) {
  return machineFromJson(parseJson(readFile(path), "The machine file", path, "Compare it with the shipped machines."), path);
}

void forward(const Machine& m, const Joints& q, Vec3& tip, Vec3& axis) {
  const Vec3 xyz(q[0], q[1], q[2]);
  if (!m.fiveAxis) {
    tip = xyz - m.workOffset;
    axis = Vec3::UnitZ();
    return;
  }
  const Mat3 ra = Eigen::AngleAxisd(q[3], Vec3::UnitX()).toRotationMatrix(), rc = Eigen::AngleAxisd(q[4], Vec3::UnitZ()).toRotationMatrix();
  // table to machine: pivot + Ra (Rc (p + work) - pivot)
  tip = rc.transpose() * (ra.transpose() * (xyz - m.aPivot) + m.aPivot) - m.workOffset;
  axis = rc.transpose() * (ra.transpose() * Vec3::UnitZ());
}

std::optional<double> torqueAt(const Machine& machine, double rpm) {
  const auto& curve = machine.spindle;
  if (curve.empty() || rpm < curve.front().rpm || rpm > curve.back().rpm) return std::nullopt;
  for (std::size_t i = 1; i < curve.size(); ++i)
    if (rpm <= curve[i].rpm) {
      const double x = (rpm - curve[i - 1].rpm) / (curve[i].rpm - curve[i - 1].rpm);
      return curve[i - 1].torque + x * (curve[i].torque - curve[i - 1].torque);
    }
  return curve.back().torque;
}

std::optional<std::array<Joints, 2>> inverse(const Machine& m, const Vec3& tip, const Vec3& a, const Joints& near) {
  std::array<Joints, 2> out{};
  if (!m.fiveAxis) {
    if (angleBetween(a, Vec3::UnitZ()) > 1e-9) return std::nullopt;
    const Vec3 p = tip + m.workOffset;
    out[0] = out[1] = {p.x(), p.y(), p.z(), 0, 0};
    return out;
  }
  const double h = std::hypot(a.x(), a.y());
  for (std::size_t k = 0; k < 2; ++k) {
    const double sign = k == 0 ? 1 : -1;
    const double tiltA = std::atan2(sign * h, a.z());
    const double c = h < 1e-9 ? near[4] : nearTurn(std::atan2(sign * a.x(), sign * a.y()), near[4]);
    const Mat3 ra = Eigen::AngleAxisd(tiltA, Vec3::UnitX()).toRotationMatrix(), rc = Eigen::AngleAxisd(c, Vec3::UnitZ()).toRotationMatrix();
    const Vec3 p = m.aPivot + ra * (rc * (tip + m.workOffset) - m.aPivot);
    out[k] = {p.x(), p.y(), p.z(), tiltA, c};
  }
  return out;
}

namespace {
/// The first axis that is outside its travel.
std::optional<int> leaves(const Machine& m, const Joints& q) {
  for (int i = 0; i < (m.fiveAxis ? 5 : 3); ++i) {
    const auto k = static_cast<std::size_t>(i);
    if (q[k] < m.axis[k].low - 1e-9 || q[k] > m.axis[k].high + 1e-9) return i;
  }
  return std::nullopt;
}
} // namespace

JointPath judgeJoints(const Machine& m, std::vector<Joints> joints) {
  JointPath out;
  for (std::size_t n = 0; n < joints.size(); ++n) {
    const Joints& q = joints[n];
    if (const auto axis = leaves(m, q)) out.violations.push_back({n, *axis, q[static_cast<std::size_t>(*axis)]});
    if (n > 0) {
      out.turnA += std::abs(q[3] - joints[n - 1][3]);
      out.turnC += std::abs(q[4] - joints[n - 1][4]);
    }
    out.windUp = std::max(out.windUp, std::abs(q[4]));
  }
  out.joints = std::move(joints);
  return out;
}

namespace {
/// How near the axis comes to the pole (the tool along the C axis) on its way from a to b, radians.
double nearestToPole(const Vec3& a, const Vec3& b) {
  const Vec3 pole = Vec3::UnitZ(), across = a.cross(b);
  const double ends = std::min(angleBetween(a, pole), angleBetween(b, pole));
  if (!(across.norm() > 1e-12)) return ends;
  const Vec3 n = across.normalized(), foot = pole - pole.dot(n) * n;
  const bool between = a.cross(foot).dot(n) > 0 && foot.cross(b).dot(n) > 0;
  return between ? std::min(ends, std::abs(std::asin(std::clamp(n.z(), -1.0, 1.0)))) : ends;
}
} // namespace

JointPath solveJoints(const Machine& m, const Path& path) {
  assert(std::all_of(path.locations.begin(), path.locations.end(), [](const Location& l) { return isUnit(l.axis); }));
  constexpr double kThroughPole = 1e-6; // radians: as good as through it, at the far end of any assembly
  const auto& l = path.locations;
  std::vector<Joints> joints(l.size());
  Joints at{};
  for (std::size_t i = 0; i < l.size();) {
    // A stretch: rapids up to it, then everything to the next rapid. One solution serves all of it.
    std::size_t j = i;
    while (j < l.size() && l[j].motion == Motion::Rapid) ++j;
    while (j < l.size() && l[j].motion != Motion::Rapid) ++j;
    // The way through both solutions that leaves travels least often and turns least: where the axis passes the pole, A goes on through
    // zero and the solution changes; kept, C would have to turn half round on the spot.
    struct Way {
      Joints at;
      int bad = 0;
      double turn = 0;
    };
    std::array<Way, 2> ways{Way{at}, Way{at}};
    std::vector<std::array<Joints, 2>> tries;
    std::vector<std::array<char, 2>> from;
    for (std::size_t n = i; n < j; ++n) {
      std::array<Way, 2> next;
      from.push_back({0, 0}), tries.push_back({});
      // Within a pass the solution changes at the pole only: anywhere else the axis would leave the path on the way.
      const bool mayChange = n == i || l[n].motion == Motion::Rapid || nearestToPole(l[n - 1].axis, l[n].axis) < kThroughPole;
      for (std::size_t k = 0; k < 2; ++k)
        for (std::size_t before = 0; before < 2; ++before) {
          const auto both = inverse(m, l[n].tip, l[n].axis, ways[before].at);
          if (!both)
            throw Error(Fault::Cannot, fmt::format("{} cannot tilt the tool, but the path asks for it", m.name),
                        fmt::format("location {}", n + 1), "Choose a five-axis machine or a fixed axis along z.");
          Way w{(*both)[k], ways[before].bad, ways[before].turn};
          w.bad += leaves(m, w.at).has_value() + (before != k && !mayChange);
          w.turn += std::abs(w.at[3] - ways[before].at[3]) + std::abs(w.at[4] - ways[before].at[4]);
          if (before == 0 || w.bad < next[k].bad || (w.bad == next[k].bad && w.turn < next[k].turn - 1e-12))
            next[k] = w, from.back()[k] = static_cast<char>(before), tries.back()[k] = w.at;
        }
      ways = next;
    }
    std::size_t pick = ways[0].bad != ways[1].bad ? (ways[1].bad < ways[0].bad) : (ways[1].turn < ways[0].turn - 1e-12);
    at = ways[pick].at;
    for (std::size_t n = j; n-- > i;) {
      joints[n] = tries[n - i][pick];
      pick = static_cast<std::size_t>(from[n - i][pick]);
    }
    i = j;
  }
  return judgeJoints(m, std::move(joints));
}

Timing planTime(const Machine& m, const Path& path, const JointPath& joints) {
  assert(joints.joints.size() == path.locations.size());
  Timing out;
  const std::size_t n = path.locations.size();
  out.at.assign(n, 0);
  out.realised.assign(n, 1);
  if (n < 2) return out;
  const std::size_t axes = m.fiveAxis ? 5 : 3;
  // Per block: its measure (tip travel, or joint travel where the tip rests), speed and acceleration limits.
  std::vector<double> length(n, 0), top(n, 0), acc(n, 0), corner(n, 0);
  std::vector<Joints> g(n);
  for (std::size_t i = 1; i < n; ++i) {
    const Location &a = path.locations[i - 1], &b = path.locations[i];
    double s = (b.tip - a.tip).norm();
    Joints d{};
    double lever = 0;
    for (std::size_t k = 0; k < axes; ++k) {
      d[k] = joints.joints[i][k] - joints.joints[i - 1][k];
      lever = std::max(lever, std::abs(d[k]));
    }
    if (s < 1e-9) s = lever * 100; // turning on the spot, as if 100 mm off
    length[i] = s;
    if (s < 1e-12) continue;
    top[i] = b.motion == Motion::Rapid || b.feed <= 0 ? 1e9 : b.feed;
    top[i] = std::min(top[i], s / m.blockTime);
    acc[i] = 1e9;
    for (std::size_t k = 0; k < axes; ++k) {
      g[i][k] = d[k] / s;
      if (std::abs(g[i][k]) < 1e-12) continue;
      top[i] = std::min(top[i], m.axis[k].velocity / std::abs(g[i][k]));
      acc[i] = std::min(acc[i], m.axis[k].acceleration / std::abs(g[i][k]));
    }
  }
  std::size_t before = 0;
  for (std::size_t i = 1; i < n; ++i) {
    if (length[i] < 1e-12) continue;
    if (before > 0) {
      double v = std::min(top[before], top[i]);
      for (std::size_t k = 0; k < axes; ++k) {
        const double jump = std::abs(g[i][k] - g[before][k]);
        if (jump > 1e-12) v = std::min(v, m.axis[k].acceleration * m.cornerTime / jump);
      }
      corner[before] = v; // speed at the end of the block before
    }
    before = i;
  }
  if (before > 0) corner[before] = 0;
  std::vector<double> end(corner);
  double later = -1;
  std::size_t next = 0;
  for (std::size_t i = n - 1; i > 0; --i) {
    if (length[i] < 1e-12) continue;
    if (next > 0) end[i] = std::min(end[i], std::sqrt(later * later + 2 * acc[next] * length[next]));
    later = end[i];
    next = i;
  }
  double v = 0, t = 0;
  for (std::size_t i = 1; i < n; ++i) {
    if (length[i] >= 1e-12) {
      const double a = acc[i], s = length[i];
      const double ve = std::min(end[i], std::sqrt(v * v + 2 * a * s));
      const double vp = std::min(top[i], std::sqrt((2 * a * s + v * v + ve * ve) / 2));
      const double ramp = (vp * vp - v * v) / (2 * a) + (vp * vp - ve * ve) / (2 * a);
      const double dt = (vp - v) / a + (vp - ve) / a + std::max(0.0, s - ramp) / vp;
      t += dt;
      if (path.locations[i].motion != Motion::Rapid && path.locations[i].feed > 0)
        out.realised[i] = std::min(1.0, s / dt / path.locations[i].feed);
      v = ve;
    }
    out.at[i] = t;
  }
  out.total = t;
  return out;
}

} // namespace hemline
