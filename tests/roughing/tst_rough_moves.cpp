// Ways into material, between passes and through air, measured on the stock; boundaries that cannot be.
#include "finishing/region_limits.h"
#include "geometry/outline.h"
#include "proof/clearance.h"
#include "roughing/plan_level_roughing.h"
#include "shapes.h"
#include <QtTest>
#include <random>

using namespace hemline;

class TestRoughMoves : public QObject {
  Q_OBJECT
  Progress quiet_;

  static Cutter mill(double diameter, double corner) {
    Cutter c = shapes::cutters()[corner > 0 ? 2 : 0];
    c.diameter = c.shankDiameter = diameter, c.corner = corner, c.fluteLength = 3 * diameter, c.rampAngle = radians(4);
    return c;
  }
  /// The path cut from the stock move by move.
  CutReport measure(Stock stock, const Cutter& cutter, const Path& path) {
    Assembly a;
    a.cutter = cutter, a.profile = makeProfile(cutter), a.reach = a.profile.length() + cutter.diameter;
    return cutAndProve(stock, a, path, {}, true, {}, quiet_);
  }
  static Location to(const Vec3& tip, Motion motion) {
    Location l = shapes::at(tip, Vec3::UnitZ(), motion);
    return l;
  }

private slots:
  void theSteepestEntryIsMeasured_data() {
    QTest::addColumn<double>("dx");
    QTest::addColumn<double>("dz"); // of the way in, from the block's surface
    QTest::addColumn<double>("steep");
    QTest::newRow("straight down") << 0.0 << -5.0 << 90.0;
    QTest::newRow("steep") << 5.0 << -5.0 << 45.0;
    QTest::newRow("a ramp") << 30.0 << -2.0 << degrees(std::atan2(2.0, 30.0));
    QTest::newRow("level") << 20.0 << 0.0 << 0.0;
    QTest::newRow("beside the block") << 0.0 << -7.0 << 0.0;
  }
  void theSteepestEntryIsMeasured() {
    QFETCH(double, dx);
    QFETCH(double, dz);
    QFETCH(double, steep);
    const Stock block = Stock::box({Vec3(0, -20, -20), Vec3(60, 20, 0)}, 0.5);
    const double x = dz == -7 ? -4.05 : 10; // the cutter of 8 mm passes by
    for (const int pieces : {1, 7}) {
      Path path;
      path.locations.push_back(to({x, 0, 1}, Motion::Rapid));
      path.locations.push_back(to({x, 0, 0}, Motion::Entry)); // through air
      for (int k = 1; k <= pieces; ++k) path.locations.push_back(to({x + dx * k / pieces, 0, dz * k / pieces}, Motion::Entry));
      const CutReport r = measure(block, mill(8, 0), path);
      QVERIFY2(std::abs(degrees(r.steepestEntry) - steep) < 1e-6, qPrintable(QString::number(degrees(r.steepestEntry))));
      if (steep > 0) QVERIFY(r.steepestAt.z() < 0);
    }
  }

  void linksTellWhatTheyRemove() {
    // Along the block's edge, a millimetre of the cutter in it; then back through what was cut.
    const Stock block = Stock::box({Vec3(0, 0, -10), Vec3(60, 20, 0)}, 0.25);
    Path path;
    path.locations = {to({-10, -3, 5}, Motion::Rapid), to({-10, -3, -2}, Motion::Entry), to({70, -3, -2}, Motion::Link),
                      to({-10, -3, -2}, Motion::Link)};
    const CutReport r = measure(block, mill(8, 0), path);
    QVERIFY2(std::abs(r.linksRemoved - 60 * 1 * 2) < 3, qPrintable(QString::number(r.linksRemoved)));
    QVERIFY(std::abs(r.removed - r.linksRemoved) < 1e-9 && r.cutting == 0);
    // Its arc counts though it is no cut: 41.4 degrees; on the way back there is none.
    QVERIFY2(std::abs(degrees(r.engagement) - 41.4) < 2 && r.moves[2].engagement > 0 && r.moves[3].engagement <= 0,
             qPrintable(QString::number(degrees(r.engagement))));
  }

