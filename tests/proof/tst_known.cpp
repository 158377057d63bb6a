// Known answers of the cusp: h = s^2 k_rel / 8 with k_rel = det D / (f' D f), on every kind of ground, for cutters that lean
// both ways, in three orientations, mirrored and in inches; a densely stepped cutter is the witness.
#include "passes.h"
#include "proof/surface_proof.h"
#include "shapes.h"
#include "stock/sweep.h"
#include <QtTest>

using namespace hemline;

namespace {

struct Case {
  const char* name;
  std::function<double(double, double)> height;
  double xx, xy, yy; ///< second derivatives of the height at the middle
  std::size_t cutter;
  double lead, tilt, along; ///< degrees
  double spacing = 0.4;
};

std::vector<Case> cases() {
  const auto plane = [](double, double) { return 0.0; };
  const auto sphere = [](double rho) {
    return [rho](double x, double y) {
      return rho > 0 ? std::sqrt(rho * rho - x * x - y * y) - rho : -rho - std::sqrt(rho * rho - x * x - y * y);
    };
  };
  const auto cylinder = [](double rho) {
    return [rho](double, double y) { return rho > 0 ? std::sqrt(rho * rho - y * y) - rho : -rho - std::sqrt(rho * rho - y * y); };
  };
  const auto saddle = [](double x, double y) { return (x * x - y * y) / 50; };
  const auto torus = [](double x, double y) { // tube 12 about a ring of 30, seen from outside
    const double tube = 12, ring = 30, out = std::sqrt((ring + tube) * (ring + tube) - x * x);
    return std::sqrt(std::max(0.0, (out - ring > 0 ? tube * tube - y * y : 0.0))) + std::sqrt(ring * ring - x * x) - ring - tube;
  };
  const double b = 1.0 / 25;
  return {
      {"plane, ball", plane, 0, 0, 0, 1, 0, 0, 20},
      {"plane, flat, lead 10", plane, 0, 0, 0, 0, 10, 0, 20},
      {"plane, flat, lead 10 and tilt 4", plane, 0, 0, 0, 0, 10, 4, 20},
      {"plane, bull nose, lead 6", plane, 0, 0, 0, 2, 6, 0, 70},
      {"plane, bull nose, both", plane, 0, 0, 0, 2, 8, 10, 0, 0.12},
      {"convex sphere, ball", sphere(25), -b, 0, -b, 1, 0, 0, 30},
      {"concave sphere, ball", sphere(-25), b, 0, b, 1, 0, 0, 30},
      {"convex sphere, bull nose, both", sphere(25), -b, 0, -b, 2, 8, 10, 0, 0.12},
      {"convex cylinder, along", cylinder(25), 0, 0, -b, 1, 0, 0, 0},
      {"convex cylinder, around", cylinder(25), 0, 0, -b, 1, 0, 0, 90},
      {"concave cylinder, along", cylinder(-25), 0, 0, b, 1, 0, 0, 0},
      {"saddle, ball, along", saddle, b, 0, -b, 1, 0, 0, 0},
      {"saddle, ball, at 45", saddle, b, 0, -b, 1, 0, 0, 45},
      {"saddle, bull nose, both, at 45", saddle, b, 0, -b, 2, 12, -7, 45, 0.12},
      {"torus, ball, at 45", torus, -1.0 / 30, 0, -1.0 / 12, 1, 0, 0, 45},
      {"torus, tapered ball, tilted", torus, -1.0 / 30, 0, -1.0 / 12, 3, 5, 12, 45, 0.3},
      {"plane, barrel on its side", plane, 0, 0, 0, 4, 0, 84, 0, 1.2},
      {"convex cylinder, barrel on its side", cylinder(25), 0, 0, -b, 4, 0, 84, 0, 1.0},
      {"concave cylinder, barrel on its side", cylinder(-100), 0, 0, 1.0 / 100, 4, 0, 84, 0, 1.2},
  };
}

/// k_rel at the middle, from the curvatures alone: the cutter's torus of corner r about a circle of Rc, leaning.
double relativeCurvature(const Case& c, const Cutter& cutter) {
  const double phi = radians(c.along), tiny = 1e-7;
  const Vec3 f(std::cos(phi), std::sin(phi), 0), axis = leanAxis(Vec3::UnitZ(), f, radians(c.lead), radians(c.tilt));
  const double r = cutter.kind == CutterKind::Flat       ? tiny
                   : cutter.kind == CutterKind::BullNose ? cutter.corner
                   : cutter.kind == CutterKind::Barrel   ? cutter.profileRadius
                                                         : cutter.diameter / 2;
  const double circle = cutter.diameter / 2 - r, sine = axis.head<2>().norm();
  const Vec2 lean = sine > 1e-12 ? Vec2(axis.head<2>() / sine) : Vec2(1, 0), side(-lean.y(), lean.x());
  const double around = std::abs(circle) > tiny / 2 ? sine / (circle + r * sine) : 1 / r;
  Eigen::Matrix2d D = 1 / r * lean * lean.transpose() + around * side * side.transpose();
  D(0, 0) -= c.xx, D(0, 1) -= c.xy, D(1, 0) -= c.xy, D(1, 1) -= c.yy; // a hollow takes away
  return D.determinant() / (f.head<2>().transpose() * D * f.head<2>());
}

struct Set {
  std::shared_ptr<const Part> part;
  Profile profile;
  Path path;
  std::vector<char> middle; ///< facets about the crest's middle
};

/// Two passes that touch at half the spacing to either side of the middle, placed by the planner's own pose field.
Set lay(const Case& c, const Mat3& turn, bool mirror, double scale) {
  Set s;
  const double half = 3 * c.spacing;
  s.part = shapes::field(
      -half * scale, half * scale, -half * scale, half * scale, 80, 80,
      [&](double x, double y) { return scale * c.height(x / scale, (mirror ? -y : y) / scale); }, turn);
  Cutter cutter = shapes::cutters()[c.cutter];
  cutter.diameter *= scale, cutter.corner *= scale, cutter.profileRadius *= scale, cutter.fluteLength *= scale;
  s.profile = makeProfile(cutter);
  const double phi = radians(mirror ? -c.along : c.along);
  const Vec3 up = shapes::up(turn), along = turn * Vec3(std::cos(phi), std::sin(phi), 0), across = up.cross(along);
  const Placing placing(*s.part, s.profile, up, {true, radians(c.lead), radians(mirror ? -c.tilt : c.tilt)}, 0);
  int hint = -1;
  for (const double w : {-0.5, 0.5})
    for (int i = -80; i <= 80; ++i) {
      const auto contact = contactUnder(*s.part, (0.025 * i * along + w * across) * c.spacing * scale, up, across);
      auto stand = contact ? placing.at(*contact, 0, hint) : std::nullopt;
      if (!stand) continue;
      stand->at.motion = i == -80 ? Motion::Rapid : Motion::Cut;
      s.path.locations.push_back(stand->at);
    }
  for (std::size_t t = 0; t < s.part->mesh.triangles.size(); ++t) {
    const Vec3 m = turn.transpose() * (s.part->mesh.corner(t, 0) + s.part->mesh.corner(t, 1) + s.part->mesh.corner(t, 2)) / 3;
    s.middle.push_back(m.head<2>().norm() < 0.22 * c.spacing * scale);
  }
  return s;
}

/// Where the normal ray first meets the cutter on the one pass or the other, stepped along every move near it.
double stepped(const Set& s, bool second, const Vec3& p, const Vec3& n) {
  double least = 1e300;
  const auto& l = s.path.locations;
  for (std::size_t i = second ? l.size() / 2 : 1; i < (second ? l.size() : l.size() / 2); ++i) {
    if (l[i].motion == Motion::Rapid || (l[i].contact - p).norm() > 0.3 * s.profile.maxRadius()) continue;
    const auto entry = [&](double u) {
      Vec3 tip, axis;
      poseAlong(l[i - 1], l[i], u, tip, axis);
      const auto distance = [&](double t) {
        const Vec3 v = p + t * n - tip;
        const double z = v.dot(axis);
        Vec2 g;
        return s.profile.distance((v - z * axis).norm(), z, g);
      };
      // Outside the surface lies the cutter's inside: bisected between a place in the ground and one in the cutter.
      double out = -0.1, in = 0.1 * s.profile.maxRadius();
      if (distance(in) > 0 || distance(out) < 0) return 1e300;
      for (int b = 0; b < 50; ++b) (distance(0.5 * (out + in)) > 0 ? out : in) = 0.5 * (out + in);
      return in;
    };
    constexpr int steps = 8;
    int best = 0;
    double low = 1e300;
    for (int k = 0; k <= steps; ++k)
      if (const double e = entry(static_cast<double>(k) / steps); e < low) low = e, best = k;
    // Closer about the best step; what is kept is always a pose that was tried.
    double a = std::max(0.0, (best - 1.0) / steps), b = std::min(1.0, (best + 1.0) / steps);
    for (int k = 0; k < 40 && low < least + 1e-3; ++k) {
      const double x = a + 0.382 * (b - a), y = a + 0.618 * (b - a), ex = entry(x), ey = entry(y);
      low = std::min({low, ex, ey});
      (ex < ey ? b : a) = ex < ey ? y : x;
    }
    least = std::min(least, low);
  }
  return least;
}

} // namespace

