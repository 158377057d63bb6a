// Clearance of the assembly against fixed bodies and the stock: closed-form answers, random cases against brute force, ways of rapids.
#include "proof/advice.h"
#include "proof/rapids.h"
#include "shapes.h"
#include <QtTest>

using namespace hemline;
using shapes::at;

namespace {

std::shared_ptr<const Part> boxPart(const Vec3& a, const Vec3& b) {
  return partFromTriangles(shapes::box(a, b), "box");
}

/// An assembly whose holder is a cone, on a short thin cutter.
Assembly coneHolder(double r0, double r1, double height, double stickOut) {
  Cutter c;
  c.name = "pin", c.kind = CutterKind::Ball, c.diameter = 2, c.fluteLength = 3, c.shankDiameter = 2, c.length = 100;
  Holder h;
  h.name = "cone", h.parts = {{0, r0, height, r1}};
  return assemble(c, h, stickOut);
}

} // namespace

class TestClearance : public QObject {
  Q_OBJECT
  Progress quiet_;

private slots:
  void coneHolderAndEdgeOfAWall() {
    // A cone of half angle g whose wall passes the top edge of a wall at horizontal distance d clears it by d cos g.
    const double height = 40, r0 = 5, r1 = 15, half = std::atan2(r1 - r0, height);
    const auto wall = boxPart({20, -50, -50}, {60, 50, 30});
    const Assembly a = coneHolder(r0, r1, height, 20);
    // Edge at x = 20, z = 30; the cone's radius there, 10 above the holder face.
    const double tipX = 20 - (r0 + (r1 - r0) * (30.0 - 20) / height) - 2.0, expected = 2.0 * std::cos(half);
    Path path;
    path.locations = {at({tipX, -20, 0}, Vec3::UnitZ()), at({tipX, 20, 0}, Vec3::UnitZ())};
    ClearanceOptions o;
    o.uncertainty = 0;
    for (const double share : {0.98, 1.02}) {
      o.wanted = share * expected;
      const ClearanceResult r = proveClearance(a, path, {}, {{"wall", wall->tree.get(), false}}, o, quiet_);
      QCOMPARE(r.unproven > 0, share > 1);
      // Known to a micrometre whatever is wanted, with the pair and the place.
      QVERIFY2(std::abs(r.least.value - expected) < 1e-3 && std::abs(r.least.bound - expected) < 1e-3,
               qPrintable(QString("%1, %2 for %3").arg(r.least.value).arg(r.least.bound).arg(expected)));
      QCOMPARE(r.pair, std::string("holder against wall"));
      QVERIFY(std::abs(r.least.at.x() - 20) < 1e-6 && std::abs(r.least.at.z() - 30) < 1e-6);
    }
    // Uncertainty is taken off: what was clear is not any more.
    o.wanted = 0.98 * expected, o.uncertainty = 0.1;
    QVERIFY(proveClearance(a, path, {}, {{"wall", wall->tree.get(), false}}, o, quiet_).unproven > 0);
  }

  void quarterTurnBesideAPostIsFound() {
    // Both ends are clear, only the arc between them is not.
    const auto post = boxPart({20, -2, 20}, {24, 2, 24});
    const Assembly a = coneHolder(3, 3, 20, 25);
    Path path;
    path.locations = {at({0, 0, 0}, Vec3::UnitZ()), at({0, 0, 0}, Vec3::UnitX())};
    ClearanceOptions o;
    o.wanted = 0.1, o.uncertainty = 0;
    const ClearanceResult r = proveClearance(a, path, {}, {{"post", post->tree.get(), false}}, o, quiet_);
    QVERIFY(r.unproven > 0 && r.collision);
  }

