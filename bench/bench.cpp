// Speed of the engines on a freeform mesh of a million triangles, one thread, and what share of Embree's rays that is.
#include "base/file.h"
#include "base/units.h"
#include "cutter/touch.h"
#include "part/part.h"
#include "proof/clearance.h"
#include "stock/stock.h"
#include "stock/sweep.h"
#include "strategy/pose.h"
#include <benchmark/benchmark.h>
#include <chrono>
#include <embree3/rtcore.h>
#include <filesystem>
#include <fstream>
#include <random>

using namespace hemline;

namespace {

constexpr int kSide = 708; // cells: a little over a million triangles
constexpr double kSize = 200;

double height(double x, double y) {
  return 6 * std::sin(x / 17) * std::cos(y / 23) + 2 * std::sin((x + y) / 9);
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

Profile ball(double diameter) {
  Cutter c;
  c.name = "ball", c.kind = CutterKind::Ball, c.diameter = diameter, c.shankDiameter = diameter, c.fluteLength = 20;
  return makeProfile(c);
}

/// Raster places in plan, the same for every engine.
Vec2 place(std::size_t i) {
  const std::size_t row = i / 1000 % 300;
  const double u = static_cast<double>(i % 1000) / 1000;
  return {10 + 180 * (row % 2 ? 1 - u : u), 10 + 180 * static_cast<double>(row) / 300};
}

double raysPerSecond = 0; ///< measured first; the others are told beside it

void told(benchmark::State& state, std::size_t done) {
  state.counters["per_second"] = benchmark::Counter(static_cast<double>(done), benchmark::Counter::kIsRate);
}

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
  std::size_t i = 0;
  const auto start = std::chrono::steady_clock::now();
  for (auto _ : state) {
    const Vec2 p = place(i++);
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    RTCRayHit ray{};
    ray.ray.org_x = static_cast<float>(p.x()), ray.ray.org_y = static_cast<float>(p.y()), ray.ray.org_z = 100;
    ray.ray.dir_z = -1, ray.ray.tfar = 1e9f, ray.ray.mask = ~0u;
    ray.hit.geomID = RTC_INVALID_GEOMETRY_ID;
    rtcIntersect1(scene, &context, &ray);
    benchmark::DoNotOptimize(ray.ray.tfar);
  }
  raysPerSecond = static_cast<double>(i) / std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
  told(state, i);
  rtcReleaseScene(scene);
  rtcReleaseDevice(device);
}

template <class Work> void against(benchmark::State& state, Work&& work) {
  std::size_t i = 0;
  const auto start = std::chrono::steady_clock::now();
  for (auto _ : state) work(i++);
  const double rate = static_cast<double>(i) / std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
  told(state, i);
  state.counters["rays_each"] = raysPerSecond / rate; // how many Embree rays one of these costs
}

void cutterLocation(benchmark::State& state) {
  const Profile p = ball(10);
  int hint = -1;
  against(state, [&](std::size_t i) {
    const Vec2 at = place(i);
    const Touch t = touchAlong(*part().tree, p, Vec3::UnitZ(), Vec3(at.x(), at.y(), 0), hint);
    hint = t.triangle;
    benchmark::DoNotOptimize(t.height);
  });
}

/// About 260,000 moves of a 10 mm ball: passes 0.3 mm apart, points every 0.5 mm.
const Sweep& ballSweep() {
  static const Sweep sweep = [] {
    const PoseField field(part(), ball(10), planFrame(Vec3::UnitZ(), 0), {}, 0);
    Path path;
    int hint = -1;
    for (double w = 2; w < kSize - 2; w += 0.3)
      for (double u = 2; u < kSize - 2; u += 0.5)
        if (auto l = field.at(u, w, hint)) {
          l->motion = u == 2 ? Motion::Rapid : Motion::Cut;
          path.locations.push_back(*l);
        }
    return Sweep(ball(10), path);
  }();
  return sweep;
}

void surfaceSample(benchmark::State& state) {
  const Sweep& sweep = ballSweep();
  int hint = -1;
  against(state, [&](std::size_t i) {
    const Vec2 at = place(i);
    const double e = 1e-4, z = height(at.x(), at.y());
    const Vec3 n = Vec3(-(height(at.x() + e, at.y()) - z) / e, -(height(at.x(), at.y() + e) - z) / e, 1).normalized();
    const auto entry = sweep.firstEntry(Vec3(at.x(), at.y(), z), n, 2, 5, hint);
    hint = entry.move;
    benchmark::DoNotOptimize(entry.t);
  });
}

void stockMove(benchmark::State& state) {
  Stock stock = Stock::box({Vec3(0, 0, -30), Vec3(200, 200, 10)}, 0.5);
  const Profile p = ball(10);
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
  const Intruder body{&a.bodies, nullptr, a.reach};
  against(state, [&](std::size_t i) {
    const Vec2 at = place(i);
    Vec3 where;
    int kind = 0;
    benchmark::DoNotOptimize(
        clearanceToMesh(body, *part().tree, Vec3(at.x(), at.y(), height(at.x(), at.y())), Vec3::UnitZ(), 1.0, where, kind));
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
BENCHMARK(surfaceSample)->Name("surface sample, raster order")->MinTime(1);
BENCHMARK(clearanceCheck)->Name("clearance check, holder to part")->MinTime(1);
BENCHMARK(stockMove)->Name("stock, 200 moves at 0.5 mm")->Unit(benchmark::kMillisecond)->MinTime(1);
BENCHMARK(readMillion)->Name("read a million triangles with hierarchy")->Unit(benchmark::kMillisecond)->Iterations(2);
BENCHMARK_MAIN();
