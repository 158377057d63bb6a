#include "geometry/ray_bundle.h"

namespace hemline {

RayBundle::RayBundle(const MeshTree& part, const Vec3& direction) : part_(&part), direction_(direction) {
  across_[0] = direction.unitOrthogonal(), across_[1] = direction.cross(across_[0]).normalized();
}

void RayBundle::gather(const Vec2& at) {
  constexpr double kMargin = 1e-6;             // mm: far more than rounding
  constexpr std::size_t kFew = 6, kMany = 24;  // triangles: as many are tested as fast as a hierarchy is walked
  constexpr double kLeast = 1e-3, kMost = 1e3; // mm
  at_ = at, half_ = width_;
  near_.clear();
  const double open = 0; // boxes off the neighbourhood are as far as can be, all others are looked into
  part_->tree.minimise(
      [&](const Vec3& c, const Vec3& h) {
        for (int k = 0; k < 2; ++k)
          if (std::abs(across_[k].dot(c) - at[k]) - across_[k].cwiseAbs().dot(h) > half_ + kMargin) return 1.0;
        return -1.0;
      },
      [&](int i) {
        for (int k = 0; k < 2; ++k) {
          double low = kInfinity, high = -kInfinity;
          for (std::size_t corner = 0; corner < 3; ++corner) {
            const double x = across_[k].dot(part_->mesh->corner(static_cast<std::size_t>(i), corner)) - at[k];
            low = std::min(low, x), high = std::max(high, x);
          }
          if (low > half_ + kMargin || high < -half_ - kMargin) return;
        }
        near_.push_back(i);
      },
      open);
  if (near_.size() > kMany) width_ = std::max(kLeast, 0.5 * width_);
  if (near_.size() < kFew) width_ = std::min(kMost, 1.5 * width_);
}

RayHit RayBundle::cast(const Vec3& from) {
  const Vec2 at(across_[0].dot(from), across_[1].dot(from));
  if (half_ < 0 || (at - at_).cwiseAbs().maxCoeff() > half_) gather(at);
  RayHit hit;
  for (const int i : near_) meetTriangle(*part_->mesh, i, from, direction_, hit);
  return hit;
}

} // namespace hemline
