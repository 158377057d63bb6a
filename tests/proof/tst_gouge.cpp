// The gouge of a whole part: random paths over random tessellations against brute force, and the smaller cutters that it rests on.
#include "proof/gouge.h"
#include "shapes.h"
#include "steps/read_given_path.h"
#include <QtTest>

using namespace hemline;

namespace {

/// A closed solid: a block, one cut into slivers, one with a bumpy top, or one with a step, turned at random.
std::vector<Vec3> solid(int kind, std::mt19937& random, double wall = 0) {
  std::uniform_real_distribution<double> u(0, 1);
  std::vector<Vec3> soup;
  const auto quad = [&](const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
    for (const Vec3& p : {a, b, c, a, c, d}) soup.push_back(p);
  };
  if (kind == 0) return shapes::box({-20, -15, -8}, {20, 15, 0});
  if (kind == 3) { // an L: a concave edge along y, at x = 2
    const double h = wall > 0 ? wall : 3 + 6 * u(random);
    const Vec3 p[] = {{-20, 0, -8}, {20, 0, -8}, {20, 0, 0}, {2, 0, 0}, {2, 0, h}, {-20, 0, h}};
    const Vec3 y0(0, -15, 0), y1(0, 15, 0);
    for (int k = 0; k < 6; ++k) quad(p[k] + y0, p[(k + 1) % 6] + y0, p[(k + 1) % 6] + y1, p[k] + y1);
    for (const auto& [a, b, c] : {std::tuple(0, 1, 2), std::tuple(0, 2, 3), std::tuple(0, 3, 5), std::tuple(3, 4, 5)}) {
      for (const int k : {a, c, b}) soup.push_back(p[k] + y1);
      for (const int k : {a, b, c}) soup.push_back(p[k] + y0);
    }
    return soup;
  }
  // A grid over the top, long and slim (slivers) or even, flat or bumpy; plain sides and bottom fan out from its border.
  const int n = kind == 1 ? 1 : 7, m = kind == 1 ? 40 : 6;
  const double bump = kind == 1 ? 0 : 2.5, a = 0.3 + u(random), b = 0.3 + u(random);
  const auto top = [&](int i, int j) {
    const double x = -20 + 40.0 * i / n, y = -15 + 30.0 * j / m;
    return Vec3(x, y, bump * std::sin(a * x) * std::cos(b * y));
  };
  const auto low = [&](const Vec3& p) { return Vec3(p.x(), p.y(), -8); };
  for (int i = 0; i < n; ++i)
    for (int j = 0; j < m; ++j) {
      const Vec3 p = top(i, j), q = top(i + 1, j), r = top(i + 1, j + 1), s = top(i, j + 1);
      quad(p, q, r, s), quad(low(p), low(s), low(r), low(q));
      if (j == 0) quad(low(p), low(q), q, p);
      if (j + 1 == m) quad(low(r), low(s), s, r);
      if (i == 0) quad(low(s), low(p), p, s);
      if (i + 1 == n) quad(low(q), low(r), r, q);
    }
  return soup;
}

/// By another way than the code's: the solid angle that the surface fills, and all facets one by one.
double depthIn(const Mesh& mesh, const Vec3& p) {
  double angle = 0, least = 1e300;
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    const Vec3 a = mesh.corner(t, 0) - p, b = mesh.corner(t, 1) - p, c = mesh.corner(t, 2) - p;
    const double la = a.norm(), lb = b.norm(), lc = c.norm();
    angle += 2 * std::atan2(a.dot(b.cross(c)), la * lb * lc + a.dot(b) * lc + b.dot(c) * la + c.dot(a) * lb);
    least = std::min(least, closestOnTriangle(p, mesh.corner(t, 0), mesh.corner(t, 1), mesh.corner(t, 2)).operator-(p).norm());
  }
  return angle > 2 * kPi ? least : 0;
}

