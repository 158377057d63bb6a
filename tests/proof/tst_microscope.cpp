// Height maps, sections across the lay and roughness against closed forms.
#include "proof/microscope.h"
#include "proof/surface_proof.h"
#include "shapes.h"
#include <QtTest>

using namespace hemline;

namespace {

std::vector<double> wave(double amplitude, double length, double step, std::size_t n) {
  std::vector<double> z(n);
  for (std::size_t i = 0; i < n; ++i) z[i] = amplitude * std::sin(2 * kPi * double(i) * step / length) + 0.3 + 0.001 * double(i) * step;
  return z;
}

} // namespace

class TestMicroscope : public QObject {
  Q_OBJECT
private slots:
  void gaussianHalvesAtItsCutoff() {
    // ISO 16610-21: transmission of the mean line exp(-pi (alpha cutoff / wavelength)^2).
    const double step = 0.002, cutoff = 0.8;
    for (const double length : {0.4, 0.8, 2.4}) {
      std::vector<double> z(8001);
      for (std::size_t i = 0; i < z.size(); ++i) z[i] = std::cos(2 * kPi * (double(i) - 4000) * step / length);
      const double wanted = std::exp(-std::log(2.0) * cutoff * cutoff / (length * length));
      QVERIFY2(std::abs(gaussianMeanLine(z, step, cutoff)[4000] - wanted) < 1e-4, qPrintable(QString::number(length)));
    }
    QVERIFY(std::abs(gaussianMeanLine(std::vector<double>(100, 2.5), 0.01, 0.25)[3] - 2.5) < 1e-12);
  }

  void roughnessOfKnownProfiles_data() {
    QTest::addColumn<double>("width");
    QTest::addColumn<double>("cutoff");
    QTest::newRow("0.03") << 0.03 << 0.08;
    QTest::newRow("0.1") << 0.1 << 0.25;
    QTest::newRow("0.25") << 0.25 << 0.8;
    QTest::newRow("0.9") << 0.9 << 2.5;
    QTest::newRow("2.0") << 2.0 << 8.0;
  }

  void roughnessOfKnownProfiles() {
    QFETCH(double, width);
    QFETCH(double, cutoff);
    const double a = 0.001, step = width / 250;
    const auto n = static_cast<std::size_t>(6.3 * cutoff / step);
    // What the two Gaussian filters leave of this wavelength.
    const double noise = cutoff < 1 ? 0.0025 : cutoff < 3 ? 0.008 : 0.025;
    const double left = (1 - std::exp(-std::log(2.0) * cutoff * cutoff / (width * width))) *
                        (step < 0.5 * noise ? std::exp(-std::log(2.0) * noise * noise / (width * width)) : 1);
    const Roughness sine = roughnessOf(wave(a, width, step, n), step);
    QVERIFY(sine.known);
    QCOMPARE(sine.cutoff, cutoff);
    QCOMPARE(sine.sections, 5);
    QVERIFY(std::abs(sine.RSm / width - 1) < 0.002);
    QVERIFY2(std::abs(sine.Ra / (left * a * 2 / kPi) - 1) < 0.01, qPrintable(QString::number(sine.Ra)));
    QVERIFY(std::abs(sine.Rq / (left * a / std::sqrt(2.0)) - 1) < 0.01);
    QVERIFY(std::abs(sine.Rz / (left * 2 * a) - 1) < 0.005);
    // Rows of parabolas: Ra 4 h / (9 sqrt 3), Rq 2 h / (3 sqrt 5), Rz h, less the tips that lambda s rounds.
    std::vector<double> z(n);
    for (std::size_t i = 0; i < n; ++i) {
      const double x = std::remainder(double(i) * step, width) / (0.5 * width);
      z[i] = a * x * x;
    }
    const Roughness cusps = roughnessOf(z, step);
    QVERIFY(cusps.known && cusps.cutoff == cutoff);
    QVERIFY2(std::abs(cusps.Ra / (a * 4 / (9 * std::sqrt(3.0))) - 1) < 0.02, qPrintable(QString::number(cusps.Ra / a)));
    QVERIFY2(std::abs(cusps.Rq / (a * 2 / (3 * std::sqrt(5.0))) - 1) < 0.02, qPrintable(QString::number(cusps.Rq / a)));
    QVERIFY2(cusps.Rz < 1.001 * a && cusps.Rz > (1 - 4 * noise / width - 0.01) * a, qPrintable(QString::number(cusps.Rz / a)));
    // Too short for one section: said so. Room for two: two are evaluated.
    const std::vector<double> whole = wave(a, width, step, n);
    const auto cut = [&](double lengths) {
      return roughnessOf({whole.begin(), whole.begin() + static_cast<std::ptrdiff_t>(lengths * cutoff / step)}, step);
    };
    QVERIFY(!cut(1.5).known);
    QCOMPARE(cut(3.2).sections, 2);
  }

