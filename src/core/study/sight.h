// Is the way from a place to far outside free of the part? Occlusion rays, single precision.
#pragma once
#include "part/part.h"
#include <array>
#include <memory>
#include <span>

namespace hemline {

/// Embree's hierarchy over the part's mesh. Any number of threads may ask. Starts of rays should stand off the surface by at least
/// 2e-6 of the part's size; a way that comes nearer to the part than about 1e-6 of it may be told either way.
class Sight {
public:
  explicit Sight(const Mesh& mesh);
  ~Sight();
  Sight(const Sight&) = delete;
  Sight& operator=(const Sight&) = delete;
  bool free(const Vec3& from, const Vec3& direction) const;
  /// The same for up to kTogether ways from one place at once: which of them are free.
  static constexpr std::size_t kTogether = 8;
  std::array<bool, kTogether> freeOf(const Vec3& from, std::span<const Vec3> directions) const;

private:
  struct Scene;
  std::unique_ptr<Scene> scene_;
};

} // namespace hemline
