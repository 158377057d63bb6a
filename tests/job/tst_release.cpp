// What is handed over: programs, the set-up sheet, and what holds them back.
#include "base/file.h"
#include "job/report.h"
#include "passes.h"
#include "shapes.h"
#include "steps.h"
#include <QTemporaryDir>
#include <QtTest>

using namespace hemline;

class TestRelease : public QObject {
  Q_OBJECT
  QTemporaryDir dir_;
  std::string path_;
  Job job_;
  Evaluator evaluator_;
  Progress quiet_;

  JobResult run(const Job& job) { return evaluator_.evaluate(job, path_, quiet_); }

private slots:
  void initTestCase() {
    const auto part = shapes::field(-8, 8, -6, 6, 16, 12, [](double x, double y) { return 0.01 * (x * x + y * y); });
    writeStl(dir_.filePath("dish.stl").toStdString(), part->mesh);
    path_ = dir_.filePath("dish.hemline").toStdString();
    job_.name = "dish <small>", job_.partFile = "dish.stl", job_.partUnit = LengthUnit::Millimetre;
    job_.machineFile = HEMLINE_SOURCE "/data/machines/mill-3.json";
    job_.stock.margin = {1, 1, 1, 1, 4, 1}, job_.stock.cell = 0.8;
    for (const double d : {8.0, 4.0}) {
      Cutter c;
      c.name = d > 5 ? "ball 8" : "ball 4", c.diameter = c.shankDiameter = d, c.fluteLength = 12, c.length = 80;
      job_.cutters.push_back(c);
    }
    job_.holders = {{"slim", {{0, 10, 40, 12}}}};
    Step s;
    s.name = "Finish & more", s.cutter = "ball 8", s.holder = "slim", s.stickOut = 40;
    s.promises = {0.05, 0.02, 0.05, 0.3, {}};
    Fixture plate;
    plate.kind = FixtureKind::Plate, plate.at = Vec3(0, 0, -4), plate.width = plate.length = 60, plate.span = 0, plate.bed = 10,
    plate.force = 5000;
    job_.clampings.front().fixtures = {plate};
    job_.steps = {s};
    s.name = "Finish again", s.promises.cusp = 0.04;
    job_.steps.push_back(s);
    s.name = "Finish small", s.cutter = "ball 4";
    job_.steps.push_back(s);
    writeJob(path_, job_);
  }

  void stepsWithOneCutterShareAProgram() {
    const JobResult r = run(job_);
    QVERIFY2(r.kept, reportText(job_, r, judgeRelease(job_, r, {})).c_str());
    QVERIFY(releaseHeldBy(job_, r).empty());
    const auto programs = writePrograms(job_, r, quiet_);
    QCOMPARE(programs.size(), std::size_t{2});
    QCOMPARE(programs[0].steps, std::vector<std::string>({"Finish & more", "Finish again"}));
    QCOMPARE(programs[1].steps, std::vector<std::string>({"Finish small"}));
    double time = 0;
    for (const ProgramFile& p : programs) {
      QVERIFY(p.good && p.comparison.complete && p.comparison.tip <= p.comparison.allowed);
      QVERIFY(p.text.find("NOT QUALIFIED FOR YOUR MACHINE") != std::string::npos);
      QVERIFY(p.text.find("T" + std::to_string(toolNumber(job_, p.cutter)) + " M6") != std::string::npos);
      time += p.time;
    }
    QVERIFY(std::abs(time - r.time) < 1e-6);
    // In inches the same motions come back.
    Job inch = job_;
    inch.programUnit = LengthUnit::Inch;
    for (const ProgramFile& p : writePrograms(inch, r, quiet_)) QVERIFY(p.good && p.text.find("G20") != std::string::npos);
  }

