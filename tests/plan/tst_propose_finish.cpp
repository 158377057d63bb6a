// Every finishing kind goes through a job, kept as proven; the proposal compares them and names the shortest direction.
#include "base/file.h"
#include "finishing/cusp_metric.h"
#include "model/fields.h"
#include "plan/hours_of_cusp.h"
#include "plan/new_job.h"
#include "plan/propose_finish.h"
#include "region/rail.h"
#include "shapes.h"
#include <QTemporaryDir>
#include <QtTest>

using namespace hemline;

namespace {
constexpr double kFloor = 12; ///< radius of the bowl's level floor, mm

/// A bowl with a level floor and a wall that gets steeper to 50 degrees.
double bowl(double x, double y) {
  const double out = std::max(0.0, std::hypot(x, y) - kFloor);
  return out * out / 11;
}
} // namespace

class TestProposeFinish : public QObject {
  Q_OBJECT
  QTemporaryDir dir_;
  Progress quiet_;
  Evaluator evaluator_;
  Job job_;
  std::string path_;
  std::size_t finish_ = 0;

  static Rail edge(const std::string& name, double y) {
    Rail rail;
    rail.name = name;
    for (double x = -18; x < 18.1; x += 0.4) rail.marks.push_back({Vec3(x, y, bowl(x, y)), Vec3::UnitZ()});
    return rail;
  }
  static void type(Job& job, const std::string& field, const std::string& value) {
    const StepKind& kind = kindOf(job.steps[0]);
    fieldMeant(kind, field, "").type(job, job.steps[0], value, LengthUnit::Millimetre);
  }

  static void typeAll(Job& job, const QString& set) {
    for (const QString& one : set.split(';', Qt::SkipEmptyParts))
      type(job, one.section('=', 0, 0).toStdString(), one.section('=', 1).toStdString());
  }
  static void keepsCuspAndGouge(const StepResult& s) {
    for (const PromiseResult& p : s.promises)
      if (p.name == "cusp_mm" || p.name == "gouge_mm")
        QVERIFY2(p.verdict == Verdict::Kept, qPrintable(QString("%1: %2, bound %3; %4; %5; at %6 %7 %8")
                                                            .arg(p.name.c_str())
                                                            .arg(p.measured)
                                                            .arg(p.bound)
                                                            .arg(p.note.c_str(), s.planned->summary.c_str())
                                                            .arg(p.at.x())
                                                            .arg(p.at.y())
                                                            .arg(p.at.z())));
  }

  /// The job with its finishing step alone, of another kind.
  Job with(const std::string& kind) {
    Job job = job_;
    Step s = job.steps[finish_];
    const Finishing common = *s.finishing();
    s.body = stepKind(kind, "").body;
    const double from = s.finishing()->slopeFrom;
    *s.finishing() = common;
    s.finishing()->slopeFrom = from;
    job.steps = {s};
    return job;
  }

private slots:
  void initTestCase() {
    const auto part = shapes::field(-18, 18, -14, 14, 90, 70, bowl);
    const std::string file = dir_.filePath("bowl.stl").toStdString();
    writeStl(file, part->mesh);
    path_ = dir_.filePath("bowl.hemline").toStdString();
    NewJobOptions o;
    o.unit = LengthUnit::Millimetre, o.data = HEMLINE_SOURCE "/data", o.cutters = {"bull nose 8 r1", "ball 8"}, o.cusp = 0.02;
    job_ = newJob(file, path_, o, quiet_);
    finish_ = job_.steps.size() - 1;
    job_.steps[finish_].promises.rest.reset(), job_.steps[finish_].promises.clearance.reset();
    Rail rail;
    rail.name = "round the floor", rail.closed = true;
    for (int k = 0; k < 90; ++k) {
      const double a = 2 * kPi * k / 90;
      rail.marks.push_back({Vec3(kFloor * std::cos(a), kFloor * std::sin(a), 0), Vec3::UnitZ()});
    }
    job_.rails = {rail, edge("front", -14), edge("back", 14)};
    job_.rails.push_back({"middle", "", false, {{Vec3(2, 1, 0), Vec3::UnitZ()}}});
  }

