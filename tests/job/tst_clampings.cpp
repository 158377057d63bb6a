// Several clampings: what is cut in a turned clamping is the same as if the part had been drawn that way round.
#include "base/file.h"
#include "job/holding.h"
#include "job/report.h"
#include "load/effort.h"
#include "plan/machine_choice.h"
#include "plan/suggest.h"
#include "shapes.h"
#include "steps.h"
#include <QProcess>
#include <QTemporaryDir>
#include <QtTest>

using namespace hemline;

Q_DECLARE_METATYPE(Vec3)

class TestClampings : public QObject {
  Q_OBJECT
  QTemporaryDir dir_;
  Progress quiet_;

  std::string write(const char* name, const Mesh& mesh, const Frame& frame) {
    Mesh moved = mesh;
    for (Vec3& p : moved.points) p = frame.out(p);
    writeStl(dir_.filePath(name).toStdString(), moved);
    return name;
  }
  /// A closed block with a dished top and a domed underside.
  Job job(const std::string& file) {
    Job j;
    j.name = "lens", j.partFile = file, j.partUnit = LengthUnit::Millimetre, j.machineFile = HEMLINE_SOURCE "/data/machines/mill-3.json";
    j.stock.margin = {2, 2, 2, 2, 2, 2}, j.stock.cell = 0.5;
    j.material = Material{"aluminium", 700, 0.25, 70000, 2.7};
    Cutter ball, bull;
    ball.name = "ball 6", ball.diameter = ball.shankDiameter = 6, ball.fluteLength = 12, ball.length = 80;
    bull = ball;
    bull.name = "bull 6", bull.kind = CutterKind::BullNose, bull.corner = 1;
    j.cutters = {ball, bull};
    j.holders = {{"slim", {{0, 8, 40, 12}}}};
    j.clampings.front().workZero = Vec3(0, 0, 60);
    return j;
  }
  static Step step(const StepBody& body, int clamping) {
    Step s;
    s.body = body, s.clamping = clamping, s.holder = "slim", s.stickOut = 40;
    if (auto* rough = s.as<LevelRoughing>()) {
      s.name = clamping ? "Rough the foot" : "Rough the top", s.cutter = "bull 6";
      rough->depth = 1.5, rough->stepOver = 2.5, rough->wall = rough->floor = 0.3, rough->bottom = clamping ? 4 : 0;
      s.promises.gouge = 0.05, s.promises.clearance = 0.3;
    } else {
      s.name = clamping ? "Finish the foot" : "Finish the top", s.cutter = "ball 6";
      passes(s).angle = radians(20), passes(s).finish.slopeTo = radians(50);
      s.promises = {0.01, 0.005, 0.02, 0.3, {}};
    }
    return s;
  }

private slots:
  /// The same part drawn upright, and drawn lying and turned up by its clamping: the same promises measured, the same programs.
  void aTurnedClampingIsAsGoodAsAnUprightPart() {
    const Mesh mesh = shapes::lens();
    Evaluator evaluator;
    Job upright = job(write("upright.stl", mesh, {}));
    upright.steps = {step(LevelRoughing(), 0), step(ParallelPasses(), 0)};
    upright.steps[1].within()->points = {{-9, -7}, {9, -7}, {9, 3}, {-9, 3}};
    const JobResult a = evaluator.evaluate(upright, dir_.filePath("a.hemline").toStdString(), quiet_);
    Job lying = upright;
    lying.clampings.front().turns = {{0, radians(-90)}}, lying.clampings.front().origin = Vec3(3, -4, 5);
    lying.partFile = write("lying.stl", mesh, frameOf(lying.clampings.front()));
    const JobResult b = evaluator.evaluate(lying, dir_.filePath("b.hemline").toStdString(), quiet_);
    QVERIFY2(a.kept && b.kept,
             (reportText(upright, a, judgeRelease(upright, a, {})) + reportText(lying, b, judgeRelease(lying, b, {}))).c_str());
    for (std::size_t i = 0; i < 2; ++i) {
      const StepResult &x = *a.steps[i], &y = *b.steps[i];
      // By rounding one or two passes more or fewer are put between, and along the boundary the cutter stays down or not, with the ways to
      // and fro.
      const double t = x.time->timing.total, u = y.time->timing.total;
      const auto travel = [](const StepResult& r) { return r.planned->path.length(true) + r.planned->path.length(false); };
      QVERIFY2(std::abs(t / travel(x) * travel(y) / u - 1) < (i == 0 ? 0.02 : 0.04),
               qPrintable(QString("%1 s for %2 mm, %3 s for %4 mm").arg(t).arg(travel(x)).arg(u).arg(travel(y))));
      QVERIFY2(std::abs(t / u - 1) < (i == 0 ? 0.02 : 0.15), qPrintable(QString("%1 and %2 s").arg(t).arg(u)));
      QVERIFY2(std::abs(x.cut->report.removed / y.cut->report.removed - 1) < 0.05,
               qPrintable(QString("%1 %2").arg(x.cut->report.removed).arg(y.cut->report.removed)));
      for (std::size_t k = 0; k < x.promises.size(); ++k) {
        const double fine = x.promises[k].name == "clearance_mm" ? 0.6 : 0.002; // stock: a cell
        QVERIFY2(std::abs(x.promises[k].measured - y.promises[k].measured) < fine, x.promises[k].name.c_str());
      }
    }
    // Where finishing cuts does not depend on the lattice.
    const auto pa = writePrograms(upright, a, quiet_), pb = writePrograms(lying, b, quiet_);
    QVERIFY(pa.size() == 2 && pb.size() == 2 && pb[1].good);
    const auto cuts = [](const JobResult& r) {
      Path out = pathInClamping(*r.steps[1]);
      std::erase_if(out.locations, [](const Location& l) { return l.motion != Motion::Cut; });
      return out;
    };
    const Path p = cuts(a), q = cuts(b);
    QVERIFY(std::abs(p.length(true) / q.length(true) - 1) < 0.06);
    for (const Box& d : {p.tipBounds(), q.tipBounds()}) {
      QVERIFY2((d.low - p.tipBounds().low).norm() < 0.15 && (d.high - p.tipBounds().high).norm() < 0.15, "bounds");
      QVERIFY(d.high.y() < 3.2 && d.low.y() < -6.5); // the boundary is told in the clamping's x and y
    }
  }

