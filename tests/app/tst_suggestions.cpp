// What the window suggests for a roughing step, taken by mouse and keys on a small real job.
#include "base/file.h"
#include "part/part.h"
#include "plans/hours_plot.h"
#include "plans/patterns_page.h"
#include "shapes.h"
#include "theme.h"
#include "window_hand.h"
#include <QApplication>
#include <QMenu>
#include <QPushButton>
#include <QTemporaryDir>

using namespace hemline;
using namespace hemline::app;

class TestSuggestions : public QObject {
  Q_OBJECT
  QTemporaryDir dir_;
  std::unique_ptr<Window> window_;

  /// Chooses an entry of the stage's menu of suggestions.
  void suggest(const QString& name) {
    const auto press = [&] {
      for (QPushButton* b : window_->findChildren<QPushButton*>())
        if (b->text() == "Suggest for this roughing" && b->isVisible())
          for (QAction* a : b->menu()->actions())
            if (a->text() == name) return a->trigger(), true;
      return false;
    };
    QVERIFY2(QTest::qWaitFor(press, 5000), qPrintable(name));
  }
  int overLimits() const {
    int n = 0;
    for (const Snag& s : window_->hem().snags()) n += s.row == "feed_by_load" ? s.count : 0;
    return n;
  }

private slots:
  void initTestCase() {
    setTheme(false);
    applyTheme();
    writeStl(dir_.filePath("tray.stl").toStdString(), partFromTriangles(shapes::tray(), "tray")->mesh);
    Job job;
    job.name = "tray", job.partFile = "tray.stl", job.partUnit = LengthUnit::Millimetre;
    job.machineFile = HEMLINE_SOURCE "/data/machines/mill-5-ac.json", job.stock.cell = 0.5;
    job.material = Material{"steel", 1900, 0.25, 210000, 7.8};
    Cutter mill = shapes::cutters()[0];
    mill.name = "flat 8", mill.diameter = mill.shankDiameter = 8, mill.fluteLength = 24, mill.length = 80, mill.rampAngle = radians(4);
    mill.teeth = 3, mill.feedPerTooth = 0.05, mill.cuttingSpeed = 150;
    job.cutters = {mill}, job.holders = {{"slim", {{0, 9, 40, 11}}, 2, 20}};
    Step s;
    s.name = "Rough", s.cutter = "flat 8", s.holder = "slim", s.stickOut = 45;
    LevelRoughing how;
    how.depth = 3, how.stepOver = 4, how.wall = how.floor = 0.4, how.bottom = 8.4;
    s.body = how, s.promises.gouge = 0.05, s.promises.clearance = 0.3;
    job.steps = {s};
    const QString path = dir_.filePath("tray.hemline");
    writeJob(path.toStdString(), job);
    window_ = std::make_unique<Window>();
    window_->resize(1280, 800);
    window_->show();
    QVERIFY(QTest::qWaitForWindowExposed(window_.get()));
    QApplication::setActiveWindow(window_.get());
    QVERIFY(window_->openJob(path) && computed(*window_, 60));
    window_->setStage(Stage::Plan);
    window_->hem().select(0);
    QTest::qWait(50);
  }

  void feedsFollowTheLoad() {
    Window& w = *window_;
    QCOMPARE(overLimits(), 0);
    const double plain = w.desk().steps()[0].result->time->timing.total, force = w.desk().steps()[0].result->effort->force;
    type(w, "most_force_N", QString::number(0.6 * force, 'f', 0));
    QVERIFY(computed(w, 60));
    QVERIFY(overLimits() > 0);
    for (const Snag& s : w.hem().snags()) QVERIFY2(s.text.contains("force") && s.severity > 1 && s.at.norm() > 0, qPrintable(s.text));
    w.hem().setTrace(Trace::Force);
    // A snag leads to the row that mends it.
    QTest::keyClick(&w, Qt::Key_N);
    QVERIFY(w.findChild<QLabel*>("briefNote")->text().contains("over a limit of the load"));
    w.desk().attempt("feeds", [](Job& j) { j.steps[0].feedByLoad = true; });
    QVERIFY(computed(w, 60));
    QCOMPARE(overLimits(), 0);
    const StepResult& fed = *w.desk().steps()[0].result;
    QVERIFY(fed.effort->force <= 0.6 * force + 1 && fed.time->timing.total > plain);
    QVERIFY(fed.planned->summary.find("feeds follow the load") != std::string::npos);
    w.desk().undo().undo();
    w.desk().undo().undo();
    QVERIFY(computed(w, 60) && w.desk().steps()[0].result->time->timing.total == plain);
  }

  void theEntryIsTheCutters() {
    Window& w = *window_;
    type(w, "entry_deg", "2");
    QVERIFY(computed(w, 60) && std::abs(degrees(w.desk().job().cutters[0].rampAngle) - 2) < 1e-9);
    const auto& promises = w.desk().steps()[0].result->promises;
    const auto entry = std::find_if(promises.begin(), promises.end(), [](const PromiseResult& p) { return p.name == "entry_deg"; });
    QVERIFY(entry != promises.end() && std::abs(entry->measured - 2) < 0.01 && entry->verdict == Verdict::Kept);
    w.desk().undo().undo();
    QVERIFY(computed(w, 60));
  }