  void everyKindIsKept_data() {
    QTest::addColumn<QString>("kind");
    QTest::addColumn<QString>("set");
    QTest::newRow("parallel") << "parallel passes"
                              << "angle_deg=30";
    QTest::newRow("level") << "level passes"
                           << "slope_from_deg=25";
    QTest::newRow("level, upward") << "level passes"
                                   << "slope_from_deg=25;upward=upward;most_point_distance_mm=0.8";
    QTest::newRow("even cusp") << "constant-cusp passes"
                               << "";
    QTest::newRow("even cusp, rail, inside out") << "constant-cusp passes"
                                                 << "from_rails=round the floor;inside_out=back to there";
    QTest::newRow("even cusp, from a place") << "constant-cusp passes"
                                             << "from_rails=middle";
    QTest::newRow("even cusp, a spiral") << "constant-cusp passes"
                                         << "spiral=wound into a spiral";
    QTest::newRow("even cusp from the floor, back, a spiral")
        << "constant-cusp passes"
        << "from_rails=round the floor;inside_out=back to there;spiral=wound into a spiral";
    QTest::newRow("even spacing, one way") << "constant-spacing passes"
                                           << "from_rails=round the floor;zigzag=one way";
    QTest::newRow("rail to rail") << "rail-to-rail passes"
                                  << "between_rails=front, back";
    QTest::newRow("along a rail") << "along-a-rail passes"
                                  << "along_rails=round the floor;passes_beside=4";
    QTest::newRow("along a rail, one side") << "along-a-rail passes"
                                            << "along_rails=front;passes_beside=5;rail_sides=left of it";
    QTest::newRow("along a rail, bull nose") << "along-a-rail passes"
                                             << "along_rails=round the floor;passes_beside=3;cutter=bull nose 8 r1";
    QTest::newRow("along a rail, a strip") << "along-a-rail passes"
                                           << "along_rails=round the floor;strip_width_mm=3";
    QTest::newRow("two lays") << "two-lay finish"
                              << "split_deg=25;overlap_deg=3;angle_deg=10";
  }
  void everyKindIsKept() {
    QFETCH(QString, kind);
    QFETCH(QString, set);
    Job job = with(kind.toStdString());
    typeAll(job, set);
    const JobResult r = evaluator_.evaluate(job, path_, quiet_);
    const StepResult& s = *r.steps.front();
    keepsCuspAndGouge(s);
    QVERIFY2(s.efficiency > (set.contains("bull nose") ? 0.3 : 0.5) && // its flat end is hardly spread for
                 s.efficiency < 1.05,
             qPrintable(QString::number(s.efficiency)));
    // Levels run as asked, fronts from where they are asked to begin.
    const auto& l = s.planned->path.locations;
    const auto cut = [](const Location& x) { return x.motion == Motion::Cut; };
    const Location first = *std::find_if(l.begin(), l.end(), cut), last = *std::find_if(l.rbegin(), l.rend(), cut);
    if (kind == "level passes") QVERIFY((first.tip.z() < last.tip.z()) == set.contains("upward"));
    if (set.contains("spiral")) { // it is cut in one piece
      int pieces = 0;
      for (std::size_t i = 1; i < l.size(); ++i) pieces += cut(l[i]) && l[i].pass == 0 && !(cut(l[i - 1]) && l[i - 1].pass == 0);
      QCOMPARE(pieces, 1);
    }
    for (std::size_t i = 1; i < l.size() && set.contains("most_point"); ++i)
      QVERIFY(!cut(l[i]) || (l[i].tip - l[i - 1].tip).norm() < 0.8 + 1e-9);
    if (set.contains("back to there")) QVERIFY(std::hypot(first.contact.x(), first.contact.y()) < 3 || first.contact.z() > 3);
  }

