// Passes along a parameter of CAD faces, carried on from face to face over their joints.
#pragma once
#include "finishing/cusp_metric.h"
#include "surface/face_flow.h"
#include "surface/fine_mesh.h"

namespace hemline {

struct FlowField {
  std::vector<double> value;  ///< per point of the mesh, even along each pass, some mm on the largest face
  std::vector<double> levels; ///< of the passes, rising
  double step = 1;            ///< between them in the mean, as the field counts
  std::string told;           ///< what it costs that the lines fan out
};

/// On the facets flagged of a mesh with exact faces. Passes run along u (or v) of the largest face of the ground; over a joint that they
/// cross they go on where they come, over one that they run beside the next face's lines go on beside it. Throws Error where there are no
/// exact faces, where faces join so that lines of the one do not go on in the other, and where a face closes on itself across its lines.
FlowField planFlow(const FineMesh& fine, const std::vector<char>& region, const Profile& profile, const FaceFlow& lay,
                   const CuspMetricAsk& ask, Progress& progress);

} // namespace hemline
