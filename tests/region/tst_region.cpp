// Regions and rails: known areas and lengths in three orientations, and what is found again on a changed model.
#include "base/error.h"
#include "geometry/outline.h"
#include "region/region.h"
#include "shapes.h"
#include <QtTest>

using namespace hemline;
using namespace shapes;

namespace {

double areaOf(const Mesh& mesh, const std::vector<char>& facets) {
  double sum = 0;
  for (std::size_t t = 0; t < facets.size(); ++t)
    if (facets[t]) sum += mesh.facetArea(t);
  return sum;
}

Region regionOf(std::vector<Piece> pieces) {
  Region r;
  r.pieces = std::move(pieces);
  return r;
}

FoundRegion find(const Part& part, const Region& region, const std::vector<Rail>& rails = {}, const std::vector<float>& balls = {}) {
  return findRegion(part, facetNeighbours(part.mesh, meshEdges(part.mesh)), balls, rails, region);
}

/// Ball of radius 20 cut off at z = 0: z >= 0 half, a tessellation of about 0.4 mm.
std::shared_ptr<const Part> dome(const Mat3& turn, double radius = 20) {
  std::vector<Vec3> soup;
  constexpr int n = 160, m = 60;
  const auto at = [&](int i, int j) {
    const double a = 2 * kPi * i / n, b = kPi / 2 * j / m;
    return Vec3(turn * (radius * Vec3(std::cos(a) * std::cos(b), std::sin(a) * std::cos(b), std::sin(b))));
  };
  for (int i = 0; i < n; ++i)
    for (int j = 0; j < m; ++j) {
      for (const Vec3& p : {at(i, j), at(i + 1, j), at(i + 1, j + 1)}) soup.push_back(p);
      if (j + 1 < m)
        for (const Vec3& p : {at(i, j), at(i + 1, j + 1), at(i, j + 1)}) soup.push_back(p);
    }
  return partFromTriangles(soup, "dome", 0.5);
}

Mark markOn(const Part& part, const Vec3& p) {
  const Nearest q = closestPoint(*part.tree, p);
  return {q.point, part.mesh.facetNormal(static_cast<std::size_t>(q.triangle))};
}

} // namespace

class TestRegion : public QObject {
  Q_OBJECT
private slots:
  void pieces();
  void patchesAgain();
  void withinARail();
  void lines();
  void outlines();
};

void TestRegion::pieces() {
  for (const Mat3& turn : orientations()) {
    const auto plane = field(
        -30, 30, -30, 30, 240, 240, [](double, double) { return 0; }, turn);
    const auto ball = dome(turn);
    const Mark middle = markOn(*plane, Vec3::Zero());
    const auto disc = [&](double r) { return Piece{PieceMode::Add, PaintPiece{{middle}, r}}; };
    struct Case {
      const char* name;
      std::shared_ptr<const Part> part;
      Region region;
      double area, within;
    };
    const Piece cap{PieceMode::Only, SlopePiece{0, radians(30), up(turn)}},
        whole{PieceMode::Add, GrownPiece{markOn(*ball, turn * Vec3(20, 0, 1)), 0.3}};
    Region wider = regionOf({disc(10)}), narrower = wider;
    wider.grow = 4, narrower.grow = -4;
    const std::vector<Case> cases{
        {"disc", plane, regionOf({disc(10)}), kPi * 100, 6},
        {"ring", plane, regionOf({disc(10), Piece{PieceMode::Remove, PaintPiece{{middle}, 6}}}), kPi * 64, 8},
        {"grown disc", plane, wider, kPi * 196, 9},
        {"shrunk disc", plane, narrower, kPi * 36, 9},
        {"dome", ball, regionOf({whole}), 2 * kPi * 400, 3},
        {"cap of 30 degrees", ball, regionOf({whole, cap}), 2 * kPi * 400 * (1 - std::cos(radians(30))), 10},
    };
    for (const Case& c : cases) {
      const FoundRegion f = find(*c.part, c.region);
      QVERIFY2(std::abs(f.area - c.area) < c.within, qPrintable(QString("%1: %2, not %3").arg(c.name).arg(f.area).arg(c.area)));
      QVERIFY(f.lost.empty() && f.changed.empty());
      if (c.part == plane) QVERIFY(std::abs(f.grain - 0.25 * std::sqrt(2.0)) < 1e-9); // the border follows the facets' longest edges
      QCOMPARE(f.area, areaOf(c.part->mesh, f.facets));
    }
  }
  // Growing stops where the surface bends; the back of a thin plate is not painted along with its face.
  const auto plate = partFromTriangles(box({0, 0, 0}, {20, 10, 0.5}), "plate");
  QCOMPARE(find(*plate, regionOf({{PieceMode::Add, GrownPiece{markOn(*plate, {5, 5, 1}), 0.3}}})).area, 200.0);
  QCOMPARE(find(*plate, regionOf({{PieceMode::Add, PaintPiece{{markOn(*plate, {5, 5, 1})}, 50}}})).area, 200.0);
  // By largest ball: what lies between both radii; without the measure it is told.
  std::vector<float> radius(plate->mesh.triangles.size(), 5);
  radius[0] = 2;
  const Region tight = regionOf({{PieceMode::Add, RadiusPiece{1, 3}}});
  QCOMPARE(find(*plate, tight, {}, radius).area, plate->mesh.facetArea(0));
  QCOMPARE(find(*plate, tight).lost.size(), 1u);
}

