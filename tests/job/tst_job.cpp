#include "base/file.h"
#include "base/threads.h"
#include "command_line.h"
#include "job/estimate.h"
#include "job/report.h"
#include "plan/new_job.h"
#include "shapes.h"
#include "steps.h"
#include <QTemporaryDir>
#include <QtTest>

using namespace hemline;
using nlohmann::json;

class TestJob : public QObject {
  Q_OBJECT
  QTemporaryDir dir_;
  std::string jobPath_;

  std::string path(const char* name) const { return dir_.filePath(name).toStdString(); }

private slots:
  void initTestCase() {
    // A small dish: everything runs on it in seconds.
    const auto part = shapes::field(-12, 12, -9, 9, 60, 45, [](double x, double y) { return -4 + 0.02 * (x * x + y * y); });
    writeStl(path("dish.stl"), part->mesh);
    NewJobOptions o;
    o.unit = LengthUnit::Millimetre, o.cusp = 0.02, o.margin = 1, o.data = HEMLINE_SOURCE "/data";
    o.cutters = {"bull nose 8 r1", "ball 6"};
    jobPath_ = path("dish.hemline");
    Progress quiet;
    writeJob(jobPath_, newJob(path("dish.stl"), jobPath_, o, quiet));
  }

  /// Summits, hollows and saddles of many heights, which no level passes through all of: nothing is left beside them.
  void levelsReachSummitsAndSaddles_data() {
    QTest::addColumn<bool>("upward");
    QTest::newRow("downward") << false;
    QTest::newRow("upward") << true;
  }
  void levelsReachSummitsAndSaddles() {
    QFETCH(bool, upward);
    const auto part = shapes::field(-7, 7, -7, 7, 50, 50,
                                    [](double x, double y) { return -3 + std::sin(x / 2.3) * std::sin(y / 2.3) + 0.02 * x + 0.013 * y; });
    writeStl(path("eggs.stl"), part->mesh);
    Job job = readJob(jobPath_);
    job.partFile = "eggs.stl", job.partHash.clear();
    LevelPasses levels;
    levels.finish = *job.steps[1].finishing(), levels.upward = upward;
    levels.finish.slopeFrom = 0;
    job.steps.erase(job.steps.begin());
    job.steps[0].body = levels, job.steps[0].cutter = "ball 6";
    Evaluator evaluator;
    Progress quiet;
    const JobResult r = evaluator.evaluate(job, path("eggs.hemline"), quiet);
    const auto& promises = r.steps[0]->promises;
    const auto cusp = std::find_if(promises.begin(), promises.end(), [](const PromiseResult& p) { return p.name == "cusp_mm"; });
    const QString told =
        QString("%1 to %2 um; %3").arg(1e3 * cusp->measured).arg(1e3 * cusp->bound).arg(r.steps[0]->planned->summary.c_str());
    if (qEnvironmentVariableIsSet("TELL")) qInfo().noquote() << told;
    QVERIFY2(cusp->verdict == Verdict::Kept, qPrintable(told));
    QVERIFY2(r.steps[0]->planned->summary.find("short ones") != std::string::npos, qPrintable(told));
  }

  /// What a step before left under virtual fillets, or on slopes that it was kept from, is cleaned up to where it left less; what both
  /// leave together is measured apart.
  void whatTheStepsBeforeLeaveIsCleanedUp_data() {
    QTest::addColumn<bool>("fillets");
    QTest::newRow("fillets") << true;
    QTest::newRow("slopes") << false;
  }
  void whatTheStepsBeforeLeaveIsCleanedUp() {
    QFETCH(bool, fillets);
    constexpr double kLeft = 0.03, kFillet = 8;
    const auto part = fillets ? partFromTriangles(shapes::groove(0.6, 0, 0.5), "groove", 3.0)
                              : shapes::field(-7, 7, -7, 7, 50, 50, [](double x, double y) { return std::sin(x / 2) * std::sin(y / 2.5); });
    writeStl(path("before.stl"), part->mesh);
    Job job = readJob(jobPath_);
    job.partFile = "before.stl", job.partHash.clear();
    job.steps.erase(job.steps.begin());
    Finishing finish = *job.steps[0].finishing();
    ConstantCuspPasses first;
    CleanUpPasses clean;
    first.finish = clean.finish = finish;
    if (fillets)
      first.finish.fillet = kFillet;
    else
      first.finish.slopeTo = radians(14);
    clean.really = true, clean.leftMore = kLeft;
    job.steps[0].body = first, job.steps[0].cutter = "ball 6", job.steps[0].promises.cusp = 0.01;
    job.steps.push_back(job.steps[0]);
    job.steps[1].body = clean, job.steps[1].name = "clean up";
    Evaluator evaluator;
    Progress quiet;
    const JobResult r = evaluator.evaluate(job, path("before.hemline"), quiet);
    const auto& promises = r.steps[1]->promises;
    const auto cusp = std::find_if(promises.begin(), promises.end(), [](const PromiseResult& p) { return p.name == "cusp_mm"; });
    // How far from the groove's bottom ground is cleaned up; what is left by both, along the normal, off corners that the ball cannot
    // enter.
    const Profile ball = makeProfile(job.cutter("ball 6"));
    const Sweep one(ball, r.steps[0]->planned->path), both(ball, r.steps[1]->planned->path);
    double far = 0, most = 0, before = 0;
    for (const Location& l : r.steps[1]->planned->path.locations)
      if (l.motion == Motion::Cut && l.contact.x() > 3 && l.contact.x() < 27) far = std::max(far, std::abs(l.contact.y()));
    const double corner = 3 * std::sin(std::atan(0.6));
    for (std::size_t t = 0; t < r.part->mesh.triangles.size(); ++t) {
      const Vec3 p = (r.part->mesh.corner(t, 0) + r.part->mesh.corner(t, 1) + r.part->mesh.corner(t, 2)) / 3,
                 n = r.part->mesh.facetNormal(t);
      if (n.z() < 0.3 || (fillets && std::abs(p.y()) < corner + 0.05)) continue;
      const double a = one.firstEntry(p, n, 0.5, 5).t, b = both.firstEntry(p, n, 0.5, 5).t;
      most = std::max(most, std::min(a, b)), before = std::max(before, a);
    }
    const double wanted = kFillet * std::sin(std::atan(0.6)) - std::sqrt(2 * kFillet * kLeft - kLeft * kLeft) * std::cos(std::atan(0.6));
    const QString told = QString("%1 to %2 um, %3 mm (%4 wanted), %5 before, %6 left; %7")
                             .arg(1e3 * cusp->measured)
                             .arg(1e3 * cusp->bound)
                             .arg(far)
                             .arg(wanted)
                             .arg(before)
                             .arg(most)
                             .arg(r.steps[1]->planned->summary.c_str());
    if (qEnvironmentVariableIsSet("TELL")) qInfo().noquote() << told;
    for (const PromiseResult& k : r.steps[0]->promises)
      if (k.name == "cusp_mm") QVERIFY2(k.verdict == Verdict::Kept, qPrintable(QString("before: %1 um").arg(1e3 * k.bound)));
    QVERIFY2(cusp->verdict == Verdict::Kept && before > 0.1, qPrintable(told));
    QVERIFY2(most < kLeft + 1e-3, qPrintable(told));
    if (fillets) QVERIFY2(std::abs(far - wanted) < 0.5, qPrintable(told));
    // Nothing is left of what is there: told, with what mends it.
    CleanUpPasses more = clean;
    more.leftMore = 90;
    job.steps[1].body = more;
    std::string field;
    try {
      evaluator.evaluate(job, path("before.hemline"), quiet);
    } catch (const Error& e) {
      field = e.field;
    }
    QCOMPARE(field, std::string("left_more_than_mm"));
    job.steps.erase(job.steps.begin());
    QVERIFY_EXCEPTION_THROWN(checkJob(job), Error);
  }