  void noFalseClear() {
    // 10,000 random assemblies, motions (turns of up to a quarter and more) and bodies, against places strewn over both and then moved to
    // where they are nearest: that is never less than the truth, so nothing that is certified may exceed it, nor may what is called the
    // least clearance by more than a micrometre.
    std::mt19937 random(21);
    std::uniform_real_distribution<double> u(0, 1);
    int clear = 0, notClear = 0, turning = 0;
    double gap = 0;
    for (int trial = 0; trial < 10000; ++trial) {
      Cutter c = shapes::cutters()[static_cast<std::size_t>(trial % 7)];
      c.neckDiameter = 0.6 * c.diameter, c.neckLength = c.fluteLength + 4, c.length = 200;
      const double r = 4 + 10 * u(random), h = 5 + 25 * u(random);
      Assembly a =
          assemble(c, {"two cones", {{0, r, h, r * (0.5 + u(random))}, {h, 1.2 * r, h + 8, 1.2 * r}}}, c.fluteLength + 4 + 15 * u(random));
      if (trial % 3 == 0) addSpindleNose(a, {{0, 1.5 * r, 12, 1.8 * r}});
      std::vector<Vec3> soup;
      const Vec3 middle(50 * u(random) - 25, 50 * u(random) - 25, 70 * u(random) - 10);
      if (trial % 2)
        soup = shapes::box(middle, middle + Vec3(1 + 8 * u(random), 1 + 8 * u(random), 1 + 8 * u(random)));
      else
        for (int k = 0; k < 12; ++k) soup.push_back(middle + 6 * Vec3(u(random), u(random), u(random)));
      const auto body = partFromTriangles(soup, "body");
      const bool turns = trial % 4 != 0;
      const Vec3 first = Vec3(u(random) - 0.5, u(random) - 0.5, 1).normalized();
      Path path;
      path.locations = {at({-20 * u(random), 10 * u(random), 0}, first),
                        at({20 * u(random), -10 * u(random), 5 * u(random)},
                           turns ? Vec3(2 * u(random) - 1, 2 * u(random) - 1, u(random)).normalized() : first)};
      // Many moves that wind, jump and double back: they are looked at together as one straight move, as far as that goes.
      for (int k = turns || trial % 8 ? 0 : 12; k > 0; --k)
        path.locations.push_back(
            at(k % 4 == 0 ? Vec3(30 * u(random) - 15, 20 * u(random) - 10, 4 * u(random))
                          : Vec3(path.locations.back().tip + (k % 3 ? 2 : 0.3) * Vec3(u(random), u(random) - 0.5, u(random) - 0.5)),
               first));
      const auto moves = static_cast<double>(path.locations.size() - 1);
      const bool rapid = trial % 5 == 0;
      for (Location& l : path.locations)
        if (rapid) l.motion = Motion::Rapid;
      ClearanceOptions o;
      o.wanted = 0.5, o.uncertainty = 0, o.rapidGap = 0.2;
      const ClearanceResult proof = proveClearance(a, path, {}, {{"body", body->tree.get(), false, false}}, o, quiet_);
      const Profile* cutter = rapid ? &a.profile : nullptr;
      const auto distance = [&](double way, std::size_t t, double i, double j, bool withCutter) {
        Vec3 tip, x;
        const auto move = std::min(path.locations.size() - 2, static_cast<std::size_t>(way * moves));
        poseAlong(path.locations[move], path.locations[move + 1], way * moves - static_cast<double>(move), tip, x);
        const Mesh& m = body->mesh;
        const Vec3 p = m.corner(t, 0) + (m.corner(t, 1) - m.corner(t, 0)) * i + (m.corner(t, 2) - m.corner(t, 0)) * j, v = p - tip;
        const double z = v.dot(x), radius = (v - z * x).norm();
        Vec2 g;
        const double d = distanceToBodies(a.bodies, radius, z);
        return withCutter ? std::min(d, cutter->distance(radius, z, g)) : d;
      };
      // The best of a raster, then smaller and smaller steps from it.
      const auto nearest = [&](bool withCutter) {
        double least = 1e300, way = 0, bi = 0, bj = 0;
        std::size_t bt = 0;
        const auto tryIt = [&](double w, std::size_t t, double i, double j) {
          if (w < 0 || w > 1 || i < 0 || j < 0 || i + j > 1) return false;
          const double d = distance(w, t, i, j, withCutter);
          if (!(d < least)) return false;
          least = d, way = w, bt = t, bi = i, bj = j;
          return true;
        };
        const int places = path.locations.size() > 2 ? 12 * static_cast<int>(moves) : 24;
        for (int k = 0; k <= places; ++k)
          for (std::size_t t = 0; t < body->mesh.triangles.size(); ++t)
            for (int i = 0; i <= 3; ++i)
              for (int j = 0; i + j <= 3; ++j) tryIt(double(k) / places, t, i / 3.0, j / 3.0);
        for (double s = 0.15; s > 1e-7; s *= 0.6)
          for (bool better = true; better;) {
            better = false;
            for (const auto& [dw, di, dj] : std::array<std::array<double, 3>, 10>{
                     {{1, 0, 0}, {-1, 0, 0}, {0, 1, 0}, {0, -1, 0}, {0, 0, 1}, {0, 0, -1}, {0, 1, -1}, {0, -1, 1}, {1, 1, 0}, {-1, 0, 1}}})
              better = tryIt(way + s * dw, bt, bi + s * di, bj + s * dj) || better;
          }
        return least;
      };
      const double least = nearest(false), leastCutter = rapid ? nearest(true) : 1e300;
      const bool proven = proof.unproven == 0;
      const QString where = QString("trial %1: %2, cutter %3; said %4 at least %5")
                                .arg(trial)
                                .arg(least)
                                .arg(leastCutter)
                                .arg(proof.least.value)
                                .arg(proof.least.bound);
      if (proven) QVERIFY2(least >= 0.5 - 1e-9 && leastCutter >= 0.2 - 1e-9, qPrintable(where));
      QVERIFY2(proof.least.bound <= least + 1e-9, qPrintable(where));
      if (least > 0) QVERIFY2(proof.least.value <= least + 1e-3, qPrintable(where));
      if (proof.least.value > 0.01) {
        QVERIFY2(proof.least.value - proof.least.bound <= 1e-3, qPrintable(where));
        gap = std::max(gap, least - proof.least.value); // the witness is not the truth: it may get stuck
      }
      // Undecided only within a micrometre.
      if (!proven) QVERIFY2(proof.least.value < 0.5 + 1e-3 || rapid, qPrintable(where));
      (proven ? clear : notClear)++;
      turning += turns && angleBetween(path.locations[0].axis, path.locations[1].axis) > 1;
    }
    QVERIFY2(clear > 2000 && notClear > 2000 && turning > 1000, qPrintable(QString("%1 %2 %3").arg(clear).arg(notClear).arg(turning)));
  }

