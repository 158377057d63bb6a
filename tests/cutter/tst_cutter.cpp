#include "base/file.h"
#include "cutter/exchange.h"
#include "cutter/mount.h"
#include "cutter/touch.h"
#include "shapes.h"
#include <QtTest>
#include <nlohmann/json.hpp>
#include <numeric>

using namespace hemline;
using nlohmann::json;

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
          QVERIFY(touchesAbove(part->mesh, std::array{t.triangle}, p, axis, line, t.height - 1e-6));
          std::vector<int> all(part->mesh.triangles.size());
          std::iota(all.begin(), all.end(), 0);
          QVERIFY(!touchesAbove(part->mesh, all, p, axis, line, t.height + 1e-9));
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
    const auto holders = holdersFromCsv(holdersToCsv(lib.holders), "table");
    QCOMPARE(holders.size(), lib.holders.size());
    for (std::size_t i = 0; i < holders.size(); ++i) QCOMPARE(toJson(holders[i]).dump(), toJson(lib.holders[i]).dump());
    const Holder odd1{"odd", {{0, 10.123456789, 123.45678912, 20}}}; // to the last digit: a change of its name moves no body
    QCOMPARE(toJson(holderFromFlat(flat(odd1), "back")).dump(), toJson(odd1).dump());
    const auto table = readMaterials(HEMLINE_SOURCE "/data/materials.json");
    const auto materials = materialsFromCsv(materialsToCsv(table), "table");
    QCOMPARE(materials.size(), table.size());
    for (std::size_t i = 0; i < materials.size(); ++i)
      for (const CuttingData& c : table[i].cutting)
        QVERIFY(std::any_of(materials[i].cutting.begin(), materials[i].cutting.end(), [&](const CuttingData& x) {
          return x.kind == c.kind && x.speed == c.speed && x.feed == c.feed && x.assumed == c.assumed;
        }));
    const NamedAssembly odd{"5; \"long\", new", "ball 8", lib.holders[0].name, 41.25};
    const auto racks = assembliesFromCsv("\xEF\xBB\xBF" + assembliesToCsv({odd}), "table");
    QVERIFY(racks.size() == 1 && toJson(racks[0]) == toJson(odd));
    const struct {
      const char* text;
      const char* told;
    } kBad[]{{"name,kind,diameter_mm,flute_length_mm\nx,ball,8,12\ny,ball,wide,12\n", "line 3, column diameter_mm"},
             {"name;kind;diameter_mm;flute_length_mm\nx;ball;8,5;12\n\ny;ball;8\n", "line 4"}, // decimal commas; a length is missing
             {"name,kind,diameter_mm,flute_length_mm\nx,ball,8,12,77\n", "line 2"},
             {"name,kind\n\"x,ball\n", "quote"},
             {"", "empty"}};
    for (const auto& bad : kBad) try {
        cuttersFromCsv(bad.text, "table");
        QFAIL(bad.text);
      } catch (const Error& e) {
        QVERIFY2(QString(e.what()).contains(bad.told), e.what());
      }
    QVERIFY_EXCEPTION_THROWN(assemble(lib.cutters[0], lib.holders[0], lib.cutters[0].fluteLength - 1), Error);
    // Where to begin: a cutter's own data hold for the material that they are told for, the table's for all others.
    const Material &alu = table[0], &steel = table[1];
    Cutter ball = lib.cutter("ball 8");
    const double speed = ball.cuttingSpeed;
    ball.dataFor = alu.name;
    QCOMPARE(cutterFor(alu, ball).cuttingSpeed, speed);
    const auto told =
        std::find_if(steel.cutting.begin(), steel.cutting.end(), [](const CuttingData& c) { return c.kind == CutterKind::Ball; });
    QVERIFY(told != steel.cutting.end() && told->speed < speed);
    QCOMPARE(libraryFor(steel.name, table, lib).cutter("ball 8").cuttingSpeed, told->speed);
    QCOMPARE(libraryFor("cheese", table, lib).cutter("ball 8").cuttingSpeed, lib.cutter("ball 8").cuttingSpeed);
    QCOMPARE(cutterFor(steel, ball).cuttingSpeed, told->speed);
    QCOMPARE(cutterFor(steel, ball).feedPerTooth, told->feed * 8);
    Material bare = steel;
    bare.cutting.clear();
    QCOMPARE(cutterFor(bare, ball).cuttingSpeed, speed);
    // What cannot be mounted is read, and told.
    QVERIFY(assemblyFault(lib, {"a", "ball 8", "no such", 40}).find("no such") != std::string::npos);
    QVERIFY(!assemblyFault(lib, {"a", "ball 8", lib.holders[0].name, 500}).empty());
    const auto mount = mountFor(ball, lib.holders, 40);
    QVERIFY(mount && assemblyFault(lib, {"a", "ball 8", mount->holder->name, mount->stickOut}).empty());
    for (const Holder& h : lib.holders) {
      QCOMPARE(toJson(holderFromJson(toJson(h), "back")).dump(), toJson(h).dump());
      for (const double bore : {h.boreFrom, h.boreTo}) // names say the bore
        QVERIFY2(QString::fromStdString(h.name).split(' ').contains(QString::number(bore)), h.name.c_str());
    }
    QCOMPARE(lib.mountable().size(), lib.cutters.size()); // nothing is shipped that nothing shipped takes
    for (const auto& [field, value] :
         {std::pair("bore_mm", json::parse("[10, 6]")), std::pair("bore_mm", json::parse("[6]")), std::pair("bore_mm", json(-6)),
          std::pair("grip_mm", json(400)), std::pair("insertion_mm", json("deep"))}) {
      json j = toJson(lib.holders[0]);
      j[field] = value;
      QVERIFY_EXCEPTION_THROWN(holderFromJson(j, "library"), Error);
    }
  }

  void assembliesThatCannotBeMounted_data() {
    QTest::addColumn<double>("shank");
    QTest::addColumn<double>("out");
    QTest::addColumn<double>("grip");
    QTest::addColumn<double>("insertion");
    QTest::addColumn<QString>("what");
    QTest::addColumn<QString>("remedy");
    // A ball of 8 mm, 90 mm long, its neck to 35 mm, 24 mm to be gripped.
    QTest::newRow("as it should be") << 8.0 << 60.0 << 26.0 << 36.0 << ""
                                     << "";
    QTest::newRow("shortest") << 8.0 << 54.0 << 26.0 << 36.0 << ""
                              << "";
    QTest::newRow("longest") << 8.0 << 66.0 << 26.0 << 36.0 << ""
                             << "";
    QTest::newRow("nothing is told but the bore") << 8.0 << 35.0 << 0.0 << 0.0 << ""
                                                  << "";
    QTest::newRow("grips the neck") << 8.0 << 30.0 << 26.0 << 70.0 << "grip the neck"
                                    << "35 mm out (35 to 66 mm)";
    QTest::newRow("too deep") << 8.0 << 40.0 << 26.0 << 36.0 << "50 mm into"
                              << "54 mm out (54 to 66 mm)";
    QTest::newRow("too little") << 8.0 << 70.0 << 26.0 << 36.0 << "Only 20 mm"
                                << "66 mm out (54 to 66 mm)";
    QTest::newRow("a short grip") << 8.0 << 60.0 << 20.0 << 36.0 << "grips 20 mm at most"
                                  << "in 'second', 60 mm out (35 to 66 mm)";
    QTest::newRow("another bore") << 6.0 << 40.0 << 26.0 << 36.0 << "has a bore of 8 mm"
                                  << "in 'second', 40 mm out (35 to 66 mm)";
    QTest::newRow("nothing takes it") << 14.0 << 40.0 << 26.0 << 36.0 << "has a bore of 8 mm"
                                      << "bore of 14 mm";
  }
  void assembliesThatCannotBeMounted() {
    QFETCH(double, shank);
    QFETCH(double, out);
    QFETCH(double, grip);
    QFETCH(double, insertion);
    QFETCH(QString, what);
    QFETCH(QString, remedy);
    Cutter c;
    c.name = "long one", c.fluteLength = 12, c.neckDiameter = 0.9 * shank, c.neckLength = 35, c.shankDiameter = shank, c.length = 90;
    c.leastGripped = 24;
    const Holder h{"first", {{0, 9, 40, 9}}, 8, 8, grip, insertion};
    const std::vector<Holder> others{{"fat", {{0, 20, 40, 20}}, 2, 13, 40, 80}, {"second", {{0, 12, 40, 12}}, 2, 13, 40, 80}};
    const auto fault = mountFault(c, h, out, others);
    QCOMPARE(fault.has_value(), !what.isEmpty());
    if (!fault) return;
    QVERIFY2(fault->what.find(what.toStdString()) != std::string::npos, fault->what.c_str());
    QVERIFY2(fault->remedy.find(remedy.toStdString()) != std::string::npos, fault->remedy.c_str());
  }

  void whatIsProposedCanBeMounted() {
    // Random cutters and holders, the rules asked one by one along the axis: each millimetre of shank that lies in the holder.
    std::mt19937 random(7);
    const auto u = [&](double a, double b) { return std::uniform_real_distribution<double>(a, b)(random); };
    int takes = 0;
    for (int n = 0; n < 3000; ++n) {
      Cutter c;
      c.name = "c", c.diameter = c.shankDiameter = std::round(u(2, 20)), c.fluteLength = u(5, 20), c.length = u(40, 120);
      if (n % 3) c.neckDiameter = 0.9 * c.diameter, c.neckLength = u(1, 60);
      if (n % 5 == 0) c.shankFrom = u(0, 70);
      if (n % 4) c.leastGripped = u(5, 50);
      Holder h{"h", {{0, u(4, 20), 40, 20}}, 0, 0, n % 2 ? u(10, 50) : 0, n % 7 ? u(50, 90) : 0};
      if (n % 6) h.boreFrom = std::round(u(2, 12)), h.boreTo = h.boreFrom + std::floor(u(0, 10));
      // Asked by a hair more than is needed (eps > 0), or by a hair less.
      const auto good = [&](double out, double eps) {
        if (h.boreTo > 0 ? c.shankDiameter < h.boreFrom || c.shankDiameter > h.boreTo : h.parts[0].r0 <= c.shankDiameter / 2 + 1)
          return false;
        if (h.insertion > 0 && c.length - out > h.insertion - eps) return false;
        double gripped = 0;
        for (double z = out + 0.005; z < c.length && (h.grip == 0 || z < out + h.grip); z += 0.01) {
          const double at = z - eps;
          if (at < c.fluteLength || (c.neckDiameter > 0 && at < c.neckLength) || at < c.shankFrom) return false;
          gripped += 0.01;
        }
        return gripped >= (c.leastGripped > 0 ? c.leastGripped : 2 * c.shankDiameter) + eps;
      };
      const auto range = stickOuts(c, h);
      const std::vector<Holder> only{h};
      const auto mount = mountFor(c, only, u(0, 120));
      QCOMPARE(mount.has_value(), range.has_value());
      if (mount) {
        ++takes;
        QVERIFY(good(mount->stickOut, -0.03) && !mountFault(c, h, mount->stickOut, {}));
        QVERIFY(mountFault(c, h, range->least - 0.03, {}) && mountFault(c, h, range->most + 0.03, {}));
      }
      for (int k = 0; k < 20; ++k) {
        const double out = u(0, c.length);
        const bool refused = mountFault(c, h, out, {}).has_value();
        QVERIFY(refused ? !good(out, 0.03) : good(out, -0.03));
      }
    }
    QVERIFY(takes > 300);
  }

  void fromNeckToShankByACone() {
    Cutter c;
    c.kind = CutterKind::Ball, c.diameter = 2, c.fluteLength = 3, c.neckDiameter = 1.9, c.neckLength = 12, c.shankDiameter = 6,
    c.shankFrom = 20;
    const Assembly a = assemble(c, {"h", {{0, 9, 40, 9}}}, 30);
    for (const auto& [z, r] :
         {std::pair(5.0, 0.95), std::pair(12.0, 0.95), std::pair(16.0, 1.975), std::pair(20.0, 3.0), std::pair(29.0, 3.0)})
      QVERIFY2(std::abs(distanceToBodies(a.bodies, r, z)) < 1e-9, qPrintable(QString::number(z)));
  }
};

QTEST_APPLESS_MAIN(TestCutter)
#include "tst_cutter.moc"
