// Where the largest ball that touches the part has a given radius: the border of what a ball of that radius cannot reach, and in a corner
// the line along which it touches twice.
#pragma once
#include "base/progress.h"
#include "part/part.h"
#include "surface/fine_mesh.h"
#include "surface/line_on.h"
#include <functional>

namespace hemline {

struct BallBorder {
  std::vector<char> tighter;  ///< per point of the fine mesh: no ball of the radius touches there, or what else is asked holds
  std::vector<LineOn> pieces; ///< of the border, in the facets of the fine mesh that it crosses
  /// Through its pieces, closed ones with their first place again; where the ball touches both sides of a corner only the one side's, and
  /// none shorter than half the radius.
  std::vector<std::vector<Vec3>> lines;
};

/// In the facets of `fine` (of the part) that are flagged, between points of which the one is tighter than `radius` and the other is not,
/// found to a 4,000th of a side; ground that is tight between points only is not seen. Balls enter by no more than the facets' own
/// tolerance (facetTolerance). Some 20 us a point.
BallBorder ballBorder(const Part& part, const FineMesh& fine, const std::vector<char>& region, double radius, Progress& progress);

/// The same of ground of another kind, without its lines: `holds` is asked at places of facets of the part, of all cores.
BallBorder groundBorder(const FineMesh& fine, const std::vector<char>& region, const std::function<bool(const Place&, std::size_t)>& holds,
                        Progress& progress);

} // namespace hemline
