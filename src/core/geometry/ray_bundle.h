// Rays along one direction, asked one near the other.
#pragma once
#include "geometry/tree.h"

namespace hemline {

/// The triangles that rays of a neighbourhood may meet are found once for all of them. One bundle per thread.
class RayBundle {
public:
  RayBundle(const MeshTree& part, const Vec3& direction);
  /// As castRay; where two triangles are met at once (on an edge) it may name the other.
  RayHit cast(const Vec3& from);

private:
  void gather(const Vec2& at);
  const MeshTree* part_;
  Vec3 direction_, across_[2];
  Vec2 at_ = Vec2::Zero(); ///< middle of the neighbourhood, along `across_`
  double half_ = -1;       ///< its half width, mm; negative: none yet
  double width_ = 1;       ///< half width of the next one, mm
  std::vector<int> near_;  ///< in the tree's order
};

} // namespace hemline