/// Each straight way in 24 pieces whose ends lie up to 0.02 mm beside it.
Path crooked(const Path& path, std::mt19937& random) {
  std::uniform_real_distribution<double> u(-0.02, 0.02);
  Path out;
  out.locations = {path.locations.front()};
  for (std::size_t i = 1; i < path.locations.size(); ++i)
    for (int k = 1; k <= 24; ++k) {
      Location l = path.locations[i];
      l.tip = path.locations[i - 1].tip + k / 24.0 * (l.tip - path.locations[i - 1].tip) + Vec3(u(random), u(random), u(random)) / 2;
      out.locations.push_back(l);
    }
  return out;
}

} // namespace

class TestGouge : public QObject {
  Q_OBJECT
  Progress quiet_;

private slots:
  void smallerCuttersLieWithinAndReachSoFar() {
    std::mt19937 random(3);
    std::uniform_real_distribution<double> u(0, 1);
    for (const Cutter& c : shapes::cutters()) {
      const Profile whole = makeProfile(c);
      int made = 0;
      for (double by = 1e-4; by < whole.maxRadius(); by *= 1.7) {
        double within = 0;
        const auto small = whole.shrunk(by, within);
        if (!small) continue;
        ++made;
        Vec2 g;
        double met = 0;
        for (const ProfilePiece& p : whole.pieces())
          for (int k = 0; k <= 50; ++k) {
            const double x = k / 50.0, t = p.angleA + x * (p.angleB - p.angleA);
            const Vec2 on = p.radius > 0 ? Vec2(p.center + p.radius * Vec2(std::sin(t), -std::cos(t))) : Vec2(p.a + x * (p.b - p.a));
            met = std::max(met, small->distance(std::max(0.0, on.x()), on.y(), g));
          }
        const std::string what = c.name + " by " + std::to_string(by) + ": " + std::to_string(met) + " of " + std::to_string(within);
        QVERIFY2(met <= within + 1e-9 && within >= by && within < 2.2 * by, what.c_str());
        for (const ProfilePiece& p : small->pieces()) // within, and all but the lid so far inside
          for (const Vec2& on : {p.a, p.b})
            QVERIFY2(whole.distance(std::max(0.0, on.x()), on.y(), g) <= (on.y() > whole.length() - 1e-9 ? 1e-9 : -by + 1e-9),
                     what.c_str());
      }
      QVERIFY2(made > 10, c.name.c_str());
    }
  }

