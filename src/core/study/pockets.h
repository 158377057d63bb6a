// Pockets: ground that water poured from above would stand on. What falls in stays in, and a cutter has to come in from above.
#pragma once
#include "base/progress.h"
#include "part/part.h"

namespace hemline {

struct Pocket {
  double volume = 0; ///< up to its lowest rim, mm^3
  double depth = 0;  ///< of its deepest place below that rim, mm
  double area = 0;   ///< at the rim, seen from above, mm^2
  Vec3 deepest = Vec3::Zero();
};

struct Pockets {
  std::vector<Pocket> pockets; ///< largest first; shallower than 1e-3 of the part's height: left out
  double volume = 0;           ///< of all, mm^3
  double cell = 0;             ///< mm: of the height map that they were found on
};

/// Pockets along `up` on a height map of about `across` cells over the longer side, by flooding from the rim (R. Barnes, C. Lehman,
/// D. Mulla, Computers & Geosciences 62, 2014). Places with nothing below drain. A pocket's volume errs by at most half a cell all round
/// its walls; it is found only where it is wider than two cells.
Pockets findPockets(const Part& part, const Vec3& up, std::size_t across, Progress& progress);

} // namespace hemline
