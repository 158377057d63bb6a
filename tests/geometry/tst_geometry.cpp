// Trees, rays, nearest points and outlines against brute force and closed forms.
#include "geometry/outline.h"
#include "shapes.h"
#include <QtTest>

using namespace hemline;

namespace {

/// Triangles strewn about, some thin, some axis-parallel.
std::shared_ptr<const Part> strewn(unsigned seed, int count) {
  std::mt19937 random(seed);
  std::uniform_real_distribution<double> u(-1, 1);
  std::vector<Vec3> soup;
  for (int i = 0; i < count; ++i) {
    const Vec3 at(20 * u(random), 20 * u(random), 20 * u(random));
    const double size = i % 5 ? 2.0 : 12.0;
    for (int k = 0; k < 3; ++k) {
      Vec3 p = at + size * Vec3(u(random), u(random), u(random));
      if (i % 7 == 0) p.z() = at.z();
      soup.push_back(p);
    }
  }
  return partFromTriangles(soup, "strewn");
}

/// Where a ray meets a triangle, by solving for the three unknowns.
double rayMeets(const Vec3& from, const Vec3& along, const Vec3& a, const Vec3& b, const Vec3& c) {
  Mat3 m;
  m << along, a - b, a - c;
  if (std::abs(m.determinant()) < 1e-12) return 1e300;
  const Vec3 x = m.inverse() * (a - from);
  return x.y() >= 0 && x.z() >= 0 && x.y() + x.z() <= 1 && x.x() >= 0 ? x.x() : 1e300;
}

double areaOf(const Outline& o) {
  double a = 0;
  for (std::size_t i = 0; i < o.size(); ++i) {
    const Vec2 &p = o[i], &q = o[(i + 1) % o.size()];
    a += 0.5 * (p.x() * q.y() - p.y() * q.x());
  }
  return a;
}

Outline circle(const Vec2& at, double radius, bool hole = false, int n = 720) {
  Outline o;
  for (int i = 0; i < n; ++i) {
    const double t = 2 * kPi * i / n * (hole ? -1 : 1);
    o.push_back(at + radius * Vec2(std::cos(t), std::sin(t)));
  }
  return o;
}

Outline square(const Vec2& low, double side) {
  return {low, low + Vec2(side, 0), low + Vec2(side, side), low + Vec2(0, side)};
}

} // namespace

class TestGeometry : public QObject {
  Q_OBJECT
private slots:
  void raysFindTheFirstTriangle() {
    std::mt19937 random(3);
    std::uniform_real_distribution<double> u(-1, 1);
    const auto part = strewn(5, 300);
    const Mesh& m = part->mesh;
    int hits = 0;
    for (int i = 0; i < 600; ++i) {
      const Vec3 from(25 * u(random), 25 * u(random), 25 * u(random));
      Vec3 along = Vec3(u(random), u(random), u(random)).normalized();
      if (i % 4 == 0) along = Vec3::Unit(i / 4 % 3) * (i % 8 ? 1 : -1); // along the boxes' sides too
      double best = 1e300;
      for (std::size_t t = 0; t < m.triangles.size(); ++t)
        best = std::min(best, rayMeets(from, along, m.corner(t, 0), m.corner(t, 1), m.corner(t, 2)));
      const RayHit hit = castRay(*part->tree, from, along);
      if (hit.hit) {
        QVERIFY(castRay(*part->tree, from, along, hit.distance + 1e-9).triangle >= 0);
        QVERIFY(!castRay(*part->tree, from, along, hit.distance - 1e-9).hit);
      }
      QCOMPARE(hit.hit, best < 1e299);
      if (!hit.hit) continue;
      ++hits;
      QVERIFY(std::abs(hit.distance - best) < 1e-9);
      const auto t = static_cast<std::size_t>(hit.triangle);
      const Vec3 there = (1 - hit.u - hit.v) * m.corner(t, 0) + hit.u * m.corner(t, 1) + hit.v * m.corner(t, 2);
      QVERIFY((there - from - hit.distance * along).norm() < 1e-9);
    }
    QVERIFY(hits > 100);
  }

