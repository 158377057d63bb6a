#include "base/threads.h"
#include "passes.h"
#include "proof/surface_proof.h"
#include "shapes.h"
#include "stock/sweep.h"
#include <QtTest>
#include <map>
#include <set>

using namespace hemline;

namespace {

ParallelOptions options(const Mat3& turn, double cusp, double angle) {
  ParallelOptions o;
  o.up = shapes::up(turn);
  o.cusp = cusp, o.chord = 0.03 * cusp;
  // The plan's x is the frame's; turn it to the field's own x.
  Vec3 e1, e2;
  frameAround(o.up, e1, e2);
  const Vec3 x = turn * Vec3::UnitX();
  o.angle = std::atan2(x.dot(e2), x.dot(e1)) + angle;
  o.safeHeight = 50;
  return o;
}

struct Case {
  const char* name;
  std::function<double(double, double)> height;
  double angle;   ///< of the passes
  double spacing; ///< expected in plan, mm; 0: the brute sweep decides
  double size;
  int cells;
};

QByteArray inWords(const QString& what, const SurfaceProof& p) {
  return QString("%1: cusp %2, bound %3, rest %4, gouge %5 um")
      .arg(what)
      .arg(p.cusp.value * 1e3)
      .arg(p.cusp.bound * 1e3)
      .arg(p.rest.value * 1e3)
      .arg(p.gouge.value * 1e3)
      .toUtf8();
}

} // namespace

class TestPasses : public QObject {
  Q_OBJECT
  Progress quiet_;

private slots:
  void spacingFollowsTheClosedForms() {
    const double R = 4, h = 0.005;
    const double flat = 2 * std::sqrt(2 * h * R - h * h), b = radians(40);
    std::vector<Case> cases{
        {"plane", [](double, double) { return 0.0; }, 0, flat, 12, 4},
        {"slope, passes along the slope line", [&](double x, double) { return x * std::tan(b); }, 0, flat, 12, 4},
        {"slope, passes across it", [&](double, double y) { return y * std::tan(b); }, 0, flat * std::cos(b), 12, 4},
    };
    for (const Mat3& turn : shapes::orientations())
      for (const Case& c : cases) {
        const auto part = shapes::field(-c.size, c.size, -c.size, c.size, c.cells, c.cells, c.height, turn);
        const Profile ball = makeProfile(shapes::cutters()[1]);
        const auto r = planParallel(*part, ball, options(turn, h, c.angle), quiet_);
        QVERIFY(r.spacing.size() > 5);
        // Over plane ground a pass has no place that a longer block would go through.
        const auto& l = r.path.locations;
        double longest = 0;
        for (std::size_t i = 1; i + 1 < l.size(); ++i) {
          if (l[i].motion != Motion::Cut || l[i + 1].pass != l[i].pass || l[i + 1].motion != Motion::Cut) continue;
          const Vec3 before = l[i].tip - l[i - 1].tip, all = l[i + 1].tip - l[i - 1].tip;
          longest = std::max(longest, before.norm());
          const bool turns = (l[i].normal - l[i - 1].normal).norm() > 1e-9 || (l[i].normal - l[i + 1].normal).norm() > 1e-9;
          QVERIFY2(turns || all.norm() > 4 * R || before.cross(all).norm() > 1e-9 * all.norm(), c.name);
        }
        QVERIFY2(longest > 3.8 * R && longest <= 4 * R, c.name);
        // Away from the borders, where passes roll over the edge.
        for (std::size_t i = r.spacing.size() / 4; i < 3 * r.spacing.size() / 4; ++i) {
          const double used = r.stripCusp[i] / h;
          QVERIFY2(used >= 0.9 && used <= 1.0, c.name);
          // Spacing goes with the square root of the cusp.
          QVERIFY2(std::abs(r.spacing[i] / c.spacing - std::sqrt(used)) < 0.01, c.name);
        }
      }
  }

