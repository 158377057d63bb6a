// Exact CAD surfaces: the tessellation laid on them, what is asked of them, and cutters and proofs that use them. Tessellations are kept
// coarse on purpose: the answers must be those of the surface.
#include "finishing/exact_touch.h"
#include "passes.h"
#include "proof/gouge.h"
#include "proof/surface_pieces.h"
#include "shapes.h"
#include "study/study.h"
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_Transform.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCone.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <BRepPrimAPI_MakeTorus.hxx>
#include <Message.hxx>
#include <Message_Messenger.hxx>
#include <QTemporaryDir>
#include <QtTest>
#include <STEPControl_Writer.hxx>
#include <TopoDS_Face.hxx>
#include <gp_Cylinder.hxx>
#include <set>

using namespace hemline;

namespace {

TopoDS_Shape turned(const TopoDS_Shape& shape, const Mat3& m) {
  gp_Trsf t;
  t.SetValues(m(0, 0), m(0, 1), m(0, 2), 3, m(1, 0), m(1, 1), m(1, 2), -2, m(2, 0), m(2, 1), m(2, 2), 1);
  return BRepBuilderAPI_Transform(shape, t, true).Shape();
}
const Vec3 kMoved(3, -2, 1);

/// Part of a pipe along x, hollow upward, about the origin.
TopoDS_Shape gutter(double rho) {
  const gp_Cylinder pipe(gp_Ax3(gp_Pnt(0, 0, 0), gp_Dir(1, 0, 0), gp_Dir(0, 0, -1)), rho);
  return BRepBuilderAPI_MakeFace(pipe, -0.9, 0.9, 0, 10).Face();
}

} // namespace

class TestExact : public QObject {
  Q_OBJECT
  QTemporaryDir dir_;
  Progress quiet_;

  std::shared_ptr<const Part> read(const TopoDS_Shape& shape, double chord) {
    Message::DefaultMessenger()->ChangePrinters().Clear();
    const std::string path = dir_.filePath("shape.step").toStdString();
    STEPControl_Writer writer;
    if (writer.Transfer(shape, STEPControl_AsIs) != IFSelect_RetDone || writer.Write(path.c_str()) != IFSelect_RetDone)
      qFatal("not written");
    ReadOptions o;
    o.chord = chord;
    return readPart(path, o, quiet_);
  }

private slots:
  void netsAreClosedFineAndWellShaped() {
    struct Solid {
      const char* name;
      TopoDS_Shape shape;
      double volume;
    };
    const double R = 12, r = 4, h = 20;
    const std::vector<Solid> solids{
        {"cylinder", BRepPrimAPI_MakeCylinder(R, h).Shape(), kPi * R * R * h},
        {"sphere", BRepPrimAPI_MakeSphere(R).Shape(), 4.0 / 3 * kPi * R * R * R},
        {"torus", BRepPrimAPI_MakeTorus(R, r).Shape(), 2 * kPi * kPi * R * r * r},
        {"cone", BRepPrimAPI_MakeCone(R, 2, h).Shape(), kPi * h / 3 * (R * R + 2 * R + 4)},
        {"block", BRepPrimAPI_MakeBox(30, 20, 10).Shape(), 6000},
        {"post on a plate",
         BRepAlgoAPI_Fuse(BRepPrimAPI_MakeBox(gp_Pnt(-20, -20, -5), gp_Pnt(20, 20, 0)).Shape(), BRepPrimAPI_MakeCylinder(R, h).Shape())
             .Shape(),
         40 * 40 * 5 + kPi * R * R * h}};
    for (const Mat3& turn : shapes::orientations())
      for (const Solid& s : solids) {
        double before = 1e300;
        for (const double chord : {0.05, 0.005, 0.001}) {
          const auto part = read(turned(s.shape, turn), chord);
          const QByteArray told = (QString("%1 at %2: error %3").arg(s.name).arg(chord).arg(part->facetError)).toUtf8();
          QVERIFY2(
              part->exact && part->report.closed && part->report.nonManifoldEdges == 0,
              qPrintable(QString("%1, %2 at %3").arg(QString(told)).arg(part->report.boundaryEdges).arg(part->report.nonManifoldEdges)));
          QVERIFY2(part->facetError <= chord, told.constData());
          // Facets of a round body lose volume with the chord, never more than area times chord.
          const double lost = std::abs(part->mesh.volume() - s.volume);
          QVERIFY2(lost <= part->mesh.area() * chord, qPrintable(QString("%1: %2").arg(s.name).arg(lost)));
          QVERIFY2(lost <= before + 1e-6 * s.volume, told.constData());
          before = lost;
          std::size_t thin = 0;
          for (std::size_t t = 0; t < part->mesh.triangles.size(); ++t) {
            double longest = 0;
            for (std::size_t k = 0; k < 3; ++k)
              longest = std::max(longest, (part->mesh.corner(t, k) - part->mesh.corner(t, (k + 1) % 3)).norm());
            thin += 2 * part->mesh.facetArea(t) / longest < 0.05 * longest;
          }
          QVERIFY2(thin * 50 <= part->mesh.triangles.size(),
                   qPrintable(QString("%1 at %2: %3 thin of %4").arg(s.name).arg(chord).arg(thin).arg(part->mesh.triangles.size())));
        }
      }
  }

