// The ways a machine may take from one end of a rapid to the other.
#pragma once
#include "machine/machine.h"

namespace hemline {

struct OtherWays {
  Path path;                     ///< rapids only; each way begins at a location whose own way is not known
  std::vector<std::size_t> move; ///< per location: the rapid of the step's path it stands for, in order
  double deviation = 0;          ///< mm by which any place of the assembly may be off the way that is meant
};

/// Besides straight by tip and axis: all axes straight in their own values (five axes), and dog-legged, each axis at its own rapid speed
/// until it is there. Speeds are full from the start: how the axes gather speed is not modelled. `reach`: farthest point of the assembly
/// from the tip, mm; `joints` one a location; `tolerance`: mm to which turning ways become moves.
OtherWays otherRapidWays(const Machine& machine, const Path& path, const std::vector<Joints>& joints, double reach, double tolerance);

} // namespace hemline