  void nothingIsLostFarFromTheOrigin() {
    // The tree's boxes are single precision: relative to its own origin, so a kilometre away nothing changes.
    const Vec3 far(1e6, -2e6, 5e5);
    std::vector<Vec3> soup;
    const auto near = strewn(9, 200);
    for (std::size_t t = 0; t < near->mesh.triangles.size(); ++t)
      for (std::size_t k = 0; k < 3; ++k) soup.push_back(near->mesh.corner(t, k) + far);
    const auto moved = partFromTriangles(soup, "moved");
    std::mt19937 random(4);
    std::uniform_real_distribution<double> u(-1, 1);
    for (int i = 0; i < 200; ++i) {
      const Vec3 p(30 * u(random), 30 * u(random), 30 * u(random));
      const double a = closestPoint(*near->tree, p).distance, b = closestPoint(*moved->tree, p + far).distance;
      QVERIFY2(std::abs(a - b) < 1e-8, qPrintable(QString("%1 and %2").arg(a).arg(b)));
      double brute = 1e300;
      for (std::size_t t = 0; t < near->mesh.triangles.size(); ++t)
        brute =
            std::min(brute, (p - closestOnTriangle(p, near->mesh.corner(t, 0), near->mesh.corner(t, 1), near->mesh.corner(t, 2))).norm());
      QVERIFY(std::abs(a - brute) < 1e-12);
      // With a limit below the distance there is nothing, above it the same.
      QCOMPARE(closestPoint(*near->tree, p, 0.999 * a).triangle, -1);
      QVERIFY(std::abs(closestPoint(*near->tree, p, 1.001 * a + 1e-9).distance - a) < 1e-12);
    }
  }

  void closestOnATriangleIsInItAndClosest() {
    std::mt19937 random(8);
    std::uniform_real_distribution<double> u(-1, 1);
    for (int i = 0; i < 400; ++i) {
      const Vec3 a(u(random), u(random), u(random)), b(u(random), u(random), u(random));
      const Vec3 c = i % 5 ? Vec3(u(random), u(random), u(random)) : Vec3(a + 0.5 * (b - a)); // flat ones too
      const Vec3 p = 3 * Vec3(u(random), u(random), u(random)), q = closestOnTriangle(p, a, b, c);
      double best = 1e300;
      for (int k = 0; k <= 60; ++k)
        for (int l = 0; k + l <= 60; ++l) best = std::min(best, (p - a - (b - a) * (k / 60.0) - (c - a) * (l / 60.0)).norm());
      QVERIFY((p - q).norm() <= best + 1e-12 && (p - q).norm() > best - 0.05);
      // It lies in the triangle.
      Vec3 on, off;
      const double rim =
          std::min({distanceSegments(q, q, a, b, on, off), distanceSegments(q, q, b, c, on, off), distanceSegments(q, q, c, a, on, off)});
      const Vec3 n = (b - a).cross(c - a);
      if (rim > 1e-9) {
        QVERIFY(std::abs((q - a).dot(n)) < 1e-9 * std::max(1.0, n.norm()));
        for (const auto& [x, y] : {std::pair(a, b), std::pair(b, c), std::pair(c, a)}) QVERIFY((y - x).cross(q - x).dot(n) >= -1e-12);
      }
    }
  }

  void segmentsAreAsFarAsBruteForceSays() {
    std::mt19937 random(12);
    std::uniform_real_distribution<double> u(-1, 1);
    for (int i = 0; i < 300; ++i) {
      const Vec3 p(u(random), u(random), u(random)), a(u(random), u(random), u(random));
      Vec3 q(u(random), u(random), u(random)), b(u(random), u(random), u(random));
      if (i % 6 == 0) q = p;                 // a point
      if (i % 7 == 0) b = a + 0.7 * (q - p); // parallel
      Vec3 on, off;
      const double d = distanceSegments(p, q, a, b, on, off);
      QVERIFY(std::abs((on - off).norm() - d) < 1e-12);
      double best = 1e300;
      for (int k = 0; k <= 200; ++k)
        for (int l = 0; l <= 200; ++l) best = std::min(best, (p + (q - p) * (k / 200.0) - a - (b - a) * (l / 200.0)).norm());
      QVERIFY(d <= best + 1e-12 && d > best - 0.03);
      QVERIFY(std::abs(distanceSegments(a, b, q, p, on, off) - d) < 1e-9); // whichever way they are named
    }
  }