  void placesAndNormalsAreTheSurfaces() {
    // Sphere and torus at random places of a coarse tessellation: on the surface to rounding, normals outward.
    const double R = 12, r = 4;
    std::mt19937 random(2);
    std::uniform_real_distribution<double> u(0, 1);
    for (const Mat3& turn : shapes::orientations()) {
      const auto sphere = read(turned(BRepPrimAPI_MakeSphere(R).Shape(), turn), 0.05);
      const auto torus = read(turned(BRepPrimAPI_MakeTorus(R, r).Shape(), turn), 0.05);
      for (int i = 0; i < 300; ++i) {
        double a = u(random), b = u(random);
        if (a + b > 1) a = 1 - a, b = 1 - b;
        const Place s = placeOn(*sphere, random() % sphere->mesh.triangles.size(), a, b);
        const Vec3 d = s.point - kMoved;
        QVERIFY2(std::abs(d.norm() - R) < 1e-9, qPrintable(QString("%1").arg(d.norm() - R)));
        QVERIFY((s.normal - d / R).norm() < 1e-6);
        const std::size_t t = random() % torus->mesh.triangles.size();
        const Place p = placeOn(*torus, t, a, b);
        const Vec3 q = turn.transpose() * (p.point - kMoved), ring = R * Vec3(q.x(), q.y(), 0).normalized();
        QVERIFY(std::abs((q - ring).norm() - r) < 1e-9);
        QVERIFY((turn.transpose() * p.normal - (q - ring) / r).norm() < 1e-6);
      }
    }
  }

  void whatAPartAsksForIsSized() {
    // A gutter, hollow upward: its radius, the depth of its middle below its rims, and the area steeper than 60 degrees (none).
    // (An open sheet faces up, so it is turned about the vertical only.)
    const double rho = 15;
    for (const double angle : {0.0, 0.6, 2.5}) {
      const Mat3 turn(Eigen::AngleAxisd(angle, Vec3::UnitZ()));
      const Study s = studyPart(*read(turned(gutter(rho), turn), 0.005), Vec3::UnitZ(), quiet_);
      QVERIFY(s.concave && std::abs(*s.concave - rho) < 1e-6);
      QVERIFY2(std::abs(s.depth - rho * (1 - std::cos(0.9))) < 0.02, qPrintable(QString::number(s.depth)));
      QVERIFY(std::abs(s.area - 18 * rho) < 0.1 && s.steepArea == 0 && s.undersideArea == 0);
      const Vec3 at = turn.transpose() * (s.deepest - kMoved);
      QVERIFY2(std::abs(at.y()) < 1 && std::abs(at.z() + rho) < 0.05, qPrintable(QString("%1 %2").arg(at.y()).arg(at.z())));
    }
    // A ball: half of it faces down, a band of it is steep, and nothing is concave.
    const double R = 12;
    const Study ball = studyPart(*read(BRepPrimAPI_MakeSphere(R).Shape(), 0.01), Vec3::UnitZ(), quiet_);
    QVERIFY(!ball.concave);
    QVERIFY(std::abs(ball.steepArea - 2 * kPi * R * R * (std::cos(radians(60)) - std::cos(radians(85)))) < 0.02 * ball.area);
    QVERIFY(std::abs(ball.undersideArea - 0.5 * ball.area) < 0.02 * ball.area);
  }

