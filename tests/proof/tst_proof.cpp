#include "proof/clearance.h"
#include "proof/gouge.h"
#include "proof/surface_proof.h"
#include "shapes.h"
#include "stock/sweep.h"
#include <QtTest>

using namespace hemline;
using shapes::at;

namespace {

/// Straight passes of a ball over the plane z = 0, `step` apart; y from -6 to 6.
Path passes(double step, double z = 0) {
  Path p;
  for (double y = -6; y <= 6 + 1e-9; y += step) {
    p.locations.push_back(at({-9, y, z}, Vec3::UnitZ(), Motion::Rapid));
    p.locations.push_back(at({9, y, z}, Vec3::UnitZ()));
  }
  return p;
}

} // namespace

class TestProof : public QObject {
  Q_OBJECT
  Progress quiet_;

private slots:
  void planeCuspIsTheClosedFormAndTheBoundIsTight() {
    const auto plane = shapes::field(-5, 5, -5, 5, 53, 47, [](double, double) { return 0.0; });
    const std::vector<char> all(plane->mesh.triangles.size(), 1);
    const Profile ball = makeProfile(shapes::cutters()[1]);
    for (const double step : {0.1, 0.25, 0.6}) {
      const double h = 4 - std::sqrt(16 - step * step / 4);
      const Sweep sweep(ball, passes(step));
      SurfaceProofOptions o;
      o.cusp = 0.9 * h; // too little: the crest must be solved
      SurfaceProof p = proveSurface(*plane, all, sweep, nullptr, o, quiet_);
      QVERIFY(p.cusp.value <= h + 1e-9 && p.cusp.value >= 0.98 * h);
      QVERIFY2(p.cusp.bound >= h - 1e-9 && p.cusp.bound <= 1.02 * h,
               qPrintable(QString("step %1: %2 of %3").arg(step).arg(p.cusp.bound, 0, 'g', 8).arg(h, 0, 'g', 8)));
      QVERIFY(p.areaOverCusp > 0);
      o.cusp = 1.02 * h; // enough: the bound must show it
      p = proveSurface(*plane, all, sweep, nullptr, o, quiet_);
      QVERIFY(p.cusp.bound <= o.cusp);
      QVERIFY(p.gouge.bound < 1e-9);
      QVERIFY(std::abs(p.areaRegion - 100) < 1e-9);
    }
  }

  void gougeAndAllowanceAreSigned() {
    const auto plane = shapes::field(-5, 5, -5, 5, 9, 9, [](double, double) { return 0.0; });
    const std::vector<char> all(plane->mesh.triangles.size(), 1);
    const Profile ball = makeProfile(shapes::cutters()[1]);
    SurfaceProofOptions o;
    o.cusp = 0.01;
    const SurfaceProof deep = proveSurface(*plane, all, Sweep(ball, passes(0.25, -0.05)), nullptr, o, quiet_);
    QVERIFY(std::abs(deep.gouge.value - 0.05) < 5e-3 && deep.gouge.bound >= 0.05 - 1e-9 && deep.gouge.bound < 0.052);
    o.allowance = 0.3;
    const SurfaceProof kept = proveSurface(*plane, all, Sweep(ball, passes(0.25, 0.3)), nullptr, o, quiet_);
    QVERIFY(kept.gouge.bound < 1e-9);
    QVERIFY(kept.cusp.bound < 0.01);
    // Ground that no pass comes near is never called kept.
    Path one;
    one.locations = {at({-9, -5, 0}, Vec3::UnitZ(), Motion::Rapid), at({9, -5, 0}, Vec3::UnitZ())};
    QVERIFY(proveSurface(*plane, all, Sweep(ball, one), nullptr, o, quiet_).cusp.bound > 1);
  }