void TestRegion::patchesAgain() {
  for (const Mat3& turn : orientations()) {
    const auto block = [&](const Vec3& low, const Vec3& high) {
      auto soup = box(low, high);
      for (Vec3& p : soup) p = turn * p;
      return partFromTriangles(soup, "block");
    };
    const auto part = block({0, 0, 0}, {60, 40, 30});
    const int top = part->mesh.patch[static_cast<std::size_t>(closestPoint(*part->tree, turn * Vec3(30, 20, 31)).triangle)];
    const Region face = regionOf({{PieceMode::Add, markPatch(*part, top)}});
    QCOMPARE(std::get<PatchPiece>(face.pieces[0].what).marks.size(), 16u);
    QVERIFY(std::abs(find(*part, face).area - 2400) < 1e-6 && find(*part, face).grain == 0); // it ends with its patch
    struct Case {
      const char* name;
      Vec3 low, high;
      double area;
      std::size_t lost, changed;
    };
    const std::vector<Case> cases{{"the same", {0, 0, 0}, {60, 40, 30}, 2400, 0, 0},
                                  {"a millimetre higher", {0, 0, 0}, {60, 40, 31}, 2400, 0, 1},
                                  {"longer and higher", {0, 0, 0}, {70, 40, 31}, 2800, 0, 2},
                                  {"half of it cut away", {0, 0, 0}, {30, 40, 30}, 1200, 1, 1},
                                  {"far away", {0, 0, 0}, {60, 40, 10}, 0, 1, 0}};
    for (const Case& c : cases) {
      const auto changed = block(c.low, c.high);
      const FoundRegion f = find(*changed, face);
      QVERIFY2(std::abs(f.area - c.area) < 1e-6, c.name);
      QVERIFY2(f.lost.size() == c.lost && f.changed.size() == c.changed, c.name);
      // Marked anew it is as it was marked, but for what is lost; and that stays.
      const FoundRegion again = find(*changed, marksRenewed(*changed, face));
      QVERIFY2(again.lost.size() == c.lost && std::abs(again.area - c.area) < 1e-6, c.name);
      if (c.lost == 0) QVERIFY2(again.changed.empty(), c.name);
    }
  }
}

void TestRegion::withinARail() {
  for (const Mat3& turn : orientations()) {
    const auto ball = dome(turn);
    auto rails = sectionRails(*ball, turn * Vec3(0, 0, 12), up(turn)); // a circle of radius 16
    QCOMPARE(rails.size(), 1u);
    QVERIFY(rails[0].closed);
    QVERIFY(std::abs(rails[0].length() - 2 * kPi * 16) < 0.05);
    rails[0].name = "circle";
    const double cap = 2 * kPi * 20 * 8, band = 2 * kPi * 20 * 12;
    const auto within = [&](const Vec3& inside) {
      return find(*ball, regionOf({{PieceMode::Add, RailPiece{"circle", markOn(*ball, turn * inside)}}}), rails);
    };
    const FoundRegion above = within({0, 0, 20}), below = within({20, 0, 1});
    QVERIFY2(std::abs(above.area - cap) < 60 && std::abs(below.area - band) < 60 && above.lost.empty() && below.lost.empty(),
             qPrintable(QString("%1 %2, not %3 %4").arg(above.area).arg(below.area).arg(cap).arg(band)));
    for (std::size_t t = 0; t < above.facets.size(); ++t) QVERIFY(above.facets[t] != below.facets[t]);
    rails[0].closed = false;
    QCOMPARE(within({0, 0, 20}).lost.size(), 1u);
    rails[0].name = "another";
    QCOMPARE(within({0, 0, 20}).lost.size(), 1u);
  }
}

