// Passes of constant engagement: against brute force on the exact segments, then on the measured stock.
#include "geometry/planar_field.h"
#include "proof/clearance.h"
#include "proof/gouge.h"
#include "roughing/constant_engagement.h"
#include "roughing/plan_level_roughing.h"
#include "shapes.h"
#include <QtTest>

using namespace hemline;

namespace {

Outline rectangle(double x0, double y0, double x1, double y1) {
  return {{x0, y0}, {x1, y0}, {x1, y1}, {x0, y1}};
}

double toSegment(const Vec2& p, const Vec2& a, const Vec2& b) {
  const Vec2 d = b - a;
  const double u = d.squaredNorm() > 0 ? std::clamp((p - a).dot(d) / d.squaredNorm(), 0.0, 1.0) : 0.0;
  return (p - a - u * d).norm();
}

Vec2 direction(double a) {
  return {std::cos(a), std::sin(a)};
}

/// What the witness finds by replaying the passes with a disc, exactly.
struct Replay {
  std::vector<double> arcs; ///< in the middle of some moves, degrees; as many as their length asks for
  double outside = 0;       ///< farthest that the axis leaves its ground, mm
  double cutOnTheWay = 0;   ///< largest arc on ways to passes, degrees
  double left = 0;          ///< share of places to be cleared that no pass came near to
  double at(double share) const { return arcs[std::min(arcs.size() - 1, static_cast<std::size_t>(share * double(arcs.size())))]; }
};

Replay replay(const EngagedLevel& level, const Outlines& free, const Outlines& material, const EngagementOptions& o) {
  Replay out;
  std::vector<std::pair<Vec2, Vec2>> cut;
  const auto gone = [&](const Vec2& p) {
    return !regionContains(material, p) || std::any_of(cut.begin(), cut.end(), [&](const auto& s) {
      return (s.first - p).squaredNorm() < (o.radius + 4) * (o.radius + 4) && toSegment(p, s.first, s.second) <= o.radius;
    });
  };
  const auto arc = [&](const Vec2& c, const Vec2& ahead) {
    int in = 0;
    for (int k = 0; k < 360; ++k) {
      const Vec2 u = direction(2 * kPi * (k + 0.5) / 360);
      in += (ahead.squaredNorm() == 0 || u.dot(ahead) > 0) && !gone(c + (1 - 6e-4) * o.radius * u);
    }
    return double(in);
  };
  const Border border(free, 2);
  double run = 0, ways = 0;
  for (const EngagedPass& p : level.passes) {
    const auto line = [&](const Outline& l) {
      for (std::size_t i = 1; i < l.size(); ++i) cut.emplace_back(l[i - 1], l[i]);
    };
    Outline helix;
    for (int k = 0; k <= 180; ++k) helix.push_back(p.centre + p.radius * direction(2 * kPi * k / 180));
    if (p.by == EngagedPass::By::Helix) line(helix), cut.emplace_back(p.centre, p.centre);
    if (p.by == EngagedPass::By::Ramp) line(p.way);
    if (p.by == EngagedPass::By::Along || p.by == EngagedPass::By::Air)
      for (std::size_t i = 1; i < p.way.size(); ++i)
        if ((ways += (p.way[i] - p.way[i - 1]).norm()) > 3 * o.radius)
          ways = 0, out.cutOnTheWay = std::max(out.cutOnTheWay, arc(0.5 * (p.way[i] + p.way[i - 1]), Vec2::Zero()));
    for (std::size_t i = 1; i < p.line.size(); ++i) {
      const Vec2 &a = p.line[i - 1], &b = p.line[i];
      for (run += (b - a).norm(); run > 0.4 * o.radius; run -= 0.4 * o.radius) out.arcs.push_back(arc(0.5 * (a + b), b - a));
      Vec2 at;
      bool outside = false;
      if (border.nearest(b, at, outside) && outside) out.outside = std::max(out.outside, (b - at).norm());
      cut.emplace_back(a, b);
    }
  }
  std::sort(out.arcs.begin(), out.arcs.end());
  // Corners are rounded by the smallest loop: nothing is asked for where no such loop fits.
  const Outlines asked = intersect(material, offset(offset(offset(free, -o.smallest), o.smallest), o.radius - 0.3));
  std::mt19937 random(1);
  Eigen::AlignedBox2d box;
  for (const Outline& l : asked)
    for (const Vec2& p : l) box.extend(p);
  std::uniform_real_distribution<double> x(box.min().x(), box.max().x()), y(box.min().y(), box.max().y());
  int all = 0, stand = 0;
  for (int k = 0; k < 4000; ++k)
    if (const Vec2 p(x(random), y(random)); regionContains(asked, p)) ++all, stand += !gone(p);
  out.left = all > 0 ? double(stand) / all : 0;
  return out;
}

} // namespace

