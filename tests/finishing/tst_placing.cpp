// Where the cutter can go: shortest distances in corners, bores and at the ends of a part.
#include "finishing/placing.h"
#include "shapes.h"
#include <QtTest>

using namespace hemline;

namespace {

using Quads = std::vector<std::array<Vec3, 4>>;

std::shared_ptr<const Part> partOf(const Quads& quads, const Mat3& turn) {
  std::vector<Vec3> soup;
  for (const auto& q : quads)
    for (const std::size_t k : {0, 1, 2, 0, 2, 3}) soup.push_back(turn * q[k]);
  return partFromTriangles(soup, "quads");
}

/// A step: floor at z = 0 for x < 0, top at z = 8 for x > 0; 40 long in y, closed, standing on z = -10.
Quads step() {
  Quads q;
  const auto wall = [&](double x0, double z0, double x1, double z1) { // from the outline's corner to its next, along y
    q.push_back({Vec3(x0, -20, z0), Vec3(x1, -20, z1), Vec3(x1, 20, z1), Vec3(x0, 20, z0)});
  };
  wall(-20, 0, 0, 0), wall(0, 0, 0, 8), wall(0, 8, 10, 8), wall(10, 8, 10, 0), wall(10, 0, 10, -10), wall(10, -10, 0, -10);
  wall(0, -10, -20, -10), wall(-20, -10, -20, 0);
  for (const double y : {-20.0, 20.0})
    for (const auto& [x0, x1, z0, z1] : {std::array{-20.0, 0.0, -10.0, 0.0}, {0.0, 10.0, -10.0, 0.0}, {0.0, 10.0, 0.0, 8.0}})
      q.push_back({Vec3(x0, y, z0), Vec3(x1, y, z0), Vec3(x1, y, z1), Vec3(x0, y, z1)});
  return q;
}

/// A blind hole of radius 10 from a face at z = 15 to a floor at z = 0, as 360 facets.
Quads hole() {
  Quads q;
  const auto on = [](int k, double r, double z) { return Vec3(r * std::cos(radians(k)), r * std::sin(radians(k)), z); };
  for (int k = 0; k < 360; ++k) {
    q.push_back({Vec3(0, 0, 0), on(k, 5, 0), on(k + 1, 5, 0), Vec3(0, 0, 0)});
    for (const auto& [r0, z0, r1, z1] : {std::array{5.0, 0.0, 10.0, 0.0}, {10.0, 0.0, 10.0, 15.0}, {10.0, 15.0, 20.0, 15.0}})
      q.push_back({on(k, r0, z0), on(k, r1, z1), on(k + 1, r1, z1), on(k + 1, r0, z0)});
  }
  return q;
}

} // namespace

class TestPlacing : public QObject {
  Q_OBJECT

private slots:
  /// In a square corner the ball's middle runs on an arc about that of the larger ball, whatever it is set against; elsewhere as without.
  void filletsAreRolledThrough() {
    const double R = 4, f = 6;
    const auto bore = [](double x, double z) { return Vec3(x * std::cos(radians(33.4)), x * std::sin(radians(33.4)), z); };
    struct Case {
      const char* what;
      Quads (*part)();
      Vec3 at, out, normal; ///< at a place and past it; `out`: from the corner, across it
    };
    std::vector<Case> cases;
    for (const double d : {0.3, 2.0, 3.9, 4.1, 5.5, 6.8, 9.0}) {
      cases.push_back({"floor of the step", step, {-d, 3, 0}, {-1, 0, 0}, {0, 0, 1}});
      if (d < 7) cases.push_back({"wall of the step", step, {0, 3, d}, {-1, 0, 0}, {-1, 0, 0}});
      if (d < 7) cases.push_back({"floor of a bore", hole, bore(10 - d, 0), -bore(1, 0), {0, 0, 1}});
    }
    for (const double allowance : {0.0, 0.5})
      for (const Mat3& turn : shapes::orientations())
        for (const Case& k : cases) {
          if (k.part == hole && turn != Mat3::Identity()) continue; // an open sheet faces up
          const auto part = partOf(k.part(), turn);
          const Placing placing(*part, makeProfile(shapes::cutters()[1]), shapes::up(turn), {}, allowance, nullptr, f);
          const Vec3 corner = k.part == hole ? bore(10, 0) : Vec3(0, 3, 0), middle = corner + (f + allowance) * (k.out + Vec3::UnitZ());
          // The larger ball touches where it stands square over the place, and lies on it.
          const double reach = (k.at - corner).dot(k.normal.z() > 0 ? k.out : Vec3(Vec3::UnitZ()));
          const bool free = reach >= f + allowance;
          const Vec3 wanted = free ? Vec3(k.at + (R + allowance) * k.normal) : Vec3(middle + (f - R) * (k.at - middle).normalized());
          Contact c;
          int hint = closestPoint(*part->tree, turn * k.at, 1.0).triangle;
          c.at = pointOver(part->mesh, hint, turn * k.at), c.point = turn * k.at, c.normal = turn * k.normal,
          c.along = c.normal.unitOrthogonal();
          const auto s = placing.at(c, 1e-4, hint);
          if (!free || k.normal.z() > 0.5) { // an upright wall is not touched along its foot's direction
            QVERIFY2(s && !s->blocked && s->filleted == !free, k.what);
            const double miss = (turn.transpose() * s->at.tip + R * Vec3::UnitZ() - wanted).norm();
            QVERIFY2(miss < (k.part == hole ? 0.01 : 1e-5), qPrintable(QString("%1 at %2 mm: %3").arg(k.what).arg(reach).arg(miss)));
          }
          const auto fillet = placing.filletOver(c.point, c.normal);
          QVERIFY2(fillet.has_value() == !free, k.what);
          const double off = free ? 0 : (turn.transpose() * fillet->point - middle).norm() - (f + allowance);
          QVERIFY2(std::abs(off) < (k.part == hole ? 1e-3 : 1e-5), qPrintable(QString("%1: %2").arg(k.what).arg(off)));
        }
  }

