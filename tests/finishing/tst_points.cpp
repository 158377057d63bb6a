// How a pass is cut into blocks, and how it begins and ends: arcs, points beside each other, no block too short.
#include "base/error.h"
#include "geometry/tree.h"
#include "passes.h"
#include "proof/surface_proof.h"
#include "shapes.h"
#include "steps/planning.h"
#include "surface/parallel_planes.h"
#include <QtTest>

using namespace hemline;

namespace {

Progress quiet;

struct Terrain {
  const char* name;
  std::function<double(double, double)> height;
};
const std::vector<Terrain> kGrounds{
    {"plane", [](double, double) { return 0.0; }},
    {"sphere", [](double x, double y) { return std::sqrt(900 - x * x - y * y) - 30; }},
    {"saddle", [](double x, double y) { return (x * x - y * y) / 50; }},
    {"trough", [](double x, double) { return 9 - std::sqrt(81 - 0.8 * x * x); }},
    {"hollow", [](double x, double) { return 6.3 - std::sqrt(39.69 - x * x); }}, // the tip's way has a radius of 2.3 mm there
};

struct Sample {
  std::shared_ptr<const Part> part;
  Profile ball = makeProfile(shapes::cutters()[1]); // 4 mm
  PassOptions o;
  PassPlan plan;

  Sample(const Terrain& ground, const Mat3& turn, const std::function<void(PassOptions&)>& set, int cells = 80, double angle = 0.3) {
    part = shapes::field(-6, 6, -5, 5, cells * 6 / 5, cells, ground.height, turn);
    o.up = shapes::up(turn), o.cusp = 0.01, o.chord = 0.0005, o.safeHeight = 50, o.zigzag = false;
    set(o);
    plan = planLevelPasses(*part, ball, FieldOf(field(angle)), o, quiet);
  }
  ParallelPlanes field(double angle) const { return ParallelPlanes::along(o.up, angle, Placing::guideRadius(ball, 0)); }
  SurfaceProof proof() const {
    const FieldOf own(field(0.3));
    const Placing reach(*part, ball, o.up, o.tilt, 0, &own);
    SurfaceProofOptions so;
    so.cusp = o.cusp;
    return proveSurface(*part, regionFacets(*part, o.region, o.up, "test"), Sweep(ball, plan.path), &reach, so, quiet);
  }
};

} // namespace

class TestPoints : public QObject {
  Q_OBJECT