  void holesAndDirections() {
    Window& w = *window_;
    // The shipped library has a drill that is wide enough.
    suggest("Drill the entries of the step");
    QVERIFY2(w.desk().job().steps.size() == 2, qPrintable(w.message()));
    QVERIFY(w.message().contains("hole") && computed(w, 60));
    QVERIFY(w.desk().steps()[0].result->step.is<Drilling>() && w.desk().steps()[0].result->texts(Severity::Blocker).empty());
    w.desk().undo().undo();
    QVERIFY(computed(w, 60));
    w.hem().select(0);
    QTest::qWait(50);
    suggest("Rough from more directions");
    QVERIFY2(!w.desk().job().steps[0].as<LevelRoughing>()->moreAxes.empty() && w.message().contains("of the surface"),
             qPrintable(w.message()));
    w.desk().undo().undo();
    QVERIFY(computed(w, 60));
  }

  /// Patterns are planned for a finishing step, drawn, and one becomes the step; a change of the job puts the page away.
  void finishingPatterns() {
    Window& w = *window_;
    w.proposeFinishing(); // the step in sight roughs
    QVERIFY(!w.findChild<PatternsPage*>() && w.message().contains("finishing step"));
    w.desk().edit("add a finish", [](Job& j) {
      Cutter ball = shapes::cutters()[1];
      ball.name = "ball 8";
      j.cutters.push_back(ball);
      Step s = j.steps[0];
      s.name = "Finish", s.cutter = "ball 8", s.promises = {}, s.promises.cusp = 0.05, s.promises.gouge = 0.02;
      ParallelPasses passes;
      passes.angle = radians(70), passes.finish.slopeTo = radians(60);
      s.body = passes;
      j.steps.push_back(s);
    });
    QVERIFY(computed(w, 60));
    w.hem().select(1);
    QTest::qWait(50);
    const auto press = [&](const QString& name) {
      for (QPushButton* b : w.findChildren<QPushButton*>("action"))
        if (b->text() == name && b->isVisible()) return QTest::mouseClick(b, Qt::LeftButton), true;
      return false;
    };
    // What other cusps would take, looked at by keys; another one is promised, and taken back.
    QVERIFY(press("Hours against cusp"));
    QVERIFY(QTest::qWaitFor([&] { return w.findChild<HoursPlot*>() != nullptr; }, 20000));
    auto* hours = w.findChild<HoursPlot*>();
    auto* said = hours->findChild<QLabel*>("hoursWords");
    QVERIFY2(said->text().contains("as promised now"), qPrintable(said->text()));
    for (int k = 0; k < 15; ++k) QTest::keyClick(hours, Qt::Key_Right);
    QVERIFY2(said->text().contains("less than promised now"), qPrintable(said->text()));
    if (const QByteArray shots = qgetenv("SHOTS"); !shots.isEmpty()) QTest::qWait(200), hours->grab().save(shots + "/hours.png");
    QTest::mouseClick(hours->findChild<QPushButton*>("takeCusp"), Qt::LeftButton);
    QVERIFY(*w.desk().job().steps[1].promises.cusp > 0.09 && *w.desk().job().steps[1].promises.cusp < 0.11);
    QTRY_VERIFY(!w.findChild<HoursPlot*>());
    w.desk().undo().undo();
    QVERIFY(computed(w, 60) && *w.desk().job().steps[1].promises.cusp == 0.05);
    QTest::qWait(50);
    QVERIFY(press("Propose finishing"));
    auto* page = w.findChild<PatternsPage*>();
    QVERIFY(page && QTest::qWaitFor([&] { return !page->planning() && !page->drawing(); }, 60000));
    QTest::qWait(50);
    int drawn = 0;
    QStringList words;
    for (const QLabel* l : page->findChildren<QLabel*>()) drawn += !l->pixmap(Qt::ReturnByValue).isNull(), words << l->text();
    QVERIFY2(drawn >= 4 && words.join('\n').contains("as it is: parallel passes"), qPrintable(words.join('\n')));
    auto* take = page->findChild<QPushButton*>("take passes of even spacing from the border");
    QVERIFY(take);
    QTest::mouseClick(take, Qt::LeftButton);
    QVERIFY(w.desk().job().steps[1].is<ConstantSpacingPasses>() && w.message().contains("even spacing"));
    QTRY_VERIFY(!w.findChild<PatternsPage*>());
    QVERIFY(computed(w, 60));
    w.desk().undo().undo();
    QVERIFY(w.desk().job().steps[1].as<ParallelPasses>()->angle == radians(70));
    w.proposeFinishing();
    QVERIFY(w.findChild<PatternsPage*>());
    w.desk().undo().undo();
    QTRY_VERIFY(!w.findChild<PatternsPage*>());
    QVERIFY(computed(w, 60));
  }
};

int main(int argc, char** argv) {
  return runAsNobody<TestSuggestions>(argc, argv);
}
#include "tst_suggestions.moc"
