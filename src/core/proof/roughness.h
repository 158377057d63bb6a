// Roughness of a section of the surface as cut: Ra, Rq, Rz by ISO 21920-2 (the same numbers as ISO 4287 for these three where five
// sampling lengths are evaluated, but Rq, which is taken over the whole evaluation length).
#pragma once
#include <vector>

namespace hemline {

/// Lengths in mm.
struct Roughness {
  double Ra = 0, Rq = 0, Rz = 0;
  double RSm = 0;     ///< mean width of profile elements
  double cutoff = 0;  ///< lambda c, chosen by RSm from the standard's table (ISO 4288:1996, table 3); also the section length
  double noise = 0;   ///< lambda s that goes with it (ISO 3274, table 1)
  int sections = 0;   ///< section lengths evaluated; the standard asks for five
  double length = 0;  ///< evaluated: sections * cutoff
  bool known = false; ///< false: not even one section length fits, with half a cut-off before and after
};

/// A filter's mean line by the Gaussian weighting of ISO 16610-21: half of an amplitude of wavelength `cutoff` stays. Values within
/// half a cut-off of the ends are made from what lies inside only. `step`: spacing of the values, mm.
std::vector<double> gaussianMeanLine(const std::vector<double>& z, double step, double cutoff);

/// Mean width of elements of a profile about its mean line: from one rise through it to the next; peaks and valleys lower than a tenth of
/// the largest height do not count. 0: fewer than two rises.
double meanWidth(const std::vector<double>& z, double step);

/// The mean line of least squares is taken off, then lambda s, then lambda c; half a cut-off at both ends is not evaluated. The
/// cut-off follows from RSm and is looked up again with the RSm that it gives, until both agree.
Roughness roughnessOf(const std::vector<double>& z, double step);

} // namespace hemline
