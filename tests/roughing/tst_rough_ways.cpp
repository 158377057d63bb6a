// Roughing beyond one level after the other: order, allowances of regions, depth by reach, holes to enter by.
#include "proof/clearance.h"
#include "proof/gouge.h"
#include "roughing/plan_drilling.h"
#include "roughing/plan_level_roughing.h"
#include "shapes.h"
#include <QtTest>

using namespace hemline;

namespace {

/// Two square pockets with their walls `wall` apart, `deep` mm deep, walls a little leaning.
std::shared_ptr<const Part> pockets(double wall, double deep) {
  return shapes::field(-34, 34, -16, 16, 272, 128, [=](double x, double y) {
    const double u = std::max(std::abs(std::abs(x) - (11 + wall / 2)), std::abs(y)) - 11; // below 0 inside a pocket
    return std::clamp(u * 8, -deep, 0.0);
  });
}

Cutter mill(double diameter, double ramp = radians(4)) {
  Cutter c = shapes::cutters()[0];
  c.diameter = diameter, c.rampAngle = ramp;
  return c;
}

} // namespace

class TestRoughWays : public QObject {
  Q_OBJECT
  Progress quiet_;

  static RoughingOptions options() {
    RoughingOptions o;
    o.depth = 2, o.stepOver = 2.4, o.wall = o.floor = 0.3, o.safeHeight = 12;
    return o;
  }
  static Stock blank(const Part& part, double above = 1) {
    Box box = part.mesh.bounds();
    box.high.z() += above, box.low.z() -= 3;
    return Stock::box(box, 0.5);
  }

private slots:
  void pocketsGoDownOneByOneUnlessAThinWallStandsBetween_data() {
    QTest::addColumn<double>("wall");
    QTest::addColumn<bool>("engaged");
    QTest::addColumn<bool>("together");
    QTest::newRow("thick wall") << 12.0 << false << false;
    QTest::newRow("thick wall, constant engagement") << 12.0 << true << false;
    QTest::newRow("thin wall") << 1.5 << false << true;
  }
  void pocketsGoDownOneByOneUnlessAThinWallStandsBetween() {
    QFETCH(double, wall);
    QFETCH(bool, engaged);
    QFETCH(bool, together);
    const auto part = pockets(wall, 8);
    RoughingOptions o = options();
    if (engaged) o.engagement = radians(60);
    std::array<int, 2> turns{};
    std::array<double, 2> left{};
    for (const bool byRegion : {false, true}) {
      o.byRegion = byRegion;
      const RoughingResult r = planLevelRoughing(*part, blank(*part, 0), mill(6), o, quiet_);
      double side = 0;
      for (const Location& l : r.path.locations)
        if (l.motion == Motion::Cut && std::abs(l.tip.x()) > wall / 2 + 3 && l.tip.x() * side <= 0)
          turns[byRegion] += side != 0, side = l.tip.x();
      left[byRegion] = r.stockAfter.volume();
      QCOMPARE(r.skipped, std::size_t{0});
    }
    QVERIFY2(turns[0] >= 3, qPrintable(QString::number(turns[0])));
    QVERIFY2(together ? turns[1] >= 3 : turns[1] == 1, qPrintable(QString::number(turns[1])));
    QVERIFY(std::abs(left[0] - left[1]) < 0.002 * left[0]);
  }

  void regionsKeepMore() {
    const auto part = pockets(12, 8);
    std::vector<Vec3> right;
    for (std::size_t t = 0; t < part->mesh.triangles.size(); ++t)
      if (part->mesh.corner(t, 0).x() > 0)
        for (std::size_t k = 0; k < 3; ++k) right.push_back(part->mesh.corner(t, k));
    const std::shared_ptr<const Part> ground = partFromTriangles(right, "right");
    RoughingOptions o = options();
    o.own = {{ground, 1.4}};
    const RoughingResult r = planLevelRoughing(*part, blank(*part), mill(6), o, quiet_);
    const Profile profile = makeProfile(mill(6));
    std::array<double, 2> lowest{1e300, 1e300};
    for (const Location& l : r.path.locations)
      if (l.motion == Motion::Cut) lowest[l.tip.x() > 0] = std::min(lowest[l.tip.x() > 0], l.tip.z());
    QVERIFY2(std::abs(lowest[0] + 7.7) < 0.02 && std::abs(lowest[1] + 6.6) < 2, qPrintable(QString("%1 %2").arg(lowest[0]).arg(lowest[1])));
    QVERIFY(lowest[1] > -6.6 - 1e-6);
    QVERIFY(proveGouge(*ground, profile, r.path, {1.4, 0.05}, quiet_).value < 0.02);
    QVERIFY(proveGouge(*part, profile, r.path, {0.3, 0.05}, quiet_).value < 0.02);
  }

  void itEndsWhereTheHolderWouldTouch() {
    // Pockets 20 deep, a holder wider than they are: no deeper than it stands out, less the clearance.
    const auto part = pockets(12, 20);
    const Assembly assembly = assemble(mill(6), Holder{"wide", {{0, 16, 40, 16}}}, 14);
    RoughingOptions o = options();
    o.reach = RoughingReach{&assembly, 0.8};
    const Stock stock = blank(*part, 0);
    const RoughingResult r = planLevelRoughing(*part, stock, assembly.cutter, o, quiet_);
    double lowest = 1e300;
    for (const Location& l : r.path.locations) lowest = std::min(lowest, l.tip.z());
    QVERIFY(r.reached && std::abs(*r.reached - lowest) < 1e-6);
    QCOMPARE(r.levels, static_cast<std::size_t>(std::lround(-lowest / o.depth))); // those that were cut, not those that were meant
    // Levels are 2 mm apart, and the stock is known to a cell.
    QVERIFY2(lowest >= -14 + 0.8 && lowest <= -14 + 0.8 + 2 + 1, qPrintable(QString::number(lowest)));
    QVERIFY(r.path.notes.size() == 1 && r.path.notes[0].find("holder") != std::string::npos);
    Stock cut = stock;
    ClearanceOptions clear;
    clear.wanted = 0.8;
    QVERIFY(cutAndProve(cut, assembly, r.path, {}, false, clear, quiet_).clearance.unproven == 0);
    QVERIFY(std::abs(cut.volume() - r.stockAfter.volume()) < 1e-6 * cut.volume()); // what was given up leaves no trace
    o.reach->clearance = 13;
    QVERIFY_THROWS_EXCEPTION(Error, planLevelRoughing(*part, stock, assembly.cutter, o, quiet_));
  }

