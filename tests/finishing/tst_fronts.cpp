// Fields by distance against closed forms: along the surface, and in the cusp metric, in several orientations and nets.
#include "finishing/fronts.h"
#include "shapes.h"
#include "study/ball_border.h"
#include <QtTest>

using namespace hemline;

namespace {

Progress quiet;

Profile ball(double R) {
  Cutter c;
  c.kind = CutterKind::Ball, c.diameter = 2 * R, c.fluteLength = 3 * R, c.shankDiameter = 2 * R;
  return makeProfile(c);
}

/// Largest and mean difference of the field from `truth` at points that `counts`.
struct Off {
  double mean = 0, most = 0;
  int points = 0;
};
Off offFrom(const FineMesh& fine, const Fronts& f, const std::function<double(const Vec3&)>& truth,
            const std::function<bool(const Vec3&)>& counts) {
  Off o;
  for (std::size_t p = 0; p < fine.part->mesh.points.size(); ++p) {
    const Vec3& x = fine.part->mesh.points[p];
    if (!counts(x)) continue;
    const double d = std::abs(f.value[p] - truth(x));
    o.mean += d, o.most = std::max(o.most, d), ++o.points;
  }
  o.mean /= std::max(1, o.points);
  return o;
}

} // namespace

class TestFronts : public QObject {
  Q_OBJECT

private slots:
  /// Cutter's curvature on ground that leans, against the closed forms of measures.md.
  void cuttersBendAsTheBooksSay() {
    const Vec3 n = Vec3::UnitZ();
    const auto leaned = [](double a) { return Vec3(std::sin(a), 0, std::cos(a)); };
    for (const Cutter& c : shapes::cutters()) {
      if (c.kind != CutterKind::Flat && c.kind != CutterKind::Ball && c.kind != CutterKind::BullNose) continue;
      for (const double a : {radians(2), radians(20), radians(60)}) {
        const Mat3 k = cutterCurvature(makeProfile(c), n, leaned(a));
        const double R = c.diameter / 2, r = c.kind == CutterKind::Ball ? R : c.corner;
        // Across the lean: r + Rc / sin a; along it the corner.
        QVERIFY2(std::abs(1 / k(1, 1) - (r + (R - r) / std::sin(a))) < 1e-6, c.name.c_str());
        QVERIFY2(std::abs(k(0, 0) - 1 / std::max(r, 0.05)) < 1e-6 && std::abs(k(0, 1)) < 1e-9, c.name.c_str());
      }
    }
  }

  void distancesAlongTheSurface() {
    const Profile cutter = ball(4);
    for (const Mat3& turn : shapes::orientations())
      for (const int cells : {14, 37}) {
        // Half a cylinder of radius 10, 30 long: unrolled it is a plane.
        const double rho = 10;
        std::vector<Vec3> soup;
        const auto on = [&](int i, int j) {
          const double a = std::numbers::pi * i / cells, y = 30.0 * j / cells;
          return Vec3(turn * Vec3(rho * std::cos(a), y, rho * std::sin(a)));
        };
        for (int i = 0; i < cells; ++i)
          for (int j = 0; j < cells; ++j)
            for (const Vec3& p : {on(i, j), on(i, j + 1), on(i + 1, j + 1), on(i, j), on(i + 1, j + 1), on(i + 1, j)}) soup.push_back(p);
        const auto part = partFromTriangles(soup, "half pipe", 3.0);
        const std::vector<char> all(part->mesh.triangles.size(), 1);
        const FineMesh fine = fineMesh(part, 1.5);
        const auto flat = [&](const Vec3& p) {
          const Vec3 q = turn.transpose() * p;
          const double a = std::atan2(q.z(), q.x());
          return Vec2(rho * (a < -1 ? a + 2 * std::numbers::pi : a), q.y());
        };
        FrontsAsk ask;
        ask.metric.cusp = 0.01, ask.lay.byCusp = false, ask.metric.up = shapes::up(turn);
        const double width = std::numbers::pi * rho, side = width / cells;
        const auto anywhere = [](const Vec3&) { return true; };
        // From the border: the nearest of four sides.
        const Fronts border = planFronts(fine, fine.flags(all), cutter, ask, quiet);
        const Off b = offFrom(
            fine, border,
            [&](const Vec3& p) {
              const Vec2 u = flat(p);
              return std::min({u.x(), width - u.x(), u.y(), 30 - u.y()});
            },
            anywhere);
        QVERIFY2(b.mean < 0.01 * side && b.most < 0.3 * side, qPrintable(QString("border %1 %2").arg(b.mean).arg(b.most)));
        // From a straight rail along it, and from a place.
        ask.lay.from = {{turn * Vec3(0, 3, rho), turn * Vec3(0, 27, rho)}};
        const Off r = offFrom(
            fine, planFronts(fine, fine.flags(all), cutter, ask, quiet), [&](const Vec3& p) { return std::abs(flat(p).x() - width / 2); },
            [&](const Vec3& p) { return flat(p).y() > 4 && flat(p).y() < 26; });
        QVERIFY2(r.mean < 0.02 * side && r.most < 0.1 * side, qPrintable(QString("rail %1 %2").arg(r.mean).arg(r.most)));
        ask.lay.from = {{turn * Vec3(0, 15, rho)}};
        const Off c = offFrom(
            fine, planFronts(fine, fine.flags(all), cutter, ask, quiet),
            [&](const Vec3& p) { return (flat(p) - Vec2(width / 2, 15)).norm(); }, anywhere);
        QVERIFY2(c.mean < 0.05 * side && c.most < 0.2 * side, qPrintable(QString("place %1 %2").arg(c.mean).arg(c.most)));
      }
  }