  void bordersAndEdgesAreFinished() {
    // The rim of a part and a sharp ridge are ground like any other: the cusp holds right up to them, and nothing between two
    // places of a pass is cut across.
    const double t = std::tan(radians(50));
    const std::vector<std::pair<const char*, std::function<double(double, double)>>> grounds{
        {"plane", [](double, double) { return 0.0; }},
        {"ridge along", [&](double, double y) { return -t * std::abs(y); }},
        {"ridge across", [&](double x, double) { return -t * std::abs(x); }},
        {"dome", [](double x, double y) { return -(x * x + 2 * y * y) / 40; }},
    };
    const Mat3 turn = shapes::orientations()[1];
    const Profile ball = makeProfile(shapes::cutters()[1]);
    for (const auto& [name, height] : grounds)
      for (const double angle : {0.0, 0.5}) {
        const int cells = std::string(name) == "dome" ? 64 : 16;
        const auto part = shapes::field(-8, 8, -6, 6, cells, cells, height, turn);
        ParallelOptions o = options(turn, 0.02, angle);
        const auto r = planParallel(*part, ball, o, quiet_);
        const FieldOf planes = planesOf(ball, o);
        const Placing reach(*part, ball, o.up, o.tilt, 0, &planes);
        SurfaceProofOptions po;
        po.cusp = o.cusp, po.gouge = o.chord;
        const auto region = regionFacets(*part, o.region, o.up, "test");
        const SurfaceProof proof = proveSurface(*part, region, Sweep(ball, r.path), &reach, po, quiet_);
        const Vec3 at = turn.transpose() * proof.gouge.at;
        const auto told = [&] {
          return qPrintable(QString("%6 %7 %8 %1 at %2: cusp %3 (bound %4) gouge %5")
                                .arg(name)
                                .arg(angle)
                                .arg(proof.cusp.value * 1e3)
                                .arg(proof.cusp.bound * 1e3)
                                .arg(proof.gouge.value * 1e3)
                                .arg(at.x())
                                .arg(at.y())
                                .arg(at.z()));
        };
        QVERIFY2(proof.cusp.bound <= o.cusp, told());
        QVERIFY2(proof.cusp.value >= 0.8 * o.cusp, told());
        QVERIFY2(proof.gouge.value <= o.chord, told());
        QVERIFY2(proof.areaOverCusp == 0, told());
      }
  }

  void curvedGroundKeepsThePromiseAsMeasured() {
    // Two circles on a section: (rho + h)^2 + (rho + R)^2 - 2 (rho + h)(rho + R) cos t = R^2; passes along a cylinder.
    const double R = 4, h = 0.005, rho = 25;
    const auto expected = [&](double signedRho) {
      const double a = signedRho + h, d = signedRho + R, cosT = (a * a + d * d - R * R) / (2 * a * d);
      return 2 * std::abs(signedRho) * std::sin(std::acos(std::clamp(cosT, -1.0, 1.0)));
    };
    struct Round {
      const char* name;
      double sign;
    };
    for (const Mat3& turn : shapes::orientations())
      for (const Round& c : {Round{"convex cylinder", 1}, Round{"concave cylinder", -1}}) {
        const auto part = shapes::field(
            -3, 3, -5, 5, 2, 800, [&](double, double y) { return c.sign * (std::sqrt(rho * rho - y * y) - rho); }, turn);
        const Profile ball = makeProfile(shapes::cutters()[1]);
        const auto r = planParallel(*part, ball, options(turn, h, 0), quiet_);
        // Strips near the crown: contact spacing on the surface against the two-circle form, at the cusp that was used.
        const std::size_t mid = r.spacing.size() / 2;
        const double used = r.stripCusp[mid] / h;
        QVERIFY2(used >= 0.9 && used <= 1.0, c.name);
        // The tip runs on a circle of rho +- R, the contact on rho.
        const double onSurface = r.spacing[mid] * rho / (rho + c.sign * R);
        QVERIFY2(std::abs(onSurface / (expected(c.sign * rho) * std::sqrt(used)) - 1) < 0.02,
                 qPrintable(QString("%1: %2 against %3").arg(c.name).arg(onSurface).arg(expected(c.sign * rho) * std::sqrt(used))));
      }
  }