  void curvaturesOfKnownSurfaces() {
    // Positive where the ground is concave seen from outside: bodies are negative, the torus' inside rim is a saddle.
    const double R = 12, r = 4;
    for (const Mat3& turn : shapes::orientations()) {
      const auto look = [&](const std::shared_ptr<const Part>& part,
                            const std::function<void(const Vec3&, const Vec3&, const ExactSurface::Curvature&)>& check) {
        for (std::size_t t = 0; t < part->mesh.triangles.size(); t += 17) {
          const Place p = placeOn(*part, t, 0.3, 0.3);
          check(turn.transpose() * (p.point - kMoved), p.normal,
                part->surface->curvatureAt(part->mesh.patch[t], parametersOn(*part, t, 0.3, 0.3), p.normal));
        }
      };
      look(read(turned(BRepPrimAPI_MakeSphere(R).Shape(), turn), 0.05), [&](const Vec3&, const Vec3&, const ExactSurface::Curvature& k) {
        QVERIFY(std::abs(k.least + 1 / R) < 1e-9 && std::abs(k.most + 1 / R) < 1e-9);
      });
      look(read(turned(BRepPrimAPI_MakeTorus(R, r).Shape(), turn), 0.05),
           [&](const Vec3& q, const Vec3& n, const ExactSurface::Curvature& k) {
             // One is the tube's; the other 1 / distance from the axis along the normal.
             const double radial = std::hypot(q.x(), q.y()), cosine = (radial - R) / r;
             QVERIFY(std::abs(k.least - std::min(-1 / r, -cosine / radial)) < 1e-9);
             QVERIFY(std::abs(k.most - std::max(-1 / r, -cosine / radial)) < 1e-9);
             QVERIFY(std::abs(k.mostAlong.dot(n)) < 1e-9 && std::abs(k.mostAlong.dot(k.leastAlong)) < 1e-9);
           });
      look(read(turned(BRepPrimAPI_MakeCylinder(R, 20).Shape(), turn), 0.05),
           [&](const Vec3&, const Vec3& n, const ExactSurface::Curvature& k) {
             const bool lid = std::abs(n.dot(turn.col(2))) > 0.5;
             QVERIFY(std::abs(k.least + (lid ? 0 : 1 / R)) < 1e-9 && std::abs(k.most) < 1e-9);
             if (!lid) QVERIFY(std::abs(std::abs(k.mostAlong.dot(turn.col(2))) - 1) < 1e-9); // straight along the axis
           });
    }
  }

  void cuttersTouchTheSurfaceNotItsFacets() {
    // On a sphere: with the corner arc's centre at radius m, the tip lies at sqrt((S + r)^2 - (d - m)^2) - r, and at S while d < m.
    const double S = 12;
    std::mt19937 random(4);
    std::uniform_real_distribution<double> u(-7.5, 7.5);
    for (const Mat3& turn : shapes::orientations()) {
      const auto sphere = read(turned(BRepPrimAPI_MakeSphere(S).Shape(), turn), 0.05);
      const Vec3 up = shapes::up(turn);
      double facets = 0;
      for (const Cutter& c : {shapes::cutters()[1], shapes::cutters()[2]}) {
        const Profile p = makeProfile(c);
        const double r = c.kind == CutterKind::Ball ? 4 : 1.5, m = 4 - r;
        for (int i = 0; i < 60; ++i) {
          const Vec3 line = turn * Vec3(u(random), u(random), 0) + kMoved;
          const double d = (line - kMoved - (line - kMoved).dot(up) * up).norm();
          const double expected = (d < m ? S : std::sqrt((S + r) * (S + r) - (d - m) * (d - m)) - r) - (line - kMoved).dot(up);
          Touch t = touchAlong(*sphere->tree, p, up, line);
          facets = std::max(facets, std::abs(t.height - expected));
          if (d < m + 1) { // the flat end on or near the top: a search by slopes does not find it, the facets' answer stays
            touchExactly(*sphere, p, up, line, t);
            QVERIFY(std::abs(t.height - expected) < 0.05);
            continue;
          }
          QVERIFY2(touchExactly(*sphere, p, up, line, t), qPrintable(QString("%1 at %2").arg(c.name.c_str()).arg(d)));
          QVERIFY2(std::abs(t.height - expected) < 1e-6,
                   qPrintable(QString("%1 at %2: %3").arg(c.name.c_str()).arg(d).arg((t.height - expected) * 1e6)));
          QVERIFY(std::abs((t.contact - kMoved).norm() - S) < 1e-6);
        }
      }
      QVERIFY(facets > 1e-3); // the facets alone would have been far off
    }
  }

