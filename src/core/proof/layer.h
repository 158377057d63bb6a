// The layer that a finishing path meets: what the paths before it left, where it cuts and along the normal there.
#pragma once
#include "proof/surface_proof.h"
#include "stock/sweep.h"
#include "toolpath/path.h"

namespace hemline {

constexpr double kThickestLayer = 20; ///< mm: thicker ones are not told apart

struct LayerMet {
  /// The thickest, mm. Its bound holds all along the contacts, between the path's locations, too; none where no path before came within
  /// kThickestLayer. Not known where nothing is cut.
  Measured most;
  double least = 0, mean = 0; ///< of the locations, mm; the mean over the contact's length
  std::vector<float> at;      ///< per location, mm; negative: no contact
};

/// `allowance`: that the path leaves, mm; the layer ends there. `before`: what was cut already; the nearest of them counts. Between two
/// locations the contact runs straight, which it leaves by the eighth of length times turn of the normal (a circle's sagitta, added); where
/// it jumps (corners touched on both sides) both contacts run along with the cutter. The entry into one convex sweep is convex along a
/// line, so that of each the ends bound what lies between (proof/surface_proof); stretches are halved until the bound is within `promised`,
/// or 1 % above what was met. Same result on any number of threads. Throws Cancelled.
LayerMet layerMet(const Path& path, double allowance, const std::vector<Sweep>& before, double promised, Progress& progress);

} // namespace hemline
