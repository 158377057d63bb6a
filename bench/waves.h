// What the benchmarks share: a freeform mesh of a million triangles, raster places on it, and the rate they are held against.
#pragma once
#include "cutter/cutter.h"
#include "part/part.h"
#include <benchmark/benchmark.h>
#include <ctime>

namespace hemline::bench {

constexpr double kSize = 200; ///< mm

double height(double x, double y);
Vec3 normal(double x, double y);
/// The waves as a mesh of 708 x 708 x 2 triangles.
const std::vector<Vec3>& soup();
const Part& part();
Profile profile(CutterKind kind, double diameter, double corner = 0);
/// Raster places in plan, the same for every engine: rows 0.6 mm apart, 0.18 mm along, to and fro.
Vec2 place(std::size_t i);

inline void told(benchmark::State& state, std::size_t done) {
  state.counters["per_second"] = benchmark::Counter(static_cast<double>(done), benchmark::Counter::kIsRate);
}

/// Processor time of this thread, s: what other programs take away from it does not count.
inline double processorTime() {
  timespec t{};
  clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
  return static_cast<double>(t.tv_sec) + 1e-9 * static_cast<double>(t.tv_nsec);
}

/// Runs work(0), work(1), ... and gives how many were done in a second of processor time.
template <class Work> double timed(benchmark::State& state, Work&& work) {
  std::size_t i = 0;
  const double start = processorTime();
  for (auto _ : state) work(i++);
  told(state, i);
  return static_cast<double>(i) / (processorTime() - start);
}

} // namespace hemline::bench
