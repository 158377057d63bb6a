// Whole plans: proposed to their end, kept as variants, held against each other; and what another order of steps would mean.
#include "base/file.h"
#include "plan/costs.h"
#include "plan/new_job.h"
#include "plan/propose_plans.h"
#include "plan/step_order.h"
#include "plan/variants.h"
#include "shapes.h"
#include <QTemporaryDir>
#include <QtTest>

using namespace hemline;

class TestPlans : public QObject {
  Q_OBJECT
  QTemporaryDir dir_;
  Progress quiet_;
  CutterLibrary library_ = readLibrary(HEMLINE_SOURCE "/data/cutters/library.json");
  Evaluator evaluator_;
  std::string path_;
  Job job_;

  /// A valley along x of this radius at its foot, with flanks of 45 degrees; `fine`: facets across.
  std::shared_ptr<const Part> valley(double r, int fine) const {
    return shapes::field(
        -16, 16, -9, 9, 8, fine,
        [r](double, double y) {
          const double lean = kPi / 4, end = r * std::sin(lean), at = std::abs(y);
          return at < end ? r - std::sqrt(r * r - y * y) : r - r * std::cos(lean) + (at - end) * std::tan(lean);
        },
        Mat3::Identity());
  }
  Step step(const char* name, const StepBody& body, const char* cutter, int clamping = 0) const {
    Step s = job_.steps.front();
    s.name = name, s.body = body, s.cutter = cutter, s.clamping = clamping;
    return s;
  }

private slots:
  void initTestCase() {
    const std::string file = dir_.filePath("valley.stl").toStdString();
    writeStl(file, valley(2.5, 90)->mesh);
    path_ = dir_.filePath("valley.hemline").toStdString();
    NewJobOptions o;
    o.unit = LengthUnit::Millimetre, o.data = HEMLINE_SOURCE "/data", o.cusp = 0.02;
    job_ = newJob(file, path_, o, quiet_);
    job_.stock.cell = 0.5;
  }

  void proposedPlansAreComputed() {
    std::size_t told = 0;
    const auto plans = proposePlans(job_, path_, library_, evaluator_, quiet_, [&](const ProposedPlan&) { ++told; });
    QVERIFY2(plans.size() >= 2 && plans.size() <= 3, qPrintable(QString::number(plans.size())));
    QCOMPARE(told, plans.size());
    for (const ProposedPlan& p : plans) {
      QVERIFY2(p.failure.empty(), p.failure.c_str());
      checkJob(p.job);
      // The table says what a run of that very job says.
      const JobResult r = evaluator_.evaluate(p.job, path_, quiet_);
      QCOMPARE(p.result->steps.size(), p.job.steps.size());
      double time = 0;
      std::array<std::size_t, 4> verdicts{};
      for (const auto& s : r.steps) {
        time += s->time->timing.total;
        for (const PromiseResult& q : s->promises) ++verdicts[static_cast<std::size_t>(q.verdict)];
      }
      QCOMPARE(p.facts.time, time);
      for (std::size_t v = 0; v < 4; ++v) QVERIFY(p.facts.verdicts[v] >= verdicts[v]);
      QCOMPARE(p.facts.forgotten, r.coverage.forgotten);
      QVERIFY(std::all_of(p.job.steps.begin(), p.job.steps.end(), [&](const Step& s) { return mountFault(p.job, s) == std::nullopt; }));
    }
    QVERIFY(plans[0].facts.cutters.size() <= 2);
    for (const ProposedPlan& p : plans) // what is left is told as left, not forgotten
      if (std::any_of(p.job.regions.begin(), p.job.regions.end(), [](const Region& g) { return g.use == RegionUse::Left; }))
        QVERIFY(p.facts.left > plans[0].facts.left);
    const auto lines = planText(plans, LengthUnit::Millimetre);
    QVERIFY(std::any_of(lines.begin(), lines.end(),
                        [](const std::string& l) { return l.starts_with("of all of them: "); })); // nothing holds it
    Progress cancelled;
    cancelled.cancel();
    QVERIFY_THROWS_EXCEPTION(Cancelled, proposePlans(job_, path_, library_, evaluator_, cancelled));
  }