  void rapidsAreProvenAsTheMachineMayRunThem_data() {
    QTest::addColumn<bool>("five");
    QTest::addColumn<double>("postX"); // a slim post, 100 high
    QTest::addColumn<double>("postY");
    QTest::addColumn<bool>("clear");
    // From (-60, -20) to (60, 20): straight passes (0, 0); the axes at one speed, y is there when x is at -20.
    QTest::newRow("on the straight way") << false << 0.0 << 0.0 << false;
    QTest::newRow("on the dog-leg") << false << -25.0 << 14.0 << false;
    QTest::newRow("beside both") << false << 20.0 << -20.0 << true;
    QTest::newRow("five axes, on the dog-leg") << true << -25.0 << 14.0 << false;
    QTest::newRow("five axes, beside all") << true << 30.0 << -40.0 << true;
  }
  void rapidsAreProvenAsTheMachineMayRunThem() {
    QFETCH(bool, five);
    QFETCH(double, postX);
    QFETCH(double, postY);
    QFETCH(bool, clear);
    Machine m = readMachine(std::string(HEMLINE_SOURCE) + (five ? "/data/machines/mill-5-ac.json" : "/data/machines/mill-3.json"));
    m.axis[0].velocity = m.axis[1].velocity = 300;
    const auto post = boxPart({postX - 1, postY - 1, 0}, {postX + 1, postY + 1, 100});
    const Assembly a = coneHolder(3, 3, 40, 25);
    Path path;
    path.locations = {at({-60, -20, 10}, Vec3::UnitZ(), Motion::Rapid), at({60, 20, 10}, Vec3::UnitZ(), Motion::Rapid)};
    const OtherWays ways = otherRapidWays(m, path, solveJoints(m, path).joints, a.reach, 1e-3);
    QCOMPARE(ways.path.locations.size(), std::size_t{3});
    QVERIFY((ways.path.locations[1].tip - Vec3(-20, 20, 10)).norm() < 1e-9);
    QCOMPARE(ways.move, (std::vector<std::size_t>{1, 1, 1}));
    ClearanceOptions o;
    const ClearanceResult r = proveClearance(a, path, ways, {{"post", post->tree.get(), false}}, o, quiet_);
    QCOMPARE(r.unproven == 0, clear);
    if (!clear) QCOMPARE(r.notClear.front().location, std::size_t{1});
    // The same where the post is stock.
    Box b;
    for (const Vec3& v : post->mesh.points) b.add(v);
    Stock stock = Stock::box(b, 0.5);
    QCOMPARE(cutAndProve(stock, a, path, ways, false, o, quiet_).clearance.rapidThroughStock, !clear);
    // Five axes turning: straight in the angles is another way, too.
    if (five) {
      path.locations[1].axis = Vec3(0.5, 0.3, 1).normalized();
      const OtherWays more = otherRapidWays(m, path, solveJoints(m, path).joints, a.reach, 1e-3);
      QCOMPARE(more.path.unknownWays.size(), std::size_t{2});
      QVERIFY(more.deviation <= 1e-3 && (more.path.locations.back().tip - path.locations[1].tip).norm() < 1e-9);
    }
  }