  void bothSidesInOneJob() {
    Job two = job(write("lens.stl", shapes::lens(), {}));
    two.clampings.front().name = "top up";
    Fixture jaws;
    jaws.name = "jaws", jaws.kind = FixtureKind::Jaws, jaws.at = Vec3(0, 0, -7), jaws.opening = 20, jaws.most = 60, jaws.width = 20;
    jaws.height = 4, jaws.bed = 10, jaws.force = 8000;
    two.clampings.front().fixtures = {jaws};
    Clamping foot;
    foot.name = "foot up", foot.turns = {{0, radians(180)}}, foot.workZero = Vec3(0, 0, 60), foot.datum = "two dowels";
    foot.dowels = Dowels{0.02, 30, 0, {0, 0}};
    jaws.at = Vec3(0, 0, -7), jaws.height = 3, jaws.opening = 17; // what roughing left of the wall
    foot.fixtures = {jaws};
    two.clampings.push_back(foot);
    two.steps = {step(LevelRoughing(), 0), step(ParallelPasses(), 0), step(LevelRoughing(), 1), step(ParallelPasses(), 1)};
    Evaluator evaluator;
    const std::string path = dir_.filePath("two.hemline").toStdString();
    const JobResult r = evaluator.evaluate(two, path, quiet_);
    QVERIFY2(r.kept, reportText(two, r, judgeRelease(two, r, {})).c_str());
    // The foot is cut from what the top left: less is there than of the whole block.
    QVERIFY(r.steps[2]->before->stock.volume() < r.stock->stock.volume() - 100);
    QVERIFY(r.steps[3]->step.axis == Vec3(0, 0, -1) && r.coverage.forgotten < 1);
    QVERIFY(r.coverage.finished > 1.9 * 20 * 16);
    const auto programs = writePrograms(two, r, quiet_);
    QCOMPARE(programs.size(), std::size_t{4}); // the ball does not stay in the spindle over the flip
    for (const ProgramFile& p : programs) QVERIFY(p.good && p.text.find(p.clamping ? "foot up" : "top up") != std::string::npos);
    QVERIFY(r.grips[0]->grips[0].area > 100 && r.steps[2]->effort && r.steps[2]->effort->force > 1);
    QVERIFY(r.seams[1] && r.seams[1]->length >= 72 && r.seams[1]->meets == 0 && !r.seams[0]); // walls between are left on purpose
    const std::string sheet = setupSheet(two, r, judgeRelease(two, r, programs), "");
    for (const char* word : {"Clamping 2: foot up", "turned 180", "two dowels", "Holding force", "Seam"})
      QVERIFY2(sheet.find(word) != std::string::npos, word);

    // Another force changes no path and no proof; a part of a fixture only what is clear of it.
    const std::size_t all = evaluator.computed();
    Job tighter = two;
    tighter.clampings[1].fixtures[0].force = 8500;
    QVERIFY(evaluator.evaluate(tighter, path, quiet_).kept);
    QCOMPARE(evaluator.computed(), all + 1); // the grip
    const std::size_t before = evaluator.computed("plan") + evaluator.computed("surface");
    two.clampings[1].fixtures[0].height = 2.5;
    evaluator.evaluate(two, path, quiet_);
    QCOMPARE(evaluator.computed("plan") + evaluator.computed("surface"), before);

    // What was measured for other fixtures says nothing of those that the job has now.
    Job bare = two;
    bare.clampings[1].fixtures.clear(), bare.clampings[1].outside = Outside{};
    QCOMPARE(holdingText(bare, r, 1, LengthUnit::Millimetre).size(), std::size_t{1});
    QVERIFY(notHeld(bare, r).size() == 1 && notHeld(bare, r)[0].code == Code::NothingHolds);

    const auto says = [&](const Job& j, const char* words) {
      for (const std::string& h : linesOf(releaseHeldBy(j, evaluator.evaluate(j, path, quiet_))))
        if (h.find(words) != std::string::npos) return true;
      return false;
    };
    QVERIFY(!says(two, "foot up"));
    Job bad = two;
    bad.clampings[1].fixtures[0].force.reset();
    QVERIFY(says(bad, "foot up: the clamping force of 'jaws' is not known"));
    bad.clampings[1].fixtures[0].force = 20;
    QVERIFY(says(bad, "friction carries about"));
    bad = two, bad.clampings[1].fixtures[0].opening = 20;
    QVERIFY(says(bad, "touches nothing"));
    bad = two, bad.clampings[1].fixtures.clear();
    QVERIFY(says(bad, "nothing is told that holds the work"));
    bad = two, bad.clampings[1].outside = Outside{"hardening", -3, 0.1};
    QVERIFY(says(bad, "after hardening metal may be missing"));
    bad.clampings[1].outside->least = -0.1;
    QVERIFY(!says(bad, "metal may be missing"));
    // What the finding of the zero leaves open comes off the clearance.
    bad = two, bad.clampings[1].finding = ZeroFinding{DatumKind::Corner, 0.05, 0, 20, 100};
    const auto least = [&](const Job& j) {
      for (const PromiseResult& p : evaluator.evaluate(j, path, quiet_).steps[3]->promises)
        if (p.name == "clearance_mm") return p.bound;
      return 1e300;
    };
    QVERIFY(std::abs(least(two) - least(bad) - 2 * 0.05 * std::sqrt(3.0)) < 0.02);
    // Another machine: as it stands on the shipped one, and where it is too small.
    const auto fits = fitMachines(two, r, {HEMLINE_SOURCE "/data/machines/mill-3.json", HEMLINE_SOURCE "/data/machines/mill-5-ac.json"});
    QVERIFY(fits.size() == 2 && fits[0].fits && fits[1].fits);
    nlohmann::json small = nlohmann::json::parse(readFile(HEMLINE_SOURCE "/data/machines/mill-3.json"));
    small["axes"]["X"]["high"] = 5, small["table_mm"]["high"] = {8, 200, 0};
    writeFileSafely(dir_.filePath("small.json").toStdString(), small.dump());
    const MachineFit narrow = fitMachines(two, r, {dir_.filePath("small.json").toStdString()})[0];
    QVERIFY2(!narrow.fits && narrow.why.size() == 2 && narrow.why[0].starts_with("X leaves its travel by"), machineFitText(narrow).c_str());
    QVERIFY2(narrow.why[1].find("4.000 mm over the table") != std::string::npos, narrow.why[1].c_str());
    bad = two, std::swap(bad.steps[1], bad.steps[2]);
    QVERIFY_THROWS_EXCEPTION(Error, evaluator.evaluate(bad, path, quiet_));
    bad = two, bad.steps[3].clamping = 2;
    QVERIFY_THROWS_EXCEPTION(Error, evaluator.evaluate(bad, path, quiet_));
  }