  void oneWayCutsAsAsked_data() {
    QTest::addColumn<QString>("kind");
    QTest::addColumn<QString>("set");
    for (const char* sense : {"climb", "conventional"}) {
      QTest::addRow("parallel, %s", sense) << "parallel passes" << QString("angle_deg=30;conventional=%1").arg(sense);
      QTest::addRow("level, %s", sense) << "level passes" << QString("conventional=%1").arg(sense);
      QTest::addRow("even cusp, %s", sense) << "constant-cusp passes" << QString("conventional=%1").arg(sense);
      QTest::addRow("inside out, %s", sense) << "constant-cusp passes" << QString("inside_out=back to there;conventional=%1").arg(sense);
    }
  }
  /// What is still to be cut lies on the right of the way where it is climb.
  void oneWayCutsAsAsked() {
    QFETCH(QString, kind);
    QFETCH(QString, set);
    Job job = with(kind.toStdString());
    typeAll(job, "zigzag=one way;cusp_mm=50 um;" + set);
    const JobResult r = evaluator_.evaluate(job, path_, quiet_);
    const auto& l = r.steps.front()->planned->path.locations;
    const auto whole = static_cast<int>(r.steps.front()->planned->levels.size()); // short ones have what is left on all sides
    int right = 0, left = 0;
    for (std::size_t i = 1; i < l.size(); i += 7) {
      if (l[i].motion != Motion::Cut || l[i - 1].motion != Motion::Cut || l[i].pass >= whole) continue;
      // The nearest place that is cut by another pass later, and is not past an end of this one.
      const Vec3 way = (l[i].contact - l[i - 1].contact).normalized();
      double near = 3;
      Vec3 next = Vec3::Zero();
      for (std::size_t k = i; k < l.size(); ++k)
        if (const Vec3 to = l[k].contact - l[i].contact; l[k].motion == Motion::Cut && l[k].pass != l[i].pass && l[k].pass < whole &&
                                                         to.norm() < near && std::abs(to.dot(way)) < 0.3 * to.norm())
          near = to.norm(), next = to;
      if (next.isZero()) continue;
      ++(Vec3::UnitZ().dot(way.cross(next)) > 0 ? left : right);
    }
    QVERIFY2(set.contains("climb") ? right > 12 * left && right > 50 : left > 12 * right && left > 50,
             qPrintable(QString("%1 right, %2 left").arg(right).arg(left)));
  }

  /// Passes lie beside their rail, as many and as far as asked.
  void stripsAreAsAsked() {
    for (const char* side : {"both sides", "left of it", "right of it"}) {
      Job job = with("along-a-rail passes");
      type(job, "along_rails", "round the floor");
      type(job, "strip_width_mm", "3"), type(job, "rail_sides", side);
      const JobResult r = evaluator_.evaluate(job, path_, quiet_);
      double inner = 0, outer = 0; // mm off the rail, along the surface (the wall begins level)
      for (const Location& l : r.steps.front()->planned->path.locations)
        if (l.motion == Motion::Cut) {
          const double off = std::hypot(l.contact.x(), l.contact.y()) - kFloor;
          inner = std::max(inner, -off), outer = std::max(outer, off);
        }
      // Left of the rail, as seen from above along its way (counter-clockwise), is the floor. Out on the wall 3 mm of way are 2.9 of plan.
      const bool left = side[0] != 'r', right = side[0] != 'l';
      QVERIFY2(left ? std::abs(inner - 3) < 0.12 : inner < 0.15, qPrintable(QString("%1: %2 in").arg(side).arg(inner)));
      QVERIFY2(right ? std::abs(outer - 2.9) < 0.12 : outer < 0.15, qPrintable(QString("%1: %2 out").arg(side).arg(outer)));
      // What is judged is that strip, to a tenth of the spacing at its border.
      const double area = (left ? kPi * (kFloor * kFloor - 81) : 0) + (right ? 2 * kPi * 3 * (kFloor + 1.45) : 0);
      const SurfaceProof& proof = *r.steps.front()->surface;
      QVERIFY2(std::abs(proof.areaRegion / area - 1) < 0.06,
               qPrintable(QString("%1: %2 of %3 mm2").arg(side).arg(proof.areaRegion).arg(area)));
      QVERIFY(proof.areaNotJudged > 1);                        // of the facets that the border crosses
      QVERIFY(r.coverage.finished < 1.001 * proof.areaRegion); // what was not judged is not finished
    }
  }

