// Passes by distance and level passes as a step makes them: planned, cut, measured with certified bounds, mended, on grounds with known
// answers in several orientations.
#include "finishing/fronts.h"
#include "passes.h"
#include "proof/gouge.h"
#include "proof/surface_proof.h"
#include "shapes.h"
#include "surface/mesh_field.h"
#include <QtTest>

using namespace hemline;

namespace {

Progress quiet;

struct Planned {
  PassPlan plan;
  SurfaceProof proof;
  double contact = 0, least = 0; ///< mm: length of its passes, and the least there could be
  std::size_t rapids = 0;
};

/// Of contacts within a box of the part's frame.
double cutLength(const Path& path, const std::function<bool(const Vec3&)>& inside) {
  double sum = 0;
  for (std::size_t i = 1; i < path.locations.size(); ++i)
    if (path.locations[i].motion == Motion::Cut && inside(0.5 * (path.locations[i].contact + path.locations[i - 1].contact)))
      sum += (path.locations[i].contact - path.locations[i - 1].contact).norm();
  return sum;
}

Box boundsOf(const Part& part, const Mat3& turn) {
  Box box;
  for (const Vec3& p : part.mesh.points) box.add(turn * p);
  return box;
}

/// As a step does it: what the proof finds over the promise gets short passes.
Planned cutByFronts(const std::shared_ptr<const Part>& part, const Profile& profile, PassOptions o, std::vector<std::vector<Vec3>> from,
                    bool byCusp, int turn = 0, std::vector<std::vector<Vec3>> with = {}) {
  const FineMesh whole = fineMesh(part, part->mesh.bounds().diagonal() / 80);
  const std::vector<char> region = regionFacets(*part, o.region, o.up, "test");
  FrontsAsk ask;
  ask.lay.from = std::move(from), ask.lay.with = std::move(with), ask.lay.byCusp = byCusp,
  ask.metric = {0.96 * o.cusp, o.up, o.tilt, o.allowance, o.fillet};
  const Fronts fronts = planFronts(whole, whole.flags(region), profile, ask, quiet);
  const FineMesh mesh = cutSides(whole, part->mesh.triangles.size(), fronts.cuts);
  MeshField field{&mesh.part->mesh, &fronts.value};
  const std::vector<Vec3> slopes = field.meanSlopes();
  field.slopes = &slopes;
  const FieldOf<MeshField> own(field);
  if (!mesh.parent.empty()) field.coarse = &part->mesh, field.fine = &mesh;
  const FieldOf<MeshField> onPart(field);
  o.tilt.byContact = true, o.levels = fronts.levels, o.also = fronts.ridges, o.strips = false;
  const Placing reach(*part, profile, o.up, o.tilt, o.allowance, &onPart, o.fillet);
  SurfaceProofOptions so;
  so.cusp = o.cusp, so.allowance = o.allowance;
  Planned out;
  for (int round = 0; round < 6; ++round) {
    out.plan = planLevelPasses(*mesh.part, profile, own, o, quiet);
    out.proof = proveSurface(*part, region, Sweep(profile, out.plan.path), &reach, so, quiet);
    if (out.proof.over.empty()) break;
    std::vector<double> over;
    std::vector<Vec3> places, corners, upward;
    for (const Touching& t : out.proof.over) {
      const double level = onPart.value(t.on, t.place);
      if (round > 0 && level < kBegins * fronts.step)
        corners.push_back(t.place.point), upward.push_back(onPart.gradient(t.on));
      else
        over.push_back(level), places.push_back(t.place.point);
    }
    for (auto& line : linesInto(corners, upward, std::sqrt(8 * o.cusp * profile.maxRadius()))) o.also.push_back(std::move(line));
    for (ShortPass& s : shortPasses(over, places, fronts.step, kBegins * fronts.step)) o.shortOnes.push_back(std::move(s));
  }
  // Without what runs on beyond the ground.
  const Mat3 back = shapes::orientations()[std::size_t(turn)].transpose();
  const Box box = boundsOf(*part, back);
  out.contact = cutLength(out.plan.path, [&](const Vec3& p) {
    const Vec3 q = back * p;
    return (q - box.low).head<2>().minCoeff() > 1e-6 && (box.high - q).head<2>().minCoeff() > 1e-6;
  });
  out.least = leastContactLength(part->mesh, region, cuspMetric(*part, profile, {o.cusp, o.up, o.tilt, o.allowance}, quiet));
  for (const Location& l : out.plan.path.locations) out.rapids += l.motion == Motion::Rapid;
  return out;
}

struct Terrain {
  const char* name;
  std::function<double(double, double)> height;
  double fromRail, fromBorder; ///< wanted shares of the least length: at borders of so small a ground fronts meet nearly everywhere
};

const std::vector<Terrain> kGrounds{
    {"plane", [](double, double) { return 0.0; }, 0.94, 0.77},
    {"slope", [](double x, double) { return 0.6 * x; }, 0.94, 0.77},
    {"sphere", [](double x, double y) { return std::sqrt(900 - x * x - y * y) - 30; }, 0.94, 0.73},
    {"cylinder", [](double x, double) { return std::sqrt(225 - x * x) - 15; }, 0.93, 0.7},
    {"trough", [](double x, double) { return 9 - std::sqrt(81 - 0.4 * x * x); }, 0.83, 0.68},
    {"saddle", [](double x, double y) { return (x * x - y * y) / 50; }, 0.8, 0.69},
    {"cone", [](double x, double y) { return -0.7 * std::hypot(x + 20, y); }, 0.88, 0.78},
    {"torus", [](double x, double y) { return std::sqrt(144 - std::pow(std::hypot(x + 14, y) - 14, 2)) - 12; }, 0.85, 0.66},
};

} // namespace

