#include "shapes.h"
#include "study/assembly_reach.h"
#include "study/curvature.h"
#include "study/largest_ball.h"
#include "study/reach.h"
#include "study/ruled.h"
#include "study/whole_study.h"
#include <QtTest>
#include <numeric>

using namespace hemline;

namespace {

/// A line of (x, z) drawn along y as an open sheet that faces up, turned; long thin facets across, `n` along.
std::shared_ptr<const Part> drawn(const std::vector<Vec2>& line, double length, int n, const Mat3& turn) {
  std::vector<Vec3> soup;
  const auto at = [&](std::size_t i, int k) { return Vec3(turn * Vec3(line[i].x(), length * (double(k) / n - 0.5), line[i].y())); };
  for (std::size_t i = 0; i + 1 < line.size(); ++i)
    for (int k = 0; k < n; ++k)
      for (const Vec3& p : {at(i, k), at(i + 1, k), at(i + 1, k + 1), at(i, k), at(i + 1, k + 1), at(i, k + 1)}) soup.push_back(p);
  return partFromTriangles(soup, "drawn");
}

/// A thick-walled tube about z, `n` facets round.
std::shared_ptr<const Part> tube(double inner, double outer, double height, int n, const Mat3& turn) {
  std::vector<Vec3> soup;
  const auto at = [&](double r, double z, int k) {
    const double a = 2 * kPi * k / n;
    return Vec3(turn * Vec3(r * std::cos(a), r * std::sin(a), z));
  };
  const Vec2 ring[] = {{inner, 0}, {outer, 0}, {outer, height}, {inner, height}};
  for (int i = 0; i < 4; ++i)
    for (int k = 0; k < n; ++k) {
      const Vec2 &a = ring[i], &b = ring[(i + 1) % 4];
      for (const auto& [p, j] : {std::pair(a, k), {b, k}, {b, k + 1}, {a, k}, {b, k + 1}, {a, k + 1}}) soup.push_back(at(p.x(), p.y(), j));
    }
  return partFromTriangles(soup, "tube");
}

} // namespace

class TestStudy : public QObject {
  Q_OBJECT
  Progress quiet_;

private slots:
  void largestBallsOfKnownShapes() {
    struct Row {
      const char* name;
      std::vector<Vec2> line;
      std::function<double(const Vec3&)> radius; ///< at a place of the untuned shape; negative: not asked there
      double share;                              ///< of the radius: how far off it may be
    };
    const double slope = radians(50), wide = 12, R = 6;
    std::vector<Vec2> trough;
    for (int i = -45; i <= 45; ++i) trough.emplace_back(R * std::sin(radians(1.8 * i)), R * (1 - std::cos(radians(1.8 * i))));
    const std::vector<Row> rows{
        // In a corner the ball grows with the distance from the edge by the tangent of half of the opening.
        {"V corner",
         {{-20, 20 * std::tan(slope)}, {0, 0}, {20, 20 * std::tan(slope)}},
         [&](const Vec3& p) { return std::hypot(p.x(), p.z()) * std::tan(kPi / 2 - slope); },
         1e-4},
        // On a slot's floor the nearer wall decides, on its walls the floor or the other wall.
        {"slot",
         {{-30, 15}, {-wide / 2, 15}, {-wide / 2, 0}, {wide / 2, 0}, {wide / 2, 15}, {30, 15}},
         [&](const Vec3& p) {
           if (p.z() > 14.999) return -1.0;
           return p.z() < 1e-6 ? wide / 2 - std::abs(p.x()) : std::min(p.z(), wide / 2);
         },
         1e-4},
        // A hollow of one radius, in facets of 1.8 degrees.
        {"fillet", trough, [&](const Vec3& p) { return p.z() < R ? R : -1.0; }, 4e-3},
    };
    for (const Mat3& turn : shapes::orientations())
      for (const Row& row : rows) {
        const auto part = drawn(row.line, 60, 3, turn);
        const LargestBalls balls = largestBalls(*part, 9, 4000, quiet_);
        int looked = 0;
        for (const LargestBalls::Sample& s : balls.samples) {
          const Vec3 p = turn.transpose() * s.at;
          const double wanted = row.radius(p), got = static_cast<double>(s.radius);
          if (wanted < 0) continue;
          ++looked;
          QVERIFY2(std::abs(got - std::min(wanted, 9.0)) <= row.share * wanted + 3 * balls.tolerance,
                   qPrintable(QString("%1 at %2 %3: %4 of %5").arg(row.name).arg(p.x()).arg(p.z()).arg(got).arg(wanted)));
        }
        QVERIFY(looked > 1000 && balls.samples.front().radius <= balls.samples.back().radius);
      }
  }

