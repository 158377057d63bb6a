// The layer that a finishing path meets: closed forms, and brute force over swept balls along the contacts.
#include "passes.h"
#include "proof/layer.h"
#include "shapes.h"
#include <QtTest>

using namespace hemline;

class TestLayer : public QObject {
  Q_OBJECT
  Progress quiet;

  /// Where a ray enters the balls (radius R) of a path's cuts, by stepping on by what is free about it; far: not below that.
  static double enters(const Path& path, double R, const Vec3& p, const Vec3& n, double far) {
    double t = -0.05;
    for (int k = 0; k < 500 && t < far; ++k) {
      double least = kInfinity;
      for (std::size_t i = 1; i < path.locations.size(); ++i) {
        const Location &a = path.locations[i - 1], &b = path.locations[i];
        if (b.motion == Motion::Rapid) continue;
        const Vec3 c = a.tip + R * a.axis, way = b.tip + R * b.axis - c, q = p + t * n;
        const double share = std::clamp((q - c).dot(way) / std::max(way.squaredNorm(), 1e-15), 0.0, 1.0);
        least = std::min(least, (c + share * way - q).norm() - R);
      }
      if (least < 1e-7) return t;
      t += least;
    }
    return far;
  }
  static PassPlan parallel(const Part& part, const Profile& cutter, const Mat3& turn, bool across, double keep, double cusp, double fillet,
                           bool lean) {
    ParallelOptions o;
    o.up = shapes::up(turn), o.cusp = cusp, o.chord = 0.0005, o.safeHeight = 50, o.allowance = keep, o.fillet = fillet, o.longest = 0.6;
    if (lean) o.tilt = {true, radians(10), 0};
    Vec3 e1, e2;
    frameAround(o.up, e1, e2);
    const Vec3 along = turn * (across ? Vec3::UnitY() : Vec3::UnitX());
    o.angle = std::atan2(along.dot(e2), along.dot(e1));
    Progress quiet;
    return planParallel(part, cutter, o, quiet);
  }

private slots:
  void whatIsMet_data() {
    QTest::addColumn<int>("ground"); // plane, dish, groove
    QTest::addColumn<bool>("across");
    QTest::addColumn<double>("keep");    // of the finish
    QTest::addColumn<double>("rounder"); // virtual fillets over the ball; 0: none
    QTest::addColumn<bool>("lean");
    QTest::newRow("plane") << 0 << true << 0.0 << 0.0 << false;
    QTest::newRow("plane, negative allowance") << 0 << true << -0.1 << 0.0 << false;
    QTest::newRow("dish") << 1 << true << 0.05 << 0.0 << true;
    QTest::newRow("dish, the same way") << 1 << false << 0.0 << 0.0 << false;
    QTest::newRow("sharp groove") << 2 << false << 0.0 << 0.0 << false;
    QTest::newRow("groove, rolled through") << 2 << true << 0.0 << 0.4 << false;
    QTest::newRow("groove, rolled along") << 2 << false << 0.0 << 0.4 << false;
  }
  void whatIsMet() {
    QFETCH(int, ground);
    QFETCH(bool, across);
    QFETCH(double, keep);
    QFETCH(double, rounder);
    QFETCH(bool, lean);
    constexpr double kLeft = 0.2, kCusp = 0.03, R = 4;
    const Profile ball = makeProfile(shapes::cutters()[1]);
    const Mat3 turn = shapes::orientations()[static_cast<std::size_t>(QTest::currentDataTag()[0] + ground + across) % 3];
    const auto part = ground == 2
                          ? partFromTriangles(shapes::groove(0.8, 0, 0.5, turn), "groove", 3.0)
                          : shapes::field(
                                -6, 6, -6, 6, 40, 40, [&](double x, double y) { return ground == 0 ? 0 : 0.02 * (x * x + y * y); }, turn);
    // Fillets of both about the same middles: the layer goes round the corner.
    const PassPlan before = parallel(*part, ball, turn, false, kLeft, kCusp, rounder > 0 ? R + rounder : 0, lean),
                   after = parallel(*part, ball, turn, across, keep, 0.01, rounder > 0 ? R + rounder + kLeft : 0, lean);
    const std::vector<Sweep> sweeps{Sweep(ball, before.path)};
    const LayerMet met = layerMet(after.path, keep, sweeps, 0.5, quiet), close = layerMet(after.path, keep, sweeps, 0, quiet);
    // By brute force between the locations.
    double most = 0, least = kInfinity;
    const auto& l = after.path.locations;
    for (std::size_t k = 0; k < 500; ++k) {
      const std::size_t i = 1 + k * (l.size() - 1) / 500;
      if (l[i].motion != Motion::Cut || l[i].normal.norm() < 0.5 || l[i - 1].normal.norm() < 0.5) continue;
      if (angleBetween(l[i].normal, l[i - 1].normal) > 0.1) continue;
      const double share = std::fmod(0.618034 * static_cast<double>(k), 1.0);
      const Vec3 n = (l[i - 1].normal + share * (l[i].normal - l[i - 1].normal)).normalized();
      const double t = std::max(0.0, enters(before.path, R, l[i - 1].contact + share * (l[i].contact - l[i - 1].contact) + keep * n, n, 2));
      most = std::max(most, t), least = std::min(least, t);
    }
    // Off the ground's border, which both round.
    double inner = 0, thinnest = kInfinity;
    for (std::size_t i = 0; i < l.size(); ++i) {
      const Vec3 p = turn.transpose() * l[i].contact;
      if (close.at[i] < 0 ||
          (ground < 2 ? std::max(std::abs(p.x()), std::abs(p.y())) > 5.5 : p.x() < 1 || p.x() > 29 || std::abs(p.y()) > 8))
        continue;
      inner = std::max(inner, double(close.at[i])), thinnest = std::min(thinnest, double(close.at[i]));
    }
    double spacing = 0;
    for (const double s : before.spacing) spacing = std::max(spacing, s);
    const double plane = kLeft - keep + R - std::sqrt(R * R - spacing * spacing / 4);
    const QString told = QString("%1 to %2 (%3 closely), least %4, mean %5; brute force %6 to %7; plane %8; off the border ")
                             .arg(met.most.value)
                             .arg(met.most.bound)
                             .arg(close.most.bound)
                             .arg(met.least)
                             .arg(met.mean)
                             .arg(least)
                             .arg(most)
                             .arg(plane) +
                         QString("%1 to %2").arg(thinnest).arg(inner);
    if (qEnvironmentVariableIsSet("TELL")) qInfo().noquote() << told;
    QVERIFY2(met.most.known && most <= close.most.bound + 1e-6 && close.most.value <= close.most.bound, qPrintable(told));
    QVERIFY2((met.most.bound <= 0.5 || met.most.bound <= 1.02 * met.most.value) && close.most.bound <= 1.02 * close.most.value + 0.001,
             qPrintable(told));
    QVERIFY2(most > 0.9 * inner, qPrintable(told));
    QVERIFY2(met.least <= met.mean && met.mean <= met.most.value && close.most.value >= met.most.value, qPrintable(told));
    if (ground == 0)
      QVERIFY2(inner <= plane + 1e-6 && inner > plane - 0.004 && std::abs(thinnest - (kLeft - keep)) < 1e-3, qPrintable(told));
    // Round the corner, too: what is left, and the cusps on it.
    if (rounder > 0) QVERIFY2(inner < kLeft + 1.05 * kCusp && thinnest > kLeft - 0.002, qPrintable(told));
  }

