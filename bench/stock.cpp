// In-process stock beside OpenVDB: the same ball moves taken from the same block at the same cell size, one by one.
#include "stock/stock.h"
#include "base/threads.h"
#include "base/units.h"
#include "waves.h"
#include <openvdb/openvdb.h>
#include <openvdb/tools/Composite.h>
#include <openvdb/tools/LevelSetMeasure.h>
#include <openvdb/tools/LevelSetPlatonic.h>
#include <openvdb/tools/MeshToVolume.h>
#include <tbb/global_control.h>

using namespace hemline;

namespace hemline::bench {
namespace {

constexpr double kCell = 0.5, kRadius = 5; // mm
constexpr std::size_t kMoves = 60;
double rate = 0; // Hemline's moves a second, for the ratio

Box block() {
  Box b;
  b.add(Vec3(0, 0, -20));
  b.add(Vec3(100, 100, 0));
  return b;
}

/// A row of half-millimetre moves, 2 mm deep and waving; the next row lies 2 mm beside.
Path rows() {
  Path p;
  for (std::size_t i = 0; i <= kMoves; ++i) {
    Location l;
    const double x = 10 + 0.5 * static_cast<double>(i % 30), y = 30 + 2 * static_cast<double>(i / 30);
    l.tip = Vec3(x, y, -2 + 0.5 * std::sin(x / 5));
    l.motion = i % 30 == 0 ? Motion::Rapid : Motion::Cut;
    p.locations.push_back(l);
  }
  return p;
}

void ours(benchmark::State& state) {
  setThreadLimit(1);
  const Stock block0 = Stock::box(block(), kCell);
  const Profile ball = profile(CutterKind::Ball, 2 * kRadius);
  const Path path = rows();
  double removed = 0;
  std::size_t done = 0;
  const double start = processorTime();
  for (auto _ : state) {
    Stock s = block0;
    removed = 0;
    for (std::size_t i = 1; i < path.locations.size(); ++i) removed += s.cut(ball, path, i, i + 1);
    done += kMoves;
  }
  rate = static_cast<double>(done) / (processorTime() - start);
  setThreadLimit(0);
  told(state, done);
  state.counters["removed_mm3"] = removed;
}

/// The swept ball with its shank as a mesh for the level set: a capsule from the tip's ball up to 20 mm above it.
void sweptBall(const Vec3& a, const Vec3& b, std::vector<openvdb::Vec3s>& points, std::vector<openvdb::Vec3I>& triangles) {
  // Convex: rings of the ball about both ends, the outer half of each, and walls between them, by support points of a sphere.
  constexpr int kRound = 48, kUp = 24;
  const Vec3 way = b - a;
  points.clear(), triangles.clear();
  for (int j = 0; j <= kUp; ++j)
    for (int i = 0; i < kRound; ++i) {
      const double t = kPi * j / kUp, u = 2 * kPi * i / kRound;
      const Vec3 n(std::sin(t) * std::cos(u), std::sin(t) * std::sin(u), -std::cos(t));
      Vec3 p = (n.dot(way) > 0 ? b : a) + Vec3(0, 0, kRadius) + kRadius * n;
      if (n.z() > 0) p.z() += 20 - kRadius; // the shank
      points.emplace_back(static_cast<float>(p.x()), static_cast<float>(p.y()), static_cast<float>(p.z()));
    }
  for (int j = 0; j < kUp; ++j)
    for (int i = 0; i < kRound; ++i) {
      const auto at = [&](int jj, int ii) { return static_cast<openvdb::Index32>(jj * kRound + ii % kRound); };
      triangles.emplace_back(at(j, i), at(j + 1, i + 1), at(j + 1, i));
      triangles.emplace_back(at(j, i), at(j, i + 1), at(j + 1, i + 1));
    }
}

void openVdb(benchmark::State& state) {
  openvdb::initialize();
  const tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
  const auto transform = openvdb::math::Transform::createLinearTransform(kCell);
  std::vector<openvdb::Vec3s> points;
  std::vector<openvdb::Vec3I> triangles;
  const Box b = block();
  for (int k = 0; k < 8; ++k)
    points.emplace_back(static_cast<float>(k & 1 ? b.high.x() : b.low.x()), static_cast<float>(k & 2 ? b.high.y() : b.low.y()),
                        static_cast<float>(k & 4 ? b.high.z() : b.low.z()));
  for (const auto& t : {std::array<int, 3>{0, 2, 3},
                        {0, 3, 1},
                        {4, 5, 7},
                        {4, 7, 6},
                        {0, 1, 5},
                        {0, 5, 4},
                        {2, 6, 7},
                        {2, 7, 3},
                        {0, 4, 6},
                        {0, 6, 2},
                        {1, 3, 7},
                        {1, 7, 5}})
    triangles.emplace_back(static_cast<openvdb::Index32>(t[0]), static_cast<openvdb::Index32>(t[1]), static_cast<openvdb::Index32>(t[2]));
  const auto block0 = openvdb::tools::meshToLevelSet<openvdb::FloatGrid>(*transform, points, triangles);
  const Path path = rows();
  double removed = 0;
  std::size_t done = 0;
  const double start = processorTime();
  for (auto _ : state) {
    const auto grid = block0->deepCopy();
    for (std::size_t i = 1; i < path.locations.size(); ++i) {
      if (path.locations[i].motion == Motion::Rapid) continue;
      sweptBall(path.locations[i - 1].tip, path.locations[i].tip, points, triangles);
      const auto swept = openvdb::tools::meshToLevelSet<openvdb::FloatGrid>(*transform, points, triangles);
      openvdb::tools::csgDifference(*grid, *swept);
    }
    done += kMoves;
    removed = openvdb::tools::levelSetVolume(*block0) - openvdb::tools::levelSetVolume(*grid);
  }
  told(state, done);
  state.counters["removed_mm3"] = removed;
  state.counters["Hemline_over_OpenVDB"] = rate / (static_cast<double>(done) / (processorTime() - start));
}

BENCHMARK(ours)->Name("stock moves one by one, Hemline")->Unit(benchmark::kMillisecond)->MinTime(1);
BENCHMARK(openVdb)->Name("stock moves one by one, OpenVDB level sets")->Unit(benchmark::kMillisecond)->MinTime(1);

} // namespace
} // namespace hemline::bench