  void severalClampings() {
    // A lens from both sides, after a clamping that only roughs: that stays as it is.
    const std::string file = dir_.filePath("lens.stl").toStdString();
    writeStl(file, shapes::lens());
    NewJobOptions o;
    o.unit = LengthUnit::Millimetre, o.data = HEMLINE_SOURCE "/data", o.cutters = {"bull nose 8 r1", "ball 8"}, o.cusp = 0.02;
    Job job = newJob(file, path_, o, quiet_);
    job.stock.margin = {2, 2, 2, 2, 2, 2}, job.stock.cell = 0.5;
    job.clampings.front().name = "first cut", job.clampings.front().workZero = Vec3(0, 0, 60);
    for (const char* name : {"top up", "foot up"}) {
      job.clampings.push_back(job.clampings.front());
      job.clampings.back().name = name;
    }
    job.clampings[2].turns = {{0, kPi}};
    job.steps[0].as<LevelRoughing>()->bottom = 0;
    job.steps[1].finishing()->slopeTo = radians(50);
    const std::vector<Step> side = job.steps;
    job.steps = {side[0]};
    job.steps[0].as<LevelRoughing>()->wall = job.steps[0].as<LevelRoughing>()->floor = 1;
    for (const int c : {1, 2})
      for (Step s : side) {
        s.clamping = c;
        job.steps.push_back(s);
      }
    for (std::size_t k = 0; k < job.steps.size(); ++k) job.steps[k].name += " " + std::to_string(k + 1);
    const auto plans = proposePlans(job, path_, library_, evaluator_, quiet_);
    QVERIFY(!plans.empty());
    for (const ProposedPlan& p : plans) {
      QVERIFY2(p.failure.empty(), p.failure.c_str());
      checkJob(p.job);
      QCOMPARE(p.facts.clampings, job.clampings.size());
      for (std::size_t k = 1; k < p.job.steps.size(); ++k) QVERIFY(p.job.steps[k].clamping >= p.job.steps[k - 1].clamping);
      QVERIFY(toJson(p.job.steps.front()) == toJson(job.steps.front()));
      for (const int c : {1, 2}) // each side is finished by a step of its own, on ground that it sees
        QVERIFY(std::any_of(p.result->steps.begin(), p.result->steps.end(), [c](const auto& s) {
          return s->step.clamping == c && s->step.finishing() && s->planned->path.length(true) > 100;
        }));
      for (const Region& r : p.job.regions) {
        const auto* seen = std::get_if<SlopePiece>(&r.pieces.back().what);
        QVERIFY2(seen && r.pieces.back().mode == PieceMode::Only && std::abs(std::abs(seen->up.z()) - 1) < 1e-9, r.name.c_str());
        QVERIFY((seen->up.z() > 0) == r.name.ends_with(", top up"));
      }
      QCOMPARE(p.result->coverage.forgotten, plans[0].result->coverage.forgotten);
      double time = 0;
      for (const auto& s : evaluator_.evaluate(p.job, path_, quiet_).steps) time += s->time->timing.total;
      QCOMPARE(p.facts.time, time);
    }
  }

  void whatIsInTheWayIsMended() {
    // A deep slot: the holder of a short assembly meets its walls, so that the first run is not clear.
    Job job = job_;
    const auto deep = shapes::field(
        -12, 12, -20, 20, 3, 120, [](double, double y) { return std::clamp(6 * (std::abs(y) - 6), 0.0, 40.0); }, Mat3::Identity());
    writeStl(dir_.filePath("deep.stl").toStdString(), deep->mesh);
    NewJobOptions o;
    o.unit = LengthUnit::Millimetre, o.data = HEMLINE_SOURCE "/data", o.cutters = {"bull nose 8 r1", "ball 8"}, o.cusp = 0.1;
    job = newJob(dir_.filePath("deep.stl").toStdString(), path_, o, quiet_);
    job.stock.cell = 0.6;
    takeInto(job.holders, library_.holder("collet chuck 2 to 16"));
    for (Step& s : job.steps) s.holder = "collet chuck 2 to 16", s.stickOut = stickOuts(job.cutter(s.cutter), job.holder(s.holder))->least;
    const JobResult first = evaluator_.evaluate(job, path_, quiet_);
    const auto plans = proposePlans(job, path_, library_, evaluator_, quiet_);
    const auto holds = [](const std::vector<Finding>& all) {
      return std::count_if(all.begin(), all.end(), [](const Finding& f) {
        return f.code == Code::Collision || f.code == Code::NotShownClear || f.code == Code::RapidThroughStock;
      });
    };
    QVERIFY(holds(planFacts(job, first).heldBy) > 0);
    // The holder's collision with the part is gone, by a longer way out, and it is said. (Slim balls cannot come out as far.)
    QVERIFY(holds(plans[0].facts.heldBy) == 0);
    QVERIFY2(plans[0].mended.back().find("sticks out") != std::string::npos, plans[0].mended.back().c_str());
    for (const ProposedPlan& p : plans) QVERIFY2(holds(p.facts.heldBy) <= holds(planFacts(job, first).heldBy), p.name.c_str());
  }

