// Contact meshes, level lines and ways across, held against closed forms.
#include "finishing/contact_curve.h"
#include "shapes.h"
#include "surface/parallel_planes.h"
#include <QtTest>

using namespace hemline;

namespace {

double lengthOf(const ContactMesh& contacts, const LevelLine& line) {
  double sum = 0;
  for (const LinePiece& p : line.pieces)
    sum += (contacts.placeAt(p.element, p.out.x(), p.out.y()).point - contacts.placeAt(p.element, p.in.x(), p.in.y()).point).norm();
  return sum;
}

/// An upright tube's outside without its ends, radius r.
std::shared_ptr<const Part> tube(double r, double height, int round, int up, const Mat3& turn) {
  std::vector<Vec3> soup;
  const auto at = [&](int i, int j) {
    const double a = 2 * std::numbers::pi * i / round;
    return Vec3(turn * Vec3(r * std::cos(a), r * std::sin(a), height * j / up));
  };
  for (int i = 0; i < round; ++i)
    for (int j = 0; j < up; ++j)
      for (const Vec3& p : {at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j), at(i + 1, j + 1), at(i, j + 1)}) soup.push_back(p);
  return partFromTriangles(soup, "tube");
}

} // namespace

class TestLevelLines : public QObject {
  Q_OBJECT

private slots:
  void contactsOfABoxAreItsOffset() {
    // Facets, quarter cylinders at the edges, eighths of a sphere at the corners: closed, and offset by r as large as a rounded box.
    const double a = 6, b = 4, c = 3, r = 2;
    for (const Mat3& turn : shapes::orientations()) {
      auto soup = shapes::box({0, 0, 0}, {a, b, c});
      for (Vec3& p : soup) p = turn * p;
      const auto part = partFromTriangles(soup, "box");
      const ContactMesh contacts(*part, radians(5));
      double area = 0;
      for (std::size_t e = 0; e < contacts.elements().size(); ++e) {
        for (const int o : contacts.over()[e]) QVERIFY(o >= 0 || !contacts.isFacet(static_cast<int>(e)));
        std::array<Vec3, 3> p;
        for (std::size_t k = 0; k < 3; ++k) {
          const auto& v = contacts.vertices()[static_cast<std::size_t>(contacts.elements()[e].v[k])];
          p[k] = part->mesh.points[static_cast<std::size_t>(v.point)] + r * v.normal;
        }
        const Vec3 twice = (p[1] - p[0]).cross(p[2] - p[0]);
        area += 0.5 * twice.norm();
        const Place middle = contacts.placeAt(static_cast<int>(e), 1.0 / 3, 1.0 / 3);
        if (twice.norm() > 1e-9)
          QVERIFY2(twice.normalized().dot(middle.normal) > 0.9, qPrintable(QString::number(twice.normalized().dot(middle.normal))));
      }
      const double round = 2 * (a * b + b * c + c * a) + std::numbers::pi / 2 * r * 4 * (a + b + c) + 4 * std::numbers::pi * r * r;
      QVERIFY2(std::abs(area / round - 1) < 0.01, qPrintable(QString::number(area / round)));
    }
  }

  void linesAreWhatPlanesCut() {
    // Rings of a tube, closed, with higher values on the left; sections of a ridge's offset, which go round its edge without a gap.
    for (const Mat3& turn : shapes::orientations()) {
      const auto part = tube(10, 8, 240, 12, turn);
      const ContactMesh contacts(*part, radians(5));
      const FieldOf field(ParallelPlanes{shapes::up(turn), 0});
      const std::vector<char> all(part->mesh.triangles.size(), 1);
      const LevelLines lines(contacts, field, all);
      QVERIFY(std::abs(lines.lowest()) < 1e-9 && std::abs(lines.highest() - 8) < 1e-9);
      for (const double level : {0.3, 2.0, 7.9}) {
        const auto found = lines.at(level);
        QCOMPARE(found.size(), std::size_t{1});
        QVERIFY(found[0].closed);
        QVERIFY(std::abs(lengthOf(contacts, found[0]) / (20 * std::numbers::pi) - 1) < 1e-3);
        for (const LinePiece& p : found[0].pieces) {
          const Place in = contacts.placeAt(p.element, p.in.x(), p.in.y()), out = contacts.placeAt(p.element, p.out.x(), p.out.y());
          const Vec3 way = out.point - in.point;
          QVERIFY(way.norm() < 1e-9 || in.normal.cross(way).dot(shapes::up(turn)) > 0.9 * way.norm());
        }
      }
      QVERIFY(lines.at(8.1).empty() && lines.at(-0.1).empty());

      const auto ridge = shapes::field(
          -5, 5, -5, 5, 8, 8, [](double, double y) { return -std::abs(y); }, turn);
      const ContactMesh edge(*ridge, radians(5));
      const Vec3 across = turn * Vec3(0.6, 0.8, 0);
      const FieldOf centres(ParallelPlanes{across, 4});
      const std::vector<char> allOfRidge(ridge->mesh.triangles.size(), 1);
      const LevelLines sections(edge, centres, allOfRidge);
      const auto curves = ContactCurves(sections, 1, 4, true).at(0.2);
      QCOMPARE(curves.size(), std::size_t{1});
      Vec3 before = Vec3::Zero();
      double turned = 0;
      for (double s = 0; s < curves[0].length(); s += 0.01) {
        const Contact c = curves[0].at(s);
        const Vec3 centre = c.point + 4 * c.normal;
        QVERIFY(std::abs(centre.dot(across) - 0.2) < 1e-9);
        if (s > 0) QVERIFY2((centre - before).norm() < 0.05, qPrintable(QString("%1: %2").arg(s).arg((centre - before).norm())));
        before = centre, turned = std::max(turned, c.edge ? c.normal.dot(shapes::up(turn)) : 0.0);
      }
      QVERIFY(turned > 0.999); // over the top of the ridge
    }
  }

