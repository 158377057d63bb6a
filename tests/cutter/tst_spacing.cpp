// Step-over and cusp of two passes: closed forms, and a cutter sampled as it stands on the ground.
#include "cutter/spacing.h"
#include "shapes.h"
#include <QtTest>

using namespace hemline;

namespace {

Profile of(CutterKind kind, double diameter, double corner = 0) {
  Cutter c;
  c.kind = kind, c.diameter = diameter, c.corner = corner, c.fluteLength = 20, c.shankDiameter = diameter, c.shankFrom = 20, c.length = 60;
  return makeProfile(c);
}

/// Heights over plane ground of all places of a body of revolution that lie beside one another, as a straight pass leaves them.
double sampled(const Profile& profile, const SpacingGround& g, double step) {
  const double s = std::sin(g.slope), c = std::cos(g.slope);
  const auto across = [&](const Vec3& p) { return g.uphill ? p.y() : p.x() * c - p.z() * s; };
  const auto over = [&](const Vec3& p) { return p.x() * s + p.z() * c; };
  constexpr int kCells = 900;
  const double wide = 2 * profile.maxRadius() + 40;
  std::vector<double> low(kCells, kInfinity);
  double least = kInfinity, touched = 0;
  for (int i = 0; i <= 1500; ++i)
    for (int k = 0; k < 1500; ++k) {
      // Its lower side, and the cylinder above.
      const double r = profile.maxRadius() * std::sqrt(std::min(1.0, i / 1000.0)), a = 2 * kPi * k / 1500;
      const Vec3 p(r * std::cos(a), r * std::sin(a), profile.height(r) + 0.02 * std::max(0, i - 1000));
      const double u = across(p), h = over(p);
      double& cell = low[std::size_t((u / wide + 0.5) * kCells)];
      cell = std::min(cell, h);
      if (h < least) least = h, touched = u;
    }
  double crest = 0;
  const auto at = [&](double u) { return low[std::size_t(std::clamp((u / wide + 0.5) * kCells, 0.0, kCells - 1.0))]; };
  for (double u = touched; u <= touched + step; u += wide / kCells) crest = std::max(crest, std::min(at(u), at(u - step)) - least);
  return crest;
}

} // namespace

class TestSpacing : public QObject {
  Q_OBJECT

private slots:
  void ballsAsInTheBooks() {
    const double R = 4;
    const Profile ball = of(CutterKind::Ball, 2 * R);
    for (const double slope : {0.0, 0.3, 1.0})
      for (const bool uphill : {false, true}) {
        const PassShadow shadow(ball, {slope, 0, uphill});
        for (const double s : {0.02, 0.25, 1.0, 4.0}) {
          const double h = R - std::sqrt(R * R - s * s / 4);
          QVERIFY2(std::abs(shadow.cusp(s) - h) < 1e-9 + 1e-6 * h, qPrintable(QString("%1: %2 of %3").arg(s).arg(shadow.cusp(s)).arg(h)));
          QVERIFY(std::abs(shadow.step(h) - s) < 1e-3 * s);
        }
        QVERIFY(std::abs(contactRadius(ball, slope) - R * std::sin(slope)) < 1e-6);
      }
    for (const double bend : {0.05, -0.1}) { // to the second order
      const double s = 0.2, h = s * s / 8 * (1 / R + bend);
      QVERIFY(std::abs(PassShadow(ball, {0.4, bend, false}).cusp(s) / h - 1) < 2e-3);
    }
    QVERIFY(PassShadow(ball, {0, -0.3, false}).cusp(1) == kInfinity); // a hollow of 3.3 mm
  }

  void flatsAndCorners() {
    const Profile flat = of(CutterKind::Flat, 10), bull = of(CutterKind::BullNose, 10, 2);
    QCOMPARE(PassShadow(flat, {0, 0, false}).cusp(9.9), 0.0);
    QVERIFY(PassShadow(flat, {0, 0, false}).step(0.01) > 9.99);
    QVERIFY(PassShadow(bull, {0, 0, false}).cusp(5.9) < 1e-9);
    QVERIFY(std::abs(PassShadow(bull, {0, 0, false}).cusp(8) - (2 - std::sqrt(3.0))) < 1e-6); // a millimetre out on both corners
    QVERIFY(std::abs(contactRadius(flat, 0) - 5) < 1e-6 && std::abs(contactRadius(bull, 0.5) - (3 + 2 * std::sin(0.5))) < 1e-6);
    // Level passes on a slope see the corner, those that run uphill an ellipse of the whole cutter.
    const double s = 0.3, lean = 0.7;
    QVERIFY(std::abs(PassShadow(bull, {lean, 0, false}).cusp(s) / (2 - std::sqrt(4 - s * s / 4)) - 1) < 1e-4);
    QVERIFY(std::abs(PassShadow(bull, {lean, 0, true}).cusp(s) / (s * s / 8 / (2 + 3 / std::sin(lean))) - 1) < 0.01);
    // A flat's steps down a slope are a right angle's: s sin cos.
    QVERIFY(std::abs(PassShadow(flat, {lean, 0, false}).cusp(s) - s * std::sin(lean) * std::cos(lean)) < 1e-5);
  }

  void everyCutterAgainstItsOwnPoints() {
    for (const Cutter& c : shapes::cutters()) {
      const Profile profile = makeProfile(c);
      for (const double slope : {0.0, 0.5, 1.1})
        for (const bool uphill : {false, true}) {
          const PassShadow shadow(profile, {slope, 0, uphill});
          const double s = 0.4 * profile.maxRadius(), truth = sampled(profile, {slope, 0, uphill}, s), h = shadow.cusp(s);
          QVERIFY2(std::abs(h - truth) < 0.06, qPrintable(QString("%1 at %2: %3 of %4").arg(c.name.c_str()).arg(slope).arg(h).arg(truth)));
          for (double wide = 0.1 * s, before = 0; wide < 2 * s; wide *= 1.3) {
            const double now = shadow.cusp(wide);
            QVERIFY(now >= before - 1e-9);
            before = now;
          }
        }
    }
  }

  void chipsThin() {
    const Profile flat = of(CutterKind::Flat, 10), ball = of(CutterKind::Ball, 10);
    QVERIFY(std::abs(thickestChip(flat, 0.1, 5, 2) - 0.1) < 1e-6);                              // half the diameter, an upright edge
    QVERIFY(std::abs(thickestChip(flat, 0.1, 1, 2) - 0.1 * 2 * std::sqrt(0.09)) < 1e-6);        // a tenth
    QVERIFY(std::abs(thickestChip(ball, 0.1, 5, 0.5) / (0.1 * std::sqrt(1 - 0.81)) - 1) < 0.1); // by the lean of the edge at a tenth
    QCOMPARE(thickestChip(ball, 0.1, 1, 0), 0.0);
  }
};

QTEST_APPLESS_MAIN(TestSpacing)
#include "tst_spacing.moc"