  void aWeakSpindleIsACaution() {
    // The same roughing on a spindle that gives a twenty-fifth: told with its place, holding nothing; more than it turns is another matter.
    Job job = readJob(jobPath_);
    job.material = Material{"steel", 1900, 0.25, 210000, 7.8};
    Evaluator evaluator;
    Progress quiet;
    const JobResult strong = evaluator.evaluate(job, jobPath_, quiet, 1);
    QVERIFY(strong.steps[0]->effort && strong.steps[0]->effort->power > 1 && strong.steps[0]->texts(Severity::Caution).empty());
    json machine = json::parse(readFile(HEMLINE_SOURCE "/data/machines/mill-3.json"));
    for (json& p : machine["spindle_rpm_nm"]) p[1] = p[1].get<double>() / 25;
    writeFileSafely(path("weak.json"), machine.dump());
    job.machineFile = path("weak.json");
    const JobResult weak = evaluator.evaluate(job, jobPath_, quiet, 1);
    QCOMPARE(weak.steps[0]->texts(Severity::Caution).size(), 1u);
    const std::string told = weak.steps[0]->texts(Severity::Caution)[0];
    QVERIFY2(told.find("the spindle gives") != std::string::npos && weak.steps[0]->found(Code::OverLoad), told.c_str());
    QVERIFY(std::abs(weak.steps[0]->effort->torque - strong.steps[0]->effort->torque) < 1e-12 &&
            weak.steps[0]->texts(Severity::Blocker).empty());
    QVERIFY(reportText(job, weak, judgeRelease(job, weak, {})).find("caution: goes over limits of its load") != std::string::npos);
    const json found = reportJson(job, jobPath_, weak, judgeRelease(job, weak, {}))["steps"][0]["findings"][0];
    QVERIFY(found["code"] == "over load" && found["severity"] == "caution" && found["field"] == "feed_by_load" && found["text"] == told);
    const FeedPlan& feeds = *weak.steps[0]->feeds;
    QVERIFY(!feeds.over.empty() && feeds.over[0].what == "torque" && feeds.remains.empty() && feeds.slowest < 0.9);
    // Feeds that follow the load: the same places, cut and proven but once; slower, and within the limit.
    const std::size_t cuts = evaluator.computed("cut"), plans = evaluator.computed("plan");
    job.steps[0].feedByLoad = true;
    const JobResult fed = evaluator.evaluate(job, jobPath_, quiet, 1);
    QVERIFY(evaluator.computed("cut") == cuts && evaluator.computed("plan") == plans && fed.steps[0]->texts(Severity::Caution).empty());
    const double allowed = *torqueAt(*fed.machine, fed.steps[0]->rpm);
    QVERIFY(fed.steps[0]->effort->torque <= allowed * 1.001 && fed.steps[0]->effort->torque > 0.8 * allowed);
    QVERIFY(std::abs(fed.time - feeds.time) < 1e-6 && fed.time != weak.time);
    std::set<long> words;
    const auto &a = weak.steps[0]->planned->path.locations, &b = fed.steps[0]->planned->path.locations;
    QCOMPARE(a.size(), b.size());
    for (std::size_t i = 0; i < a.size(); ++i) {
      QVERIFY(a[i].tip == b[i].tip && b[i].feed <= kMostFeed * a[i].feed + 1e-9 && b[i].feed >= kLeastFeed * a[i].feed - 1e-9);
      words.insert(std::lround(60 * b[i].feed));
    }
    QVERIFY(words.size() > 5);
    job.material.reset();
    QCOMPARE(evaluator.evaluate(job, jobPath_, quiet, 1).steps[0]->texts(Severity::Caution).size(), 1u); // no load is known
    QCOMPARE(reportJson(job, jobPath_, weak, judgeRelease(job, weak, {}))["steps"][0]["cautions"].size(), 1u);
    for (const std::string& held : linesOf(releaseHeldBy(job, weak))) QVERIFY2(held.find("N m") == std::string::npos, held.c_str());
    // The report's arc that 99 % of the length stays within lies between mean and largest.
    const json step = reportJson(job, jobPath_, strong, judgeRelease(job, strong, {}))["steps"][0];
    QVERIFY(step["engagement_p99_deg"] <= step["engagement_deg"] && step["engagement_p99_deg"] >= step["mean_engagement_deg"]);
  }