class TestEngagement : public QObject {
  Q_OBJECT
  Progress quiet_;

  void holds(const Outlines& free, const Outlines& material, const EngagementOptions& o, double most, const char* what) {
    const EngagedLevel level = engagedPasses(free, material, material, o, nullptr, quiet_);
    const Replay seen = replay(level, free, material, o);
    const double arc = degrees(o.arc);
    QVERIFY2(!level.passes.empty() && !seen.arcs.empty(), what);
    const QString told = QString("%1: p99 %2, most %3 of %4 degrees; length over least %5; left %6; outside %7; on ways %8")
                             .arg(what)
                             .arg(seen.at(0.99))
                             .arg(seen.arcs.back())
                             .arg(arc)
                             .arg(level.efficiency(o))
                             .arg(seen.left)
                             .arg(seen.outside)
                             .arg(seen.cutOnTheWay);
    QVERIFY2(seen.at(0.99) <= 1.05 * arc && seen.arcs.back() <= 1.15 * arc, qPrintable(told));
    // No way of cutting is shorter than the area over the width: a length below that would be a wrong area.
    QVERIFY2(level.efficiency(o) > 0.97 && level.efficiency(o) <= most, qPrintable(told));
    QVERIFY2(seen.left < 0.002 && seen.outside < 0.03, qPrintable(told));
    QVERIFY2(seen.cutOnTheWay < 8, qPrintable(told)); // less than 0.1 mm
  }

private slots:
  void distancesAreReadBetweenPlaces() {
    const Outlines ring{rectangle(0, 0, 20, 12), {{5, 4}, {5, 8}, {10, 8}, {10, 4}}}; // a hole, clockwise
    const Grid grid{Vec2(-3, -3), 0.4, 70, 50};
    PlanarField field(grid, ring, 1.6);
    const Border border(ring, 1.5);
    std::mt19937 random(2);
    std::uniform_real_distribution<double> x(-2, 22), y(-2, 14);
    const auto exact = [&](const Vec2& p) {
      double d = 1e300;
      for (const Outline& o : ring)
        for (std::size_t i = 0; i < o.size(); ++i) d = std::min(d, toSegment(p, o[i], o[(i + 1) % o.size()]));
      return regionContains(ring, p) ? d : -d;
    };
    for (int k = 0; k < 3000; ++k) {
      const Vec2 p(x(random), y(random));
      const double d = exact(p);
      if (std::abs(d) > 0.9) continue;
      QVERIFY2(std::abs(field.at(p) - d) < 0.12, qPrintable(QString::number(field.at(p) - d))); // corners: 0.3 of a step
      Vec2 at;
      bool outside = false;
      QVERIFY(border.nearest(p, at, outside));
      QVERIFY(std::abs((at - p).norm() - std::abs(d)) < 1e-9 && (std::abs(d) < 1e-9 || outside == (d < 0)));
    }
    // A capsule is taken out to a thousandth of a millimetre.
    QVERIFY(field.takeAway(Vec2(14, 3), Vec2(14, 9), 2.5) > 100);
    for (int k = 0; k < 60; ++k) {
      const double h = 3.2 + 0.09 * k;
      QVERIFY(std::abs(field.at(Vec2(16.7, h)) - 0.2) < 2e-3 && std::abs(field.at(Vec2(14 - 2.4, h)) + 0.1) < 2e-3);
    }
  }

