// Fields that run with guide rails: level lines along the rails, the free field where it runs with them anyway, clear words where lines
// cannot.
#include "base/error.h"
#include "finishing/fronts.h"
#include "shapes.h"
#include "surface/mesh_field.h"
#include <QtTest>

using namespace hemline;

namespace {

Progress quiet;

Profile ball() {
  return makeProfile(shapes::cutters()[1]); // 4 mm
}

/// A net with its fronts, asked at any place near it.
struct Laid {
  FineMesh fine; ///< cut
  Fronts fronts;
  std::vector<char> all;

  Laid(const std::shared_ptr<const Part>& part, const FrontsAsk& ask, double side) {
    const FineMesh whole = fineMesh(part, side);
    all.assign(part->mesh.triangles.size(), 1);
    fronts = planFronts(whole, whole.flags(all), ball(), ask, quiet);
    fine = cutSides(whole, all.size(), fronts.cuts);
  }
  MeshField field() const { return {&fine.part->mesh, &fronts.value}; }
  double at(const Vec3& p) const {
    const auto c = closestPoint(*fine.part->tree, p);
    return field().value(pointOver(fine.part->mesh, c.triangle, p), {});
  }
  /// Radians between the level line there and a way.
  double turned(const Vec3& p, const Vec3& way) const {
    const auto t = std::size_t(closestPoint(*fine.part->tree, p).triangle);
    const Vec3 line = fine.part->mesh.facetNormal(t).cross(field().gradientOn(t));
    return std::acos(std::min(1.0, std::abs(line.normalized().dot(way.normalized()))));
  }
};

FrontsAsk askOf(const Mat3& turn, bool byCusp, std::vector<std::vector<Vec3>> from, std::vector<std::vector<Vec3>> with) {
  FrontsAsk ask;
  ask.metric.cusp = 0.01, ask.metric.up = shapes::up(turn);
  ask.lay.byCusp = byCusp, ask.lay.from = std::move(from), ask.lay.with = std::move(with);
  return ask;
}

std::vector<Vec3> lineOf(const Mat3& turn, const std::function<Vec3(double)>& at, double from, double to) {
  std::vector<Vec3> out;
  for (int i = 0; i <= 60; ++i) out.push_back(turn * at(from + (to - from) * i / 60));
  return out;
}

} // namespace

class TestGuides : public QObject {
  Q_OBJECT

private slots:
  /// On a cylinder the fronts of one generator run along all others: asked to do so they stay what they are, by distance and by cusp, where
  /// guides lie along sides of the net and where they cross them.
  void whatRunsWithThemStays() {
    const double rho = 12;
    for (const Mat3& turn : shapes::orientations())
      for (const bool byCusp : {false, true})
        for (const double offNet : {0.0, 0.137}) {
          const auto height = [&](double x) { return std::sqrt(rho * rho - x * x) - rho; };
          const auto part = shapes::field(
              -6, 6, -8, 8, 48, 40, [&](double x, double) { return height(x); }, turn);
          const auto generator = [&](double x, double y0, double y1) {
            return lineOf(
                turn, [&](double y) { return Vec3(x, y, height(x)); }, y0, y1);
          };
          const FrontsAsk free = askOf(turn, byCusp, {generator(-6, -8, 8)}, {});
          FrontsAsk with = free;
          with.lay.with = {generator(-1 + offNet, -8, 8), generator(3 - offNet, -5, 4)};
          const Laid a(part, free, 0.5), b(part, with, 0.5);
          double most = 0, mean = 0;
          const std::size_t n = std::min(a.fronts.value.size(), b.fronts.value.size());
          for (std::size_t p = 0; p < n; ++p) {
            const double d = std::abs(a.fronts.value[p] - b.fronts.value[p]) / a.fronts.step;
            most = std::max(most, d), mean += d / double(n);
          }
          const QString told =
              QString("%1 and %2 of a step, %3, %4").arg(most).arg(mean).arg(b.fronts.told.c_str()).arg(a.fronts.levels.size());
          if (qEnvironmentVariableIsSet("TELL")) qInfo().noquote() << told;
          QVERIFY2(most < 0.1 && mean < 0.02, qPrintable(told));
          QVERIFY(std::abs(int(a.fronts.levels.size()) - int(b.fronts.levels.size())) <= 1);
        }
  }