class TestKnown : public QObject {
  Q_OBJECT
  Progress quiet_;

  SurfaceProof measured(const Set& s, double promise) {
    SurfaceProofOptions o;
    o.cusp = promise;
    return proveSurface(*s.part, s.middle, Sweep(s.profile, s.path), nullptr, o, quiet_);
  }

private slots:
  void cuspFollowsTheRelativeCurvature_data() {
    QTest::addColumn<int>("number");
    int i = 0;
    for (const Case& c : cases()) QTest::newRow(c.name) << i++;
  }
  void cuspFollowsTheRelativeCurvature() {
    QFETCH(int, number);
    const Case c = cases()[static_cast<std::size_t>(number)];
    const Cutter cutter = shapes::cutters()[c.cutter];
    const double wanted = c.spacing * c.spacing * relativeCurvature(c, cutter) / 8;
    for (const Mat3& turn : shapes::orientations()) {
      const Set s = lay(c, turn, false, 1);
      QVERIFY(s.path.locations.size() > 300);
      const Vec3 p = turn * Vec3(0, 0, c.height(0, 0)), n = shapes::up(turn);
      const double one = stepped(s, false, p, n), other = stepped(s, true, p, n), brute = std::min(one, other);
      const double swept = Sweep(s.profile, s.path).firstEntry(p, n, 0.1, 1).t;
      const QByteArray told =
          QString("closed form %1, stepped %2, swept %3 um").arg(wanted * 1e3).arg(brute * 1e3).arg(swept * 1e3).toUtf8();
      QVERIFY2(std::abs(swept - brute) < (s.profile.ballRadius() > 0 ? 1e-6 : 2e-5), told.constData());
      QVERIFY2(swept <= brute + 2e-8, told.constData());                             // it misses no pose that was stepped on
      QVERIFY2(std::abs(0.5 * (one + other) / wanted - 1) < 0.01, told.constData()); // a leaning cutter cuts one side less
      const SurfaceProof proof = measured(s, 0.97 * wanted);
      QVERIFY(proof.cusp.bound >= brute - 1e-6 && proof.cusp.value >= 0.99 * brute);
      QVERIFY2(proof.cusp.value < 1.03 * brute && proof.cusp.bound < 1.05 * brute,
               qPrintable(QString("%1, bound %2 of %3").arg(proof.cusp.value).arg(proof.cusp.bound).arg(brute)));
    }
  }

