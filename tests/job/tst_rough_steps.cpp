// Roughing and drilling steps of a job, evaluated to the end: directions, sources, allowances of regions, feed.
#include "base/file.h"
#include "job/release.h"
#include "job/report.h"
#include "plan/roughing_chain.h"
#include "plan/suggest.h"
#include "shapes.h"
#include "steps.h"
#include <QTemporaryDir>
#include <QtTest>

using namespace hemline;

class TestRoughSteps : public QObject {
  Q_OBJECT
  QTemporaryDir dir_;
  Progress quiet_;
  Evaluator evaluator_;
  Job job_;
  std::string path_;

  JobResult run(const Job& job) { return evaluator_.evaluate(job, path_, quiet_); }

private slots:
  void initTestCase() {
    // A post on a foot.
    auto soup = shapes::box({-9, -7, 0}, {9, 7, 30});
    writeStl(dir_.filePath("post.stl").toStdString(), partFromTriangles(soup, "post")->mesh);
    path_ = dir_.filePath("post.hemline").toStdString();
    job_.name = "post", job_.partFile = "post.stl", job_.partUnit = LengthUnit::Millimetre;
    job_.machineFile = HEMLINE_SOURCE "/data/machines/mill-5-ac.json";
    job_.stock.margin = {5, 5, 5, 5, 12, 2}, job_.stock.cell = 0.8;
    Cutter mill = shapes::cutters()[0], drill = mill;
    mill.name = "flat 8", mill.diameter = mill.shankDiameter = 8, mill.fluteLength = 24, mill.length = 80, mill.rampAngle = radians(4);
    mill.teeth = 3, mill.feedPerTooth = 0.05, mill.cuttingSpeed = 150;
    drill.name = "drill 10", drill.kind = CutterKind::Drill, drill.diameter = drill.shankDiameter = 10, drill.angle = radians(59);
    drill.fluteLength = 40, drill.length = 90;
    job_.cutters = {mill, drill};
    job_.holders = {{"slim", {{0, 9, 40, 11}}, 2, 20}};
    Step s;
    s.name = "Rough", s.cutter = "flat 8", s.holder = "slim", s.stickOut = 45;
    LevelRoughing how;
    how.depth = 3, how.stepOver = 4, how.wall = how.floor = 0.4, how.bottom = 7.4;
    s.axis = -Vec3::UnitY(), s.body = how;
    s.promises.gouge = 0.05, s.promises.clearance = 0.3;
    Fixture plate;
    plate.kind = FixtureKind::Plate, plate.at = Vec3(0, 0, -12), plate.width = 18, plate.length = 14, plate.span = 0, plate.bed = 10;
    plate.force = 5000;
    job_.clampings.front().fixtures = {plate};
    job_.clampings.front().workZero = Vec3(0, 0, 160); // high above the table: the spindle leans down to the horizontal
    job_.steps = {s};
    writeJob(path_, job_);
  }

  void oneStepRoughsFromSeveralSides() {
    Job job = job_;
    // Above the foot only: what lies below z = 0 is gripped.
    const JobResult one = run(job);
    levels(job.steps[0]).moreAxes = {Vec3::UnitY()};
    const JobResult both = run(job);
    const Stock &a = one.steps[0]->cut->after->stock, &b = both.steps[0]->cut->after->stock;
    const double first = one.stock->stock.volume() - a.volume(), second = a.volume() - b.volume();
    QVERIFY2(first > 1000 && std::abs(second - first) < 0.05 * first, qPrintable(QString("%1 %2").arg(first).arg(second)));
    QVERIFY(both.steps[0]->planned->summary.find("direction 2") != std::string::npos);
    QVERIFY2(both.kept, reportText(job, both, judgeRelease(job, both, {})).c_str());
    // Between them the axis turns outside of all stock, in small steps; passes keep their numbers apart.
    const auto& l = both.steps[0]->planned->path.locations;
    std::set<int> sides;
    double most = 0;
    std::map<int, double> axisOf;
    for (std::size_t i = 1; i < l.size(); ++i) {
      const double turn = angleBetween(l[i - 1].axis, l[i].axis);
      most = std::max(most, turn);
      if (turn > 1e-9) QVERIFY(l[i].motion == Motion::Rapid);
      if (l[i].motion == Motion::Cut) sides.insert(static_cast<int>(std::lround(l[i].axis.y())));
      if (l[i].pass >= 0) {
        const auto [known, fresh] = axisOf.emplace(l[i].pass, l[i].axis.y());
        QVERIFY(fresh || known->second == l[i].axis.y());
      }
    }
    QVERIFY(sides == (std::set<int>{-1, 1}) && most < radians(5.1));
    // A direction that finds nothing is told and stops nothing.
    levels(job.steps[0]).moreAxes = {Vec3::UnitY(), -Vec3::UnitY()};
    const JobResult again = run(job);
    const auto& notes = again.steps[0]->planned->path.notes;
    QVERIFY(std::any_of(notes.begin(), notes.end(), [](const std::string& n) { return n.starts_with("direction 3"); }));
  }

