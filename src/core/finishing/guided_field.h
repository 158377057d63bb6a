// Guide rails: a field is bent until its level lines run along given lines, and blend between them.
// Its gradient is stretched to unit length in a metric round by round, each round one Poisson equation, as in the last step of the heat
// method (K. Crane, C. Weischedel and M. Wardetzky, ACM Trans. Graph. 32, 2013).
#pragma once
#include "base/progress.h"
#include "surface/fine_mesh.h"

namespace hemline {

struct GuideAsk {
  const std::vector<std::vector<Vec3>>& guides; ///< lines on the part, closed ones with their first point again
  const std::vector<char>& region;              ///< flags of facets of the mesh
  const std::vector<double>& value;             ///< of the free field, finite, per point of the mesh
  const std::vector<char>& fixed;               ///< points whose value stays, some at least
  const std::vector<Mat3>* metric = nullptr;    ///< per facet, in which the gradient is one; null: in mm
};

struct Guided {
  std::vector<SideCut> cuts; ///< where guides cross sides of the mesh, so that level lines follow them there
  std::vector<double> value; ///< per point of the mesh, then of the cuts
  double turned = 0;         ///< radians: within `far` of guides so far at most level lines turn from their way, on 95 % of that ground
};

/// Guides are met where they run over ground that hangs together with fixed points, by snapping to points within a fiftieth of a side.
/// `far` in mm. Throws Error where a guide does not come to the ground, or two come within a facet of each other. Some seconds for 300,000
/// facets.
Guided guideField(const FineMesh& fine, const GuideAsk& ask, double far, Progress& progress);

} // namespace hemline