  void variantsAreKeptAndTaken() {
    Job other = job_;
    other.steps.back().promises.cusp = 0.05;
    QVERIFY(!samePlan(job_, other));
    Job renamed = job_;
    renamed.name = "another", renamed.partHash = "x", renamed.waivers = {{"Finish", "cusp_mm", "a", "b", "c", "d", 1}};
    QVERIFY(samePlan(job_, renamed));
    const Job taken = withPlan(renamed, other, "before");
    QVERIFY(samePlan(taken, other) && taken.name == "another" && taken.partHash == "x" && taken.waivers.size() == 1);
    QCOMPARE(taken.variants.size(), 1u);
    QVERIFY(taken.variants[0].name == "before" && samePlan(*taken.variants[0].plan, job_));
    // Back again: the variant that is taken goes, what it replaces comes.
    const Job back = withPlan(taken, *taken.variants[0].plan, "after");
    QVERIFY(samePlan(back, job_) && back.variants.size() == 1 && samePlan(*back.variants[0].plan, other));
    QVERIFY(withPlan(back, back, "x").variants.size() == 1); // nothing changes, nothing is kept
    QCOMPARE(variantName(taken, "before"), std::string("before 2"));
    // One that has the name already is not written over.
    Job third = other;
    third.steps.back().promises.cusp = 0.1;
    const Job twice = withPlan(taken, third, "before");
    QVERIFY(twice.variants.size() == 2 && samePlan(*twice.variants[0].plan, job_) && samePlan(*twice.variants[1].plan, other));
    QCOMPARE(twice.variants[1].name, std::string("before 2"));
    // In the file and out of it; variants of variants are no plans.
    nlohmann::json j = toJson(taken);
    j["variants"][0]["plan"]["variants"] = j["variants"];
    const Job read = jobFromJson(j, "test");
    QVERIFY(toJson(read) == toJson(taken));
    j["variants"][0].erase("plan");
    QVERIFY_THROWS_EXCEPTION(Error, jobFromJson(j, "test"));
  }

  void whatAPlanLeavesIsTheLeastOfItsSteps() {
    Job two = job_;
    two.steps.push_back(two.steps.back());
    two.steps.back().name = "again", two.steps.back().promises.cusp = 0.005;
    two.steps.back().finishing()->slopeTo = radians(20);
    const JobResult r = evaluator_.evaluate(two, path_, quiet_);
    const auto left = leftByPlan(r);
    const SurfaceProof &a = *r.steps[r.steps.size() - 2]->surface, &b = *r.steps.back()->surface;
    std::size_t both = 0, one = 0;
    for (std::size_t t = 0; t < left.size(); ++t) {
      const float inA = a.region[t] ? a.facetLeft[t] : NAN, inB = b.region[t] ? b.facetLeft[t] : NAN, least = std::fmin(inA, inB);
      both += a.region[t] && b.region[t], one += a.region[t] && !b.region[t];
      QVERIFY(left[t] == least || (std::isnan(left[t]) && std::isnan(least)));
    }
    QVERIFY(both > 0 && one > 0);
    // On another net of the same ground the height of each middle comes back to a facet's size.
    const auto fine = valley(2.5, 140), coarse = valley(2.5, 70);
    std::vector<float> heights;
    for (std::size_t t = 0; t < coarse->mesh.triangles.size(); ++t)
      heights.push_back(static_cast<float>(((coarse->mesh.corner(t, 0) + coarse->mesh.corner(t, 1) + coarse->mesh.corner(t, 2)) / 3).z()));
    const auto got = ontoNet(*fine, *coarse, heights);
    for (std::size_t t = 0; t < got.size(); ++t) {
      const double z = ((fine->mesh.corner(t, 0) + fine->mesh.corner(t, 1) + fine->mesh.corner(t, 2)) / 3).z();
      QVERIFY2(std::abs(static_cast<double>(got[t]) - z) < 0.3, qPrintable(QString("%1 %2").arg(got[t]).arg(z)));
    }
    // Of a part that lies elsewhere nothing is told.
    const auto away = shapes::field(
        100, 132, -9, 9, 8, 20, [](double, double) { return 0.0; }, Mat3::Identity());
    for (const float v : ontoNet(*away, *coarse, heights)) QVERIFY(std::isnan(v));
  }