  /// What was written for a turned clamping and is read back there as somebody else's path measures the same, in the part's frame.
  void aGivenPathIsReadInItsClamping() {
    Job two = job(write("lens3.stl", shapes::lens(), {}));
    Clamping foot;
    foot.name = "foot up", foot.turns = {{1, radians(180)}, {2, radians(90)}}, foot.origin = Vec3(1, 2, 3), foot.workZero = Vec3(0, 0, 60);
    two.clampings.push_back(foot);
    two.steps = {step(LevelRoughing(), 0), step(LevelRoughing(), 1), step(ParallelPasses(), 1)};
    levels(two.steps[1]).bottom = 1;
    Evaluator evaluator;
    const std::string path = dir_.filePath("three.hemline").toStdString();
    const JobResult own = evaluator.evaluate(two, path, quiet_);
    writeFileSafely(dir_.filePath("foot.cl").toStdString(), clText(two, *own.steps[2], judgeRelease(two, own, {})));
    two.steps[2].body = GivenPathStep{"foot.cl"};
    const JobResult read = evaluator.evaluate(two, path, quiet_);
    const auto &a = own.steps[2]->planned->path.locations, &b = read.steps[2]->planned->path.locations;
    QCOMPARE(a.size(), b.size());
    for (std::size_t k = 0; k < a.size(); ++k) QVERIFY((a[k].tip - b[k].tip).norm() < 1e-5 && (a[k].axis - b[k].axis).norm() < 1e-6);
    QVERIFY(own.steps[2]->step.axis == Vec3(0, 0, -1));
    for (std::size_t k = 0; k < own.steps[2]->promises.size(); ++k) {
      const PromiseResult &x = own.steps[2]->promises[k], &y = read.steps[2]->promises[k];
      QVERIFY2(x.name == y.name && std::abs(x.measured - y.measured) < 0.001, x.name.c_str());
    }
    // The machine's joints follow the clamping's frame: its spindle stands over the work zero as the tip over the clamping's.
    const Path run = pathInClamping(*own.steps[2]);
    for (std::size_t k = 0; k < run.locations.size(); k += 50)
      for (std::size_t axis = 0; axis < 3; ++axis) {
        const int j = static_cast<int>(axis);
        QVERIFY(std::abs(own.steps[2]->time->joints.joints[k][axis] - (run.locations[k].tip[j] + (*foot.workZero)[j])) < 1e-9);
      }
  }

