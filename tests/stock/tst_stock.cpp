#include "shapes.h"
#include "stock/stock.h"
#include "stock/stock_surface.h"
#include "stock/sweep.h"
#include "stock/swept_move.h"
#include <QtTest>
#include <numeric>

using namespace hemline;
using shapes::at;

namespace {

/// First entry by brute force: the cutter stepped densely along every move, bisected along the ray at each pose.
double bruteEntry(const Profile& profile, const Path& path, const Vec3& p, const Vec3& n, double depth, int steps) {
  double best = 1e300;
  for (std::size_t i = 1; i < path.locations.size(); ++i) {
    if (path.locations[i].motion == Motion::Rapid) continue;
    const auto entry = [&](double u) {
      Vec3 tip, axis;
      poseAlong(path.locations[i - 1], path.locations[i], u, tip, axis);
      const auto distance = [&](double t) {
        const Vec3 v = p + t * n - tip;
        const double z = v.dot(axis);
        Vec2 g;
        return profile.distance((v - z * axis).norm(), z, g);
      };
      // The distance is convex along the ray: its lowest place, then the near end of what lies inside.
      double a = -depth, b = 8;
      for (int k = 0; k < 90; ++k) {
        const double x = a + (b - a) / 3, y = b - (b - a) / 3;
        if (distance(x) < distance(y))
          b = y;
        else
          a = x;
      }
      double hi = 0.5 * (a + b), lo = -depth;
      if (distance(hi) > 0) return 1e300;
      if (distance(lo) <= 0) return lo;
      for (int k = 0; k < 60; ++k) (distance(0.5 * (lo + hi)) <= 0 ? hi : lo) = 0.5 * (lo + hi);
      return hi;
    };
    int nearest = 0;
    double least = 1e300;
    for (int k = 0; k <= steps; ++k)
      if (const double e = entry(double(k) / steps); e < least) least = e, nearest = k;
    // Between the best step and its neighbours the entry has one lowest place.
    double a = std::max(0.0, (nearest - 1.0) / steps), b = std::min(1.0, (nearest + 1.0) / steps);
    for (int k = 0; k < 60; ++k) {
      const double x = a + (b - a) / 3, y = b - (b - a) / 3;
      (entry(x) < entry(y) ? b : a) = entry(x) < entry(y) ? y : x;
    }
    best = std::min({best, least, entry(0.5 * (a + b))});
  }
  return best;
}

} // namespace

class TestStock : public QObject {
  Q_OBJECT
  Progress quiet_;

private slots:
  void raysAgreeWithDenselySteppedCutters() {
    // Straight moves, and moves that turn the axis by up to 5 degrees, for every profile.
    std::mt19937 random(5);
    std::uniform_real_distribution<double> u(-1, 1);
    for (const Cutter& c : shapes::cutters())
      for (const double turn : {0.0, radians(1.0), radians(5.0)}) {
        const Profile profile = makeProfile(c);
        Path path;
        Vec3 axis(0.1, 0.05, 1);
        axis.normalize();
        for (int i = 0; i < 6; ++i) {
          path.locations.push_back(at(Vec3(1.5 * i - 4, 0.4 * u(random), 0.3 * u(random)), axis, i == 0 ? Motion::Rapid : Motion::Cut));
          axis = Eigen::AngleAxisd(turn, Vec3(u(random), u(random), u(random)).normalized()) * axis;
        }
        const Sweep sweep(profile, path);
        // 1 nm for half balls, 20 nm for the rest.
        const double limit = c.kind == CutterKind::Ball ? 1e-6 : 2e-5;
        for (int i = 0; i < 8; ++i) {
          const Vec3 p(2.5 * u(random), 1.5 * u(random), -1.0), n = Vec3(0.3 * u(random), 0.3 * u(random), 1).normalized();
          const double e = sweep.firstEntry(p, n, 2, 5).t, brute = bruteEntry(profile, path, p, n, 2, 100);
          if (brute > 4.9 && e > 4.9) continue;
          QVERIFY2(e <= brute + limit,
                   qPrintable(QString("%1 turn %2: %3 over %4").arg(c.name.c_str()).arg(turn).arg(e, 0, 'g', 12).arg(brute, 0, 'g', 12)));
          QVERIFY2(
              e >= brute - limit,
              qPrintable(QString("%1 turn %2: %3 against %4").arg(c.name.c_str()).arg(turn).arg(e, 0, 'g', 12).arg(brute, 0, 'g', 12)));
          QVERIFY(std::abs(sweep.firstEntry(p, n, 2, 5, 2).t - e) < limit); // whatever is tried first
        }
      }
  }

  void ballRayMeetsTheCapsule() {
    const Profile ball = makeProfile(shapes::cutters()[1]);
    Path path;
    path.locations = {at({-5, 0, 0}, Vec3::UnitZ(), Motion::Rapid), at({5, 0, 0}, Vec3::UnitZ())};
    const Sweep sweep(ball, path);
    for (const double y : {0.0, 0.125, 1.0, 3.9}) {
      const double e = sweep.firstEntry({0.3, y, 0}, Vec3::UnitZ(), 1, 10).t;
      QVERIFY(std::abs(e - (4 - std::sqrt(16 - y * y))) < 1e-9);
    }
    QVERIFY(sweep.firstEntry({0, 4.001, 0}, Vec3::UnitZ(), 1, 10).move < 0);
  }

