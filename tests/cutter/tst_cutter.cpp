#include "base/file.h"
#include "cutter/library.h"
#include "cutter/touch.h"
#include "shapes.h"
#include <QtTest>
#include <nlohmann/json.hpp>

using namespace hemline;

namespace {

/// Highest touch by brute force: every facet sampled densely; a lower estimate that errs by the sampling only.
double bruteTouch(const Mesh& mesh, const Profile& profile, const Vec3& axis, const Vec3& line, int n) {
  double best = -1e300;
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
    for (int i = 0; i <= n; ++i)
      for (int j = 0; i + j <= n; ++j) {
        const double u = double(i) / n, v = double(j) / n;
        const Vec3 d = (1 - u - v) * mesh.corner(t, 0) + u * mesh.corner(t, 1) + v * mesh.corner(t, 2) - line;
        const double z = d.dot(axis), r = (d - z * axis).norm();
        if (r <= profile.maxRadius()) best = std::max(best, z - profile.height(r));
      }
  return best;
}

} // namespace

class TestCutter : public QObject {
  Q_OBJECT
private slots:
  void impossibleCuttersAreRefused_data() {
    QTest::addColumn<int>("kind");
    QTest::addColumn<QVector<double>>("sizes"); // diameter, corner, profile radius, half angle (deg), flutes
    const auto row = [](const char* name, CutterKind k, QVector<double> v) { QTest::newRow(name) << static_cast<int>(k) << v; };
    row("no diameter", CutterKind::Ball, {0, 0, 0, 0, 10});
    row("negative diameter", CutterKind::Flat, {-3, 0, 0, 0, 10});
    row("corner larger than radius", CutterKind::BullNose, {8, 5, 0, 0, 10});
    row("flutes shorter than ball", CutterKind::Ball, {8, 0, 0, 0, 2});
    row("barrel flatter than cutter", CutterKind::Barrel, {8, 1, 3, 0, 10});
    row("taper of 90 degrees", CutterKind::TaperedBall, {8, 0, 0, 90, 20});
    row("not a number", CutterKind::Ball, {std::nan(""), 0, 0, 0, 10});
  }
  void impossibleCuttersAreRefused() {
    QFETCH(int, kind);
    QFETCH(QVector<double>, sizes);
    Cutter c;
    c.kind = static_cast<CutterKind>(kind), c.diameter = sizes[0], c.corner = sizes[1], c.profileRadius = sizes[2],
    c.angle = radians(sizes[3]), c.fluteLength = sizes[4];
    QVERIFY_EXCEPTION_THROWN(makeProfile(c), Error);
  }

  void distanceOfEveryProfileAgreesWithItsOutline() {
    for (const Cutter& c : shapes::cutters()) {
      const Profile p = makeProfile(c);
      std::vector<Vec2> outline;
      for (const ProfilePiece& piece : p.pieces())
        for (int i = 0; i <= 4000; ++i) {
          const double u = i / 4000.0, t = piece.angleA + u * (piece.angleB - piece.angleA);
          outline.push_back(piece.radius > 0 ? Vec2(piece.center + piece.radius * Vec2(std::sin(t), -std::cos(t)))
                                             : Vec2(piece.a + u * (piece.b - piece.a)));
        }
      std::mt19937 random(3);
      std::uniform_real_distribution<double> r(0, 9), z(-6, 20);
      for (int i = 0; i < 60; ++i) {
        const Vec2 x(r(random), z(random));
        double best = 1e300;
        for (const Vec2& o : outline) best = std::min(best, (x - o).norm());
        Vec2 g;
        const double d = p.distance(x.x(), x.y(), g);
        QVERIFY2(std::abs(std::abs(d) - best) < 2e-3, c.name.c_str());
        QVERIFY(std::abs(g.norm() - 1) < 1e-9);
        const bool inside = x.y() > 0 && x.y() < p.length() && x.x() < p.radiusAt(x.y());
        if (std::abs(d) > 1e-6) QCOMPARE(d < 0, inside);
      }
    }
  }