  void mirroredAndInInchesItIsTheSame() {
    for (const Case& c : cases()) {
      if (c.cutter != 1 && c.tilt == 0) continue;
      const double wanted = c.spacing * c.spacing * relativeCurvature(c, shapes::cutters()[c.cutter]) / 8;
      const double plain = measured(lay(c, Mat3::Identity(), false, 1), 0.9 * wanted).cusp.value;
      const double mirror = measured(lay(c, Mat3::Identity(), true, 1), 0.9 * wanted).cusp.value;
      const double inch = measured(lay(c, Mat3::Identity(), false, kInch), 0.9 * wanted * kInch).cusp.value;
      QVERIFY2(std::abs(mirror / plain - 1) < 5e-3, c.name); // the facets' diagonals are not mirrored
      QVERIFY2(std::abs(inch / (plain * kInch) - 1) < 5e-3, c.name);
    }
  }

  void aCylinderOnItsSideCutsByTheTwist() {
    // z = k x y is ruled along x. A cylinder of radius R that lies on each ruling's middle cuts R (1 - cos psi) too deep at x, where the
    // ground has turned by psi = atan(k x) against the middle; where nothing twists (k = 0) it cuts the ground itself.
    const double R = 4;
    const Profile flat = makeProfile(shapes::cutters()[0]);
    for (const Mat3& turn : shapes::orientations())
      for (const double sign : {1.0, -1.0}) // mirrored, it is the same
        for (const double k : {0.0, 0.015}) {
          Path path;
          for (int i = -40; i <= 40; ++i) {
            const double y = 0.05 * i;
            const Vec3 ruling = Vec3(1, 0, sign * k * y).normalized(), normal = Vec3(-sign * k * y, 0, 1).normalized();
            const Vec3 tip = Vec3(0, y, 0) + R * normal - 7 * ruling;
            path.locations.push_back(shapes::at(turn * tip, turn * ruling, i == -40 ? Motion::Rapid : Motion::Cut));
          }
          const Sweep sweep(flat, path);
          for (const double x : {-6.0, -3.0, 0.0, 4.0, 6.0}) {
            const double psi = std::atan(k * x), wanted = -R * (1 - std::cos(psi));
            const double e = sweep.firstEntry(turn * Vec3(x, 0, 0), turn * Vec3(0, -sign * k * x, 1).normalized(), 1, 1).t;
            QVERIFY2(std::abs(e - wanted) < 2e-8 + 0.02 * std::abs(wanted),
                     qPrintable(QString("%1 for %2 at %3").arg(e).arg(wanted).arg(x)));
          }
        }
  }

