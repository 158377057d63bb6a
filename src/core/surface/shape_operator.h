// How the part's surface bends at each facet, as a tensor (shape operator, second fundamental form): the surface's own where it is exact,
// fitted on facets.
#pragma once
#include "base/progress.h"
#include "part/part.h"

namespace hemline {

/// Per facet at its middle: a step along the surface (mm) times it is how the outward normal turns. Symmetric, nothing along the normal;
/// positive where the ground is convex, 1/mm. Exact surfaces: exact_surface.h, as it is. Facets: the tensor that turns edges into changes
/// of the smooth normal (S. Rusinkiewicz, 3DPVT 2004), averaged over neighbours across smooth edges, `rounds` times: after two right to
/// some 2 % of the larger curvature inside a patch on tessellations of 3 degrees a facet, worse within two facets of its border. Linear in
/// the facets.
std::vector<Mat3> shapeOperators(const Part& part, int rounds, Progress& progress);

} // namespace hemline
