// Speed of the engines on a freeform mesh of a million triangles, one thread, and what share of Embree's rays that is.
#include "base/file.h"
#include "base/units.h"
#include "cutter/touch.h"
#include "proof/moving_body.h"
#include "stock/stock.h"
#include "waves.h"
#include <embree3/rtcore.h>
#include <filesystem>
#include <fstream>

using namespace hemline;

namespace hemline::bench {

constexpr int kSide = 708; // cells: a little over a million triangles

double height(double x, double y) {
  return 6 * std::sin(x / 17) * std::cos(y / 23) + 2 * std::sin((x + y) / 9);
}

Vec3 normal(double x, double y) {
  const double both = 2.0 / 9 * std::cos((x + y) / 9);
  return Vec3(-6.0 / 17 * std::cos(x / 17) * std::cos(y / 23) - both, 6.0 / 23 * std::sin(x / 17) * std::sin(y / 23) - both, 1)
      .normalized();
}

const std::vector<Vec3>& soup() {
  static const std::vector<Vec3> s = [] {
    std::vector<Vec3> out;
    const auto at = [](int i, int j) {
      const double x = kSize * i / kSide, y = kSize * j / kSide;
      return Vec3(x, y, height(x, y));
    };
    for (int i = 0; i < kSide; ++i)
      for (int j = 0; j < kSide; ++j)
        for (const Vec3& p : {at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j), at(i + 1, j + 1), at(i, j + 1)}) out.push_back(p);
    return out;
  }();
  return s;
}

const Part& part() {
  static const auto p = partFromTriangles(soup(), "waves", 3.0);
  return *p;
}

Profile profile(CutterKind kind, double diameter, double corner) {
  Cutter c;
  c.name = "bench", c.kind = kind, c.diameter = diameter, c.corner = corner, c.shankDiameter = diameter, c.fluteLength = 20;
  return makeProfile(c);
}

Vec2 place(std::size_t i) {
  const std::size_t row = i / 1000 % 300;
  const double u = static_cast<double>(i % 1000) / 1000;
  return {10 + 180 * (row % 2 ? 1 - u : u), 10 + 180 * static_cast<double>(row) / 300};
}

} // namespace hemline::bench

using namespace hemline::bench;

namespace {

double raysPerSecond = 0; ///< measured first; the others are told beside it

void embreeRays(benchmark::State& state) {
  RTCDevice device = rtcNewDevice("threads=1");
  RTCScene scene = rtcNewScene(device);
  rtcSetSceneBuildQuality(scene, RTC_BUILD_QUALITY_HIGH);
  RTCGeometry geometry = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_TRIANGLE);
  const Mesh& m = part().mesh;
  auto* v = static_cast<float*>(rtcSetNewGeometryBuffer(geometry, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, 12, m.points.size()));
  for (std::size_t i = 0; i < m.points.size(); ++i)
    for (int k = 0; k < 3; ++k) v[3 * i + static_cast<std::size_t>(k)] = static_cast<float>(m.points[i][k]);
  auto* t = static_cast<unsigned*>(rtcSetNewGeometryBuffer(geometry, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, 12, m.triangles.size()));
  for (std::size_t i = 0; i < m.triangles.size(); ++i)
    for (std::size_t k = 0; k < 3; ++k) t[3 * i + k] = static_cast<unsigned>(m.triangles[i][k]);
  rtcCommitGeometry(geometry);
  rtcAttachGeometry(scene, geometry);
  rtcReleaseGeometry(geometry);
  rtcCommitScene(scene);
  raysPerSecond = timed(state, [&](std::size_t i) {
    const Vec2 p = place(i);
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    RTCRayHit ray{};
    ray.ray.org_x = static_cast<float>(p.x()), ray.ray.org_y = static_cast<float>(p.y()), ray.ray.org_z = 100;
    ray.ray.dir_z = -1, ray.ray.tfar = 1e9f, ray.ray.mask = ~0u;
    ray.hit.geomID = RTC_INVALID_GEOMETRY_ID;
    rtcIntersect1(scene, &context, &ray);
    benchmark::DoNotOptimize(ray.ray.tfar);
  });
  rtcReleaseScene(scene);
  rtcReleaseDevice(device);
}

template <class Work> void against(benchmark::State& state, Work&& work) {
  const double rate = timed(state, work);
  state.counters["rays_each"] = raysPerSecond / rate; // how many Embree rays one of these costs
}

void cutterLocation(benchmark::State& state) {
  const Profile p = profile(CutterKind::Ball, 10);
  int hint = -1;
  against(state, [&](std::size_t i) {
    const Vec2 at = place(i);
    const Touch t = touchAlong(*part().tree, p, Vec3::UnitZ(), Vec3(at.x(), at.y(), 0), hint);
    hint = t.triangle;
    benchmark::DoNotOptimize(t.height);
  });
}

void stockMove(benchmark::State& state) {
  Stock stock = Stock::box({Vec3(0, 0, -30), Vec3(200, 200, 10)}, 0.5);
  const Profile p = profile(CutterKind::Ball, 10);
  Path path;
  for (std::size_t i = 0; i < 200000; ++i) {
    Location l;
    const Vec2 at = place(i);
    l.tip = Vec3(at.x(), at.y(), height(at.x(), at.y()));
    l.motion = Motion::Cut;
    path.locations.push_back(l);
  }
  against(state, [&](std::size_t i) {
    const std::size_t k = 1 + i * 200 % 199000; // runs of 200 moves, as the engine cuts them
    benchmark::DoNotOptimize(stock.cut(p, path, k, k + 200));
  });
  state.counters["moves_per_second"] = benchmark::Counter(static_cast<double>(state.iterations()) * 200, benchmark::Counter::kIsRate);
  state.counters.erase("rays_each");
  state.counters.erase("per_second");
}

void clearanceCheck(benchmark::State& state) {
  Cutter c;
  c.name = "ball", c.kind = CutterKind::Ball, c.diameter = 10, c.shankDiameter = 10, c.fluteLength = 15, c.length = 100;
  const Holder h{"holder", {{0, 12, 40, 14}, {40, 20, 60, 20}}};
  const Assembly a = assemble(c, h, 40);
  const MovingBody body(a.bodies, nullptr, a.reach);
  against(state, [&](std::size_t i) {
    const Vec2 at = place(i);
    const PoseOf pose{Vec3(at.x(), at.y(), height(at.x(), at.y())), Vec3::UnitZ()};
    benchmark::DoNotOptimize(body.distance(*part().tree, pose, pose, 1.0, 1e-3).low);
  });
}

void readMillion(benchmark::State& state) {
  const std::string path = (std::filesystem::temp_directory_path() / "hemline-bench.stl").string();
  writeStl(path, part().mesh);
  for (auto _ : state) {
    Progress progress;
    ReadOptions o;
    o.unit = LengthUnit::Millimetre;
    benchmark::DoNotOptimize(readPart(path, o, progress));
  }
  std::filesystem::remove(path);
}

} // namespace

BENCHMARK(embreeRays)->Name("Embree closest-hit ray")->MinTime(1);
BENCHMARK(cutterLocation)->Name("cutter location, 10 mm ball")->MinTime(1);
BENCHMARK(clearanceCheck)->Name("clearance check, holder to part")->MinTime(1);
BENCHMARK(stockMove)->Name("stock, 200 moves at 0.5 mm")->Unit(benchmark::kMillisecond)->MinTime(1);
BENCHMARK(readMillion)->Name("read a million triangles with hierarchy")->Unit(benchmark::kMillisecond)->Iterations(2);
BENCHMARK_MAIN();