  /// Rays along the axis, as flat ground has them, run down the middle of the nearest pose: which way is out there nobody can tell.
  void raysAlongTheAxisFindTheFirst() {
    for (const Cutter& whole : shapes::cutters())
      for (const auto& [scale, heights] : {std::pair(0.125, 0.0), {1.0, 0.0}, {0.125, 0.3}, {1.0, 0.3}}) {
        Cutter c = whole;
        for (double* size : {&c.diameter, &c.corner, &c.shankDiameter, &c.profileRadius, &c.fluteLength}) *size *= scale;
        const Profile cutter = makeProfile(c);
        for (const Mat3& turn : shapes::orientations()) {
          Path path;
          for (int k = 0; k < 400; ++k) // rows of short moves, on one level or with heights all over the place
            path.locations.push_back(
                shapes::at(turn * Vec3(-5 + 0.5 * (k % 20), -5 + 0.5 * std::floor(k / 20), heights * std::fmod(0.618034 * k, 1.0)),
                           turn * Vec3::UnitZ(), k % 20 ? Motion::Cut : Motion::Rapid));
          const Sweep sweep(cutter, path);
          for (int k = 0; k < 300; ++k) {
            const Vec3 p = turn * Vec3(-4 + 8 * std::fmod(0.618034 * k, 1.0), -4 + 8 * std::fmod(0.414214 * k, 1.0), -0.2),
                       n = turn * Vec3::UnitZ();
            for (const double limit : {2.0, 5.0, 20.0}) {
              double first = limit;
              for (std::size_t i = 0; i < sweep.size(); ++i)
                first = std::min(first, sweep.entryInto(static_cast<int>(i), p, n, 0.1, first));
              const Sweep::Entry found = sweep.firstEntry(p, n, 0.1, limit);
              QVERIFY2(std::abs(std::min(found.t, limit) - first) < 1e-6,
                       qPrintable(QString("%1, limit %2: %3, %4").arg(c.name.c_str()).arg(limit).arg(found.t).arg(first)));
            }
          }
        }
      }
  }

  void flutesAreMetWhereTheBodyIs() {
    // Steep rays that pass the ball and meet the side above it: the closed form against the convex body's own entry.
    const Profile ball = makeProfile(shapes::cutters()[1]);
    std::mt19937 gen(11);
    std::uniform_real_distribution<double> u(-1, 1);
    int met = 0;
    for (int i = 0; i < 400; ++i) {
      const Vec3 axis = i % 2 ? Vec3::UnitZ() : Vec3(0.4 * u(gen), 0.4 * u(gen), 1).normalized();
      Path path;
      Location a, b;
      a.axis = b.axis = axis;
      a.tip = 2 * Vec3(u(gen), u(gen), u(gen)), b.tip = a.tip + 3 * Vec3(u(gen), u(gen), i % 3 ? 0.0 : u(gen));
      b.motion = Motion::Cut;
      path.locations = {a, b};
      const Sweep sweep(ball, path);
      const Vec3 p = a.tip + Vec3(9 * u(gen), 9 * u(gen), 6 + 5 * u(gen)), n = Vec3(u(gen), u(gen), 0.5 * u(gen)).normalized();
      const double depth = 1;
      const auto e = sweep.firstEntry(p, n, depth, 30);
      const double body = SweptMove(ball, a.tip, axis, b.tip, axis).entry(p, n, -depth);
      if (body > 30) {
        QVERIFY(e.move < 0);
        continue;
      }
      ++met;
      QVERIFY2(std::abs(e.t - body) < 5e-8, qPrintable(QString("%1: %2 against %3").arg(i).arg(e.t, 0, 'g', 12).arg(body, 0, 'g', 12)));
    }
    QVERIFY(met > 80);
  }

  void straightPiecesAreJoinedAndSweepTheSame() {
    const Profile ball = makeProfile(shapes::cutters()[1]);
    Path fine, coarse;
    for (int i = 0; i <= 40; ++i) {
      Location l;
      l.tip = Vec3(0.125 * i, 0, 0), l.motion = i ? Motion::Cut : Motion::Rapid;
      fine.locations.push_back(l);
      if (i % 8 == 0) coarse.locations.push_back(l);
    }
    const Sweep a(ball, fine), b(ball, coarse);
    QVERIFY(a.size() < 6 && b.size() < 6);
    for (double x = -3; x < 8; x += 0.37)
      for (double y = -3; y < 3; y += 0.41)
        QVERIFY(std::abs(a.firstEntry(Vec3(x, y, -1), Vec3::UnitZ(), 1, 20).t - b.firstEntry(Vec3(x, y, -1), Vec3::UnitZ(), 1, 20).t) <
                1e-12);
    // A step to the side is not joined over.
    fine.locations[20].tip.y() = 1e-5;
    QVERIFY(Sweep(ball, fine).size() > a.size());
  }