  void unknownFieldsSurviveSaving() {
    json j = json::parse(readFile(jobPath_));
    j["later"] = {{"idea", 7}};
    j["steps"][0]["later"] = "x";
    const json back = toJson(jobFromJson(j, "job"));
    QCOMPARE(back.dump(), toJson(jobFromJson(back, "job")).dump());
    QVERIFY(back["later"]["idea"] == 7 && back["steps"][0]["later"] == "x");
  }

  /// Every field that is written is in the schema with the right type, and what the schema requires is written.
  static void fits(const json& value, const json& any, const std::string& where) {
    const auto kinds = any.value("oneOf", json::array());
    const auto kind = std::find_if(kinds.begin(), kinds.end(), [&](const json& k) {
      return value.is_object() && k.contains("properties") && k["properties"]["kind"]["const"] == value["kind"];
    });
    json schema = kind == kinds.end() ? any : *kind;
    if (kind != kinds.end()) schema["type"] = "object";
    if (schema.contains("enum"))
      QVERIFY2(std::find(schema["enum"].begin(), schema["enum"].end(), value) != schema["enum"].end(), where.c_str());
    if (!schema.contains("type")) return;
    const std::string type = schema["type"];
    const bool good = type == "object"    ? value.is_object()
                      : type == "array"   ? value.is_array()
                      : type == "string"  ? value.is_string()
                      : type == "integer" ? value.is_number_integer()
                      : type == "number"  ? value.is_number()
                                          : value.is_boolean();
    QVERIFY2(good, where.c_str());
    if (schema.contains("minimum")) QVERIFY2(value.get<double>() >= schema["minimum"].get<double>(), where.c_str());
    if (schema.contains("exclusiveMinimum")) QVERIFY2(value.get<double>() > schema["exclusiveMinimum"].get<double>(), where.c_str());
    if (schema.contains("maximum")) QVERIFY2(value.get<double>() <= schema["maximum"].get<double>(), where.c_str());
    if (value.is_object()) {
      for (const json& needed : schema.value("required", json::array()))
        QVERIFY2(value.contains(needed.get<std::string>()), (where + "/" + needed.get<std::string>()).c_str());
      for (const auto& [key, v] : value.items()) {
        QVERIFY2(schema["properties"].contains(key), (where + "/" + key).c_str());
        fits(v, schema["properties"][key], where + "/" + key);
      }
    }
    if (value.is_array() && schema.contains("items"))
      for (const json& v : value) fits(v, schema["items"], where + "[]");
  }

  void whatIsWrittenFitsTheSchema() {
    const json schema = json::parse(readFile(HEMLINE_SOURCE "/docs/job.schema.json"));
    Job full = readJob(jobPath_); // one step of each kind, and everything that is optional
    full.partUnit = LengthUnit::Inch;
    full.material = Material{"steel", 1900, 0.25, 210000, 7.8};
    full.clampings.resize(2);
    Clamping& second = full.clampings[1];
    second.turns = {{0, radians(180)}, {2, radians(90)}}, second.workZero = Vec3(1, -2, 3), second.origin = Vec3(4, 5, 6);
    second.dowels = Dowels{0.02, 80, 0.01, {1, 2}}, second.tailstock = true;
    second.finding = ZeroFinding{}, second.outside = Outside{"hardening", -0.1, 0.2};
    for (const FixtureKind kind : fixtureKinds()) {
      Fixture f;
      f.name = fixtureName(kind), f.kind = kind, f.box = {Vec3(0, 0, 0), Vec3(1, 1, 1)}, f.file = "jaw.stl", f.force = 900;
      second.fixtures.push_back(f);
    }
    full.waivers = {{"s", "cusp_mm", "lead", "why", "2026-01-01", "abc", 0.1}};
    for (Step& s : full.steps) s.promises = {0.002, 0.001, 0.01, 0.5, radians(90)}, s.within()->points = {{0, 0}, {1, 0}, {1, 1}};
    levels(full.steps[0]).bottom = -3, levels(full.steps[0]).belowEdge = 2, full.steps[1].finishing()->patches = {1};
    full.cutters = shapes::cutters();
    const Mark mark{Vec3(1, 2, 3), Vec3(0, 0.6, 0.8)};
    full.rails = {{"edge", "drawn", true, {mark, {Vec3(4, 5, 6), Vec3::Zero()}, mark}}};
    Region region{"bowl", RegionUse::Finish, 0.002, 0.01, {}, -1.5};
    for (const auto& what :
         std::vector<decltype(Piece::what)>{PatchPiece{"face 3", 12, {mark, mark}}, SlopePiece{0.1, 0.5, Vec3(0, 0.6, 0.8)},
                                            RadiusPiece{1, 4}, GrownPiece{mark, 0.2}, PaintPiece{{mark}, 3}, RailPiece{"edge", mark}})
      region.pieces.push_back({static_cast<PieceMode>(region.pieces.size() % 3), what});
    full.regions = {region, {"lip", RegionUse::Protected, {}, {}, {}, 0}};
    full.steps[1].finishing()->regions = {"bowl"}, full.steps[0].within()->rail = "edge", full.steps[0].within()->railOut = 2;
    full.steps[0].feedByLoad = full.steps[0].ownProgram = true, full.steps[0].mostForce = 300, full.steps[0].mostBend = 0.02;
    LevelRoughing& rough = levels(full.steps[0]);
    rough.tabs = Tabs{3, 5, 1.5}, rough.thinning = 0.4, rough.leastThickness = 0.2, rough.leastArea = 3;
    QCOMPARE(toJson(jobFromJson(toJson(full), "full")).dump(), toJson(full).dump());
    for (const char* kind : {"box", "cylinder", "offset", "mesh"}) {
      full.stock.kind = kind, full.stock.radius = full.stock.height = 5, full.stock.file = "x.stl";
      json written = toJson(full);
      fits(written, schema, "job");
    }
    for (const char* demo :
         {"paddle-mould", "mould-chain", "fairing-tool", "rudder-horn", "ventilator-blade", "reflector-tool", "pocket-insert"})
      fits(json::parse(readFile(std::string(HEMLINE_SOURCE "/demo/") + demo + ".hemline")), schema, demo);
  }