  void edgesStayWithTheFacets() {
    // Beside a post the ball hangs on the rim's circle: no touch of a face; the answer on the facets is kept.
    const double R = 12;
    const auto post = read(BRepPrimAPI_MakeCylinder(R, 20).Shape(), 0.002);
    const Profile ball = makeProfile(shapes::cutters()[1]);
    for (const double out : {0.5, 1.5, 3.0}) {
      const Vec3 line((R + out) * std::cos(0.7), (R + out) * std::sin(0.7), 0);
      Touch t = touchAlong(*post->tree, ball, Vec3::UnitZ(), line);
      const double before = t.height, rim = 20 + std::sqrt(16 - out * out) - 4;
      touchExactly(*post, ball, Vec3::UnitZ(), line, t);
      QCOMPARE(t.height, before);
      QVERIFY2(std::abs(t.height - rim) < 0.004, qPrintable(QString("%1: %2 against %3").arg(out).arg(t.height).arg(rim)));
    }
  }

  /// Beside fillets tighter than the ball two faces are touched; facets of the one stand up over it, and what the cutter comes down by there
  /// must not let it into the other: here into the floor, in the corner of a pocket.
  void severalFacesAreTouchedExactly() {
    ReadOptions net;
    Progress quiet;
    Cutter six = shapes::cutters()[1];
    six.diameter = six.shankDiameter = 6;
    const Profile ball = makeProfile(six);
    std::mt19937 random(9);
    std::uniform_real_distribution<double> along(0, 1);
    double one = 0, all = 0, apart = 0;
    net.chord = 0.002;
    const auto fine = readPart(HEMLINE_SOURCE "/demo/pocket-insert.step", net, quiet);
    for (const double chord : {0.005, 0.01, 0.02}) {
      net.chord = chord;
      const auto part = readPart(HEMLINE_SOURCE "/demo/pocket-insert.step", net, quiet);
      for (int i = 0; i < 2000; ++i) {
        const Vec3 line(-31 + 3 * along(random), -18 + 3 * along(random), 0);
        Touch a = touchAlong(*part->tree, ball, Vec3::UnitZ(), line), b = a, c = touchAlong(*fine->tree, ball, Vec3::UnitZ(), line);
        touchExactly(*part, ball, Vec3::UnitZ(), line, a);
        touchExactlyAll(*part, ball, Vec3::UnitZ(), line, b);
        touchExactlyAll(*fine, ball, Vec3::UnitZ(), line, c);
        one = std::max(one, -10 - a.height), all = std::max(all, -10 - b.height);
        if (c.height < -9) apart = std::max(apart, std::abs(b.height - c.height));
      }
    }
    const QString told =
        QString("into the floor: one face %1 um, all %2 um; nets apart by %3 um").arg(1e3 * one).arg(1e3 * all).arg(1e3 * apart);
    if (qEnvironmentVariableIsSet("TELL")) qInfo().noquote() << told;
    QVERIFY2(one > 0.003 && all < 1e-6, qPrintable(told));
  }