  void supportIsTheFarthestPoint() {
    // Of every profile and its grown bodies, in every direction from straight down to straight up, against the outline.
    for (const Cutter& c : shapes::cutters())
      for (const double grow : {0.0, 0.4}) {
        const Profile p = grow > 0 ? makeProfile(c).grown(grow, grow) : makeProfile(c);
        for (int k = 0; k <= 180; ++k) {
          const double t = radians(k), s = std::sin(t), co = std::cos(t);
          double best = -1e300;
          for (const ProfilePiece& piece : p.pieces())
            for (int i = 0; i <= 500; ++i) {
              const double u = i / 500.0, a = piece.angleA + u * (piece.angleB - piece.angleA);
              const Vec2 q = piece.radius > 0 ? Vec2(piece.center + piece.radius * Vec2(std::sin(a), -std::cos(a)))
                                              : Vec2(piece.a + u * (piece.b - piece.a));
              best = std::max(best, q.x() * s - q.y() * co);
            }
          const Vec2 q = p.support(s, co);
          const double found = q.x() * s - q.y() * co;
          QVERIFY2(found >= best - 1e-9 && found <= best + 1e-3,
                   qPrintable(QString("%1 at %2: %3 against %4").arg(c.name.c_str()).arg(k).arg(found).arg(best)));
          Vec2 g;
          if (p.pieces().size() > 1) QVERIFY(std::abs(p.distance(std::max(0.0, q.x()), q.y(), g)) < 1e-6);
        }
      }
  }

  void wallsAreKnownAsSuch() {
    for (const Cutter& c : shapes::cutters()) {
      const Profile p = makeProfile(c);
      const double from = p.wallFrom();
      if (c.kind == CutterKind::Flat || c.kind == CutterKind::Ball || c.kind == CutterKind::BullNose) {
        QVERIFY2(std::abs(from - (c.kind == CutterKind::Flat ? 0 : c.kind == CutterKind::Ball ? 4 : 1.5)) < 1e-9, c.name.c_str());
        for (double z = from + 0.01; z < p.length(); z += 0.5) QVERIFY(std::abs(p.radiusAt(z) - p.maxRadius()) < 1e-9);
      }
      if (c.kind == CutterKind::TaperedBall) QVERIFY(from > 1e9);
    }
  }

  void grownBodyKeepsWallAndFloor() {
    for (const Cutter& c : shapes::cutters()) {
      const Profile p = makeProfile(c), even = p.grown(0.3, 0.3), uneven = p.grown(0.5, 0.2);
      if (c.kind != CutterKind::TaperedBall) { // its cone goes on to the lid
        QVERIFY(std::abs(even.maxRadius() - p.maxRadius() - 0.3) < 1e-9);
        QVERIFY(std::abs(uneven.maxRadius() - p.maxRadius() - 0.5) < 1e-9);
      }
      QVERIFY(std::abs(even.lowest() + 0.3) < 1e-9);
      QVERIFY(std::abs(uneven.lowest() + 0.2) < 1e-9);
      // The lower side of the even one lies 0.3 from the cutter.
      for (double r = 0.05; r < even.maxRadius() - 1e-6; r += 0.37) {
        Vec2 g;
        QVERIFY2(std::abs(p.distance(r, even.height(r), g) - 0.3) < 1e-9, c.name.c_str());
      }
    }
  }

  void closedFormsOfTheTouch() {
    // Ball on a plane of slope b: the tip lies R (1/cos b - 1) above the plane's point below it, in any orientation.
    for (const Mat3& turn : shapes::orientations())
      for (const double slope : {0.0, 0.3, 1.0}) {
        const auto plane = shapes::field(
            -30, 30, -30, 30, 6, 6, [&](double x, double) { return x * std::tan(slope); }, turn);
        for (const Cutter& c : shapes::cutters()) {
          const Profile p = makeProfile(c);
          const Touch t = touchAlong(*plane->tree, p, shapes::up(turn), turn * Vec3(1.3, 0.7, 0));
          const Vec2 s = p.support(std::sin(slope), std::cos(slope));
          QVERIFY2(std::abs(t.height - (1.3 * std::tan(slope) + s.x() * std::tan(slope) - s.y())) < 1e-10, c.name.c_str());
          if (c.kind == CutterKind::Ball) QVERIFY(std::abs(t.height - 1.3 * std::tan(slope) - 4 * (1 / std::cos(slope) - 1)) < 1e-10);
        }
      }
  }