  void everyProfileAndTiltIsProvenOnASaddle() {
    // What the planner promises is what the proof measures: saddle at 45 degrees to its axes, ball and bull nose, plain and
    // with lead and tilt together.
    for (const Mat3& turn : shapes::orientations()) {
      const auto part = shapes::field(
          -4, 4, -4, 4, 60, 60, [](double x, double y) { return x * y / 30; }, turn);
      for (const std::size_t kind : {std::size_t{1}, std::size_t{2}})
        for (const bool follow : {false, true}) {
          if (kind == 2 && (!follow || !turn.isIdentity())) continue; // the general search is slow: one orientation
          const Cutter cutter = shapes::cutters()[kind];
          const Profile profile = makeProfile(cutter);
          auto o = options(turn, 0.01, 0);
          if (follow) o.tilt = {true, radians(8), radians(10)};
          const auto r = planParallel(*part, profile, o, quiet_);
          QCOMPARE(r.steepStrips, std::size_t{0});
          const Sweep sweep(profile, r.path);
          const FieldOf planes = planesOf(profile, o);
          const Placing reach(*part, profile, o.up, o.tilt, 0, &planes);
          SurfaceProofOptions so;
          so.cusp = o.cusp;
          const auto region = regionFacets(*part, o.region, o.up, "saddle");
          const SurfaceProof proof = proveSurface(*part, region, sweep, &reach, so, quiet_);
          QVERIFY2(proof.cusp.value <= o.cusp && proof.cusp.value >= 0.88 * o.cusp, qPrintable(QString("%1 follow %2: %3 at %4 %5")
                                                                                                   .arg(cutter.name.c_str())
                                                                                                   .arg(follow)
                                                                                                   .arg(proof.cusp.value)
                                                                                                   .arg(proof.cusp.at.x())
                                                                                                   .arg(proof.cusp.at.y())));
          QVERIFY(proof.cusp.bound >= proof.cusp.value && proof.cusp.bound < 1.1 * proof.cusp.value);
          QVERIFY2(proof.gouge.value <= 2 * o.chord + 1e-6, qPrintable(QString::number(proof.gouge.value)));
          QVERIFY(proof.rest.value < 1e-3);
        }
    }
  }

  void randomGroundKeepsItsPromise() {
    // Waves whose hollows are wider than the ball, passes at any angle: proven within the promise, at least nine tenths of it
    // used, and nothing cut deeper than the chord tolerance.
    const Profile ball = makeProfile(shapes::cutters()[1]);
    for (const unsigned seed : {1U, 2U, 3U, 4U}) {
      std::mt19937 random(seed);
      std::uniform_real_distribution<double> u(0, 1);
      std::array<std::array<double, 4>, 3> wave; // amplitude, x and y rates, phase
      for (auto& w : wave) {
        const double kx = 0.7 * u(random), ky = 0.7 * u(random);
        w = {0.04 / (kx * kx + ky * ky + 0.05), kx, ky, 6 * u(random)}; // curvatures add up to less than 1 / 8 mm
      }
      const Mat3 turn = shapes::orientations()[seed % 3];
      const auto part = shapes::field(
          -6, 6, -5, 5, 120, 100,
          [&](double x, double y) {
            double z = 0;
            for (const auto& w : wave) z += w[0] * std::sin(w[1] * x + w[2] * y + w[3]);
            return z;
          },
          turn);
      ParallelOptions o = options(turn, 0.008, 3 * u(random));
      o.zigzag = seed % 2 == 0;
      const PassPlan r = planParallel(*part, ball, o, quiet_);
      QCOMPARE(r.steepStrips, std::size_t{0});
      const auto region = regionFacets(*part, o.region, o.up, "test");
      SurfaceProofOptions po;
      po.cusp = o.cusp, po.gouge = o.chord;
      const FieldOf planes = planesOf(ball, o);
      const Placing reach(*part, ball, o.up, o.tilt, 0, &planes);
      const SurfaceProof proof = proveSurface(*part, region, Sweep(ball, r.path), &reach, po, quiet_);
      const QByteArray told = inWords(QString("seed %1").arg(seed), proof);
      QVERIFY2(proof.cusp.bound <= o.cusp && proof.cusp.value >= 0.9 * o.cusp, told.constData());
      QVERIFY2(proof.gouge.value <= 1.05 * o.chord, told.constData()); // kinks of the facets lie a little off the middle of a block
      // Every strip but the last uses its promise or is as wide as the ground allows.
      for (std::size_t i = 0; i + 1 < r.stripCusp.size(); ++i) QVERIFY(r.stripCusp[i] <= o.cusp);
      // Locations carry what they promise: unit axes and normals, contacts on the ball.
      for (const Location& l : r.path.locations) {
        QVERIFY(std::abs(l.axis.norm() - 1) < 1e-12);
        if (l.motion != Motion::Cut) continue;
        QVERIFY(std::abs(l.normal.norm() - 1) < 1e-9);
        QVERIFY(std::abs((l.contact - l.tip - 4 * l.axis).norm() - 4) < 1e-6);
        QVERIFY((l.tip + 4 * l.axis - l.contact - 4 * l.normal).norm() < 1e-5);
        QVERIFY(l.feed > 0);
      }
    }
  }