void TestRegion::lines() {
  for (const Mat3& turn : orientations()) {
    const auto ball = dome(turn);
    // A border: the rim, with the ball on its left.
    const auto rims = borderRails(ball->mesh, std::vector<char>(ball->mesh.triangles.size(), 1));
    QCOMPARE(rims.size(), 1u);
    QVERIFY(rims[0].closed && std::abs(rims[0].length() - 2 * kPi * 20) < 0.05);
    QCOMPARE(edgeRail(*ball, turn * Vec3(20, 0, 0)).marks.size(), rims[0].marks.size());
    // Drawn: a great circle from here to there; over the top and down again.
    const Vec3 a = Vec3(20, 0, 0), b = Vec3(0, 20 * std::sin(radians(40)), 20 * std::cos(radians(40)));
    const Rail drawn = drawnRail(*ball, {markOn(*ball, turn * (a + Vec3(0, 0, 0.5))), markOn(*ball, turn * b)}, false, 1);
    const double angle = angleBetween((a + Vec3(0, 0, 0.5)).normalized(), b.normalized());
    QVERIFY2(std::abs(drawn.length() - 20 * angle) < 0.05, qPrintable(QString("%1, not %2").arg(drawn.length()).arg(20 * angle)));
    for (const Mark& s : drawn.marks) QVERIFY(std::abs(s.at.norm() - 20) < 0.02);
    const Rail loop = drawnRail(
        *ball, {markOn(*ball, turn * Vec3(12, 0, 16)), markOn(*ball, turn * Vec3(0, 12, 16)), markOn(*ball, turn * Vec3(-12, -1, 16))},
        true, 1);
    QVERIFY(loop.closed && (loop.marks.front().at - loop.marks.back().at).norm() < 1.5);
    // Moved sideways: from the circle at 30 degrees of latitude to the one 5 mm of arc higher, or lower.
    const Rail circle = sectionRails(*ball, turn * Vec3(0, 0, 10), up(turn))[0];
    const bool climbs = circle.marks[0].normal.cross(circle.marks[1].at - circle.marks[0].at).dot(up(turn)) > 0;
    for (const double by : {5.0, -5.0}) {
      const double height = 20 * std::sin(radians(30) + (climbs ? by : -by) / 20);
      for (const Mark& s : offsetRail(*ball, circle, by).marks)
        QVERIFY2(std::abs(s.at.dot(up(turn)) - height) < 0.02, qPrintable(QString("%1, not %2").arg(s.at.dot(up(turn))).arg(height)));
    }
    // Off the border it goes on straight, in the air; carried on, too.
    const auto plane = field(
        -10, 10, -10, 10, 20, 20, [](double, double) { return 0; }, turn);
    const Rail line = drawnRail(*plane, {markOn(*plane, turn * Vec3(-8, 7, 0)), markOn(*plane, turn * Vec3(8, 7, 0))}, false, 1);
    for (const Mark& s : offsetRail(*plane, line, 6).marks)
      QVERIFY(std::abs((turn.transpose() * s.at).y() - 13) < 1e-6 && s.normal.isZero());
    for (const Mark& s : offsetRail(*plane, line, -6).marks)
      QVERIFY(std::abs((turn.transpose() * s.at).y() - 1) < 1e-6 && !s.normal.isZero());
    const Rail longer = extendedRail(line, 5, 7);
    QVERIFY(std::abs(longer.length() - 28) < 1e-9 && (turn.transpose() * longer.marks.front().at - Vec3(-13, 7, 0)).norm() < 1e-9);
    // Found again on a part that moved by a tenth; not on one that is not there.
    const auto lower = field(
        -10, 5.5, -10, 10, 20, 20, [](double, double) { return -0.1; }, turn);
    const FoundRail found = findRail(*lower, longer, 0.5);
    QCOMPARE(found.all, longer.marks.size());
    const auto beyond = std::count_if(line.marks.begin(), line.marks.end(), [&](const Mark& s) {
      return (turn.transpose() * s.at).x() > 5.5 + std::sqrt(0.5 * 0.5 - 0.1 * 0.1);
    });
    QVERIFY(beyond > 0);
    QCOMPARE(found.lost, static_cast<std::size_t>(beyond));
    QVERIFY(found.moved > 0.099 && found.moved <= 0.5); // beside its border, too
  }
  const auto cube = partFromTriangles(box({0, 0, 0}, {10, 10, 10}), "cube");
  const Rail edge = edgeRail(*cube, {5, 0.2, 10.1});
  QVERIFY(!edge.closed && std::abs(edge.length() - 10) < 1e-9);
  QVERIFY_THROWS_EXCEPTION(Error, extendedRail(borderRails(cube->mesh, {1, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0})[0], 1, 1));
  QVERIFY_THROWS_EXCEPTION(Error, drawnRail(*cube, {markOn(*cube, {5, 5, 11})}, false, 1));
}

void TestRegion::outlines() {
  for (const Mat3& turn : orientations()) {
    Rail square;
    square.closed = true;
    for (const auto& [x, y] : {std::pair(0., 0.), std::pair(0., 20.), std::pair(30., 20.), std::pair(30., 0.)}) // the wrong way round
      square.marks.push_back({turn * Vec3(x, y, x * y / 40), up(turn)});
    const Vec3 x = turn * Vec3::UnitX(), y = turn * Vec3::UnitY();
    QVERIFY(std::abs(regionArea({outlineOf(square, x, y, 0)}) - 600) < 1e-9);
    QVERIFY(std::abs(regionArea({outlineOf(square, x, y, 5)}) - (600 + 5 * 100 + kPi * 25)) < 0.1);
    QVERIFY(std::abs(regionArea({outlineOf(square, x, y, -5)}) - 20 * 10) < 0.01);
    QVERIFY_THROWS_EXCEPTION(Error, outlineOf(square, x, y, -11));
    std::swap(square.marks[1], square.marks[2]);
    QVERIFY_THROWS_EXCEPTION(Error, outlineOf(square, x, y, 0));
    square.closed = false;
    QVERIFY_THROWS_EXCEPTION(Error, outlineOf(square, x, y, 0));
  }
}

QTEST_GUILESS_MAIN(TestRegion)
#include "tst_region.moc"
