// Roughing: passes of constant engagement at three sizes, and the paddle mould's cavity, first and rest.
#include "base/units.h"
#include "roughing/constant_engagement.h"
#include "roughing/plan_level_roughing.h"
#include <benchmark/benchmark.h>
#include <filesystem>

using namespace hemline;

namespace {

Outline square(double low, double high) {
  return {{low, low}, {high, low}, {high, high}, {low, high}};
}

/// A closed pocket with an island; `state.range(0)`: its side, mm. Told: milliseconds for a thousand square millimetres.
void engaged(benchmark::State& state) {
  const double side = double(state.range(0));
  EngagementOptions o;
  o.radius = 6, o.arc = radians(60), o.smallest = 0.9, o.helix = 3.6;
  const Outlines free = subtract(offset({square(0, side)}, -6), offset({square(0.4 * side, 0.6 * side)}, 6));
  const Outlines material{square(-20, side + 20)};
  Progress quiet;
  double area = 1;
  for (auto _ : state) {
    const EngagedLevel level = engagedPasses(free, material, material, o, nullptr, quiet);
    area = level.area;
    state.counters["length_over_least"] = level.efficiency(o);
  }
  state.counters["s_per_1000mm2"] =
      benchmark::Counter(1e-3 * area, benchmark::Counter::kIsIterationInvariantRate | benchmark::Counter::kInvert);
}

Cutter bullNose(double diameter, double corner) {
  Cutter c;
  c.name = "bench", c.kind = CutterKind::BullNose, c.diameter = diameter, c.corner = corner, c.shankDiameter = diameter;
  c.fluteLength = 2 * diameter, c.rampAngle = radians(3);
  return c;
}

/// The mould's cavity with a 16 mm bull nose at constant engagement (0) and what it leaves with one of 8 mm (1).
void mould(benchmark::State& state) {
  std::filesystem::path file = std::filesystem::path(HEMLINE_SOURCE) / "demo/paddle-mould.step";
  Progress quiet;
  static const auto part = readPart(file.string(), {}, quiet);
  Box box = part->mesh.bounds();
  box.low -= Vec3(2, 2, 0), box.high += Vec3(2, 2, 1);
  RoughingOptions o;
  o.depth = 3, o.wall = 0.4, o.floor = 0.3, o.safeHeight = 20, o.engagement = radians(60);
  const Stock blank = Stock::box(box, 0.8);
  const bool rest = state.range(0) == 1;
  const Stock stock = rest ? planLevelRoughing(*part, blank, bullNose(16, 2), o, quiet).stockAfter : blank;
  if (rest) o.engagement.reset(), o.depth = 1.2, o.stepOver = 3.4, o.leastThickness = 0.5, o.leastArea = 2;
  for (auto _ : state) {
    const RoughingResult r = planLevelRoughing(*part, stock, rest ? bullNose(8, 1) : bullNose(16, 2), o, quiet);
    state.counters["locations"] = double(r.path.locations.size());
    if (!rest) state.counters["length_over_least"] = efficiencyOf(r.engaged);
  }
}

} // namespace

BENCHMARK(engaged)->Name("constant engagement, pocket with island")->Arg(80)->Arg(160)->Arg(320)->Unit(benchmark::kMillisecond);
BENCHMARK(mould)
    ->Name("mould cavity, constant engagement / rest")
    ->Arg(0)
    ->Arg(1)
    ->Unit(benchmark::kMillisecond)
    ->Iterations(1)
    ->UseRealTime();
