#include "geometry/outline.h"
#include "proof/clearance.h"
#include "proof/gouge.h"
#include "roughing/plan_level_roughing.h"
#include "shapes.h"
#include "stock/stock_pieces.h"
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
      const Measured kept = proveGouge(*part, makeProfile(c), r.path, {std::min(o.wall, o.floor), 0.05}, quiet);
      QVERIFY2(kept.value < 0.02, qPrintable(QString::number(kept.value)));
      QVERIFY(kept.bound >= kept.value && kept.bound < kept.value + 1e-3);
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

  void aValleyIsEnteredFromAirAndNoTrenchIsCutRoundIt() {
    // A valley open at both ends, in a blank that is larger all round.
    for (const Mat3& turn : {Mat3(Mat3::Identity()), Mat3(Eigen::AngleAxisd(kPi / 2, Vec3::UnitX()))})
      for (const bool stopAtEdge : {false, true}) {
        const auto part = shapes::field(
            -20, 20, -15, 15, 8, 60, [](double, double y) { return 0.05 * y * y; }, turn);
        const Vec3 up = shapes::up(turn);
        Cutter c = shapes::cutters()[0];
        c.diameter = 6, c.rampAngle = radians(3);
        Box box;
        for (const Vec3& p : {Vec3(-25, -20, 0), Vec3(25, 20, 12)}) box.add(turn * p);
        RoughingOptions o;
        o.up = up, o.depth = 1.5, o.stepOver = 2.4, o.wall = o.floor = 0.3, o.safeHeight = 20;
        if (stopAtEdge) o.belowEdge = 0;
        const RoughingResult r = planLevelRoughing(*part, Stock::box(box, 0.5), c, o, quiet_);
        const auto told = [&] { return qPrintable(QString("%1 %2 %3").arg(r.airEntries).arg(r.helixEntries).arg(r.rampEntries)); };
        if (stopAtEdge) QVERIFY2(r.airEntries > 2 * (r.helixEntries + r.rampEntries), told());
        const auto material = [&](double x, double y, double z) { return r.stockAfter.contains(turn * Vec3(x, y, z)); };
        for (const double side : {-1.0, 1.0}) {
          QCOMPARE(material(0, 18 * side, 8), stopAtEdge); // beside the high edge
          QVERIFY(!material(3, 5 * side, 4) && !material(22 * side, 0, 4));
          QCOMPARE(material(22 * side, 13.7, 6), stopAtEdge);
          QVERIFY(material(3, 12 * side, 6));
        }
      }
  }

  void theStaircaseIsThinned() {
    // A pit with slopes of 45 degrees: levels 4 apart leave stairs of 4 cos 45; thinned to 1 they are a quarter of it.
    for (const Mat3& turn : {Mat3(Mat3::Identity()), Mat3(Eigen::AngleAxisd(kPi / 2, Vec3::UnitX()))}) {
      const auto part = shapes::field(
          -25, 25, -25, 25, 100, 100, [](double x, double y) { return std::clamp(std::hypot(x, y) - 20, -12.0, 0.0); }, turn);
      const Vec3 up = shapes::up(turn);
      Cutter c = shapes::cutters()[0];
      c.diameter = 6, c.rampAngle = radians(3);
      Box box = part->mesh.bounds();
      RoughingOptions o;
      o.up = up, o.depth = 4, o.stepOver = 2.4, o.wall = o.floor = 0.3, o.safeHeight = 20;
      const Stock blank = Stock::box(box, 0.4);
      const auto stairs = [&](const Stock& stock) { // highest over the slope, along its normal
        double most = 0;
        for (std::size_t t = 0; t < part->mesh.triangles.size(); t += 3) {
          const Vec3 n = part->mesh.facetNormal(t), p = part->mesh.corner(t, 0), in = turn.transpose() * p;
          if (std::abs(n.dot(up) - std::sqrt(0.5)) > 0.03 || in.z() > -1.5 || in.z() < -10.5) continue;
          for (double e = 5; e > most; e -= 0.05)
            if (stock.contains(p + e * n)) most = e;
        }
        return most;
      };
      const RoughingResult coarse = planLevelRoughing(*part, blank, c, o, quiet_);
      o.thinning = 1;
      const RoughingResult fine = planLevelRoughing(*part, blank, c, o, quiet_);
      QCOMPARE(coarse.thinned, 0u);
      QVERIFY(fine.levels == coarse.levels && fine.thinned >= 9);
      const double high = stairs(coarse.stockAfter), low = stairs(fine.stockAfter), left = 0.3 / std::sqrt(2.0);
      QVERIFY2(std::abs(high - 4 / std::sqrt(2.0) - left) < 0.7, qPrintable(QString::number(high)));
      QVERIFY2(low < 1 / std::sqrt(2.0) + left + 0.6 && low < 0.55 * high, qPrintable(QString::number(low)));
      // And nothing is cut below what the step leaves.
      QVERIFY(proveGouge(*part, makeProfile(c), fine.path, {0.3, 0.05}, quiet_).value < 0.02);
    }
  }

  void restIsRoughedWhereItIsWorthIt() {
    // A pocket with round corners of 2 mm, roughed with 12 mm: what is left stands in the four corners only.
    const auto part = shapes::field(-20, 20, -15, 15, 160, 120, [](double x, double y) {
      const double r = 2, dx = std::max(0.0, std::abs(x) - 14 + r), dy = std::max(0.0, std::abs(y) - 9 + r);
      return std::clamp(4 * (std::hypot(dx, dy) - r), -6.0, 0.0);
    });
    Cutter large = shapes::cutters()[0], small = large;
    large.diameter = 10, large.rampAngle = small.rampAngle = radians(5), small.diameter = 3;
    RoughingOptions o;
    o.depth = 1.5, o.stepOver = 3, o.wall = o.floor = 0.2, o.safeHeight = 20;
    Box box = part->mesh.bounds();
    const RoughingResult first = planLevelRoughing(*part, Stock::box(box, 0.3), large, o, quiet_);
    o.stepOver = 1.2;
    const RoughingResult all = planLevelRoughing(*part, first.stockAfter, small, o, quiet_);
    o.leastThickness = 0.5, o.leastArea = 0.8;
    const RoughingResult worth = planLevelRoughing(*part, first.stockAfter, small, o, quiet_);
    std::size_t cuts = 0, corners = 0;
    for (const Location& l : worth.path.locations) {
      if (l.motion != Motion::Cut) continue;
      ++cuts;
      corners += std::abs(l.tip.x()) > 5 && std::abs(l.tip.y()) > 2.5;
    }
    QVERIFY2(cuts > 20 && static_cast<double>(corners) > 0.95 * static_cast<double>(cuts),
             qPrintable(QString("%1 of %2").arg(corners).arg(cuts)));
    QVERIFY(worth.path.length(true) <= 1.1 * all.path.length(true)); // neither runs where nothing stands
    const double whole = first.stockAfter.volume() - all.stockAfter.volume(), done = first.stockAfter.volume() - worth.stockAfter.volume();
    QVERIFY2(done > 0.7 * whole, qPrintable(QString("%1 of %2").arg(done).arg(whole)));
    o.leastThickness = 0, o.leastArea = 500; // no corner is that large
    QVERIFY_THROWS_EXCEPTION(Error, planLevelRoughing(*part, first.stockAfter, small, o, quiet_));
  }

  void tabsHoldWhatIsCutFree() {
    // A block in a frame, cut down to the very bottom all round: free without tabs, held by four with them.
    const auto soup = shapes::box({-15, -10, 0}, {15, 10, 10});
    for (const bool turned : {false, true}) {
      const Mat3 turn = turned ? Mat3(Eigen::AngleAxisd(kPi / 2, Vec3::UnitX())) : Mat3(Mat3::Identity());
      auto corners = soup;
      for (Vec3& p : corners) p = turn * p;
      const auto part = partFromTriangles(corners, "block");
      const Vec3 up = shapes::up(turn);
      Cutter c = shapes::cutters()[0];
      c.diameter = 6, c.rampAngle = radians(3);
      Box box;
      for (const Vec3& p : {Vec3(-29, -24, 0), Vec3(29, 24, 10)}) box.add(turn * p);
      const Outline ring{{-22, -17}, {22, -17}, {22, 17}, {-22, 17}}; // the axis stays within, so that a frame is left
      RoughingOptions o;
      o.up = up, o.depth = 2, o.stepOver = 2.4, o.wall = 0.3, o.floor = 0, o.bottom = 0, o.safeHeight = 20, o.fromOpenSide = false;
      Vec3 e1, e2;
      frameAround(up, e1, e2);
      for (const Vec2& p : ring) {
        const Vec3 at = turn * Vec3(p.x(), p.y(), 0);
        o.boundary.emplace_back(e1.dot(at), e2.dot(at));
      }
      const Stock blank = Stock::box(box, 0.5);
      QCOMPARE(StockPieces(planLevelRoughing(*part, blank, c, o, quiet_).stockAfter).pieces().size(), 2u);
      o.tabs = Tabs{4, 5, 2.5};
      const RoughingResult r = planLevelRoughing(*part, blank, c, o, quiet_);
      QCOMPARE(StockPieces(r.stockAfter).pieces().size(), 1u);
      QCOMPARE(r.tabs.size(), 4u);
      for (const Vec3& tab : r.tabs) {
        const Vec3 p = turn.transpose() * tab;
        QVERIFY(std::abs(p.z() - 2.5) < 1e-9);
        const bool atX = std::abs(p.x()) - 15 > std::abs(p.y()) - 10; // on which side of the block
        const Vec3 across = atX ? Vec3(std::copysign(1.0, p.x()), 0, 0) : Vec3(0, std::copysign(1.0, p.y()), 0),
                   along = atX ? Vec3(0, 1, 0) : Vec3(1, 0, 0);
        // Below its top it bridges the trench over its width, as far as the frame; above nothing is left; beside it the trench is cut
        // through.
        for (const double s : {-2.5, 0.0, 2.5, 5.0})
          for (const double w : {-2.0, 2.0}) QVERIFY(r.stockAfter.contains(turn * (p + s * across + w * along - Vec3(0, 0, 0.6))));
        QVERIFY(!r.stockAfter.contains(turn * (p + Vec3(0, 0, 0.6))));
        QVERIFY(!r.stockAfter.contains(turn * (p + 6.5 * along - Vec3(0, 0, 0.6))));
      }
      o.tabs = Tabs{9, 5, 2.5};
      QVERIFY_THROWS_EXCEPTION(Error, planLevelRoughing(*part, blank, c, o, quiet_));
    }
    // Where the level runs round nothing there is nothing to hold.
    const auto dish = shapes::field(-15, 15, -10, 10, 30, 20, [](double x, double y) { return 0.02 * (x * x + y * y) - 5; });
    Box box = dish->mesh.bounds();
    RoughingOptions o;
    o.safeHeight = 20, o.tabs = Tabs{}, o.boundary = {{-9, -6}, {9, -6}, {9, 6}, {-9, 6}};
    Cutter c = shapes::cutters()[0];
    QVERIFY_THROWS_EXCEPTION(Error, planLevelRoughing(*dish, Stock::box(box, 0.5), c, o, quiet_));
  }

  void nothingPlungesAndNoRapidTouches() {
    // Random grounds with steps and pits, random cutters: the block is cut move by move. Straight down goes only where the
    // stock is gone, rapids only through air, and what is cut never lies below the part.
    for (const unsigned seed : {1U, 2U, 3U}) {
      std::mt19937 random(seed);
      std::uniform_real_distribution<double> u(0, 1);
      std::array<std::array<double, 4>, 4> pit; // place, radius, depth
      for (auto& p : pit) p = {24 * u(random) - 12, 18 * u(random) - 9, 3 + 4 * u(random), 2 + 5 * u(random)};
      const auto height = [&](double x, double y) {
        double z = 0;
        for (const auto& p : pit) {
          const double s = std::clamp(1.5 * (std::hypot(x - p[0], y - p[1]) / p[2] - 1) + 0.5, 0.0, 1.0);
          z = std::min(z, -p[3] * (1 - s * s * (3 - 2 * s)));
        }
        return z;
      };
      const auto part = shapes::field(-20, 20, -15, 15, 100, 75, height);
      Cutter c = shapes::cutters()[seed == 2 ? 2 : 0];
      c.diameter = 4, c.corner = seed == 2 ? 1 : 0, c.rampAngle = radians(4);
      Box box = part->mesh.bounds();
      box.high.z() += 1.5;
      Stock stock = Stock::box(box, 0.5);
      RoughingOptions o;
      o.depth = 1.2, o.stepOver = 1.8, o.wall = o.floor = 0.3, o.safeHeight = box.high.z() + 5;
      const RoughingResult r = planLevelRoughing(*part, stock, c, o, quiet_);
      QVERIFY(r.path.locations.size() > 100);
      const Profile profile = makeProfile(c);
      const double R = profile.maxRadius() - 0.5; // within a cell of the outline nothing is said
      std::size_t plunges = 0, rapids = 0;
      for (std::size_t i = 1; i < r.path.locations.size(); ++i) {
        const Location &a = r.path.locations[i - 1], &b = r.path.locations[i];
        const Vec3 d = b.tip - a.tip;
        const double run = d.head<2>().norm();
        const auto touches = [&](const Vec3& tip) {
          for (int k = 0; k < 9; ++k) {
            const double t = 2 * kPi * k / 8, ring = k == 8 ? 0 : R;
            if (stock.contains(tip + Vec3(ring * std::cos(t), ring * std::sin(t), 0.6))) return true;
          }
          return false;
        };
        if (b.motion == Motion::Rapid)
          for (int k = 1; k <= 8; ++k) rapids += touches(a.tip + d * (k / 8.0));
        else if (run < 1e-9 && d.z() < 0)
          for (int k = 1; k <= 8; ++k) plunges += touches(a.tip + d * (k / 8.0));
        stock.cut(profile, r.path, i, i + 1);
      }
      QVERIFY2(plunges == 0 && rapids == 0, qPrintable(QString("seed %1: %2 plunges, %3 rapids").arg(seed).arg(plunges).arg(rapids)));
      // The planner's own stock is what cutting its path leaves.
      QVERIFY(std::abs(stock.volume() - r.stockAfter.volume()) < 1e-3 * stock.volume());
      const Measured kept = proveGouge(*part, profile, r.path, {0.3, 0.05}, quiet_);
      QVERIFY2(kept.value < 0.02, qPrintable(QString::number(kept.value)));
    }
  }

  void anyStockIsRoughedFromWhereItIs_data() {
    QTest::addColumn<QString>("kind");
    for (const char* k : {"box", "cylinder", "mesh", "what the first step left"}) QTest::newRow(k) << k;
  }
  void anyStockIsRoughedFromWhereItIs() {
    // A dome in stock of every kind: cut to the allowance, with what is removed no more than what was there.
    QFETCH(QString, kind);
    const auto dome = shapes::field(-14, 14, -14, 14, 56, 56, [](double x, double y) { return -(x * x + y * y) / 24; });
    Cutter c = shapes::cutters()[2];
    c.rampAngle = radians(3);
    Box box = dome->mesh.bounds();
    box.high.z() += 2;
    Stock stock = Stock::box(box, 0.5);
    RoughingOptions o;
    o.depth = 2, o.stepOver = 3, o.wall = o.floor = 0.4, o.safeHeight = box.high.z() + 5;
    if (kind == "cylinder") stock = Stock::cylinder({0, 0, box.low.z()}, 13, box.size().z(), 0.5);
    if (kind == "mesh")
      stock = Stock::mesh(partFromTriangles(shapes::box({-10, -12, box.low.z()}, {12, 9, box.high.z()}), "block")->mesh, 0.5, quiet_);
    const Profile profile = makeProfile(c);
    if (kind.startsWith("what")) {
      RoughingOptions first = o;
      first.bottom = -4.0, first.wall = first.floor = 1.0;
      const double whole = stock.volume();
      stock = planLevelRoughing(*dome, stock, c, first, quiet_).stockAfter;
      QVERIFY(stock.volume() < 0.9 * whole);
    }
    const double before = stock.volume();
    const RoughingResult r = planLevelRoughing(*dome, stock, c, o, quiet_);
    QCOMPARE(r.skipped, std::size_t{0});
    const double after = r.stockAfter.volume();
    QVERIFY(after < before && after > 0);
    // Level by level: nothing of the stock stands higher over the dome than one level and the allowance.
    std::size_t high = 0, tried = 0;
    for (double x = -9; x <= 9; x += 0.7)
      for (double y = -9; y <= 9; y += 0.7) {
        const double ground = -(x * x + y * y) / 24;
        ++tried;
        high += r.stockAfter.contains(Vec3(x, y, ground + o.depth + o.floor + 1.0));
        if (stock.contains(Vec3(x, y, ground + 0.2))) QVERIFY2(r.stockAfter.contains(Vec3(x, y, ground + 0.2)), "cut into the allowance");
      }
    QVERIFY2(high * 50 < tried, qPrintable(QString("%1 of %2").arg(high).arg(tried)));
    // The proof of its motions: no rapid touches, and the cutter keeps its distance.
    Assembly a;
    a.profile = profile, a.reach = profile.length() + 4;
    ClearanceOptions co;
    co.wanted = 0, co.uncertainty = 0;
    Stock again = stock;
    const CutReport cut = cutAndProve(again, a, r.path, {}, false, co, quiet_);
    QVERIFY(!cut.clearance.rapidThroughStock && cut.clearance.unproven == 0);
    QVERIFY(std::abs(again.volume() - after) < 1e-3 * before && std::abs(before - cut.removed - again.volume()) < 1e-2);
    const Measured kept = proveGouge(*dome, profile, r.path, {0.4, 0.02}, quiet_);
    QVERIFY2(kept.value < 0.03, qPrintable(QString::number(kept.value)));
  }

  void wallsAndFloorsKeepTheirOwn() {
    // A step of 8 mm with a level floor: 1 mm is left on the wall and 0.2 on the floor, for a flat cutter and a ball.
    const auto part = partFromTriangles(
        [] {
          std::vector<Vec3> soup;
          for (const Vec3& v : shapes::box({-20, -15, -20}, {20, 15, -8})) soup.push_back(v);
          for (const Vec3& v : shapes::box({-20, -15, -9}, {0, 15, 0})) soup.push_back(v);
          return soup;
        }(),
        "step");
    Box box = part->mesh.bounds();
    box.high.z() += 1;
    for (const std::size_t kind : {std::size_t{0}, std::size_t{2}}) {
      const Cutter c = shapes::cutters()[kind];
      RoughingOptions o;
      o.depth = 2, o.stepOver = 3, o.wall = 1.0, o.floor = 0.2, o.safeHeight = 8;
      const RoughingResult r = planLevelRoughing(*part, Stock::box(box, 0.4), c, o, quiet_);
      double nearest = 1e300, lowest = 1e300;
      for (const Location& l : r.path.locations) {
        if (l.motion == Motion::Rapid) continue;
        if (l.tip.z() < -2 && std::abs(l.tip.y()) < 10) nearest = std::min(nearest, l.tip.x() - c.diameter / 2);
        lowest = std::min(lowest, l.tip.z());
      }
      QVERIFY2(std::abs(nearest - 1.0) < 0.03, qPrintable(QString("wall %1").arg(nearest)));
      QVERIFY2(std::abs(lowest + 8 - 0.2) < 0.02, qPrintable(QString("floor %1").arg(lowest + 8)));
      QVERIFY(!r.stockAfter.contains({10, 0, -7.4}) && r.stockAfter.contains({10, 0, -7.9}));
      QVERIFY(r.stockAfter.contains({0.4, 0, -3}) && !r.stockAfter.contains({1.8, 0, -3}));
    }
  }

  void boundaryIsKept() {
    const auto part = ground(false, Mat3::Identity());
    Box box = part->mesh.bounds();
    box.high.z() += 2;
    RoughingOptions o;
    o.depth = 2, o.stepOver = 3, o.safeHeight = 12, o.boundary = {{-18, -13}, {2, -13}, {2, 13}, {-18, 13}};
    Cutter c = shapes::cutters()[0];
    c.rampAngle = radians(4);
    const RoughingResult r = planLevelRoughing(*part, Stock::box(box, 0.5), c, o, quiet_);
    std::size_t cuts = 0;
    for (const Location& l : r.path.locations) {
      if (l.motion != Motion::Cut) continue;
      ++cuts;
      QVERIFY(l.tip.x() > -18 - 1e-3 && l.tip.x() < 2 + 1e-3 && std::abs(l.tip.y()) < 13 + 1e-3);
    }
    QVERIFY(cuts > 20);
    QVERIFY(r.stockAfter.contains({15, 0, box.high.z() - 0.5})); // beyond it the stock stands
    o.boundary = {{100, 100}, {110, 100}, {110, 110}};
    QVERIFY_EXCEPTION_THROWN(planLevelRoughing(*part, Stock::box(box, 0.5), c, o, quiet_), Error);
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