  /// Nothing before, nothing cut there, or nothing cut at all is never a layer that is kept.
  void whatIsNotKnown() {
    const Profile ball = makeProfile(shapes::cutters()[1]);
    const auto part = shapes::field(-6, 6, -6, 6, 10, 10, [](double, double) { return 0; });
    const PassPlan plan = parallel(*part, ball, Mat3::Identity(), false, 0, 0.02, 0, false);
    QVERIFY(layerMet(plan.path, 0, {}, 1, quiet).most.bound > kFinite);
    QVERIFY(!layerMet({}, 0, {Sweep(ball, plan.path)}, 1, quiet).most.known);
    // Ways along the surface between passes cut as passes do: the path's middle runs beside all that was cut.
    Path linked;
    for (const double x : {-5.0, -4.0, 0.0, 4.0, 5.0}) {
      Location l = shapes::at({x, x == 0 ? 2.5 : 0, 0}, Vec3::UnitZ(),
                              x < -4                        ? Motion::Rapid
                              : std::abs(x) < 4.5 && x > -4 ? Motion::Link
                                                            : Motion::Cut);
      l.contact = l.tip, l.normal = Vec3::UnitZ();
      linked.locations.push_back(l);
    }
    Path single;
    for (const double x : {-6.0, 6.0})
      single.locations.push_back(shapes::at({x, 0, 0}, Vec3::UnitZ(), x < 0 ? Motion::Rapid : Motion::Cut));
    const LayerMet beside = layerMet(linked, 0, {Sweep(ball, single)}, 0.01, quiet);
    QVERIFY2(std::abs(beside.most.value - (4 - std::sqrt(16 - 2.5 * 2.5))) < 1e-6, qPrintable(QString::number(beside.most.value)));
    // A hole in what was cut before, narrower than the way between two locations of the path across it.
    Path holed, across;
    for (const double x : {-6.0, -0.4, 0.5, 6.0})
      holed.locations.push_back(shapes::at({x, 0, 0}, Vec3::UnitZ(), x < -1 || (x > 0 && x < 1) ? Motion::Rapid : Motion::Cut));
    for (const double x : {-5.0, 5.0}) {
      Location l = shapes::at({x, 0, -0.1}, Vec3::UnitZ(), x < 0 ? Motion::Rapid : Motion::Cut);
      l.contact = l.tip, l.normal = Vec3::UnitZ();
      across.locations.push_back(l);
    }
    const std::vector<Sweep> sweeps{Sweep(ball, holed)};
    const LayerMet met = layerMet(across, 0, sweeps, 0.05, quiet);
    double most = 0;
    for (int k = 0; k <= 2000; ++k) most = std::max(most, enters(holed, 4, Vec3(-5 + 0.005 * k, 0, -0.1), Vec3::UnitZ(), 2));
    QVERIFY2(most > met.at.back() + 0.001 && most <= met.most.bound && met.most.bound < 1.02 * most,
             qPrintable(QString("%1 at the locations, %2 between, told %3 to %4")
                            .arg(met.at.back())
                            .arg(most)
                            .arg(met.most.value)
                            .arg(met.most.bound)));
  }
};

QTEST_APPLESS_MAIN(TestLayer)
#include "tst_layer.moc"