  /// A line aslant, an arc, a closed line: one value all along each, level lines a pass beside them within 8 degrees of their way.
  void linesRunWithThem_data() {
    QTest::addColumn<int>("shape");
    for (const auto& [name, shape] : {std::pair{"aslant", 0}, {"two aslant", 1}, {"an arc", 2}, {"a ring", 3}})
      for (int turn = 0; turn < 3; ++turn) QTest::addRow("%s, %d", name, turn) << 4 * turn + shape;
  }
  void linesRunWithThem() {
    QFETCH(int, shape);
    const Mat3 turn = shapes::orientations()[std::size_t(shape / 4)];
    const auto ground = [](double x, double y) { return (x * x + 0.5 * y * y) / 200; };
    const auto part = shapes::field(-10, 10, -10, 10, 80, 70, ground, turn);
    const auto on = [&](double x, double y) { return Vec3(x, y, ground(x, y)); };
    std::vector<std::vector<Vec3>> with;
    switch (shape % 4) {
    case 1:
      with.push_back(lineOf(
          turn, [&](double y) { return on(-5 + 0.1 * y, y); }, -8, 8));
      [[fallthrough]];
    case 0:
      with.push_back(lineOf(
          turn, [&](double y) { return on(2 + 0.25 * y, y); }, -9, 9));
      break;
    case 2:
      with.push_back(lineOf(
          turn, [&](double a) { return on(-8 + 9 * std::cos(a), 9 * std::sin(a)); }, -0.8, 0.8));
      break;
    case 3:
      with.push_back(lineOf(
          turn, [&](double a) { return on(6 * std::cos(a), 5 * std::sin(a)); }, 0, 2 * kPi));
      with.back().back() = with.back().front();
    }
    std::vector<std::vector<Vec3>> from;
    from.push_back(shape % 4 != 3 ? lineOf(
                                        turn, [&](double y) { return on(-10, y); }, -10, 10)
                                  : std::vector<Vec3>{turn * on(0, 0)});
    const Laid l(part, askOf(turn, true, from, with), 0.5);
    const auto& levels = l.fronts.levels;
    const double range = levels.back() - levels.front();
    for (const auto& guide : with) {
      double low = kInfinity, high = -kInfinity, turned = 0;
      for (std::size_t i = 5; i + 5 < guide.size(); ++i) { // past its ends the lines bend round them
        const double v = l.at(guide[i]);
        low = std::min(low, v), high = std::max(high, v);
        const Vec3 way = guide[i + 1] - guide[i - 1], up = turn * Vec3::UnitZ();
        for (const double side : {-0.55, 0.55}) turned = std::max(turned, l.turned(guide[i] + side * up.cross(way).normalized(), way));
      }
      const QString told =
          QString("%1 of a step, %2 degrees; %3").arg((high - low) / l.fronts.step).arg(degrees(turned)).arg(l.fronts.told.c_str());
      if (qEnvironmentVariableIsSet("TELL")) qInfo().noquote() << told;
      QVERIFY2(high - low < 0.05 * l.fronts.step && range > 10 * l.fronts.step, qPrintable(told));
      QVERIFY2(turned < radians(8), qPrintable(told));
    }
    QVERIFY2(QString::fromStdString(l.fronts.told).contains("% more path"), l.fronts.told.c_str());
  }

  void whereTheyCannot_data() {
    QTest::addColumn<int>("which");
    QTest::addColumn<QString>("says");
    QTest::newRow("they cross") << 0 << "meet, or nearly so";
    QTest::newRow("a place") << 1 << "that is a place";
    QTest::newRow("beside the ground") << 2 << "does not lie on the ground";
  }
  void whereTheyCannot() {
    QFETCH(int, which);
    QFETCH(QString, says);
    const auto part = shapes::field(-10, 10, -10, 10, 40, 40, [](double, double) { return 0.0; });
    const Mat3 turn = Mat3::Identity();
    const auto line = [&](const Vec3& a, const Vec3& b) {
      return lineOf(
          turn, [&](double x) { return Vec3(a + x * (b - a)); }, 0, 1);
    };
    const std::vector<std::vector<std::vector<Vec3>>> with{
        {line({-2, -8, 0}, {2, 8, 0}), line({2, -8, 0}, {-2, 8.1, 0})}, {{{0, 0, 0}}}, {line({5, -8, 0}, {5, 8, 0})}};
    std::vector<char> region(part->mesh.triangles.size());
    for (std::size_t t = 0; t < region.size(); ++t) region[t] = part->mesh.corner(t, 0).x() < (which == 2 ? 3 : 20);
    const FineMesh fine = fineMesh(part, 1);
    try {
      planFronts(fine, fine.flags(region), ball(), askOf(turn, true, {line({-10, -10, 0}, {-10, 10, 0})}, with[std::size_t(which)]), quiet);
      QFAIL("no error");
    } catch (const Error& e) {
      QVERIFY2(QString(e.what()).contains(says), e.what());
      QCOMPARE(e.field, std::string("run_with"));
    }
  }
};

QTEST_APPLESS_MAIN(TestGuides)
#include "tst_guides.moc"