  void balls() {
    for (const Mat3& turn : shapes::orientations()) {
      // A bore: its radius everywhere inside, nothing outside.
      const auto bored = tube(5, 9, 30, 90, turn);
      const LargestBalls b = largestBalls(*bored, 12, 4000, quiet_);
      for (const LargestBalls::Sample& s : b.samples) {
        const Vec3 p = turn.transpose() * s.at;
        const bool inner = std::hypot(p.x(), p.y()) < 6 && p.z() > 0.01 && p.z() < 29.99;
        if (!inner) continue;
        QVERIFY2(std::abs(static_cast<double>(s.radius) - 5) < 0.02, qPrintable(QString::number(double(s.radius))));
      }
      // A ball inside a ball's hollow, measured by brute force against all facets' points.
      const auto dented = shapes::field(
          -10, 10, -10, 10, 60, 60, [](double x, double y) { return 2 * std::cos(x / 3) * std::cos(y / 4); }, turn);
      const std::vector<double> tolerance = facetTolerance(*dented);
      std::mt19937 random(3);
      for (int i = 0; i < 60; ++i) {
        const std::size_t t = random() % dented->mesh.triangles.size();
        const Vec3 p = placeOn(*dented, t, 1.0 / 3, 1.0 / 3).point, n = dented->mesh.smoothNormal(t, 1.0 / 3, 1.0 / 3);
        const double r = largestBall(*dented->tree, p, n, tolerance[t], 50);
        // Nothing cuts it by more than the tolerance; a little larger, something does (or it is as large as asked for).
        const auto deepest = [&](double radius) {
          double least = 1e300;
          for (std::size_t k = 0; k < dented->mesh.triangles.size(); ++k)
            least = std::min(
                least, (closestOnTriangle(p + radius * n, dented->mesh.corner(k, 0), dented->mesh.corner(k, 1), dented->mesh.corner(k, 2)) -
                        p - radius * n)
                           .norm());
          return radius - least;
        };
        QVERIFY2(deepest(r) <= tolerance[t] + 2e-5 * r, qPrintable(QString::number(deepest(r))));
        if (r < 49) QVERIFY2(deepest(1.002 * r) > tolerance[t], qPrintable(QString("%1 %2").arg(r).arg(deepest(1.002 * r))));
      }
    }
  }

  void sharesAndLadders() {
    // A V corner 60 long: a ball of radius r touches its walls from r / tan(half opening) on.
    const double slope = radians(50), wall = 20 / std::cos(slope), half = kPi / 2 - slope;
    const auto part = drawn({{-20, 20 * std::tan(slope)}, {0, 0}, {20, 20 * std::tan(slope)}}, 60, 3, Mat3::Identity());
    const LargestBalls balls = largestBalls(*part, 10, 20000, quiet_);
    QVERIFY(std::abs(balls.area - 2 * 60 * wall) < 1e-6 * balls.area);
    for (const double r : {1.0, 3.0, 6.0}) {
      const auto share = balls.finishedBy(r);
      const double wanted = 2 * 60 * (wall - r / std::tan(half));
      QVERIFY2(std::abs(share.area - wanted) <= 3 * share.error && share.error < 0.01 * balls.area,
               qPrintable(QString("%1 +- %2, %3").arg(share.area).arg(share.error).arg(wanted)));
    }
    // The ladder beside every subset of the library.
    std::vector<Cutter> library;
    for (const auto& [d, feed] : {std::pair(2.0, 0.02), {4.0, 0.03}, {6.0, 0.05}, {8.0, 0.05}, {12.0, 0.09}, {16.0, 0.1}}) {
      Cutter c = shapes::cutters()[1];
      c.name = std::to_string(int(d)), c.diameter = d, c.feedPerTooth = feed;
      library.push_back(c);
    }
    library.push_back(shapes::cutters()[0]); // a flat end is no ball
    const double cusp = 0.005, rpm = 20000;
    for (const double change : {1.0, 120.0, 3600.0}) {
      const Ladder ladder = cutterLadder(balls, library, cusp, rpm, change);
      double least = 1e300, time = 0, sum = ladder.left;
      for (int subset = 1; subset < 64; subset += 2) { // all with the smallest
        double left = 0, t = 0;
        for (int k = 5; k >= 0; --k) {
          if (!(subset >> k & 1)) continue;
          const Cutter& c = library[static_cast<std::size_t>(k)];
          const double R = 0.5 * c.diameter, done = balls.finishedBy(R).area;
          const double n = std::min(rpm, 1000 * c.cuttingSpeed / (kPi * c.diameter));
          t += std::max(0.0, done - left) / (2 * std::sqrt(2 * R * cusp - cusp * cusp) * n * c.teeth * c.feedPerTooth / 60) + change;
          left = done;
        }
        least = std::min(least, t);
      }
      for (const Rung& r : ladder.rungs) time += r.time + change, sum += r.area;
      QVERIFY2(std::abs(time - least) < 1e-6 * least, qPrintable(QString("%1 %2").arg(time).arg(least)));
      QVERIFY(std::abs(sum - balls.area) < 1e-3 * balls.area && ladder.rungs.back().cutter == "2");
      QCOMPARE(ladder.rungs.size() == 1, change > 3000);
    }
    QVERIFY(cutterLadder(balls, {}, cusp, rpm, 60).rungs.empty());
  }
  void curvaturesOnFacets() {
    // Graphs z = h(x, y) over a tessellation of 60 x 60, their curvatures from first and second derivatives (do Carmo, 3-3, example 5).
    struct Row {
      const char* name;
      std::function<double(double, double)> height;
    };
    const double R = 25, r = 9;
    const std::vector<Row> rows{
        {"sphere, hollow", [&](double x, double y) { return R - std::sqrt(R * R - x * x - y * y); }},
        {"sphere, high", [&](double x, double y) { return std::sqrt(R * R - x * x - y * y); }},
        {"saddle", [](double x, double y) { return x * y / 20; }},
        {"torus", [&](double x, double y) { return std::sqrt(std::pow(R + std::sqrt(r * r - x * x), 2) - y * y); }}, // its outer side
    };
    for (const Mat3& turn : shapes::orientations())
      for (const Row& row : rows) {
        const auto part = shapes::field(-6, 6, -6, 6, 60, 60, row.height, turn);
        const Curvatures k = principalCurvatures(*part, quiet_);
        QVERIFY(k.fitted);
        for (std::size_t t = 0; t < k.most.size(); ++t) {
          const Vec3 p = turn.transpose() * placeOn(*part, t, 1.0 / 3, 1.0 / 3).point;
          if (std::max(std::abs(p.x()), std::abs(p.y())) > 5.4) continue; // within three facets of the border
          const auto h = [&](double x, double y) { return row.height(p.x() + x, p.y() + y); };
          const double d = 1e-3, fx = (h(d, 0) - h(-d, 0)) / (2 * d), fy = (h(0, d) - h(0, -d)) / (2 * d),
                       fxx = (h(d, 0) - 2 * h(0, 0) + h(-d, 0)) / (d * d), fyy = (h(0, d) - 2 * h(0, 0) + h(0, -d)) / (d * d),
                       fxy = (h(d, d) - h(d, -d) - h(-d, d) + h(-d, -d)) / (4 * d * d), w = 1 + fx * fx + fy * fy;
          const double gauss = (fxx * fyy - fxy * fxy) / (w * w),
                       mean = ((1 + fx * fx) * fyy - 2 * fx * fy * fxy + (1 + fy * fy) * fxx) / (2 * std::pow(w, 1.5));
          const double half = std::sqrt(std::max(0.0, mean * mean - gauss)), largest = std::abs(mean) + half;
          QVERIFY2(std::abs(static_cast<double>(k.most[t]) - (mean + half)) < 0.02 * largest &&
                       std::abs(static_cast<double>(k.least[t]) - (mean - half)) < 0.02 * largest,
                   qPrintable(QString("%1 at %2 %3: %4 %5 of %6 %7")
                                  .arg(row.name)
                                  .arg(p.x())
                                  .arg(p.y())
                                  .arg(double(k.least[t]))
                                  .arg(double(k.most[t]))
                                  .arg(mean - half)
                                  .arg(mean + half)));
        }
      }
  }

