// Cutting load (Kienzle): what a step asks of grip and work: cutting force and bending, move by move, from what was measured on the stock.
#pragma once
#include "cutter/force.h"
#include "hold/grip.h"
#include "proof/clearance.h"

namespace hemline {

struct Effort {
  double force = 0; ///< largest, N; see cuttingForce
  Vec3 at = Vec3::Zero();
  double power = 0, torque = 0;     ///< largest at the spindle, W and N m; see cuttingPower
  std::size_t heaviest = 0;         ///< the location where
  double cutterBends = 0;           ///< of the tip under the largest force, mm; see cutterCompliance
  std::vector<float> pushes, turns; ///< per location: force, N, and torque at the spindle, N m; negative: not looked at
  std::vector<float> bends;         ///< per location: deflection across under that move's force, mm; negative: not looked at
  double most = 0;                  ///< of `bends`
  Vec3 mostAt = Vec3::Zero();
  std::vector<double> staged; ///< the same if the step were cut in 1, 2, .. stages of like height, the farthest from the grip first
};

/// Force: cuttingForce with the move's largest arc, and the depth that a cut of this arc needs for the section which was removed over two
/// cells (no more than the move's depth): arc and depth of a move need not be at the same height. Bending: compliance with the sections
/// that the step leaves. `before`, `after`: the stock; `frame`: the clamping's.
Effort effortOf(const Path& path, const CutReport& report, const Assembly& assembly, double rpm, const Material& material,
                const Stock& before, const Stock& after, const Frame& frame, const Holding& grip, bool tailstock);

} // namespace hemline