  void coverageCountsWhatNobodyFinishes() {
    Job job = readJob(jobPath_);
    job.steps[1].within()->points = {{-30, -30}, {0, -30}, {0, 30}, {-30, 30}}; // half of the dish
    Evaluator evaluator;
    Progress quiet;
    const JobResult r = evaluator.evaluate(job, jobPath_, quiet);
    const double all = r.part->mesh.area();
    QVERIFY(std::abs(r.coverage.finished + r.coverage.touched + r.coverage.left + r.coverage.forgotten - all) < 1e-6 * all);
    QVERIFY(std::abs(r.coverage.finished / all - 0.5) < 0.03);
    QVERIFY(std::abs(r.coverage.forgotten / all - 0.5) < 0.03);
    // By facet: nothing of the other half counts as finished.
    for (std::size_t t = 0; t < r.coverage.state.size(); ++t)
      if (r.part->mesh.corner(t, 0).x() > 0.5) QVERIFY(r.coverage.state[t] == Covered::Forgotten);
  }

  void waiverLapsesWhenTheResultGetsWorse() {
    Job job = readJob(jobPath_);
    job.steps[0].promises.engagement = radians(60); // a slot will break it
    Evaluator evaluator;
    Progress quiet;
    const auto engagement = [&](const Job& j, Verdict& verdict, double& bound, std::string& key) {
      const JobResult r = evaluator.evaluate(j, jobPath_, quiet, 1);
      for (const PromiseResult& p : r.steps[0]->promises)
        if (p.name == "engagement_deg") verdict = p.verdict, bound = p.bound;
      key = r.steps[0]->key.text();
    };
    Verdict v = Verdict::Kept;
    double bound = 0;
    std::string key, other;
    engagement(job, v, bound, key);
    QCOMPARE(v, Verdict::Broken);
    job.waivers = {{job.steps[0].name, "engagement_deg", "lead", "soft material", "today", key, bound}};
    engagement(job, v, bound, other);
    QCOMPARE(v, Verdict::Waived);
    QCOMPARE(other, key);             // the waiver itself does not change what it was given for
    job.waivers[0].bound = bound - 5; // given for a better result of other content
    job.waivers[0].key = "another content";
    engagement(job, v, bound, other);
    QCOMPARE(v, Verdict::Broken);
  }

  void badJobsAreNamedClearly_data() {
    QTest::addColumn<QString>("pointer");
    QTest::addColumn<QString>("value");
    QTest::addColumn<QString>("says");
    QTest::newRow("newer version") << "/hemline_job"
                                   << "99"
                                   << "newer version";
    QTest::newRow("missing model") << "/part/file"
                                   << "\"gone.stl\""
                                   << "no such file";
    QTest::newRow("changed model") << "/part/hash"
                                   << "\"1234\""
                                   << "has changed";
    QTest::newRow("cusp 0") << "/steps/1/promises/cusp_mm"
                            << "0"
                            << "cusp";
    QTest::newRow("cusp larger than the cutter") << "/steps/1/promises/cusp_mm"
                                                 << "9"
                                                 << "larger than";
    QTest::newRow("stick-out shorter than the flutes") << "/steps/1/stick_out_mm"
                                                       << "3"
                                                       << "shorter than the flutes";
    const char* ofClampings[][4] = {
        {"no clamping", "/clampings", "[]", "at least one"},
        {"clampings that are none", "/clampings", "7", "a list"},
        {"a step of no clamping", "/steps/0/clamping", "3", "no clamping 3"},
        {"half a clamping", "/steps/0/clamping", "1.5", "a number from 1"},
        {"turned about nothing", "/clampings/0/turns", "[{\"about\": \"w\", \"degrees\": 90}]", "x, y or z"},
        {"unknown fixture", "/clampings/0/fixtures", "[{\"kind\": \"glue\"}]", "jaws"},
        {"a box without size", "/clampings/0/fixtures", "[{\"name\": \"stop\", \"low_mm\": [0, 0, 0], \"high_mm\": [1, 1, 0]}]", "no size"},
        {"jaws wider than they open", "/clampings/0/fixtures", "[{\"kind\": \"jaws\", \"opening_mm\": 90, \"most_opening_mm\": 80}]",
         "open 80 mm at most"},
        {"a fixture's file is gone", "/clampings/0/fixtures", "[{\"kind\": \"mesh\", \"file\": \"gone.stl\"}]", "no such file"},
        {"a force below nothing", "/clampings/0/fixtures", "[{\"kind\": \"jaws\", \"force_N\": -5}]", "'force_N' is -5"},
        {"dowels in one place", "/clampings/0/dowels", "{\"span_mm\": 0}", "span_mm"},
        {"found by looking", "/clampings/0/finding", "{\"by\": \"eye\"}", "two sides"},
        {"grown less than least", "/clampings/0/outside", "{\"least_mm\": 1, \"most_mm\": 0}", "most_mm"},
        {"a material without force", "/material", "{\"name\": \"butter\"}", "kc11_N_mm2"},
        {"a staircase thinned by its own steps", "/steps/0/thinned_to_mm", "50", "as high as its own"},
        {"an engagement that cannot be kept", "/steps/0/constant_engagement_deg", "5", "10 to 120"},
        {"a loop wider than the cutter", "/steps/0/smallest_loop_mm", "100", "larger than the cutter's radius"},
        {"an allowance of no region", "/steps/0/allowances", "[{\"region\": \"moon\", \"allowance_mm\": 2}]", "no region 'moon'"},
        {"a direction of nothing", "/steps/0/more_axes", "[[0, 0, 0]]", "directions"},
        {"a boundary of two points", "/steps/0/boundary_mm", "[[0,0],[10,0]]", "at least three points"},
        {"a boundary that crosses itself", "/steps/0/boundary_mm", "[[0,0],[10,10],[10,0],[0,10]]",
         "between its points 1 and 2, and 3 and 4"},
        {"a boundary of nothing", "/steps/0/boundary_mm", "[[0,0],[10,0],[5,0]]", "boundary"},
        {"a force of nothing", "/steps/0/most_force_N", "0", "most_force_N"},
        {"a bend of less", "/steps/0/most_bend_mm", "-0.1", "most_bend_mm"},
        {"a feed by feeling", "/steps/0/feed_by_load", "\"yes\"", "feed_by_load"},
        {"holes as words", "/steps/0", "{\"kind\": \"drilling\", \"cutter\": \"ball 6\", \"holder\": \"x\", \"holes_mm\": [\"here\"]}",
         "[x, y]"},
        {"drilling with a mill", "/steps/0/kind", "\"drilling\"", "no drill"},
        {"thinner than nothing", "/steps/0/least_thickness_mm", "-1", "Give 0 to 1000 mm"},
        {"a region by feeling", "/regions", "[{\"name\": \"bowl\", \"pieces\": [{\"by\": \"feel\"}]}]", "growing, paint"},
        {"a place of five numbers", "/regions", "[{\"name\": \"bowl\", \"pieces\": [{\"by\": \"paint\", \"places\": [[1,2,3,4,5]]}]}]",
         "six numbers"},
        {"two regions of one name", "/regions", "[{\"name\": \"bowl\", \"pieces\": []}, {\"name\": \"bowl\", \"pieces\": []}]", "one name"},
        {"a finish of nothing", "/regions", "[{\"name\": \"bowl\", \"finish_mm\": 0, \"pieces\": []}]", "finish_mm"},
        {"left, but finely", "/regions", "[{\"name\": \"bowl\", \"use\": \"left\", \"finish_mm\": 1, \"pieces\": []}]",
         "promises a finish"},
        {"a step of no region", "/steps/1/regions", "[\"moon\"]", "no region 'moon'"},
        {"a step of no rail", "/steps/1/rail", "\"moon\"", "no rail 'moon'"},
        {"a rail of no place", "/rails", "[{\"name\": \"edge\", \"places\": []}]", "at least one"},
        {"a place that closes", "/rails", "[{\"name\": \"edge\", \"closed\": true, \"places\": [[0,0,0,0,0,1]]}]", "does not close"},
        {"a bar of nothing", "/stock", "{\"kind\": \"cylinder\", \"cell_mm\": 1}", "no size"},
        {"a skin of nothing", "/stock", "{\"kind\": \"offset\", \"offset_mm\": 0, \"cell_mm\": 1}", "offset is not more"}};
    for (const auto& r : ofClampings) QTest::newRow(r[0]) << r[1] << r[2] << r[3];
    QTest::newRow("unknown cutter") << "/steps/1/cutter"
                                    << "\"spoon\""
                                    << "no cutter 'spoon'";
    QTest::newRow("impossible cutter") << "/cutters/0/corner_mm"
                                       << "50"
                                       << "impossible";
    QTest::newRow("boundary outside the part") << "/steps/1/boundary_mm"
                                               << "[[500,500],[510,500],[510,510]]"
                                               << "outside the part";
    QTest::newRow("stock smaller than the part") << "/stock/margin_mm"
                                                 << "[-3,1,1,1,0,1]"
                                                 << "smaller than the part";
    QTest::newRow("text for a number") << "/steps/0/depth_mm"
                                       << "\"deep\""
                                       << "depth_mm";
    QTest::newRow("unknown kind") << "/steps/0/kind"
                                  << "\"whittling\""
                                  << "whittling";
  }
  void badJobsAreNamedClearly() {
    QFETCH(QString, pointer);
    QFETCH(QString, value);
    QFETCH(QString, says);
    json j = json::parse(readFile(jobPath_));
    j[json::json_pointer(pointer.toStdString())] = json::parse(value.toStdString());
    writeFileSafely(path("bad.hemline"), j.dump());
    const Ran r = cli({"run", dir_.filePath("bad.hemline"), "--out", dir_.filePath("bad-out")});
    QCOMPARE(r.code, 1);
    QVERIFY2(r.err.contains(says), qPrintable(r.err));
  }