  void framesAndTurnsAreTrue() {
    std::mt19937 random(1);
    std::uniform_real_distribution<double> u(-1, 1);
    for (int i = 0; i < 300; ++i) {
      Vec3 axis = Vec3(u(random), u(random), u(random)).normalized();
      if (i < 6) axis = Vec3::Unit(i % 3) * (i < 3 ? 1 : -1);
      Vec3 e1, e2;
      frameAround(axis, e1, e2);
      Mat3 m;
      m << e1, e2, axis;
      QVERIFY((m.transpose() * m - Mat3::Identity()).norm() < 1e-14 && std::abs(m.determinant() - 1) < 1e-14);
      const Vec3 other = Vec3(u(random), u(random), u(random)).normalized();
      const double whole = angleBetween(axis, other);
      QVERIFY(std::abs(whole - std::acos(std::clamp(axis.dot(other), -1.0, 1.0))) < 1e-7);
      for (const double x : {0.0, 0.3, 1.0}) {
        const Vec3 between = slerp(axis, other, x);
        QVERIFY(std::abs(between.norm() - 1) < 1e-14);
        QVERIFY(std::abs(angleBetween(axis, between) - x * whole) < 1e-9);
        QVERIFY(std::abs(angleBetween(between, other) - (1 - x) * whole) < 1e-9);
      }
    }
    const Vec3 z = Vec3::UnitZ(), near = Vec3(1e-9, 0, 1).normalized();
    QVERIFY(std::abs(angleBetween(z, near) - 1e-9) < 1e-15); // where a cosine would say nothing
  }

  void outlinesAddAndTakeAway() {
    const Outlines a{square({0, 0}, 10)}, b{square({5, 5}, 10)};
    QVERIFY(std::abs(regionArea(intersect(a, b)) - 25) < 1e-6);
    QVERIFY(std::abs(regionArea(subtract(a, b)) - 75) < 1e-6);
    QVERIFY(std::abs(regionArea(subtract(b, a)) - 75) < 1e-6);
    const Outlines holed = subtract({square({0, 0}, 20)}, {square({5, 5}, 10)});
    QCOMPARE(holed.size(), std::size_t{2});
    QVERIFY(std::abs(regionArea(holed) - 300) < 1e-6);
    int holes = 0;
    for (const Outline& o : holed) holes += areaOf(o) < 0;
    QCOMPARE(holes, 1);
    QVERIFY(regionContains(holed, {2, 2}) && !regionContains(holed, {10, 10}) && !regionContains(holed, {30, 2}));
    // An island within the hole is a part of its own.
    Outlines three = holed;
    three.push_back(square({8, 8}, 2));
    const auto parts = connectedParts(three);
    QCOMPARE(parts.size(), std::size_t{2});
    double total = 0;
    for (const Outlines& p : parts) total += regionArea(p);
    QVERIFY(std::abs(total - 304) < 1e-6);
    QVERIFY(regionArea(intersect(a, {square({50, 50}, 1)})) == 0);
  }

