// A scalar field on the surface, whose level lines are the passes.
#pragma once
#include "surface/contact_mesh.h"

namespace hemline {

struct SurfaceField {
  virtual ~SurfaceField() = default;
  /// At a place whose point and normal are known; continuous in both.
  virtual double value(const SurfacePoint& at, const Place& place) const = 0;
  /// How it grows in space with the point, per mm.
  virtual Vec3 gradient(const SurfacePoint& at) const = 0;
};

/// across . (p + offset n): parallel planes, cut with the surface (offset 0), or with that of the ball's centre (offset its radius).
struct ParallelPlanes final : SurfaceField {
  ParallelPlanes(const Vec3& a, double o) : across(a), offset(o) {}
  double value(const SurfacePoint&, const Place& place) const override { return across.dot(place.point + offset * place.normal); }
  Vec3 gradient(const SurfacePoint&) const override { return across; }
  Vec3 across;   ///< unit
  double offset; ///< mm
};

} // namespace hemline