  void milledPlaneAndCylinder() {
    // Ball passes: the map's summit by the two-circle formula, Ra and Rz of the section, in three orientations.
    const double R = 4, s = 0.25;
    const Profile ball = makeProfile(shapes::cutters()[1]);
    for (const Mat3& turn : shapes::orientations())
      for (const double rho : {0.0, -30.0}) { // plane, concave cylinder with passes along its axis
        const int n = rho < 0 ? 4000 : 2;
        const auto hollow = [&](double y) { return rho < 0 ? -rho - std::sqrt(rho * rho - y * y) : 0.0; };
        const auto part = shapes::field(
            -6, 6, -5, 5, 2, n, [&](double, double y) { return hollow(y); }, turn);
        Path path;
        for (int k = -22; k <= 22; ++k) {
          const double t = rho < 0 ? k * 2 * std::asin(0.5 * s / -rho) : 0; // chord s between neighbouring contacts
          const Vec3 contact = rho < 0 ? Vec3(0, -rho * std::sin(t), -rho * (1 - std::cos(t))) : Vec3(0, k * s, 0);
          const Vec3 normal = rho < 0 ? Vec3(0, -std::sin(t), std::cos(t)) : Vec3(Vec3::UnitZ());
          for (const double x : {-6.0, 6.0}) {
            Location l = shapes::at(turn * (contact + R * normal - R * Vec3::UnitZ() + Vec3(x, 0, 0)), shapes::up(turn),
                                    x < 0 ? Motion::Rapid : Motion::Cut);
            l.contact = turn * (contact + Vec3(x, 0, 0)), l.normal = turn * normal;
            path.locations.push_back(l);
          }
        }
        // Height of the crest over the design surface.
        double h = R - std::sqrt(R * R - s * s / 4);
        if (rho < 0) {
          const double half = std::asin(0.5 * s / -rho), c = -rho - R; // centres at c, crest where both circles meet
          h = -rho - (c * std::cos(half) + std::sqrt(R * R - c * c * std::sin(half) * std::sin(half)));
        }
        const Spot spot = spotAt(*part, path, turn * Vec3(0.3, 0.02, 0.5));
        QVERIFY(std::abs(std::abs(spot.feed.dot(turn * Vec3::UnitX())) - 1) < 1e-6);
        const Path around = movesAround(path, ball, spot.at, 3); // all of them here, none of them far away
        QCOMPARE(around.locations.size(), path.locations.size());
        QVERIFY(movesAround(path, ball, spot.at + turn * Vec3(100, 0, 0), 3).locations.empty());
        const Sweep sweep(ball, around);
        const HeightMap map = heightMap(*part, sweep, spot, 0.6, 61);
        float most = 0;
        for (const float e : map.left) {
          QVERIFY(!std::isnan(e));
          most = std::max(most, e);
        }
        // The grid passes a crest within half a step; the facets of the cylinder lie off it by (10/4000)^2 / 8 / 30.
        QVERIFY2(most < h + 3e-8 && most > h * 0.85, qPrintable(QString("%1 of %2").arg(static_cast<double>(most)).arg(h)));
        const SpotRoughness found = roughnessAt(*part, path, ball, spot.at);
        QVERIFY(found.roughness.known);
        QCOMPARE(found.roughness.cutoff, 0.8);
        QCOMPARE(found.roughness.sections, 5);
        QVERIFY2(std::abs(found.roughness.RSm / s - 1) < 0.01, qPrintable(QString::number(found.roughness.RSm)));
        QVERIFY2(std::abs(found.roughness.Ra / (h * 4 / (9 * std::sqrt(3.0))) - 1) < 0.03,
                 qPrintable(QString::number(found.roughness.Ra / h)));
        QVERIFY2(std::abs(found.roughness.Rz / h - 1) < 0.05, qPrintable(QString::number(found.roughness.Rz / h)));
      }
  }