  void shapesAreClearedAtTheirArc_data() {
    QTest::addColumn<QString>("shape");
    QTest::addColumn<double>("arc");
    QTest::addColumn<double>("most"); // length of passes over the least there could be
    QTest::newRow("block, from outside") << "block" << 60.0 << 1.05;
    QTest::newRow("block, wide") << "block" << 90.0 << 1.06;
    QTest::newRow("boss") << "boss" << 60.0 << 1.06;
    QTest::newRow("closed pocket") << "pocket" << 60.0 << 1.2;
    QTest::newRow("closed pocket, narrow arc") << "pocket" << 35.0 << 1.2;
    QTest::newRow("pocket with an island") << "island" << 60.0 << 1.3;
    QTest::newRow("closed slot") << "slot" << 60.0 << 1.6;
    QTest::newRow("closed slot, narrow arc") << "slot" << 40.0 << 1.6;
    QTest::newRow("slot from its open ends") << "open slot" << 60.0 << 1.6;
    QTest::newRow("bent pocket") << "bent" << 60.0 << 1.35;
  }
  void shapesAreClearedAtTheirArc() {
    QFETCH(QString, shape);
    QFETCH(double, arc);
    QFETCH(double, most);
    EngagementOptions o;
    o.radius = 8, o.arc = radians(arc), o.smallest = 1.2, o.helix = 4.8, o.room = 1;
    Outlines material{rectangle(-20, -20, 110, 90)}, free;
    if (shape == "block") material = {rectangle(0, 0, 90, 60)}, free = {rectangle(-15, -15, 105, 75)};
    if (shape == "boss")
      material = {rectangle(0, 0, 100, 80)}, free = subtract({rectangle(-15, -15, 115, 95)}, offset({rectangle(38, 30, 62, 50)}, 8));
    if (shape == "pocket") free = offset({rectangle(0, 0, 90, 70)}, -8);
    if (shape == "island") free = subtract(offset({rectangle(0, 0, 100, 80)}, -8), offset({rectangle(40, 32, 60, 48)}, 8));
    if (shape == "slot") free = offset({rectangle(0, 0, 90, 24)}, -8);
    if (shape == "open slot")
      material = {rectangle(0, -10, 70, 34)},
      free = subtract({rectangle(-15, -30, 85, 54)}, offset({rectangle(-1, -40, 71, 0), rectangle(-1, 24, 71, 64)}, 8));
    if (shape == "bent") free = offset({{{0, 0}, {100, 0}, {100, 28}, {36, 28}, {36, 80}, {0, 80}}}, -8);
    holds(free, material, o, most, qPrintable(shape));
    if (QTest::currentTestFailed()) return;
    // The same, turned: nothing hangs on the grid.
    const auto turned = [](const Outlines& r) {
      Outlines out = r;
      for (Outline& l : out)
        for (Vec2& p : l) p = Eigen::Rotation2Dd(0.6) * p;
      return out;
    };
    holds(turned(free), turned(material), o, most + 0.03, qPrintable(shape + ", turned"));
  }

  void anyPocketIsClearedAtItsArc() {
    // Stars with round corners and islands, cutters and arcs at random.
    std::mt19937 random(7);
    std::uniform_real_distribution<double> u(0, 1);
    for (int n = 0; n < 14; ++n) {
      EngagementOptions o;
      o.radius = 2 + 6 * u(random), o.arc = radians(35 + 45 * u(random)), o.smallest = 0.2 * o.radius, o.helix = 0.6 * o.radius;
      const double R = o.radius;
      Outline star;
      const int arms = 3 + n % 4;
      const double phase = 6 * u(random), wave = 0.3 * u(random);
      for (int k = 0; k < 240; ++k) {
        const double a = 2 * kPi * k / 240;
        star.push_back((5.5 + 2 * u(random) * 0.02) * R * (1 + wave * std::sin(arms * a + phase)) * direction(a));
      }
      Outlines free = offset({star}, -R);
      if (n % 2 == 1) {
        const Vec2 at = 1.5 * R * direction(6 * u(random));
        Outline island;
        for (int k = 0; k < 40; ++k) island.push_back(at + (1 + 0.5 * u(random)) * R * direction(2 * kPi * k / 40));
        free = subtract(free, offset({island}, R));
      }
      holds(free, {rectangle(-9 * R, -9 * R, 9 * R, 9 * R)}, o, 1.6, qPrintable(QString("pocket %1").arg(n)));
      if (QTest::currentTestFailed()) return;
    }
  }

