// How near to each other passes have to lie: the cusp metric D / (8 h) of the relative curvature D (T. Kim, CAD 39, 2007; scallop height).
#pragma once
#include "finishing/placing.h"

namespace hemline {

/// Second fundamental form of the cutter where it touches ground of normal n with its axis along `axis` (both unit): a tensor across n,
/// 1/mm, positive; sharp corners count as rounds of 0.05 mm.
Mat3 cutterCurvature(const Profile& profile, const Vec3& n, const Vec3& axis);

struct CuspMetricAsk {
  double cusp = 0;         ///< h, mm
  Vec3 up = Vec3::UnitZ(); ///< the axis where it is fixed
  TiltRule tilt;
  double allowance = 0; ///< mm, of any sign
  double fillet = 0;    ///< virtual, mm (see Placing); 0: none
};
/// Per facet: e^T M e is the square of how many passes a small way e along the surface has to cross, so that neighbouring ones leave h
/// between them. Where the ground bends as tightly as the cutter, or tighter, M would go to zero: it is kept from less than a pass every
/// 0.7 cutter radii. Where the axis follows the surface and the cutter is no ball the direction of the passes is not known yet: M is that
/// of the way across them, alike in all directions. Under virtual fillets M is that of the fillet, across the corner. Curvatures:
/// surface/shape_operator.h, three rounds.
std::vector<Mat3> cuspMetric(const Part& part, const Profile& profile, const CuspMetricAsk& ask, Progress& progress);

/// How much a field may grow from pass to pass where it grows by `slope` a mm (across n, unit; not zero), in the metric of that facet.
double stepOf(const Mat3& metric, const Vec3& n, const Vec3& slope);
/// Steps with the ground (mm^2, or a share of it) that asks for each: the widest that is too wide for no more than `kCrossed` of it.
double widestStep(std::vector<std::pair<double, double>> steps);
constexpr double kCrossed = 0.02; ///< of the ground may be left to short passes

/// Least length of contact curves with which a cutter leaves no more than the cusp on the facets flagged: the integral of dA over the
/// widest spacing there, along the direction in which neighbouring passes may lie farthest apart, mm. `metric`: see cuspMetric.
double leastContactLength(const Mesh& mesh, const std::vector<char>& region, const std::vector<Mat3>& metric);

} // namespace hemline
