// A triangulation that knows only its sides' lengths, and distances on it: intrinsic Delaunay flips, then fast marching (R. Kimmel and
// J. Sethian, PNAS 95, 1998; with lengths of a metric as in M. Campen, M. Heistermann and L. Kobbelt, SGP 2013).
#pragma once
#include "geometry/mesh.h"

namespace hemline {

class IntrinsicMesh {
public:
  /// `squares`: of each triangle the squared lengths of its sides (side k runs from corner k), in any metric; the two sides of an edge may
  /// differ, their mean counts. `beside`: triangles across the sides, -1 where there is none.
  IntrinsicMesh(std::size_t points, std::vector<std::array<int, 3>> triangles, FacetNeighbours beside,
                const std::vector<std::array<double, 3>>& squares);

  /// Flips edges until no two angles over one are more than half a turn (Bobenko and Springborn, 2007): without it fronts are late over
  /// blunt triangles. As a rule a tenth of the edges.
  void makeDelaunay();

  struct Source {
    int point;
    double distance;
    Vec3 at; ///< where the way begins
  };
  struct Arrivals {
    std::vector<double> distance; ///< per point; infinite where no way leads
    std::vector<Vec3> from;       ///< where the way to it begins
  };
  /// From the sources. `round`: fronts are circles about one place, else straight between two points. Ways that begin farther than `apart`
  /// from each other belong to different fronts. At anisotropies of 5 off by 0.02 of a side in the mean where no front meets another. O(n
  /// log n); a point may be looked at again.
  Arrivals distances(const std::vector<Source>& sources, bool round, double apart) const;

  std::size_t triangles() const { return triangle_.size(); }

private:
  void spanTriangles();
  std::size_t sideTowards(int triangle, int beside, int from) const;
  bool flipsBetter(int triangle, std::size_t side) const;
  void flip(int triangle, std::size_t side);
  std::size_t points_;
  std::vector<std::array<int, 3>> triangle_;
  FacetNeighbours beside_;
  std::vector<std::array<double, 3>> length_;
};

} // namespace hemline