class TestFrontPasses : public QObject {
  Q_OBJECT

private slots:
  void everyGroundIsKept_data() {
    QTest::addColumn<int>("ground");
    QTest::addColumn<int>("turn");
    QTest::addColumn<bool>("byCusp");
    QTest::addColumn<bool>("rail");
    QTest::addColumn<bool>("spiral");
    QTest::addColumn<bool>("guided");
    for (int g = 0; g < int(kGrounds.size()); ++g) {
      for (const bool byCusp : {true, false})
        for (const bool rail : {true, false})
          QTest::addRow("%s, %s from %s", kGrounds[std::size_t(g)].name, byCusp ? "cusp" : "spacing", rail ? "a rail" : "the border")
              << g << (g + byCusp + 2 * rail) % 3 << byCusp << rail << false << false;
      QTest::addRow("%s, a spiral from the border", kGrounds[std::size_t(g)].name) << g << g % 3 << true << false << true << false;
      QTest::addRow("%s, running with a rail", kGrounds[std::size_t(g)].name) << g << g % 3 << (g % 2 == 0) << true << false << true;
    }
  }
  void everyGroundIsKept() {
    QFETCH(int, ground);
    QFETCH(int, turn);
    QFETCH(bool, byCusp);
    QFETCH(bool, rail);
    QFETCH(bool, spiral);
    QFETCH(bool, guided);
    const Terrain& g = kGrounds[std::size_t(ground)];
    const Mat3 turned = shapes::orientations()[std::size_t(turn)];
    const auto part = shapes::field(-6, 6, -5, 5, 72, 60, g.height, turned);
    const Profile ball = makeProfile(shapes::cutters()[1]);
    PassOptions o;
    o.up = shapes::up(turned), o.cusp = 0.01, o.chord = 0.0003, o.safeHeight = 50, o.spiral = spiral;
    std::vector<std::vector<Vec3>> from, with;
    const auto line = [&](double y0, double rise, double x0, double x1) {
      std::vector<Vec3> out;
      for (double x = x0; x < x1 + 0.01; x += 0.25) out.push_back(turned * Vec3(x, y0 + rise * x, g.height(x, y0 + rise * x)));
      return out;
    };
    if (rail) from = {guided ? line(-5, 0, -6, 6) : line(0, 0.3, -6, 6)};
    if (guided) with = {line(1, -0.15, -5, 4)};
    const Planned p = cutByFronts(part, ball, o, from, byCusp, turn, with);
    const auto told = QString("cusp %1, bound %2, over %3 mm2, gouge %4 um; %5 of the least length, %6 passes, %7 short, %8 rapids")
                          .arg(p.proof.cusp.value * 1e3)
                          .arg(p.proof.cusp.bound * 1e3)
                          .arg(p.proof.areaOverCusp)
                          .arg(p.proof.gouge.value * 1e3)
                          .arg(p.least / p.contact)
                          .arg(p.plan.levels.size())
                          .arg(p.plan.mended)
                          .arg(p.rapids);
    if (qEnvironmentVariableIsSet("TELL")) qInfo().noquote() << told;
    QVERIFY2(p.proof.cusp.bound <= o.cusp && p.proof.areaOverCusp == 0, qPrintable(told));
    QVERIFY2(p.proof.cusp.value >= 0.9 * o.cusp, qPrintable(told));
    QVERIFY2(p.proof.gouge.value <= o.chord + 1e-6, qPrintable(told));
    // Whole loops at both ends of spirals; what guides cost is told.
    const double wanted = guided ? 0.7 : rail ? g.fromRail : g.fromBorder - (spiral ? 0.12 : 0);
    QVERIFY2(p.least / p.contact >= wanted, qPrintable(told));
    const auto& l = p.plan.path.locations;
    int begun = 0; // pieces of its first pass, which is the spiral
    for (std::size_t i = 1; i < l.size(); ++i)
      begun += l[i].motion == Motion::Cut && l[i].pass == 0 && (l[i - 1].motion != Motion::Cut || l[i - 1].pass != 0);
    QVERIFY2(begun == 1 || !spiral, qPrintable(QString::number(begun)));
  }