  void twoLaysOfADome() {
    // A dome up to 80 degrees: S1 = pi R^2 sin^2 a and S2 = pi R^2 (b - a + (sin 2a - sin 2b) / 2) in closed form.
    const double b = radians(80), R = 20;
    std::vector<double> slope, area;
    const int n = 200000;
    for (int i = 0; i < n; ++i) {
      const double a = b * (i + 0.5) / n;
      slope.push_back(a), area.push_back(2 * kPi * R * R * std::sin(a) * b / n);
    }
    const auto length = [&](double a) {
      return kPi * R * R * (std::pow(std::sin(a), 2) / std::cos(a) + (b - a + 0.5 * (std::sin(2 * a) - std::sin(2 * b))) / std::sin(a));
    };
    double best = 1e300, at = 0;
    for (double a = 0.05; a < b; a += 1e-5)
      if (length(a) < best) best = length(a), at = a;
    const TwoLays t = twoLays(slope, area);
    const double alone = kPi * R * R * std::pow(std::sin(b), 2) / std::cos(b);
    QVERIFY2(std::abs(t.angle - at) < radians(0.6) && t.parallel, qPrintable(QString("%1 %2").arg(degrees(t.angle)).arg(degrees(at))));
    QVERIFY2(std::abs(t.saves - (1 - best / alone)) < 1e-3, qPrintable(QString::number(t.saves)));
    QVERIFY(std::abs(t.steep - 2 * kPi * R * R * (std::cos(t.angle) - std::cos(b))) < 1e-3 * t.steep);
    // One slope alone needs one lay.
    QVERIFY(twoLays({radians(30), radians(30)}, {5, 7}).saves <= 0 && twoLays({}, {}).saves <= 0);
    // Flats and steep walls: level passes never end on the flat, parallel ones come out dense on the wall.
    const TwoLays walls = twoLays({0, radians(85)}, {100, 100});
    QVERIFY(walls.saves > 0.8 && walls.steep == 100);
  }

  void facetsShow() {
    // A trough of arcs of 1.8 degrees: its sagitta is R (1 - cos of half), to a thousandth, in any orientation.
    std::vector<Vec2> trough;
    for (int i = -45; i <= 45; ++i) trough.emplace_back(6 * std::sin(radians(1.8 * i)), 6 * (1 - std::cos(radians(1.8 * i))));
    for (const Mat3& turn : shapes::orientations()) {
      const FacetMarks m = facetMarks(*drawn(trough, 60, 3, turn));
      QVERIFY2(std::abs(m.sagitta / (6 * (1 - std::cos(radians(0.9)))) - 1) < 1e-3, qPrintable(QString::number(m.sagitta)));
      QVERIFY(std::abs(m.jump - radians(1.8)) < 1e-6);
    }
  }

