// Regions in a job: what steps finish, what is promised and measured, what is protected, and what a changed model does to them.
#include "base/file.h"
#include "job/regions.h"
#include "job/report.h"
#include "plan/suggest.h"
#include "shapes.h"
#include "steps.h"
#include <QProcess>
#include <QTemporaryDir>
#include <QtTest>

using namespace hemline;

class TestRegions : public QObject {
  Q_OBJECT
  QTemporaryDir dir_;
  std::string path_;
  Job job_;
  Evaluator evaluator_;
  Progress quiet_;

  JobResult run(const Job& job) { return evaluator_.evaluate(job, path_, quiet_); }
  void writeDish(double right, double lift) const {
    const auto part = shapes::field(-12, right, -6, 6, 48, 24, [lift](double x, double y) { return 0.02 * x * x + 0.005 * y * y + lift; });
    writeStl(dir_.filePath("dish.stl").toStdString(), part->mesh);
  }
  static Piece paint(const Vec3& at, double radius) { return {PieceMode::Add, PaintPiece{{{at, Vec3::UnitZ()}}, radius}}; }
  static Region regionOf(const char* name, RegionUse use, Piece piece) { return {name, use, {}, {}, {std::move(piece)}, 0}; }
  static const PromiseResult* promise(const RegionResult& r, const char* name) {
    for (const PromiseResult& p : r.promises)
      if (p.name == name) return &p;
    return nullptr;
  }

private slots:
  void initTestCase() {
    writeDish(12, 0);
    path_ = dir_.filePath("dish.hemline").toStdString();
    job_.name = "dish", job_.partFile = "dish.stl", job_.partUnit = LengthUnit::Millimetre;
    job_.machineFile = HEMLINE_SOURCE "/data/machines/mill-3.json";
    job_.stock.margin = {1, 1, 1, 1, 4, 1}, job_.stock.cell = 0.8;
    Cutter c;
    c.name = "ball 8", c.diameter = c.shankDiameter = 8, c.fluteLength = 12, c.length = 80;
    job_.cutters = {c};
    job_.holders = {{"slim", {{0, 10, 40, 12}}}};
    Step s;
    s.name = "Finish", s.cutter = "ball 8", s.holder = "slim", s.stickOut = 40;
    s.promises = {0.05, 0.02, 0.05, 0.3, {}};
    Fixture plate;
    plate.kind = FixtureKind::Plate, plate.at = Vec3(0, 0, -4), plate.width = plate.length = 60, plate.span = 0, plate.bed = 10,
    plate.force = 5000;
    job_.clampings.front().fixtures = {plate};
    job_.steps = {s};
    job_.regions = {regionOf("middle", RegionUse::Finish, paint({0, 0, 0}, 4))};
    job_.regions[0].finish = 0.05, job_.regions[0].tolerance = 0.06;
    writeJob(path_, job_);
  }

  void aStepFinishesItsRegionsOnly() {
    Job job = job_;
    const JobResult all = run(job);
    QVERIFY2(all.kept, reportText(job, all, judgeRelease(job, all, {})).c_str());
    QCOMPARE(all.ofRegions.size(), 1u);
    const RegionResult& middle = all.ofRegions[0];
    QVERIFY(std::abs(middle.ground->found.area - kPi * 16) < 6);
    QCOMPARE(middle.finished, middle.ground->found.area);
    // What the region promises is what was measured on its facets, and no more.
    const SurfaceProof& proof = *all.steps[0]->surface;
    double cusp = 0;
    for (std::size_t t = 0; t < proof.region.size(); ++t)
      if (middle.ground->found.facets[t]) cusp = std::max(cusp, static_cast<double>(proof.facetCusp[t]));
    const PromiseResult *finish = promise(middle, "finish_mm"), *tolerance = promise(middle, "tolerance_mm");
    QVERIFY(finish && tolerance && cusp > 0.01);
    QVERIFY(std::abs(finish->measured - cusp) < 1e-6 && finish->bound >= finish->measured && finish->bound <= 0.05);
    QVERIFY(tolerance->measured >= finish->measured - 1e-6 && tolerance->bound <= 0.06);

    job.steps[0].finishing()->regions = {"middle"};
    const JobResult part = run(job);
    for (std::size_t t = 0; t < part.coverage.state.size(); ++t)
      QCOMPARE(part.coverage.state[t] == Covered::Finished, part.regions[0]->found.facets[t] != 0);
    QVERIFY(part.steps[0]->time->timing.total < 0.7 * all.steps[0]->time->timing.total);
    QVERIFY(promise(part.ofRegions[0], "finish_mm")->verdict == Verdict::Kept);
    QVERIFY(part.coverage.forgotten > 100);

    // A promise moves nothing; a border does; ground that no step finishes breaks the region's promises.
    const auto plans = evaluator_.computed();
    job.regions[0].finish = 0.001;
    QVERIFY(promise(run(job).ofRegions[0], "finish_mm")->verdict == Verdict::Broken);
    QCOMPARE(evaluator_.computed(), plans);
    job.waivers = {{"region middle", "finish_mm", "lead", "goes into the resin anyway", "today", run(job).ofRegions[0].key.text(), 1}};
    QVERIFY(promise(run(job).ofRegions[0], "finish_mm")->verdict == Verdict::Waived);
    job.regions.push_back(regionOf("rest", RegionUse::Finish, {PieceMode::Add, SlopePiece{0, kPi / 2, Vec3::UnitZ()}}));
    job.regions[1].tolerance = 0.1;
    const JobResult open = run(job);
    const PromiseResult* p = promise(open.ofRegions[1], "tolerance_mm");
    QVERIFY(p->verdict == Verdict::Broken && p->note.find("no step finishes") != std::string::npos);
    QVERIFY(!releaseHeldBy(job, open).empty() && !open.kept);
    const auto report = reportJson(job, path_, open, judgeRelease(job, open, {}));
    QCOMPARE(report["regions"].size(), 2u);
    QVERIFY(reportText(job, open, judgeRelease(job, open, {})).find("region rest") != std::string::npos);
    QVERIFY(setupSheet(job, open, judgeRelease(job, open, {}), "").find("<b>middle") != std::string::npos);
  }