  /// In a groove: one pass where the ball touches both sides; more beside it, the farthest first; what a larger ball left, along it.
  void cornersAndValleys_data() {
    QTest::addColumn<QString>("kind");
    QTest::addColumn<QString>("set");
    QTest::newRow("in the corner") << "corner passes"
                                   << "";
    QTest::newRow("beside it") << "corner passes"
                               << "passes_beside=4";
    QTest::newRow("clean up") << "clean-up passes"
                              << "after_ball_mm=14;overlap_mm=0.3";
    QTest::newRow("clean up all of it") << "clean-up passes"
                                        << "after_ball_mm=60;overlap_mm=0.3"; // which touches nowhere: from the ground's own border
  }
  void cornersAndValleys() {
    QFETCH(QString, kind);
    QFETCH(QString, set);
    constexpr double slope = 0.8, R = 4;
    const double lean = std::atan(slope), fillet = kind == "clean-up passes" ? 4.5 : 0;
    const std::string name = kind == "clean-up passes" ? "valley" : "groove";
    writeStl(dir_.filePath(QString::fromStdString(name) + ".stl").toStdString(),
             partFromTriangles(shapes::groove(slope, fillet, 0.5), name)->mesh);
    Job job = with(kind.toStdString());
    job.partFile = name + ".stl", job.partHash.clear(), job.rails.clear();
    typeAll(job, set);
    const JobResult r = evaluator_.evaluate(job, path_, quiet_);
    const StepResult& s = *r.steps.front();
    keepsCuspAndGouge(s);
    double length = 0, farthest = 0, first = -1, last = 0;
    const auto& l = s.planned->path.locations;
    for (std::size_t i = 1; i < l.size(); ++i) {
      if (l[i].motion != Motion::Cut) continue;
      length += (l[i].tip - l[i - 1].tip).norm();
      last = std::abs(l[i].contact.y()), farthest = std::max(farthest, last);
      if (first < 0) first = last;
      if (fillet > 0 || !set.isEmpty()) continue;
      QVERIFY(std::abs(l[i].tip.y()) < 0.005 && std::abs(l[i].tip.z() - R * (1 / std::cos(lean) - 1)) < 0.002);
    }
    const double away = R * std::sin(lean); // of the double contact, in plan
    if (fillet > 0) {
      // From where the larger ball touched, half a pass in.
      const bool all = set.contains("60");
      const double border = all ? 10 : 7.3 * std::sin(lean), spacing = 2 * std::sqrt(2 * R * 0.02);
      QVERIFY2(farthest < border && farthest > border - spacing, qPrintable(QString("%1 of %2").arg(farthest).arg(border)));
      QVERIFY2(length > 29 * 2 * border / spacing * 0.5 && (all || first > last), qPrintable(QString::number(length)));
    } else if (set.isEmpty()) {
      QVERIFY2(std::abs(length - 30) < 1.5 && std::abs(farthest - away) < 0.02, qPrintable(QString("%1, %2").arg(length).arg(farthest)));
    } else {
      const double spacing = 2 * std::sqrt(2 * R * 0.02) * std::cos(lean);
      QVERIFY2(std::abs(farthest - away - 3 * spacing) < 0.2 * spacing && std::abs(first - farthest) < 0.05 && std::abs(last - away) < 0.02,
               qPrintable(QString("%1, %2, %3; %4").arg(farthest).arg(first).arg(last).arg(away + 3 * spacing)));
      QVERIFY2(std::abs(length - 7 * 30) < 14, qPrintable(QString::number(length)));
    }
  }

  void whatCannotBeIsSaid() {
    Job job = with("constant-cusp passes");
    QVERIFY_EXCEPTION_THROWN(type(job, "from_rails", "no such rail"), Error);
    type(job, "from_rails", "round the floor");
    job.rails.clear();
    QVERIFY_EXCEPTION_THROWN(checkJob(job), Error);
    Job between = with("rail-to-rail passes");
    QVERIFY_EXCEPTION_THROWN(checkJob(between), Error); // none
    type(between, "between_rails", "front, front");
    QVERIFY_EXCEPTION_THROWN(checkJob(between), Error);
    QVERIFY_EXCEPTION_THROWN(checkJob(with("along-a-rail passes")), Error); // none
    Job corner = with("corner passes");
    QVERIFY_EXCEPTION_THROWN(evaluator_.evaluate(corner, path_, quiet_), Error); // the bowl has none
    corner.steps[0].cutter = "bull nose 8 r1";
    QVERIFY_EXCEPTION_THROWN(checkJob(corner), Error);
    Job two = with("two-lay finish");
    two.steps[0].finishing()->follow = true;
    QVERIFY_EXCEPTION_THROWN(checkJob(two), Error);
    two = with("two-lay finish");
    type(two, "split_deg", "88");
    QVERIFY_EXCEPTION_THROWN(checkJob(two), Error);
  }