  void aBlankAsSourceIsFlagged() {
    Job job = job_;
    job.steps.push_back(job.steps[0]);
    job.steps[1].name = "Again", levels(job.steps[1]).fromBlank = true;
    const JobResult r = run(job);
    QVERIFY(r.steps[0]->texts(Severity::Caution).empty());
    QVERIFY(r.steps[1]->cut->report.airShare > 0.95);
    const auto& told = r.steps[1]->texts(Severity::Caution);
    QVERIFY(
        std::any_of(told.begin(), told.end(), [](const std::string& c) { return c.find("planned on the blank") != std::string::npos; }));
    // Planned on what is there it finds nothing.
    levels(job.steps[1]).fromBlank = false;
    QVERIFY_THROWS_EXCEPTION(Error, run(job));
  }

  void aRegionKeepsMore() {
    Job job = job_;
    Region face{"face", RegionUse::Finish, {}, {}, {}, 0};
    PatchPiece patch;
    patch.marks = {{Vec3(0, -7, 15), -Vec3::UnitY()}};
    Piece piece;
    piece.what = patch;
    face.pieces.push_back(piece);
    job.regions = {face};
    levels(job.steps[0]).bottom.reset();
    const auto lowest = [&](const JobResult& r) {
      double low = 1e300;
      for (const Location& l : r.steps[0]->planned->path.locations)
        if (l.motion == Motion::Cut && std::abs(l.tip.x()) < 4 && l.tip.z() > 4 && l.tip.z() < 26) low = std::min(low, -l.tip.y());
      return low;
    };
    QVERIFY(std::abs(lowest(run(job)) - 7.4) < 0.02);
    levels(job.steps[0]).own = {{"face", 1.5}};
    const JobResult kept = run(job);
    QVERIFY2(lowest(kept) > 8.5 - 1e-6, qPrintable(QString::number(lowest(kept))));
    QVERIFY2(kept.steps[0]->promises[0].verdict == Verdict::Kept, reportText(job, kept, judgeRelease(job, kept, {})).c_str());
    levels(job.steps[0]).own = {{"moon", 1.5}};
    QVERIFY_THROWS_EXCEPTION(Error, run(job));
  }

  void holesAreAStep() {
    Job job = job_;
    Step holes = job.steps[0];
    holes.name = "Holes", holes.cutter = "drill 10", holes.axis = Vec3::UnitZ(), holes.stickOut = 55;
    holes.body = Drilling{{{0, 0}}, 4, 30.5, 0.4};
    job.steps = {holes};
    JobResult r = run(job);
    QVERIFY2(r.kept && r.steps[0]->cut->report.removed > 4, reportText(job, r, judgeRelease(job, r, {})).c_str());
    QCOMPARE(r.steps[0]->planned->summary, std::string("1 hole"));
    QCOMPARE(stepFromJson(toJson(holes), "test").as<Drilling>()->holes.size(), std::size_t{1});
    // What is asked for below the part's allowance is not drilled.
    job.steps[0].as<Drilling>()->bottom = 10;
    r = run(job);
    double low = 1e300;
    for (const Location& l : r.steps[0]->planned->path.locations) low = std::min(low, l.tip.z());
    QVERIFY(std::abs(low - 30.4) < 1e-3 && r.steps[0]->promises[0].verdict == Verdict::Kept);
    job.steps[0].cutter = "flat 8";
    QVERIFY_THROWS_EXCEPTION(Error, run(job));
  }

