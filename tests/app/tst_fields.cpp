// What is typed into a brief: read, refused or shown. No window is needed.
#include "brief/fields.h"
#include "desk.h"
#include "dish.h"
#include "stages/journal.h"
#include "stages/set_up.h"
#include "view/solid.h"
#include "view/stock_follower.h"
#include <QFile>
#include <QSignalSpy>
#include <QTest>
#include <numeric>
#include <random>
#include <set>

using namespace hemline;
using namespace hemline::app;
using dish::someJob;
using dish::writeDish;

class TestFields : public QObject {
  Q_OBJECT
private slots:
  void setUpIsTyped_data();
  void setUpIsTyped();
  void everySetUpValueShowsWhatItReads();
  void journalOnlyGrows();
  void coarseStandsIn();
  void assemblyIsAsLongAsItIs();
  void stockFollowsForthAndBack();
  void everyEditIsTakenBack();
  void refusedEditsAreToldAndChangeNothing();
  void timeLeftIsAboutRight();
  void onlyTheLatestJobBecomesCurrent();
};

namespace {
/// A job with everything that Hold can show: two clampings, one fixture of each kind in the second.
Job heldJob() {
  Job j = someJob();
  j.clampings.front().workZero = Vec3(0, 0, 50);
  Clamping c;
  c.name = "foot up", c.turns = {{0, kPi}}, c.workZero = Vec3(1, 2, 40), c.dowels = Dowels{0.02, 80, 0.01, {0, 0}};
  c.finding = ZeroFinding{}, c.outside = Outside{"hardening", -0.1, 0.2};
  for (const FixtureKind kind : fixtureKinds()) c.fixtures.push_back(fixtureFor(kind, {Vec3(-40, -30, 0), Vec3(40, 30, 25)}));
  j.clampings.push_back(c);
  return j;
}
std::vector<Value> heldValues(const Job& j) {
  std::vector<Value> out = blankValues(j, {Vec3(-38, -29, 1), Vec3(38, 29, 24)});
  for (const Value& v : clampingValues(j, 1, {Vec3(-40, -30, 0), Vec3(40, 30, 25)})) out.push_back(v);
  for (std::size_t i = 0; i < j.clampings[1].fixtures.size(); ++i)
    for (const Value& v : fixtureValues(j, 1, i)) out.push_back(v);
  return out;
}
} // namespace

void TestFields::setUpIsTyped_data() {
  QTest::addColumn<QString>("id");
  QTest::addColumn<QString>("text");
  QTest::addColumn<QString>("shown"); // empty: refused
  const auto row = [](const char* what, const char* id, const char* text, const char* shown) {
    QTest::newRow(what) << QString(id) << QString::fromUtf8(text) << QString::fromUtf8(shown);
  };
  row("margin", "margin_3", "1/8 in", "3.175 mm");
  row("margin inwards", "margin_3", "-1", "");
  row("cell", "cell", "0", "");
  row("skin of the part", "stock_kind", "skin about the part", "skin about the part");
  row("bar, sized about the part", "stock_kind", "bar or tube", "bar or tube");
  row("tailstock", "c_tailstock", "held by a tailstock", "held by a tailstock");
  row("material", "material", "titanium alloy", "titanium alloy");
  row("no material", "material", "not told", "not told");
  row("name", "c_name", "  second ", "second");
  row("no name", "c_name", "  ", "");
  row("turned", "c_turn", "a quarter about X", "a quarter about X");
  row("zero", "c_zero_2", "35.5", "35.5 mm");
  row("dowels", "d_play", "30", "30 µm");
  row("dowels' span", "d_span", "0", "");
  row("found by", "c_finding", "bore", "bore");
  row("not found", "c_finding", "not told", "not told");
  row("scatter", "c_scatter", "2 um", "2 µm");
  row("outside", "c_outside", "stress relief", "stress relief");
  row("not outside", "c_outside", "", "nothing");
  row("faces move", "o_least", "-0.25", "-0.25 mm");
  row("opening", "f1_opening_mm", "55", "55 mm");
  row("opening of nothing", "f1_opening_mm", "0", "");
  row("jaws turned", "f1_angle", "30", "30°");
  row("jaws turned too far", "f1_angle", "500", "");
  row("force", "f1_force", "2500", "2500 N");
  row("force with its unit", "f1_force", "2500 N", "2500 N");
  row("no force", "f1_force", "", "not known");
  row("force in words", "f1_force", "tight", "");
  row("friction", "f2_friction", "0.2", "0.2");
  row("friction of a magnet", "f2_friction", "1.5", "");
  row("place", "f4_at1", "-12", "-12 mm");
  row("corner", "f0_high2", "3", "3 mm");
}