  void whatIsSeenFromWhere() {
    // A slot that widens below its mouth, drawn along y: its ceiling and what lies behind that is not seen from above; the leaning wall of
    // the other row needs its own angle. Areas of a drawn line are its lengths.
    const std::vector<Vec2> slot{{-30, 20}, {-4, 20}, {-4, 12}, {-10, 12}, {-10, 0}, {10, 0}, {10, 12}, {4, 12}, {4, 20}, {30, 20}};
    const double hiddenLength = 2 * (6 + 12 + 6), lean = radians(25);
    for (const Mat3& turn : shapes::orientations()) {
      const Vec3 up = shapes::up(turn);
      const auto wide = drawn(slot, 200, 4, turn);
      const Sight sight(wide->mesh);
      const Reach r = studyReach(*wide, sight, up, 6000, quiet_);
      const double all = r.places.area(), hidden = hiddenLength * 200;
      QVERIFY(std::abs(all - wide->mesh.area()) < 1e-6 * all);
      QVERIFY2(std::abs(all - r.seen - hidden) <= 3 * r.places.error(hidden / all),
               qPrintable(QString("%1 %2").arg(all - r.seen).arg(hidden)));
      QVERIFY2(r.hidden == 0, qPrintable(QString::number(r.hidden))); // along y, or aslant through the mouth, all of it is seen
      for (std::size_t i = 0; i < r.tilt.size(); ++i) {
        const Vec3 p = turn.transpose() * r.places.at[i];
        if (std::abs(std::abs(p.x()) - 4) < 0.1) continue;
        QVERIFY2((r.tilt[i] > 0) == (p.z() < 13 && std::abs(p.x()) > 4), qPrintable(QString("%1 %2").arg(p.x()).arg(p.z())));
      }
      // A wall that leans over its foot by 25 degrees is seen from so much tilt on, everything else along z.
      const auto over = drawn({{-40, 0}, {10 * std::tan(lean), 0}, {0, 10}, {30, 10}}, 60, 4, turn);
      const Reach o = studyReach(*over, Sight(over->mesh), up, 4000, quiet_);
      QVERIFY2(o.steepestTilt >= lean - 1e-3 && o.steepestTilt <= lean + radians(2.1),
               qPrintable(QString::number(degrees(o.steepestTilt))));
      QVERIFY(o.hidden == 0 && o.seen < o.places.area());
      for (std::size_t t = 0; t < o.facetTilt.size(); ++t) {
        const double facing = over->mesh.facetNormal(t).dot(up);
        const auto told = static_cast<double>(o.facetTilt[t]);
        if (facing < -0.1) QVERIFY2(told > 24.9 && told < 27.2, qPrintable(QString::number(told)));
        if (told == 0) QVERIFY(facing > 0.9);
      }
    }
  }

