// Finishing: fields by distance and their levels on the paddle mould, and the border of what a ball cannot reach.
#include "finishing/cusp_metric.h"
#include "job/evaluate.h"
#include "steps/planning.h"
#include "study/ball_border.h"
#include <benchmark/benchmark.h>
#include <filesystem>

using namespace hemline;

namespace {

Progress quiet;

struct Mould {
  Job job;
  std::shared_ptr<const Part> part;
  std::vector<char> ground;
};
const Mould& mould() {
  static const Mould all = [] {
    const std::filesystem::path file = std::filesystem::path(HEMLINE_SOURCE) / "demo/paddle-mould.hemline";
    Mould m;
    m.job = readJob(file.string());
    ReadOptions options;
    options.chord = tessellationChord(m.job);
    m.part = readPart((file.parent_path() / m.job.partFile).string(), options, quiet);
    m.ground = regionFacets(*m.part, {}, Vec3::UnitZ(), "bench");
    return m;
  }();
  return all;
}

/// Even cusp (0) and even spacing (1) from the border, at 2 um with the ball of 8 mm.
void fronts(benchmark::State& state) {
  FieldIn in;
  DistanceFronts lay;
  lay.byCusp = state.range(0) == 0;
  in.part = mould().part, in.ground = mould().ground, in.cutter = mould().job.cutter("ball 8"), in.lay = lay, in.cusp = 0.00195;
  for (auto _ : state) {
    const FieldFound found = findField(in, quiet);
    state.counters["levels"] = double(found.levels.size());
    state.counters["triangles"] = double(mould().part->mesh.triangles.size());
  }
}

/// Even cusp from the border, its lines running with a line along the middle of the cavity.
void guided(benchmark::State& state) {
  FieldIn in;
  DistanceFronts lay;
  const Box bounds = mould().part->mesh.bounds();
  lay.with.emplace_back();
  for (double x = 0.35; x <= 0.65; x += 0.01) {
    const Vec3 above(bounds.low.x() + x * bounds.size().x(), bounds.center().y() + 0.02 * bounds.size().y(), bounds.high.z() + 1);
    lay.with[0].push_back(above - castRay(*mould().part->tree, above, -Vec3::UnitZ(), 1e3).distance * Vec3::UnitZ());
  }
  in.part = mould().part, in.ground = mould().ground, in.cutter = mould().job.cutter("ball 8"), in.lay = lay, in.cusp = 0.00195;
  for (auto _ : state) state.SetLabel(findField(in, quiet).told);
}

/// Of a ball of 10 mm radius, which the cavity's ends are too tight for.
void border(benchmark::State& state) {
  const FineMesh fine = meshForFields(mould().part);
  const std::vector<char> ground = fine.flags(mould().ground);
  for (auto _ : state) {
    const BallBorder b = ballBorder(*mould().part, fine, ground, 10, quiet);
    state.counters["pieces"] = double(b.pieces.size());
    state.counters["lines"] = double(b.lines.size());
  }
}

/// From the border, at 2 um: field, levels and passes, without the proof; even cusp in loops (0), wound into a spiral (1), even spacing
/// (2), and even cusp with points every 0.4 mm beside each other (3).
void plans(benchmark::State& state) {
  for (auto _ : state) {
    FieldIn in;
    in.part = mould().part, in.ground = mould().ground, in.cutter = mould().job.cutter("ball 8"), in.cusp = 0.00195;
    DistanceFronts lay;
    lay.byCusp = state.range(0) != 2, in.lay = lay;
    const auto found = std::make_shared<const FieldFound>(findField(in, quiet));
    PassesIn passes{in.part, in.cutter, {in.lay, {found, {}}}, {}};
    PassOptions& o = passes.options;
    o.cusp = 0.002, o.chord = 0.0002, o.strips = false, o.levels = found->levels, o.also = found->ridges;
    o.tilt.byContact = true, o.safeHeight = 50, o.spiral = state.range(0) == 1, o.evenPoints = state.range(0) == 3 ? 0.4 : 0;
    PassMemory memory;
    const Planned p = kPlanPasses.run(passes, memory, quiet);
    double length = 0;
    std::size_t pieces = 0;
    for (std::size_t i = 1; i < p.path.locations.size(); ++i) {
      const Location &a = p.path.locations[i - 1], &b = p.path.locations[i];
      if (b.motion == Motion::Cut) length += (b.contact - a.contact).norm();
      pieces += b.motion == Motion::LeadIn;
    }
    const double least =
        leastContactLength(in.part->mesh, in.ground, cuspMetric(*in.part, makeProfile(in.cutter), {o.cusp, o.up, o.tilt, 0}, quiet));
    state.counters["metres"] = length / 1000;
    state.counters["share of the least"] = least / length;
    state.SetLabel(p.summary);
    state.counters["pieces"] = double(pieces);
  }
}

} // namespace

BENCHMARK(fronts)
    ->Name("fronts and levels, mould (even cusp, even spacing)")
    ->Arg(0)
    ->Arg(1)
    ->Unit(benchmark::kMillisecond)
    ->Iterations(2)
    ->UseRealTime();
BENCHMARK(guided)->Name("even cusp with a guide, mould")->Unit(benchmark::kMillisecond)->Iterations(1)->UseRealTime();
BENCHMARK(border)->Name("border of a ball, mould")->Unit(benchmark::kMillisecond)->Iterations(2)->UseRealTime();
BENCHMARK(plans)
    ->Name("planned, mould (even cusp, a spiral, even spacing, even points)")
    ->DenseRange(0, 3)
    ->Unit(benchmark::kMillisecond)
    ->Iterations(1)
    ->UseRealTime();