void TestFields::setUpIsTyped() {
  QFETCH(QString, id);
  QFETCH(QString, text);
  QFETCH(QString, shown);
  Job job = heldJob();
  const auto values = heldValues(job);
  const auto v = std::find_if(values.begin(), values.end(), [&](const Value& x) { return x.id == id; });
  QVERIFY2(v != values.end(), qPrintable(id));
  if (v->choices && !shown.isEmpty()) QVERIFY(v->choices(job).contains(text));
  const std::string before = toJson(job).dump();
  try {
    v->set(job, text, LengthUnit::Millimetre);
    QCOMPARE(v->show(job, LengthUnit::Millimetre), shown);
    // It is a part of the job: written, and read as it was.
    const Job back = jobFromJson(toJson(job), "job");
    QCOMPARE(v->show(back, LengthUnit::Millimetre), shown);
  } catch (const Error& e) {
    QVERIFY2(shown.isEmpty() && !e.remedy.empty(), e.what());
    QCOMPARE(toJson(job).dump(), before);
  }
}

/// What is shown can be typed again as it stands, in both units, and changes nothing by more than a thousandth.
void TestFields::everySetUpValueShowsWhatItReads() {
  for (const LengthUnit unit : {LengthUnit::Millimetre, LengthUnit::Inch}) {
    Job job = heldJob();
    std::set<QString> ids;
    for (const Value& v : heldValues(job)) {
      QVERIFY2(ids.insert(v.id).second && !v.label.isEmpty() && !v.help.isEmpty(), qPrintable(v.id));
      const QString shown = v.show(job, unit);
      QVERIFY2(!shown.isEmpty(), qPrintable(v.id));
      v.set(job, shown, unit);
      QVERIFY2(v.show(job, unit) == shown, qPrintable(v.id + ": " + shown + " is then " + v.show(job, unit)));
    }
    const Job was = heldJob();
    for (std::size_t i = 0; i < was.clampings[1].fixtures.size(); ++i)
      for (const FixtureField& field : fixtureFields(was.clampings[1].fixtures[i].kind))
        QVERIFY(std::abs(job.clampings[1].fixtures[i].*field.value - was.clampings[1].fixtures[i].*field.value) < 0.002);
  }
}

void TestFields::journalOnlyGrows() {
  QTemporaryDir dir;
  const QString job = dir.filePath("a.hemline");
  QVERIFY(readJournal(job).empty());
  appendJournal(job, {"today", "released x", "", 60, 0});
  QFile file(journalPath(job));
  QVERIFY(file.open(QIODevice::Append));
  file.write("a line that was damaged\n");
  file.close();
  appendJournal(job, {"today", "ran x", "chatter", 60, 75});
  const auto entries = readJournal(job);
  QCOMPARE(entries.size(), 2u);
  QCOMPARE(entries[1].actual, 75.0);
  QVERIFY_EXCEPTION_THROWN(appendJournal("/nonexistent/folder/job", {}), Error);
}