  void nothingIsDoneWhereNothingCanBe() {
    EngagementOptions o;
    o.radius = 5, o.arc = radians(60), o.smallest = 1;
    const Outlines block{rectangle(0, 0, 60, 40)}, pocket = offset({rectangle(10, 10, 50, 30)}, -5);
    // No air, no helix: it stays and is counted.
    EngagedLevel level = engagedPasses(pocket, block, block, o, nullptr, quiet_);
    QVERIFY2(level.passes.empty() && level.notEntered == 1 && std::abs(level.left - 780) < 25,
             qPrintable(QString("%1 %2 %3").arg(level.passes.size()).arg(level.notEntered).arg(level.left)));
    // Already cleared.
    level = engagedPasses(pocket, {rectangle(100, 100, 110, 110)}, block, o, nullptr, quiet_);
    QVERIFY(level.passes.empty() && level.left == 0 && level.notEntered == 0);
    // A hole that was drilled lets it in from air.
    Outlines drilled = subtract(block, offset({rectangle(29.9, 19.9, 30.1, 20.1)}, 7));
    level = engagedPasses(pocket, drilled, drilled, o, nullptr, quiet_);
    QVERIFY(!level.passes.empty() && level.passes.front().by == EngagedPass::By::Air && level.left < 1);
    QVERIFY((level.passes.front().way.front() - Vec2(30, 20)).norm() < 1.2);
    o.arc = radians(5);
    QVERIFY_THROWS_EXCEPTION(Error, engagedPasses(pocket, block, block, o, nullptr, quiet_));
    o.arc = radians(60), o.smallest = 0;
    QVERIFY_THROWS_EXCEPTION(Error, engagedPasses(pocket, block, block, o, nullptr, quiet_));
    Progress stopped;
    stopped.cancel();
    o.smallest = 1, o.helix = 3;
    QVERIFY_THROWS_EXCEPTION(Cancelled, engagedPasses(pocket, block, block, o, nullptr, stopped));
  }

  void arcsAreReadBetweenRays_data() {
    QTest::addColumn<int>("axis");
    QTest::addColumn<double>("cell");
    for (int k = 0; k < 3; ++k)
      for (const double cell : {0.5, 1.0}) QTest::addRow("axis %d, cell %g", k, cell) << k << cell;
  }
  void arcsAreReadBetweenRays() {
    QFETCH(int, axis);
    QFETCH(double, cell);
    // A flat cutter runs along a wall at some slant, then beside its own pass: the arc is acos(1 - width / radius).
    const Vec3 up = Vec3::Unit(axis), e = Vec3::Unit((axis + 1) % 3), f = Vec3::Unit((axis + 2) % 3);
    const Profile profile = makeProfile(shapes::cutters()[0]);
    const double R = profile.maxRadius();
    for (const double slant : {0.0, 0.3, 0.8, 1.3}) {
      const Vec3 along = std::cos(slant) * e + std::sin(slant) * f, side = up.cross(along);
      Box box;
      for (const double s : {-40.0, 40.0}) box.add(s * e + s * f + (s > 0 ? 0.0 : -12.0) * up);
      Stock stock = Stock::box(box, cell);
      Path path;
      for (const double s : {-60.0, 60.0}) {
        Location l;
        l.tip = s * along - 6 * up, l.axis = up, l.motion = s < 0 ? Motion::Rapid : Motion::Cut;
        path.locations.push_back(l);
      }
      stock.cut(profile, path, 1, 2);
      for (const double share : {0.2, 0.5, 0.9})
        for (const double s : {-10.0, 0.0, 7.3}) {
          const Vec3 tip = s * along + share * R * side - 6 * up;
          const std::vector<double> rings = stock.ringHeights(tip, up, 0.3, 6, 0.5);
          QVERIFY(rings.size() >= 5);
          for (const double h : {rings.front(), rings.back()}) {
            const double arc = stock.arcInside(tip, up, along, R, h), want = std::acos(1 - share);
            QVERIFY2(std::abs(arc - want) < radians(0.6), qPrintable(QString("%1 for %2").arg(degrees(arc)).arg(degrees(want))));
          }
        }
    }
  }