  /// What steps name of the job is what they need, and keeps its name with them.
  void whatStepsNameIsThere() {
    Job job = readJob(jobPath_);
    Step& step = job.steps.back();
    const Finishing common = *step.finishing();
    const auto place = [](double x) { return Mark{Vec3(x, 0, 0), Vec3::UnitZ()}; };
    job.rails = {{"spot", "", false, {place(0)}}, {"line", "", false, {place(0), place(1)}}};
    const auto refused = [&](auto body, const char* says) {
      body.finish = common, step.body = body;
      try {
        checkJob(job);
      } catch (const Error& e) {
        return std::string(e.what()).find(says) != std::string::npos;
      }
      return *says == 0;
    };
    AlongARailPasses along;
    RailToRailPasses between;
    ConstantCuspPasses from;
    CleanUpPasses after;
    along.rails = {"spot"}, between.rails = {"line", "spot"}, from.from.rails = {"spot"}, from.from.with = {"spot"};
    QVERIFY(refused(from, "single place"));
    from.from.with = {"line"};
    QVERIFY(refused(along, "single place") && refused(between, "single place") && refused(from, ""));
    renamedRail(job, "spot", "point");
    job.rails[0].name = "point";
    QCOMPARE(step.as<ConstantCuspPasses>()->from.rails, std::vector<std::string>{"point"});
    Job other = job;
    renamedRail(other, "line", "long");
    QCOMPARE(other.steps.back().as<ConstantCuspPasses>()->from.with, std::vector<std::string>{"long"});
    along.rails = {"line"};
    QVERIFY(refused(along, ""));
    after.cutter = "bull nose 8 r1";
    QVERIFY(refused(after, "found for balls"));
    after.cutter = "ball 7";
    QVERIFY(refused(after, "no cutter 'ball 7'"));
    after.cutter = "ball 6";
    QVERIFY(refused(after, ""));
  }

  void damagedJobIsRefused() {
    writeFileSafely(path("cut.hemline"), readFile(jobPath_).substr(0, 300));
    const Ran r = cli({"run", dir_.filePath("cut.hemline"), "--out", dir_.filePath("x")});
    QCOMPARE(r.code, 1);
    QVERIFY(r.err.contains("damaged"));
  }