  void theSheetSaysAllThatIsNeededAtTheMachine() {
    const JobResult r = run(job_);
    const auto programs = writePrograms(job_, r, quiet_);
    const std::string sheet = setupSheet(job_, r, judgeRelease(job_, r, programs), "UE5H");
    for (const char* word : {"dish &lt;small&gt;", "Finish &amp; more", "ball 8", "slim", "Not qualified for your machine", "Blank",
                             "Datum", "Proven:", "data:image/png;base64,UE5H", "First-run list", "deepest place", "approach 1", "Waivers",
                             "None.", "Cautions", "Not modelled"})
      QVERIFY2(sheet.find(word) != std::string::npos, word);
    QVERIFY(sheet.find("<small>") == std::string::npos); // what was typed is shown, not obeyed
    for (const std::string& c : cautions()) QVERIFY(sheet.find(c.substr(0, 25)) != std::string::npos);
    for (const ProgramFile& p : programs) QVERIFY(sheet.find(p.file) != std::string::npos);
    // The deepest place of the list is that of the path.
    double lowest = 1e300;
    for (const Location& l : r.steps[2]->planned->path.locations) lowest = std::min(lowest, l.tip.z());
    char shown[32];
    std::snprintf(shown, sizeof shown, "Z%.3f", lowest);
    QVERIFY2(sheet.find(shown) != std::string::npos, shown);
  }

  void whatIsBrokenHoldsUntilItIsWaivedByName() {
    Job job = job_;
    job.steps[1].promises.rest = 0.05, job.steps[1].promises.clearance = 35; // 40 out: cannot be had
    JobResult r = run(job);
    QVERIFY(!r.kept);
    auto held = releaseHeldBy(job, r);
    QVERIFY(!held.empty());
    const std::string sheet = setupSheet(job, r, judgeRelease(job, r, {}), "");
    QVERIFY(sheet.find("HELD. Do not run:") != std::string::npos && sheet.find("<img") == std::string::npos);
    // Motions that are not shown to be clear can never be waived.
    job.waivers.push_back({"Finish again", "clearance_mm", "the foreman", "seen before", "2026", r.steps[1]->key.text(), 0});
    QVERIFY(!releaseHeldBy(job, run(job)).empty());
  }

  void anEarlierBlockerHoldsALaterStep() {
    // The second step cannot be asked for alone when the first one, whose stock it starts from, is blocked.
    Job job = job_;
    job.steps[0].rpm = 150000;
    JobResult r = run(job);
    keepSteps(r, {2});
    QCOMPARE(r.steps.size(), std::size_t{1});
    QCOMPARE(r.steps[0]->number, std::size_t{2});
    const auto held = releaseHeldBy(job, r);
    QVERIFY(!held.empty() && !r.kept && held[0].code == Code::SpindleSpeed && held[0].severity() == Severity::Blocker);
    QVERIFY(findingLine(held[0]).ends_with("(an earlier step; cannot be waived)"));
    const std::string text = reportText(job, r, judgeRelease(job, r, {}));
    QVERIFY2(text.find("an earlier step blocks these") != std::string::npos && text.find("\n2. Finish again") != std::string::npos,
             text.c_str());
    QCOMPARE(reportJson(job, path_, r, judgeRelease(job, r, {}))["earlier_blockers"].size(), std::size_t{1});
    // Without the blocker nothing holds it.
    r = run(job_);
    keepSteps(r, {2});
    QVERIFY(releaseHeldBy(job_, r).empty() && r.kept);
  }

