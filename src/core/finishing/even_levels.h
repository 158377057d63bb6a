// Levels of any field on the surface, as far apart as the cusp metric lets them.
#pragma once
#include "finishing/cusp_metric.h"

namespace hemline {

/// Rising levels of a field told at the mesh's points, for passes on the facets flagged: half a pass in from both ends, and neighbouring
/// ones as far apart as most of the ground between them lets them; 2 % of it, by area, may be crossed by passes that leave more than the
/// cusp. `metric`: see cuspMetric. At least one. Linear in the facets.
std::vector<double> evenLevels(const Mesh& mesh, const std::vector<char>& region, const std::vector<double>& value,
                               const std::vector<Mat3>& metric);

/// Length of the level lines of such a field at rising levels on these facets, mm, by its slope and how dense the levels lie there (coarea
/// formula).
double lengthAtLevels(const Mesh& mesh, const std::vector<char>& region, const std::vector<double>& value,
                      const std::vector<double>& levels);

} // namespace hemline