void TestFields::coarseStandsIn() {
  std::vector<Vec3> soup;
  constexpr int n = 120;
  for (int i = 0; i < n; ++i)
    for (int j = 0; j < n; ++j) {
      const auto at = [](int a, int b) { return Vec3(a, b, 3 * std::sin(a * 0.1)); };
      for (const Vec3& p : {at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j), at(i + 1, j + 1), at(i, j + 1)}) soup.push_back(p);
    }
  const auto part = partFromTriangles(soup, "waves", 3.0);
  const Corners full = meshCorners(part->mesh, Vec3::Zero(), {}), coarse = coarseCorners(part->mesh, Vec3::Zero(), {}, 3000);
  QCOMPARE(full.size(), part->mesh.triangles.size() * 21);
  QVERIFY(coarse.size() / 21 < 6000 && coarse.size() / 21 > 1000);
  // It spans the same ground.
  float high = -1e9f;
  for (std::size_t i = 0; i < coarse.size(); i += 7) high = std::max(high, coarse[i]);
  QVERIFY(high > 0.95f * n);
}

void TestFields::assemblyIsAsLongAsItIs() {
  Cutter c;
  c.name = "ball 8", c.diameter = 8, c.fluteLength = 12, c.shankDiameter = 8;
  const Assembly a = assemble(c, {"h", {{0, 10, 40, 12}}}, 40);
  const Corners corners = assemblyCorners(a);
  float low = 1e9f, high = -1e9f, wide = 0;
  for (std::size_t i = 0; i < corners.size(); i += 7) {
    low = std::min(low, corners[i + 2]), high = std::max(high, corners[i + 2]);
    wide = std::max(wide, std::hypot(corners[i], corners[i + 1]));
  }
  QVERIFY(std::abs(low) < 1e-5f && std::abs(high - 80.0f) < 1e-4f && std::abs(wide - 12.0f) < 1e-4f);
}

void TestFields::stockFollowsForthAndBack() {
  // Slots after one another in a block; the stock at any place is what cutting that far gives, from either side.
  auto step = std::make_shared<StepResult>();
  Cutter c;
  c.name = "flat", c.kind = CutterKind::Flat, c.diameter = 6, c.fluteLength = 20, c.shankDiameter = 6;
  step->assembly = assemble(c, {"h", {{0, 10, 40, 12}}}, 40);
  auto planned = std::make_shared<Planned>();
  for (int i = 0; i <= 4000; ++i) {
    Location l;
    l.tip = Vec3(-18 + 36.0 * (i % 200) / 200, -8 + 0.8 * (i / 200), -3 - 0.1 * (i / 200));
    l.motion = i % 200 ? Motion::Cut : Motion::Rapid;
    planned->path.locations.push_back(l);
  }
  step->planned.value = planned;
  auto before = std::make_shared<StockState>();
  before->stock = Stock::box({Vec3(-20, -10, -10), Vec3(20, 10, 0)}, 0.5);
  step->before = before;
  const auto other = std::make_shared<StepResult>(*step); // another step with the same path
  std::size_t all = 0;                                    // memory of all kept places
  for (const bool little : {false, true}) {
    // A place after every piece, however quick the machine is.
    StockFollower follower(nullptr, little ? all / 3 : std::size_t{1} << 30, 0);
    QSignalSpy done(&follower, &StockFollower::cut), through(&follower, &StockFollower::passedThrough);
    for (const std::size_t at : {3500u, 1200u, 1201u, 4001u, 0u, 2750u}) {
      // To and fro between the steps, too; on the second round every place is near a kept one.
      follower.request(at % 2 ? other : step, at);
      QVERIFY(QTest::qWaitFor([&] { return !done.isEmpty() && done.last().at(1).toInt() == static_cast<int>(at); }, 20000));
      Stock direct = before->stock;
      direct.cut(step->assembly.profile, planned->path, 0, at);
      const auto shown = done.last().at(0).value<std::shared_ptr<const ShownTriangles>>();
      const ShownTriangles wanted = StockSurface(direct).shown();
      QCOMPARE(shown->points, wanted.points);
      QCOMPARE(shown->corners, wanted.corners);
    }
    QVERIFY(QTest::qWaitFor([&] { return !through.isEmpty(); }, 20000));
    const auto [places, memory] = follower.kept();
    QVERIFY(places > 2 && memory > 0);
    if (little) QVERIFY2(memory <= all / 3, qPrintable(QString("%1 of %2").arg(memory).arg(all)));
    all = memory;
  }
}