  void factsAreToldBesideEachOther() {
    const auto promise = [](const char* name, double promised, double measured, Verdict v) {
      return PlanFacts::Figure{{name, promised, measured, measured, v, Vec3::Zero(), {}}, 2};
    };
    const auto held = [](Code code, const char* of) {
      Finding f;
      f.code = code, f.of = of;
      if (code == Code::PromiseOpen) f.args = {{"promise", "rest_mm"}, {"verdict", "broken"}, {"promised", 0.01}};
      return f;
    };
    PlanFacts a, b;
    a.time = 100, b.time = 90, a.cutters = {"x"}, b.cutters = {"x", "y"};
    a.rest = promise("rest_mm", 0.01, 0.002, Verdict::Kept), b.rest = promise("rest_mm", 0.01, 0.2, Verdict::Broken);
    a.clearance = promise("clearance_mm", 0.5, 3, Verdict::Kept), b.cusp = promise("cusp_mm", 0.002, 0, Verdict::Unknown);
    a.engagement = promise("engagement_deg", 60, 58, Verdict::Kept);
    a.verdicts = {3, 0, 0, 0}, b.verdicts = {2, 1, 1, 0};
    a.finished = 90, a.left = 10, b.finished = 50, b.forgotten = 50;
    a.heldBy = {held(Code::NoStep, "")}, b.heldBy = {held(Code::NoStep, ""), held(Code::PromiseOpen, "Finish")};
    const auto rows = factRows({a, b}, LengthUnit::Millimetre);
    const auto row = [&](std::size_t plan, const std::string& title) {
      return *std::find_if(rows[plan].begin(), rows[plan].end(), [&](const FactRow& r) { return r.title == title; });
    };
    const struct {
      const char* title;
      std::size_t plan;
      const char* value;
      bool wrong, best;
    } told[] = {{"time", 0, "1 min 40 s", false, false},
                {"time", 1, "1 min 30 s", false, true},
                {"cutters", 0, "1: x", false, true},
                {"rest", 0, "2.00 \u00b5m of 10.00 \u00b5m, step 3", false, true},
                {"rest", 1, "0.200 mm of 10.00 \u00b5m, step 3: broken", true, false}, // what is broken is never the best
                {"cusp", 0, "not promised", false, false},
                {"cusp", 1, "not known", true, false},
                {"clearance", 0, "3.000 mm of 0.500 mm, step 3", false, false},
                {"engagement", 0, "58\u00b0 of 60\u00b0, step 3", false, false},
                {"forgotten", 0, "none", false, true},
                {"forgotten", 1, "0.5 cm\u00b2, 50 %", true, false},
                {"promises", 0, "3 kept, 0 broken, 0 not known", false, true},
                {"promises", 1, "2 kept, 1 broken, 1 not known", true, false}};
    for (const auto& t : told) {
      const FactRow r = row(t.plan, t.title);
      QVERIFY2(r.value == t.value && r.wrong == t.wrong && r.best == t.best, (r.title + ": " + r.value).c_str());
    }
    for (std::size_t k = 0; k < rows[0].size(); ++k) QCOMPARE(rows[0][k].title, rows[1][k].title);
    const auto alike = factRows({a, a}, LengthUnit::Inch);
    for (const FactRow& r : alike[0]) QVERIFY(!r.best); // all alike: none is
    QCOMPARE(commonLimits({a, b}).size(), 1u);
    QVERIFY(ownLimits(a, {a, b}).empty() && ownLimits(b, {a, b}).size() == 1 && ownLimits(b, {b}).size() == 2);
  }