  void theMachineIsInTheWayToo() {
    // The nose over a wall that the holder clears, and a table under the cutter.
    Machine m = readMachine(HEMLINE_SOURCE "/data/machines/mill-3.json");
    Assembly a = coneHolder(3, 3, 40, 25);
    const double plain = a.reach;
    addSpindleNose(a, m.nose);
    QVERIFY(a.reach > plain + 100);
    const auto wall = boxPart({20, -50, 0}, {30, 50, 70});
    Path path;
    path.locations = {at({0, -10, 0}, Vec3::UnitZ()), at({0, 10, 0}, Vec3::UnitZ())};
    ClearanceOptions o;
    o.uncertainty = 0;
    const ClearanceResult r = proveClearance(a, path, {}, {{"wall", wall->tree.get(), false}}, o, quiet_);
    QVERIFY(r.collision && r.pair == "spindle nose against wall");
    // A path that begins inside of something meets none of its facets.
    const auto big = boxPart({-500, -500, -500}, {500, 500, 500});
    QVERIFY(proveClearance(a, path, {}, {{"block", big->tree.get(), false}}, o, quiet_).collision);
    QVERIFY(!proveClearance(a, path, {}, {{"shell", big->tree.get(), false, false}}, o, quiet_).collision);
  }

  void shorterCuttersAndOtherHoldersAreFound() {
    // A wall of 30 beside the cutter, nearer than the thick holder's radius: its face has to stay above by what is wanted; the slim one
    // passes beside the wall, so that only the table 12 below the flutes' end ends it.
    const auto wall = boxPart({8, -50, -10}, {60, 50, 30});
    Cutter c = shapes::cutters()[1];
    c.length = 100, c.neckDiameter = 0;
    const Holder thick{"thick", {{0, 15, 40, 15}}}, slim{"slim", {{0, 5.5, 60, 5.5}}};
    Path path;
    path.locations = {at({0, -10, 0}, Vec3::UnitZ()), at({0, 10, 0}, Vec3::UnitZ())};
    const std::vector<Obstacle> obstacles{{"wall", wall->tree.get(), false}};
    ClearanceOptions o;
    o.wanted = 0.5, o.uncertainty = 0.1;
    const auto s = shortestStickOut(c, thick, path, {}, obstacles, o, {}, quiet_);
    QVERIFY2(s && *s >= 30.6 && *s <= 30.7 + 1e-9, qPrintable(QString::number(s.value_or(-1))));
    const auto better = betterHolders(c, "thick", *s, {thick, slim}, path, {}, obstacles, o, {}, quiet_);
    QVERIFY(better.size() == 1 && better[0].holder == "slim" && better[0].stickOut == c.fluteLength);
    // A block of stock beside the path that stands higher than the wall asks for more: its top, and the cell that it is known to.
    Box block;
    block.add(Vec3(10, -20, -5));
    block.add(Vec3(30, 20, 38));
    const Stock stock = Stock::box(block, 0.5);
    const auto more = clearOfStock(c, thick, *s, stock, path, {}, o, {}, quiet_);
    QVERIFY2(more && *more > 38.6 && *more < 40, qPrintable(QString::number(more.value_or(-1))));
    const Stock low = Stock::box({block.low, Vec3(30, 20, 2)}, 0.5);
    QVERIFY(clearOfStock(c, thick, *s, low, path, {}, o, {}, quiet_) == s);
    c.length = 30; // too short for the thick one
    QVERIFY(!clearOfStock(c, thick, 25, stock, path, {}, o, {}, quiet_));
    QVERIFY(!shortestStickOut(c, thick, path, {}, obstacles, o, {}, quiet_));
    // At 25 out it hits; leaning away from the wall by the angle that is told clears, half a degree less does not.
    Cutter ball = shapes::cutters()[1];
    ball.length = 100;
    const Assembly a = assemble(ball, thick, 29);
    const auto tilt = smallestTilt(a, path, {0, 1}, obstacles, o, quiet_);
    QVERIFY(tilt && tilt->towards.x() < -0.7 && tilt->places == 2);
    const double R = a.profile.ballRadius();
    for (const auto& [angle, clear] : {std::pair(tilt->angle, true), std::pair(tilt->angle - radians(0.5), false)}) {
      Path leaning = path;
      for (Location& l : leaning.locations) {
        const Vec3 axis = std::cos(angle) * Vec3::UnitZ() + std::sin(angle) * tilt->towards;
        l.tip += R * (l.axis - axis), l.axis = axis;
      }
      const auto found = clearanceAt(a, leaning, {0, 1}, obstacles, 5, quiet_);
      QCOMPARE(found[0] >= 0.6 && found[1] >= 0.6, clear);
    }
  }

