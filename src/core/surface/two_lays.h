// Two lays in one: parallel planes on shallow ground, levels on steep ground, with an overlap between.
#pragma once
#include "surface/parallel_planes.h"

namespace hemline {

struct TwoLayPlanes {
  ParallelPlanes shallow, steep;
  Vec3 axis = Vec3::UnitZ(); ///< unit, that slopes are told from
  double split = 0;          ///< slope at which one hands over to the other, radians
  double overlap = 0;        ///< so much farther does each of them go, radians

  double value(const SurfacePoint& at, const Place& place) const {
    return place.normal.dot(axis) > std::cos(split) ? shallow.value(at, place) : steep.value(at, place);
  }
  /// Of the shallow one: axes that turn with the passes know one lay only.
  Vec3 gradient(const SurfacePoint& at) const { return shallow.gradient(at); }
};

} // namespace hemline