  void sightAgrees() {
    // Beside rays in double precision: a tessellation with overhangs, random places and directions. Where both differ the way grazes: a
    // hair to one side it is free, a hair to the other it is not.
    std::mt19937 random(21);
    const auto number = [&](double a, double b) { return std::uniform_real_distribution<double>(a, b)(random); };
    std::vector<Vec3> soup;
    const auto at = [](int i, int j) {
      const double x = i * 0.5, y = j * 0.5, z = 3 * std::sin(x / 2) * std::cos(y / 3);
      return Vec3(x + 0.8 * z, y - 0.5 * z, z); // leaning waves
    };
    for (int i = 0; i < 60; ++i)
      for (int j = 0; j < 60; ++j)
        for (const Vec3& p : {at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j), at(i + 1, j + 1), at(i, j + 1)}) soup.push_back(p);
    const auto part = partFromTriangles(soup, "leaning", 3.0);
    const Sight sight(part->mesh);
    const Places places = spreadPlaces(*part, 2000);
    QCOMPARE(places.at.size(), std::size_t{2000});
    int free = 0, differ = 0, packed = 0;
    for (int k = 0; k < 2000; ++k) { // several ways at once: as one by one, but for what passes the surface within rounding
      std::vector<Vec3> ways(1 + random() % Sight::kTogether);
      for (Vec3& d : ways) d = Vec3(number(-1, 1), number(-1, 1), number(-0.3, 1)).normalized();
      const auto told = sight.freeOf(places.at[static_cast<std::size_t>(k)], ways);
      for (std::size_t w = 0; w < told.size(); ++w)
        packed += told[w] != (w < ways.size() && sight.free(places.at[static_cast<std::size_t>(k)], ways[w]));
    }
    QVERIFY2(packed < 10, qPrintable(QString::number(packed)));
    for (int k = 0; k < 20000; ++k) {
      const std::size_t i = random() % places.at.size();
      const Vec3 d = Vec3(number(-1, 1), number(-1, 1), number(-0.3, 1)).normalized();
      const bool told = sight.free(places.at[i], d), wanted = !castRay(*part->tree, places.at[i], d).hit;
      free += wanted;
      if (told == wanted) continue;
      ++differ;
      Vec3 e1, e2;
      frameAround(d, e1, e2);
      bool other = false;
      for (int s = 0; s < 8; ++s) {
        const Vec3 beside = places.at[i] + 1e-4 * (std::cos(s * kPi / 4) * e1 + std::sin(s * kPi / 4) * e2);
        other = other || !castRay(*part->tree, beside, d).hit == told;
      }
      QVERIFY(other);
    }
    QVERIFY2(free > 4000 && free < 18000 && differ < 20, qPrintable(QString("%1 free, %2 differ").arg(free).arg(differ)));
    // Directions cover the sphere: none farther than some 1.3 times the mean spacing from the nearest.
    const std::vector<Vec3> all = sphereDirections(200);
    for (int k = 0; k < 2000; ++k) {
      const Vec3 d = Vec3(number(-1, 1), number(-1, 1), number(-1, 1)).normalized();
      double nearest = kPi;
      for (const Vec3& x : all) nearest = std::min(nearest, angleBetween(x, d));
      QVERIFY2(nearest < 1.3 * std::sqrt(4 * kPi / 200), qPrintable(QString::number(nearest)));
    }
  }

  void tolerancesBoundTheArcs() {
    // Facets of a hollow of one radius stand off it by their sagitta: the tolerance covers that, and is not much more.
    for (const double turn : {0.6, 1.8, 4.0}) {
      std::vector<Vec2> trough;
      const int n = static_cast<int>(80 / turn);
      for (int i = -n; i <= n; ++i) trough.emplace_back(6 * std::sin(radians(turn * i)), 6 * (1 - std::cos(radians(turn * i))));
      const auto part = drawn(trough, 40, 2, shapes::orientations()[1]);
      const double sagitta = 6 * (1 - std::cos(radians(turn / 2)));
      for (const double t : facetTolerance(*part))
        QVERIFY2(t >= 1.99 * sagitta && t <= 2.01 * sagitta, qPrintable(QString("%1 of %2").arg(t).arg(sagitta)));
    }
    // Flat ground has next to none.
    const auto flat = shapes::field(0, 10, 0, 10, 4, 4, [](double, double) { return 0.0; });
    for (const double t : facetTolerance(*flat)) QVERIFY(t < 1e-5);
  }

  void pocketsHoldWater() {
    // Two bowls of revolution, 5 and 3 mm deep, and a third one that runs out over the part's side.
    const auto ground = [](double x, double y) {
      const auto bowl = [](double r2, double radius, double depth) { return std::min(0.0, depth * (r2 / (radius * radius) - 1)); };
      return bowl((x + 12) * (x + 12) + y * y, 9, 5) + bowl((x - 10) * (x - 10) + y * y, 6, 3) +
             bowl((x - 10) * (x - 10) + (y - 15) * (y - 15), 5, 4);
    };
    for (const Mat3& turn : shapes::orientations()) {
      const auto part = shapes::field(-25, 25, -15, 15, 250, 150, ground, turn);
      const Pockets p = findPockets(*part, shapes::up(turn), 512, quiet_);
      QCOMPARE(p.pockets.size(), 2u);
      const double large = kPi * 81 * 5 / 2, small = kPi * 36 * 3 / 2;
      QVERIFY2(std::abs(p.pockets[0].volume - large) < 0.01 * large && std::abs(p.pockets[1].volume - small) < 0.01 * small,
               qPrintable(QString("%1 %2").arg(p.pockets[0].volume).arg(p.pockets[1].volume)));
      QVERIFY(std::abs(p.pockets[0].depth - 5) < 0.02 && std::abs(p.pockets[0].area - kPi * 81) < 0.03 * kPi * 81);
      QVERIFY((turn.transpose() * p.pockets[0].deepest - Vec3(-12, 0, -5)).norm() < 0.3);
      QVERIFY(std::abs(p.volume - large - small) < 0.01 * large);
    }
    QVERIFY(findPockets(*tube(5, 9, 12, 60, Mat3::Identity()), Vec3::UnitZ(), 256, quiet_).pockets.empty()); // it drains through the bore
  }

  void slimCutters() {
    const std::vector<char> all(100000, 1);
    for (const Mat3& turn : shapes::orientations()) {
      const Vec3 up = shapes::up(turn);
      // A trench whose walls lean by 20 degrees from upright: a ball at height h over its bottom touches both at r = h sin a / cos^2 a.
      const double a = radians(20), deep = 15;
      const auto trench = shapes::field(
          -12, 12, -6, 6, 96, 4, [&](double x, double) { return std::min(0.0, std::abs(x) / std::tan(a) - deep); }, turn);
      const Places places = spreadPlaces(*trench, 900);
      const SlimReach s = slimReach(*trench, Sight(trench->mesh), up, places, all, 30, quiet_);
      std::size_t asked = 0;
      for (std::size_t i = 0; i < places.at.size(); ++i) {
        const Vec3 p = turn.transpose() * places.at[i];
        const double r = (p.z() + deep) * std::sin(a) / (std::cos(a) * std::cos(a));
        if (p.z() > -4 || p.z() < -deep + 2 || std::abs(p.y()) > 3) continue; // on the walls, away from rim, bottom and ends
        QVERIFY2(std::abs(static_cast<double>(s.radius[i]) - r) < 0.03 * r, qPrintable(QString("%1, not %2").arg(s.radius[i]).arg(r)));
        ++asked;
      }
      QVERIFY(asked > 100 && s.slimmest > 3);
      // Under a gap of 6 mm between two plates the shank decides: as far as the nearer lip.
      std::vector<Vec3> soup = shapes::box({-20, -10, -1}, {20, 10, 0});
      for (const Vec3& low : {Vec3(-20, -10, 8), Vec3(3, -10, 8)})
        for (const Vec3& v : shapes::box(low, low + Vec3(17, 20, 2))) soup.push_back(v);
      for (Vec3& v : soup) v = turn * v;
      const auto plates = partFromTriangles(soup, "plates");
      const Places on = spreadPlaces(*plates, 4000);
      const SlimReach g = slimReach(*plates, Sight(plates->mesh), up, on, all, 30, quiet_);
      for (std::size_t i = 0; i < on.at.size(); ++i) {
        const Vec3 p = turn.transpose() * on.at[i];
        if (std::abs(p.z()) > 0.01 || std::abs(p.x()) > 2.5 ||
            plates->mesh.facetNormal(static_cast<std::size_t>(on.facet[i])).dot(up) < 0.9)
          continue;
        const double r = 3 - std::abs(p.x());
        QVERIFY2(std::abs(static_cast<double>(g.radius[i]) - r) < 0.02 * r, qPrintable(QString("%1, not %2").arg(g.radius[i]).arg(r)));
      }
      QVERIFY(g.opening && std::abs(g.openingDepth - 10) < 0.01);
    }
  }

  void aWholeStudyInWords() {
    const auto library = shapes::cutters();
    for (const Mat3& turn : shapes::orientations()) {
      const auto part = tube(5, 9, 12, 60, turn);
      const WholeStudy s = studyWhole(*part, shapes::up(turn), quiet_);
      // The bore, the ring and the outer wall from above, the lower ring from below; the bore's radius on its wall.
      const Reach& reach = s.around.reach;
      QVERIFY2(std::abs(reach.seen - (reach.places.area() - kPi * (81 - 25))) < 3 * reach.places.error(0.2),
               qPrintable(QString::number(reach.seen)));
      QVERIFY(reach.hidden == 0 && s.around.straight.unreached == 0);
      QVERIFY2(s.around.straight.clampings.size() == 2, qPrintable(QString::fromStdString(clampingText(s.around.straight))));
      StudyWishes wishes;
      wishes.library = library, wishes.cusp = 0.002, wishes.density = 7.8;
      const std::string words = studyText(*part, {&s.study, &s.balls, &s.around, &s.walls}, wishes);
      for (const char* word :
           {"from 2 sides", "is seen from here", "they will show", "Largest ball that fits everywhere", "Weight: 0.02 kg"})
        QVERIFY2(words.find(word) != std::string::npos, words.c_str());
    }
    // Cancelling ends it.
    Progress stopped;
    stopped.cancel();
    QVERIFY_EXCEPTION_THROWN(studyWhole(*tube(5, 9, 12, 60, Mat3::Identity()), Vec3::UnitZ(), stopped), Cancelled);
  }

  void whatAnAssemblyTouches() {
    // On the floor of a slot: the ball has to stand its radius away from the walls, the holder its own where the slot is deeper than the
    // stick-out, and the mouth hides nothing. A walls' place is touched where ball and bodies have the room across.
    const double wide = 30, deep = 25;
    const std::vector<Vec2> slot{{-60, deep}, {-wide / 2, deep}, {-wide / 2, 0}, {wide / 2, 0}, {wide / 2, deep}, {60, deep}};
    Cutter c = shapes::cutters()[1]; // ball of 8 mm
    c.length = 80, c.neckDiameter = 0;
    const Holder thick{"thick", {{0, 11, 40, 11}}};
    for (const Mat3& turn : shapes::orientations()) {
      const auto part = drawn(slot, 60, 4, turn);
      const Sight sight(part->mesh);
      const Places places = spreadPlaces(*part, 3000);
      for (const double stickOut : {20.0, 30.0}) {
        const AssemblyReach r = reachWith(*part, sight, places, assemble(c, thick, stickOut), shapes::up(turn), 0, 0.002, {}, quiet_);
        double floor = 0, touched = 0;
        for (std::size_t i = 0; i < places.at.size(); ++i) {
          const Vec3 p = turn.transpose() * places.at[i];
          const double beside = wide / 2 - std::abs(p.x()); // on the floor: from the nearer wall
          if (p.z() > 0.1 || beside < 0.01) continue;
          floor += places.each, touched += r.state[i] == Reached::Yes ? places.each : 0;
          const Reached wanted = beside < 4 ? Reached::TooNarrow : stickOut < deep && beside < 11 ? Reached::Body : Reached::Yes;
          if (std::abs(beside - 4) < 0.2 || std::abs(beside - 11) < 0.05) continue; // the dip lets a ball of 8 mm come nearer by 0.13 mm
          QVERIFY2(r.state[i] == wanted, qPrintable(QString("%1 from the wall: %2").arg(beside).arg(int(r.state[i]))));
        }
        QVERIFY(std::abs(floor - wide * 60) < 0.02 * floor && touched > 0);
        QVERIFY(std::abs(r.area + r.hidden + r.tooNarrow + r.body - places.area()) < 1e-6 * places.area());
        QVERIFY((r.body > 0) == (stickOut < deep) && r.leaning == 0);
      }
    }
  }

  void whatLeaningTouches() {
    // Beside an upright wall the holder is in the way of a short assembly; leaning away from the wall it comes down to the floor. By how
    // much: from a contact at h below the wall's top the holder's corner, 11 mm out and 20 mm up, has to stand clear of the wall's face.
    const std::vector<Vec2> corner{{-60, 0}, {0, 0}, {0, 60}};
    Cutter c = shapes::cutters()[1];
    c.length = 80, c.neckDiameter = 0;
    const Assembly shortOne = assemble(c, {"thick", {{0, 11, 40, 11}}}, 20);
    for (const Mat3& turn : shapes::orientations()) {
      const auto part = drawn(corner, 60, 4, turn);
      const Sight sight(part->mesh);
      const Places places = spreadPlaces(*part, 3000);
      const AssemblyReach upright = reachWith(*part, sight, places, shortOne, shapes::up(turn), 0, 0.002, {}, quiet_);
      const AssemblyReach leaning = reachWith(*part, sight, places, shortOne, shapes::up(turn), radians(60), 0.002, {}, quiet_);
      double most = 0;
      for (std::size_t i = 0; i < places.at.size(); ++i) {
        if (upright.state[i] == Reached::Yes) QVERIFY(leaning.state[i] == Reached::Yes);
        const Vec3 p = turn.transpose() * places.at[i];
        const double beside = -p.x();
        if (std::abs(p.z()) > 0.01 || beside < 4.2 || beside > 10.8 || std::abs(p.y() - 30) > 20) continue;
        QVERIFY(upright.state[i] == Reached::Body && leaning.state[i] == Reached::Yes);
        // The ball's middle stays 4 mm over the floor; seen from it the corner lies 11 mm to the side and 16 mm along the axis.
        most = std::max(most, std::atan2(11.0, 16.0) - std::asin(std::min(1.0, beside / std::hypot(11.0, 16.0))));
      }
      QVERIFY(most > 0 && leaning.leaning > 0);
      QVERIFY2(leaning.mostLean >= most - 1e-6, qPrintable(QString("%1 %2").arg(degrees(leaning.mostLean)).arg(degrees(most))));
      QVERIFY(std::abs(leaning.area - upright.area - leaning.leaning) < 1e-6 * places.area());
    }
  }

  void clampings() {
    const std::vector<Vec3> cube = shapes::box({0, 0, 0}, {40, 30, 20});
    const auto block = partFromTriangles(cube, "block");
    const Sight sight(block->mesh);
    const Places places = spreadPlaces(*block, 4000);
    // A block: the upper face and all walls from above, the bottom from below.
    const ClampingPlan two = planClampings(*block, sight, places, 0, 200, quiet_);
    QCOMPARE(two.clampings.size(), std::size_t{2});
    QVERIFY(two.unreached == 0 && two.small == 0 && two.clampings[0].up.isApprox(Vec3::UnitZ()));
    QCOMPARE(clampingText(two), std::string("all of it from 2 sides: z up; z down"));
    QVERIFY(std::abs(two.clampings[1].area - 1200) < 3 * places.error(1200 / two.area));
    // With ten degrees of tilt nothing changes; with a full turn one clamping sees all.
    QCOMPARE(planClampings(*block, sight, places, radians(10), 200, quiet_).clampings.size(), std::size_t{2});
    QCOMPARE(planClampings(*block, sight, places, kPi, 200, quiet_).clampings.size(), std::size_t{1});
    // A box within a closed box is never seen.
    std::vector<Vec3> hollow = shapes::box({0, 0, 0}, {40, 40, 40}), inner = shapes::box({10, 10, 10}, {30, 30, 30});
    for (std::size_t i = 0; i < inner.size(); i += 3) std::swap(inner[i], inner[i + 1]);
    hollow.insert(hollow.end(), inner.begin(), inner.end());
    const auto closed = partFromTriangles(hollow, "hollow");
    const Sight inside(closed->mesh);
    const Places spread = spreadPlaces(*closed, 4000);
    const ClampingPlan plan = planClampings(*closed, inside, spread, 0, 200, quiet_);
    QVERIFY2(std::abs(plan.unreached - 2400) < 3 * spread.error(2400 / plan.area), qPrintable(QString::number(plan.unreached)));
    QVERIFY(plan.clampings.size() == 2 && plan.small == 0);
    const Vec3 d = plan.unreachedAt - Vec3(20, 20, 20);
    QVERIFY(d.cwiseAbs().maxCoeff() < 11);
    // A ball: two clampings leave nothing, each sees half; directions that see alike give way to the axes.
    std::vector<Vec3> ball;
    const auto at = [](int i, int j) {
      const double a = kPi * i / 40, b = 2 * kPi * j / 80;
      return Vec3(10 * std::sin(a) * std::cos(b), 10 * std::sin(a) * std::sin(b), 10 * std::cos(a));
    };
    for (int i = 0; i < 40; ++i)
      for (int j = 0; j < 80; ++j)
        for (const Vec3& p : {at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j), at(i + 1, j + 1), at(i, j + 1)}) ball.push_back(p);
    const auto sphere = partFromTriangles(ball, "ball");
    const Places round = spreadPlaces(*sphere, 4000);
    const ClampingPlan halves = planClampings(*sphere, Sight(sphere->mesh), round, 0, 200, quiet_);
    QVERIFY(halves.clampings.size() == 2 && halves.unreached + halves.small < 0.002 * halves.area);
    QVERIFY(std::abs(halves.clampings[0].area / halves.area - 0.5) < 0.01);
  }

  /// Walls with known rulings, in three orientations: a hyperbolic paraboloid (twisted), a cylinder and a cone (not), a ball (none).
  void rulingsAreFound_data() {
    QTest::addColumn<int>("turn");
    QTest::addColumn<int>("shape");
    for (int k = 0; k < 3; ++k)
      for (int shape = 0; shape < 3; ++shape) QTest::addRow("shape %d, orientation %d", shape, k) << k << shape;
  }
  void rulingsAreFound() {
    QFETCH(int, turn);
    QFETCH(int, shape);
    const Mat3 m = shapes::orientations()[static_cast<std::size_t>(turn)];
    constexpr double c = 0.02, rho = 30;
    const auto height = [&](double x, double y) {
      return shape == 0 ? c * x * y : shape == 1 ? std::sqrt(rho * rho - y * y) : std::sqrt(rho * rho - x * x - y * y);
    };
    const auto part = shapes::field(-8, 8, -6, 6, 96, 72, height, m);
    const RuledTest test = ruledTest(WallSurface(*part, 0), 12, quiet_);
    QCOMPARE(test.rulings.size(), std::size_t{12});
    const double sagitta = 0.001; // of the tessellation, from above
    if (shape < 2)
      QVERIFY2(test.deviation < sagitta, qPrintable(QString::number(test.deviation)));
    else // the shortest way across the cap through some place is about 12 long: sqrt(rho^2 + 6^2) - rho at its ends, or more
      QVERIFY2(test.deviation > 0.3, qPrintable(QString::number(test.deviation)));
    for (const Ruling& r : test.rulings) {
      const Vec3 d = (m.transpose() * (r.to - r.from)).normalized(), middle = m.transpose() * r.middle;
      if (shape == 1) {
        QVERIFY(std::abs(d.x()) > 1 - 1e-4 && r.twist < 0.02 && std::abs((r.to - r.from).norm() - 16) < 0.3);
        const FlankFit lies = flankFit(WallSurface(*part, 0), r, 7, 0);
        QVERIFY2(lies.over < sagitta && lies.under < sagitta, qPrintable(QString("%1 %2").arg(lies.over).arg(lies.under)));
      } else if (shape == 0) {
        // Rulings run along x or along y; along x at y the normal is (-c y, -c x, 1): it turns from atan(-8 c') to atan(8 c'), c' = c /
        // sqrt(1 + (c y)^2).
        const bool alongX = std::abs(d.x()) > std::abs(d.y());
        QVERIFY(std::min(std::abs(d.x()), std::abs(d.y())) < 0.02);
        const double own = c / std::sqrt(1 + std::pow(c * (alongX ? middle.y() : middle.x()), 2));
        const double half = (alongX ? 8 : 6) * std::sqrt(1 + std::pow(c * (alongX ? middle.y() : middle.x()), 2)),
                     end = std::atan(own * (alongX ? 8 : 6));
        QVERIFY2(std::abs(r.twist - 2 * end) < 0.05 * end + 0.01, qPrintable(QString("%1 %2").arg(r.twist).arg(2 * end)));
        QVERIFY(std::abs((r.to - r.from).norm() - 2 * half) < 0.4);
        const double R = 9;
        const FlankFit lies = flankFit(WallSurface(*part, 0), r, R, 0);
        QVERIFY2(std::abs(lies.over - R * (1 - std::cos(0.98 * end))) < 0.04 * lies.over + sagitta && lies.under < 0.002,
                 qPrintable(QString("%1 %2 %3").arg(lies.over).arg(R * (1 - std::cos(end))).arg(lies.under)));
        QVERIFY(std::abs(lies.balanced() - lies.over / 2) < 0.001);
      }
    }
  }

  void coneLiesOnACone() {
    // A wall that is a cone of its own: a cylinder does not lie on it better than a cone, and both touch along the ruling.
    const auto part = shapes::field(-8, 8, -4, 4, 96, 48, [](double x, double y) { return std::sqrt(std::pow(25 + 0.2 * x, 2) - y * y); });
    const RuledTest test = ruledTest(WallSurface(*part, 0), 6, quiet_);
    QVERIFY2(test.deviation < 0.001 && test.twist < 0.02, qPrintable(QString("%1 %2").arg(test.deviation).arg(test.twist)));
    for (const Ruling& r : test.rulings)
      for (const double half : {0.0, radians(5)}) {
        const FlankFit lies = flankFit(WallSurface(*part, 0), r, 6, half);
        QVERIFY2(lies.over < 0.002 && lies.under < 0.002, qPrintable(QString("%1 %2").arg(lies.over).arg(lies.under)));
      }
    QCOMPARE(wallsOf(*part, Vec3::UnitX(), radians(70)), std::vector<int>{0});
    QVERIFY(wallsOf(*part, Vec3::UnitZ(), radians(70)).empty());
  }

  /// Walls of a body are found, tried and told; its level faces are not among them.
  void wallsAreTold() {
    // A round block: its skin is one ruled wall of 2 pi 20 12 mm2.
    std::vector<Vec3> soup;
    constexpr int n = 180;
    const auto on = [](int k, double z) { return Vec3(20 * std::cos(2 * kPi * k / n), 20 * std::sin(2 * kPi * k / n), z); };
    for (int k = 0; k < n; ++k)
      for (const Vec3& v : {on(k, 0), on(k + 1, 0), on(k + 1, 12), on(k, 0), on(k + 1, 12), on(k, 12), Vec3(0, 0, 12), on(k, 12),
                            on(k + 1, 12), Vec3(0, 0, 0), on(k + 1, 0), on(k, 0)})
        soup.push_back(v);
    const auto part = partFromTriangles(soup, "round");
    const auto walls = studyWalls(*part, Vec3::UnitZ(), quiet_);
    QCOMPARE(walls.size(), std::size_t{1});
    QVERIFY(std::abs(walls[0].test.area - 2 * kPi * 20 * 12) < 2);
    for (const Ruling& r : walls[0].test.rulings)
      QVERIFY2(std::abs((r.to - r.from).z()) > 11.9, qPrintable(QString::number((r.to - r.from).z())));
    const std::string words = wallText(*part, walls[0], LengthUnit::Millimetre);
    QVERIFY2(words.find("15.1 cm², is ruled to") != std::string::npos, words.c_str());
    const WholeStudy all = studyWhole(*part, Vec3::UnitZ(), quiet_);
    QVERIFY(studyText(*part, {&all.study, &all.balls, &all.around, &all.walls}, {}).find("Wall: ") != std::string::npos);
    QVERIFY_THROWS_EXCEPTION(Error, WallSurface(*part, 77));
    quiet_.cancel();
    QVERIFY_THROWS_EXCEPTION(Cancelled, ruledTest(WallSurface(*part, walls[0].test.patch), 4, quiet_));
  }
};

QTEST_APPLESS_MAIN(TestStudy)
#include "tst_study.moc"