  /// A row for each ground in each orientation.
  static void everywhere(int grounds = int(kGrounds.size())) {
    QTest::addColumn<int>("ground");
    QTest::addColumn<int>("turn");
    for (int g = 0; g < grounds; ++g)
      for (int turn = 0; turn < 3; ++turn) QTest::addRow("%s, %d", kGrounds[std::size_t(g)].name, turn) << g << turn;
  }

private slots:
  /// Ends are arcs of the radius asked for, or of a half, a quarter or an eighth where the ground is in the way; they touch the pass and
  /// cut into nothing.
  void endsAreArcs_data() { everywhere(); }
  void endsAreArcs() {
    QFETCH(int, ground);
    QFETCH(int, turn);
    constexpr double radius = 3;
    const double arc = ground == 1 ? radians(60) : kPi / 2, lean = std::array{0.0, radians(35), radians(-70)}[std::size_t(turn)];
    const Sample p(kGrounds[std::size_t(ground)], shapes::orientations()[std::size_t(turn)],
                   [&](PassOptions& o) { o.endRadius = radius, o.endArc = arc, o.endLean = lean, o.region.slopeTo = radians(50); });
    const auto& l = p.plan.path.locations;
    int ends = 0, whole = 0, sided = 0;
    for (std::size_t i = 0; i < l.size();) {
      const Motion m = l[i].motion;
      std::size_t k = i;
      while (k < l.size() && l[k].motion == m) ++k;
      if (m == Motion::LeadIn || m == Motion::LeadOut) {
        // Outward from the pass: its end, then the arc, then up along the axis.
        std::vector<Vec3> tips;
        Vec3 inner;
        if (m == Motion::LeadIn) {
          for (std::size_t j = k; j-- > i;) tips.push_back(l[j].tip);
          inner = l[k].tip;
        } else {
          for (std::size_t j = i - 1; j + 1 < k; ++j) tips.push_back(l[j].tip);
          inner = l[i - 2].tip;
        }
        QVERIFY(tips.size() > 2);
        const Vec3 way = (tips[0] - inner).normalized(), chord = (tips.back() - tips[0]).normalized();
        const double turned = 2 * angleBetween(way, chord), r = (tips.back() - tips[0]).norm() / (2 * std::sin(turned / 2));
        const QString told = QString("radius %1, turned %2").arg(r).arg(degrees(turned));
        QVERIFY2(std::abs(turned - arc) < radians(1), qPrintable(told));
        const double share = std::log2(radius / r);
        QVERIFY2(share > -0.01 && share < 3.01 && std::abs(share - std::round(share)) < 0.01, qPrintable(told));
        QVERIFY2(angleBetween((tips[1] - tips[0]).normalized(), way) < 2 * std::acos(1 - p.o.chord / r), qPrintable(told));
        const Vec3 normal = m == Motion::LeadIn ? l[k - 1].normal : l[i - 1].normal,
                   off = tips.back() - tips[0] - (tips.back() - tips[0]).dot(way) * way;
        const double leans = std::atan2(off.dot((m == Motion::LeadIn ? -1.0 : 1.0) * normal.cross(way)), off.dot(normal));
        ++ends, whole += share < 0.01, sided += std::abs(leans - lean) < radians(3);
      }
      i = k;
    }
    const QString told = QString("%1 of %2 ends whole, %3 to the side").arg(whole).arg(ends).arg(sided);
    if (qEnvironmentVariableIsSet("TELL")) qInfo().noquote() << told;
    QVERIFY2(ends > 30 && (whole == ends) == (ground != 4), qPrintable(told));
    const SurfaceProof proof = p.proof();
    QVERIFY2(proof.gouge.value <= p.o.chord && proof.cusp.bound <= p.o.cusp, qPrintable(told));
  }

  /// 94 % of the points lie beside one of the pass before to a tenth of their distance, counted apart on the path; the chord is kept.
  void pointsLieBesideEachOther_data() { everywhere(4); }
  void pointsLieBesideEachOther() {
    QFETCH(int, ground);
    QFETCH(int, turn);
    constexpr double apart = 0.4;
    const Mat3 back = shapes::orientations()[std::size_t(turn)].transpose();
    const auto even = [&](double distance) {
      return Sample(
          kGrounds[std::size_t(ground)], shapes::orientations()[std::size_t(turn)],
          [&](PassOptions& o) { o.evenPoints = distance, o.chord = 0.002; }, 160);
    };
    const Sample p = even(apart), free = even(0);
    const auto alignedOn = [&](const PassPlan& plan) {
      std::map<int, std::vector<Vec3>> points;
      for (const Location& l : plan.path.locations)
        if (l.motion == Motion::Cut) points[l.pass].push_back(l.contact);
      int counted = 0, aligned = 0;
      for (const auto& [pass, own] : points) {
        const auto before = points.find(pass - 1);
        for (std::size_t i = 1; i + 1 < own.size() && before != points.end(); ++i) {
          const Vec3 q = back * own[i], way = (own[i + 1] - own[i - 1]).normalized();
          if (std::abs(q.x()) > 5 || std::abs(q.y()) > 4) continue; // at the border passes differ in length
          double off = kInfinity;
          for (const Vec3& other : before->second)
            if ((other - own[i]).norm() < 1.2) off = std::min(off, std::abs((other - own[i]).dot(way)));
          ++counted, aligned += off < 0.11 * apart; // feet, and crossings of neighbours that are not quite parallel, differ
        }
      }
      return double(aligned) / std::max(1, counted);
    };
    double longest = 0;
    const auto& l = p.plan.path.locations;
    for (std::size_t i = 1; i < l.size(); ++i)
      if (l[i].motion == Motion::Cut) longest = std::max(longest, (l[i].tip - l[i - 1].tip).norm());
    const SurfaceProof proof = p.proof();
    const QString told = QString("told %1, counted %2, free %3; longest %4, %5 points for %6; gouge %7, cusp %8")
                             .arg(*p.plan.aligned)
                             .arg(alignedOn(p.plan))
                             .arg(alignedOn(free.plan))
                             .arg(longest)
                             .arg(l.size())
                             .arg(free.plan.path.locations.size())
                             .arg(proof.gouge.value)
                             .arg(proof.cusp.bound);
    if (qEnvironmentVariableIsSet("TELL")) qInfo().noquote() << told;
    QVERIFY2(*p.plan.aligned >= 0.94 && alignedOn(p.plan) >= 0.94, qPrintable(told));
    QVERIFY2(alignedOn(free.plan) < 0.8 && !free.plan.aligned, qPrintable(told));
    QVERIFY2(longest < 1.7 * apart && proof.gouge.value <= p.o.chord && proof.cusp.bound <= 1.01 * p.o.cusp,
             qPrintable(told)); // closer passes mend the rest of it
  }

