// Parallel passes as a finishing step plans them, and single locations, for tests.
#pragma once
#include "finishing/passes.h"
#include "surface/parallel_planes.h"

namespace hemline {

struct ParallelOptions : PassOptions {
  double angle = 0; ///< radians
};

inline FieldOf<ParallelPlanes> planesOf(const Profile& profile, const ParallelOptions& o) {
  return FieldOf(ParallelPlanes::along(o.up, o.angle, o.tilt.follow ? 0 : Placing::guideRadius(profile, o.allowance)));
}

inline PassPlan planParallel(const Part& part, const Profile& profile, const ParallelOptions& o, Progress& progress) {
  return planLevelPasses(part, profile, planesOf(profile, o), o, progress);
}

/// The first ground met down from high above a place, as a contact for passes along `along`.
inline std::optional<Contact> contactUnder(const Part& part, const Vec3& over, const Vec3& up, const Vec3& across) {
  const RayHit hit = castRay(*part.tree, over + 1e3 * up, -up);
  if (!hit.hit) return std::nullopt;
  Contact c;
  c.at = {hit.triangle, hit.u, hit.v};
  const Place place = placeOn(part, static_cast<std::size_t>(hit.triangle), hit.u, hit.v);
  c.point = place.point;
  c.normal = part.surface ? place.normal : part.mesh.smoothNormal(static_cast<std::size_t>(hit.triangle), hit.u, hit.v);
  c.along = across.cross(c.normal).normalized();
  return c;
}

} // namespace hemline