  void holesLetACutterInThatCannotRamp() {
    const auto part = pockets(12, 8);
    Cutter drill = shapes::cutters().front();
    drill.kind = CutterKind::Drill, drill.diameter = drill.shankDiameter = 10, drill.angle = radians(59), drill.name = "drill 10";
    drill.fluteLength = 40, drill.length = 90;
    DrillingOptions d;
    d.holes = {{17, 0}, {-17, 0}}, d.bottom = -7, d.allowance = 0.3, d.peck = 3, d.safeHeight = 12;
    const Stock stock = blank(*part);
    const DrillingResult drilled = planDrilling(*part, stock, drill, d, quiet_);
    QCOMPARE(drilled.holes, std::size_t{2});
    Stock after = stock;
    const Assembly assembly = assemble(drill, Holder{"h", {{0, 10, 40, 10}}}, 50);
    const CutReport report = cutAndProve(after, assembly, drilled.path, {}, false, {}, quiet_);
    QVERIFY(!report.clearance.rapidThroughStock && report.clearance.unproven == 0);
    // From the stock's top at 1 down to -7, the cone below its full diameter.
    const double cone = 5 / std::tan(radians(59)), hole = kPi * 25 * (8 - cone) + kPi * 25 * cone / 3;
    QVERIFY2(std::abs(report.removed - 2 * hole) < 0.05 * 2 * hole, qPrintable(QString("%1 %2").arg(report.removed).arg(2 * hole)));
    std::vector<double> depths; // down, peck by peck
    for (const Location& l : drilled.path.locations)
      if (l.motion == Motion::Entry && l.tip.x() > 0) depths.push_back(l.tip.z());
    QVERIFY(depths.size() == 3 && std::abs(depths.back() + 7) < 1e-9 && depths[0] - depths[1] <= 3 + 1e-9);
    QVERIFY(proveGouge(*part, assembly.profile, drilled.path, {0.3, 0.05}, quiet_).value < 0.02);

    RoughingOptions o = options();
    for (const bool engaged : {false, true}) {
      if (engaged) o.engagement = radians(60);
      const RoughingResult r = planLevelRoughing(*part, after, mill(6, 0), o, quiet_);
      QVERIFY(r.helixEntries + r.rampEntries == 0 && r.airEntries >= 2);
      double lowest = 1e300;
      for (const Location& l : r.path.locations)
        if (l.motion == Motion::Cut) lowest = std::min(lowest, l.tip.z());
      // The drill's point leaves no room below -4: that stays, and is told.
      QVERIFY2(lowest < -2.9 && lowest > -4.1 && r.skipped > 0, qPrintable(QString::number(lowest)));
    }
    // As deep as the part lets it; and what cannot be drilled is told with its hole.
    d.bottom.reset();
    double lowest = 1e300;
    for (const Location& l : planDrilling(*part, stock, drill, d, quiet_).path.locations) lowest = std::min(lowest, l.tip.z());
    QVERIFY(std::abs(lowest + 7.7) < 0.02);
    const auto told = [&](const DrillingOptions& wrong, const Cutter& c, const char* word) {
      try {
        planDrilling(*part, stock, c, wrong, quiet_);
      } catch (const Error& e) {
        return std::string(e.what()).find(word) != std::string::npos;
      }
      return false;
    };
    QVERIFY(told(d, mill(6), "no drill"));
    DrillingOptions wrong = d;
    wrong.holes = {{17, 0}, {90, 0}};
    QVERIFY(told(wrong, drill, "hole 2"));
    wrong.holes = {{0, 0}}, wrong.bottom = 3;
    QVERIFY(told(wrong, drill, "no stock"));
    wrong.holes.clear();
    QVERIFY(told(wrong, drill, "no holes"));
    wrong = d, wrong.peck = 0;
    QVERIFY(told(wrong, drill, "peck"));
  }

  void insideCornersAreRounded() {
    const auto part = pockets(12, 4);
    RoughingOptions o = options();
    for (const double loop : {0.0, 2.0}) {
      if (loop > 0) o.smallestLoop = loop;
      const RoughingResult r = planLevelRoughing(*part, blank(*part, 0), mill(6), o, quiet_);
      // The corner of the axis' ground: how near the passes come to it.
      double nearest = 1e300;
      const Vec2 corner(17 + 11 - 3 - 0.3, 11 - 3 - 0.3);
      for (const Location& l : r.path.locations)
        if (l.motion == Motion::Cut) nearest = std::min(nearest, (l.tip.head<2>() - corner).norm());
      const double kept = loop * (std::sqrt(2.0) - 1);
      QVERIFY2(nearest > kept - 0.25 && nearest < kept + 0.6, qPrintable(QString("%1 for %2").arg(nearest).arg(kept)));
    }
  }
};

QTEST_APPLESS_MAIN(TestRoughWays)
#include "tst_rough_ways.moc"