  void whatChangedIsMeasuredAgainAndNothingElse() {
    // Passes over a valley with a steep wall; then one more pass, the others run the other way: the record brings the same as measuring
    // everything, and far from the new pass nothing was looked at.
    for (const std::size_t kind : {1, 2}) { // ball, and bull nose without looking for its reach, which takes long
      const auto ground = shapes::field(-10, 10, -10, 10, 40, 40, [](double, double y) { return std::max(0.02 * y * y, 3 * (y - 6)); });
      const std::vector<char> all(ground->mesh.triangles.size(), 1);
      const Profile profile = makeProfile(shapes::cutters()[kind]);
      const Placing placing(*ground, profile, Vec3::UnitZ(), {}, 0);
      const auto path = [&](const std::vector<double>& at, bool backwards) {
        Path out;
        for (const double w : at)
          for (int i = 0; i <= 40; ++i) {
            int hint = -1;
            const double u = backwards ? 10 - 0.5 * i : -10 + 0.5 * i;
            if (auto s = placing.down(Vec3(u, w, 0), Vec3::UnitZ(), hint)) {
              s->at.motion = i == 0 ? Motion::Rapid : Motion::Cut;
              out.locations.push_back(s->at);
            }
          }
        return out;
      };
      std::vector<double> at;
      for (double w = -9; w < 9; w += 0.9) at.push_back(w);
      const Path before = path(at, false);
      at.push_back(2.25);
      const Path after = path(at, true);
      const Path difference = changedMoves(before, after);
      QCOMPARE(difference.locations.size(), std::size_t{80});
      SurfaceProofOptions o;
      o.cusp = 0.02;
      std::shared_ptr<const CoarseSurface> coarse; // the first answer holds what is found in the end
      o.coarse = [&](std::shared_ptr<const CoarseSurface> c) { coarse = std::move(c); };
      SurfaceRecord record;
      const SurfaceProof first =
          proveSurface(*ground, all, Sweep(profile, before), kind == 1 ? &placing : nullptr, o, record, nullptr, quiet_);
      const SurfaceProof again = proveSurface(*ground, all, Sweep(profile, after), kind == 1 ? &placing : nullptr, o, record,
                                              std::make_unique<Sweep>(profile, difference).get(), quiet_);
      coarse.reset();
      const SurfaceProof whole = proveSurface(*ground, all, Sweep(profile, after), kind == 1 ? &placing : nullptr, o, quiet_);
      QVERIFY(first.areaOverCusp > again.areaOverCusp);
      double most = 0, met = 0;
      for (std::size_t t = 0; t < all.size(); ++t) {
        QVERIFY(coarse->most[t] >= double(whole.facetLeft[t]) - 1e-7 && coarse->left[t] <= whole.facetLeft[t] + 1e-6f);
        most = std::max(most, double(whole.facetLeft[t])), met = std::max(met, double(coarse->left[t]));
      }
      QVERIFY(coarse->met == met && coarse->met > 0.3 * most && coarse->bound >= most && coarse->bound < 1e3);
      QVERIFY(std::abs(again.cusp.bound - whole.cusp.bound) < 0.01 * whole.cusp.bound &&
              std::abs(again.gouge.bound - whole.gouge.bound) < 1e-6);
      QVERIFY(std::abs(again.rest.value - whole.rest.value) < 1e-6 &&
              std::abs(again.areaOverCusp - whole.areaOverCusp) < 0.01 * whole.areaOverCusp);
      std::size_t differ = 0, changed = 0;
      for (std::size_t t = 0; t < all.size(); ++t) {
        differ += std::abs(again.facetLeft[t] - whole.facetLeft[t]) > 0.01F * whole.facetLeft[t]; // crests are met to a hundredth
        changed += again.facetLeft[t] != first.facetLeft[t];
        if (std::abs(ground->mesh.corner(t, 0).y() - 2.25) > 4.5 && first.facetLeft[t] < o.cusp)
          QCOMPARE(again.facetLeft[t], first.facetLeft[t]);
      }
      QVERIFY2(differ == 0 && changed > 0, qPrintable(QString("%1 %2").arg(differ).arg(changed)));
    }
  }