  void undercutGroundIsFinishedWhereTheAxisTurns() {
    // The side of a lying cylinder from 130 degrees on one side of its top to 130 on the other, and of an upright one all round, which is
    // seen edge-on from above: passes round them in planes, within the promise all over, no rapid through the part.
    const Profile ball = makeProfile(shapes::cutters()[1]);
    const double r = 12, half = 2;
    const int round = 120;
    for (const bool lying : {true, false})
      for (const Mat3& turn : {shapes::orientations()[0], shapes::orientations()[2]}) {
        std::vector<Vec3> soup;
        const auto at = [&](int i, double radius, double along) {
          const double a = radians(360.0 * i / round), y = radius * std::sin(a), z = radius * std::cos(a);
          return Vec3(turn * (lying ? Vec3(along, y, z) : Vec3(y, z, along)));
        };
        for (int i = 0; i < round; ++i) {
          const std::array p{at(i, r, -half), at(i, r, half), at(i + 1, r, half), at(i + 1, r, -half)};
          for (const Vec3& q : {p[0], p[1], p[2], p[0], p[2], p[3], at(0, 0, half), p[2], p[1], at(0, 0, -half), p[0], p[3]})
            soup.push_back(q);
        }
        const auto part = partFromTriangles(soup, "cylinder");
        const Vec3 along = turn.col(lying ? 0 : 2);
        ParallelOptions o = options(turn, 0.02, 0);
        std::vector<char> side;
        for (std::size_t t = 0; t < part->mesh.triangles.size(); ++t) {
          const Vec3 n = part->mesh.facetNormal(t);
          side.push_back(std::abs(n.dot(along)) < 0.5 && n.dot(o.up) > std::cos(radians(130)));
        }
        o.tilt = {true, radians(6), radians(4)};
        o.region.slopeTo = radians(180), o.region.only = std::make_shared<const std::vector<char>>(side);
        const FieldOf planes(ParallelPlanes{along, 0});
        const PassPlan plan = planLevelPasses(*part, ball, planes, o, quiet_);
        const Placing reach(*part, ball, o.up, o.tilt, 0, &planes);
        SurfaceProofOptions po;
        po.cusp = o.cusp, po.gouge = 0.001;
        const SurfaceProof proof = proveSurface(*part, side, Sweep(ball, plan.path), &reach, po, quiet_);
        const QByteArray told = inWords(QString("lying %1").arg(lying), proof);
        QVERIFY2(proof.cusp.bound <= o.cusp && proof.cusp.value > 0.85 * o.cusp && proof.areaOverCusp == 0, told.constData());
        QVERIFY2(proof.rest.value == 0 && proof.gouge.value < 0.001, told.constData());
        QVERIFY(std::abs(proof.areaRegion / (2 * half * r * (lying ? radians(260) : radians(360))) - 1) < 0.02);
        double lowest = 1;
        const auto& l = plan.path.locations;
        for (std::size_t i = 0; i < l.size(); ++i) {
          if (l[i].motion == Motion::Cut) lowest = std::min(lowest, l[i].normal.dot(o.up));
          for (int k = 0; i > 0 && l[i].motion == Motion::Rapid && k <= 200; ++k) {
            Vec3 tip, axis;
            poseAlong(l[i - 1], l[i], k / 200.0, tip, axis);
            QVERIFY2(closestPoint(*part->tree, tip + 4 * axis, 3.99).triangle < 0,
                     qPrintable(QString("lying %1, rapid to location %2").arg(lying).arg(i)));
          }
        }
        QVERIFY2(lying ? lowest < -0.62 : std::abs(lowest) < 0.02, qPrintable(QString::number(lowest)));
      }
  }