  void threeChainsAreComputedSideBySide() {
    Job job = job_;
    job.material = Material{"steel", 1900, 0.25, 210000, 7.8}, job.stock.cell = 0.4;
    CutterLibrary library;
    library.holders = job_.holders;
    for (const RoughingChain& c : proposeRoughing(job, path_, library, evaluator_, quiet_)) // no cutter for the rest
      QVERIFY2(!c.failed && c.job.steps.size() == 1 &&
                   (levels(c.job.steps[0]).thinning || c.why.find("no smaller cutter") != std::string::npos),
               c.why.c_str());
    Cutter small = job_.cutters[0];
    small.name = "flat 4", small.diameter = small.shankDiameter = 4, small.fluteLength = 12;
    library.cutters = {small};
    const auto chains = proposeRoughing(job, path_, library, evaluator_, quiet_);
    QCOMPARE(chains.size(), std::size_t{3});
    for (const RoughingChain& c : chains) {
      QVERIFY2(!c.failed, c.limits.empty() ? "" : c.limits.front().text.c_str());
      QVERIFY2(c.time > 1 && c.force > 0 && c.most >= c.mean && c.mean > 0.2 && c.steps == c.job.steps.size(),
               qPrintable(QString("%1 %2 %3 %4 %5").arg(c.time).arg(c.force).arg(c.most).arg(c.mean).arg(c.steps)));
      // What is told is what the chain's job gives.
      const JobResult r = run(c.job);
      QVERIFY(std::abs(r.time - c.time) < 1e-6 * c.time);
      QCOMPARE(r.steps[0]->cut->report.engagement, c.engagement);
    }
    QVERIFY(levels(chains[1].job.steps[0]).engagement && degrees(chains[1].job.steps[0].promises.engagement.value_or(0)) > 60);
    QVERIFY(!levels(chains[0].job.steps[0]).engagement && levels(chains[2].job.steps[0]).thinning);
    // Round a post there is no corner that a smaller cutter would be worth a step for.
    QVERIFY(chains[0].job.steps.size() == 1 && chains[0].why.find("finds nothing") != std::string::npos);
    const std::vector<std::string> told = chainText(chains, LengthUnit::Millimetre);
    QVERIFY(told.size() >= 6 && told[0].starts_with("1. level by level"));
    // A larger cutter of the library goes first where it is faster and leaves no more.
    Cutter large = job_.cutters[0];
    large.name = "flat 12", large.diameter = large.shankDiameter = 12, large.fluteLength = 36, large.length = 100;
    library.cutters.push_back(large);
    const auto larger = proposeRoughing(job, path_, library, evaluator_, quiet_);
    for (const RoughingChain& c : larger) QVERIFY2(!c.failed && c.job.steps[0].cutter == "flat 12", c.why.c_str());
    QVERIFY(larger[0].time < chains[0].time && larger[0].most <= chains[0].most + 0.1 && larger[0].why.find("saves") != std::string::npos);
    job.steps[0].body = Drilling(), job.steps[0].cutter = "drill 10";
    QVERIFY_THROWS_EXCEPTION(Error, proposeRoughing(job, path_, library, evaluator_, quiet_));
  }

  void directionsComeFromWhatIsSeen() {
    std::string told;
    const JobResult r = run(job_);
    Job more = withDirections(job_, r, 0, told);
    const auto& axes = levels(more.steps[0]).moreAxes;
    QVERIFY2(!axes.empty() && axes.size() <= kMostDirections, told.c_str());
    // From -y the top, the back and the sides' edges are seen at best; what is added looks at the back.
    QVERIFY(std::any_of(axes.begin(), axes.end(), [](const Vec3& a) { return a.y() > 0.3; }) &&
            told.find("% of the surface") != std::string::npos);
    for (const Vec3& a : axes) QVERIFY(angleBetween(a, Vec3::UnitZ()) <= r.machine->leans());
    QVERIFY(run(more).steps[0]->cut->report.removed > 1.5 * r.steps[0]->cut->report.removed);
    QVERIFY_THROWS_EXCEPTION(Error, withDirections(more, r, 0, told)); // it has several already
    Job three = job_;
    three.machineFile = HEMLINE_SOURCE "/data/machines/mill-3.json", three.steps[0].axis = Vec3::UnitZ(),
    levels(three.steps[0]).bottom.reset();
    QVERIFY_THROWS_EXCEPTION(Error, withDirections(three, run(three), 0, told));
  }