  /// A disc from its middle ends as far away all round: its last pass lies half a step before the border, whatever its size.
  void aDiscEndsHalfAStepBeforeItsBorder() {
    for (const Mat3& turn : shapes::orientations())
      for (const double radius : {10.0, 10.2, 10.4}) {
        std::vector<Vec3> soup;
        const auto at = [&](int i, int j) {
          const double r = radius * j / 40, a = 2 * kPi * (i % 120) / 120;
          return Vec3(turn * Vec3(r * std::cos(a), r * std::sin(a), 0));
        };
        for (int i = 0; i < 120; ++i)
          for (int j = 0; j < 40; ++j) {
            for (const Vec3& p : {at(i, j), at(i, j + 1), at(i + 1, j + 1)}) soup.push_back(p);
            if (j > 0)
              for (const Vec3& p : {at(i, j), at(i + 1, j + 1), at(i + 1, j)}) soup.push_back(p);
          }
        const auto part = partFromTriangles(soup, "disc", 3.0);
        const FineMesh fine = fineMesh(part, 1);
        FrontsAsk ask;
        ask.metric.cusp = 0.01, ask.metric.up = shapes::up(turn), ask.lay.byCusp = false;
        ask.lay.from = {{turn * Vec3(0, 0, 0)}};
        const Fronts f = planFronts(fine, std::vector<char>(fine.part->mesh.triangles.size(), 1), ball(4), ask, quiet);
        const double left = (radius - f.levels.back()) / f.step;
        QVERIFY2(std::abs(left - 0.5) < 0.1, qPrintable(QString("%1 of a step, radius %2").arg(left).arg(radius)));
      }
  }

