// A first answer over the whole surface: one ray a facet, and what the move that it meets leaves at the facet's corners at most.
#pragma once
#include "base/progress.h"
#include "proof/surface_pieces.h"
#include "stock/sweep.h"
#include <functional>
#include <memory>

namespace hemline {

struct CoarseSurface {
  std::vector<float> left;  ///< per facet: stock-left met at its middle, mm; NaN where nothing was asked or met
  std::vector<double> most; ///< per facet: certified, no place of it is left higher, mm; infinite: not known
  /// The largest stock-left of all is at least `met` and no more than `bound`.
  double met = 0, bound = 0;
};
using CoarseDone = std::function<void(std::shared_ptr<const CoarseSurface>)>;

/// Facets in the order given (neighbours next to each other are fastest); nothing is looked for above `far` mm. About 0.3 million facets a
/// second and core for half balls. Same result on any number of threads.
CoarseSurface measureCoarsely(const Part& part, const SurfacePieces& pieces, const std::vector<int>& facets, const Sweep& sweep, double far,
                              Progress& progress);

} // namespace hemline
