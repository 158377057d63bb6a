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

/// A pattern's data, which has both, as a field.
template <class Pattern> struct FieldOf final : SurfaceField {
  explicit FieldOf(const Pattern& p) : pattern(p) {}
  double value(const SurfacePoint& at, const Place& place) const override { return pattern.value(at, place); }
  Vec3 gradient(const SurfacePoint& at) const override { return pattern.gradient(at); }
  Pattern pattern;
};

} // namespace hemline
