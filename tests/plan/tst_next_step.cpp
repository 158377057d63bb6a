// A step that is added begins from what is left: smaller cutters after larger ones, on ground that these could not touch, and with a reason
// where it would make no sense.
#include "base/file.h"
#include "plan/finishing_chain.h"
#include "plan/new_job.h"
#include "plan/next_step.h"
#include "plan/propose_finish.h"
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

  /// Semi-finish, finish, corners: all kept, the layer that the finish meets, too, round the groove's bottom as elsewhere; without
  /// the semi-finish it is not.
  void aChainGoesToTheEnd() {
    Job job = job_;
    const auto finish = static_cast<std::size_t>(
        std::find_if(job.steps.begin(), job.steps.end(), [](const Step& s) { return s.finishing() != nullptr; }) - job.steps.begin());
    job.steps[finish].promises.rest = 0.02;
    const FinishingChain chain = chainToTheEnd(job, known_, finish, library_);
    checkJob(chain.job);
    const JobResult r = evaluator_.evaluate(chain.job, path_, quiet_);
    QString told = QString::fromStdString(chainText(chain).front());
    double time = 0;
    std::set<std::string> cutters;
    for (std::size_t k = finish; k < r.steps.size(); ++k) {
      const StepResult& s = *r.steps[k];
      told += QString("\n%1: %2, of %3 s %4 s, ")
                  .arg(s.step.name.c_str(), s.planned->summary.c_str())
                  .arg(chain.links[k - finish].time)
                  .arg(s.time->timing.total);
      if (s.layer) told += QString("layer %1 to %2, mean %3, ").arg(s.layer->least).arg(s.layer->most.value).arg(s.layer->mean);
      for (const PromiseResult& p : s.promises)
        told += QString("%1 %2 (%3 of %4) ").arg(p.name.c_str(), verdictName(p.verdict)).arg(p.bound).arg(p.promised);
      time += s.time->timing.total, cutters.insert(s.step.cutter);
    }
    if (qEnvironmentVariableIsSet("TELL")) qInfo().noquote() << told;
    QVERIFY2(chain.links.size() == 3 && r.steps.size() == finish + chain.links.size() && cutters.size() > 1, qPrintable(told));
    for (std::size_t k = finish; k < r.steps.size(); ++k)
      for (const PromiseResult& p : r.steps[k]->promises)
        QVERIFY2(p.verdict == Verdict::Kept || p.name == "clearance_mm", qPrintable(told));
    const double change = kCutterChange * static_cast<double>(cutters.size());
    QVERIFY2(chain.time - change > 0.4 * time && chain.time - change < 1.6 * time, qPrintable(told));
    const LayerMet& even = *r.steps[finish + 1]->layer;
    // The same finish right after roughing.
    Job without = chain.job;
    without.steps.erase(without.steps.begin() + static_cast<std::ptrdiff_t>(finish));
    without.steps.resize(finish + 1);
    const StepResult uneven = *evaluator_.evaluate(without, path_, quiet_).steps.back();
    QVERIFY2(even.most.value < 1.5 * even.mean && uneven.layer->most.value > 1.5 * even.most.value, qPrintable(told));
    for (const PromiseResult& p : uneven.promises) QVERIFY(p.name != "layer_mm" || p.verdict == Verdict::Broken);
    // What cannot be made a chain of is told.
    QVERIFY_EXCEPTION_THROWN(chainToTheEnd(job, known_, 0, library_), Error);                // roughing
    QVERIFY_EXCEPTION_THROWN(chainToTheEnd(chain.job, known_, finish + 2, library_), Error); // corners
    QVERIFY_EXCEPTION_THROWN(chainToTheEnd(job, known_, finish, {}), Error);
    QVERIFY_EXCEPTION_THROWN(proposeFinish(chain.job, path_, finish + 2, evaluator_, quiet_), Error); // it has one pattern
    job.steps[finish].promises.cusp = 0.5;
    QVERIFY_EXCEPTION_THROWN(chainToTheEnd(job, known_, finish, library_), Error);
    // A sharp corner holds more than the last passes should meet at once: the widest ball leaves R / cos(half its angle) - R there.
    const std::string file = dir_.filePath("sharp.stl").toStdString(), sharp = dir_.filePath("sharp.hemline").toStdString();
    writeStl(file, partFromTriangles(shapes::groove(1.2, 0, 0.5), "sharp", 3.0)->mesh);
    NewJobOptions o;
    o.unit = LengthUnit::Millimetre, o.data = HEMLINE_SOURCE "/data", o.cutters = {"bull nose 16 r2", "ball 10"}, o.cusp = 0.01;
    const Job grooved = newJob(file, sharp, o, quiet_);
    const FinishingChain deep = chainToTheEnd(grooved, evaluator_.prepare(grooved, sharp, quiet_), grooved.steps.size() - 1, library_);
    QString links;
    for (const ChainLink& l : deep.links) links += QString::fromStdString(l.step + ": " + l.why + "\n");
    QVERIFY2(deep.links.size() >= 4 && deep.links[2].why.find("bulk") != std::string::npos, qPrintable(links));
    checkJob(deep.job);
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