  /// Force and bending of moves that are known, on a bar that stands in its grip.
  void effortByHand() {
    const Material steel{"steel", 2000, 0.25, 200000, 7.8};
    Cutter flat;
    flat.kind = CutterKind::Flat, flat.diameter = 8, flat.teeth = 2;
    Box bar;
    bar.add(Vec3(-10, -5, -20)), bar.add(Vec3(10, 5, 80));
    const Stock stock = Stock::box(bar, 0.5);
    Holding grip;
    grip.gripTop = 0;
    Path path;
    path.locations = {shapes::at({-15, 0, 70}, Vec3::UnitZ(), Motion::Rapid), shapes::at({-5, 0, 70}, Vec3::UnitZ()),
                      shapes::at({5, 0, 30}, Vec3::UnitZ()), shapes::at({15, 0, 30}, Vec3::UnitZ())};
    const double rpm = 3000; // 10 mm/s: a chip of 0.1 mm
    CutReport report;
    const double length = std::hypot(10.0, 40.0);
    report.moves = {{}, {8 * 2 * 10, 3.14159f, 2}, {static_cast<float>(8 * 1 * length), 3.14159f, 5}, {-1, -1, -1}};
    const Assembly standing = assemble(flat, {"slim", {{0, 10, 40, 12}}}, 40);
    const Effort e = effortOf(path, report, standing, rpm, steel, stock, stock, {}, grip, false);
    // A slot 2 deep; then one whose section is of 1, though the cutter touches up to 5.
    const double first = cuttingForce(steel, flat, 0.1, 2, kPi), second = cuttingForce(steel, flat, 0.1, 1, kPi);
    QVERIFY2(std::abs(e.force - first) < 0.01 * first && e.at == path.locations[1].tip, qPrintable(QString::number(e.force)));
    // Power from the removal rate at the mean chip, torque from it; the cutter as a rod of two sections.
    const double mean = 0.1 * 2 / kPi, power = 8 * 2 * 10 * steel.force * std::pow(mean, -steel.rise) / 1000;
    QVERIFY2(std::abs(e.power - power) < 0.02 * power && e.heaviest == 1, qPrintable(QString::number(e.power)));
    QVERIFY(std::abs(e.torque - e.power / (2 * kPi * 50)) < 1e-9);
    const auto section = [](double d) { return kPi * std::pow(d, 4) / 64; };
    const double flutes = flat.fluteLength,
                 give = (std::pow(flutes, 3) / section(0.8 * flat.diameter) + (64000 - std::pow(flutes, 3)) / section(flat.shankDiameter)) /
                        1.8e6;
    QVERIFY2(std::abs(e.cutterBends - e.force * give) < 1e-6 * e.cutterBends && flat.neckDiameter == 0,
             qPrintable(QString::number(e.cutterBends)));
    const double I = 20 * 1000.0 / 12;
    const auto bends = [&](double force, double height) { return force * std::pow(height, 3) / (3 * steel.young * I); };
    QVERIFY2(std::abs(static_cast<double>(e.bends[1]) - bends(first, 70)) < 0.03 * bends(first, 70), qPrintable(QString::number(e.most)));
    QVERIFY(std::abs(static_cast<double>(e.bends[2]) - bends(second, 30)) < 0.05 * bends(second, 30));
    QVERIFY(e.bends[0] < 0 && e.bends[3] < 0 && std::abs(e.most - static_cast<double>(e.bends[1])) < 1e-6 * e.most);
    // Where nothing is cut away in between, stages mend nothing; where the lower half becomes thin, they keep it stiff.
    for (const double staged : e.staged) QVERIFY(std::abs(staged - e.most) < 0.01 * e.most);
    Stock thin = stock;
    Path slim;
    for (const double side : {-1.0, 1.0})
      for (double z = 2; z < 82; z += 4)
        slim.locations.push_back(shapes::at({14 * side, -20, z}, Vec3::UnitX(), Motion::Rapid)),
            slim.locations.push_back(shapes::at({14 * side, 20, z}, Vec3::UnitX()));
    Cutter side = flat;
    side.diameter = side.shankDiameter = 8, side.fluteLength = 30;
    for (Location& l : slim.locations) l.tip.x() = l.tip.x() > 0 ? 6 : -36; // leaves -6 to 6
    thin.cut(makeProfile(side), slim, 1, slim.locations.size());
    QVERIFY(!thin.contains({8, 0, 50}) && thin.contains({0, 0, 50}));
    const Effort soft = effortOf(path, report, standing, rpm, steel, stock, thin, {}, grip, false);
    QVERIFY(soft.most > 1.5 * e.most && soft.staged[0] > soft.staged[1] && soft.staged[1] > soft.staged[3] &&
            soft.staged[3] >= e.most * 0.99);
    QVERIFY(effortOf(path, report, standing, rpm, steel, stock, thin, {}, grip, true).most < soft.most);
  }