  /// What other cusps would take, against plans made for them.
  void hoursAgainstCusp() {
    for (const char* kind : {"parallel passes", "constant-cusp passes"}) {
      Job job = with(kind);
      const JobResult r = evaluator_.evaluate(job, path_, quiet_);
      const StepResult& s = *r.steps.front();
      const HoursOfCusp hours = hoursOfCusp(*r.part, job, s, quiet_);
      QVERIFY(std::abs(hours.timeAt(hours.promised) / s.time->timing.total - 1) < 1e-6);
      for (std::size_t k = 1; k < hours.points.size(); ++k)
        QVERIFY(hours.points[k].cusp > hours.points[k - 1].cusp && hours.points[k].time < hours.points[k - 1].time);
      QVERIFY(!hours.knee || hours.timeAt(2 * *hours.knee) > 0.8 * hours.timeAt(*hours.knee));
      QCOMPARE(hoursText(hours, LengthUnit::Millimetre).size(), hours.points.size() + 1);
      for (const double times : {0.35, 3.0}) {
        job.steps[0].promises.cusp = times * hours.promised;
        const double time = evaluator_.evaluate(job, path_, quiet_).steps.front()->time->timing.total,
                     said = hours.timeAt(times * hours.promised);
        QVERIFY2(std::abs(said / time - 1) < 0.15,
                 qPrintable(QString("%1, %2 times: %3 s said, %4 s").arg(kind).arg(times).arg(said).arg(time)));
      }
    }
    const Job rough = job_;
    const JobResult r = evaluator_.evaluate(rough, path_, quiet_);
    QVERIFY_EXCEPTION_THROWN(hoursOfCusp(*r.part, rough, *r.steps.front(), quiet_), Error);
  }

  void patternsAreCompared() {
    Job job = job_;
    const auto ways = proposeFinish(job, path_, finish_, evaluator_, quiet_);
    std::set<std::string> names;
    double before = 0;
    for (const FinishWay& w : ways) {
      QVERIFY2(w.failure.empty(), w.failure.c_str());
      QVERIFY2(w.path > 500 && w.time > 5 && w.share > 0.4 && w.share < 1.1, w.name.c_str());
      QVERIFY(w.over > 0 || w.time >= before);
      before = w.time;
      names.insert(w.name);
      // What is told of it is about what it turns out to be.
      job.steps = {w.step};
      checkJob(job);
      const JobResult r = evaluator_.evaluate(job, path_, quiet_);
      const double time = r.steps.front()->time->timing.total;
      QVERIFY2(w.time > 0.7 * time && w.time < 1.5 * time,
               qPrintable(QString("%1: %2 for %3 s").arg(w.name.c_str()).arg(w.time).arg(time)));
    }
    QVERIFY2(names.contains("passes of even cusp from rail round the floor") && names.contains("passes of even spacing from the border"),
             names.begin()->c_str());
    QCOMPARE(finishText(ways, LengthUnit::Millimetre).size(), ways.size() + 1 + (ways.front().coarser > 1));
    job = job_;
    QVERIFY_EXCEPTION_THROWN(proposeFinish(job, path_, 0, evaluator_, quiet_), Error); // it roughs
  }

  /// A convex cylinder's generators see no curvature across... the way round does: passes along it may lie less far apart.
  void directionsOfCylinders() {
    const Profile ball = makeProfile(shapes::cutters()[1]);
    for (const double sign : {1.0, -1.0}) {
      const auto part = shapes::field(-6, 6, -6, 6, 60, 4, [&](double x, double) { return sign * (std::sqrt(144 - x * x) - 12); });
      const std::vector<char> all(part->mesh.triangles.size(), 1);
      const double angle = shortestDirection(part->mesh, all, cuspMetric(*part, ball, {0.01, Vec3::UnitZ(), {}, 0}, quiet_), Vec3::UnitZ());
      // Convex: round it (along x), where the spacing is the plane's; concave: along the generators (y), where it is wider.
      QCOMPARE(std::round(degrees(angle)), sign > 0 ? 0.0 : 90.0);
    }
  }
};

QTEST_APPLESS_MAIN(TestProposeFinish)
#include "tst_propose_finish.moc"
