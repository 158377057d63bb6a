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
#include <random>
#include <set>

using namespace hemline;
using namespace hemline::app;
using dish::someJob;
using dish::writeDish;

class TestFields : public QObject {
  Q_OBJECT
private slots:
  void typed_data();
  void typed();
  void wordsOfAStep_data();
  void wordsOfAStep();
  void everyFieldShowsWhatItReads();
  void setUpIsTyped_data();
  void setUpIsTyped();
  void everySetUpValueShowsWhatItReads();
  void sentencesNameOnlyFields();
  void journalOnlyGrows();
  void coarseStandsIn();
  void assemblyIsAsLongAsItIs();
  void stockFollowsForthAndBack();
  void everyEditIsTakenBack();
  void refusedEditsAreToldAndChangeNothing();
  void onlyTheLatestJobBecomesCurrent();
};

void TestFields::typed_data() {
  QTest::addColumn<QString>("field");
  QTest::addColumn<bool>("inch");
  QTest::addColumn<QString>("text");
  QTest::addColumn<double>("value"); // NaN: refused
  const double no = std::nan("");
  QTest::newRow("bare number is micrometres") << "cusp_mm" << false << "3" << 0.003;
  QTest::newRow("comma") << "cusp_mm" << false << "2,5" << 0.0025;
  QTest::newRow("unit") << "cusp_mm" << false << "0.01 mm" << 0.01;
  QTest::newRow("sum") << "cusp_mm" << false << "3*0.2 um" << 0.0006;
  QTest::newRow("with its words") << "cusp_mm" << false << "at most 4 um" << 0.004;
  QTest::newRow("bare number is tenths") << "cusp_mm" << true << "1" << 0.00254;
  QTest::newRow("inch field in mm") << "cusp_mm" << true << "2 um" << 0.002;
  QTest::newRow("bare over millimetres") << "cusp_mm" << false << "0.1225" << 0.1225;
  QTest::newRow("nothing") << "cusp_mm" << false << "" << no;
  QTest::newRow("zero") << "cusp_mm" << false << "0" << no;
  QTest::newRow("negative") << "cusp_mm" << false << "-2" << no;
  QTest::newRow("words") << "cusp_mm" << false << "fine" << no;
  QTest::newRow("huge") << "cusp_mm" << false << "1 m" << no;
  QTest::newRow("millimetres") << "stick_out" << false << "42" << 42.0;
  QTest::newRow("fraction") << "stick_out" << true << "1 1/2 in" << no; // a blank between is not a sum
  QTest::newRow("fraction as a sum") << "stick_out" << true << "1+1/2" << 38.1;
  QTest::newRow("too short") << "stick_out" << false << "1" << no;
  QTest::newRow("degrees") << "angle" << false << "45°" << radians(45);
  QTest::newRow("degrees, bare") << "angle" << false << "-30" << radians(-30);
  QTest::newRow("degrees out of range") << "angle" << false << "400" << no;
  QTest::newRow("feed") << "feed" << false << "1200 mm/min" << 1200.0;
  QTest::newRow("feed refused") << "feed" << false << "fast" << no;
}