  void clearanceIsThatOfEveryPlaceOfTheMaterial() {
    // Bodies anywhere about a cut block, upright and leaning, cutters with and without bodies, beside every place that the stock contains.
    Stock stock = Stock::box(Box{Vec3(-20, -15, -10), Vec3(20, 15, 0)}, 0.5);
    const Profile flat = makeProfile(shapes::cutters()[0]);
    Path slot;
    slot.locations = {at({-30, 0, -6}, Vec3::UnitZ(), Motion::Rapid), at({5, 2, -6}, Vec3::UnitZ()), at({5, 12, -3}, Vec3::UnitZ())};
    stock.cut(flat, slot, 0, slot.locations.size());
    std::vector<Vec3> material;
    constexpr double kApart = 0.5;
    for (double x = -20 + kApart / 2; x < 20; x += kApart)
      for (double y = -15 + kApart / 2; y < 15; y += kApart)
        for (double z = -10 + kApart / 2; z < 0; z += kApart)
          if (stock.contains(Vec3(x, y, z))) material.emplace_back(x, y, z);
    const std::vector<Body> none, holder{{12, 2, 20, 3, 1}, {20, 6, 40, 9, 2}};
    std::mt19937 random(20);
    std::uniform_real_distribution<double> u(-1, 1);
    int near = 0;
    for (int k = 0; k < 300; ++k) {
      const Intruder body{k % 3 ? &holder : &none, k % 3 == 1 ? nullptr : &flat, 50};
      const Vec3 axis = k % 2 ? Vec3::UnitZ() : Vec3(0.6 * u(random), 0.6 * u(random), 1).normalized();
      const Vec3 tip(35 * u(random), 30 * u(random), -5 + 15 * u(random));
      constexpr double kEnough = 3;
      double least = kEnough, met = 1e300;
      for (const Vec3& p : material) {
        const double z = (p - tip).dot(axis);
        least = std::min(least, body.distance((p - tip - z * axis).norm(), z));
      }
      Vec3 where;
      const double c = stock.clearance(body, tip, axis, -100, kEnough, where, &met);
      const QByteArray told = QString("%1: %2 against %3").arg(k).arg(c).arg(least).toUtf8();
      QVERIFY2(c <= least + 1e-9 && c >= least - 2 * stock.cell() - kApart, told.constData());
      QVERIFY2(c == kEnough || met >= c, told.constData());
      near += least < kEnough;
    }
    QVERIFY(near > 60 && near < 240);
    Vec3 where;
    QCOMPARE(stock.clearance({&none, nullptr, 50}, Vec3(0, 0, -5), Vec3::UnitZ(), -100, 3, where), 3.0); // nothing meets nothing
  }

  void noPieceThatIsMetIsSiftedOut_data() {
    QTest::addColumn<int>("cutter");
    QTest::addColumn<bool>("turning");
    for (int k = 0; k < static_cast<int>(shapes::cutters().size()); ++k)
      for (const bool turning : {false, true})
        QTest::addRow("%s, axis %s", shapes::cutters()[static_cast<std::size_t>(k)].name.c_str(), turning ? "turning" : "steady")
            << k << turning;
  }