  void holesAreProposedWhereItEnters() {
    // A block with a pocket: the cutter goes in by helix at every level, or by a hole that is drilled before.
    writeStl(dir_.filePath("tray.stl").toStdString(), partFromTriangles(shapes::tray(), "tray")->mesh);
    Job job = job_;
    job.partFile = "tray.stl", job.stock.margin = {0, 0, 0, 0, 0, 0}, job.stock.cell = 0.3;
    job.clampings.front().fixtures.clear();
    job.steps[0].axis = Vec3::UnitZ(), levels(job.steps[0]).bottom = 8.4;
    const JobResult r = run(job);
    const auto ways = [](const JobResult& x, std::size_t k) {
      double length = 0;
      const auto& l = x.steps[k]->planned->path.locations;
      for (std::size_t i = 1; i < l.size(); ++i)
        if (l[i].motion == Motion::Entry) length += (l[i].tip - l[i - 1].tip).norm();
      return length;
    };
    QVERIFY(r.steps[0]->planned->summary.find(", 0 by helix") == std::string::npos);
    std::string told;
    CutterLibrary library;
    const Job drilled = withDrilledEntries(job, r, 0, library, told);
    QCOMPARE(drilled.steps.size(), 2u);
    const Step& holes = drilled.steps[0];
    const auto* drill = holes.as<Drilling>();
    QVERIFY2(drill && drill->holes.size() == 1 && holes.cutter == "drill 10", told.c_str());
    QVERIFY(drill->holes[0].cwiseAbs().maxCoeff() < 12 - 5);
    const JobResult both = run(drilled);
    QVERIFY2(both.kept, reportText(drilled, both, judgeRelease(drilled, both, {})).c_str());
    QVERIFY2(ways(both, 1) < 0.6 * ways(r, 0), qPrintable(QString("%1 of %2 mm").arg(ways(both, 1)).arg(ways(r, 0))));
    QVERIFY(std::abs(both.steps[1]->cut->report.removed + both.steps[0]->cut->report.removed - r.steps[0]->cut->report.removed) <
            0.01 * r.steps[0]->cut->report.removed);
    // No drill is wide enough; no way in by helix; a step that is not there.
    job.cutters.pop_back();
    QVERIFY_THROWS_EXCEPTION(Error, withDrilledEntries(job, r, 0, library, told));
    QVERIFY_THROWS_EXCEPTION(Error, withDrilledEntries(drilled, both, 0, library, told));
  }

  void aStepCanHaveItsOwnProgram() {
    Job job = job_;
    job.steps.push_back(job.steps[0]);
    job.steps[1].name = "Deeper", job.steps[1].axis = Vec3::UnitY();
    const auto files = [&] { return writePrograms(job, run(job), quiet_); };
    QCOMPARE(files().size(), std::size_t{1});
    job.steps[1].ownProgram = true;
    const auto two = files();
    QVERIFY(two.size() == 2 && two[0].steps == std::vector<std::string>{"Rough"} && two[1].file.find("deeper") != std::string::npos);
    for (const ProgramFile& p : two) QVERIFY(p.good);
  }

  void thinChipsAreFedFaster() {
    Step s = job_.steps[0];
    double rpm = 0, plain = 0, engaged = 0, wide = 0;
    const Cutter& c = job_.cutters[0];
    conditions(s, c, 1e9, rpm, plain);
    levels(s).engagement = radians(30);
    conditions(s, c, 1e9, rpm, engaged);
    levels(s).engagement = radians(110);
    conditions(s, c, 1e9, rpm, wide);
    QVERIFY(std::abs(engaged - 2 * plain) < 1e-9 && wide == plain); // the thickest chip of 30 degrees is half the feed per tooth
    s.feed = 500;
    conditions(s, c, 1e9, rpm, engaged);
    QCOMPARE(engaged, 500.0);
  }
};

QTEST_APPLESS_MAIN(TestRoughSteps)
#include "tst_rough_steps.moc"