/// What is typed of a step in words: tabs, regions, rails.
void TestFields::wordsOfAStep_data() {
  QTest::addColumn<int>("kind");
  QTest::addColumn<QString>("id");
  QTest::addColumn<QString>("text");
  QTest::addColumn<QString>("shown"); // empty: refused
  const int rough = static_cast<int>(StepKind::LevelRoughing), finish = static_cast<int>(StepKind::ParallelPasses),
            drill = static_cast<int>(StepKind::Drilling);
  QTest::newRow("tabs") << rough << "tabs"
                        << "4, 6 mm, 2 mm"
                        << "4, 6 mm wide, 2 mm thick";
  QTest::newRow("tabs as shown") << rough << "tabs"
                                 << "3, 5 mm wide, 1.5 mm thick"
                                 << "3, 5 mm wide, 1.5 mm thick";
  QTest::newRow("no tabs") << rough << "tabs"
                           << ""
                           << "none";
  QTest::newRow("tabs by halves") << rough << "tabs"
                                  << "2.5, 6, 2"
                                  << "";
  QTest::newRow("tabs without size") << rough << "tabs"
                                     << "4"
                                     << "";
  QTest::newRow("thinned") << rough << "thinning"
                           << "0.5"
                           << "0.5 mm";
  QTest::newRow("not thinned") << rough << "thinning"
                               << ""
                               << "none";
  QTest::newRow("small area") << rough << "least_area"
                              << "12 mm²"
                              << "12 mm²";
  QTest::newRow("area in words") << rough << "least_area"
                                 << "a bit"
                                 << "";
  QTest::newRow("two regions") << finish << "regions"
                               << "rim , bowl"
                               << "rim, bowl";
  QTest::newRow("all ground") << finish << "regions"
                              << "all ground"
                              << "all ground";
  QTest::newRow("no such region") << finish << "regions"
                                  << "moon"
                                  << "";
  QTest::newRow("rail") << finish << "rail"
                        << "edge"
                        << "edge";
  QTest::newRow("rail of roughing") << rough << "rail"
                                    << "edge"
                                    << "edge";
  QTest::newRow("constant engagement") << rough << "engaged"
                                       << "55"
                                       << "55°";
  QTest::newRow("engagement as shown") << rough << "engaged"
                                       << "60°"
                                       << "60°";
  QTest::newRow("no engagement") << rough << "engaged"
                                 << ""
                                 << "none";
  QTest::newRow("engagement of a slot") << rough << "engaged"
                                        << "180"
                                        << "";
  QTest::newRow("smallest loop") << rough << "smallest_loop"
                                 << "1.5"
                                 << "1.5 mm";
  QTest::newRow("by pocket") << rough << "order"
                             << "by pocket"
                             << "by pocket";
  QTest::newRow("as it reaches") << rough << "within_reach"
                                 << "as the assembly reaches"
                                 << "as the assembly reaches";
  QTest::newRow("on the blank") << rough << "from_blank"
                                << "the blank"
                                << "the blank";
  QTest::newRow("regions that keep more") << rough << "own_allowances"
                                          << "rim 2 mm, bowl 1"
                                          << "bowl 1 mm, rim 2 mm";
  QTest::newRow("region without allowance") << rough << "own_allowances"
                                            << "bowl"
                                            << "";
  QTest::newRow("less than the walls") << rough << "own_allowances"
                                       << "bowl 0.1"
                                       << "";
  QTest::newRow("no region keeps more") << rough << "own_allowances"
                                        << "none"
                                        << "none";
  QTest::newRow("directions") << rough << "more_axes"
                              << "0, 2, 0; 0,-1,0"
                              << "0, 1, 0; 0, -1, 0";
  QTest::newRow("sectors") << rough << "more_axes"
                           << "4 sectors about x"
                           << "0, -1, 0; 0, 0, -1; 0, 1, 0";
  QTest::newRow("sectors about the axis") << rough << "more_axes"
                                          << "3 sectors about z"
                                          << "";
  QTest::newRow("a direction of nothing") << rough << "more_axes"
                                          << "0,0,0"
                                          << "";
  QTest::newRow("a direction in words") << rough << "more_axes"
                                        << "up"
                                        << "";
  QTest::newRow("holes") << drill << "holes"
                         << "10, 20; -3,4.5"
                         << "10, 20; -3, 4.5";
  QTest::newRow("no holes") << drill << "holes"
                            << ""
                            << "";
  QTest::newRow("a hole of three") << drill << "holes"
                                   << "1,2,3"
                                   << "";
  QTest::newRow("peck") << drill << "peck"
                        << "2.5"
                        << "2.5 mm";
  QTest::newRow("bottom") << drill << "bottom"
                          << "-4"
                          << "-4 mm";
  QTest::newRow("moved in") << rough << "rail_out"
                            << "-1.5"
                            << "-1.5 mm";
}

void TestFields::wordsOfAStep() {
  QFETCH(int, kind);
  QFETCH(QString, id);
  QFETCH(QString, text);
  QFETCH(QString, shown);
  Job job = someJob();
  job.regions = {{"bowl", RegionUse::Finish, {}, {}, {}, 0}, {"rim", RegionUse::Finish, {}, {}, {}, 0}};
  job.rails = {{"edge", "drawn", true, {{}, {}, {}}}, {"open one", "drawn", false, {{}, {}}}};
  Step& step = job.steps[0];
  step.kind = static_cast<StepKind>(kind), step.tabs = Tabs{2, 3, 1};
  const Field* f = findField(step.kind, id);
  QVERIFY(f && !f->help.isEmpty());
  if (f->choices) QVERIFY(!f->choices(job, step).contains("open one") && f->choices(job, step).contains(text));
  const std::string before = toJson(job).dump();
  try {
    f->set(job, step, text, LengthUnit::Millimetre);
    QCOMPARE(f->show(job, step, LengthUnit::Millimetre), shown);
    QCOMPARE(toJson(jobFromJson(toJson(job), "job")).dump(), toJson(job).dump());
  } catch (const Error& e) {
    QVERIFY2(shown.isEmpty() && !e.remedy.empty(), e.what());
    QCOMPARE(toJson(job).dump(), before);
  }
}