  void noPieceThatIsMetIsSiftedOut() {
    // Cutters with long flutes on random moves: whatever a ray within the radius meets below the limit is on the list, and the
    // first entry by the hierarchy, by the list and by whole rows is the first of all.
    QFETCH(int, cutter);
    QFETCH(bool, turning);
    std::mt19937 random(31);
    std::uniform_real_distribution<double> u(-1, 1);
    Cutter c = shapes::cutters()[static_cast<std::size_t>(cutter)];
    c.fluteLength = 25;
    if (c.kind == CutterKind::Ball) c.diameter = 6;
    const Profile profile = makeProfile(c);
    const bool ball = profile.ballRadius() > 0;
    const double exact = ball || !turning ? 2e-9 : 4e-6; // mm: other profiles that turn are entered to 2 nm from either side
    Path path;
    Vec3 tip(0, 0, 0), axis = Vec3::UnitZ();
    for (int i = 0; i < 400; ++i) {
      tip = i % 40 ? Vec3(tip + 0.8 * Vec3(u(random), u(random), 0.7 * u(random))) : Vec3(10 * u(random), 10 * u(random), 6 * u(random));
      if (turning) axis = (axis + (ball ? 0.03 : 0.005) * Vec3(u(random), u(random), 0)).normalized();
      path.locations.push_back(at(tip, axis, i % 40 ? Motion::Cut : Motion::Rapid));
    }
    const Sweep sweep(profile, path);
    const auto firstOfAll = [&](const Vec3& q, const Vec3& n, double depth, double limit, auto&& each) {
      double first = 1e300;
      for (int i = 0; i < static_cast<int>(sweep.size()); ++i) {
        const double t = sweep.entryInto(i, q, n, depth, limit);
        first = std::min(first, t);
        if (t <= limit) each(i);
      }
      return first;
    };
    const int rays = ball ? 400 : 60;
    std::size_t listed = 0, met = 0;
    for (int k = 0; k < rays; ++k) {
      const Vec3 p(14 * u(random), 14 * u(random), 8 + 12 * u(random)), n = Vec3(u(random), u(random), 0.6 * u(random)).normalized();
      const double radius = 0.2 + 0.2 * u(random), limit = 0.5 + 0.5 * u(random), depth = 0.2;
      Sweep::Near near, sifted, all;
      sweep.piecesNear(p, n, 100, 100, all);
      QCOMPARE(all.pieces.size(), sweep.size());
      sweep.piecesNear(p, n, radius, limit, near);
      sweep.sift(all, p, n, radius, limit, sifted);
      listed += near.pieces.size();
      // A place within the radius across n, and its ray.
      Vec3 e1, e2;
      frameAround(n, e1, e2);
      const double turn = kPi * u(random), out = radius * std::abs(u(random));
      const Vec3 q = p + out * (std::cos(turn) * e1 + std::sin(turn) * e2);
      const double first = firstOfAll(q, n, depth, limit, [&](int i) {
        ++met;
        QVERIFY(std::find(near.pieces.begin(), near.pieces.end(), i) != near.pieces.end());
        QVERIFY(std::find(sifted.pieces.begin(), sifted.pieces.end(), i) != sifted.pieces.end());
      });
      const auto entry = sweep.firstEntry(q, n, depth, limit), listedEntry = sweep.firstEntry(q, n, depth, limit, near, limit, -1);
      QCOMPARE(entry.move >= 0, first <= limit);
      if (first <= limit) QVERIFY(std::abs(entry.t - first) < exact && std::abs(listedEntry.t - first) < exact);
      // The balls alone, by their centres' lines.
      double nearest = 5;
      for (int i = 0; ball && i < static_cast<int>(sweep.size()); ++i) {
        Vec3 on, off;
        nearest = std::min(nearest, distanceSegments(p, p, sweep.centerA(i), sweep.centerB(i), on, off) - 3);
      }
      if (ball) QVERIFY(std::abs(sweep.distanceToBalls(p, 5) - nearest) < 1e-9);
    }
    QVERIFY2(met > 30 && listed < static_cast<std::size_t>(rays) * sweep.size() / 2,
             qPrintable(QString("%1 met, %2 listed").arg(met).arg(listed))); // and it sifts
    // Rows of places, bent and with turning normals, that cross from ground that is met nowhere near to ground that is.
    for (int row = 0; row < (ball ? 20 : 4); ++row) {
      const Vec3 from(14 * u(random), 14 * u(random), 4 + 10 * u(random)), way = Vec3(u(random), u(random), 0.3 * u(random)).normalized();
      const Vec3 n0 = Vec3(0.5 * u(random), 0.5 * u(random), 1).normalized();
      std::vector<Sweep::Ray> inRow;
      for (int i = 0; i < 25; ++i) {
        const double s = 0.15 * i;
        inRow.push_back({from + s * way + 0.02 * s * s * n0, (n0 + 0.03 * s * way).normalized()});
      }
      std::vector<Sweep::Entry> entries(inRow.size());
      sweep.firstEntries(inRow, 1, 8, entries.data());
      for (std::size_t i = 0; i < inRow.size(); ++i) {
        const double first = firstOfAll(inRow[i].p, inRow[i].n, 1, 8, [](int) {});
        QCOMPARE(entries[i].move >= 0, first <= 8);
        if (first <= 8) QVERIFY2(std::abs(entries[i].t - first) < exact, qPrintable(QString::number(1e6 * (entries[i].t - first))));
      }
    }
  }

  void whatClearsIsOutside() {
    // Two tangents of the distance along a move say that a place, and the ray before it, is outside: held against dense looking, in
    // the move and along the ray. It must also say so for nearly all places that are.
    std::mt19937 random(5);
    std::uniform_real_distribution<double> u(-1, 1);
    for (const Cutter& c : shapes::cutters()) {
      const Profile profile = makeProfile(c);
      int outside = 0, cleared = 0, refused = 0;
      for (int k = 0; k < 400; ++k) {
        const Vec3 axis = Vec3(0.5 * u(random), 0.5 * u(random), 1).normalized();
        const Vec3 a(u(random), u(random), u(random)), b = a + 2 * Vec3(u(random), u(random), k % 2 ? 0.0 : u(random));
        const SweptMove move(profile, a, axis, b, axis);
        const Vec3 q = a + Vec3(6 * u(random), 6 * u(random), 4 * u(random)), n = Vec3(u(random), u(random), 1).normalized();
        double least = 1e300, along = 1e300;
        for (int i = 0; i <= 60; ++i)
          for (int j = 0; j <= 20; ++j) {
            const Vec3 v = q - 0.2 * j * n - (a + (b - a) * (i / 60.0));
            const double z = v.dot(axis);
            Vec2 g;
            const double d = profile.distance((v - z * axis).norm(), z, g);
            along = std::min(along, d);
            if (j == 0) least = std::min(least, d);
          }
        const bool clear = move.clears(q, n);
        QVERIFY2(!clear || along > 0, qPrintable(QString("%1, case %2: %3").arg(c.name.c_str()).arg(k).arg(along)));
        if (least <= 0) ++refused;
        if (along <= 0.01) continue;
        // The ray comes from outside and nears the body: what is left out here only costs time.
        double where = 0;
        Vec3 gradient;
        if (move.distance(q, where, gradient) > 0 && gradient.dot(n) < -0.05) ++outside, cleared += clear;
      }
      QVERIFY2(refused > 20 && outside > 20 && cleared > 0.9 * outside,
               qPrintable(QString("%1: %2 of %3, %4 inside").arg(c.name.c_str()).arg(cleared).arg(outside).arg(refused)));
    }
  }

