// From an empty window to a job, by the real window: a model nobody prepared is dropped, asked about, made a job of; steps are added to it;
// it is saved, closed and found again.
#include "base/file.h"
#include "shapes.h"
#include "stages/assumptions.h"
#include "start/last_jobs.h"
#include "start/start_page.h"
#include "theme.h"
#include "window_hand.h"
#include <QApplication>
#include <QDialog>
#include <QDropEvent>
#include <QFileInfo>
#include <QMimeData>
#include <QPushButton>
#include <QTemporaryDir>

using namespace hemline;
using namespace hemline::app;

class TestStart : public QObject {
  Q_OBJECT
  QTemporaryDir dir_;
  std::unique_ptr<Window> window_;

  QListWidget* list(const char* name) { return window_->findChild<QListWidget*>(name); }
  bool onStartPage() { return window_->findChild<StartPage*>()->isVisible(); }
  void drop(const QStringList& files) {
    QMimeData data;
    QList<QUrl> urls;
    for (const QString& f : files) urls << QUrl::fromLocalFile(f);
    data.setUrls(urls);
    QDropEvent e(QPointF(300, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    static_cast<QObject*>(window_.get())->event(&e);
  }
  /// Picks a kind on the page that the window opens; what stands there beside is left in `told`.
  void addStep(const QString& kind, int place, QStringList* told = nullptr) {
    QTimer::singleShot(0, this, [&] {
      auto* page = qobject_cast<QDialog*>(QApplication::activeModalWidget());
      QVERIFY(page);
      if (told)
        for (const QLabel* l : page->findChildren<QLabel*>()) *told << l->text();
      auto* add = page->findChild<QPushButton*>("add " + kind);
      if (add && add->isEnabled())
        add->click();
      else
        page->reject();
    });
    window_->addStep(place);
  }

private slots:
  void initTestCase() {
    setTheme(false);
    applyTheme();
    // A bowl in a block, in numbers that could be either unit.
    const auto bowl = shapes::field(
        -15, 15, -12, 12, 24, 20, [](double x, double y) { return -6 + 0.01 * (x * x + y * y); }, Mat3::Identity());
    writeStl(dir_.filePath("bowl.stl").toStdString(), bowl->mesh);
    writeFileSafely(dir_.filePath("notes.docx").toStdString(), "nothing");
    window_ = std::make_unique<Window>();
    window_->remember(true);
    window_->show();
    QVERIFY(QTest::qWaitForWindowExposed(window_.get()));
    QApplication::setActiveWindow(window_.get());
  }

  void nothingIsShownThatIsNotThere() {
    QVERIFY(onStartPage());
    QCOMPARE(list("lastJobs")->count(), 0);
    QCOMPARE(list("demos")->count(), 7);
    QVERIFY(!window_->view().isVisible() && !window_->hem().isVisible());
    for (QWidget* w : window_->findChild<StartPage*>()->findChildren<QWidget*>())
      if (w->focusPolicy() & Qt::TabFocus && !qobject_cast<QPushButton*>(w) && w->isVisible()) QVERIFY(!w->accessibleName().isEmpty());
  }

  void aModelIsAskedAbout() {
    drop({dir_.filePath("bowl.stl"), dir_.filePath("notes.docx")});
    QVERIFY(QTest::qWaitFor([&] { return window_->findChild<QPushButton*>("unitMm") != nullptr; }, 30000));
    // It is seen while it is asked about, and the file that is no model is named.
    QVERIFY(!onStartPage() && window_->desk().part() && !window_->desk().isOpen());
    QVERIFY(window_->headline().contains("How large"));
    QVERIFY(window_->message().contains("notes.docx"));
    QVERIFY(window_->findChild<QPushButton*>("unitMm")->text().contains("30 × 24"));
    QVERIFY(window_->findChild<QPushButton*>("unitInch")->text().contains("762"));
    window_->findChild<QPushButton*>("unitMm")->click();
    QVERIFY(QTest::qWaitFor([&] { return window_->desk().isOpen(); }, 60000));
    QVERIFY(isDraft(window_->desk().path()) && window_->desk().job().steps.size() == 2);
    QVERIFY(computed(*window_));
    QVERIFY(!window_->findChild<QPushButton*>("unitMm") || !window_->findChild<QPushButton*>("unitMm")->isVisible());
  }

  void somethingThatHoldsItIsProposed() {
    const Job before = window_->desk().job();
    auto* asked = window_->findChild<Assumptions*>();
    QPushButton* hold = nullptr;
    for (QPushButton* b : asked->findChildren<QPushButton*>())
      if (b->text() == "Hold it in a vice") hold = b;
    QVERIFY(hold);
    hold->click();
    const Job& job = window_->desk().job();
    QVERIFY(job.clampings[0].fixtures.size() == 1 && job.clampings[0].fixtures[0].kind == FixtureKind::Jaws);
    const Fixture& jaws = job.clampings[0].fixtures[0];
    QVERIFY(!jaws.force); // nobody has told it, so it holds the release
    QVERIFY(job.stock.margin[4] >= jaws.height + 2 && computed(*window_));
    const Box blank = window_->desk().base().stock->stock.bounds(), part = window_->desk().part()->mesh.bounds();
    QVERIFY(std::abs(jaws.at.z() - blank.low.z()) < job.stock.cell && jaws.at.z() + jaws.height < part.low.z());
    window_->desk().undo().undo();
    QCOMPARE(toJson(job).dump(), toJson(before).dump());
    QVERIFY(computed(*window_));
  }

  void stepsAreAdded() {
    const Job before = window_->desk().job();
    // A later roughing step: smaller, on what is left; all of it one edit.
    addStep("level roughing", 1);
    const Job& job = window_->desk().job();
    QCOMPARE(job.steps.size(), before.steps.size() + 1);
    QVERIFY(job.steps[1].is<LevelRoughing>() && job.cutter(job.steps[1].cutter).diameter < job.cutter(job.steps[0].cutter).diameter);
    QCOMPARE(window_->hem().selected(), 1);
    QVERIFY(window_->message().contains("could not enter"));
    window_->desk().undo().undo();
    QCOMPARE(toJson(window_->desk().job()).dump(), toJson(before).dump());
    // A later finish knows what the study knows, though all is computed: no smaller ball is of use in a bowl that any ball touches.
    QVERIFY(computed(*window_));
    addStep("parallel passes", 2);
    QVERIFY2(window_->message().contains("no smaller ball"), qPrintable(window_->message()));
    // One number stands for the finish of all steps only where it is that of all.
    const auto finish = [&] { return window_->findChild<Assumptions*>()->clause("a_finish")->findChild<QToolButton*>()->text(); };
    QCOMPARE(finish(), QString("5 µm"));
    window_->desk().edit("finer", [](Job& j) { j.steps.back().promises.cusp = 0.003; });
    QCOMPARE(finish(), QString("not the same in all steps"));
    window_->desk().undo().undo();
    window_->desk().undo().undo();
    // What makes no sense here says why.
    QStringList told;
    QVERIFY(computed(*window_));
    addStep("drilling", 1, &told);
    const bool enters = window_->desk().job().steps.size() > before.steps.size();
    QVERIFY(enters || told.join("\n").contains("Not here: "));
    for (const char* purpose : {"Take the bulk", "Finish", "Holes and edges"}) QVERIFY(told.contains(purpose));
    while (window_->desk().undo().canUndo()) window_->desk().undo().undo();
    QVERIFY(computed(*window_));
  }

  void savedClosedAndFoundAgain() {
    const QString draft = window_->desk().path(), named = dir_.filePath("bowl.hemline");
    window_->saveTo(named);
    QVERIFY(QFileInfo::exists(named) && !QFileInfo::exists(draft));
    QCOMPARE(window_->desk().path(), QFileInfo(named).absoluteFilePath());
    QVERIFY(computed(*window_));
    window_->closeJob();
    QVERIFY(onStartPage());
    QCOMPARE(list("lastJobs")->count(), 1);
    QVERIFY2(list("lastJobs")->item(0)->text().startsWith("bowl\n"), qPrintable(list("lastJobs")->item(0)->text()));
    QVERIFY(!pictureOf(named).isNull());
    // The keyboard opens it; what is known is there at once.
    list("lastJobs")->setFocus();
    list("lastJobs")->setCurrentRow(0);
    QTest::keyClick(list("lastJobs"), Qt::Key_Return);
    QCOMPARE(window_->desk().path(), QFileInfo(named).absoluteFilePath());
    QVERIFY(computed(*window_, 20));
  }

  void severalModelsAreAsked() {
    using Uses = std::vector<ModelUse>;
    const struct {
      QStringList files;
      bool open;
      Uses uses;
    } kCases[]{{{"a.stl", "vice.stl", "raw part.step"}, false, {ModelUse::Part, ModelUse::Fixture, ModelUse::Blank}},
               {{"soft jaws.stl", "lid.stl", "base.stl"}, false, {ModelUse::Fixture, ModelUse::Part, ModelUse::Fixture}},
               {{"jaws.stl"}, false, {ModelUse::Part}},
               {{"jaws.stl"}, true, {ModelUse::Fixture}},
               {{"lid.stl"}, true, {ModelUse::Part}},
               {{"blank.stl", "casting.stl"}, true, {ModelUse::Blank, ModelUse::Aside}}};
    for (const auto& c : kCases) {
      Uses uses;
      for (const DroppedModel& m : guessUses(c.files, c.open)) uses.push_back(m.use);
      QVERIFY2(uses == c.uses, qPrintable(c.files.join(", ")));
    }
    // Beside an open job: a fixture and a blank; the part of a new job is no longer the only way.
    QVERIFY(window_->desk().isOpen());
    writeStl(dir_.filePath("jaw.stl").toStdString(), partFromTriangles(shapes::box({-40, -40, -30}, {-20, 40, -10}), "jaw")->mesh);
    writeStl(dir_.filePath("blank.stl").toStdString(), partFromTriangles(shapes::box({-20, -20, -10}, {20, 20, 5}), "blank")->mesh);
    const QString path = window_->desk().path();
    QTimer::singleShot(0, this, [] {
      auto* page = qobject_cast<DroppedModels*>(QApplication::activeModalWidget());
      QVERIFY(page);
      auto* first = page->findChild<QComboBox*>("use 0");
      first->setCurrentIndex(static_cast<int>(ModelUse::Blank)); // and back: two blanks there cannot be
      QCOMPARE(page->findChild<QComboBox*>("use 1")->currentIndex(), static_cast<int>(ModelUse::Aside));
      first->setCurrentIndex(static_cast<int>(ModelUse::Fixture));
      page->findChild<QComboBox*>("use 1")->setCurrentIndex(static_cast<int>(ModelUse::Blank));
      page->accept();
    });
    drop({dir_.filePath("jaw.stl"), dir_.filePath("blank.stl")});
    const Job& job = window_->desk().job();
    QCOMPARE(window_->desk().path(), path);
    QVERIFY(job.stock.kind == "mesh" && job.stock.file.ends_with("blank.stl"));
    QVERIFY(job.clampings[0].fixtures.size() == 1 && job.clampings[0].fixtures[0].name == "jaw");
    window_->desk().undo().undo();
    window_->desk().undo().undo();
    QVERIFY(job.stock.kind != "mesh" && job.clampings[0].fixtures.empty());
  }

  void aDraftIsNotLost() {
    if (window_->desk().isOpen())
      QTimer::singleShot(0, this, [] { qobject_cast<QDialog*>(QApplication::activeModalWidget())->accept(); }); // of a new job
    drop({dir_.filePath("bowl.stl")});
    QVERIFY(QTest::qWaitFor(
        [&] { return window_->findChild<QPushButton*>("unitMm") && window_->findChild<QPushButton*>("unitMm")->isVisible(); }, 30000));
    window_->findChild<QPushButton*>("unitMm")->click();
    QVERIFY(QTest::qWaitFor([&] { return window_->desk().isOpen(); }, 60000));
    const QString draft = window_->desk().path();
    window_->desk().edit("cusp", [](Job& j) { j.steps[1].promises.cusp = 0.02; });
    window_->closeJob(); // asks nothing: it has no name yet, and stays
    QVERIFY(onStartPage());
    QVERIFY(list("lastJobs")->item(0)->text().contains("not saved under a name yet"));
    QCOMPARE(*readJob(draft.toStdString()).steps[1].promises.cusp, 0.02);
    // A job whose file is gone is not offered.
    QVERIFY(QFile::remove(draft));
    window_->findChild<StartPage*>()->refresh();
    QCOMPARE(list("lastJobs")->count(), 1);
  }

  void damagedModelsAreTold() {
    writeFileSafely(dir_.filePath("torn.stl").toStdString(), std::string("solid x\nfacet normal 0 0 1\n"));
    drop({dir_.filePath("torn.stl")});
    QVERIFY(QTest::qWaitFor([&] { return window_->message().contains("torn.stl"); }, 30000));
    QVERIFY(onStartPage() && !window_->desk().isOpen());
  }

  void whatIsCancelledIsNotSaidToGoOn() {
    drop({dir_.filePath("bowl.stl")});
    QVERIFY(QTest::qWaitFor(
        [&] { return window_->findChild<QPushButton*>("unitMm") && window_->findChild<QPushButton*>("unitMm")->isVisible(); }, 30000));
    window_->findChild<QPushButton*>("unitMm")->click();
    window_->desk().cancel();
    QVERIFY(QTest::qWaitFor([&] { return !window_->desk().computing(); }, 30000));
    if (!window_->desk().isOpen() && window_->desk().part())
      QVERIFY2(window_->headline().contains("No job was made"), qPrintable(window_->headline()));
    window_->closeJob();
    QVERIFY(onStartPage());
  }
};

int main(int argc, char** argv) {
  return runAsNobody<TestStart>(argc, argv);
}
#include "tst_start.moc"