void TestFields::everyEditIsTakenBack() {
  QTemporaryDir dir;
  Desk desk;
  desk.open(writeDish(dir));
  std::mt19937 random(6);
  std::vector<std::string> states{toJson(desk.job()).dump()};
  for (int i = 0; i < 40; ++i) {
    const auto what = random() % 5;
    const double share = static_cast<double>(random() % 1000) / 1000;
    desk.edit("edit", [&](Job& j) {
      Step& s = j.steps[0];
      if (what == 0) s.promises.cusp = 0.01 + 0.1 * share;
      if (what == 1) s.as<ParallelPasses>()->angle = share;
      if (what == 2) s.cutter = j.cutters[random() % 2].name;
      if (what == 3) s.stickOut = 30 + 20 * share;
      if (what == 4) j.name = "dish " + std::to_string(i);
    });
    // What changes nothing is no edit.
    if (const std::string now = toJson(desk.job()).dump(); now != states.back()) states.push_back(now);
  }
  desk.cancel();
  QCOMPARE(static_cast<std::size_t>(desk.undo().count()), states.size() - 1);
  QVERIFY(desk.modified());
  for (std::size_t i = states.size() - 1; i-- > 0;) {
    desk.undo().undo();
    QCOMPARE(toJson(desk.job()).dump(), states[i]);
  }
  QVERIFY(!desk.undo().canUndo() && !desk.modified());
  for (std::size_t i = 1; i < states.size(); ++i) {
    desk.undo().redo();
    QCOMPARE(toJson(desk.job()).dump(), states[i]);
  }
  // What is saved is what is there, and the history lives on.
  desk.save();
  QVERIFY(!desk.modified());
  QCOMPARE(toJson(readJob(desk.path().toStdString())).dump(), toJson(desk.job()).dump());
  desk.undo().undo();
  QVERIFY(desk.modified());
  desk.cancel();
}

/// Parts that take what they took before, give or take, on a machine that is faster or slower: from the first tenth on what is said of the
/// time that is left is within a factor of two of it, nearly always, and the bar never goes back.
void TestFields::timeLeftIsAboutRight() {
  std::mt19937 random(3);
  std::uniform_real_distribution<double> pace(0.7, 1.5), jitter(0.8, 1.25), size(1, 30), some(0, 1);
  int off = 0, all = 0;
  for (int round = 0; round < 300; ++round) {
    const double machine = pace(random);
    std::vector<double> expected, takes;
    for (int k = 0; k < 2 + round % 6; ++k) {
      const bool remembered = some(random) < 0.2;
      expected.push_back(remembered ? 0.02 : size(random));
      takes.push_back(remembered ? 0.01 : expected.back() * machine * jitter(random));
    }
    const double whole = std::accumulate(takes.begin(), takes.end(), 0.0);
    Countdown c(expected);
    double ends = takes[0], told = 0;
    std::size_t part = 0;
    for (double at = 0.1 * whole; at < whole - 2; at += 0.02 * whole) {
      while (part + 1 < takes.size() && at >= ends) c.ended(ends), ends += takes[++part];
      const double left = c.left(at), ratio = left / (whole - at), f = c.fraction(at);
      ++all, off += ratio > 2 || ratio < 0.5;
      QVERIFY(left >= 1 && f >= told && f <= 1);
      told = f;
    }
    for (; part < takes.size(); ++part) c.ended(whole);
    QCOMPARE(c.left(whole), 0.0);
  }
  QVERIFY2(off < 0.03 * all, qPrintable(QString("%1 of %2").arg(off).arg(all)));
}