  void rowsOfNothingAndOfOne() {
    const Profile ball = makeProfile(shapes::cutters()[1]);
    Path path;
    path.locations = {at({-5, 0, 0}, Vec3::UnitZ(), Motion::Rapid), at({5, 0, 0}, Vec3::UnitZ())};
    const Sweep sweep(ball, path), nothing(ball, Path{});
    std::vector<Sweep::Entry> entries(3);
    sweep.firstEntries({}, 1, 5, entries.data());
    QVERIFY(entries[0].move < 0);
    const std::vector<Sweep::Ray> rays{{{0, 0, -0.25}, Vec3::UnitZ()}, {{0, 50, 0}, Vec3::UnitZ()}, {{0, 1, 0}, Vec3::UnitZ()}};
    sweep.firstEntries({rays.data(), 1}, 1, 5, entries.data());
    QVERIFY(std::abs(entries[0].t - 0.25) < 1e-9);
    sweep.firstEntries(rays, 1, 5, entries.data());
    QVERIFY(std::abs(entries[0].t - 0.25) < 1e-9 && entries[1].move < 0 && std::abs(entries[2].t - (4 - std::sqrt(15.0))) < 1e-9);
    // A wall whose last pass is right, and a scratch of a small cutter 1.2 mm inside it that ends before the surface.
    Cutter c = shapes::cutters()[1];
    c.diameter = 1;
    Path scratched;
    for (const double x : {0.5, -1.5}) {
      scratched.locations.push_back(at({x, -5, 0}, Vec3::UnitZ(), Motion::Rapid));
      scratched.locations.push_back(at({x, 5, 0}, Vec3::UnitZ()));
    }
    const Sweep wall(makeProfile(c), scratched);
    const std::vector<Sweep::Ray> along{{{0, 0, 3}, Vec3::UnitX()}, {{0, 0.1, 3}, Vec3::UnitX()}, {{0, 0.2, 3}, Vec3::UnitX()}};
    wall.firstEntries(along, 2.5, 5, entries.data());
    for (const Sweep::Entry& e : entries) QVERIFY2(std::abs(e.t + 2) < 1e-9, qPrintable(QString::number(e.t)));
    Sweep::Near near;
    wall.piecesNear(along[0].p, along[0].n, 0.1, 0.01, near);
    QVERIFY(std::abs(wall.firstAmong(along[0].p, along[0].n, 2.5, near, 0.01).t + 2) < 1e-9);
    nothing.firstEntries(rays, 1, 5, entries.data());
    for (const Sweep::Entry& e : entries) QVERIFY(e.move < 0);
    QVERIFY(nothing.distanceToBalls({0, 0, 0}, 3) == 3);
  }

  void theThreeFieldsCutTheSame() {
    // A block cut by upright and tilted moves, and the same turned on its sides: every field of rays takes every part in turn.
    // Clearances ask all three; the surface is laid from all three.
    std::mt19937 random(8);
    std::uniform_real_distribution<double> u(-1, 1);
    const std::array<Mat3, 3> turns{Mat3::Identity(), (Mat3() << 0, 0, 1, 1, 0, 0, 0, 1, 0).finished(),
                                    (Mat3() << 0, 1, 0, 0, 0, 1, 1, 0, 0).finished()};
    for (const Cutter& c : shapes::cutters()) {
      const Profile profile = makeProfile(c);
      const Vec3 from(3 * u(random), 3 * u(random), -4 + u(random)), to = from + Vec3(5 * u(random), 4 * u(random), u(random));
      const Vec3 lean(0.3 * u(random), 0.3 * u(random), 1);
      for (const Vec3& axis : {Vec3(Vec3::UnitZ()), Vec3(lean.normalized())}) {
        std::vector<double> volume, surface;
        for (const Mat3& turn : turns) {
          Box b;
          b.add(turn * Vec3(-10, -10, -12));
          b.add(turn * Vec3(10, 10, 0));
          Stock s = Stock::box(b, 0.5);
          Path path;
          path.locations = {at(turn * from, turn * axis, Motion::Rapid), at(turn * to, turn * axis)};
          s.cut(profile, path, 1, 2);
          volume.push_back(s.volume());
          surface.push_back(s.surface().volume());
          const SweptMove move(profile, turn * from, turn * axis, turn * to, turn * axis);
          // Points of the surface that are not on the block's faces lie on the cutter's, to a cell; most far nearer.
          const Mesh m = s.surface();
          std::size_t cutFaces = 0, near = 0;
          for (const Vec3& p : m.points) {
            if (((p - b.low).cwiseAbs().minCoeff() < 0.3) || ((b.high - p).cwiseAbs().minCoeff() < 0.3)) continue;
            double x = 0;
            Vec3 g;
            const double d = std::abs(move.distance(p, x, g));
            ++cutFaces, near += d < 0.1 * s.cell();
            QVERIFY2(d < 0.87 * s.cell(), qPrintable(QString("%1: %2").arg(c.name.c_str()).arg(d)));
          }
          QVERIFY(cutFaces > 30 && near * 5 > cutFaces * 3);
        }
        for (const double v : volume) QVERIFY(std::abs(v - volume[0]) < 8); // of 4800; between rays a field knows to a cell
        for (const double v : surface) QVERIFY(std::abs(v - surface[0]) < 8);
      }
    }
  }