  void passesMendWhatWasMeasuredOrStayAsTheyWere() {
    // Round a boss with upright walls the first plan leaves too much at their feet: passes are put there, and all is kept. In a
    // groove that the ball does not fit into no pass helps, and none is added.
    for (const bool boss : {true, false}) {
      std::vector<Vec3> soup = shapes::box({-12, -10, -5}, {12, 10, 0});
      const auto add = [&](const Vec3& a, const Vec3& b) {
        for (const Vec3& v : shapes::box(a, b)) soup.push_back(v);
      };
      if (boss)
        add({-4, -3, -3}, {4, 3, 2});
      else
        add({-12, -10, -3}, {12, -1.5, 5}), add({-12, 1.5, -3}, {12, 10, 5});
      writeStl(dir_.filePath("walls.stl").toStdString(), partFromTriangles(soup, "walls")->mesh);
      Job job = job_;
      job.partFile = "walls.stl", job.steps.resize(1);
      job.steps[0].cutter = "ball 4", job.steps[0].finishing()->chord = 0.003, job.steps[0].finishing()->slopeTo = radians(75);
      job.steps[0].promises = {0.02, 0.01, 0.05, 0.1, {}};
      const std::string path = dir_.filePath("walls.hemline").toStdString();
      Evaluator evaluator;
      const JobResult r = evaluator.evaluate(job, path, quiet_);
      const StepResult& s = *r.steps[0];
      ParallelOptions o;
      o.cusp = 0.02, o.chord = 0.003, o.region = placeStep(job, job.steps[0]).region, o.safeHeight = 30;
      const std::size_t first = planParallel(*r.part, s.assembly.profile, o, quiet_).levels.size();
      QVERIFY(evaluator.computed("plan") >= 2);
      if (boss) {
        QVERIFY2(s.surface->cusp.bound <= 0.02 && s.surface->over.empty(), qPrintable(QString::number(s.surface->cusp.bound)));
        QVERIFY(s.planned->levels.size() > first && s.planned->levels.size() < first + 30);
      } else {
        QVERIFY(s.surface->cusp.bound > 0.02);
        QCOMPARE(s.planned->levels.size(), first);
      }
    }
  }

  void theReportIsThatOfTheResult() {
    const JobResult r = run(job_);
    const auto programs = writePrograms(job_, r, quiet_);
    const nlohmann::json j = reportJson(job_, path_, r, judgeRelease(job_, r, programs));
    QCOMPARE(j["steps"].size(), r.steps.size());
    for (std::size_t i = 0; i < r.steps.size(); ++i) {
      const nlohmann::json& s = j["steps"][i];
      QCOMPARE(s["points"].get<std::size_t>(), r.steps[i]->planned->path.locations.size());
      QVERIFY(std::abs(s["cut_length_mm"].get<double>() - r.steps[i]->planned->path.length(true)) < 1e-9);
      QVERIFY(std::abs(s["time_s"].get<double>() - r.steps[i]->time->timing.total) < 1e-9);
      QCOMPARE(s["cl"].get<std::string>(), clFileName(*r.steps[i]));
      for (std::size_t k = 0; k < r.steps[i]->promises.size(); ++k) {
        const PromiseResult& p = r.steps[i]->promises[k];
        QVERIFY(s["promises"][k]["name"] == p.name && s["promises"][k]["measured"].get<double>() == p.measured);
        QVERIFY(s["promises"][k]["verdict"] == verdictName(p.verdict));
        // Kept means that the bound is within the promise.
        if (p.verdict == Verdict::Kept && p.name != "clearance_mm") QVERIFY(p.bound <= p.promised && p.measured <= p.bound + 1e-12);
        if (p.verdict == Verdict::Kept && p.name == "clearance_mm") QVERIFY(p.bound >= p.promised - 1e-9);
      }
      const std::string text = reportText(job_, r, judgeRelease(job_, r, {}));
      QVERIFY(text.find(r.steps[i]->step.name) != std::string::npos);
    }
    double area = 0;
    for (std::size_t t = 0; t < r.part->mesh.triangles.size(); ++t) area += r.part->mesh.facetArea(t);
    QVERIFY(std::abs(r.coverage.finished + r.coverage.touched + r.coverage.left + r.coverage.forgotten - area) < 1e-6 * area);
    QVERIFY(r.coverage.forgotten == 0);
  }
};

QTEST_APPLESS_MAIN(TestRelease)
#include "tst_release.moc"