  void levelEdgesAreMetWhereverTheirMiddleIs() {
    // The top edge of a wall, beside the cutter at every share of its length, the exact middle too: a level edge is met at
    // the place nearest to the axis, at the height of the profile there.
    for (const Mat3& turn : shapes::orientations())
      for (const Cutter& c : shapes::cutters()) {
        const Profile p = makeProfile(c);
        std::vector<Vec3> soup;
        for (const Vec3& v : shapes::box({-10, 0, -30}, {10, 5, 0})) soup.push_back(turn * v);
        const auto wall = partFromTriangles(soup, "wall");
        for (const double aside : {0.0, 0.4, 1.0, 1.7})
          for (int k = -8; k <= 8; ++k) {
            const Touch t = touchAlong(*wall->tree, p, shapes::up(turn), turn * Vec3(k, -aside, 0));
            QVERIFY(t.hit);
            QVERIFY2(std::abs(t.height + p.height(aside)) < 1e-9,
                     qPrintable(QString("%1 at %2, %3 aside: %4").arg(c.name.c_str()).arg(k).arg(aside).arg(t.height + p.height(aside))));
          }
      }
  }

  void touchAgreesWithDenseSampling() {
    // Coarse facets, so that edges and corners decide; every profile, three orientations, tilted axes too.
    for (const Mat3& turn : shapes::orientations()) {
      const auto part = shapes::field(
          -8, 8, -8, 8, 5, 5, [](double x, double y) { return 1.5 * std::sin(x) * std::cos(0.8 * y); }, turn);
      std::mt19937 random(11);
      std::uniform_real_distribution<double> u(-3, 3);
      for (const Cutter& c : shapes::cutters()) {
        const Profile p = makeProfile(c);
        for (int i = 0; i < 4; ++i) {
          const Vec3 line = turn * Vec3(u(random), u(random), 0), axis = (turn * Vec3(0.1 * u(random), 0.1 * u(random), 1)).normalized();
          const Touch t = touchAlong(*part->tree, p, axis, line);
          const double brute = bruteTouch(part->mesh, p, axis, line, 200);
          QVERIFY2(t.height >= brute - 1e-9, c.name.c_str());
          // A tapered or conical side turns the sampling step into a height.
          QVERIFY2(t.height <= brute + 0.03, c.name.c_str());
          // A hint changes the speed only.
          QCOMPARE(touchAlong(*part->tree, p, axis, line, 7).height, t.height);
        }
      }
    }
  }

  void libraryGoesThroughJsonAndCsv() {
    const CutterLibrary lib = readLibrary(HEMLINE_SOURCE "/data/cutters/library.json");
    QVERIFY(lib.cutters.size() >= 16 && lib.holders.size() >= 6);
    const auto back = cuttersFromCsv(cuttersToCsv(lib.cutters), "table");
    QCOMPARE(back.size(), lib.cutters.size());
    for (std::size_t i = 0; i < back.size(); ++i) QCOMPARE(toJson(back[i]).dump(), toJson(lib.cutters[i]).dump());
    try {
      cuttersFromCsv("name,kind,diameter_mm,flute_length_mm\nx,ball,8,12\ny,ball,wide,12\n", "table");
      QFAIL("was read");
    } catch (const Error& e) {
      QVERIFY(QString(e.what()).contains("line 3"));
    }
    QVERIFY_EXCEPTION_THROWN(assemble(lib.cutters[0], lib.holders[0], lib.cutters[0].fluteLength - 1), Error);
  }
};

QTEST_APPLESS_MAIN(TestCutter)
#include "tst_cutter.moc"