  void capsuleIsMetWhereBruteForceSaysSo() {
    std::mt19937 gen(5);
    std::uniform_real_distribution<double> u(-1, 1);
    for (int i = 0; i < 300; ++i) {
      const Vec3 a(u(gen), u(gen), u(gen)), b = i % 5 ? Vec3(a + 2 * Vec3(u(gen), u(gen), u(gen))) : a,
                                            p = 4 * Vec3(u(gen), u(gen), u(gen)), n = Vec3(u(gen), u(gen), u(gen));
      const double R = 0.7, t = entryIntoCapsule(a, b, R, p, n);
      double least = 1e300;
      for (double x = -20; x < 20; x += 1e-3) {
        Vec3 on, off;
        const double d = distanceSegments(p + x * n, p + x * n, a, b, on, off);
        least = std::min(least, d);
        if (d < R - 1e-9) {
          QVERIFY(t <= x + 1e-9 && t > x - 1.1e-3);
          break;
        }
      }
      if (least > R + 2e-3) QVERIFY(t > 1e299);
    }
  }

  void pocketVolumeConvergesWithTheCell() {
    // A slot of a flat cutter, 3 deep: 20 x 8 plus two half discs.
    const Profile flat = makeProfile(shapes::cutters()[0]);
    const double exact = 3 * (20 * 8 + kPi * 16);
    std::vector<double> error;
    for (const double cell : {0.8, 0.4, 0.2}) {
      Box b;
      b.add(Vec3(-20, -10, -10));
      b.add(Vec3(20, 10, 0));
      Stock s = Stock::box(b, cell);
      Path path;
      path.locations = {at({-10.1, 0.07, -3}, Vec3::UnitZ(), Motion::Rapid), at({9.9, 0.07, -3}, Vec3::UnitZ())};
      const double removed = s.cut(flat, path, 1, 2);
      QVERIFY(std::abs(s.volume() + removed - 40 * 20 * 10) < 0.5);
      error.push_back(std::abs(removed - exact));
      QVERIFY(error.back() < 60 * cell);
      // The floor is exact: it is a face across the upright rays.
      QVERIFY(s.contains({0, 0, -3.001}) && !s.contains({0, 0, -2.999}));
    }
    QVERIFY(error[2] < 12);
  }

  void removedVolumeConvergesAtLeastLinearly() {
    // A pocket of capsules aslant to the lattice: the error of the volume over the cell stays bounded, and the fitted order is one or more.
    Cutter c = shapes::cutters()[1];
    const Profile ball = makeProfile(c);
    const double R = ball.ballRadius(), length = std::hypot(14.0, 5.0);
    const double exact = length * kPi * R * R / 2 + 2.0 / 3 * kPi * R * R * R; // the lower half of a capsule
    std::vector<double> error;
    for (const double cell : {0.8, 0.4, 0.2, 0.1}) {
      double sum = 0;
      for (int k = 0; k < 8; ++k) { // the phase of the lattice is luck: the mean over eight
        Box b;
        b.add(Vec3(-14, -10, -8) + 0.11 * k * Vec3(1, 0.7, 0));
        b.add(Vec3(14, 10, 0) + 0.11 * k * Vec3(1, 0.7, 0));
        Stock s = Stock::box(b, cell);
        Path path;
        path.locations = {at({-7, -2.5, -R}, Vec3::UnitZ(), Motion::Rapid), at({7, 2.5, -R}, Vec3::UnitZ())};
        sum += std::abs(s.cut(ball, path, 1, 2) - exact) / 8;
      }
      error.push_back(sum);
    }
    const double order = std::log(error.front() / error.back()) / std::log(8.0);
    QVERIFY2(order >= 1, qPrintable(QString("order %1; %2 %3 %4 %5").arg(order).arg(error[0]).arg(error[1]).arg(error[2]).arg(error[3])));
    QVERIFY2(error.back() < 1e-3 * exact, qPrintable(QString::number(error.back())));
  }

  void smoothFacesLieWithinATenthOfACell() {
    // Points of the shown surface against the capsules that made them, away from edges; three ways of the axis.
    for (const Mat3& turn : shapes::orientations()) {
      const double cell = 0.5;
      Box b;
      b.add(Vec3::Constant(-12));
      b.add(Vec3::Constant(12));
      Stock s = Stock::box(b, cell);
      const Profile ball = makeProfile(shapes::cutters()[1]);
      const double R = ball.ballRadius();
      const Vec3 up = shapes::up(turn);
      Path path;
      path.locations = {at(turn * Vec3(-9, -3, 4), up, Motion::Rapid), at(turn * Vec3(8, 4, 1), up)};
      s.cut(ball, path, 1, 2);
      const Vec3 from = path.locations[0].tip + R * up, to = path.locations[1].tip + R * up, way = to - from;
      int looked = 0;
      const Mesh surface = s.surface();
      for (const Vec3& p : surface.points) {
        const double x = (p - from).dot(way) / way.squaredNorm();
        const Vec3 off = p - from - std::clamp(x, 0.0, 1.0) * way;
        // The lower half of the capsule, well inside of the block.
        if (std::abs(off.norm() - R) > cell || off.dot(up) > -0.3 * R || p.cwiseAbs().maxCoeff() > 12 - 2 * cell) continue;
        ++looked;
        QVERIFY2(std::abs(off.norm() - R) <= 0.1 * cell, qPrintable(QString::number(off.norm() - R)));
      }
      QVERIFY2(looked > 300, qPrintable(QString::number(looked)));
    }
  }