  void gougeOfOtherProfilesIsCertified() {
    // Flat, bull nose, taper and barrel run into a wavy ground, the axis upright or turning: no place cut lies deeper in the part than
    // the bound, which is not far above what brute force meets.
    std::mt19937 random(3);
    std::uniform_real_distribution<double> u(-1, 1);
    std::size_t which = 0; // every case in one orientation
    for (const bool turning : {false, true})
      for (const Cutter& c : shapes::cutters()) {
        const Profile profile = makeProfile(c);
        if (profile.ballRadius() > 0) continue;
        const Mat3 turn = shapes::orientations()[which++ % 3];
        const auto height = [](double x, double y) { return 0.15 * std::sin(x) * std::cos(y); };
        const auto ground = shapes::field(-3, 3, -3, 3, 30, 30, height, turn);
        Path path;
        Vec3 axis = Vec3(0.1 * u(random), 0.1 * u(random), 1).normalized();
        for (int i = 0; i < 5; ++i) {
          path.locations.push_back(
              at(turn * Vec3(1.5 * i - 3, 0.5 * u(random), 0.1 + 0.02 * u(random)), turn * axis, i == 0 ? Motion::Rapid : Motion::Cut));
          if (turning) axis = (axis + 0.02 * Vec3(u(random), u(random), 0)).normalized();
        }
        const Sweep sweep(profile, path);
        SurfaceProofOptions o;
        o.gouge = 1e-4;
        std::vector<char> inner(ground->mesh.triangles.size());
        for (std::size_t k = 0; k < inner.size(); ++k)
          inner[k] = (turn.transpose() * ground->mesh.corner(k, 0)).head<2>().cwiseAbs().maxCoeff() < 2; // the sheet's border is not near
        const Measured gouge = proveSurface(*ground, inner, sweep, nullptr, o, quiet_).gouge;
        double deepest = 0;
        for (int i = 0; i < 20000; ++i) {
          const double x = 1.8 * u(random), y = 1.8 * u(random);
          const RayHit hit = castRay(*ground->tree, turn * Vec3(x, y, 5), -(turn * Vec3::UnitZ()));
          const Vec3 p = turn * Vec3(x, y, 5 - hit.distance), n = ground->mesh.facetNormal(static_cast<std::size_t>(hit.triangle));
          const double e = sweep.firstEntry(p, n, 1.0, 5).t;
          if (e < 0) deepest = std::max(deepest, closestPoint(*ground->tree, p + e * n).distance);
        }
        const auto told = QString("%1 %2: brute %3 value %4 bound %5")
                              .arg(c.name.c_str())
                              .arg(turning)
                              .arg(deepest)
                              .arg(gouge.value)
                              .arg(gouge.bound)
                              .toUtf8();
        QVERIFY2(gouge.bound >= deepest - 1e-9 && gouge.bound >= gouge.value, told.constData());
        const double sharp = c.kind == CutterKind::Chamfer || c.kind == CutterKind::Drill ? 1.3 : 1.1; // a trench with a sharp bottom
        QVERIFY2(gouge.bound < sharp * std::max(deepest, gouge.value) + 2e-4, told.constData());
      }
  }

  void insideCornerRest_data() {
    QTest::addColumn<double>("angle");
    QTest::newRow("60 degrees") << 60.0;
    QTest::newRow("90 degrees") << 90.0;
    QTest::newRow("120 degrees") << 120.0;
  }
  void insideCornerRest() {
    // Shortest distance from the corner line to removed space: R (1 / sin(g/2) - 1); measured near the corner line.
    QFETCH(double, angle);
    const double R = 4, half = radians(angle / 2), expected = R * (1 / std::sin(half) - 1), slope = std::tan(kPi / 2 - half);
    for (const Mat3& turn : shapes::orientations()) {
      const auto valley = shapes::field(
          -3, 3, -8, 8, 6, 512, [&](double, double y) { return std::abs(y) * slope; }, turn);
      const Profile ball = makeProfile(shapes::cutters()[1]);
      // One dense pass where the ball sits in the valley.
      Path path;
      const double z = R / std::sin(half) - R;
      path.locations = {at(turn * Vec3(-6, 0, z), shapes::up(turn), Motion::Rapid), at(turn * Vec3(6, 0, z), shapes::up(turn))};
      std::vector<char> region(valley->mesh.triangles.size(), 0);
      for (std::size_t t = 0; t < region.size(); ++t)
        region[t] = std::abs((turn.transpose() * valley->mesh.corner(t, 0)).y()) < 0.05 &&
                    std::abs((turn.transpose() * valley->mesh.corner(t, 1)).y()) < 0.05;
      const Placing reach(*valley, ball, shapes::up(turn), {}, 0);
      SurfaceProofOptions o;
      o.cusp = 0.005;
      const SurfaceProof p = proveSurface(*valley, region, Sweep(ball, path), &reach, o, quiet_);
      QVERIFY2(std::abs(p.rest.value / expected - 1) < 0.02, qPrintable(QString("%1 against %2").arg(p.rest.value).arg(expected)));
    }
  }