  void noRandomPathCutsDeeperThanTheBound() {
    std::mt19937 random(11);
    std::uniform_real_distribution<double> u(-1, 1);
    int deep = 0, shallow = 0, given = 0, clear = 0, nearly = 0;
    for (int trial = 0; trial < 2000; ++trial) {
      const Mat3 turn = shapes::orientations()[static_cast<std::size_t>(trial % 3)];
      std::vector<Vec3> soup = solid(trial % 4, random);
      for (Vec3& p : soup) p = turn * p;
      const auto part = partFromTriangles(soup, "solid");
      QVERIFY(part->report.closed);
      const Profile profile = makeProfile(shapes::cutters()[static_cast<std::size_t>(trial / 4 % 7)]);
      // From above or from the side, straight or turning; most moves near the surface, some far inside.
      Path path;
      const bool turns = trial % 5 == 0;
      const double far = trial % 11 == 0 ? 9 : 1.2;
      Vec3 axis = Vec3(0.5 * u(random), 0.5 * u(random), 1).normalized();
      for (int k = 0; k < 4; ++k) {
        if (turns) axis = (axis + 0.1 * Vec3(u(random), u(random), u(random))).normalized();
        path.locations.push_back(shapes::at(turn * Vec3(18 * u(random), 13 * u(random), 1 + far * u(random)), turn * axis,
                                            k == 0 ? Motion::Rapid : Motion::Cut));
      }
      if (!turns && trial % 4 < 2) path = crooked(path, random);
      double most = 0;
      for (int k = 0; k < 60; ++k) {
        // A place of the cutter anywhere on the way is removed.
        const auto i = 1 + random() % (path.locations.size() - 1);
        Vec3 tip, along, e1, e2;
        poseAlong(path.locations[i - 1], path.locations[i], 0.5 * (1 + u(random)), tip, along);
        frameAround(along, e1, e2);
        const double z = profile.length() * std::pow(0.5 * (1 + u(random)), 3), r = profile.radiusAt(z), phi = kPi * u(random);
        most = std::max(
            most, depthIn(part->mesh, tip + z * along + r * std::sqrt(std::abs(u(random))) * (std::cos(phi) * e1 + std::sin(phi) * e2)));
      }
      const Measured m = proveGouge(*part, profile, path, {0, 0.001, nullptr}, quiet_);
      const QString what = QString("trial %1: met %2, bound %3, removed %4 deep").arg(trial).arg(m.value).arg(m.bound).arg(most);
      QVERIFY2(m.known && m.bound >= most - 1e-9 && m.bound >= m.value, qPrintable(what));
      if (most > 0.02) QVERIFY2(m.value > 0, qPrintable(what));
      nearly += most > 0.02 && m.value > 0.5 * most;
      clear += most > 0.02;
      (most > 0.001 ? deep : shallow) += 1;
      // Lifted out it touches nothing.
      Path lifted = path;
      for (Location& l : lifted.locations) l.tip += turn * Vec3(0, 0, 45);
      QCOMPARE(proveGouge(*part, profile, lifted, {0, 0.001, nullptr}, quiet_).bound, 0.0);
      // The way that jobs and `prove` take says the same.
      if (trial % 50 != 0 && (profile.ballRadius() <= 0 || trial % 2 != 0)) continue;
      SurfaceProofOptions o;
      o.cusp = 0.01, o.gouge = 0.001;
      const GivenProof g = measureGivenPath(*part, profile, path, 0, o, "given", quiet_);
      QVERIFY2(g.surface.gouge.known && g.surface.gouge.bound >= most - 1e-9,
               qPrintable(what + QString(", as given %1").arg(g.surface.gouge.bound)));
      ++given;
    }
    QVERIFY2(deep > 800 && shallow > 100 && given > 150 && nearly > 0.9 * clear,
             qPrintable(QString("%1 deep, %2 shallow, %3 of %4 met to a half").arg(deep).arg(shallow).arg(nearly).arg(clear)));
  }

  void depthsAreTheClosedForm_data() {
    QTest::addColumn<double>("depth");
    for (const double d : {-0.5, -0.08, -0.01, 0.0005, 0.02, 0.4, 1.5}) QTest::newRow(qPrintable(QString::number(d))) << d;
  }
  void depthsAreTheClosedForm() {
    // Across the middle of a plate of two large facets, no corner of which is near; from above and along an upright wall.
    QFETCH(double, depth);
    for (const Mat3& turn : shapes::orientations())
      for (const Cutter& c : shapes::cutters()) {
        const Profile profile = makeProfile(c);
        auto soup = shapes::box({-100, -80, -30}, {100, 80, 0});
        for (Vec3& p : soup) p = turn * p;
        const auto part = partFromTriangles(soup, "plate");
        const double keep = 0.1;
        const auto along = [&](const Vec3& from, const Vec3& to) {
          Path path;
          path.locations = {shapes::at(turn * from, turn * Vec3::UnitZ(), Motion::Rapid), shapes::at(turn * to, turn * Vec3::UnitZ())};
          return proveGouge(*part, profile, path, {keep, 0.001, nullptr}, quiet_);
        };
        const double R = profile.maxRadius();
        // In one move; or in many small ones, whose ends lie higher than their middle.
        const auto sagging = [&] {
          Path path;
          for (int k = 0; k <= 50; ++k) {
            const double s = k / 50.0, high = 0.045 * (2 * s - 1) * (2 * s - 1);
            path.locations.push_back(
                shapes::at(turn * Vec3(-3 + 7 * s, -2 + 7 * s, high - depth), turn * Vec3::UnitZ(), k == 0 ? Motion::Rapid : Motion::Cut));
          }
          return proveGouge(*part, profile, path, {keep, 0.001, nullptr}, quiet_);
        };
        for (const Measured& m :
             {along({-3, -2, -depth}, {4, 5, -depth}), along({100 + R - depth, -9, -20}, {100 + R - depth, 9, -20}), sagging()}) {
          const double expected = std::max(0.0, keep + depth);
          // Wide bottoms are met wholly; a tip between two smaller cutters to a fifth.
          const QString what = QString("%1: %2 to %3, expected %4").arg(c.name.c_str()).arg(m.value).arg(m.bound).arg(expected);
          QVERIFY2(m.bound >= expected - 1e-9 && m.value <= expected + 1e-4, qPrintable(what));
          QVERIFY2(m.bound <= expected + std::max(depth, 0.0) + 6e-4, qPrintable(what));
          QVERIFY2(m.value >= (depth < 0 ? expected : keep + 0.5 * depth) - 4e-4, qPrintable(what));
        }
      }
  }