  void onTheStockItIsKept_data() {
    QTest::addColumn<bool>("turned");
    QTest::addColumn<int>("cutter"); // 0 flat, 2 bull nose
    QTest::newRow("flat") << false << 0;
    QTest::newRow("bull nose, turned") << true << 2;
  }
  void onTheStockItIsKept() {
    // A dish with a boss in it, three levels deep, measured on the stock as every roughing step is.
    QFETCH(bool, turned);
    QFETCH(int, cutter);
    const Mat3 turn = turned ? Mat3(Eigen::AngleAxisd(kPi / 2, Vec3::UnitX())) : Mat3(Mat3::Identity());
    const auto part = shapes::field(
        -40, 40, -30, 30, 160, 120,
        [](double x, double y) {
          const auto step = [](double v) {
            const double s = std::clamp(v, 0.0, 1.0);
            return s * s * (3 - 2 * s);
          };
          const double rim = std::pow(std::pow(std::abs(x) / 33, 4) + std::pow(std::abs(y) / 24, 4), 0.25);
          return -9 + 9 * step((rim - 1) * 8 + 0.5) + 6 * step((7 - std::hypot(x - 8, y)) / 3);
        },
        turn);
    Cutter c = shapes::cutters()[static_cast<std::size_t>(cutter)];
    c.diameter = 10, c.corner = cutter == 2 ? 1.0 : 0.0, c.rampAngle = radians(3);
    Box box = part->mesh.bounds();
    box.add(box.high + 2 * shapes::up(turn).cwiseMax(0.0));
    box.add(box.low + 2 * shapes::up(turn).cwiseMin(0.0));
    RoughingOptions o;
    o.up = shapes::up(turn), o.depth = 4, o.wall = o.floor = 0.3, o.engagement = radians(60), o.safeHeight = 30;
    const Stock blank = Stock::box(box, 0.5);
    const RoughingResult r = planLevelRoughing(*part, blank, c, o, quiet_);
    QVERIFY(r.helixEntries > 0 && r.skipped == 0 && r.engaged.size() >= 3);
    QVERIFY2(efficiencyOf(r.engaged) < 1.4, qPrintable(QString::number(efficiencyOf(r.engaged))));
    const Assembly assembly = assemble(c, Holder{"h", {{0, 12, 40, 12}}}, 40);
    Stock stock = blank;
    const CutReport cut = cutAndProve(stock, assembly, r.path, {}, true, {}, quiet_);
    QVERIFY(!cut.clearance.rapidThroughStock);
    QVERIFY(!cut.clearance.collision);
    QVERIFY(degrees(cut.coarse) < 60);
    std::vector<std::pair<double, double>> arcs; // arc, length
    double all = 0, links = 0, tightest = 1e300;
    const auto& l = r.path.locations;
    for (std::size_t i = 1; i < l.size(); ++i) {
      const double length = (l[i].tip - l[i - 1].tip).norm();
      if (l[i].motion == Motion::Cut) all += length, arcs.emplace_back(cut.moves[i].engagement, length);
      if (l[i].motion == Motion::Link) links += std::max(0.0f, cut.moves[i].removed);
      // Straight down goes only where nothing stands, in ways in at the level the cutter never falls by more than its lift.
      if (l[i].motion == Motion::LeadIn) tightest = std::min(tightest, (l[i].tip - l[i - 1].tip).dot(o.up));
    }
    std::sort(arcs.begin(), arcs.end());
    double run = 0, p99 = 0;
    for (const auto& [arc, length] : arcs)
      if ((run += length) >= 0.99 * all) {
        p99 = degrees(arc);
        break;
      }
    QVERIFY2(p99 <= 63 && degrees(cut.engagement) <= 69, qPrintable(QString("%1 %2").arg(p99).arg(degrees(cut.engagement))));
    QVERIFY2(cut.airShare < 0.03 && links < 0.5, qPrintable(QString("%1 %2").arg(cut.airShare).arg(links)));
    QVERIFY(tightest >= -o.lift - 1e-9);
    QVERIFY(proveGouge(*part, assembly.profile, r.path, {0.3, 0.05}, quiet_).value < 0.02);
    // As much is taken as passes a step-over apart take, but for the corners that they jerk into.
    o.engagement.reset(), o.stepOver = 3;
    const RoughingResult rings = planLevelRoughing(*part, blank, c, o, quiet_);
    QVERIFY(std::abs(rings.stockAfter.volume() - r.stockAfter.volume()) < 0.01 * (blank.volume() - rings.stockAfter.volume()));
  }
};

QTEST_APPLESS_MAIN(TestEngagement)
#include "tst_engagement.moc"