  void theDistanceKeptIsCertified() {
    // Random moves of every cutter past random rays and plates, against the distance of points strewn over their sides.
    std::mt19937 random(17);
    std::uniform_real_distribution<double> u(-1, 1);
    const double keep = 1.5;
    int near = 0, touching = 0;
    for (int trial = 0; trial < 42; ++trial) {
      const Profile profile = makeProfile(shapes::cutters()[static_cast<std::size_t>(trial % 7)]);
      const Mat3 turn = shapes::orientations()[static_cast<std::size_t>(trial / 7 % 3)];
      const Vec3 up = shapes::up(turn);
      std::vector<Vec3> soup;
      for (int k = 0; k < 6; ++k) {
        const Vec3 from(9 * u(random), 12 * u(random), -3 + 3 * u(random)),
            to = from + Vec3(0.4 * u(random), 0.4 * u(random), 3 + 3 * u(random));
        for (const Vec3& p : {from, Vec3(from + Vec3(k % 2 ? 0.2 : 4, 0, 0)), to}) soup.push_back(turn * p);
      }
      const auto part = partFromTriangles(soup, "rays");
      Path path;
      for (int k = 0; k < 3; ++k)
        path.locations.push_back(at(turn * Vec3(9 * u(random), 12 * u(random), 1.5 * u(random)), up, k ? Motion::Cut : Motion::Rapid));
      const Measured m = proveGouge(*part, profile, path, {keep, 0.02}, quiet_);
      double least = 1e300;
      for (std::size_t i = 1; i < 3; ++i)
        for (std::size_t t = 0; t < part->mesh.triangles.size(); ++t)
          for (int a = 0; a <= 40; ++a)
            for (int b = 0; b <= 80; ++b) {
              const Vec3 foot = part->mesh.corner(t, 0) + a / 40.0 * (part->mesh.corner(t, 1) - part->mesh.corner(t, 0));
              const Vec3 p = foot + b / 80.0 * (part->mesh.corner(t, 2) - foot), v = p - path.locations[i - 1].tip,
                         way = path.locations[i].tip - path.locations[i - 1].tip;
              // Along the move the distance of a point is convex: thirds close in on the least.
              double lo = 0, hi = 1;
              const auto distance = [&](double x) {
                const Vec3 d = v - x * way;
                const double z = d.dot(up);
                Vec2 g;
                return profile.distance((d - z * up).norm(), z, g);
              };
              if (distance(0.5) - 0.5 * way.norm() > std::min(least, keep)) continue;
              for (int k = 0; k < 40; ++k) {
                const double x = lo + (hi - lo) / 3, y = hi - (hi - lo) / 3;
                (distance(x) < distance(y) ? hi : lo) = distance(x) < distance(y) ? y : x;
              }
              least = std::min(least, distance(0.5 * (lo + hi)));
            }
      const QString what = QString("trial %1: %2 to %3, points %4").arg(trial).arg(m.value).arg(m.bound).arg(keep - least);
      QVERIFY2(m.bound >= keep - least - 1e-9 || m.bound >= keep, qPrintable(what));
      if (least > 0.01 && least < keep) {
        QVERIFY2(m.bound - m.value <= 1e-4 + 1e-9 && std::abs(m.value - (keep - least)) < 0.06, qPrintable(what)); // between the points
        ++near;
      } else if (least < -0.01) {
        QVERIFY2(m.value > keep, qPrintable(what));
        QVERIFY(proveGouge(*part, profile, path, {0, 0.02}, quiet_).value > 0); // with nothing to be kept, too
        ++touching;
      } else if (least >= keep) {
        QVERIFY2(m.value < 0.06, qPrintable(what));
      }
    }
    QVERIFY2(near > 8 && touching > 8, qPrintable(QString("%1 near, %2 touching").arg(near).arg(touching)));
  }

