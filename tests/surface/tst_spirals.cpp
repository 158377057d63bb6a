// Loops wound into spirals: on cones, where all of it is known, and on ground with two summits.
#include "shapes.h"
#include "surface/parallel_planes.h"
#include "surface/spiral_lines.h"
#include <QtTest>

using namespace hemline;

namespace {

/// A cone of radius 20, its tip up, 0.4 steep; without its tip where there is a hole.
std::shared_ptr<const Part> cone(int round, int rings, double hole, const Mat3& turn) {
  std::vector<Vec3> soup;
  const auto at = [&](int i, int j) {
    const double a = 2 * kPi * (i % round) / round, r = hole + (20 - hole) * j / rings;
    return Vec3(turn * Vec3(3 + r * std::cos(a), r * std::sin(a), 8 - 0.4 * r));
  };
  for (int i = 0; i < round; ++i)
    for (int j = 0; j < rings; ++j) {
      soup.insert(soup.end(), {at(i, j), at(i, j + 1), at(i + 1, j + 1)});
      if (j > 0 || hole > 0) soup.insert(soup.end(), {at(i, j), at(i + 1, j + 1), at(i + 1, j)});
    }
  return partFromTriangles(soup, "cone");
}

} // namespace

class TestSpirals : public QObject {
  Q_OBJECT

private slots:
  void loopsOfACone() {
    for (const Mat3& turn : shapes::orientations())
      for (const int round : {60, 131})
        for (const double hole : {0.0, 4.0}) {
          const auto part = cone(round, 23, hole, turn);
          const ContactMesh contacts(*part, radians(60));
          const std::vector<char> all(part->mesh.triangles.size(), 1);
          for (const int sense : {1, -1})
            for (const bool rising : {true, false}) {
              const FieldOf field(ParallelPlanes{sense * shapes::up(turn), 0});
              const LevelLines lines(contacts, field, all);
              const int count = 17;
              std::vector<double> levels;
              for (int k = 0; k < count; ++k) levels.push_back(sense * (0.3 + 5.4 * k / (count - 1)));
              std::sort(levels.begin(), levels.end());
              const auto found = spiralLines(lines, {levels, shapes::up(turn), rising});
              QCOMPARE(found.size(), 1u);
              QVERIFY(found.front().wound && !found.front().closed);
              // Higher ground lies on the left; the first and the last turn are whole loops.
              const double way = sense, step = levels[1] - levels[0];
              double turned = 0, length = 0, truth = 0;
              Vec3 before = Vec3::Zero();
              for (const LinePiece& p : found.front().pieces) {
                const Vec3 a = turn.transpose() * contacts.placeAt(p.element, p.in.x(), p.in.y()).point - Vec3(3, 0, 0),
                           b = turn.transpose() * contacts.placeAt(p.element, p.out.x(), p.out.y()).point - Vec3(3, 0, 0);
                if (length > 0) QVERIFY2((a - before).norm() < 1e-6, qPrintable(QString::number((a - before).norm())));
                before = b, length += (b - a).norm();
                turned += way * std::atan2(a.x() * b.y() - a.y() * b.x(), a.head<2>().dot(b.head<2>())) / (2 * kPi);
                const double gone = (sense * b.z() - levels[0]) / step, along = std::clamp(turned - 1, 0.0, count - 1.0);
                QVERIFY2(std::abs((rising ? gone : count - 1 - gone) - along) < 0.01,
                         qPrintable(QString("%1 levels after %2 turns").arg(gone).arg(turned)));
              }
              QVERIFY2(std::abs(turned - (count + 1)) < 2e-3, qPrintable(QString::number(turned)));
              for (int k = 0; k < 1000 * count; ++k) { // turn by turn, the ends twice as long
                const double n = (count - 1) * (k + 0.5) / (1000 * count);
                truth += 2 * kPi * (8 - sense * (levels[0] + n * step)) / 0.4 * (count - 1) / (1000 * count);
              }
              for (const double l : {levels.front(), levels.back()}) truth += 2 * kPi * (8 - sense * l) / 0.4;
              QVERIFY2(std::abs(length / truth - 1) < 0.004, qPrintable(QString("%1 of %2").arg(length).arg(truth)));
            }
        }
  }

  /// About the one summit it winds, about the other the loops stay; everywhere the next line is a level away.
  void twoSummits() {
    const auto height = [](double x, double y) {
      return 6 * std::exp(-((x - 5) * (x - 5) + y * y) / 18) + 4 * std::exp(-((x + 5) * (x + 5) + y * y) / 12);
    };
    for (const Mat3& turn : shapes::orientations()) {
      const auto part = shapes::field(-14, 14, -11, 11, 120, 96, height, turn);
      const ContactMesh contacts(*part, radians(60));
      const FieldOf field(ParallelPlanes{shapes::up(turn), 0});
      const std::vector<char> all(part->mesh.triangles.size(), 1);
      const LevelLines lines(contacts, field, all);
      std::vector<double> levels;
      for (double l = 0.4; l < 5.9; l += 0.25) levels.push_back(l);
      const auto found = spiralLines(lines, {levels, shapes::up(turn), true});
      std::size_t wound = 0, closed = 0;
      std::vector<double> atOther; // heights at which lines cross the way up to the lower summit, along y = 0 from x = -14 on
      for (const SpiralLine& l : found) {
        wound += l.wound, closed += l.closed;
        for (const LinePiece& p : l.pieces) {
          const Vec3 a = turn.transpose() * contacts.placeAt(p.element, p.in.x(), p.in.y()).point,
                     b = turn.transpose() * contacts.placeAt(p.element, p.out.x(), p.out.y()).point;
          if ((a.y() > 0.01) != (b.y() > 0.01) && a.x() < -5) atOther.push_back(a.z());
        }
      }
      QCOMPARE(wound, 1u);
      QVERIFY2(closed >= 4 && closed == found.size() - 1, qPrintable(QString("%1 of %2").arg(closed).arg(found.size())));
      std::sort(atOther.begin(), atOther.end());
      QVERIFY(std::abs(atOther.front() - 0.4) < 0.02 && atOther.back() > height(-5, 0) - 0.26);
      for (std::size_t k = 1; k < atOther.size(); ++k)
        QVERIFY2(atOther[k] - atOther[k - 1] < 0.26, qPrintable(QString("%1 to %2").arg(atOther[k - 1]).arg(atOther[k])));
    }
  }

  void whatDoesNotCloseHasNone() {
    const auto part = shapes::field(-10, 10, -10, 10, 30, 30, [](double x, double) { return 0.3 * x; });
    const ContactMesh contacts(*part, radians(60));
    const FieldOf field(ParallelPlanes{Vec3::UnitZ(), 0});
    const std::vector<char> all(part->mesh.triangles.size(), 1);
    QVERIFY(spiralLines(LevelLines(contacts, field, all), {{-1, 0, 1}, Vec3::UnitZ(), true}).empty());
  }
};

QTEST_APPLESS_MAIN(TestSpirals)
#include "tst_spirals.moc"