  void onlyWhatDependsIsComputedAgain() {
    Evaluator evaluator;
    Progress quiet;
    Job job = readJob(jobPath_);
    evaluator.evaluate(job, jobPath_, quiet);
    const std::size_t first = evaluator.computed();
    evaluator.evaluate(job, jobPath_, quiet);
    QCOMPARE(evaluator.computed(), first); // all remembered
    job.steps[1].promises.rest = 0.5; // a promise of the finish: only its measuring, that of the rest of the part, and what it can touch
    evaluator.evaluate(job, jobPath_, quiet);
    QCOMPARE(evaluator.computed(), first + 3);
    levels(job.steps[0]).depth = 0.7; // the roughing: its path and all that starts from its stock, but not the finishing passes
    const auto plans = evaluator.computed("plan"), links = evaluator.computed("links"), cuts = evaluator.computed("cut");
    const JobResult r = evaluator.evaluate(job, jobPath_, quiet);
    QCOMPARE(evaluator.computed("plan"), plans + 1);
    QCOMPARE(evaluator.computed("links"), links + 1);
    QCOMPARE(evaluator.computed("cut"), cuts + 2);
    QCOMPARE(evaluator.computed("part"), std::size_t{1});
    levels(job.steps[0]).depth *= 1; // undo of nothing
    evaluator.evaluate(job, jobPath_, quiet);
    QVERIFY(r.steps.size() == 2);
  }

  void sameReportOnAnyNumberOfThreads() {
    std::vector<std::string> reports;
    for (const int threads : {1, 2}) {
      setThreadLimit(threads);
      Evaluator evaluator;
      Progress quiet;
      const Job job = readJob(jobPath_);
      const JobResult r = evaluator.evaluate(job, jobPath_, quiet);
      reports.push_back(reportJson(job, "job", r, judgeRelease(job, r, writePrograms(job, r, quiet))).dump());
    }
    setThreadLimit(0);
    QCOMPARE(reports[0], reports[1]);
  }

  void waiversAreBoundAndNeverCoverBlockers() {
    Evaluator evaluator;
    Progress quiet;
    Job job = readJob(jobPath_);
    job.steps[1].promises.clearance = 500; // cannot be kept
    JobResult r = evaluator.evaluate(job, jobPath_, quiet);
    QVERIFY(!r.kept);
    const auto find = [&](const char* name) {
      for (const PromiseResult& p : r.steps[1]->promises)
        if (p.name == name) return p;
      return PromiseResult{};
    };
    QVERIFY(find("clearance_mm").verdict != Verdict::Kept);
    job.waivers.push_back({job.steps[1].name, "clearance_mm", "the shop's lead", "air cut only", "2026-01-01", r.steps[1]->key.text(),
                           find("clearance_mm").bound});
    r = evaluator.evaluate(job, jobPath_, quiet);
    QCOMPARE(find("clearance_mm").verdict, Verdict::Waived);
    QVERIFY(!r.kept);
    // Motions that are not shown to be clear hold the release all the same.
    QVERIFY(!r.steps[1]->texts(Severity::Blocker).empty());
    QVERIFY(!releaseHeldBy(job, r).empty());
    job.waivers[0].key = "other", job.waivers[0].bound = 1e9; // given for something better
    r = evaluator.evaluate(job, jobPath_, quiet);
    QVERIFY(find("clearance_mm").verdict != Verdict::Waived);
  }

  void runWritesWhatItSays() {
    const QString out = dir_.filePath("out");
    Job held = readJob(jobPath_);
    Fixture plate;
    plate.kind = FixtureKind::Plate, plate.at = Vec3(0, 0, -4 - held.stock.margin[4]), plate.width = plate.length = 60, plate.span = 0,
    plate.bed = 10;
    plate.force = 5000;
    held.clampings.front().fixtures = {plate};
    writeJob(path("held.hemline"), held);
    const Ran r = cli({"run", dir_.filePath("held.hemline"), "--out", out, "--threads", "2"});
    QVERIFY2(r.code == 0 || r.code == 3, qPrintable(r.err));
    const json report = json::parse(readFile(out.toStdString() + "/report.json"));
    QCOMPARE(report["proven"].get<bool>(), r.code == 0);
    QCOMPARE(report["steps"].size(), std::size_t{2});
    for (const json& s : report["steps"]) {
      QVERIFY(QFile::exists(out + "/" + QString::fromStdString(s["cl"].get<std::string>())));
      for (const char* field : {"name", "kind", "cutter", "time_s", "cut_length_mm", "link_length_mm", "points", "promises"})
        QVERIFY2(s.contains(field), field);
      for (const json& p : s["promises"])
        for (const char* field : {"name", "promised", "measured", "upper_bound", "verdict", "at"}) QVERIFY2(p.contains(field), field);
    }
    QVERIFY2(report["proven"].get<bool>(), qPrintable(r.out));
    for (const json& p : report["programs"]) {
      QVERIFY(p["replay_good"].get<bool>());
      QVERIFY(QFile::exists(out + "/" + QString::fromStdString(p["file"].get<std::string>())));
    }
    for (const char* f : {"stock.ply", "proof.ply", "setup-sheet.html"}) QVERIFY(QFileInfo(out + "/" + f).size() > 1000);
    QVERIFY(readFile(out.toStdString() + "/setup-sheet.html").find("Not qualified for your machine") != std::string::npos);
    // The finishing path, read back as anybody's, is measured the same.
    const Ran p = cli({"prove", "--part", dir_.filePath("dish.stl"), "--unit", "mm", "--cl",
                       out + "/" + QString::fromStdString(report["steps"][1]["cl"].get<std::string>()), "--cutter", "ball 6", "--cusp",
                       "0.02", "--out", dir_.filePath("proved")});
    QVERIFY2(p.code == 0 || p.code == 3, qPrintable(p.err));
    const json foreign = json::parse(readFile(path("proved/report.json")));
    const double own = report["steps"][1]["promises"][0]["measured"].get<double>(),
                 theirs = foreign["steps"][0]["promises"][0]["measured"].get<double>();
    QVERIFY2(std::abs(own - theirs) < 0.002, qPrintable(QString("%1 and %2").arg(own).arg(theirs)));
  }