  /// Stages from the far end: strips of the clamping's z that cover what the whole step covered, or depths where the axis is along it.
  void aStepIsCutInStages() {
    Job job;
    Step rough;
    rough.body = LevelRoughing(), rough.name = "Rough";
    const Box blank{Vec3(-10, -12, -5), Vec3(10, 12, 95)};
    std::string told;
    for (const Vec3& axis : {Vec3(0, 1, 0), Vec3(-1, 0, 0), Vec3(0.6, -0.8, 0)}) {
      rough.axis = axis;
      job.steps = {Step{}, rough, Step{}};
      const Job staged = withStages(job, 1, 3, 5, blank, told);
      QCOMPARE(staged.steps.size(), 5u);
      Vec3 e1, e2;
      frameAround(axis, e1, e2);
      for (double z = -4.3; z < 95; z += 0.5)
        for (const double side : {-11.0, 0.0, 11.0}) {
          const Vec3 p = Vec3(0, 0, z) + side * axis.cross(Vec3::UnitZ());
          std::vector<int> in;
          for (int k = 0; k < 3; ++k)
            if (insidePolygon(staged.steps[static_cast<std::size_t>(1 + k)].within()->points, Vec2(e1.dot(p), e2.dot(p)))) in.push_back(k);
          const int stage = z > 65 ? 0 : z > 35 ? 1 : 2; // 90 mm above the grip in three
          QVERIFY2(std::find(in.begin(), in.end(), stage) != in.end() && in.size() <= 2, qPrintable(QString::number(z)));
          if (std::abs(z - 65) > 1.01 && std::abs(z - 35) > 1.01) QCOMPARE(in.size(), 1u);
        }
      QVERIFY(staged.steps[1].name == "Rough, stage 1 of 3" && staged.steps[3].name == "Rough, stage 3 of 3" && staged.steps[2].ownProgram);
    }
    rough.axis = Vec3::UnitZ(), levels(rough).bottom = 10;
    job.steps = {rough};
    const Job deep = withStages(job, 0, 3, 5, blank, told);
    QVERIFY(std::abs(*levels(deep.steps[0]).bottom - 64) < 1e-9 && std::abs(*levels(deep.steps[1]).bottom - 34) < 1e-9 &&
            *levels(deep.steps[2]).bottom == 10);
    job.steps[0].axis = Vec3(0.6, 0, 0.8);
    QVERIFY_THROWS_EXCEPTION(Error, withStages(job, 0, 3, 5, blank, told));
    job.steps[0].axis = Vec3::UnitY(), job.steps[0].within()->points = {{-5, -5}, {5, -5}, {5, 5}, {-5, 5}};
    QVERIFY_THROWS_EXCEPTION(Error, withStages(job, 0, 3, 5, blank, told)); // its boundary has nothing of the far end
    job.steps[0].body = ParallelPasses();
    QVERIFY_THROWS_EXCEPTION(Error, withStages(job, 0, 3, 5, blank, told));
  }

