#include "proof/clearance.h"
#include "shapes.h"
#include "strategy/level_roughing.h"
#include <QtTest>

using namespace hemline;

namespace {

/// A block with a round-cornered pocket or a boss, as a fine height field with steep walls.
std::shared_ptr<const Part> ground(bool pocket, const Mat3& turn) {
  return shapes::field(
      -20, 20, -15, 15, 80, 60,
      [pocket](double x, double y) {
        const double d = std::max(std::abs(x) / 12, std::abs(y) / 9) - 1; // 0 on the outline
        const double s = std::clamp(0.5 + d * 6, 0.0, 1.0), ramp = s * s * (3 - 2 * s);
        return pocket ? -8 + 8 * ramp : -8 * ramp;
      },
      turn);
}

} // namespace

class TestRoughing : public QObject {
  Q_OBJECT
  Progress quiet_;

private slots:
  void clearsDownToTheAllowance_data() {
    QTest::addColumn<bool>("pocket");
    QTest::addColumn<int>("cutter");
    QTest::newRow("pocket, flat") << true << 0;
    QTest::newRow("pocket, bull nose") << true << 2;
    QTest::newRow("boss, flat") << false << 0;
    QTest::newRow("boss, ball") << false << 1;
  }
  void clearsDownToTheAllowance() {
    QFETCH(bool, pocket);
    QFETCH(int, cutter);
    for (const Mat3& turn : {Mat3(Mat3::Identity()), Mat3(Eigen::AngleAxisd(kPi / 2, Vec3::UnitX()))}) {
      const auto part = ground(pocket, turn);
      Cutter c = shapes::cutters()[static_cast<std::size_t>(cutter)];
      c.diameter = 6, c.corner = 1, c.rampAngle = radians(3);
      Box box = part->mesh.bounds();
      const Vec3 up = shapes::up(turn);
      box.add(box.high + 2 * up.cwiseMax(0.0));
      box.add(box.low + 2 * up.cwiseMin(0.0));
      const Stock stock = Stock::box(box, 0.5);
      RoughingOptions o;
      o.up = up, o.depth = 1.5, o.stepOver = 2.4, o.wall = 0.4, o.floor = 0.2;
      double high = -1e300;
      for (int i = 0; i < 8; ++i)
        high = std::max(
            high, Vec3(i & 1 ? box.low.x() : box.high.x(), i & 2 ? box.low.y() : box.high.y(), i & 4 ? box.low.z() : box.high.z()).dot(up));
      o.safeHeight = high + 10;
      const RoughingResult r = planLevelRoughing(*part, stock, c, o, quiet_);
      QVERIFY(r.levels >= 5);
      QCOMPARE(r.skipped, std::size_t{0});
      QVERIFY(pocket ? r.helixEntries + r.rampEntries > 0 : r.airEntries > 0);
      // Nothing comes nearer than the smaller allowance.
      for (std::size_t i = 1; i < r.path.locations.size(); ++i) {
        const Location &a = r.path.locations[i - 1], &b = r.path.locations[i];
        if (b.motion == Motion::Rapid) continue;
        // Never straight down into material, and ramps no steeper than permitted.
        const Vec3 d = b.tip - a.tip;
        const double drop = -d.dot(up), run = (d + drop * up).norm();
        if (b.motion == Motion::Entry && drop > 1e-6 && run > 1e-6) QVERIFY(drop / run <= std::tan(c.rampAngle) * 1.02);
      }
      Progress quiet;
      const Measured kept = proveKeep(*part, makeProfile(c), r.path, std::min(o.wall, o.floor), 0.05, quiet);
      QVERIFY2(kept.value < 0.02, qPrintable(QString::number(kept.value)));
      QVERIFY(kept.bound >= kept.value + 0.05);
      // What is left lies within reach of the allowance: material high above the ground is gone.
      std::size_t left = 0, tried = 0;
      for (std::size_t t = 0; t < part->mesh.triangles.size(); t += 7) {
        if (part->mesh.facetNormal(t).dot(up) < 0.98) continue;
        ++tried;
        left += r.stockAfter.contains(part->mesh.corner(t, 0) + (o.depth + 1.2) * up);
      }
      QVERIFY2(left * 20 < tried, qPrintable(QString("%1 of %2").arg(left).arg(tried)));
    }
  }

  void bottomLimitAndBadValues() {
    const auto part = ground(false, Mat3::Identity());
    Box box = part->mesh.bounds();
    box.high.z() += 1;
    const Stock stock = Stock::box(box, 0.6);
    Cutter c = shapes::cutters()[0];
    RoughingOptions o;
    o.safeHeight = 20, o.bottom = -4.0;
    const auto r = planLevelRoughing(*part, stock, c, o, quiet_);
    for (const Location& l : r.path.locations) QVERIFY(l.tip.z() >= -4 - 1e-9);
    o.stepOver = 20;
    QVERIFY_EXCEPTION_THROWN(planLevelRoughing(*part, stock, c, o, quiet_), Error);
    o.stepOver = 2, o.wall = -1;
    QVERIFY_EXCEPTION_THROWN(planLevelRoughing(*part, stock, c, o, quiet_), Error);
  }
};

QTEST_APPLESS_MAIN(TestRoughing)
#include "tst_roughing.moc"
