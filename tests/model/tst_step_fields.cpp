// Fields of steps: read from what is typed, refused, shown, written; and what is made from their descriptions.
#include "base/file.h"
#include "model/describe.h"
#include "model/field_table.h"
#include "steps.h"
#include <QtTest>
#include <set>

using namespace hemline;
using nlohmann::json;

namespace {

Job someJob() {
  Job j;
  j.cutters = {{"ball 6", CutterKind::Ball, 6}, {"ball 8", CutterKind::Ball, 8}};
  j.holders = {{"slim", {{0, 8, 40, 12}}}};
  Step s;
  s.cutter = "ball 6", s.holder = "slim", s.promises.cusp = 0.002;
  j.steps = {s};
  j.regions = {{"bowl", RegionUse::Finish, {}, {}, {}, 0}, {"rim", RegionUse::Finish, {}, {}, {}, 0}};
  j.rails = {{"edge", "drawn", true, {{}, {}, {}}}, {"open one", "drawn", false, {{}, {}}}};
  return j;
}

/// A step with a value in every field that may have none.
Step fullStep(const StepKind& kind, const Job& job) {
  Step s = job.steps[0];
  s.body = kind.body;
  s.promises = {0.002, 0.001, 0.01, 0.5, radians(90), 0.2};
  s.note = "mind the strap", s.asSet = {39.5, 6.02, 0.01, -0.02}, s.mostForce = 300, s.mostBend = 0.02;
  if (auto* rough = s.as<LevelRoughing>()) {
    rough->tabs = Tabs{2, 3, 1}, rough->engagement = radians(60), rough->smallestLoop = 0.4, rough->belowEdge = 1, rough->bottom = -3;
    rough->own = {{"bowl", 0.9}}, rough->moreAxes = {Vec3::UnitY()}, rough->thinning = 0.5;
  }
  if (auto* drill = s.as<Drilling>()) drill->holes = {{1, 2}}, drill->bottom = -4;
  if (auto* given = s.as<GivenPathStep>()) given->file = "a.nc";
  if (Finishing* f = s.finishing())
    f->regions = {"rim"}, f->patches = {1, 3}, f->pointsApart = 0.8, f->pointsNear = 0.02, f->evenPoints = 0.4, f->fewest = true,
    f->endRadius = 2, f->fillet = 5, f->filletMore = 1;
  if (auto* clean = s.as<CleanUpPasses>()) clean->cutter = s.cutter;
  if (Boundary* within = s.within()) within->rail = "edge", within->railOut = 1, within->points = {{0, 0}, {4, 0}, {4, 3}};
  return s;
}

/// Nobody knows this but its own lines, as a new kind's fields are known by them alone.
struct Invented {
  double width = 2;
  std::optional<double> lean; // radians
  bool twice = false;
  template <class Table> static void describe(Table& t) {
    t.length("invented_width_mm", &Invented::width, "width", "How wide it is.");
    t.angle("invented_lean_deg", &Invented::lean, "lean", "How far it leans. Empty: upright.");
    t.choice("invented_twice", &Invented::twice, "run", "How often.", {"once", "twice"});
  }
};

} // namespace