  void rapidsEndWhereTheyAreClear() {
    // A ball comes down beside a wall and goes up again: by rapid only where it keeps its distance, and the result is proven.
    for (const Mat3& turn : shapes::orientations()) {
      std::vector<Vec3> soup;
      for (const Vec3& v : shapes::box({5, -20, -10}, {15, 20, 20})) soup.push_back(turn * v);
      const auto wall = partFromTriangles(soup, "wall");
      const Vec3 up = shapes::up(turn);
      Cutter c = shapes::cutters()[1];
      c.neckDiameter = 6, c.neckLength = 60, c.length = 100;
      const Assembly a = assemble(c, {"slim", {{0, 3, 30, 4}}}, 60);
      const Stock none = Stock::box({Vec3(200, 200, 200), Vec3(201, 201, 201)}, 0.5);
      ClearanceOptions o;
      o.wanted = 0.3, o.uncertainty = 0.1;
      for (const double gap : {0.0, 0.2, 0.5, 5.0}) {
        const double x = 5 - 4 - gap; // the ball's side lies `gap` from the wall
        Path path;
        for (const auto& [z, motion] : {std::pair(40.0, Motion::Rapid), std::pair(3.0, Motion::Rapid), std::pair(0.0, Motion::LeadIn),
                                        std::pair(0.0, Motion::Cut), std::pair(3.0, Motion::LeadOut), std::pair(40.0, Motion::Rapid)})
          path.locations.push_back(at(turn * Vec3(x, path.locations.size() > 2 ? 1 : 0, z), up, motion));
        const std::vector<Obstacle> obstacles{{"wall", wall->tree.get(), true}};
        const Path out = shortenRapids(path, up, a, obstacles, none, o, quiet_);
        const ClearanceResult proven = proveClearance(a, out, {}, obstacles, o, quiet_);
        QVERIFY2(proven.unproven == 0, qPrintable(QString("gap %1: %2 into location %3, %4")
                                                      .arg(gap)
                                                      .arg(proven.notClear.empty() ? "" : proven.notClear[0].what.c_str())
                                                      .arg(proven.notClear.empty() ? 0 : proven.notClear[0].location)
                                                      .arg(proven.notClear.empty() ? 0 : proven.notClear[0].distance)));
        QCOMPARE(proveClearance(a, path, {}, obstacles, o, quiet_).unproven > 0, gap < 0.3); // as it came
        double lowest = 1e300;
        for (std::size_t i = 1; i < out.locations.size(); ++i)
          if (out.locations[i].motion == Motion::Rapid)
            lowest = std::min({lowest, out.locations[i].tip.dot(up), out.locations[i - 1].tip.dot(up)});
        if (gap > 1)
          QVERIFY(std::abs(lowest - 3) < 1e-9); // nothing is changed in the open
        else if (gap < 0.3)
          QVERIFY2(lowest > 15 && lowest < 20.5, qPrintable(QString::number(lowest))); // over the edge the ball's side is round
        // The way is the same, only by other motions.
        const auto length = [](const Path& p) {
          double l = 0;
          for (std::size_t i = 1; i < p.locations.size(); ++i) l += (p.locations[i].tip - p.locations[i - 1].tip).norm();
          return l;
        };
        QVERIFY(std::abs(length(out) - length(path)) < 1e-9);
        for (std::size_t i = 1; i < out.locations.size(); ++i)
          if (out.locations[i].motion != Motion::Rapid) QVERIFY(out.locations[i].feed > 0);
      }
      // Stock beside the cutter counts as the part does; stock under it is no place for a lead-in: there the rapid stays, and its
      // proof fails.
      for (const double aside : {0.0, 5.0}) {
        const Vec3 middle = turn * Vec3(aside, 0, 0);
        const Stock block = Stock::box({middle - Vec3::Constant(1.5), middle + Vec3::Constant(1.5)}, 0.25);
        Path path;
        for (const double z : {40.0, -20.0}) path.locations.push_back(at(z * up, up, Motion::Rapid));
        path.locations.push_back(at(-22 * up, up, Motion::LeadIn));
        const Path out = shortenRapids(path, up, a, {}, block, o, quiet_);
        Stock before = block;
        const ClearanceResult cut = cutAndProve(before, a, out, {}, false, o, quiet_).clearance;
        QCOMPARE(cut.rapidThroughStock, aside == 0);
        if (aside == 0) {
          QCOMPARE(out.locations.size(), path.locations.size());
          continue;
        }
        QCOMPARE(out.locations.size(), path.locations.size() + 1);
        QVERIFY(out.locations[1].motion == Motion::Rapid && out.locations[1].tip.dot(up) > -3 && out.locations[1].tip.dot(up) < 8);
        QVERIFY(out.locations[2].motion == Motion::LeadIn && out.locations[2].feed > 0);
      }
    }
  }