  /// In passes: a cylinder's ground counts R_eff across its generators and R along them.
  void distancesInPasses() {
    const double R = 4, h = 0.01;
    for (const Mat3& turn : shapes::orientations())
      for (const double rho : {10.0, -6.0}) { // convex, concave
        const auto part = shapes::field(
            -4, 4, -8, 8, 60, 20,
            [&](double x, double) { return std::copysign(1.0, rho) * (std::sqrt(rho * rho - x * x) - std::abs(rho)); }, turn);
        const std::vector<char> all(part->mesh.triangles.size(), 1);
        const FineMesh fine = fineMesh(part, 0.6);
        FrontsAsk ask;
        ask.metric.cusp = h, ask.metric.up = shapes::up(turn);
        const auto local = [&](const Vec3& p) { return Vec3(turn.transpose() * p); };
        const double around = std::sqrt(8 * h / (1 / R + 1 / rho)), along = std::sqrt(8 * h * R);
        const auto inside = [&](const Vec3& p) { return std::abs(local(p).x()) < 3 && std::abs(local(p).y()) < 6.5; };
        ask.lay.from = {{turn * Vec3(0, -8, 0), turn * Vec3(0, 8, 0)}};
        const Off a = offFrom(
            fine, planFronts(fine, fine.flags(all), ball(R), ask, quiet),
            [&](const Vec3& p) { return std::abs(rho) * std::asin(std::abs(local(p).x() / rho)) / around; }, inside);
        QVERIFY2(a.most < 0.03 * 4 / around, qPrintable(QString("around %1: %2 %3").arg(rho).arg(a.mean).arg(a.most)));
        ask.lay.from[0].clear();
        for (int i = -20; i <= 20; ++i) {
          const double x = 4.0 * i / 20;
          ask.lay.from[0].push_back(turn * Vec3(x, 0, std::copysign(1.0, rho) * (std::sqrt(rho * rho - x * x) - std::abs(rho))));
        }
        const Off b = offFrom(
            fine, planFronts(fine, fine.flags(all), ball(R), ask, quiet), [&](const Vec3& p) { return std::abs(local(p).y()) / along; },
            inside);
        QVERIFY2(b.most < 0.03 * 8 / along, qPrintable(QString("along %1: %2 %3").arg(rho).arg(b.mean).arg(b.most)));
      }
  }

  /// In a groove of two planes, sharp or with a smaller fillet, a ball of radius R touches both at R / tan(half the angle between them)
  /// from where they would meet; one line runs along it.
  void ballsTouchTwice() {
    for (const Mat3& turn : shapes::orientations())
      for (const double slope : {0.8, 2.0})
        for (const double fillet : {0.0, 1.0})
          for (const double cell : {0.43, 1.1}) {
            const double R = 2.5, half = kPi / 2 - std::atan(slope), away = R / std::tan(half);
            const auto part = partFromTriangles(shapes::groove(slope, fillet, cell, turn), "groove");
            const FineMesh fine = fineMesh(part, 1);
            const std::vector<char> all(fine.part->mesh.triangles.size(), 1);
            const BallBorder b = ballBorder(*part, fine, all, R, quiet);
            const auto off = [&](const Vec3& p) {
              const Vec3 q = turn.transpose() * p;
              return std::abs(std::hypot(q.y(), q.z()) - away);
            };
            QVERIFY(b.pieces.size() > 20);
            // Beside an arc of facets balls may enter by what facets of their length would stand before it.
            const double near = fillet > 0 ? 0.06 : 0.002;
            for (const LineOn& l : b.pieces) QVERIFY2(off(l.a) < near && off(l.b) < near, qPrintable(QString::number(off(l.a))));
            QCOMPARE(b.lines.size(), std::size_t(1));
            double length = 0;
            for (std::size_t i = 1; i < b.lines[0].size(); ++i) length += (b.lines[0][i] - b.lines[0][i - 1]).norm();
            QVERIFY2(std::abs(length - 30) < 0.01, qPrintable(QString::number(length)));
            if (fillet > 0) QVERIFY(ballBorder(*part, fine, all, 0.5 * fillet, quiet).pieces.empty());
          }
  }

  void whatFrontsCannotDoIsSaid() {
    auto soup = shapes::box({0, 0, 0}, {10, 10, 10});
    const auto more = shapes::box({20, 0, 0}, {30, 10, 10});
    soup.insert(soup.end(), more.begin(), more.end());
    const auto part = partFromTriangles(soup, "two boxes");
    const FineMesh fine = fineMesh(part, 1);
    QVERIFY(std::abs(fine.part->mesh.area() - part->mesh.area()) < 1e-9);
    const std::vector<char> all(fine.part->mesh.triangles.size(), 1);
    FrontsAsk ask;
    ask.metric.cusp = 0.01;
    QVERIFY_EXCEPTION_THROWN(planFronts(fine, all, ball(4), ask, quiet), Error); // no border
    ask.lay.from = {{{1, 1, 10}, {9, 9, 10}}};
    QVERIFY_EXCEPTION_THROWN(planFronts(fine, all, ball(4), ask, quiet), Error); // the other box
  }
};

QTEST_APPLESS_MAIN(TestFronts)
#include "tst_fronts.moc"