class TestStepFields : public QObject {
  Q_OBJECT
private slots:
  void numbersAreTyped_data() {
    QTest::addColumn<QString>("field");
    QTest::addColumn<bool>("inch");
    QTest::addColumn<QString>("text");
    QTest::addColumn<double>("value"); // as in the file; NaN: refused
    const double no = std::nan("");
    const auto row = [](const char* what, const char* field, bool inch, const char* text, double value) {
      QTest::newRow(what) << QString(field) << inch << QString::fromUtf8(text) << value;
    };
    row("bare number is micrometres", "cusp_mm", false, "3", 0.003);
    row("comma", "cusp_mm", false, "2,5", 0.0025);
    row("unit", "cusp_mm", false, "0.01 mm", 0.01);
    row("sum", "cusp_mm", false, "3*0.2 um", 0.0006);
    row("with its words", "cusp_mm", false, "at most 4 um", 0.004);
    row("bare number is tenths", "cusp_mm", true, "1", 0.00254);
    row("inch field in mm", "cusp_mm", true, "2 um", 0.002);
    row("bare over millimetres", "cusp_mm", false, "0.1225", 0.1225);
    row("nothing", "cusp_mm", false, "", no);
    row("zero", "cusp_mm", false, "0", no);
    row("negative", "cusp_mm", false, "-2", no);
    row("words", "cusp_mm", false, "fine", no);
    row("huge", "cusp_mm", false, "1 m", no);
    row("millimetres", "stick_out_mm", false, "42", 42.0);
    row("fraction", "stick_out_mm", true, "1 1/2 in", no);
    row("fraction as a sum", "stick_out_mm", true, "1+1/2", 38.1);
    row("too short", "stick_out_mm", false, "0.5", no);
    row("degrees", "angle_deg", false, "45°", 45);
    row("degrees, bare", "angle_deg", false, "-30", -30);
    row("degrees out of range", "angle_deg", false, "400", no);
    row("feed", "feed_mm_min", false, "1200 mm/min", 1200.0);
    row("feed refused", "feed_mm_min", false, "fast", no);
    row("feed from the chip", "feed_mm_min", false, "≤ 1528 mm/min (from chip)", 0);
    row("feed in inches", "feed_mm_min", true, "40", 1016.0);
    row("feed in inches, told", "feed_mm_min", false, "40 in/min", 1016.0);
    row("feed in mm beside inches", "feed_mm_min", true, "1016 mm/min", 1016.0);
    row("speed", "rpm", false, "12000 rpm", 12000);
    row("degrees in letters", "tilt_deg", false, "12 deg", 12);
    row("an eighth of an inch", "stick_out_mm", false, "11/8 in", 34.925);
  }
  void numbersAreTyped() {
    QFETCH(QString, field);
    QFETCH(bool, inch);
    QFETCH(QString, text);
    QFETCH(double, value);
    Job job = someJob();
    const StepField* f = stepKind("parallel passes", "").field(field.toStdString());
    QVERIFY(f);
    if (text == "0.1225") job.steps[0].promises.cusp = 0.05; // shown in mm, and so is what is typed over it
    const Step before = job.steps[0];
    bool refused = false;
    try {
      f->type(job, job.steps[0], text.toStdString(), inch ? LengthUnit::Inch : LengthUnit::Millimetre);
    } catch (const Error& e) {
      refused = true;
      QVERIFY(!e.remedy.empty()); // what would be good
    }
    QCOMPARE(refused, std::isnan(value));
    if (refused)
      QCOMPARE(toJson(job.steps[0]).dump(), toJson(before).dump()); // the old value stays
    else
      QVERIFY(std::abs(f->get(job.steps[0]).get<double>() - value) < 1e-9);
  }