  void aWayAcrossIsAPlaneSection() {
    // Up a cone's side from one height to another; then along a rim, where the way would lead off the ground.
    const double slope = 1.5;
    const auto part = shapes::field(-6, 6, -6, 6, 96, 96, [&](double x, double y) { return slope * y + 0 * x; });
    const ContactMesh contacts(*part, radians(5));
    const FieldOf field(ParallelPlanes{Vec3::UnitZ(), 0});
    std::vector<char> region(part->mesh.triangles.size(), 1);
    const LevelLines lines(contacts, field, region);
    const auto start = [&](double x, double y) {
      const RayHit hit = castRay(*part->tree, Vec3(x, y, 50), -Vec3::UnitZ());
      return SurfacePoint{hit.triangle, hit.u, hit.v};
    };
    const WayAcross up(lines, start(0.3, -2), Vec3::UnitX(), true, 3, 100, false);
    QVERIFY(up.arrived());
    QVERIFY(std::abs(up.length() - 4 * std::hypot(1, slope)) < 1e-9);
    const Vec3 end = pointOn(part->mesh, up.at(1)), middle = pointOn(part->mesh, up.at(0.5));
    QVERIFY((end - Vec3(0.3, 2, 3)).norm() < 1e-9 && (middle - Vec3(0.3, 0, 0)).norm() < 1e-9);
    const WayAcross down(lines, start(0.3, 2), Vec3::UnitX(), false, -3, 100, false);
    QVERIFY(down.arrived() && std::abs(down.length() - up.length()) < 1e-9);
    QVERIFY(!WayAcross(lines, start(0.3, -2), Vec3::UnitX(), true, 3, 1, false).arrived()); // too far
    // In a plane that is turned it meets the rim x = 6, and goes on along it.
    const Vec3 aside = Vec3(1, -1, -slope).normalized(); // its plane holds (1, 1, slope)
    const WayAcross off(lines, start(5, -2), aside, true, 6, 100, false), on(lines, start(5, -2), aside, true, 6, 100, true);
    QVERIFY(!off.arrived() && on.arrived());
    QVERIFY2((pointOn(part->mesh, on.at(1)) - Vec3(6, 4, 6)).norm() < 1e-9, qPrintable(QString::number(pointOn(part->mesh, on.at(1)).y())));
    QVERIFY(on.length() > off.length() + 4);
  }

  /// Along a line over an edge the way stays across the normal while that turns: an axis that leans by both is a unit vector.
  void theWayStaysAcrossTheNormal() {
    for (const Mat3& turn : shapes::orientations()) {
      const auto part = shapes::field(
          -5, 5, -5, 5, 2, 2, [](double x, double) { return -0.8 * std::abs(x); }, turn);
      const ContactMesh contacts(*part, radians(25));
      const FieldOf field(ParallelPlanes{turn * Vec3::UnitY(), 0});
      const std::vector<char> all(part->mesh.triangles.size(), 1);
      const LevelLines lines(contacts, field, all);
      const ContactCurve curve = ContactCurves(lines, 2, 3, true).along({turn * Vec3(-4, 1, -3.2), turn * Vec3(4, 1, -3.2)}, 0.5);
      int turning = 0;
      for (double s = 0; s <= curve.length(); s += curve.length() / 400) {
        const Contact c = curve.at(s);
        QVERIFY2(std::abs(c.along.dot(c.normal)) < 1e-9 && std::abs(c.along.norm() - 1) < 1e-9, qPrintable(QString::number(s)));
        turning += c.edge;
      }
      QVERIFY(turning > 20);
    }
  }
};

QTEST_APPLESS_MAIN(TestLevelLines)
#include "tst_level_lines.moc"
