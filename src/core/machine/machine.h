// Machines as data, their kinematics (inverse kinematics, solutions chosen by dynamic programming), and motion in time.
#pragma once
#include "base/error.h"
#include "cutter/cutter.h"
#include "toolpath/path.h"
#include <array>
#include <nlohmann/json_fwd.hpp>
#include <optional>

namespace hemline {

/// Axis order everywhere: X, Y, Z (mm), A, C (radians).
using Joints = std::array<double, 5>;
constexpr std::array<char, 5> kAxisName{'X', 'Y', 'Z', 'A', 'C'};

struct AxisLimits {
  double low, high, velocity, acceleration; ///< mm or rad, per s, per s^2
};

struct SpindlePoint {
  double rpm, torque; ///< Nm
};

struct Machine;
/// Torque that the spindle gives at a speed (between the given points in a straight line), Nm; nothing outside its speeds.
std::optional<double> torqueAt(const Machine& machine, double rpm);

struct Machine {
  std::string name;
  bool fiveAxis = false; ///< A (about X) carries C (about Z); the table turns, the spindle stays along Z
  /// How far the cutter may lean from Z against the work, radians; 0 on three axes.
  double leans() const { return fiveAxis ? std::max(std::abs(axis[3].low), std::abs(axis[3].high)) : 0; }
  std::array<AxisLimits, 5> axis{};
  Vec3 aPivot = Vec3::Zero();     ///< a point of the A axis, machine frame, with the C axis through x = y = 0
  Vec3 workOffset = Vec3::Zero(); ///< clamping origin in the table's frame at A = C = 0
  std::vector<SpindlePoint> spindle;
  std::vector<HolderPart> nose; ///< spindle nose, z from the holder's upper end; empty: not modelled
  Box table;                    ///< in the table's frame, whose top is z = 0; empty: not modelled
  double tableRadius = 0;       ///< a round table between table.low.z and table.high.z, mm; 0: a box
  double cornerTime = 0.005;    ///< s in which an axis may change its speed at a corner without leaving the path tolerance
  double blockTime = 0.0005;    ///< s the control needs for one block
  bool commissioned = false;    ///< a qualified person has recorded that the post was commissioned
};

Machine machineFromJson(const nlohmann::json& j, const std::string& where);
Machine readMachine(const std::string& path);

/// Pose of the tool in the clamping frame for given joints.
void forward(const Machine& machine, const Joints& joints, Vec3& tip, Vec3& axis);
/// Both solutions; the second is the same for three axes. `near` gives C where it is free (tool along the C axis) and is
/// the turn to stay near. Nothing if a three-axis machine is asked to tilt.
std::optional<std::array<Joints, 2>> inverse(const Machine& machine, const Vec3& tip, const Vec3& axis, const Joints& near);

struct LimitViolation {
  std::size_t location;
  int axis;
  double value;
};

struct JointPath {
  std::vector<Joints> joints; ///< per location
  std::vector<LimitViolation> violations;
  double turnA = 0, turnC = 0; ///< total rotation, radians
  double windUp = 0;           ///< largest |C|, radians
};

/// Joints for a whole path: from rapid to rapid the way through both solutions that leaves travels least often and then turns least, so
/// that no axis turns half round on the spot where the other solution would not (dynamic programming over both). Throws Error if the
/// machine cannot tilt the tool.
JointPath solveJoints(const Machine& machine, const Path& path);
/// The same for joints that are given already, one a location.
JointPath judgeJoints(const Machine& machine, std::vector<Joints> joints);

struct Timing {
  std::vector<double> at;       ///< seconds at each location
  std::vector<double> realised; ///< realised over programmed feed per move (1 for rapids)
  double total = 0;
};

/// Time under velocity and acceleration limits of every axis: forward-backward pass over block speeds; at a corner each
/// axis may jump by what it can accelerate in `cornerTime`. Trapezoidal within blocks.
Timing planTime(const Machine& machine, const Path& path, const JointPath& joints);

} // namespace hemline