  void aGivenProgramIsAStepLikeAnyOther() {
    // The finish's own program, given back as if somebody else had written it: it is proven as before, on the same stock.
    Evaluator evaluator;
    Progress quiet;
    Job job = readJob(jobPath_);
    const JobResult before = evaluator.evaluate(job, jobPath_, quiet);
    const auto programs = writePrograms(job, before, quiet);
    writeFileSafely(path("given.nc"), programs[1].text);
    Step& given = job.steps[1];
    given.body = GivenPathStep{"given.nc"};
    fits(toJson(job), json::parse(readFile(HEMLINE_SOURCE "/docs/job.schema.json")), "job");
    QCOMPARE(toJson(jobFromJson(toJson(job), "x")).dump(), toJson(job).dump());
    const JobResult after = evaluator.evaluate(job, jobPath_, quiet);
    QVERIFY2(after.kept, linesOf(releaseHeldBy(job, after)).empty() ? "" : linesOf(releaseHeldBy(job, after))[0].c_str());
    const auto value = [](const JobResult& r, const char* name) {
      for (const PromiseResult& p : r.steps[1]->promises)
        if (p.name == name) return p;
      return PromiseResult{};
    };
    QVERIFY(std::abs(value(after, "cusp_mm").measured - value(before, "cusp_mm").measured) < 1e-3);
    QVERIFY(value(after, "cusp_mm").bound >= value(after, "cusp_mm").measured);
    QCOMPARE(after.steps[1]->planned->path.lines.size(), after.steps[1]->planned->path.locations.size());
    // Another program of the same name is another path; what is wrong with it is told with its line.
    std::string deep = programs[1].text;
    deep.insert(deep.find("M30"), "/G0 X0.\n");
    writeFileSafely(path("given.nc"), deep);
    const JobResult held = evaluator.evaluate(job, jobPath_, quiet);
    QVERIFY(!held.kept && !held.steps[1]->texts(Severity::Blocker).empty());
    writeFileSafely(path("given.nc"), programs[1].text.substr(0, 800) + "\nG81 X1.\n");
    try {
      evaluator.evaluate(job, jobPath_, quiet);
      QFAIL("was read");
    } catch (const Error& e) {
      QVERIFY2(e.place.rfind("given.nc, line ", 0) == 0, e.what());
    }
  }

  void whatWasMeasuredAtTheMachineIsProven_data() {
    QTest::addColumn<double>("diameter"); // more than nominal, mm
    QTest::addColumn<double>("runout");
    QTest::addColumn<double>("length");
    QTest::addColumn<double>("gouge"); // expected, mm: R' - R kept at the tip leaves (R' - R)(1 - cos slope), a length its cosine
    const double steepest = std::atan(0.04 * std::hypot(12, 9)), lean = 1 - std::cos(steepest);
    QTest::newRow("as meant") << 0.0 << 0.0 << 0.0 << 0.0;
    QTest::newRow("longer than the control thinks") << 0.0 << 0.0 << 0.01 << 0.01;
    QTest::newRow("shorter") << 0.0 << 0.0 << -0.01 << 0.0;
    QTest::newRow("larger") << 0.1 << 0.0 << 0.0 << 0.05 * lean;
    QTest::newRow("running out") << 0.0 << 0.1 << 0.0 << 0.05 * lean;
  }
  void whatWasMeasuredAtTheMachineIsProven() {
    QFETCH(double, diameter);
    QFETCH(double, runout);
    QFETCH(double, length);
    QFETCH(double, gouge);
    static Evaluator evaluator;
    Progress quiet;
    Job job = readJob(jobPath_);
    const JobResult before = evaluator.evaluate(job, jobPath_, quiet);
    Step& s = job.steps[1];
    s.asSet.diameter = 6 + diameter, s.asSet.runout = runout, s.asSet.lengthOff = length, s.asSet.stickOut = s.stickOut - 0.5;
    fits(toJson(job), json::parse(readFile(HEMLINE_SOURCE "/docs/job.schema.json")), "job");
    QCOMPARE(toJson(jobFromJson(toJson(job), "x")).dump(), toJson(job).dump());
    const std::size_t plans = evaluator.computed("plan"), roughCuts = evaluator.computed("cut");
    const JobResult after = evaluator.evaluate(job, jobPath_, quiet);
    QCOMPARE(evaluator.computed("plan"), plans); // measuring the cutter changes no path
    QCOMPARE(evaluator.computed("cut"), roughCuts + 1);
    QCOMPARE(writePrograms(job, after, quiet)[1].text, writePrograms(job, before, quiet)[1].text);
    const double was = before.steps[1]->surface->gouge.value, is = after.steps[1]->surface->gouge.value;
    QVERIFY2(is >= 0.75 * gouge && is <= was + gouge + 2e-4, qPrintable(QString("%1 for %2 over %3").arg(is).arg(gouge).arg(was)));
    QVERIFY(after.steps[1]->surface->gouge.bound >= is);
    if (length < 0) QVERIFY(after.steps[1]->surface->cusp.value > before.steps[1]->surface->cusp.value + 0.8 * 0.01);
    QVERIFY(after.steps[1]->clearance->least.value <= before.steps[1]->clearance->least.value + 0.02);
    const std::size_t links = evaluator.computed("links");
    // Measured on the roughing cutter, too: the finish, whose links know the stock, is still the same program.
    job.steps[0].asSet.lengthOff = 0.2, job.steps[0].asSet.diameter = 8.2;
    const JobResult both = evaluator.evaluate(job, jobPath_, quiet);
    QCOMPARE(evaluator.computed("plan"), plans);
    QCOMPARE(evaluator.computed("links"), links); // planned on the stock that was meant
    QCOMPARE(writePrograms(job, both, quiet)[1].text, writePrograms(job, before, quiet)[1].text);
    QVERIFY(both.steps[0]->cut->after->stock.volume() < before.steps[0]->cut->after->stock.volume() - 1);
    job.steps[1].asSet.lengthOff = 7;
    QVERIFY_EXCEPTION_THROWN(checkJob(job), Error);
  }

