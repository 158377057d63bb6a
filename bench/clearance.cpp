// Motions shown to be clear per second, beside the same proof by distance queries of FCL on the same bodies (holder as a mesh).
#include "base/units.h"
#include "proof/moving_body.h"
#include "waves.h"
#include <fcl/fcl.h>
#include <functional>
#include <random>

using namespace hemline;

namespace hemline::bench {
namespace {

constexpr double kWanted = 0.6; // mm
constexpr std::size_t kMotions = 4000;
constexpr int kSides = 64; // of the holder's mesh

double rate = 0; ///< Hemline's, for the ratio

struct Motion {
  PoseOf a, b;
};

const Assembly& assembly() {
  static const Assembly a = [] {
    Cutter c;
    c.name = "ball", c.kind = CutterKind::Ball, c.diameter = 10, c.shankDiameter = 10, c.fluteLength = 15, c.length = 100;
    return assemble(c, {"holder", {{0, 12, 40, 14}, {40, 20, 60, 20}}}, 18);
  }();
  return a;
}

/// Finishing moves of half a millimetre near the ground; every second one turns the axis by a degree.
std::vector<Motion> motions() {
  std::mt19937 random(3);
  std::uniform_real_distribution<double> u(0, 1);
  std::vector<Motion> out;
  for (std::size_t i = 0; i < kMotions; ++i) {
    const double x = 40 + 120 * u(random), y = 40 + 120 * u(random), t = 2 * kPi * u(random);
    const Vec3 axis = Vec3(0.3 * std::cos(t), 0.3 * std::sin(t), 1).normalized();
    const auto tip = [](double px, double py) { return Vec3(px, py, height(px, py) + 0.3); };
    const Vec3 turned = i % 2 ? (axis + radians(1) * Vec3(u(random) - 0.5, u(random) - 0.5, 0).normalized()).normalized() : axis;
    out.push_back({{tip(x, y), axis}, {tip(x + 0.4, y + 0.3), turned}});
  }
  return out;
}

/// Midpoint of the move against its travel, halved until it is shown or too short: what FCL's distances are asked for.
template <class Distance> bool shown(const PoseOf& a, const PoseOf& b, double reach, const Distance& distance) {
  const PoseOf middle{0.5 * (a.tip + b.tip), slerp(a.axis, b.axis, 0.5)};
  const double r = 0.5 * ((a.tip - b.tip).norm() + reach * angleBetween(a.axis, b.axis)), d = distance(middle);
  if (d - r >= kWanted) return true;
  if (d < kWanted || r < 1e-4) return false;
  return shown(a, middle, reach, distance) && shown(middle, b, reach, distance);
}

void ours(benchmark::State& state) {
  const MovingBody body(assembly().bodies, nullptr, assembly().reach);
  const auto all = motions();
  const MeshTree& mesh = *part().tree;
  std::size_t clear = 0;
  const double start = processorTime();
  for (auto _ : state) {
    clear = 0;
    for (const Motion& m : all) {
      const std::function<bool(const PoseOf&, const PoseOf&)> prove = [&](const PoseOf& a, const PoseOf& b) {
        const auto d = body.distance(mesh, a, b, kWanted, 3e-4);
        if (d.low >= kWanted) return true;
        if (d.high < kWanted || body.bend(a, b) < 1e-4) return false;
        const PoseOf middle{0.5 * (a.tip + b.tip), slerp(a.axis, b.axis, 0.5)};
        return prove(a, middle) && prove(middle, b);
      };
      clear += prove(m.a, m.b);
    }
  }
  state.counters["clear"] = double(clear);
  told(state, kMotions * static_cast<std::size_t>(state.iterations()));
  rate = double(kMotions) * double(state.iterations()) / (processorTime() - start);
}

using Model = fcl::BVHModel<fcl::OBBRSSd>;

std::shared_ptr<Model> model(const std::vector<Vec3>& points, const std::vector<std::array<int, 3>>& triangles) {
  auto m = std::make_shared<Model>();
  std::vector<fcl::Vector3d> p(points.begin(), points.end());
  std::vector<fcl::Triangle> t;
  for (const auto& k : triangles)
    t.emplace_back(static_cast<std::size_t>(k[0]), static_cast<std::size_t>(k[1]), static_cast<std::size_t>(k[2]));
  m->beginModel();
  m->addSubModel(p, t);
  m->endModel();
  return m;
}

void fclDistances(benchmark::State& state) {
  const Mesh& mesh = part().mesh;
  std::vector<std::array<int, 3>> triangles(mesh.triangles.begin(), mesh.triangles.end());
  const auto floor = model(mesh.points, triangles);
  std::vector<Vec3> points;
  std::vector<std::array<int, 3>> sides;
  for (const Body& b : assembly().bodies) { // about the frusta, so that a clear mesh is a clear body
    const int first = static_cast<int>(points.size());
    const double out = 1 / std::cos(kPi / kSides);
    for (int k = 0; k < kSides; ++k)
      for (const auto& [r, z] : {std::pair(b.r0, b.z0), std::pair(b.r1, b.z1)})
        points.emplace_back(out * r * std::cos(2 * kPi * k / kSides), out * r * std::sin(2 * kPi * k / kSides), z);
    for (int k = 0; k < kSides; ++k) {
      const int a = first + 2 * k, c = first + 2 * ((k + 1) % kSides);
      sides.push_back({a, c, c + 1}), sides.push_back({a, c + 1, a + 1});
      sides.push_back({first, c, a}), sides.push_back({first + 1, a + 1, c + 1});
    }
  }
  const auto holder = model(points, sides);
  const auto all = motions();
  std::size_t clear = 0;
  const double start = processorTime();
  for (auto _ : state) {
    clear = 0;
    for (const Motion& m : all)
      clear += shown(m.a, m.b, assembly().reach, [&](const PoseOf& pose) {
        fcl::Transform3d place = fcl::Transform3d::Identity();
        place.linear() = Eigen::Quaterniond::FromTwoVectors(Vec3::UnitZ(), pose.axis).toRotationMatrix();
        place.translation() = pose.tip;
        fcl::DistanceRequestd request;
        fcl::DistanceResultd result;
        return fcl::distance(holder.get(), place, floor.get(), fcl::Transform3d::Identity(), request, result);
      });
  }
  state.counters["clear"] = double(clear);
  told(state, kMotions * static_cast<std::size_t>(state.iterations()));
  state.counters["Hemline_over_FCL"] = rate / (double(kMotions) * double(state.iterations()) / (processorTime() - start));
}

BENCHMARK(ours)->Name("clear motions, Hemline")->Unit(benchmark::kMillisecond)->MinTime(1);
BENCHMARK(fclDistances)->Name("clear motions, FCL distances")->Unit(benchmark::kMillisecond)->MinTime(1);

} // namespace
} // namespace hemline::bench
