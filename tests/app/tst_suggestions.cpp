// What the window suggests for a roughing step, taken by mouse and keys on a small real job.
#include "base/file.h"
#include "part/part.h"
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
};

int main(int argc, char** argv) {
  return runAsNobody<TestSuggestions>(argc, argv);
}
#include "tst_suggestions.moc"