  /// On an exact dish rings about its middle have no kinks where facets meet, and their points lie beside each other.
  void ringsOnAnExactFaceAreRound() {
    ReadOptions read;
    read.chord = 0.001;
    const auto part = readPart(HEMLINE_SOURCE "/demo/reflector-tool.step", read, quiet);
    std::vector<char> dish(part->mesh.triangles.size());
    for (std::size_t t = 0; t < dish.size(); ++t) dish[t] = part->mesh.patch[t] == 0;
    Cutter ball;
    ball.kind = CutterKind::Ball, ball.diameter = 12, ball.fluteLength = 20, ball.shankDiameter = 12;
    DistanceFronts lay;
    lay.from = {{Vec3(0, 0, -2500.0 / 360)}};
    const FieldIn in{part, dish, ball, lay, 0.1, Vec3::UnitZ(), {}, 0, 0, {}};
    const auto found = std::make_shared<const FieldFound>(findField(in, quiet));
    PassesIn passes{part, ball, {lay, {found, {}}}, {}};
    PassOptions& o = passes.options;
    o.cusp = 0.1, o.chord = 0.0005, o.strips = false, o.levels = found->levels, o.tilt.byContact = true, o.safeHeight = 50,
    o.evenPoints = 0.5;
    o.region.only = std::make_shared<const std::vector<char>>(dish);
    PassMemory memory;
    const Planned plan = kPlanPasses.run(passes, memory, quiet);
    const auto& l = plan.path.locations;
    double worst = 0;
    std::size_t looked = 0;
    for (std::size_t i = 2; i < l.size(); ++i) {
      const double r = l[i].tip.head<2>().norm();
      if (r < 8 || r > 47 || l[i].motion != Motion::Cut || l[i - 1].motion != Motion::Cut || l[i - 2].motion != Motion::Cut) continue;
      if (l[i].pass != l[i - 2].pass) continue;
      const Vec3 a = l[i - 1].tip - l[i - 2].tip, b = l[i].tip - l[i - 1].tip;
      const double expected = 0.5 * (a.norm() + b.norm()) / r; // radians
      worst = std::max(worst, angleBetween(a.normalized(), b.normalized()) - expected), ++looked;
    }
    const QString told = QString("%1 degrees, %2 places; %3").arg(degrees(worst)).arg(looked).arg(plan.summary.c_str());
    if (qEnvironmentVariableIsSet("TELL")) qInfo().noquote() << told;
    QVERIFY2(looked > 3000 && worst < radians(0.7), qPrintable(told));
    QVERIFY2(plan.summary.find("% of their points") != std::string::npos &&
                 std::stoi(plan.summary.substr(plan.summary.find(", ") + 2)) >= 94,
             qPrintable(told));
  }