  /// What a step with a negative allowance promises is of that; its ground is told as too low, and ground beside it, too.
  void aStepBelowTheSurface() {
    Job job = job_;
    job.steps[0].finishing()->regions = {"middle"}, job.steps[0].finishing()->allowance = -0.2;
    const JobResult below = run(job);
    for (const PromiseResult& p : below.steps[0]->promises) QVERIFY2(p.verdict == Verdict::Kept, p.name.c_str());
    const PromiseResult* tolerance = promise(below.ofRegions[0], "tolerance_mm");
    QVERIFY(tolerance->verdict == Verdict::Broken && std::abs(tolerance->measured - 0.2) < 0.02);
    const auto& found = below.steps[0]->findings;
    const auto beside = std::find_if(found.begin(), found.end(), [](const Finding& f) { return f.code == Code::CutsBeside; });
    QVERIFY(beside != found.end() && beside->at && std::abs(beside->args["deep_mm"].get<double>() - 0.2) < 0.02);
    job.steps[0].finishing()->allowance = -0.41;
    QVERIFY_EXCEPTION_THROWN(jobFromJson(toJson(job), "job"), Error);
  }

  void whatIsLeftOrProtected() {
    Job job = job_;
    job.regions.push_back(regionOf("lip", RegionUse::Left, paint({-10, 0, 2}, 3)));
    job.regions.push_back(regionOf("stamp", RegionUse::Protected, paint({9, 0, 1.6}, 2)));
    JobResult r = run(job);
    for (std::size_t t = 0; t < r.coverage.state.size(); ++t) {
      const bool off = r.regions[1]->found.facets[t] || r.regions[2]->found.facets[t];
      QVERIFY(r.steps[0]->surface->region[t] != off);
      if (off) QCOMPARE(static_cast<int>(r.coverage.state[t]), 2);
    }
    QCOMPARE(r.coverage.forgotten, 0.0);
    const PromiseResult* keeps = promise(r.ofRegions[2], "protected_mm");
    QVERIFY(keeps && keeps->promised == 0.01 && keeps->verdict == Verdict::Kept && promise(r.ofRegions[1], "protected_mm") == nullptr);
    // A long tip digs into all of it; ground that is protected says so.
    job.steps[0].asSet.lengthOff = 0.3;
    r = run(job);
    keeps = promise(r.ofRegions[2], "protected_mm");
    QVERIFY2(keeps->verdict == Verdict::Broken && keeps->measured > 0.1 && keeps->measured < 0.4,
             qPrintable(QString::number(keeps->measured)));
    job.steps[0].asSet = {};
    job.steps[0].finishing()->regions = {"lip"};
    QVERIFY_THROWS_EXCEPTION(Error, run(job));
  }