  void offsetsFollowSteiner() {
    // A convex outline grows by area + d * length + pi d^2, and shrinks to nothing at its inner radius.
    const Outlines a{square({-10, -10}, 20)};
    for (const double d : {0.5, 3.0, 8.0}) {
      QVERIFY(std::abs(regionArea(offset(a, d)) - (400 + 80 * d + kPi * d * d)) < 0.2);
      QVERIFY(std::abs(regionArea(offset(a, -d)) - std::pow(20 - 2 * d, 2)) < 1e-3);
    }
    QVERIFY(offset(a, -10.01).empty());
    // A ring grows on both sides; its hole closes.
    const Outlines ring{circle({0, 0}, 20), circle({0, 0}, 6, true)};
    const double chord = kPi * (400 - 36) - regionArea(ring); // of the outline itself
    QVERIFY(chord > 0 && chord < 0.1);
    QVERIFY(std::abs(regionArea(offset(ring, 2)) - kPi * (22 * 22 - 4 * 4)) < 0.5);
    QVERIFY(std::abs(regionArea(offset(ring, -2)) - kPi * (18 * 18 - 8 * 8)) < 0.5);
    QCOMPARE(offset(ring, 6.5).size(), std::size_t{1});
    QVERIFY(offset(ring, -7.1).empty());
    // Two squares that an offset joins, and that come apart again.
    const Outlines two{square({0, 0}, 10), square({11, 0}, 10)};
    QCOMPARE(connectedParts(offset(two, 0.6)).size(), std::size_t{1});
    QCOMPARE(connectedParts(offset(offset(two, 0.4), -0.4)).size(), std::size_t{2});
  }

  void linesAreClippedInPieces() {
    const Outlines ring = subtract({square({0, 0}, 20)}, {square({5, 5}, 10)});
    const auto pieces = clipLines({{Vec2(-5, 10), Vec2(25, 10)}, {Vec2(1, 1), Vec2(19, 1), Vec2(19, 19)}}, ring);
    QCOMPARE(pieces.size(), std::size_t{3});
    double length = 0;
    for (const Outline& p : pieces)
      for (std::size_t i = 1; i < p.size(); ++i) {
        length += (p[i] - p[i - 1]).norm();
        QVERIFY(regionContains(offset(ring, 1e-3), 0.5 * (p[i] + p[i - 1])));
      }
    QVERIFY(std::abs(length - (5 + 5 + 18 + 18)) < 1e-4);
    QVERIFY(clipLines({{Vec2(6, 6), Vec2(9, 9)}}, ring).empty());
  }

  void contoursFindWhatTheGridSees() {
    // Two lobes with a hole in one; crossings are placed by the field itself, so the outline is as good as the field.
    const auto value = [](const Vec2& p) {
      return std::max(std::min(5 - (p - Vec2(-7, 0)).norm(), (p - Vec2(-7, 0)).norm() - 2), 4 - (p - Vec2(7, 1)).norm());
    };
    const Grid grid{{-15, -9}, 0.25, 121, 73};
    const Outlines r = contour(
        grid, [&](int i, int j) { return value(grid.at(i, j)) > 0; },
        [&](const Vec2& in, const Vec2& out) {
          Vec2 a = in, b = out;
          for (int k = 0; k < 50; ++k) (value(0.5 * (a + b)) > 0 ? a : b) = 0.5 * (a + b);
          return a;
        });
    QCOMPARE(r.size(), std::size_t{3});
    QVERIFY(std::abs(regionArea(r) - kPi * (25 - 4 + 16)) < 0.2);
    for (const Outline& o : r)
      for (const Vec2& p : o) QVERIFY(std::abs(value(p)) < 1e-6);
    std::mt19937 random(2);
    std::uniform_real_distribution<double> u(-1, 1);
    for (int i = 0; i < 500; ++i) {
      const Vec2 p(14 * u(random), 8 * u(random));
      if (std::abs(value(p)) > 0.02) QCOMPARE(regionContains(r, p), value(p) > 0);
    }
    // A field that is full up to the rim is closed there.
    const Outlines full = contour(
        grid, [](int, int) { return true; }, [](const Vec2& in, const Vec2& out) { return Vec2(0.5 * (in + out)); });
    QCOMPARE(full.size(), std::size_t{1});
    QVERIFY(regionArea(full) > 29 * 17);
  }
};

QTEST_APPLESS_MAIN(TestGeometry)
#include "tst_geometry.moc"