  void wallsBesideTheRegionAreSeen() {
    // A finishing path on a floor, whose region is the floor only, runs 0.2 into the wall beside it.
    for (const Mat3& turn : shapes::orientations()) {
      std::mt19937 random;
      auto soup = solid(3, random, 9);
      for (Vec3& p : soup) p = turn * p;
      const auto part = partFromTriangles(soup, "floor and wall");
      std::vector<char> floor;
      for (std::size_t t = 0; t < part->mesh.triangles.size(); ++t) {
        const Vec3 m = turn.transpose() * (part->mesh.corner(t, 0) + part->mesh.corner(t, 1) + part->mesh.corner(t, 2)) / 3;
        floor.push_back(std::abs(m.z()) < 1e-9 && part->mesh.facetNormal(t).dot(shapes::up(turn)) > 0.9);
      }
      const Profile ball = makeProfile(shapes::cutters()[1]);
      SurfaceProofOptions o;
      o.cusp = 1, o.gouge = 0.001;
      for (const double into : {0.0, 0.2}) {
        Path path;
        for (const double y : {-10.0, 10.0})
          path.locations.push_back(shapes::at(turn * Vec3(2 + 4 - into, y, 0), shapes::up(turn), y < 0 ? Motion::Rapid : Motion::Cut));
        SurfaceProof p = proveSurface(*part, floor, Sweep(ball, path), nullptr, o, quiet_);
        QVERIFY(p.gouge.bound < 1e-6); // all is well on the floor
        addGougeElsewhere(p, *part, ball, path, 0, o.gouge, quiet_);
        QVERIFY2(p.gouge.bound >= into && p.gouge.bound < into * 1.3 + 0.001 && p.gouge.value >= 0.9 * into,
                 qPrintable(QString("%1 to %2").arg(p.gouge.value).arg(p.gouge.bound)));
      }
    }
  }

