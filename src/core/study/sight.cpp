#include "study/sight.h"
#include <embree3/rtcore.h>

namespace hemline {

struct Sight::Scene {
  RTCDevice device = nullptr;
  RTCScene scene = nullptr;
  Vec3 origin = Vec3::Zero();
};

Sight::Sight(const Mesh& mesh) : scene_(std::make_unique<Scene>()) {
  Scene& s = *scene_;
  s.origin = mesh.bounds().center();
  s.device = rtcNewDevice(nullptr);
  s.scene = rtcNewScene(s.device);
  rtcSetSceneFlags(s.scene, RTC_SCENE_FLAG_ROBUST);
  const RTCGeometry geometry = rtcNewGeometry(s.device, RTC_GEOMETRY_TYPE_TRIANGLE);
  auto* v = static_cast<float*>(
      rtcSetNewGeometryBuffer(geometry, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, 3 * sizeof(float), mesh.points.size()));
  for (const Vec3& p : mesh.points)
    for (int k = 0; k < 3; ++k) *v++ = static_cast<float>(p[k] - s.origin[k]);
  auto* t = static_cast<unsigned*>(
      rtcSetNewGeometryBuffer(geometry, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, 3 * sizeof(unsigned), mesh.triangles.size()));
  for (const auto& triangle : mesh.triangles)
    for (const int i : triangle) *t++ = static_cast<unsigned>(i);
  rtcCommitGeometry(geometry);
  rtcAttachGeometry(s.scene, geometry);
  rtcReleaseGeometry(geometry);
  rtcCommitScene(s.scene);
}

Sight::~Sight() {
  rtcReleaseScene(scene_->scene);
  rtcReleaseDevice(scene_->device);
}

bool Sight::free(const Vec3& from, const Vec3& d) const {
  RTCIntersectContext context;
  rtcInitIntersectContext(&context);
  RTCRay ray{};
  const Vec3 p = from - scene_->origin;
  ray.org_x = static_cast<float>(p.x()), ray.org_y = static_cast<float>(p.y()), ray.org_z = static_cast<float>(p.z());
  ray.dir_x = static_cast<float>(d.x()), ray.dir_y = static_cast<float>(d.y()), ray.dir_z = static_cast<float>(d.z());
  ray.tnear = 0, ray.tfar = std::numeric_limits<float>::infinity(), ray.mask = ~0u;
  rtcOccluded1(scene_->scene, &context, &ray);
  return ray.tfar > 0; // below 0: something is in the way
}

std::array<bool, Sight::kTogether> Sight::freeOf(const Vec3& from, std::span<const Vec3> directions) const {
  static_assert(kTogether == 8);
  RTCIntersectContext context;
  rtcInitIntersectContext(&context);
  RTCRay8 ray{};
  alignas(32) std::array<int, kTogether> valid{};
  const Vec3 p = from - scene_->origin;
  for (std::size_t k = 0; k < std::min(kTogether, directions.size()); ++k) {
    const Vec3& d = directions[k];
    valid[k] = -1;
    ray.org_x[k] = static_cast<float>(p.x()), ray.org_y[k] = static_cast<float>(p.y()), ray.org_z[k] = static_cast<float>(p.z());
    ray.dir_x[k] = static_cast<float>(d.x()), ray.dir_y[k] = static_cast<float>(d.y()), ray.dir_z[k] = static_cast<float>(d.z());
    ray.tnear[k] = 0, ray.tfar[k] = std::numeric_limits<float>::infinity(), ray.mask[k] = ~0u;
  }
  rtcOccluded8(valid.data(), scene_->scene, &context, &ray);
  std::array<bool, kTogether> out{};
  for (std::size_t k = 0; k < kTogether; ++k) out[k] = valid[k] != 0 && ray.tfar[k] > 0;
  return out;
}

} // namespace hemline