  void verySmallCellsMakeNoClearMoveUnclear() {
    // The holder comes down to a small block beside the pin, whose cells are finer than the shortest piece of a move.
    Box b;
    b.add(Vec3(1.6, -0.5, -1));
    b.add(Vec3(2.6, 0.5, 0));
    const Assembly a = coneHolder(3, 6, 20, 4);
    ClearanceOptions o;
    o.wanted = 0.03, o.uncertainty = 0;
    for (const double cell : {0.02, 0.03, 0.04})
      for (double step = 0.05; step < 0.9; step *= 1.1) {
        Stock s = Stock::box(b, cell);
        Path path;
        for (double z = 0.9; z > 0.1; z -= step) path.locations.push_back(at({0, 0, z - 4}, Vec3::UnitZ()));
        path.locations.push_back(at({0, 0, 0.1 - 4}, Vec3::UnitZ()));
        const CutReport r = cutAndProve(s, a, path, {}, false, o, quiet_);
        QCOMPARE(r.clearance.unproven, std::size_t{0});
        QVERIFY(r.clearance.least.value > 0.1 && r.clearance.least.value < 0.1 + 2 * cell);
        QVERIFY(r.clearance.least.bound > o.wanted && r.clearance.least.bound <= 0.1);
      }
  }

  void removalIsToldOverStretches() {
    // A flat end of 8 mm through a block by moves shorter than a cell: full depth, then a little more, then nothing; a notch that was
    // left out is the heaviest place.
    Box b;
    b.add(Vec3(-60, -30, -30));
    b.add(Vec3(60, 30, 0));
    Stock s = Stock::box(b, 0.8);
    Cutter flat;
    flat.name = "flat 8", flat.kind = CutterKind::Flat, flat.diameter = flat.shankDiameter = 8, flat.fluteLength = 10, flat.length = 100;
    const Assembly a = assemble(flat, {"h", {{0, 12, 20, 12}}}, 40);
    // Ten of the stock's rays stand across its way.
    const auto pass = [&](double z, double notch, std::vector<Location>& out) {
      out.push_back(at({-90, 0.4, 5}, Vec3::UnitZ(), Motion::Rapid));
      out.push_back(at({-90, 0.4, z}, Vec3::UnitZ(), Motion::Link));
      for (double x = -89.7; x <= 90; x += 0.3) out.push_back(at({x, 0.4, x > 0 && x < 32 ? z + notch : z}, Vec3::UnitZ()));
      out.push_back(at({90, 0.4, 5}, Vec3::UnitZ(), Motion::Link));
    };
    struct Row {
      double z, notch, section, air;
    };
    for (const Row& row : {Row{-2, 1.5, 16, 52.0 / 180}, Row{-2.5, 0, 16, 52.0 / 180}, Row{-2.5, 0, 0, 1}}) {
      Path path;
      pass(row.z, row.notch, path.locations);
      ClearanceOptions o;
      o.wanted = 0.2, o.uncertainty = 0;
      const CutReport r = cutAndProve(s, a, path, {}, false, o, quiet_);
      double sum = 0;
      for (const CutReport::Move& m : r.moves) sum += std::max(0.0f, m.removed);
      QVERIFY(std::abs(sum - r.removed) < 1e-3 * r.removed + 1e-6);
      QCOMPARE(r.stretch, 12 * 0.8);
      QVERIFY2(std::abs(r.heaviest - row.section) <= 0.01 * row.section, qPrintable(QString::number(r.heaviest)));
      QVERIFY2(std::abs(r.airShare - row.air) < 0.12, qPrintable(QString::number(r.airShare))); // whole stretches only
      if (row.notch == 0 && row.section > 0)
        QVERIFY2(r.heaviestAt.x() > 0 && r.heaviestAt.x() < 32, qPrintable(QString::number(r.heaviestAt.x())));
      QVERIFY(r.moves[1].removed < 0 && r.engagement == 0 && r.cutting > 400);
    }
  }