  void passesArePutWhereTooMuchWasLeft() {
    // Passes that are given as a list lie there; a strip with a place over the promise gets one more, a narrow one does not.
    const auto plane = shapes::field(-6, 6, -6, 6, 4, 4, [](double, double) { return 0.0; });
    const Profile ball = makeProfile(shapes::cutters()[1]);
    auto o = options(Mat3::Identity(), 0.02, 0);
    o.levels = {-5, -4.5, -4, -3.95, 0, 5};
    const PassPlan r = planParallel(*plane, ball, o, quiet_);
    QCOMPARE(r.levels, o.levels);
    QCOMPARE(r.stripCusp.size(), o.levels.size() - 1);
    for (std::size_t i = 0; i + 1 < o.levels.size(); ++i) {
      const double s = o.levels[i + 1] - o.levels[i], h = s < 8 ? 4 - std::sqrt(16 - s * s / 4) : 4;
      QVERIFY2(std::abs(r.stripCusp[i] / h - 1) < 0.02 || h > 0.5, qPrintable(QString("%1: %2 of %3").arg(i).arg(r.stripCusp[i]).arg(h)));
    }
    std::set<double> across;
    for (const Location& l : r.path.locations)
      if (l.motion == Motion::Cut) across.insert(std::round(l.tip.y() * 1e6) / 1e6);
    QCOMPARE(std::vector<double>(across.begin(), across.end()), o.levels);
    QCOMPARE(closerLevels(o.levels, {2, 2.2, 0.4}, 0.1), std::vector<double>({-5, -4.5, -4, -3.95, 0, 2, 5})); // the median of a strip
    QCOMPARE(closerLevels(o.levels, {-4.7, 1, -4.2}, 0.1), std::vector<double>({-5, -4.7, -4.5, -4.2, -4, -3.95, 0, 1, 5}));
    QCOMPARE(closerLevels(o.levels, {-3.97, 0.05, 4.95}, 0.1), o.levels); // too near to a pass already
    QCOMPARE(closerLevels(o.levels, {8, -5.5}, 0.1), o.levels);           // beside all passes
  }

  void aPitDoesNotNarrowTheStripsAcrossIt() {
    // The cutter bridges a cone-shaped pit: no spacing lowers what is left there. The strips beside it stay as wide as on the plane, what
    // the cutter cannot touch is told and is no cusp, and the runs on both sides of a pass have one number.
    const Profile ball = makeProfile(shapes::cutters()[1]);
    auto o = options(Mat3::Identity(), 0.005, 0.2);
    std::vector<std::size_t> passes;
    for (const double depth : {0.0, 3.0}) {
      const auto part = shapes::field(-30, 30, -8, 8, 240, 64,
                                      [&](double x, double y) { return -depth * std::max(0.0, 1 - std::hypot(x - 0.03, y - 0.07) / 3); });
      const PassPlan r = planParallel(*part, ball, o, quiet_);
      passes.push_back(r.levels.size());
      QVERIFY(*std::max_element(r.stripCusp.begin(), r.stripCusp.end()) <= o.cusp);
      QCOMPARE(r.blocked > 0, depth > 0);
      QCOMPARE(std::any_of(r.path.notes.begin(), r.path.notes.end(), [](const std::string& n) { return n.find("in the way") != n.npos; }),
               depth > 0);
    }
    QVERIFY2(4 * passes[1] < 5 * passes[0], qPrintable(QString("%1 of %2").arg(passes[1]).arg(passes[0])));

    const auto roof = shapes::field(-8, 8, -6, 6, 32, 24, [](double x, double) { return -std::max(0.0, 3 - std::abs(x)); });
    o.angle = 0;
    o.region.slopeTo = radians(20); // the valley's walls are left
    const PassPlan r = planParallel(*roof, ball, o, quiet_);
    std::map<int, std::size_t> left, right;
    for (const Location& l : r.path.locations)
      if (l.motion == Motion::Cut) {
        QVERIFY(l.pass >= 0 && std::abs(l.tip.y() - r.levels[static_cast<std::size_t>(l.pass)]) < 1e-9);
        ++(l.tip.x() < 0 ? left : right)[l.pass];
      }
    QCOMPARE(left.size(), r.levels.size());
    QCOMPARE(right.size(), r.levels.size());
  }

