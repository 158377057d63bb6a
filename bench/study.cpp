// The first whole study of a part of a million triangles, on all processors.
#include "study/whole_study.h"
#include "waves.h"
#include <benchmark/benchmark.h>

using namespace hemline;
using namespace hemline::bench;

namespace {

void wholeStudy(benchmark::State& state) {
  Progress quiet;
  for (auto _ : state) {
    const WholeStudy s = studyWhole(part(), Vec3::UnitZ(), quiet);
    state.counters["area seen, %"] = 100 * s.around.reach.seen / s.around.reach.places.area();
    state.counters["its error, %"] =
        100 * s.around.reach.places.error(s.around.reach.seen / s.around.reach.places.area()) / s.around.reach.places.area();
    state.counters["triangles"] = static_cast<double>(part().mesh.triangles.size());
  }
}

} // namespace

BENCHMARK(wholeStudy)->Name("first whole study")->Unit(benchmark::kMillisecond)->Iterations(1)->UseRealTime();
