// Surface samples answered by the swept moves of a finishing path, beside Embree's round linear curves on the same path:
// 265,000 segments, passes 0.3 mm apart, points every 0.5 mm, samples in raster order. One thread each.
#include "finishing/placing.h"
#include "stock/sweep.h"
#include "waves.h"
#include <embree3/rtcore.h>
#include <map>

using namespace hemline;
using namespace hemline::bench;

namespace {

constexpr double kDepth = 2, kFar = 5; // mm below and above the surface where a sample is looked for
double curvesPerSecond = 0;            // measured first; Hemline's are told beside it

Path passes(const Profile& p) {
  const Placing placing(part(), p, Vec3::UnitZ(), {}, 0);
  Path path;
  int hint = -1;
  for (int i = 0; i < 664; ++i)
    for (int k = 0; k < 400; ++k)
      if (auto s = placing.down(Vec3(0.25 + 0.5 * k, 0.5 + 0.3 * i, 0), Vec3::UnitZ(), hint)) {
        s->at.motion = k == 0 ? Motion::Rapid : Motion::Cut;
        path.locations.push_back(s->at);
      }
  return path;
}

struct Cut {
  Profile profile;
  Path path;
  Sweep sweep;
  explicit Cut(const Profile& p) : profile(p), path(passes(p)), sweep(p, path) {}
};

const Cut& cut(CutterKind kind, double corner) {
  static std::map<std::pair<CutterKind, double>, Cut> cuts;
  const auto key = std::pair(kind, corner);
  if (const auto it = cuts.find(key); it != cuts.end()) return it->second;
  return cuts.try_emplace(key, profile(kind, 10, corner)).first->second;
}

struct Curves {
  RTCDevice device = rtcNewDevice("threads=1");
  RTCScene scene = rtcNewScene(device);
  std::size_t segments = 0;

  explicit Curves(const Path& path) {
    std::vector<unsigned> starts;
    for (std::size_t i = 1; i < path.locations.size(); ++i)
      if (path.locations[i].motion == Motion::Cut) starts.push_back(static_cast<unsigned>(i - 1));
    segments = starts.size();
    rtcSetSceneBuildQuality(scene, RTC_BUILD_QUALITY_HIGH);
    RTCGeometry g = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_ROUND_LINEAR_CURVE);
    auto* v = static_cast<float*>(rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT4, 16, path.locations.size()));
    for (const Location& l : path.locations) {
      for (int k = 0; k < 3; ++k) *v++ = static_cast<float>(l.tip[k] + (k == 2 ? 5 : 0));
      *v++ = 5;
    }
    auto* s = static_cast<unsigned*>(rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT, 4, starts.size()));
    std::copy(starts.begin(), starts.end(), s);
    rtcCommitGeometry(g);
    rtcAttachGeometry(scene, g);
    rtcReleaseGeometry(g);
    rtcCommitScene(scene);
  }
  ~Curves() {
    rtcReleaseScene(scene);
    rtcReleaseDevice(device);
  }
  Curves(const Curves&) = delete;
  Curves& operator=(const Curves&) = delete;

  double entry(const Vec3& p, const Vec3& n) const {
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    const Vec3 from = p - kDepth * n;
    RTCRayHit r{};
    r.ray.org_x = static_cast<float>(from.x()), r.ray.org_y = static_cast<float>(from.y()), r.ray.org_z = static_cast<float>(from.z());
    r.ray.dir_x = static_cast<float>(n.x()), r.ray.dir_y = static_cast<float>(n.y()), r.ray.dir_z = static_cast<float>(n.z());
    r.ray.tfar = static_cast<float>(kDepth + kFar), r.ray.mask = ~0u;
    r.hit.geomID = RTC_INVALID_GEOMETRY_ID;
    rtcIntersect1(scene, &context, &r);
    return double(r.ray.tfar) - kDepth;
  }
};

/// The raster of samples, made before anything is timed.
const Sweep::Ray& sample(std::size_t i) {
  static const std::vector<Sweep::Ray> all = [] {
    std::vector<Sweep::Ray> out;
    for (std::size_t k = 0; k < 300000; ++k) {
      const Vec2 at = place(k);
      out.push_back({Vec3(at.x(), at.y(), height(at.x(), at.y())), normal(at.x(), at.y())});
    }
    return out;
  }();
  return all[i % all.size()];
}

void embreeCurves(benchmark::State& state) {
  const Cut& c = cut(CutterKind::Ball, 0);
  const Curves curves(c.path);
  sample(0);
  curvesPerSecond = timed(state, [&](std::size_t i) { benchmark::DoNotOptimize(curves.entry(sample(i).p, sample(i).n)); });
  double worst = 0;
  int hint = -1;
  for (std::size_t i = 0; i < 20000; ++i) {
    const auto& [p, n] = sample(17 * i);
    const auto exact = c.sweep.firstEntry(p, n, kDepth, kFar, hint);
    hint = exact.move;
    worst = std::max(worst, std::abs(exact.t - curves.entry(p, n)));
  }
  state.counters["segments"] = static_cast<double>(curves.segments);
  state.counters["worst_error_um"] = 1000 * worst;
}

/// One at a time, the last winner tried first.
void samples(benchmark::State& state, CutterKind kind, double corner) {
  const Sweep& sweep = cut(kind, corner).sweep;
  sample(0);
  int hint = -1;
  const double rate = timed(state, [&](std::size_t i) {
    const auto entry = sweep.firstEntry(sample(i).p, sample(i).n, kDepth, kFar, hint);
    hint = entry.move;
    benchmark::DoNotOptimize(entry.t);
  });
  state.counters["times_embree"] = rate / curvesPerSecond;
}

/// A row at a time.
void rows(benchmark::State& state, CutterKind kind, double corner) {
  constexpr std::size_t kRow = 1000;
  const Sweep& sweep = cut(kind, corner).sweep;
  sample(0);
  std::vector<Sweep::Entry> out(kRow);
  const double rate = timed(state, [&](std::size_t i) {
    sweep.firstEntries({&sample(i * kRow % 300000), kRow}, kDepth, kFar, out.data());
    benchmark::DoNotOptimize(out.data());
  });
  state.counters["per_second"] = rate * kRow;
  state.counters["times_embree"] = rate * kRow / curvesPerSecond;
}

} // namespace

BENCHMARK(embreeCurves)->Name("Embree round linear curves, surface sample")->MinTime(2);
BENCHMARK_CAPTURE(rows, ball, CutterKind::Ball, 0)->Name("surface samples in rows, 10 mm ball")->MinTime(2);
BENCHMARK_CAPTURE(rows, bull, CutterKind::BullNose, 1)->Name("surface samples in rows, 10 mm bull nose, corner 1 mm")->MinTime(2);
BENCHMARK_CAPTURE(rows, flat, CutterKind::Flat, 0)->Name("surface samples in rows, 10 mm flat")->MinTime(2);
BENCHMARK_CAPTURE(samples, ball, CutterKind::Ball, 0)->Name("surface sample alone, 10 mm ball")->MinTime(2);