  /// Of blocks as long as can be there are clearly fewer on curved ground, never more; a path ten times finer lies within the chord of
  /// them.
  void fewestPoints_data() { everywhere(); }
  void fewestPoints() {
    QFETCH(int, ground);
    QFETCH(int, turn);
    std::vector<double> levels;
    const auto at = [&](double chord, bool fewest) {
      return Sample(kGrounds[std::size_t(ground)], shapes::orientations()[std::size_t(turn)], [&](PassOptions& o) {
        o.levels = levels, o.strips = levels.empty(), o.chord = chord, o.fewest = fewest, o.region.slopeTo = radians(60);
      });
    };
    const Sample free = at(0.0005, false);
    levels = free.plan.levels;
    const Sample few = at(0.0005, true), fine = at(0.00005, false);
    std::map<int, std::vector<std::array<Vec3, 2>>> of;
    const auto& own = few.plan.path.locations;
    for (std::size_t i = 1; i < own.size(); ++i)
      if (own[i].motion == Motion::Cut) of[own[i].pass].push_back({own[i - 1].tip, own[i].tip});
    double off = 0;
    std::size_t looked = 0;
    for (const Location& l : fine.plan.path.locations) {
      if (l.motion != Motion::Cut) continue;
      double least = kInfinity;
      Vec3 p, q;
      for (const auto& [a, b] : of[l.pass]) least = std::min(least, distanceSegments(l.tip, l.tip, a, b, p, q));
      off = std::max(off, least), ++looked;
    }
    const auto blocks = [](const Sample& s) {
      const auto& l = s.plan.path.locations;
      return std::count_if(l.begin(), l.end(), [](const Location& x) { return x.motion == Motion::Cut; });
    };
    const double share = double(blocks(few)) / double(blocks(free));
    const SurfaceProof proof = few.proof();
    const QString told = QString("%1 of %2 blocks, off by %3 um at %4 places; gouge %5 um, cusp %6 um")
                             .arg(blocks(few))
                             .arg(blocks(free))
                             .arg(1e3 * off)
                             .arg(looked)
                             .arg(1e3 * proof.gouge.value)
                             .arg(1e3 * proof.cusp.bound);
    if (qEnvironmentVariableIsSet("TELL")) qInfo().noquote() << told;
    QVERIFY2(looked > 500 && off <= few.o.chord + 0.1 * few.o.chord, qPrintable(told)); // the finer path has a chord of its own
    QVERIFY2(share <= (ground == 0 ? 1 : ground == 1 ? 0.9 : 0.8), qPrintable(told));
    QVERIFY2(proof.gouge.value <= few.o.chord && proof.cusp.bound <= 1.01 * few.o.cusp, qPrintable(told));
  }

  /// Where the chord asks for shorter blocks than the least, it gives way, and what that cuts is seen.
  void noBlockIsShorterThanAsked() {
    const Terrain ridge{"ridge", [](double x, double) { return -8 * std::sqrt(0.02 + x * x / 16); }};
    const auto blocks = [&](double least, double even = 0) {
      const Sample p(
          ridge, Mat3::Identity(), [&](PassOptions& o) { o.shortest = least, o.evenPoints = even, o.chord = 0.0002; }, 80, 0);
      const auto& l = p.plan.path.locations;
      double shortest = kInfinity;
      for (std::size_t i = 1; i < l.size(); ++i)
        if (l[i].motion == Motion::Cut) shortest = std::min(shortest, (l[i].tip - l[i - 1].tip).norm());
      return std::pair(shortest, p.proof().gouge.value);
    };
    const auto [free, keeps] = blocks(0);
    const auto [shortest, cuts] = blocks(0.25);
    const QString told = QString("free %1 mm, %2 mm; %3 mm, %4 mm").arg(free).arg(keeps).arg(shortest).arg(cuts);
    if (qEnvironmentVariableIsSet("TELL")) qInfo().noquote() << told;
    QVERIFY2(free < 0.1 && keeps <= 0.0002, qPrintable(told));
    QVERIFY2(shortest >= 0.25 - 1e-9 && cuts > 0.0004, qPrintable(told));
    QVERIFY(blocks(0.25, 0.4).first >= 0.25 - 1e-9);
  }

  void leastIsNoMoreThanMost() {
    QVERIFY_EXCEPTION_THROWN(Sample(kGrounds[0], Mat3::Identity(), [](PassOptions& o) { o.shortest = 0.4, o.longest = 0.3; }), Error);
  }

  void spiralsHaveNoPassBefore() {
    QVERIFY_EXCEPTION_THROWN(Sample(kGrounds[0], Mat3::Identity(), [](PassOptions& o) { o.spiral = true, o.evenPoints = 0.4; }), Error);
    QVERIFY_EXCEPTION_THROWN(Sample(kGrounds[0], Mat3::Identity(), [](PassOptions& o) { o.fewest = true, o.evenPoints = 0.4; }), Error);
  }
};

QTEST_APPLESS_MAIN(TestPoints)
#include "tst_points.moc"