  void theLadderBecomesSteps() {
    // A trough whose bottom bends with a radius of 2.5 mm.
    writeStl(dir_.filePath("trough.stl").toStdString(),
             shapes::field(-6, 6, -6, 6, 96, 12, [](double x, double) { return 0.2 * x * x; })->mesh);
    Job job = job_;
    job.partFile = "trough.stl", job.regions.clear();
    Ladder ladder;
    ladder.rungs = {{"ball 8", 4, 200, 60}, {"ball 2", 1, 20, 60}};
    Cutter small = job.cutters[0];
    small.name = "ball 2", small.diameter = 2;
    std::string told;
    const Job more = withLadder(job, ladder, CutterLibrary{{small}, {}}, told);
    QCOMPARE(more.steps.size(), 2u);
    QCOMPARE(more.cutters.size(), 2u);
    QCOMPARE(more.regions.size(), 2u);
    QVERIFY(told.find("ball 8 and ball 2") != std::string::npos);
    checkJob(more);
    // Each facet's largest ball decides who finishes it; between them they leave nothing.
    const JobResult r = run(jobFromJson(toJson(more), "more"));
    for (std::size_t t = 0; t < r.coverage.state.size(); ++t) {
      const double ball = static_cast<double>(r.balls->radius[t]);
      QVERIFY(r.regions[ball >= 4 ? 0 : 1]->found.facets[t]);
    }
    QVERIFY(r.regions[0]->found.area > 10 && r.regions[1]->found.area > 10);
    QVERIFY_THROWS_EXCEPTION(Error, withLadder(job, {}, CutterLibrary{}, told));
    QVERIFY_THROWS_EXCEPTION(Error, withLadder(job, ladder, CutterLibrary{}, told)); // no ball 2 anywhere
    job.steps[0].finishing()->regions = {"middle"};
    QVERIFY_THROWS_EXCEPTION(Error, withLadder(job, ladder, CutterLibrary{{small}, {}}, told));
  }

  void aRailBoundsAStep() {
    Job job = job_;
    Rail rail{"round", "drawn", true, {}};
    for (int k = 0; k < 40; ++k) {
      const double a = 2 * kPi * k / 40, x = 5 * std::cos(a), y = 4 * std::sin(a);
      rail.marks.push_back({Vec3(x, y, 0.02 * x * x + 0.005 * y * y), Vec3::UnitZ()});
    }
    job.rails = {rail};
    job.steps[0].within()->rail = "round";
    const auto widest = [&](const JobResult& r) {
      double most = 0;
      for (const Location& l : r.steps[0]->planned->path.locations)
        if (l.motion == Motion::Cut) most = std::max(most, std::hypot(l.contact.x() / 5, l.contact.y() / 4));
      return most;
    };
    const double within = widest(run(job));
    QVERIFY2(within < 1.02 && within > 0.8, qPrintable(QString::number(within)));
    job.steps[0].within()->railOut = 1.5;
    const double out = widest(run(job));
    QVERIFY2(out > 1.15 && out < 1.5, qPrintable(QString::number(out)));
    job.rails[0].marks[3].at.x() = 500; // not on the part
    QVERIFY_THROWS_EXCEPTION(Error, run(job));
    job.rails[0].closed = false;
    QVERIFY_THROWS_EXCEPTION(Error, run(job));
  }

  void aChangedModelIsAccepted() {
    Job job = job_;
    job.partHash = hashFile(dir_.filePath("dish.stl").toStdString()).text();
    job.regions.push_back(regionOf("far end", RegionUse::Finish, paint({11, 0, 2.42}, 0.5)));
    Rail rail{"along", "drawn", false, {{Vec3(-5, 0, 0.5), Vec3::UnitZ()}, {Vec3(5, 0, 0.5), Vec3::UnitZ()}}};
    job.rails = {rail};
    writeJob(path_, job);
    QVERIFY(run(job).ofRegions[1].ground->found.lost.empty());
    writeDish(9, 0.05); // shorter, and a little higher
    QVERIFY_THROWS_EXCEPTION(Error, run(job));
    QProcess cli;
    cli.start(HEMLINE_CLI, {"accept", QString::fromStdString(path_)});
    QVERIFY(cli.waitForFinished() && cli.exitCode() == 0);
    const QString told = QString::fromUtf8(cli.readAllStandardOutput());
    QVERIFY2(told.contains("'far end': not found") && told.contains("rail 'along': moved by up to 0.05"), qPrintable(told));
    QVERIFY(!told.contains("'middle'"));
    const Job accepted = readJob(path_);
    QCOMPARE(accepted.regions.size(), 2u); // nothing is dropped
    QVERIFY(std::abs(std::get<PaintPiece>(accepted.regions[0].pieces[0].what).stroke[0].at.z() - 0.05) < 0.01);
    QVERIFY(std::abs(accepted.rails[0].marks[0].at.z() - 0.55) < 0.01);
    const JobResult r = run(accepted);
    QVERIFY(r.ofRegions[0].ground->found.lost.empty() && !r.ofRegions[1].ground->found.lost.empty());
    const auto held = releaseHeldBy(accepted, r);
    QVERIFY(
        std::any_of(held.begin(), held.end(), [](const Finding& f) { return f.code == Code::RegionLost && f.of == "region 'far end'"; }));
    writeDish(12, 0);
  }
};

QTEST_GUILESS_MAIN(TestRegions)
#include "tst_regions.moc"