  void stockIsWatchedWhileItIsCut() {
    Box b;
    b.add(Vec3(-30, -30, -30));
    b.add(Vec3(30, 30, 0));
    const auto run = [&](const Path& path, const Assembly& a) {
      Stock s = Stock::box(b, 0.8);
      ClearanceOptions o;
      o.wanted = 0.2, o.uncertainty = 0;
      return cutAndProve(s, a, path, {}, true, o, quiet_);
    };
    const Assembly a = coneHolder(8, 12, 20, 12);
    Path fine;
    fine.locations = {at({-40, 0, 5}, Vec3::UnitZ(), Motion::Rapid), at({-40, 0, -2}, Vec3::UnitZ()), at({40, 0, -2}, Vec3::UnitZ()),
                      at({40, 0, 20}, Vec3::UnitZ(), Motion::Rapid)};
    const CutReport good = run(fine, a);
    QCOMPARE(good.clearance.unproven, std::size_t{0});
    QVERIFY(good.removed > 100);
    // The lowest body stays above the block: its least distance, to a cell and never called more.
    double lowest = 1e300;
    for (const Body& body : a.bodies) lowest = std::min(lowest, body.z0);
    const Measured& least = good.clearance.least;
    QVERIFY2(least.value >= lowest - 2 - 1e-6 && least.value < lowest - 2 + 0.8 && least.bound <= lowest - 2 && least.bound > lowest - 3.5,
             qPrintable(QString("%1 %2 of %3").arg(least.value).arg(least.bound).arg(lowest - 2)));
    QVERIFY(std::abs(degrees(good.engagement) - 180) < 8); // a full slot
    // Move by move: down into air, through the block, and the same way again, which cuts nothing.
    QCOMPARE(good.moves.size(), fine.locations.size());
    QVERIFY(good.moves[1].removed == 0 && good.moves[3].removed < 0);
    QVERIFY(std::abs(double(good.moves[2].removed) - good.removed) < 1e-3 * good.removed);
    QVERIFY(std::abs(good.moves[2].depth - 2) < 0.5f && std::abs(degrees(double(good.moves[2].engagement)) - 180) < 8);
    Path twice = fine;
    twice.locations.insert(twice.locations.end() - 1, {at({-40, 0, -2}, Vec3::UnitZ())});
    const CutReport again = run(twice, a);
    QVERIFY(again.cutting == 3 && again.air == 2 && std::abs(again.airShare - 87.0 / 167) < 0.01);
    Path rapid = fine;
    rapid.locations.push_back(at({0, 10, -1}, Vec3::UnitZ(), Motion::Rapid));
    QVERIFY(run(rapid, a).clearance.rapidThroughStock);
    Path deep = fine;
    for (Location& l : deep.locations) l.tip.z() = l.tip.z() < 0 ? -14 : l.tip.z(); // deeper than the stick-out
    QVERIFY(run(deep, a).clearance.unproven > 0);
  }
};

QTEST_APPLESS_MAIN(TestClearance)
#include "tst_clearance.moc"
