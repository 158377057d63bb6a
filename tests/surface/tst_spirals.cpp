// Loops wound into spirals: on cones, where all of it is known, and on ground with several summits.
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

  /// Each summit, or bottom, of several in one ground has a spiral of its own, within that which goes round more of them; everywhere the
  /// next line is at most about half a level away.
  void severalSummits_data() {
    QTest::addColumn<std::vector<Vec3>>("summits"); // x, y, height
    QTest::newRow("two") << std::vector<Vec3>{{5, 0, 6}, {-5, 0, 4}};
    QTest::newRow("two of two") << std::vector<Vec3>{{6, 0, 6}, {-5, -4, 4.1}, {-5, 4, 3.7}};
  }
  void severalSummits() {
    QFETCH(std::vector<Vec3>, summits);
    const auto height = [&](double x, double y) {
      double z = 0;
      for (const Vec3& s : summits) z += s.z() * std::exp(-((x - s.x()) * (x - s.x()) + (y - s.y()) * (y - s.y())) / (3 * s.z()));
      return z;
    };
    for (const int sense : {1, -1})
      for (const Mat3& turn : shapes::orientations()) {
        const auto part = shapes::field(
            -15, 15, -12, 12, 120, 96, [&](double x, double y) { return sense * height(x, y); }, turn);
        const ContactMesh contacts(*part, radians(60));
        const FieldOf field(ParallelPlanes{shapes::up(turn), 0});
        const std::vector<char> all(part->mesh.triangles.size(), 1);
        const LevelLines lines(contacts, field, all);
        std::vector<double> levels;
        for (double l = 0.4; l < 5.9; l += 0.25) levels.push_back(sense * l);
        std::sort(levels.begin(), levels.end());
        for (const bool rising : {true, false}) {
          const auto found = spiralLines(lines, {levels, shapes::up(turn), rising});
          std::size_t wound = 0, broken = 0, others = 0;
          std::vector<Vec3> places;
          for (const SpiralLine& l : found) {
            wound += l.wound;
            others += l.wound ? 0 : l.pieces.size(); // in saddles
            for (std::size_t k = 0; k < l.pieces.size(); ++k) {
              const LinePiece& p = l.pieces[k];
              const Vec3 a = turn.transpose() * contacts.placeAt(p.element, p.in.x(), p.in.y()).point,
                         b = turn.transpose() * contacts.placeAt(p.element, p.out.x(), p.out.y()).point;
              broken += k > 0 && (a - places.back()).norm() > 1e-6;
              places.insert(places.end(), {a, 0.5 * (a + b), b});
            }
          }
          double most = 0;
          for (int k = 0; k < 1500; ++k) {
            const double x = -14 + 28 * (k + 0.5) / 1500, y = 11 * (2 * std::fmod(0.618034 * k, 1.0) - 1), z = height(x, y);
            const bool top = std::any_of(summits.begin(), summits.end(), [&](const Vec3& s) {
              return std::hypot(x - s.x(), y - s.y()) < 2 && z > height(s.x(), s.y()) - 0.3; // within the innermost loop, or nearly
            });
            if (z < 0.42 || z > 5.7 || top) continue;
            const auto near = std::min_element(places.begin(), places.end(), [&](const Vec3& a, const Vec3& b) {
              return std::hypot(a.x() - x, a.y() - y) < std::hypot(b.x() - x, b.y() - y);
            });
            most = std::max(most, std::abs(std::abs(near->z()) - z));
          }
          const QString told =
              QString("%1 wound of %2, %3 broken, %4 of a level away").arg(wound).arg(found.size()).arg(broken).arg(most / 0.25);
          if (qEnvironmentVariableIsSet("TELL")) qInfo().noquote() << told;
          QVERIFY2(wound == summits.size() && others < 60 && broken == 0, qPrintable(told));
          QVERIFY2(most < 0.75 * 0.25, qPrintable(told));
        }
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