  /// Axis, passes and boundary of a step are told in its clamping's frame, whichever way the clamping turns the part.
  void stepsAreToldInTheirClamping_data() {
    QTest::addColumn<int>("about");
    QTest::addColumn<double>("angle");
    QTest::addColumn<Vec3>("axis");
    for (int about = 0; about < 3; ++about)
      for (const double angle : {90.0, 180.0, -37.0})
        for (const Vec3& axis : {Vec3(0, 0, 1), Vec3(0, -1, 0), Vec3(0.6, 0, 0.8)})
          QTest::addRow("%c %g, axis %g %g %g", "xyz"[about], angle, axis.x(), axis.y(), axis.z()) << about << angle << axis;
  }
  void stepsAreToldInTheirClamping() {
    QFETCH(int, about);
    QFETCH(double, angle);
    QFETCH(Vec3, axis);
    Job j;
    Clamping c;
    c.turns = {{about, radians(angle)}}, c.origin = Vec3(3, -5, 7);
    j.clampings = {c};
    Step s;
    const std::vector<Vec2> boundary{{1, 2}, {5, 2}, {5, 9}};
    s.axis = axis, passes(s).angle = radians(25), s.within()->points = boundary;
    const PlacedStep part = placeStep(j, s);
    Step rough;
    rough.axis = axis, rough.body = LevelRoughing(), levels(rough).bottom = 4;
    const Step roughPart = placeStep(j, rough).step;
    const Frame f = frameOf(c);
    QVERIFY((f.directionInto(part.step.axis) - axis).norm() < 1e-12);
    // The passes' direction: e1 of the axis' own frame, turned by the angle.
    Vec3 e1, e2, own1, own2;
    frameAround(part.step.axis, e1, e2);
    frameAround(axis, own1, own2);
    const double turned = passes(part.step).angle, told = passes(s).angle;
    const Vec3 along = std::cos(turned) * e1 + std::sin(turned) * e2;
    QVERIFY((f.directionInto(along) - (std::cos(told) * own1 + std::sin(told) * own2)).norm() < 1e-9);
    // Corners of the boundary and the bottom lie where they were, seen from the clamping.
    for (std::size_t k = 0; k < 3; ++k) {
      const Vec3 corner = f.out(boundary[k].x() * own1 + boundary[k].y() * own2 + 11 * axis);
      QVERIFY((part.region.plan(corner) - part.region.boundary[k]).norm() < 1e-9);
    }
    QVERIFY(std::abs(f.out(Vec3(4 * axis)).dot(roughPart.axis) - *levels(roughPart).bottom) < 1e-9);
    QVERIFY(insidePolygon(part.region.boundary, part.region.plan(f.out(4.5 * own1 + 3 * own2))));
    QVERIFY(!insidePolygon(part.region.boundary, part.region.plan(f.out(1.2 * own1 + 8 * own2))));
  }