  void runTakesAListOfSteps() {
    const json whole = json::parse(readFile(jobPath_));
    const QString first = QString::fromStdString(whole["steps"][0]["name"].get<std::string>()),
                  second = QString::fromStdString(whole["steps"][1]["name"].get<std::string>());
    struct Case {
      QString list;
      std::vector<QString> names;
    };
    int n = 0;
    std::vector<double> cusps;
    for (const Case& c : {Case{"2", {second}}, Case{first, {first}}, Case{"1," + second, {first, second}}}) {
      const QString out = dir_.filePath(QString("steps%1").arg(++n));
      const Ran r = cli({"run", QString::fromStdString(jobPath_), "--out", out, "--steps", c.list});
      QVERIFY2(r.code == 0 || r.code == 3, qPrintable(r.err));
      const json report = json::parse(readFile(out.toStdString() + "/report.json"));
      QCOMPARE(report["steps"].size(), c.names.size());
      QCOMPARE(QDir(out).entryList({"*.cl"}).size(), static_cast<qsizetype>(c.names.size()));
      for (std::size_t i = 0; i < c.names.size(); ++i) {
        const json& s = report["steps"][i];
        QCOMPARE(QString::fromStdString(s["name"].get<std::string>()), c.names[i]);
        // Files keep the step's number in the job.
        QVERIFY(s["cl"].get<std::string>().starts_with(c.names[i] == first ? "01-" : "02-"));
        if (c.names[i] == second) cusps.push_back(s["promises"][0]["measured"].get<double>());
      }
    }
    // The second step alone starts from the stock that the first leaves: the same measure.
    QCOMPARE(cusps[0], cusps[1]);
    for (const char* wrong : {"3", "0", "Polish", "1,-2"}) {
      const Ran r = cli({"run", QString::fromStdString(jobPath_), "--out", dir_.filePath("no"), QString("--steps=%1").arg(wrong)});
      QCOMPARE(r.code, 1);
      QVERIFY2(r.err.contains("no step"), qPrintable(r.err));
    }
    QVERIFY(!QFile::exists(dir_.filePath("no")));
  }

  void spindleSpeedsAreHeldToTheMachine() {
    Evaluator evaluator;
    Progress quiet;
    Job job = readJob(jobPath_);
    // A speed from the cutter's data gives way to the spindle; the feed goes with it, so that the chip stays.
    job.cutters[0].cuttingSpeed = 5000;
    const Cutter& c = job.cutter(job.steps[0].cutter);
    JobResult r = evaluator.evaluate(job, jobPath_, quiet, 1);
    const double fastest = r.machine->spindle.back().rpm;
    if (&c == &job.cutters[0]) {
      QCOMPARE(r.steps[0]->rpm, fastest);
      QVERIFY(std::abs(r.steps[0]->feed - fastest * c.teeth * c.feedPerTooth) < 1e-6);
    }
    QVERIFY(r.steps[0]->texts(Severity::Blocker).empty());
    // One that was asked for is not changed in silence: it blocks, and cannot be waived.
    job.steps[0].rpm = fastest + 1;
    r = evaluator.evaluate(job, jobPath_, quiet, 1);
    QCOMPARE(r.steps[0]->rpm, fastest + 1);
    QCOMPARE(r.steps[0]->texts(Severity::Blocker).size(), std::size_t{1});
    QVERIFY(QString::fromStdString(r.steps[0]->texts(Severity::Blocker)[0]).contains("spindle speed"));
    QVERIFY(!r.kept && !releaseHeldBy(job, r).empty());
  }

  void timeIsForeseenFromWhatWasMeasured() {
    Progress quiet;
    Job job = readJob(jobPath_);
    Evaluator evaluator;
    const auto before = evaluator.evaluate(job, jobPath_, quiet).steps.back();
    Step& finish = job.steps.back();
    for (const auto& [cusp, feed] : {std::pair(0.5, 1.0), {1.0, 0.7}, {2.0, 1.0}}) {
      finish.promises.cusp = cusp * *before->step.promises.cusp, finish.feed = feed * before->feed;
      const auto foreseen = estimatedTime(finish, job.cutter(finish.cutter), *before);
      const double measured = evaluator.evaluate(job, jobPath_, quiet).steps.back()->time->timing.total;
      QVERIFY(foreseen.has_value());
      QVERIFY2(foreseen->least < measured && measured < foreseen->most && foreseen->most < 2 * foreseen->least,
               qPrintable(
                   QString("%1 %2: %3 to %4 s, measured %5 s").arg(cusp).arg(feed).arg(foreseen->least).arg(foreseen->most).arg(measured)));
    }
  }

  void newJobForOpenAndClosedModels() {
    const auto closed = partFromTriangles(shapes::box({0, 0, 0}, {30, 20, 8}), "block");
    writeStl(path("block.stl"), closed->mesh);
    writeStl(path("far.stl"), partFromTriangles(shapes::box({9e3, -7e3, 2e3}, {9.03e3, -6.98e3, 2008}), "far")->mesh);
    for (const char* name : {"block.stl", "dish.stl", "far.stl"}) {
      const Ran r = cli({"new", "--part", dir_.filePath(name), "--unit", "mm", "--stock", "box:1.5", "--cusp", "0.05", "--out",
                         dir_.filePath("first.hemline")});
      QVERIFY2(r.code == 0, qPrintable(r.err));
      const Job job = readJob(path("first.hemline"));
      checkJob(job);
      QCOMPARE(job.steps.size(), std::size_t{2});
      Progress quiet;
      const Box part = readPart(dir_.filePath(name).toStdString(), {LengthUnit::Millimetre}, quiet)->mesh.bounds();
      // Over the middle of the table, as high above it as the machine's own work zero: room for what is cut below the part.
      const Machine own = readMachine(HEMLINE_SOURCE "/data/machines/mill-3.json");
      QVERIFY(((part.center() + *job.clampings.front().workZero).head<2>().norm() < 1e-3) &&
              std::abs(part.low.z() + job.clampings.front().workZero->z() - own.workOffset.z()) < 1e-3);
    }
    QCOMPARE(cli({"new", "--part", dir_.filePath("dish.stl"), "--unit", "ell", "--cusp", "0.05", "--out", dir_.filePath("x")}).code, 1);
    QCOMPARE(cli({"new", "--part", dir_.filePath("dish.stl"), "--unit", "mm", "--stock", "sphere", "--cusp", "0.05", "--out",
                  dir_.filePath("x")})
                 .code,
             1);
  }
};

QTEST_APPLESS_MAIN(TestJob)
#include "tst_job.moc"