  void promiseHoldsOnTheSurfaceWhateverTheNet() {
    // A hollow hardly wider than the ball (9 against 8 mm): the strips leave what two circles leave, on tessellations whose facets lie
    // off by ten times the cusp and by a tenth of it.
    const double rho = 4.5, R = 4, cusp = 0.002;
    const Profile ball = makeProfile(shapes::cutters()[1]);
    for (const double chord : {0.02, 0.0002}) {
      const auto part = read(gutter(rho), chord);
      ParallelOptions o;
      o.cusp = cusp, o.chord = 0.0002, o.safeHeight = 20;
      // Off the rim: over an edge of a face the facets decide, to the tessellation's chord.
      o.region.boundary = {{-1, -2.5}, {11, -2.5}, {11, 2.5}, {-1, 2.5}};
      const PassPlan r = planParallel(*part, ball, o, quiet_);
      // Measured a little inside the boundary, where a pass may end.
      RegionLimits inner = o.region;
      for (Vec2& corner : inner.boundary) corner.y() *= 0.96;
      const auto region = regionFacets(*part, inner, o.up, "test");
      SurfaceProofOptions po;
      po.cusp = cusp, po.gouge = 0.001;
      const SurfaceProof proof = proveSurface(*part, region, Sweep(ball, r.path), nullptr, po, quiet_);
      const QByteArray told =
          (QString("chord %1: cusp %2 bound %3 gouge %4")
               .arg(chord)
               .arg(proof.cusp.value * 1e3)
               .arg(proof.cusp.bound * 1e3)
               .arg(proof.gouge.value * 1e3) +
           QString(" at %1 %2 %3, %4 passes").arg(proof.cusp.at.x()).arg(proof.cusp.at.y()).arg(proof.cusp.at.z()).arg(r.spacing.size()))
              .toUtf8();
      QVERIFY2(proof.cusp.bound <= cusp && proof.cusp.value > 0.9 * cusp, told.constData());
      QVERIFY2(proof.gouge.value <= o.chord, told.constData());
      // Two circles: centres on a circle of rho - R, half a strip of angle apart, leave this between them.
      const double k = rho - R;
      std::set<long> places; // of the passes, in nm
      for (const Location& l : r.path.locations)
        if (l.motion == Motion::Cut) places.insert(std::lround(l.tip.y() * 1e6));
      const std::vector<long> w(places.begin(), places.end());
      QVERIFY(w.size() > 6);
      for (std::size_t i = 1; i < w.size(); ++i) {
        const double half = 0.5 * (std::asin(1e-6 * static_cast<double>(w[i]) / k) - std::asin(1e-6 * static_cast<double>(w[i - 1]) / k));
        const double left = rho - k * std::cos(half) - std::sqrt(R * R - k * k * std::sin(half) * std::sin(half));
        QVERIFY2(left <= cusp, qPrintable(QString::number(left)));
        if (i > 1 && i + 2 < w.size()) QVERIFY2(left >= 0.9 * cusp, qPrintable(QString::number(left)));
      }
    }
  }

  void theBoundHoldsAgainstDenseSampling() {
    // Straight passes over a sphere, too far apart for the promise: the largest cusp by brute force lies between what was met
    // and its bound, and both within two percent.
    const double S = 12, step = 0.6;
    const auto sphere = read(BRepPrimAPI_MakeSphere(S).Shape(), 0.02);
    const Profile ball = makeProfile(shapes::cutters()[1]);
    Path path;
    for (double y = -4.2; y <= 4.2; y += step)
      for (int i = 0; i <= 160; ++i) {
        const double x = -4 + 0.05 * i;
        path.locations.push_back(
            shapes::at({x, y, std::sqrt(256 - x * x - y * y) - 4}, Vec3::UnitZ(), i == 0 ? Motion::Rapid : Motion::Cut));
      }
    const Sweep sweep(ball, path);
    std::vector<char> region(sphere->mesh.triangles.size(), 0);
    for (std::size_t t = 0; t < region.size(); ++t) {
      region[t] = 1;
      for (std::size_t k = 0; k < 3; ++k) {
        const Vec3& p = sphere->mesh.corner(t, k);
        region[t] = region[t] && p.z() > 0 && std::abs(p.x()) < 2.5 && std::abs(p.y()) < 2.5;
      }
    }
    SurfaceProofOptions o;
    o.cusp = 0.001, o.gouge = 0.001;
    const SurfaceProof proof = proveSurface(*sphere, region, sweep, nullptr, o, quiet_);
    double most = 0;
    for (std::size_t t = 0; t < region.size(); ++t)
      for (int i = 0; i <= 12 && region[t]; ++i)
        for (int j = 0; i + j <= 12; ++j) {
          const Place p = placeOn(*sphere, t, i / 12.0, j / 12.0);
          most = std::max(most, sweep.firstEntry(p.point, p.normal, 1, 1).t);
        }
    QVERIFY2(proof.cusp.value > 0.98 * most && proof.cusp.bound >= most && proof.cusp.bound < 1.03 * most,
             qPrintable(QString("met %1, brute %2, bound %3").arg(proof.cusp.value).arg(most).arg(proof.cusp.bound)));
  }

  void raysStartInsideThePartNotBelowTheNextFacet() {
    // Places of a ball lie above its facets by up to the chord; the opposite wall is far.
    const auto ball = read(BRepPrimAPI_MakeSphere(12).Shape(), 0.02);
    const SurfacePieces pieces(*ball);
    for (std::size_t t = 0; t < ball->mesh.triangles.size(); ++t) {
      const Place p = placeOn(*ball, t, 0.3, 0.3);
      const double depth = pieces.depthAt(p.point, p.normal);
      QVERIFY2(depth > 1.9, qPrintable(QString("facet %1: %2").arg(t).arg(depth)));
    }
  }