  /// The same job from the command line: a program for each side and cutter, and a sheet that says how to turn the part over.
  void theCommandLineRunsBothSides() {
    Job two = job(write("lens4.stl", shapes::lens(), {}));
    two.clampings.front().name = "top up";
    Fixture plate = fixtureFor(FixtureKind::Plate, {Vec3(-12, -10, -7.5), Vec3(12, 10, 8)});
    plate.force = 4000;
    two.clampings.front().fixtures = {plate};
    Clamping foot;
    foot.name = "foot up", foot.turns = {{1, radians(180)}}, foot.workZero = Vec3(0, 0, 60);
    foot.finding = ZeroFinding{DatumKind::TwoSides, 0.004, 0, 20, 100};
    two.clampings.push_back(foot);
    two.steps = {step(ParallelPasses(), 0), step(ParallelPasses(), 1)};
    for (Step& s : two.steps) s.promises.clearance = 0.1;
    const QString file = dir_.filePath("both.hemline"), out = dir_.filePath("both");
    writeJob(file.toStdString(), two);
    QProcess cli;
    cli.start(HEMLINE_CLI, {"run", file, "--out", out});
    QVERIFY(cli.waitForFinished(200000));
    const std::string said = cli.readAllStandardOutput().toStdString(), sheet = readFile((out + "/setup-sheet.html").toStdString());
    QVERIFY2(said.find("clamping 2: foot up") != std::string::npos, said.c_str());
    QVERIFY(sheet.find("turned 180\u00b0 about Y") != std::string::npos && sheet.find("half way between both is x") != std::string::npos);
    QVERIFY(sheet.find("HELD. Do not run") != std::string::npos); // nothing holds the second
    const nlohmann::json report = nlohmann::json::parse(readFile((out + "/report.json").toStdString()));
    QCOMPARE(report["programs"].size(), std::size_t{2});
    QCOMPARE(report["programs"][1]["clamping"].get<int>(), 2);
    bool held = false;
    for (const auto& h : report["held_by"]) held = held || h.get<std::string>().find("foot up: nothing is told that holds") == 0;
    QVERIFY(held);
    // In both clampings the cutter comes from above, in the clamping's own frame.
    for (const char* cl : {"/01-finish-the-top.cl", "/02-finish-the-foot.cl"})
      QVERIFY2(readFile((out + cl).toStdString()).find("GOTO/") != std::string::npos, cl);
  }

  void badMaterialsAreNamed_data() {
    QTest::addColumn<QString>("table");
    QTest::addColumn<QString>("says");
    QTest::newRow("cut short") << "{\"materials\": ["
                               << "damaged";
    QTest::newRow("no list") << "{\"about\": 1}"
                             << "damaged";
    QTest::newRow("no name") << "{\"materials\": [{\"mc\": 0.2}]}"
                             << "no name";
    QTest::newRow("no force") << "{\"materials\": [{\"name\": \"clay\", \"mc\": 0.2}]}"
                              << "kc11_N_mm2";
    QTest::newRow("no stiffness")
        << "{\"materials\": [{\"name\": \"clay\", \"kc11_N_mm2\": 5, \"mc\": 0.2, \"young_N_mm2\": 0, \"density_g_cm3\": 2}]}"
        << "young_N_mm2";
    QTest::newRow("a rise of one")
        << "{\"materials\": [{\"name\": \"clay\", \"kc11_N_mm2\": 5, \"mc\": 1, \"young_N_mm2\": 900, \"density_g_cm3\": 2}]}"
        << "mc";
    QTest::newRow("no file") << ""
                             << "no such file";
  }
  void badMaterialsAreNamed() {
    QFETCH(QString, table);
    QFETCH(QString, says);
    const std::string path = dir_.filePath(table.isEmpty() ? "gone.json" : "materials.json").toStdString();
    if (!table.isEmpty()) writeFileSafely(path, table.toStdString());
    try {
      readMaterials(path);
      QFAIL("it was read");
    } catch (const Error& e) {
      QVERIFY2(QString::fromStdString(e.happened).contains(says) && !e.remedy.empty(), e.happened.c_str());
    }
  }
};

QTEST_GUILESS_MAIN(TestClampings)
#include "tst_clampings.moc"