  void wordsAreTyped_data() {
    QTest::addColumn<QString>("kind");
    QTest::addColumn<QString>("id");
    QTest::addColumn<QString>("text");
    QTest::addColumn<QString>("shown"); // empty: refused
    const auto row = [](const char* what, const char* kind, const char* id, const char* text, const char* shown) {
      QTest::newRow(what) << QString(kind) << QString(id) << QString::fromUtf8(text) << QString::fromUtf8(shown);
    };
    row("tabs", "level roughing", "tabs", "4, 6 mm, 2 mm", "4, 6 mm wide, 2 mm thick");
    row("tabs as shown", "level roughing", "tabs", "3, 5 mm wide, 1.5 mm thick", "3, 5 mm wide, 1.5 mm thick");
    row("no tabs", "level roughing", "tabs", "", "none");
    row("tabs by halves", "level roughing", "tabs", "2.5, 6, 2", "");
    row("tabs without size", "level roughing", "tabs", "4", "");
    row("thinned", "level roughing", "thinned_to_mm", "0.5", "0.5 mm");
    row("not thinned", "level roughing", "thinned_to_mm", "", "none");
    row("small area", "level roughing", "least_area_mm2", "12 mm²", "12 mm²");
    row("area in words", "level roughing", "least_area_mm2", "a bit", "");
    row("two regions", "parallel passes", "regions", "rim , bowl", "rim, bowl");
    row("all ground", "parallel passes", "regions", "all ground", "all ground");
    row("no such region", "parallel passes", "regions", "moon", "");
    row("rail", "parallel passes", "rail", "edge", "edge");
    row("rail of roughing", "level roughing", "rail", "edge", "edge");
    row("constant engagement", "level roughing", "constant_engagement_deg", "55", "55°");
    row("engagement as shown", "level roughing", "constant_engagement_deg", "60°", "60°");
    row("no engagement", "level roughing", "constant_engagement_deg", "", "none");
    row("engagement of a slot", "level roughing", "constant_engagement_deg", "180", "");
    row("smallest loop", "level roughing", "smallest_loop_mm", "1.5", "1.5 mm");
    row("by pocket", "level roughing", "by_region", "by pocket", "by pocket");
    row("as it reaches", "level roughing", "within_reach", "as the assembly reaches", "as the assembly reaches");
    row("on the blank", "level roughing", "from_blank", "the blank", "the blank");
    row("regions that keep more", "level roughing", "allowances", "rim 2 mm, bowl 1", "bowl 1 mm, rim 2 mm");
    row("region without allowance", "level roughing", "allowances", "bowl", "");
    row("less than the walls", "level roughing", "allowances", "bowl 0.1", "");
    row("no region keeps more", "level roughing", "allowances", "none", "none");
    row("directions", "level roughing", "more_axes", "0, 2, 0; 0,-1,0", "0, 1, 0; 0, -1, 0");
    row("sectors", "level roughing", "more_axes", "4 sectors about x", "0, -1, 0; 0, 0, -1; 0, 1, 0");
    row("sectors about the axis", "level roughing", "more_axes", "3 sectors about z", "");
    row("a direction of nothing", "level roughing", "more_axes", "0,0,0", "");
    row("a direction in words", "level roughing", "more_axes", "up", "");
    row("holes", "drilling", "holes_mm", "10, 20; -3,4.5", "10, 20; -3, 4.5");
    row("no holes", "drilling", "holes_mm", "", "");
    row("a hole of three", "drilling", "holes_mm", "1,2,3", "");
    row("peck", "drilling", "peck_mm", "2.5", "2.5 mm");
    row("bottom", "drilling", "bottom_mm", "-4", "-4 mm");
    row("moved in", "level roughing", "rail_out_mm", "-1.5", "-1.5 mm");
    row("an open rail", "level roughing", "rail", "open one", "");
    row("patches", "parallel passes", "patches", "3, 4", "3, 4");
    row("half a patch", "parallel passes", "patches", "3.5", "");
    row("a boundary", "parallel passes", "boundary_mm", "0, 0; 4, 0; 4, 3", "0, 0; 4, 0; 4, 3");
    row("what the boundary holds", "parallel passes", "boundary_meaning", "whole cutter", "whole cutter");
    row("a flag as in the file", "level roughing", "by_region", "true", "by pocket");
    row("an axis", "level roughing", "axis", "0, 3, 0", "0, 1, 0");
    row("no axis", "level roughing", "axis", "0, 0, 0", "");
    row("cutter number", "given path", "program_tool", "T3", "3");
    row("half a cutter", "given path", "program_tool", "2.5", "");
    row("no file", "given path", "path_file", " ", "");
    row("a cusp is not promised", "given path", "cusp_mm", "", "not promised");
    row("a cutter that is not there", "drilling", "cutter", "spoon", "");
    row("a clamping by number", "drilling", "clamping", "1", "clamping 1");
    row("no such clamping", "drilling", "clamping", "2", "");
  }
  void wordsAreTyped() {
    QFETCH(QString, kind);
    QFETCH(QString, id);
    QFETCH(QString, text);
    QFETCH(QString, shown);
    Job job = someJob();
    Step& step = job.steps[0];
    step.body = stepKind(kind.toStdString(), "").body;
    if (auto* rough = step.as<LevelRoughing>()) rough->tabs = Tabs{2, 3, 1};
    if (id == "rail_out_mm") step.within()->rail = "edge"; // without one it says nothing
    const StepField* f = kindOf(step).field(id.toStdString());
    QVERIFY(f && !f->help.empty());
    const std::string before = toJson(job).dump();
    try {
      f->type(job, step, text.toStdString(), LengthUnit::Millimetre);
      QCOMPARE(QString::fromStdString(f->show(job, step, LengthUnit::Millimetre)), shown);
      QCOMPARE(toJson(jobFromJson(toJson(job), "job")).dump(), toJson(job).dump());
    } catch (const Error& e) {
      QVERIFY2(shown.isEmpty() && !e.remedy.empty(), e.what());
      QCOMPARE(toJson(job).dump(), before);
    }
  }

  /// A field is described in one place: file, schema, range, words, typing come from that.
  void aFieldIsDescribedOnce() {
    std::vector<StepField> fields;
    Invented value;
    FieldTable<Invented> table(fields, [&](Step&) -> Invented& { return value; });
    Invented::describe(table);
    QCOMPARE(fields.size(), std::size_t{3});
    Job job = someJob();
    Step& step = job.steps[0];
    const std::vector<std::array<const char*, 3>> typed{{"1/4 in", "6.35 mm", "6.35"}, {"12", "12°", "12.0"}, {"twice", "twice", "true"}};
    json file = json::object();
    for (std::size_t k = 0; k < fields.size(); ++k) {
      const StepField& f = fields[k];
      f.type(job, step, typed[k][0], LengthUnit::Millimetre);
      QCOMPARE(f.show(job, step, LengthUnit::Millimetre), std::string(typed[k][1]));
      QCOMPARE(f.get(step).dump(), std::string(typed[k][2]));
      QVERIFY(f.row && !f.help.empty() && f.schema["description"] == f.help && f.schema.contains("type"));
      file[f.name] = f.get(step);
    }
    QVERIFY(std::abs(*value.lean - radians(12)) < 1e-12 && value.twice);
    value = {};
    for (const StepField& f : fields) f.read(step, Reader(file, "step"));
    QVERIFY(value.width == 6.35 && std::abs(*value.lean - radians(12)) < 1e-12 && value.twice);
    QVERIFY_EXCEPTION_THROWN(fields[0].type(job, step, "wide", LengthUnit::Millimetre), Error);
    QVERIFY_EXCEPTION_THROWN(fields[1].type(job, step, "9000", LengthUnit::Millimetre), Error); // the range of its ending
    fields[1].type(job, step, "", LengthUnit::Millimetre);
    QVERIFY(!value.lean && fields[1].get(step).is_null());
  }

