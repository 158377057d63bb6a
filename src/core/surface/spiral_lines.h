// Nested loops as one line: the level lines of a field less its angle about the nest's middle, which run from loop to loop while they go
// round.
#pragma once
#include "surface/level_lines.h"

namespace hemline {

struct SpiralAsk {
  std::vector<double> levels; ///< of the loops, rising, two or more
  Vec3 up = Vec3::UnitZ();    ///< unit: about it they are gone round
  bool rising = true;         ///< along their way, as level lines run
};

struct SpiralLine {
  std::vector<LinePiece> pieces; ///< in the order of running, as those of level lines; the field's value changes along them
  bool closed = false;           ///< it ends where it began
  bool wound = false;            ///< a spiral, from whole loop to whole loop
  /// Start and end: there the region ends, and no level.
  std::array<bool, 2> open{false, false};
};

/// Through all of the region: neighbouring turns lie a level apart everywhere. The first and the last loop of a nest are whole, one at each
/// end of a spiral. In each piece of the region the nest is wound whose loops are longest together, then those beside its middle, within the
/// first of their loops. What no spiral comes to (lines that end at the region's border, single loops beside a middle) are lines of their
/// own, a level apart as well. Empty where no spiral comes about: no two loops go round one middle, or what is between them does not close.
std::vector<SpiralLine> spiralLines(const LevelLines& lines, const SpiralAsk& ask);

} // namespace hemline