  void aSecondCutterTakesWhatTheFirstLeft() {
    // A corner of 90 degrees, a large ball and then a small one along it: what is left is what the small one leaves.
    const double large = 6, small = 2;
    for (const Mat3& turn : shapes::orientations()) {
      const auto valley = shapes::field(
          -3, 3, -9, 9, 6, 360, [](double, double y) { return std::abs(y); }, turn);
      const auto along = [&](double R, bool more, Path& path) {
        const double z = R * std::sqrt(2.0) - R;
        path.locations.push_back(shapes::at(turn * Vec3(-5, 0, z), shapes::up(turn), more ? Motion::Link : Motion::Rapid));
        path.locations.push_back(shapes::at(turn * Vec3(5, 0, z), shapes::up(turn)));
      };
      std::vector<double> left;
      for (const double R : {large, small}) {
        Cutter c = shapes::cutters()[1];
        c.diameter = 2 * R;
        Path path;
        along(R, false, path);
        const Sweep sweep(makeProfile(c), path);
        // From the corner line straight up.
        left.push_back(sweep.firstEntry(Vec3::Zero(), shapes::up(turn), 0, 50).t);
        QVERIFY(std::abs(left.back() - R * (std::sqrt(2.0) - 1)) < 1e-6);
      }
      QVERIFY(std::abs(left[0] / left[1] - large / small) < 1e-6);
    }
  }
};

QTEST_APPLESS_MAIN(TestKnown)
#include "tst_known.moc"