void TestFields::refusedEditsAreToldAndChangeNothing() {
  QTemporaryDir dir;
  Desk desk;
  desk.open(writeDish(dir));
  desk.cancel();
  const std::string before = toJson(desk.job()).dump();
  const std::vector<std::pair<const char*, std::function<void(Job&)>>> wrong{
      {"cusp_mm", [](Job& j) { j.steps[0].promises.cusp = 0; }},
      {"cusp_mm", [](Job& j) { j.steps[0].promises.cusp = 9; }},
      {"cutter", [](Job& j) { j.steps[0].cutter = "no such one"; }},
      {"stick_out_mm", [](Job& j) { j.steps[0].stickOut = 3; }},
      {"chord_mm", [](Job& j) { j.steps[0].finishing()->chord = -1; }},
      {"", [](Job& j) { j.cutters[0].diameter = std::nan(""); }},
      {"axis", [](Job& j) { j.steps[0].axis = Vec3::Zero(); }},
      {"lead_deg", [](Job& j) { j.steps[0].finishing()->lead = std::nan(""); }},
      {"allowance_mm", [](Job& j) { j.steps[0].finishing()->allowance = -0.5; }},
      {"rpm", [](Job& j) { j.steps[0].rpm = -1; }},
  };
  for (std::size_t i = 0; i < wrong.size(); ++i) {
    QSignalSpy failed(&desk, &Desk::failed);
    const int history = desk.undo().count();
    desk.attempt("wrong", wrong[i].second);
    QVERIFY2(failed.count() == 1, qPrintable(QString::number(i)));
    const Error& error = *static_cast<const Error*>(failed[0][0].constData());
    QVERIFY(!error.happened.empty() && !error.remedy.empty());
    // It says which row of which step mends it, if it is a step's.
    QCOMPARE(QString::fromStdString(error.field), QString(wrong[i].first));
    QCOMPARE(error.step, *wrong[i].first ? desk.job().steps[0].name : std::string());
    QCOMPARE(toJson(desk.job()).dump(), before);
    QCOMPARE(desk.undo().count(), history);
    QVERIFY_EXCEPTION_THROWN(desk.edit("wrong", wrong[i].second), Error);
    QCOMPARE(toJson(desk.job()).dump(), before);
  }
}

void TestFields::onlyTheLatestJobBecomesCurrent() {
  // Edits that follow each other while the last one is still being computed: when all is quiet, the result is that of the
  // job as it stands, and no result in between called itself complete for another job.
  QTemporaryDir dir;
  Desk desk;
  desk.open(writeDish(dir));
  connect(&desk, &Desk::resultsChanged, &desk, [&] {
    if (!desk.complete()) return;
    QCOMPARE(desk.result().steps.size(), desk.job().steps.size());
    QCOMPARE(desk.result().steps[0]->step.promises.cusp, desk.job().steps[0].promises.cusp);
    QCOMPARE(desk.result().steps[0]->step.as<ParallelPasses>()->angle, desk.job().steps[0].as<ParallelPasses>()->angle);
  });
  for (int i = 0; i < 12; ++i) {
    desk.edit("cusp", [&](Job& j) { j.steps[0].promises.cusp = 0.02 + 0.005 * i, j.steps[0].as<ParallelPasses>()->angle = 0.1 * i; });
    QVERIFY(!desk.complete());
    QTest::qWait(i % 3 == 0 ? 400 : 30); // some computations get far, some are overtaken at once
  }
  QVERIFY(QTest::qWaitFor([&] { return desk.complete() && !desk.computing(); }, 60000));
  QCOMPARE(*desk.result().steps[0]->step.promises.cusp, 0.02 + 0.005 * 11);
  const auto tally = desk.tally();
  QVERIFY(tally[0] + tally[1] + tally[2] + tally[3] >= 4);
}

QTEST_GUILESS_MAIN(TestFields)
#include "tst_fields.moc"