  void flutesBetweenRaysAreSeen() {
    // The side of a long ball end mill pokes into the widest line of a lying bar, the ball far below it; steady, and turning there.
    Cutter c = shapes::cutters()[1];
    c.fluteLength = 40;
    const Profile ball = makeProfile(c);
    const double R = ball.maxRadius();
    std::vector<Vec3> bar;
    constexpr int kAround = 48;
    for (int k = 0; k < kAround; ++k) {
      const auto on = [&](int i, double y) {
        const double a = 2 * kPi * i / kAround;
        return Vec3(10 + 10 * std::cos(a), y, 10 * std::sin(a));
      };
      for (const Vec3& p : {on(k, -15), on(k, 15), on(k + 1, 15), on(k, -15), on(k + 1, 15), on(k + 1, -15), on(k, -15), on(k + 1, -15),
                            Vec3(10, -15, 0), on(k + 1, 15), on(k, 15), Vec3(10, 15, 0)})
        bar.push_back(p);
    }
    for (const Mat3& turn : shapes::orientations()) {
      auto soup = bar;
      for (Vec3& p : soup) p = turn * p;
      const auto part = partFromTriangles(soup, "bar");
      QVERIFY(part->report.closed);
      const std::vector<char> all(part->mesh.triangles.size(), 1);
      SurfaceProofOptions o;
      o.cusp = 1, o.gouge = 0.001;
      for (const double lean : {0.0, 0.002})
        for (int k = 0; k < 24; ++k)
          for (const double into : {0.0, 0.01}) {
            Path path;
            const double y = 0.05 * k;
            for (const double s : {-1.0, -0.15, 0.0, 0.15, 1.0})
              path.locations.push_back(shapes::at(turn * Vec3(20 + R + 28 * lean - (s == 0 ? into : 0), y + s, -28),
                                                  turn * Vec3(-lean, s == 0 ? 0.01 * lean : 0, 1).normalized(),
                                                  s < -0.5 ? Motion::Rapid : Motion::Cut));
            SurfaceProof p = proveSurface(*part, all, Sweep(ball, path), nullptr, o, quiet_);
            addGougeElsewhere(p, *part, ball, path, 0, o.gouge, quiet_);
            double deepest = 0; // of places of the cutter's side
            for (const double u : {0.9, 1.0})
              for (const double z : {27.9, 28.0, 28.1}) {
                Vec3 tip, axis;
                poseAlong(path.locations[1], path.locations[2], u, tip, axis);
                deepest = std::max(deepest, depthIn(part->mesh, tip + z * axis - (R - 1e-9) * (turn * Vec3::UnitX())));
              }
            QVERIFY2(p.gouge.bound >= deepest - 1e-9 && p.gouge.bound < 1.3 * deepest + 0.001,
                     qPrintable(QString("%1: %2 to %3 of %4").arg(k).arg(p.gouge.value).arg(p.gouge.bound).arg(deepest)));
            QVERIFY(into == 0 || deepest > 0.009);
          }
    }
  }

  void aCutterWhollyInsideIsFound() {
    // Every facet is measured, and the path begins and stays so far inside that no ray meets it.
    const auto part = partFromTriangles(shapes::box({-16, -16, -44}, {16, 16, 0}), "block");
    SurfaceProofOptions o;
    o.cusp = 1, o.gouge = 0.001;
    for (const Cutter& c : shapes::cutters())
      for (const bool rapidIn : {false, true}) {
        const Profile profile = makeProfile(c);
        Path path;
        if (rapidIn) path.locations.push_back(shapes::at({-4, 0, 20}, Vec3::UnitZ(), Motion::Rapid));
        path.locations.push_back(shapes::at({-2, 0, -29}, Vec3::UnitZ(), Motion::Rapid));
        path.locations.push_back(shapes::at({2, 1, -29}, Vec3::UnitZ()));
        SurfaceProof p = proveSurface(*part, std::vector<char>(part->mesh.triangles.size(), 1), Sweep(profile, path), nullptr, o, quiet_);
        addGougeElsewhere(p, *part, profile, path, 0, o.gouge, quiet_);
        QVERIFY2(p.gouge.bound > 8 || !p.gouge.known, qPrintable(QString("%1: %2").arg(c.name.c_str()).arg(p.gouge.bound)));
        const GivenProof g = measureGivenPath(*part, profile, path, 0, o, "given", quiet_);
        QVERIFY2(g.surface.gouge.bound > 8 || !g.surface.gouge.known,
                 qPrintable(QString("%1 as given: %2").arg(c.name.c_str()).arg(g.surface.gouge.bound)));
      }
  }
};

QTEST_GUILESS_MAIN(TestGouge)
#include "tst_gouge.moc"