  void costsAreAboutRight() {
    const JobResult before = evaluator_.evaluate(job_, path_, quiet_);
    const auto told = [&](std::size_t step, const char* field) {
      const StepResult& s = *before.steps[step];
      return costOfChange(*kindOf(s.step).field(field), job_, s, LengthUnit::Millimetre);
    };
    // What is estimated beside what a run takes.
    const struct {
      std::size_t step;
      double times; ///< of the cutting moves
      std::function<void(Step&)> change;
    } cases[] = {{1, std::sqrt(2.0), [](Step& s) { *s.promises.cusp /= 2; }},
                 {1, std::sqrt(0.5), [](Step& s) { *s.promises.cusp *= 2; }},
                 {0, 2, [](Step& s) { s.as<LevelRoughing>()->depth /= 2; }}};
    for (const auto& c : cases) {
      Job other = job_;
      c.change(other.steps[c.step]);
      const double takes = evaluator_.evaluate(other, path_, quiet_).steps[c.step]->time->timing.total;
      const double estimate = timeWith(*before.steps[c.step], c.times);
      QVERIFY2(std::abs(estimate / takes - 1) < 0.35, qPrintable(QString("%1 s estimated, %2 s").arg(estimate).arg(takes)));
    }
    QVERIFY2(told(1, "cusp_mm").find("Half of it: about") == 0, told(1, "cusp_mm").c_str());
    QVERIFY(told(0, "depth_mm").find("half the load of a level") != std::string::npos);
    QVERIFY(told(0, "stick_out_mm").find("5 mm less bends") == 0);
    QVERIFY(told(1, "chord_mm").find("blocks now") != std::string::npos);
    QVERIFY(told(0, "note").empty() && told(0, "holder").empty());
  }

  void anotherOrderSaysWhatItBreaks() {
    Job j = job_;
    for (const Cutter& c : library_.cutters) takeInto(j.cutters, c);
    j.clampings.push_back(j.clampings.front());
    LevelRoughing rough;
    ParallelPasses pass;
    Drilling holes;
    ParallelPasses even = pass;
    even.finish.allowance = 0.1;
    const Step bulk = step("bulk", rough, "bull nose 16 r2"), rest = step("rest", rough, "bull nose 8 r1"),
               finish = step("finish", pass, "ball 10"), fine = step("fine", pass, "ball 4"), drill = step("drill", holes, "drill 6.8"),
               evens = step("even", even, "ball 10"), turned = step("turned", rough, "bull nose 16 r2", 1);
    const struct {
      std::vector<Step> order;
      std::size_t from, place;
      std::vector<std::string> broken; ///< words of each remark that breaks, in any order
    } cases[] = {
        {{bulk, rest, finish}, 1, 2, {}},                                             // stays where it is
        {{bulk, rest, finish}, 0, 2, {"'rest' (bull nose 8 r1) would rough before"}}, // slim before wide
        {{bulk, rest, finish}, 2, 0, {"before 'bulk' has taken", "before 'rest' has taken"}},
        {{bulk, finish, fine}, 2, 1, {"'fine' (ball 4) would finish before"}},
        {{bulk, evens, finish}, 2, 1, {"leaves less than 'even'"}},
        {{drill, bulk, finish}, 0, 2, {"'drill' would drill after 'bulk'"}},
        {{bulk, finish, turned}, 2, 1, {"once more as in"}},
        {{rest, bulk, finish}, 0, 2, {}}, // mends what was odd
    };
    for (const auto& c : cases) {
      j.steps = c.order;
      const Job after = moved(j, c.from, c.place);
      QCOMPARE(after.steps.size(), j.steps.size());
      const auto remarks = orderChange(j, after);
      const bool same = c.place == c.from || c.place == c.from + 1;
      QCOMPARE(remarks.empty(), same);
      if (!same) QVERIFY(!remarks.back().breaks && remarks.back().text.find("computed again") != std::string::npos);
      std::string all;
      for (const OrderRemark& r : remarks)
        if (r.breaks) all += r.text + "\n";
      QCOMPARE(std::count(all.begin(), all.end(), '\n'), std::ssize(c.broken));
      for (const std::string& words : c.broken) QVERIFY2(all.find(words) != std::string::npos, (words + " in " + all).c_str());
    }
  }
};

QTEST_APPLESS_MAIN(TestPlans)
#include "tst_plans.moc"
