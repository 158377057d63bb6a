// Parallel planes as a field on the surface.
#pragma once
#include "surface/surface_field.h"

namespace hemline {

/// across . (p + offset n): parallel planes, cut with the surface (offset 0), or with that of the ball's centre (offset its radius).
struct ParallelPlanes {
  Vec3 across = Vec3::UnitY(); ///< unit
  double offset = 0;           ///< mm

  double value(const SurfacePoint&, const Place& place) const { return across.dot(place.point + offset * place.normal); }
  Vec3 gradient(const SurfacePoint&) const { return across; }

  /// Along `up`, turned about it by `angle` (radians) from the first direction of frameAround.
  static ParallelPlanes along(const Vec3& up, double angle, double offset) {
    Vec3 e1, e2;
    frameAround(up, e1, e2);
    return {-std::sin(angle) * e1 + std::cos(angle) * e2, offset};
  }
};

} // namespace hemline