  void aCornerDoesNotHideTheCuspsBesideIt() {
    // Two large facets of a floor at the foot of a wall: what the ball leaves in the corner is rest, far more than any cusp; the
    // cusps on the same facets are found all the same.
    const double step = 0.6, h = 4 - std::sqrt(16 - step * step / 4);
    for (const Mat3& turn : shapes::orientations()) {
      std::vector<Vec3> soup;
      for (const auto& [x0, x1] : {std::pair(-20.0, -10.0), std::pair(-10.0, 10.0), std::pair(10.0, 20.0)})
        for (const Vec3& v : {Vec3(x0, -12, 0), Vec3(x1, -12, 0), Vec3(x1, 0, 0), Vec3(x0, -12, 0), Vec3(x1, 0, 0), Vec3(x0, 0, 0),
                              Vec3(x0, 0, 0), Vec3(x1, 0, 0), Vec3(x1, 0, 9), Vec3(x0, 0, 0), Vec3(x1, 0, 9), Vec3(x0, 0, 9)})
          soup.push_back(turn * v);
      const auto part = partFromTriangles(soup, "floor and wall");
      const Vec3 up = shapes::up(turn);
      std::vector<char> floor;
      for (std::size_t t = 0; t < part->mesh.triangles.size(); ++t) floor.push_back(t / 4 == 1 && part->mesh.facetNormal(t).dot(up) > 0.9);
      const Profile ball = makeProfile(shapes::cutters()[1]);
      Path path;
      for (double y = -4; y > -13; y -= step)
        for (const double x : {-14.0, 14.0}) path.locations.push_back(at(turn * Vec3(x, y, 0), up, x < 0 ? Motion::Rapid : Motion::Cut));
      const Placing reach(*part, ball, up, {}, 0);
      SurfaceProofOptions o;
      o.cusp = 0.5 * h;
      const SurfaceProof p = proveSurface(*part, floor, Sweep(ball, path), &reach, o, quiet_);
      QVERIFY2(std::abs(p.cusp.value / h - 1) < 0.02 && p.cusp.bound >= h - 1e-9,
               qPrintable(QString("cusp %1 (bound %2) of %3").arg(p.cusp.value).arg(p.cusp.bound).arg(h)));
      QVERIFY2(std::abs(p.rest.value - 4 * (std::sqrt(2.0) - 1)) < 0.05, qPrintable(QString::number(p.rest.value)));
      QVERIFY(p.areaOverCusp > 20 && p.areaOverCusp < 240 && p.areaRest > 1 && p.areaRest < 100);
      QVERIFY(std::abs(p.areaRegion - 240) < 1e-6 && !p.over.empty());
    }
  }

  void aScratchBesideARidgeIsNoDeepGouge() {
    // A ridge of a right angle: the normals of one side run in the other. A ball that scratches one side by 2 um near the
    // ridge takes 2 um, however far along the normal of the other side it is met; one that cuts the ridge off takes that much.
    const Profile ball = makeProfile(shapes::cutters()[1]);
    for (const Mat3& turn : shapes::orientations()) {
      const auto ridge = shapes::field(
          -6, 6, -4, 4, 6, 32, [](double, double y) { return -std::abs(y); }, turn);
      const std::vector<char> all(ridge->mesh.triangles.size(), 1);
      const auto scratched = [&](double deep, double aside) {
        // The centre runs along the ridge over one side, `aside` down the slope, R - deep from it.
        const Vec3 n = Vec3(0, 1, 1).normalized(), down = Vec3(0, 1, -1).normalized();
        const Vec3 centre = aside * down + (4 - deep) * n;
        Path p;
        for (const double x : {-9.0, 9.0})
          p.locations.push_back(at(turn * Vec3(x, centre.y(), centre.z() - 4), shapes::up(turn), x < 0 ? Motion::Rapid : Motion::Cut));
        SurfaceProofOptions o;
        o.cusp = 0.01;
        return proveSurface(*ridge, all, Sweep(ball, p), nullptr, o, quiet_).gouge;
      };
      for (const double aside : {0.3, 0.01, 0.0}) {
        const Measured g = scratched(0.002, aside);
        QVERIFY2(g.value > 0.0005 && g.value <= g.bound && g.bound >= 0.002 - 1e-9 && g.bound < 0.0022,
                 qPrintable(QString("%1 aside: %2, bound %3 um").arg(aside).arg(g.value * 1e3).arg(g.bound * 1e3)));
      }
      const Measured deep = scratched(0.3, 0.5);
      QVERIFY(std::abs(deep.value - 0.3) < 0.01 && deep.bound >= 0.3 - 1e-9 && deep.bound < 0.31);
      QVERIFY(scratched(-0.001, 0.2).bound < 1e-9); // in air
    }
  }
};

QTEST_APPLESS_MAIN(TestProof)
#include "tst_proof.moc"