  /// Whatever the cells, the stock and the pattern: no way down steeper than the cutter may, nothing cut on ways back of constant
  /// engagement, hardly any air.
  void waysAreAsPromised_data() {
    QTest::addColumn<QString>("part");
    QTest::addColumn<double>("cell");
    QTest::addColumn<QString>("way");
    for (const char* part : {"tray", "dome", "tray before a smaller cutter", "dome before a smaller cutter"})
      for (const double cell : {0.5, 1.0, 2.0})
        for (const char* way : {"levels", "thinned", "engaged"})
          if (cell < 2 || std::string(way) != "engaged") // no slice for it where cells are wider than its passes
            QTest::addRow("%s, %g mm, %s", part, cell, way) << part << cell << way;
  }
  void waysAreAsPromised() {
    QFETCH(QString, part);
    QFETCH(double, cell);
    QFETCH(QString, way);
    const auto dome = [](double x, double y) { return 8 - (x * x + y * y) / 40; };
    const auto body = part.startsWith("tray") ? partFromTriangles(shapes::tray(), "tray") : shapes::field(-20, 20, -20, 20, 40, 40, dome);
    Box box = body->mesh.bounds();
    box.high.z() += 2;
    Stock stock = Stock::box(box, cell);
    RoughingOptions o;
    o.depth = 3, o.stepOver = 3.2, o.wall = o.floor = 0.4, o.safeHeight = box.high.z() + 5;
    if (part.startsWith("tray")) o.bottom = 8.4;
    if (part.endsWith("smaller cutter")) {
      RoughingOptions before = o;
      before.depth = 5, before.stepOver = 5;
      stock = planLevelRoughing(*body, stock, mill(14, 1), before, quiet_).stockAfter;
      o.leastThickness = 0.5;
    }
    if (way == "thinned") o.thinning = 0.8;
    if (way == "engaged") o.engagement = radians(60);
    const Cutter c = mill(7, 1);
    const RoughingResult r = planLevelRoughing(*body, stock, c, o, quiet_);
    const CutReport cut = measure(stock, c, r.path);
    QVERIFY2(degrees(cut.steepestEntry) <= 4 + 1e-6, qPrintable(QString::number(degrees(cut.steepestEntry))));
    QVERIFY(!cut.clearance.rapidThroughStock && cut.removed > 0);
    QVERIFY2(cut.airShare < 0.05, qPrintable(QString::number(cut.airShare)));
    if (way == "engaged")
      QVERIFY2(cut.linksRemoved <= 1e-9 * cut.removed, qPrintable(QString("%1 of %2").arg(cut.linksRemoved).arg(cut.removed)));
    // What was planned is what is cut.
    QVERIFY(std::abs((stock.volume() - r.stockAfter.volume()) - cut.removed) < 1e-6 * stock.volume());
  }

  void boundariesThatCrossThemselvesAreRefused() {
    std::mt19937 random(11);
    std::uniform_real_distribution<double> u(-10, 10);
    const auto faulty = [](const std::vector<Vec2>& b) {
      try {
        checkBoundary(b, "step");
      } catch (const Error&) {
        return true;
      }
      return false;
    };
    int crossed = 0, simple = 0;
    for (int n = 0; n < 3000; ++n) {
      std::vector<Vec2> b;
      const int points = 3 + n % 5;
      for (int k = 0; k < points; ++k) b.emplace_back(u(random), u(random));
      // One that crosses itself covers more ground than its signed area tells.
      double area = 0;
      for (std::size_t k = 0; k < b.size(); ++k) {
        const Vec2 &p = b[k], &q = b[(k + 1) % b.size()];
        area += (p.x() * q.y() - p.y() * q.x()) / 2;
      }
      const Outline all{{-20, -20}, {20, -20}, {20, 20}, {-20, 20}};
      const double covered = std::abs(regionArea(intersect({all}, {b})));
      const bool refused = faulty(b);
      if (covered > std::abs(area) + 0.01) QVERIFY(refused);
      if (!refused) QVERIFY2(std::abs(covered - std::abs(area)) < 1e-3, qPrintable(QString("%1 %2").arg(covered).arg(area)));
      (refused ? crossed : simple)++;
      // In order round one of their middles none crosses.
      std::sort(b.begin(), b.end(), [](const Vec2& p, const Vec2& q) { return std::atan2(p.y(), p.x()) < std::atan2(q.y(), q.x()); });
      QVERIFY(!faulty(b) || std::abs(regionArea(intersect({all}, {b}))) < 1e-3 || !insidePolygon(b, Vec2(0, 0)));
    }
    QVERIFY2(crossed > 500 && simple > 500, qPrintable(QString("%1 %2").arg(crossed).arg(simple)));
    // Edges: touching itself, one line, too few points, no number; either way round is good, and so is a point on the way.
    QVERIFY(faulty({{0, 0}, {10, 0}, {5, 0}}) && faulty({{0, 0}, {1, 1}}) && faulty({{0, 0}, {4, 0}, {4, 4}, {2, 0}, {0, 4}}));
    QVERIFY(faulty({{0, 0}, {1, 0}, {std::nan(""), 1}}) && !faulty({}));
    QVERIFY(!faulty({{0, 0}, {5, 0}, {10, 0}, {10, 10}}) && !faulty({{0, 0}, {0, 10}, {10, 10}, {10, 0}}));
    // Parallel edges on one line, apart.
    QVERIFY(!faulty({{0, 0}, {2, 0}, {2, -2}, {4, -2}, {4, 0}, {6, 0}, {6, 5}, {0, 5}}));
  }

  void theHighestCorner() {
    const Box b{Vec3(-1, -2, -3), Vec3(4, 5, 6)};
    std::mt19937 random(3);
    std::normal_distribution<double> g;
    for (int n = 0; n < 200; ++n) {
      const Vec3 up = Vec3(g(random), g(random), g(random)).normalized();
      double most = -1e300;
      for (int i = 0; i < 8; ++i)
        most = std::max(most, Vec3(i & 1 ? b.low.x() : b.high.x(), i & 2 ? b.low.y() : b.high.y(), i & 4 ? b.low.z() : b.high.z()).dot(up));
      QVERIFY(std::abs(b.highest(up) - most) < 1e-12);
    }
  }
};

QTEST_APPLESS_MAIN(TestRoughMoves)
#include "tst_rough_moves.moc"