  void gougeOfHalfBallsIsThatOfTheSurface() {
    // Moves that dip into a ball and a ring (a hollow in its middle), by the ball and by the side of the cutter, on coarse tessellations,
    // against the closed form: no place is nearer to the middle, or to the ring's own, than its radius.
    constexpr double kBall = 12, kRing = 20, kTube = 6;
    Cutter c = shapes::cutters()[1];
    c.fluteLength = 30;
    const Profile ball = makeProfile(c);
    const double R = ball.maxRadius();
    std::mt19937 random(7);
    std::uniform_real_distribution<double> u(-1, 1);
    int deep = 0, clear = 0;
    for (const bool ring : {false, true})
      for (const Mat3& turn : shapes::orientations()) {
        const auto part =
            read(turned(ring ? BRepPrimAPI_MakeTorus(kRing, kTube).Shape() : BRepPrimAPI_MakeSphere(kBall).Shape(), turn), 0.02);
        const auto middle = [&](const Vec3& p) { // nearest place of the middle line
          return ring ? Vec3(kRing * Vec3(p.x(), p.y(), 0).normalized()) : Vec3(Vec3::Zero());
        };
        const double own = ring ? kTube : kBall;
        for (int k = 0; k < 30; ++k) {
          const Vec3 place = middle(Vec3(u(random), u(random), u(random))), n = Vec3(u(random), u(random), u(random)).normalized();
          const Vec3 side = n.cross(Vec3(u(random), u(random), u(random))).normalized();
          const Vec3 axis = k % 2 ? n.cross(side) : (n + 0.8 * side).normalized(); // by the cutter's side, or by its ball
          const double into = 0.15 * std::max(0.0, u(random));
          Path path;
          for (const double s : {-3.0, -0.4, 0.0, 0.4, 3.0}) {
            const Vec3 centre = place + (own + R - into + 0.3 * s * s + 0.01 * std::abs(s)) * n + s * (k % 2 ? side : side.cross(n)) -
                                (k % 2 ? 9.0 : 0.0) * axis;
            path.locations.push_back(
                shapes::at(turn * (centre - R * axis) + kMoved, turn * axis, path.locations.empty() ? Motion::Rapid : Motion::Cut));
          }
          double depth = 0;
          for (std::size_t i = 1; i < path.locations.size(); ++i)
            for (int a = 0; a <= 100; ++a)
              for (int h = 0; h <= 100; ++h) {
                Vec3 tip, along;
                poseAlong(path.locations[i - 1], path.locations[i], a / 100.0, tip, along);
                const Vec3 on = turn.transpose() * (tip + (R + h / 100.0 * (ball.length() - R)) * along - kMoved);
                depth = std::max(depth, own + R - (on - middle(on)).norm());
              }
          if (depth > 0.5 * R) continue;                          // right through the ring's other side
          std::vector<char> near(part->mesh.triangles.size(), 0); // measured; the rest is held against the cutter
          for (std::size_t t = 0; t < near.size(); ++t) near[t] = (part->mesh.corner(t, 0) - kMoved - turn * (place + own * n)).norm() < 7;
          SurfaceProofOptions o;
          o.cusp = 1, o.gouge = 0.001;
          SurfaceProof p = proveSurface(*part, near, Sweep(ball, path), nullptr, o, quiet_);
          addGougeElsewhere(p, *part, ball, path, 0, o.gouge, quiet_);
          QVERIFY2(p.gouge.bound >= depth - 1e-6 && p.gouge.bound <= 1.2 * depth + 0.002 + 2 * part->facetError &&
                       p.gouge.value <= depth + part->facetError,
                   qPrintable(QString("ring %1, %2: %3 to %4 of %5").arg(ring).arg(k).arg(p.gouge.value).arg(p.gouge.bound).arg(depth)));
          ++(depth > 0.001 ? deep : clear);
        }
      }
    QVERIFY2(deep > 50 && clear > 30, qPrintable(QString("%1 deep, %2 clear").arg(deep).arg(clear)));
  }
};

QTEST_APPLESS_MAIN(TestExact)
#include "tst_exact.moc"