  void largeBlocksAreSparse() {
    Box b;
    b.add(Vec3(0, 0, 0));
    b.add(Vec3(600, 400, 150));
    Stock s = Stock::box(b, 0.2);
    QVERIFY2(double(s.memory()) < 20e6, qPrintable(QString::number(double(s.memory()))));
    QVERIFY(std::abs(s.volume() / (600.0 * 400 * 150) - 1) < 1e-6);
    // A cut owns what it touches only, and a snapshot shares the rest.
    Stock after = s;
    Path path;
    path.locations = {at({300, 200, 145}, Vec3::UnitZ(), Motion::Rapid), at({320, 200, 145}, Vec3::UnitZ())};
    QVERIFY(after.cut(makeProfile(shapes::cutters()[0]), path, 1, 2) > 100);
    QVERIFY2(after.memory() < s.memory() + 60'000'000, qPrintable(QString::number(double(after.memory()))));
    b.high = Vec3(6000, 4000, 150);
    QVERIFY_EXCEPTION_THROWN(Stock::box(b, 0.2), Error);
  }

  void snapshotsAreNotTouchedByLaterCuts() {
    Box b;
    b.add(Vec3(-10, -10, -10));
    b.add(Vec3(10, 10, 0));
    Stock s = Stock::box(b, 0.5);
    const Stock before = s;
    Path path;
    path.locations = {at({0, 0, 5}, Vec3::UnitZ(), Motion::Rapid), at({0, 0, -4}, Vec3::UnitZ())};
    s.cut(makeProfile(shapes::cutters()[1]), path, 1, 2);
    QVERIFY(std::abs(before.volume() - 4000) < 1e-3);
    QVERIFY(s.volume() < 3950);
  }

  void tiltedCutAgreesWithTheBodyEverywhere() {
    // Every lattice ray is compared with the swept body at random places.
    Box b;
    b.add(Vec3(-10, -10, -10));
    b.add(Vec3(10, 10, 0));
    for (const Cutter& c : shapes::cutters()) {
      Stock s = Stock::box(b, 0.5);
      const Profile profile = makeProfile(c);
      Path path;
      path.locations = {at({-4, -1, -2}, Vec3(0.3, 0.1, 1), Motion::Rapid), at({4, 2, -4}, Vec3(0.3, 0.1, 1))};
      s.cut(profile, path, 1, 2);
      const Sweep sweep(profile, path);
      std::mt19937 random(9);
      std::uniform_int_distribution<int> index(0, 39);
      std::uniform_real_distribution<double> z(-9.9, -0.1);
      for (int i = 0; i < 200; ++i) {
        const Vec3 p(-10 + (index(random) + 0.5) * 0.5, -10 + (index(random) + 0.5) * 0.5, z(random));
        const bool cut = sweep.firstEntry(p, Vec3::UnitZ(), 0, 1e-9).move >= 0;
        const bool near = sweep.firstEntry(p - 2e-3 * Vec3::UnitZ(), Vec3::UnitZ(), 0, 4e-3).move >= 0 && !cut;
        if (!near) QVERIFY2(s.contains(p) != cut || sweep.firstEntry(p, -Vec3::UnitZ(), 0, 2e-3).move >= 0, c.name.c_str());
      }
    }
  }

  void uprightCutsAgreeWithTheBodyEverywhere() {
    // Upright moves go by closed forms: below the ball's centre, beside its wall, on level and on sloping moves. Every place
    // on the upright rays must be cut exactly where the swept body says so.
    std::mt19937 random(21);
    std::uniform_real_distribution<double> u(-1, 1);
    Box b;
    b.add(Vec3(-10, -10, -16));
    b.add(Vec3(10, 10, 0));
    for (const Cutter& c : shapes::cutters()) {
      const Profile profile = makeProfile(c);
      for (int round = 0; round < 6; ++round) {
        Stock s = Stock::box(b, 0.8);
        Path path;
        const Vec3 from(4 * u(random), 4 * u(random), -9 + 5 * u(random));
        const Vec3 to = from + Vec3(5 * u(random), 5 * u(random), round % 3 == 0 ? 0.0 : 4 * u(random));
        path.locations = {at(from, Vec3::UnitZ(), Motion::Rapid), at(to, Vec3::UnitZ())};
        const double before = s.volume(), removed = s.cut(profile, path, 1, 2);
        QVERIFY(std::abs(before - removed - s.volume()) < 1e-3);
        const SweptMove move(profile, from, Vec3::UnitZ(), to, Vec3::UnitZ());
        int inside = 0;
        for (int k = 0; k < 3000; ++k) {
          // On a ray along a random axis, through lattice places of the other two.
          const int axis = k % 3;
          Vec3 p;
          for (int i = 0; i < 3; ++i) {
            const double size = i == 2 ? 16 : 20, low = i == 2 ? -16 : -10;
            p[i] = i == axis ? low + size * 0.5 * (u(random) + 1) : low + 0.8 * (std::floor(0.5 * (u(random) + 1) * size / 0.8) + 0.5);
          }
          double x = 0;
          Vec3 g;
          const double d = move.distance(p, x, g);
          if (std::abs(d) < 2e-3) continue; // rays are kept in single precision
          inside += d < 0;
          if (axis == 2) QVERIFY2(s.contains(p) == (d > 0), qPrintable(QString("%1 round %2: %3").arg(c.name.c_str()).arg(round).arg(d)));
        }
        QVERIFY(inside > 5);
        // The three fields agree on the volume as far as their cells allow.
        Path turned = path;
        Stock again = Stock::box(b, 0.4);
        QVERIFY(std::abs(again.cut(profile, turned, 1, 2) - removed) < 0.12 * removed + 4);
      }
    }
  }