  void cornersAreReachedAsNearAsTheCutterGoes() {
    // Shortest distances of places on a floor (normal up) from the cutter set anywhere; R 4, the bull nose with a corner of 1.5.
    const double R = 4, r = 1.5;
    struct Case {
      const char* what;
      Quads (*part)();
      std::size_t cutter;
      Vec3 at;
      double expected;
    };
    const auto bore = [](double degrees, double radius) {
      return Vec3(radius * std::cos(radians(degrees)), radius * std::sin(radians(degrees)), 0);
    };
    // At its end the cutter may run so far past the edges of floor and wall that the contacts swing by 20 degrees.
    const double c = kSwing * R, past = R * std::sqrt(1 - kSwing * kSwing),
                 end = std::sqrt((c - 0.5) * (c - 0.5) + past * past + c * c) - R;
    const std::vector<Case> cases{
        {"ball, the corner's line", step, 1, {0, 3, 0}, R * (std::sqrt(2.0) - 1)},
        {"ball, beside it", step, 1, {-1, -7, 0}, 1.0},
        {"ball, open floor", step, 1, {-9, 2, 0}, 0},
        {"ball, at the end of the step, not from beside the part", step, 1, {-0.5, -20, 0}, end},
        {"bull nose, the corner's line", step, 2, {0, 3, 0}, r * (std::sqrt(2.0) - 1)},
        {"ball, foot of a bore", hole, 1, bore(17.5, 10), R * (std::sqrt(2.0) - 1)},
        {"ball, foot of a bore, the other way", hole, 1, bore(251.5, 10), R * (std::sqrt(2.0) - 1)},
        {"ball, inside of it", hole, 1, bore(130.5, 9), std::hypot(3, R) - R},
        {"bull nose, foot of a bore", hole, 2, bore(77.5, 10), r * (std::sqrt(2.0) - 1)},
    };
    for (const Mat3& turn : shapes::orientations())
      for (const Case& k : cases) {
        if (k.part == hole && turn != Mat3::Identity()) continue; // an open sheet faces up
        const auto part = partOf(k.part(), turn);
        const Placing placing(*part, makeProfile(shapes::cutters()[k.cutter]), shapes::up(turn), {}, 0);
        const Placing::Reach reach = placing.reach(turn * k.at, shapes::up(turn), 1e-7);
        const double found = reach.distance;
        // The bore's facets stand up to 0.4 um inside of its radius; an upper bound is found by search.
        QVERIFY2(found > k.expected - 1e-3 && found < k.expected + 2e-3,
                 qPrintable(QString("%1: %2 for %3").arg(k.what).arg(found).arg(k.expected)));
        // The place it names is where the cutter stands so near, and it does not cut the part there.
        QVERIFY(reach.stand.has_value());
        int hint = -1;
        const auto again = placing.down(reach.stand->at.tip, shapes::up(turn), hint);
        QVERIFY(again && (again->at.tip - reach.stand->at.tip).norm() < 1e-9);
        const Location& l = reach.stand->at;
        const Vec3 v = turn * k.at - l.tip;
        Vec2 gradient;
        QVERIFY(std::abs(placing.profile().distance((v - v.dot(l.axis) * l.axis).norm(), v.dot(l.axis), gradient) - found) < 1e-9);
      }
  }

  void aSlotNarrowerThanTheBallIsReachedFromItsEdges() {
    // Two blocks 6 apart (R 4): the ball hangs in the edges, sqrt(16 - 9) above its centre's chord, and reaches so far down.
    const double R = 4, half = 3, deep = 5;
    std::vector<Vec3> soup = shapes::box({half, -20, -deep}, {20, 20, 0});
    for (const auto& [a, b] : {std::pair(Vec3(-20, -20, -deep), Vec3(-half, 20, 0)), {Vec3(-20, -20, -9), Vec3(20, 20, -deep)}}) {
      const auto more = shapes::box(a, b);
      soup.insert(soup.end(), more.begin(), more.end());
    }
    const auto part = partFromTriangles(soup, "slot");
    const Placing placing(*part, makeProfile(shapes::cutters()[1]), Vec3::UnitZ(), {}, 0);
    const double found = placing.reach(Vec3(0.4, 1, -deep), Vec3::UnitZ(), 1e-7).distance;
    const double expected = std::hypot(0.4, deep + std::sqrt(R * R - half * half)) - R;
    QVERIFY2(std::abs(found - expected) < 2e-3, qPrintable(QString("%1 for %2").arg(found).arg(expected)));
  }
};

QTEST_APPLESS_MAIN(TestPlacing)
#include "tst_placing.moc"