  void theMapAgreesWithTheProof() {
    // A saddle cut with a ball: where the proof met its largest cusp, the map about that place shows it, and nothing higher.
    const auto part = shapes::field(-5, 5, -4, 4, 250, 200, [](double x, double y) { return 0.02 * (x * x - y * y) + 0.01 * x * y; });
    const Profile ball = makeProfile(shapes::cutters()[1]);
    const Placing placing(*part, ball, Vec3::UnitZ(), {}, 0);
    const Vec3 along(std::cos(0.4), std::sin(0.4), 0), across(-std::sin(0.4), std::cos(0.4), 0);
    Path path;
    int hint = -1;
    for (double w = -7; w < 7; w += 0.3) {
      bool open = false;
      for (double u = -7; u < 7; u += 0.2) {
        auto s = placing.down(u * along + w * across, Vec3::UnitZ(), hint);
        if (s) s->at.motion = open ? Motion::Cut : Motion::Rapid, path.locations.push_back(s->at);
        open = s.has_value();
      }
    }
    const Sweep sweep(ball, path);
    SurfaceProofOptions o;
    o.cusp = 0.0005;
    Progress progress;
    const SurfaceProof proof = proveSurface(*part, std::vector<char>(part->mesh.triangles.size(), 1), sweep, nullptr, o, progress);
    const Spot spot = spotAt(*part, path, proof.cusp.at);
    const HeightMap map = heightMap(*part, Sweep(ball, movesAround(path, ball, spot.at, 1)), spot, 0.2, 101);
    double most = 0;
    for (const float e : map.left)
      if (!std::isnan(e)) most = std::max(most, static_cast<double>(e));
    QVERIFY2(most <= proof.cusp.bound + 1e-8 && most > 0.9 * proof.cusp.value,
             qPrintable(QString("%1, proof %2 to %3").arg(most).arg(proof.cusp.value).arg(proof.cusp.bound)));
    // Tips run 0.3 mm apart in plan; the contacts, R of the normal's slope away, stand closer on convex ground.
    const Eigen::Matrix2d bend = (Eigen::Matrix2d() << 0.04, 0.01, 0.01, -0.04).finished();
    const double apart = 0.3 / ((Eigen::Matrix2d::Identity() - 4 * bend) * Vec2(-std::sin(0.4), std::cos(0.4))).norm();
    const SpotRoughness found = roughnessAt(*part, path, ball, Vec3(0.2, 0.1, 0));
    QVERIFY2(found.roughness.known && std::abs(found.roughness.RSm / apart - 1) < 0.03,
             qPrintable(QString("%1 over %2").arg(found.roughness.RSm).arg(found.roughness.length)));
  }

  void sectionsEndAtEdgesAndWhereNothingIsCut() {
    const auto part = partFromTriangles(shapes::box({-5, -5, -2}, {5, 5, 0}), "plate", 0.4);
    const Profile ball = makeProfile(shapes::cutters()[1]);
    Path path;
    for (int k = 0; k <= 40; ++k) // y from -5 to 3 only
      for (const double x : {-5.0, 5.0}) {
        Location l = shapes::at({x, -5 + 0.2 * k, 0}, Vec3::UnitZ(), x < 0 ? Motion::Rapid : Motion::Cut);
        l.contact = l.tip, l.normal = Vec3::UnitZ();
        path.locations.push_back(l);
      }
    const Sweep sweep(ball, path);
    // 0.3 mm from the edge: the section goes on farther on the other side.
    const Section edge = sectionAcross(*part, sweep, spotAt(*part, path, {0.1, -4.7, 0}), 4, 0.005);
    const double length = double(edge.left.size() - 1) * edge.step, last = edge.first + length;
    QVERIFY(std::abs(length - 4) < 0.05);
    QVERIFY(std::abs(std::min(-edge.first, last) - 0.3) < 0.02);
    // The last pass is at y = 3; 1 mm beyond, 0.127 mm are left.
    const Section open = sectionAcross(*part, sweep, spotAt(*part, path, {0.1, 2.5, 0}), 6, 0.005, 0.1);
    QVERIFY(std::abs(std::max(-open.first, open.first + double(open.left.size() - 1) * open.step) - 3) > 0.2);
    for (const double e : open.left) QVERIFY2(e > -1e-9 && e < 0.1 + 1e-9, qPrintable(QString::number(e)));
    // Nothing was cut there at all.
    const SpotRoughness none = roughnessAt(*part, path, ball, {0, 0, -2});
    QVERIFY(!none.roughness.known && none.section.left.empty());
    QVERIFY(sectionAcross(*part, Sweep(ball, Path{}), spotAt(*part, path, {0, 0, 0}), 2, 0.01).left.empty());
  }
};

QTEST_APPLESS_MAIN(TestMicroscope)
#include "tst_microscope.moc"