  void surfaceIsTakenAgainOnlyWhereItWasCut() {
    std::mt19937 random(11);
    const auto number = [&](double a, double b) { return std::uniform_real_distribution<double>(a, b)(random); };
    for (const int stride : {1, 3}) {
      Stock s = Stock::box({Vec3(-31, -20, -9), Vec3(30, 21, 8.3)}, 0.45);
      StockSurface surface(s, stride);
      std::size_t again = 0, inAll = 0;
      for (int i = 0; i < 24; ++i) {
        const Profile profile = makeProfile(shapes::cutters()[static_cast<std::size_t>(i) % shapes::cutters().size()]);
        Path path; // short moves in any orientation, over the border, too; every third only passes through air
        const Vec3 from(number(-34, 34), number(-24, 24), i % 3 ? number(-6, 8) : 30);
        const Vec3 up(number(-1, 1), number(-1, 1), number(0.1, 1)), turn(number(-0.05, 0.05), number(-0.05, 0.05), 0);
        path.locations = {at(from, up.normalized(), Motion::Rapid),
                          at(from + Vec3(number(-4, 4), number(-4, 4), number(-2, 2)), (up + turn).normalized())};
        std::vector<Box> reached;
        const StockSurface old = surface;
        s.cut(profile, path, 1, 2, nullptr, &reached);
        surface.update(s, reached);
        const StockSurface whole(s, stride);
        const ShownTriangles a = surface.shown(), b = whole.shown();
        QVERIFY(a.points == b.points && a.corners == b.corners);
        again += surface.memoryBeside(old), inAll += whole.memoryBeside(StockSurface());
        for (const MeshEdge& e : meshEdges(surface.mesh())) QVERIFY(e.right >= 0);
        const double error = std::abs(surface.mesh().volume() - s.volume()), area = surface.mesh().area();
        QVERIFY2(error < 0.2 * s.cell() * stride * area, qPrintable(QString::number(error / area / s.cell())));
      }
      if (stride == 1) QVERIFY2(again * 3 < inAll, qPrintable(QString("%1 of %2").arg(again).arg(inAll)));
    }
  }

  void surfaceIsClosedAndHoldsTheVolume() {
    const Stock s = Stock::cylinder({0, 0, 0}, 10, 20, 0.25);
    QVERIFY(std::abs(s.volume() - kPi * 2000) < 40);
    const Mesh m = s.surface();
    for (const MeshEdge& e : meshEdges(m)) QVERIFY(e.right >= 0);
    QVERIFY(std::abs(m.volume() - kPi * 2000) < 80);
    const auto sphere = partFromTriangles(shapes::box({0, 0, 0}, {8, 8, 8}), "cube");
    QVERIFY(std::abs(Stock::mesh(sphere->mesh, 0.25, quiet_).volume() - 512) < 1e-3);
    QVERIFY_EXCEPTION_THROWN(Stock::box(Box{}, 0.5), Error);
  }

  /// Bars and tubes along each axis, and the skin about a block: a box, its faces, quarter cylinders and eighths of a ball.
  void blanksHaveTheirVolume() {
    for (int axis = 0; axis < 3; ++axis)
      for (const double bore : {0.0, 4.0}) {
        const Stock bar = Stock::cylinder({1, 2, 3}, 10, 25, 0.25, axis, bore);
        const double volume = kPi * (100 - bore * bore) * 25;
        QVERIFY2(std::abs(bar.volume() - volume) < 0.004 * volume, qPrintable(QString("%1 %2").arg(axis).arg(bar.volume() / volume)));
        Vec3 p(1, 2, 3);
        p[axis] += 12;
        QCOMPARE(bar.contains(p), bore == 0);
        p[(axis + 1) % 3] += 7;
        QVERIFY(bar.contains(p));
      }
    QVERIFY_THROWS_EXCEPTION(Error, Stock::cylinder({0, 0, 0}, 5, 10, 1, 2, 5));
    const auto block = partFromTriangles(shapes::box({0, 0, 0}, {12, 8, 6}), "block");
    Progress quiet;
    for (const double cell : {0.5, 0.25}) {
      const Stock skin = Stock::offset(block->mesh, 2, cell, quiet);
      const double volume = 12 * 8 * 6 + 2 * 2 * (12 * 8 + 8 * 6 + 6 * 12) + kPi * 4 * (12 + 8 + 6) + 4 * kPi * 8 / 3;
      QVERIFY2(std::abs(skin.volume() - volume) < 0.02 * cell * volume, qPrintable(QString::number(skin.volume() / volume)));
      QVERIFY(skin.contains({13.3, 9.3, 3}) && !skin.contains({13.6, 9.6, 3}) && skin.contains({6, 4, 3}));
    }
    QVERIFY_THROWS_EXCEPTION(Error, Stock::offset(block->mesh, 0, 1, quiet));
    QVERIFY_THROWS_EXCEPTION(Error,
                             Stock::offset(shapes::field(0, 5, 0, 5, 4, 4, [](double, double) { return 0.0; })->mesh, 1, 0.5, quiet));
  }
};

QTEST_APPLESS_MAIN(TestStock)
#include "tst_stock.moc"