  /// Between two rails that draw apart: as many passes as the widest place asks for, evenly spread, each half a gap off its rail; the
  /// field is the share of the way, which on a plane wedge is the share of the angle.
  void railsGoOverIntoEachOther() {
    const Profile ball = makeProfile(shapes::cutters()[1]);
    const double h = 0.01, gap = std::sqrt(8 * h * 4);
    const auto edge = [](double x) { return 2 + 0.25 * x; }; // from 2 at x = 0 to 5 at x = 12
    for (const Mat3& turn : shapes::orientations()) {
      std::vector<Vec3> soup;
      const auto at = [&](int i, int j) {
        const double x = 12.0 * i / 60;
        return Vec3(turn * Vec3(x, edge(x) * (2.0 * j / 40 - 1), 0));
      };
      for (int i = 0; i < 60; ++i)
        for (int j = 0; j < 40; ++j)
          for (const Vec3& p : {at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j), at(i + 1, j + 1), at(i, j + 1)}) soup.push_back(p);
      const auto part = partFromTriangles(soup, "wedge", 3.0);
      const FineMesh fine = fineMesh(part, 1);
      const std::vector<char> all(fine.part->mesh.triangles.size(), 1);
      FrontsAsk ask;
      ask.metric.cusp = h, ask.metric.up = shapes::up(turn);
      ask.lay.from = {{at(0, 0), at(60, 0)}}, ask.lay.to = {{at(0, 40), at(60, 40)}};
      const Fronts f = planFronts(fine, all, ball, ask, quiet);
      const double lean = std::atan(0.25);
      for (std::size_t p = 0; p < fine.part->mesh.points.size(); ++p) {
        const Vec3 q = turn.transpose() * fine.part->mesh.points[p];
        if (q.x() < 2 || q.x() > 10) continue; // past the rails' ends the nearest place is the end
        const double a = (q.y() + edge(q.x())) * std::cos(lean), b = (edge(q.x()) - q.y()) * std::cos(lean);
        QVERIFY2(std::abs(f.value[p] - a / (a + b)) < 0.01, qPrintable(QString::number(f.value[p] - a / (a + b))));
      }
      // The widest place is 10 mm, all but 2 % of the ground: between that and the passes of the middle.
      const auto count = static_cast<double>(f.levels.size());
      QVERIFY2(count >= 9.2 / gap && count <= 10.5 / gap + 1, qPrintable(QString::number(count)));
      for (std::size_t i = 1; i < f.levels.size(); ++i) QVERIFY(std::abs((f.levels[i] - f.levels[i - 1]) * count - 1) < 0.1);
      QVERIFY2(QString::fromStdString(f.told).contains("passes apart"), f.told.c_str());
    }
  }

  /// Least lengths in closed form: on a plane the area over the widest spacing of measures.md, on a cylinder that along its generators.
  void leastLengthsAreThoseOfTheBooks() {
    const Profile ball = makeProfile(shapes::cutters()[1]);
    const double R = 4, h = 0.01, rho = 12;
    for (const Mat3& turn : shapes::orientations()) {
      const auto plane = shapes::field(
          -6, 6, -5, 5, 8, 8, [](double, double) { return 0.0; }, turn);
      const std::vector<char> all(plane->mesh.triangles.size(), 1);
      const double flat = leastContactLength(plane->mesh, all, cuspMetric(*plane, ball, {h, shapes::up(turn), {}, 0}, quiet));
      QVERIFY(std::abs(flat / (120 / std::sqrt(8 * h * R)) - 1) < 1e-6);
      for (const double sign : {1.0, -1.0}) {
        const auto pipe = shapes::field(
            -5, 5, -5, 5, 200, 4, [&](double x, double) { return sign * (std::sqrt(rho * rho - x * x) - rho); }, turn);
        const std::vector<char> round(pipe->mesh.triangles.size(), 1);
        const double least = leastContactLength(pipe->mesh, round, cuspMetric(*pipe, ball, {h, shapes::up(turn), {}, 0}, quiet));
        // Convex: passes along it lie nearer than passes round it, which see no curvature; concave: along it they may lie farther.
        const double widest = std::sqrt(8 * h / std::min(1 / R, 1 / R + sign / rho));
        QVERIFY2(std::abs(least / (pipe->mesh.area() / widest) - 1) < 0.02, qPrintable(QString("%1 %2").arg(sign).arg(least)));
      }
    }
  }

  void profilesAxesAndAllowances_data() {
    QTest::addColumn<int>("cutter");
    QTest::addColumn<bool>("follow");
    QTest::addColumn<double>("allowance");
    QTest::newRow("ball, allowance") << 1 << false << 0.4;
    QTest::newRow("ball, leaning") << 1 << true << 0.0;
    QTest::newRow("bull nose, leaning") << 2 << true << 0.0;
    QTest::newRow("bull nose, upright") << 2 << false << 0.0;
  }
  void profilesAxesAndAllowances() {
    QFETCH(int, cutter);
    QFETCH(bool, follow);
    QFETCH(double, allowance);
    const auto part = shapes::field(-4, 4, -4, 4, 48, 48, [](double x, double y) { return 0.3 * x + (x * x - y * y) / 60; });
    PassOptions o;
    o.cusp = 0.01, o.chord = 0.0003, o.safeHeight = 50, o.allowance = allowance;
    if (follow) o.tilt = {true, radians(8), radians(0)};
    const Planned p = cutByFronts(part, makeProfile(shapes::cutters()[std::size_t(cutter)]), o, {{{-4, 0, 0}, {4, 0, 0}}}, true);
    const auto told = QString("cusp %1, bound %2, over %3 mm2, %4 of the least length, %5 short")
                          .arg(p.proof.cusp.value * 1e3)
                          .arg(p.proof.cusp.bound * 1e3)
                          .arg(p.proof.areaOverCusp)
                          .arg(p.least / p.contact)
                          .arg(p.plan.mended);
    if (qEnvironmentVariableIsSet("TELL")) qInfo().noquote() << told;
    QVERIFY2(p.proof.cusp.value <= o.cusp && p.proof.cusp.bound < 1.1 * o.cusp, qPrintable(told));
    QVERIFY2(p.proof.cusp.value >= 0.75 * o.cusp, qPrintable(told)); // a whole number of passes up to the border
  }

  /// With a negative allowance the cutter goes so far below the surface, no more and no less, and leaves what it would on that ground: the
  /// proof by rays and the one by smaller cutters say so, and neither believes another allowance.
  void belowTheSurface_data() {
    QTest::addColumn<int>("cutter");
    QTest::addColumn<bool>("follow");
    QTest::addColumn<double>("round"); // of the ground, mm; concave is negative
    QTest::newRow("ball, ball ground") << 1 << false << 30.0;
    QTest::newRow("ball, hollow tighter than the ball") << 1 << false << -3.9;
    QTest::newRow("ball, leaning") << 1 << true << 30.0;
    QTest::newRow("bull nose") << 2 << false << 40.0;
  }
  void belowTheSurface() {
    QFETCH(int, cutter);
    QFETCH(bool, follow);
    QFETCH(double, round);
    constexpr double deep = 0.2;
    const Profile profile = makeProfile(shapes::cutters()[std::size_t(cutter)]);
    for (const int turn : {0, 1}) {
      const double half = std::min(4.0, 0.7 * std::abs(round)), sign = round > 0 ? 1 : -1;
      const auto part = shapes::field(
          -half, half, -4, 4, 60, 4, [&](double x, double) { return sign * (std::sqrt(round * round - x * x) - std::abs(round)); },
          shapes::orientations()[std::size_t(turn)]);
      const Vec3 a = shapes::orientations()[std::size_t(turn)] * Vec3(0, -4, 0),
                 b = shapes::orientations()[std::size_t(turn)] * Vec3(0, 4, 0);
      PassOptions o;
      o.up = shapes::up(shapes::orientations()[std::size_t(turn)]);
      o.cusp = round < -10 || round > 0 ? 0.01 : 0.002, o.chord = 0.0005, o.safeHeight = 50, o.allowance = -deep,
      o.region.slopeTo = radians(80);
      if (follow) o.tilt = {true, radians(8), radians(0)};
      const Planned p = cutByFronts(part, profile, o, {{a, b}}, true, turn);
      const Measured depth = proveGouge(*part, profile, p.plan.path, {0, 1e-3}, quiet),
                     below = proveGouge(*part, profile, p.plan.path, {-deep, 1e-3}, quiet);
      SurfaceProofOptions so;
      so.cusp = o.cusp;
      const std::vector<char> region = regionFacets(*part, o.region, o.up, "test");
      const SurfaceProof asIfNone = proveSurface(*part, region, Sweep(profile, p.plan.path), nullptr, so, quiet);
      so.allowance = -0.3;
      const Placing reach(*part, profile, o.up, o.tilt, so.allowance);
      const SurfaceProof asIfMore = proveSurface(*part, region, Sweep(profile, p.plan.path), &reach, so, quiet);
      const auto told = QString("cusp %1 to %2, gouge %3 to %4, rest %5; deep %6 to %7, below %8; as if none %9, as if more ")
                            .arg(1e3 * p.proof.cusp.value)
                            .arg(1e3 * p.proof.cusp.bound)
                            .arg(1e3 * p.proof.gouge.value)
                            .arg(1e3 * p.proof.gouge.bound)
                            .arg(1e3 * p.proof.rest.value)
                            .arg(1e3 * depth.value)
                            .arg(1e3 * depth.bound)
                            .arg(1e3 * below.bound)
                            .arg(1e3 * asIfNone.gouge.value) +
                        QString::number(1e3 * asIfMore.cusp.value);
      if (qEnvironmentVariableIsSet("TELL")) qInfo().noquote() << told;
      QVERIFY2(p.proof.cusp.bound <= 1.01 * o.cusp && p.proof.cusp.value > 0.5 * o.cusp && p.proof.rest.value < 1e-3, qPrintable(told));
      QVERIFY2(p.proof.gouge.bound < 0.0015 && below.bound < 0.0015, qPrintable(told));
      QVERIFY2(depth.value > 0.97 * deep && depth.bound < deep + 0.0015, qPrintable(told));
      QVERIFY2(std::abs(asIfNone.gouge.value - deep) < 0.001, qPrintable(told));
      QVERIFY2(asIfMore.cusp.value > 0.1 && asIfMore.gouge.value == 0, qPrintable(told));
    }
  }

  /// A sharp groove left round by a radius: what lies under the fillet is rest, to the last micrometre, the cusp is kept on it, too, and
  /// the cutter never has both walls at once.
  void cornersAreLeftRound_data() {
    QTest::addColumn<double>("slope");
    QTest::addColumn<double>("radius");
    QTest::addColumn<bool>("follow");
    QTest::addColumn<int>("lay"); // fronts from a rail across, from one along the corner, from the border; parallel across, along
    const double radii[] = {6, 4.6, 4.3, 6, 9};
    for (int lay = 0; lay < 5; ++lay) QTest::addRow("lay %d", lay) << (lay % 2 ? 1.0 : 0.5) << radii[lay] << (lay == 2) << lay;
  }
  void cornersAreLeftRound() {
    QFETCH(double, slope);
    QFETCH(double, radius);
    QFETCH(bool, follow);
    QFETCH(int, lay);
    const Profile ball = makeProfile(shapes::cutters()[1]);
    const double keep = lay == 1 || lay == 3 ? 0.3 : 0; // of allowance
    const int turn = lay % 3;
    const Mat3 turned = shapes::orientations()[std::size_t(turn)];
    const auto part = partFromTriangles(shapes::groove(slope, 0, 0.5, turned), "groove", 3.0);
    ParallelOptions o;
    o.up = shapes::up(turned), o.cusp = 0.02, o.chord = 0.0005, o.safeHeight = 50, o.fillet = radius, o.allowance = keep;
    if (follow) o.tilt = {true, radians(10), 0};
    const double a = std::atan(slope), high = (radius + keep) / std::cos(a); // of the larger ball's middle over the corner
    std::vector<std::vector<Vec3>> from;
    if (lay == 0) from = {{turned * Vec3(0.01, -9, slope * 9), turned * Vec3(0.01, 0, 0), turned * Vec3(0.01, 9, slope * 9)}};
    if (lay == 1) from = {{turned * Vec3(0, -9.9, slope * 9.9), turned * Vec3(30, -9.9, slope * 9.9)}};
    Vec3 e1, e2;
    frameAround(o.up, e1, e2);
    const Vec3 along = turned * (lay == 3 ? Vec3::UnitY() : Vec3::UnitX());
    o.angle = std::atan2(along.dot(e2), along.dot(e1));
    const FieldOf<ParallelPlanes> field = planesOf(ball, o);
    const Placing reach(*part, ball, o.up, o.tilt, keep, &field, radius);
    const auto proofOf = [&](const Path& path) {
      SurfaceProofOptions so;
      so.cusp = o.cusp, so.allowance = keep;
      return proveSurface(*part, regionFacets(*part, o.region, o.up, "test"), Sweep(ball, path), &reach, so, quiet);
    };
    Planned p;
    if (lay < 3)
      p = cutByFronts(part, ball, o, from, true, turn);
    else
      p.plan = planParallel(*part, ball, o, quiet), p.proof = proofOf(p.plan.path);
    double both = 0; // how much nearer the ball's middle is to both walls than it may be
    for (const Location& l : p.plan.path.locations) {
      if (l.motion != Motion::Cut) continue;
      const Vec3 c = turned.transpose() * (l.tip + 4 * l.axis);
      if (c.x() < 0 || c.x() > 30 || std::abs(c.y()) > 7) continue; // beyond the ends of the ground
      const double off = std::hypot(c.y(), c.z() - high), wall = std::cos(a) * (c.z() - slope * std::abs(c.y())) - 4 - keep;
      if (std::abs(c.y()) < radius * std::sin(a) * (1 - 4 / radius)) both = std::max(both, off - (radius - 4));
      both = std::max(both, -wall);
    }
    // What is left over the fillet by brute force, and again where passes are missing in it.
    const auto highest = [&](const Path& path) {
      double most = 0;
      for (int k = 0; k < 400; ++k) {
        const double t = a * (0.95 - 1.9 * std::fmod(0.618034 * k, 1.0));
        const Vec3 q = turned * Vec3(8 + 14 * (k + 0.5) / 400, radius * std::sin(t), high - radius * std::cos(t));
        double left = 1;
        for (std::size_t i = 1; i < path.locations.size(); ++i) {
          const Location &l = path.locations[i], &b = path.locations[i - 1];
          if (l.motion != Motion::Cut) continue;
          const Vec3 c0 = b.tip + 4 * b.axis, way = l.tip + 4 * l.axis - c0;
          left = std::min(left, (c0 + std::clamp((q - c0).dot(way) / std::max(way.squaredNorm(), 1e-12), 0.0, 1.0) * way - q).norm() - 4);
        }
        most = std::max(most, left);
      }
      return most;
    };
    const double brute = highest(p.plan.path);
    Path thinned = p.plan.path;
    for (Location& l : thinned.locations)
      if (const Vec3 c = turned.transpose() * (l.tip + 4 * l.axis);
          lay == 3 ? std::abs(c.x() - 15) < 0.6 : std::abs(c.y()) < 0.3 * radius * std::sin(a) * (1 - 4 / radius) + (lay == 2 ? 0.4 : 0))
        l.motion = Motion::Rapid;
    const SurfaceProof missing = proofOf(thinned);
    const auto told = QString("cusp %1 to %2, gouge %3, rest %4 to %5 of %6, both %7; %8 m, %9 blocked, ")
                          .arg(1e3 * p.proof.cusp.value)
                          .arg(1e3 * p.proof.cusp.bound)
                          .arg(1e3 * p.proof.gouge.bound)
                          .arg(1e3 * p.proof.rest.value)
                          .arg(1e3 * p.proof.rest.bound)
                          .arg(1e3 * (high - radius - keep))
                          .arg(1e3 * both)
                          .arg(1e-3 * p.plan.path.length(true))
                          .arg(p.plan.blocked) +
                      QString("in the fillet %1; thinned %2 to %3, in the fillet %4")
                          .arg(1e3 * brute)
                          .arg(1e3 * missing.cusp.value)
                          .arg(1e3 * missing.cusp.bound)
                          .arg(1e3 * highest(thinned));
    if (qEnvironmentVariableIsSet("TELL")) qInfo().noquote() << told;
    QVERIFY2(p.proof.cusp.bound <= 1.01 * o.cusp && p.proof.gouge.bound < 0.001, qPrintable(told));
    QVERIFY2(std::abs(p.proof.rest.value - (high - radius - keep)) < 0.003 && p.proof.rest.bound < high - radius - keep + 0.005,
             qPrintable(told));
    QVERIFY2(both < 0.0006 && brute <= p.proof.cusp.bound && brute > 0.5 * o.cusp, qPrintable(told));
    QVERIFY2(missing.cusp.value > o.cusp && highest(thinned) <= missing.cusp.bound, qPrintable(told));
  }

  /// A bull nose leaves nothing on level ground as long as its flats meet: passes lie far apart, round a hole, too.
  void flatsLieFarApart() {
    const Profile bull = makeProfile(shapes::cutters()[2]);
    for (const bool hole : {false, true}) {
      std::vector<Vec3> soup;
      for (int i = 0; i < 24; ++i)
        for (int j = 0; j < 24; ++j) {
          if (hole && i > 7 && i < 16 && j > 7 && j < 16) continue;
          const auto at = [&](int k, int l) { return Vec3(k - 12, l - 12, 0); };
          for (const Vec3& p : {at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j), at(i + 1, j + 1), at(i, j + 1)}) soup.push_back(p);
        }
      const auto part = partFromTriangles(soup, "plate", 1.0);
      PassOptions o;
      o.cusp = 0.004, o.chord = 0.0005, o.safeHeight = 50;
      const FieldOf field(ParallelPlanes::along(o.up, 0.2, Placing::guideRadius(bull, 0)));
      const PassPlan plan = planLevelPasses(*part, bull, field, o, quiet);
      SurfaceProofOptions so;
      so.cusp = o.cusp;
      const Placing reach(*part, bull, o.up, o.tilt, 0, &field);
      const SurfaceProof proof =
          proveSurface(*part, regionFacets(*part, o.region, o.up, "test"), Sweep(bull, plan.path), &reach, so, quiet);
      const QString told = QString("%1 passes, %2 um").arg(plan.levels.size()).arg(1e3 * proof.cusp.bound);
      if (qEnvironmentVariableIsSet("TELL")) qInfo().noquote() << told;
      QVERIFY2(plan.levels.size() < 20 && proof.cusp.bound <= o.cusp, qPrintable(told));
    }
  }

  void belowTheSurfaceOnlyRoundsCut() {
    for (const double corner : {0.0, 0.1}) {
      Cutter c = shapes::cutters()[2];
      c.kind = corner > 0 ? CutterKind::BullNose : CutterKind::Flat, c.corner = corner;
      QVERIFY_EXCEPTION_THROWN(makeProfile(c).keeping(-0.2), Error);
      QVERIFY(makeProfile(c).keeping(0.2).lowest() == -0.2);
    }
  }

  /// Between walls that stand on floors of any height there is a level on each floor, and the walls are kept down to their feet.
  void everyFloorHasALevel() {
    const Profile ball = makeProfile(shapes::cutters()[1]);
    const double run = 1 / std::tan(radians(75));
    for (const Mat3& turn : shapes::orientations())
      for (const bool upward : {false, true}) {
        const std::vector<double> floors{0, 5.3, 9.13};
        std::vector<Vec2> profile; // x, z
        double x = 0;
        for (std::size_t k = 0; k < floors.size(); ++k) {
          if (k > 0) x += run * (floors[k] - floors[k - 1]);
          profile.push_back({x, floors[k]});
          profile.push_back({x += 12, floors[k]});
        }
        std::vector<Vec3> soup;
        for (std::size_t k = 0; k + 1 < profile.size(); ++k) {
          const auto at = [&](std::size_t i, double y) { return Vec3(turn * Vec3(profile[i].x(), y, profile[i].y())); };
          for (const Vec3& p : {at(k, -4), at(k + 1, -4), at(k + 1, 4), at(k, -4), at(k + 1, 4), at(k, 4)}) soup.push_back(p);
        }
        const auto part = partFromTriangles(soup, "stairs", 1.0);
        PassOptions o;
        o.up = shapes::up(turn), o.cusp = 0.02, o.chord = 0.0005, o.safeHeight = 50, o.region.slopeFrom = radians(30);
        const FieldOf field(ParallelPlanes{upward ? o.up : Vec3(-o.up), Placing::guideRadius(ball, 0)});
        const PassPlan plan = planLevelPasses(*part, ball, field, o, quiet);
        for (std::size_t k = 0; k + 1 < floors.size(); ++k) { // on the uppermost no wall stands
          double off = kInfinity;
          for (const Location& l : plan.path.locations)
            if (l.motion == Motion::Cut) off = std::min(off, std::abs(l.tip.dot(o.up) - floors[k]));
          QVERIFY2(off < 1e-5, qPrintable(QString("floor at %1: %2").arg(floors[k]).arg(off)));
        }
        SurfaceProofOptions so;
        so.cusp = o.cusp;
        const Placing reach(*part, ball, o.up, o.tilt, 0, &field);
        const SurfaceProof proof =
            proveSurface(*part, regionFacets(*part, o.region, o.up, "test"), Sweep(ball, plan.path), &reach, so, quiet);
        QVERIFY2(proof.cusp.bound <= o.cusp && proof.gouge.value < 0.001, qPrintable(QString("%1 um").arg(1e3 * proof.cusp.bound)));
      }
  }

  /// Over a narrow hump the tip goes five times as far as the contact; no block is longer for that.
  void blocksAreNoLongerThanAsked() {
    const Profile ball = makeProfile(shapes::cutters()[1]); // 4 mm
    const auto part = shapes::field(-3, 3, -2, 2, 240, 8, [](double x, double) {
      return std::abs(x) < 0.8 ? std::sqrt(1 - x * x) : 0.6 - 4.0 / 3 * (std::abs(x) - 0.8);
    });
    PassOptions o;
    o.cusp = 0.05, o.chord = 0.02, o.safeHeight = 50;
    const FieldOf field(ParallelPlanes::along(o.up, 0, Placing::guideRadius(ball, 0)));
    const auto longest = [&] {
      const auto l = planLevelPasses(*part, ball, field, o, quiet).path.locations;
      double most = 0;
      for (std::size_t i = 1; i < l.size(); ++i)
        if (l[i].motion == Motion::Cut) most = std::max(most, (l[i].tip - l[i - 1].tip).norm());
      return most;
    };
    QVERIFY(longest() > 0.4);
    o.longest = 0.3;
    QVERIFY2(longest() <= 0.3 + 1e-9, qPrintable(QString::number(longest())));
  }

  /// The contact keeps the feed in a hollow, where the tip's way is shorter by so much.
  void hollowsAreTakenSlower() {
    const Profile ball = makeProfile(shapes::cutters()[1]); // 4 mm
    for (const double rho : {5.0, 8.0, 30.0}) {
      const auto part = shapes::field(-3, 3, -3, 3, 120, 4, [&](double x, double) { return rho - std::sqrt(rho * rho - x * x); });
      PassOptions o;
      o.cusp = 0.05, o.chord = 0.0005, o.safeHeight = 50, o.feed = 20, o.contactFeed = true;
      const FieldOf field(ParallelPlanes::along(o.up, 0, Placing::guideRadius(ball, 0)));
      const PassPlan plan = planLevelPasses(*part, ball, field, o, quiet);
      int looked = 0;
      double mean = 0; // the facets' own bends make it uneven
      for (const Location& l : plan.path.locations)
        if (l.motion == Motion::Cut && std::abs(l.contact.x()) < 2.4 && std::abs(l.contact.y()) < 2.5) {
          ++looked, mean += l.feed;
          QVERIFY2(l.feed <= 20 && std::abs(l.feed / (20 * (rho - 4) / rho) - 1) < 0.3,
                   qPrintable(QString("%1 at %2").arg(l.feed).arg(rho)));
        }
      mean /= looked;
      QVERIFY2(std::abs(mean / (20 * (rho - 4) / rho) - 1) < 0.03, qPrintable(QString("%1 at %2").arg(mean).arg(rho)));
      QVERIFY(looked > 50);
    }
  }

  /// Round a cup's wall from its rim to its foot and back up: one cut, whose tip only sinks, or only rises; the wall is kept all round.
  void levelsWindIntoOne() {
    const Profile ball = makeProfile(shapes::cutters()[1]);
    for (const Mat3& turn : shapes::orientations())
      for (const bool upward : {false, true})
        for (const bool against : {false, true}) {
          std::vector<Vec3> soup;
          const auto at = [&](int i, int j) {
            const double a = 2 * kPi * (i % 180) / 180, r = 7 + 3.0 * j / 12;
            return Vec3(turn * Vec3(r * std::cos(a), r * std::sin(a), 1.4 * r));
          };
          for (int i = 0; i < 180; ++i)
            for (int j = 0; j < 12; ++j)
              for (const Vec3& p : {at(i, j), at(i, j + 1), at(i + 1, j + 1), at(i, j), at(i + 1, j + 1), at(i + 1, j)}) soup.push_back(p);
          const auto part = partFromTriangles(soup, "cup", 1.0);
          PassOptions o;
          o.up = shapes::up(turn), o.cusp = 0.02, o.chord = 0.0005, o.safeHeight = 50, o.spiral = true, o.zigzag = false,
          o.against = against;
          const FieldOf field(ParallelPlanes{upward ? o.up : Vec3(-o.up), Placing::guideRadius(ball, 0)});
          const PassPlan plan = planLevelPasses(*part, ball, field, o, quiet);
          int cuts = 0;
          double before = 0, round = 0;
          Vec3 last = Vec3::Zero();
          for (std::size_t i = 1; i < plan.path.locations.size(); ++i) {
            const Location& l = plan.path.locations[i];
            if (l.motion != Motion::Cut) continue;
            const double height = l.tip.dot(o.up);
            const Vec3 q = turn.transpose() * l.contact;
            if (plan.path.locations[i - 1].motion != Motion::Cut)
              ++cuts;
            else
              QVERIFY2((upward ? height - before : before - height) > -1e-3, qPrintable(QString("%1 after %2").arg(height).arg(before)));
            if (!last.isZero()) round += std::atan2(last.x() * q.y() - last.y() * q.x(), last.head<2>().dot(q.head<2>()));
            before = height, last = q;
          }
          QCOMPARE(cuts, 1);
          // Along the level lines the wall's higher values lie on the left: below it, as it goes down, that is round with the sun.
          QVERIFY2(std::abs(round / (2 * kPi)) > double(plan.levels.size()) && (round > 0) == (upward == against),
                   qPrintable(QString("%1 turns, %2 levels").arg(round / (2 * kPi)).arg(plan.levels.size())));
          SurfaceProofOptions so;
          so.cusp = o.cusp;
          const Placing reach(*part, ball, o.up, o.tilt, 0, &field);
          const SurfaceProof proof = proveSurface(*part, regionFacets(*part, {}, o.up, "test"), Sweep(ball, plan.path), &reach, so, quiet);
          QVERIFY2(proof.cusp.bound <= o.cusp, qPrintable(QString("%1 um").arg(1e3 * proof.cusp.bound)));
        }
  }

  /// Level passes: the tip keeps its height, levels are as far apart as slope and cusp say, from the top down or from below.
  void levelsFollowTheSlope() {
    const double R = 4, h = 0.01, b = radians(55);
    const Profile ball = makeProfile(shapes::cutters()[1]);
    for (const Mat3& turn : shapes::orientations())
      for (const bool upward : {false, true}) {
        const auto part = shapes::field(
            -4, 4, -4, 4, 4, 4, [&](double x, double) { return x * std::tan(b); }, turn);
        PassOptions o;
        o.up = shapes::up(turn), o.cusp = h, o.chord = 0.0003, o.safeHeight = 50;
        const FieldOf field(ParallelPlanes{upward ? o.up : Vec3(-o.up), Placing::guideRadius(ball, 0)});
        const PassPlan plan = planLevelPasses(*part, ball, field, o, quiet);
        double height = 0, before = 0;
        int pass = -1;
        for (const Location& l : plan.path.locations) {
          if (l.motion != Motion::Cut || std::abs((turn.transpose() * l.tip).y()) > 4) continue; // beyond, it rolls over the border
          const double now = l.tip.dot(o.up);
          if (l.pass == pass) QVERIFY(std::abs(now - height) < 1e-6);
          if (l.pass != pass && pass > 0) QVERIFY(upward ? now > before : now < before);
          if (l.pass != pass) before = height;
          height = now, pass = l.pass;
        }
        for (std::size_t i = plan.spacing.size() / 4; i < 3 * plan.spacing.size() / 4; ++i)
          QVERIFY(std::abs(plan.spacing[i] / (2 * std::sqrt(2 * h * R - h * h) * std::sin(b)) - std::sqrt(plan.stripCusp[i] / h)) < 0.01);
      }
  }
};

QTEST_APPLESS_MAIN(TestFrontPasses)
#include "tst_front_passes.moc"
