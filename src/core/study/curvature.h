// Principal curvatures of each facet: the surface's own where it is exact, fitted on facets.
#pragma once
#include "base/progress.h"
#include "part/part.h"

namespace hemline {

struct Curvatures {
  std::vector<float> least, most; ///< per facet at its middle, 1/mm; positive where the ground is concave seen from outside
  bool fitted = false; ///< from the smooth normals of facets: on tessellations of 3 degrees a facet right to some 2 % of the larger one
                       ///< inside a patch, worse within two facets of its border
};

/// Exact surfaces: exact_surface.h. Facets: the tensor that turns edges into changes of the smooth normal (S. Rusinkiewicz, 3DPVT 2004),
/// averaged over neighbours across smooth edges, twice. Linear in the facets.
Curvatures principalCurvatures(const Part& part, Progress& progress);

} // namespace hemline