  void leanFollowsTheStatedOrder() {
    const Vec3 n = Vec3::UnitZ(), f = Vec3::UnitX();
    QVERIFY((leanAxis(n, f, radians(10), 0) - Vec3(std::sin(radians(10)), 0, std::cos(radians(10)))).norm() < 1e-12); // forward
    QVERIFY(leanAxis(n, f, 0, radians(10)).y() > 0.17);                                                               // left of +x is +y
    const Vec3 both = leanAxis(n, f, radians(10), radians(10));
    QVERIFY(std::abs(both.x() - std::sin(radians(10))) < 1e-12); // tilt turns about f and leaves the lead's share along f
  }

  void boundarySlopeAndOneWayAreKept() {
    const auto part = shapes::field(-12, 12, -12, 12, 40, 40, [](double x, double) { return 4 * std::sin(x / 4); });
    const Profile ball = makeProfile(shapes::cutters()[1]);
    auto o = options(Mat3::Identity(), 0.02, 0);
    o.zigzag = false;
    o.region.boundary = {{-8, -8}, {8, -8}, {8, 8}, {-8, 8}};
    for (const auto meaning : {BoundaryMeaning::Contact, BoundaryMeaning::Axis, BoundaryMeaning::WholeCutter}) {
      o.region.meaning = meaning;
      const auto r = planParallel(*part, ball, o, quiet_);
      int pass = -1;
      for (std::size_t i = 1; i < r.path.locations.size(); ++i) {
        const Location& l = r.path.locations[i];
        if (l.motion != Motion::Cut) continue;
        const Vec2 p = meaning == BoundaryMeaning::Contact ? Vec2(l.contact.head<2>()) : Vec2(l.tip.head<2>());
        const double limit = meaning == BoundaryMeaning::WholeCutter ? 4.0 : 8.0;
        QVERIFY(p.cwiseAbs().maxCoeff() <= limit + 1e-6);
        if (l.pass == pass) QVERIFY(l.tip.x() >= r.path.locations[i - 1].tip.x() - 1e-9);
        pass = l.pass;
      }
    }
    o.region.boundary = {{100, 100}, {120, 100}, {120, 120}};
    QVERIFY_EXCEPTION_THROWN(planParallel(*part, ball, o, quiet_), Error);
    o.region.boundary.clear();
    for (const double cusp : {0.0, -1.0, 5.0}) {
      o.cusp = cusp;
      QVERIFY_EXCEPTION_THROWN(planParallel(*part, ball, o, quiet_), Error);
    }
  }

  void sameOnAnyNumberOfThreads() {
    const auto part = shapes::field(-6, 6, -6, 6, 60, 60, [](double x, double y) { return std::sin(x / 3) * std::cos(y / 2); });
    const Profile bull = makeProfile(shapes::cutters()[2]);
    std::vector<Path> paths;
    for (const int threads : {1, 2, 4}) {
      setThreadLimit(threads);
      paths.push_back(planParallel(*part, bull, options(Mat3::Identity(), 0.02, 0.3), quiet_).path);
    }
    setThreadLimit(0);
    for (const Path& p : paths) {
      QCOMPARE(p.locations.size(), paths[0].locations.size());
      for (std::size_t i = 0; i < p.locations.size(); ++i) QVERIFY(p.locations[i].tip == paths[0].locations[i].tip);
    }
  }

  void cancelReactsSoon() {
    const auto part = shapes::field(-20, 20, -20, 20, 150, 150, [](double x, double y) { return std::sin(x / 3) * std::cos(y / 2); });
    Progress progress([&](double f, const std::string&) {
      if (f > 0.02) progress_->cancel();
    });
    progress_ = &progress;
    QVERIFY_EXCEPTION_THROWN(planParallel(*part, makeProfile(shapes::cutters()[1]), options(Mat3::Identity(), 0.002, 0), progress),
                             Cancelled);
  }

private:
  Progress* progress_ = nullptr;
};

QTEST_APPLESS_MAIN(TestPasses)
#include "tst_passes.moc"