  /// What is shown can be typed again as it stands, in both units; and what is written is read again, to the last field.
  void everyFieldReadsWhatItShowsAndWrites() {
    for (const StepKind& kind : stepKinds()) {
      std::set<std::string> ids;
      Job job = someJob();
      job.steps[0] = fullStep(kind, job);
      const json written = toJson(job.steps[0]);
      QCOMPARE(toJson(stepFromJson(written, "step")).dump(), written.dump());
      for (const StepField& f : kind.fields) {
        const std::string name = kind.id + ", " + f.id;
        QVERIFY2(ids.insert(f.id).second, name.c_str()); // one name, one field
        QVERIFY2(!f.help.empty() && !f.label.empty() && f.schema.contains("description"), name.c_str());
        QVERIFY2(!f.stored || !f.get(job.steps[0]).is_null(), name.c_str()); // or the step above lacks it
        for (const LengthUnit u : {LengthUnit::Millimetre, LengthUnit::Inch}) {
          Job other = job;
          const std::string shown = f.show(other, other.steps[0], u);
          if (f.choices) {
            const auto choices = f.choices(other, other.steps[0]);
            QVERIFY2(std::find(choices.begin(), choices.end(), shown) != choices.end(), name.c_str());
          }
          f.type(other, other.steps[0], shown, u);
          QVERIFY2(f.show(other, other.steps[0], u) == shown, name.c_str());
        }
      }
    }
  }

  void sentencesNameOnlyFields() {
    for (const StepKind& kind : stepKinds())
      for (const bool full : {false, true}) {
        Job job = someJob();
        if (full)
          job.steps[0] = fullStep(kind, job);
        else
          job.steps[0].body = kind.body;
        int clauses = 0;
        for (const std::string& piece : kind.sentence(job.steps[0]))
          if (piece.front() == '{') {
            ++clauses;
            QVERIFY2(kind.field(piece.substr(1, piece.find('}') - 1)), piece.c_str());
          }
        QVERIFY(clauses >= 4 && sentenceText(job, job.steps[0], LengthUnit::Millimetre).find('{') == std::string::npos);
      }
  }

  /// Unknown fields stay; those of format 2 are read under their new names.
  void olderStepsAreRead() {
    json job = toJson(someJob());
    job["hemline_job"] = 2;
    job["steps"][0] = {{"kind", "level roughing"}, {"cutter", "ball 6"}, {"holder", "slim"},
                       {"engagement_deg", 60},     {"later", 7},         {"promises", {{"engagement_deg", 90}, {"idea", 1}}}};
    const Job read = jobFromJson(job, "job");
    QVERIFY(std::abs(*levels(read.steps[0]).engagement - radians(60)) < 1e-12 &&
            std::abs(*read.steps[0].promises.engagement - radians(90)) < 1e-12);
    const json again = toJson(read)["steps"][0];
    QVERIFY(again["later"] == 7 && again["promises"]["idea"] == 1 && !again.contains("engagement_deg") &&
            again["constant_engagement_deg"] == 60);
  }

  void fieldsAreMeantByAnyOfTheirNames() {
    const StepKind& rough = stepKind("level roughing", "");
    for (const char* word : {"depth_mm", "depth", "level spacing"}) QCOMPARE(fieldMeant(rough, word, "x").id, std::string("depth_mm"));
    QCOMPARE(fieldMeant(rough, "engagement_deg", "x").id, std::string("engagement_deg"));
    for (const char* word : {"diameter", "runout_mm"}) QVERIFY(fieldMeant(rough, word, "x").id.starts_with("as_set."));
    QVERIFY_EXCEPTION_THROWN(fieldMeant(rough, "zigzag", "x"), Error);
    QVERIFY_EXCEPTION_THROWN(stepKind("whittling", "x"), Error);
  }

  /// Schema and documentation are what the descriptions make of them (`./dev docs` writes them).
  void documentsAreCurrent() {
    const std::string schema = readFile(HEMLINE_SOURCE "/docs/job.schema.json"), format = readFile(HEMLINE_SOURCE "/docs/job-format.md");
    QVERIFY(withStepSchema(json::parse(schema)).dump(1) + "\n" == schema);
    QVERIFY(format.find(kindsMarkdown()) != std::string::npos);
  }
};

QTEST_APPLESS_MAIN(TestStepFields)
#include "tst_step_fields.moc"
