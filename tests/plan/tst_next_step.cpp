// A step that is added begins from what is left: smaller cutters after larger ones, on ground that these could not touch, and with a reason
// where it would make no sense.
#include "base/file.h"
#include "plan/new_job.h"
#include "plan/next_step.h"
#include "shapes.h"
#include <QTemporaryDir>
#include <QtTest>

using namespace hemline;

class TestNextStep : public QObject {
  Q_OBJECT
  QTemporaryDir dir_;
  Progress quiet_;
  CutterLibrary library_ = readLibrary(HEMLINE_SOURCE "/data/cutters/library.json");
  Evaluator evaluator_;
  Job job_;
  JobResult known_;
  std::string path_;

  JobResult knownOf(const Job& job) { return evaluator_.prepare(job, path_, quiet_); }

private slots:
  void initTestCase() {
    // A valley along x: flanks that any ball touches, and between them a groove that a ball of 1.5 mm radius just fits.
    const auto part = shapes::field(
        -20, 20, -15, 15, 24, 120,
        [](double, double y) {
          constexpr double r = 1.5, lean = 0.5; // radians
          const double end = r * std::sin(lean), at = std::abs(y);
          return at < end ? r - std::sqrt(r * r - y * y) : r - r * std::cos(lean) + (at - end) * std::tan(lean);
        },
        Mat3::Identity());
    const std::string file = dir_.filePath("valley.stl").toStdString();
    writeStl(file, part->mesh);
    path_ = dir_.filePath("valley.hemline").toStdString();
    NewJobOptions o;
    o.unit = LengthUnit::Millimetre, o.data = HEMLINE_SOURCE "/data", o.cutters = {"bull nose 16 r2", "ball 10"}, o.cusp = 0.01;
    job_ = newJob(file, path_, o, quiet_);
    known_ = knownOf(job_);
  }

  void roughingGetsSmaller() {
    std::string told;
    const Job after = withStep(job_, known_, stepKind("level roughing", ""), 1, library_, told);
    QCOMPARE(after.steps.size(), job_.steps.size() + 1);
    const auto &first = *after.steps[0].as<LevelRoughing>(), &second = *after.steps[1].as<LevelRoughing>();
    const double wide = after.cutter(after.steps[0].cutter).diameter, slim = after.cutter(after.steps[1].cutter).diameter;
    QVERIFY(slim <= 0.7 * wide && slim > 0);
    QCOMPARE(second.depth, first.depth * slim / wide);
    QCOMPARE(second.wall, first.wall);
    QVERIFY(told.find(after.steps[0].name) != std::string::npos);
    checkJob(after);
    // Once more, and once more: no cutter of the library is too small to be the last.
    Job again = after;
    for (std::size_t k = 2; k < 6; ++k) {
      again = withStep(again, known_, stepKind("level roughing", ""), k, library_, told);
      QVERIFY(again.cutter(again.steps[k].cutter).diameter <= again.cutter(again.steps[k - 1].cutter).diameter);
      checkJob(again);
    }
    // Before all others there is nothing to follow: it takes the bulk.
    const Job front = withStep(job_, known_, stepKind("level roughing", ""), 0, library_, told);
    QVERIFY(front.steps[0].is<LevelRoughing>() && told.find("bulk") != std::string::npos);
    checkJob(front);
  }

  void finishingTakesWhatIsTooTight() {
    std::string told;
    const std::size_t end = job_.steps.size();
    const Job after = withStep(job_, known_, stepKind("parallel passes", ""), end, library_, told);
    const Step &was = after.steps[end - 1], &now = after.steps[end];
    QVERIFY2(after.cutter(now.cutter).diameter < after.cutter(was.cutter).diameter, told.c_str());
    QCOMPARE(now.finishing()->regions, std::vector<std::string>{"too tight for " + was.cutter});
    QCOMPARE(after.regions.size(), job_.regions.size() + 1);
    QCOMPARE(*now.promises.cusp, *was.promises.cusp);
    checkJob(after);
    // Its ground is what the ball before it does not touch, and no more than its overlap beside.
    const JobResult known = knownOf(after);
    const FoundRegion& found = known.regions.back()->found;
    QVERIFY(found.lost.empty() && found.area > 0 && found.area < 0.5 * known.balls->area);
    const double tight = known.balls->sampled() - known.balls->finishedBy(after.cutter(was.cutter).diameter / 2).area;
    QVERIFY2(found.area >= 0.9 * tight, qPrintable(QString("%1 of %2").arg(found.area).arg(tight)));
  }

  void whatMakesNoSenseSaysWhy() {
    CutterLibrary none;
    Job bare = job_;
    bare.cutters.clear();
    const struct {
      const char* kind;
      const Job& job;
      const CutterLibrary& library;
      const char* says; ///< empty: it can be added
    } rows[]{{"level roughing", job_, library_, ""},
             {"level roughing", bare, none, "bull nose"},
             {"parallel passes", job_, library_, ""},
             {"parallel passes", bare, none, "ball"},
             {"given path", bare, none, ""},
             {"drilling", bare, none, "drill"},
             {"drilling", job_, library_, "helix or ramp"}};
    for (const auto& r : rows) {
      const std::string why = whyNotStep(stepKind(r.kind, ""), r.job, known_, r.library);
      QVERIFY2(*r.says ? why.find(r.says) != std::string::npos : why.empty(), (std::string(r.kind) + ": " + why).c_str());
      std::string told;
      if (*r.says) QVERIFY_EXCEPTION_THROWN(withStep(r.job, known_, stepKind(r.kind, ""), 0, r.library, told), Error);
    }
  }
};

QTEST_APPLESS_MAIN(TestNextStep)
#include "tst_next_step.moc"