namespace {
/// A job with everything that Hold can show: two clampings, one fixture of each kind in the second.
Job heldJob() {
  Job j = someJob();
  j.clampings.front().workZero = Vec3(0, 0, 50);
  Clamping c;
  c.name = "foot up", c.turns = {{0, kPi}}, c.workZero = Vec3(1, 2, 40), c.dowels = Dowels{0.02, 80, 0.01, {0, 0}};
  c.finding = Finding{}, c.outside = Outside{"hardening", -0.1, 0.2};
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

void TestFields::typed() {
  QFETCH(QString, field);
  QFETCH(bool, inch);
  QFETCH(QString, text);
  QFETCH(double, value);
  Job job = someJob();
  const Field* f = findField(StepKind::ParallelPasses, field);
  QVERIFY(f);
  if (text == "0.1225") job.steps[0].promises.cusp = 0.05; // shown in mm, and so is what is typed over it
  const Step before = job.steps[0];
  bool refused = false;
  try {
    f->set(job, job.steps[0], text, inch ? LengthUnit::Inch : LengthUnit::Millimetre);
  } catch (const Error& e) {
    refused = true;
    QVERIFY(!e.remedy.empty()); // what would be good
  }
  QCOMPARE(refused, std::isnan(value));
  const Step& s = job.steps[0];
  if (refused)
    QCOMPARE(toJson(s).dump(), toJson(before).dump()); // the old value stays
  else
    QVERIFY(std::abs((field == "cusp_mm"     ? *s.promises.cusp
                      : field == "stick_out" ? s.stickOut
                      : field == "angle"     ? s.angle
                                             : s.feed) -
                     value) < 1e-12);
}

void TestFields::everyFieldShowsWhatItReads() {
  for (const StepKind kind : {StepKind::LevelRoughing, StepKind::ParallelPasses, StepKind::Drilling})
    for (const Field& f : fieldsOf(kind)) {
      Job job = someJob();
      job.steps[0].kind = kind;
      job.steps[0].promises = {0.002, 0.001, 0.01, 0.5, radians(90)}, job.steps[0].holes = {{1, 2}};
      QVERIFY2(!f.help.isEmpty() && !f.label.isEmpty(), qPrintable(f.id));
      for (const LengthUnit u : {LengthUnit::Millimetre, LengthUnit::Inch}) {
        const QString shown = f.show(job, job.steps[0], u);
        if (f.choices) QVERIFY2(f.choices(job, job.steps[0]).contains(shown), qPrintable(f.id));
        f.set(job, job.steps[0], shown, u);
        QCOMPARE(f.show(job, job.steps[0], u), shown);
      }
    }
}

void TestFields::sentencesNameOnlyFields() {
  for (const bool follow : {false, true})
    for (const StepKind kind : {StepKind::LevelRoughing, StepKind::ParallelPasses, StepKind::Drilling}) {
      Step s;
      s.kind = kind, s.follow = follow;
      if (follow) s.thinning = 0.5, s.leastThickness = 0.5;
      if (!follow) s.engagement = radians(60);
      int clauses = 0;
      for (const QString& piece : sentenceOf(s))
        if (piece.startsWith('{')) {
          ++clauses;
          QVERIFY2(findField(kind, piece.mid(1, piece.indexOf('}') - 1)), qPrintable(piece));
        }
      QVERIFY(clauses >= 6);
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
  step->planned = planned;
  auto before = std::make_shared<StockState>();
  before->stock = Stock::box({Vec3(-20, -10, -10), Vec3(20, 10, 0)}, 0.5);
  step->before = before;
  const auto other = std::make_shared<StepResult>(*step); // another step with the same path
  std::size_t all = 0;                                    // memory of all kept places
  for (const bool little : {false, true}) {
    StockFollower follower(nullptr, little ? all / 3 : std::size_t{1} << 30);
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
      if (what == 1) s.angle = share;
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

void TestFields::refusedEditsAreToldAndChangeNothing() {
  QTemporaryDir dir;
  Desk desk;
  desk.open(writeDish(dir));
  desk.cancel();
  const std::string before = toJson(desk.job()).dump();
  const std::vector<std::function<void(Job&)>> wrong{
      [](Job& j) { j.steps[0].promises.cusp = 0; },
      [](Job& j) { j.steps[0].promises.cusp = 9; },
      [](Job& j) { j.steps[0].cutter = "no such one"; },
      [](Job& j) { j.steps[0].stickOut = 3; },
      [](Job& j) { j.steps[0].chord = -1; },
      [](Job& j) { j.cutters[0].diameter = std::nan(""); },
      [](Job& j) { j.steps[0].axis = Vec3::Zero(); },
      [](Job& j) { j.steps[0].lead = std::nan(""); },
      [](Job& j) { j.steps[0].allowance = -0.1; },
      [](Job& j) { j.steps[0].rpm = -1; },
  };
  for (std::size_t i = 0; i < wrong.size(); ++i) {
    QSignalSpy failed(&desk, &Desk::failed);
    const int history = desk.undo().count();
    desk.attempt("wrong", wrong[i]);
    QVERIFY2(failed.count() == 1, qPrintable(QString::number(i)));
    QVERIFY(!failed[0][0].toString().isEmpty() && !failed[0][2].toString().isEmpty());
    QCOMPARE(toJson(desk.job()).dump(), before);
    QCOMPARE(desk.undo().count(), history);
    QVERIFY_EXCEPTION_THROWN(desk.edit("wrong", wrong[i]), Error);
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
    QCOMPARE(desk.result().steps[0]->step.angle, desk.job().steps[0].angle);
  });
  for (int i = 0; i < 12; ++i) {
    desk.edit("cusp", [&](Job& j) { j.steps[0].promises.cusp = 0.02 + 0.005 * i, j.steps[0].angle = 0.1 * i; });
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
