// One run of the real window from a model that nobody prepared to programs, as a person would go: propose, take, add, break, see why, mend,
// compare, hold, release, close, open again. Run with and without a window manager.
#include "base/file.h"
#include "help/help_window.h"
#include "ledger.h"
#include "libraries/libraries_window.h"
#include "plans/plans_page.h"
#include "shapes.h"
#include "start/last_jobs.h"
#include "theme.h"
#include "window_hand.h"
#include <QAccessible>
#include <QClipboard>
#include <QDialog>
#include <QElapsedTimer>
#include <QMessageBox>
#include <QProcess>
#include <QPushButton>
#include <QScrollArea>
#include <QScrollBar>
#include <QTextBrowser>

using namespace hemline;
using namespace hemline::app;

class TestLongRun : public QObject {
  Q_OBJECT
  QTemporaryDir dir_;
  std::unique_ptr<Window> window_;

  Desk& desk() { return window_->desk(); }
  std::size_t steps() { return desk().job().steps.size(); }
  PlansPage* plans() {
    auto* p = window_->findChild<PlansPage*>();
    return p && p->isVisible() ? p : nullptr;
  }
  void press(QWidget* in, const QString& name) {
    QPushButton* b = nullptr;
    const auto there = [&] {
      b = in->findChild<QPushButton*>(name);
      return b && b->isEnabled() && b->isVisible();
    };
    QVERIFY2(QTest::qWaitFor(there, 10000), qPrintable(name));
    QTest::mouseClick(b, Qt::LeftButton);
  }
  void shot(QWidget* w, const char* name) {
    if (qEnvironmentVariableIsSet("SHOTS")) {
      QTest::qWait(400);
      w->grab().save(qEnvironmentVariable("SHOTS") + "/" + name + ".png");
    }
  }
  /// What can have the focus, or be pressed, and has no name for those who do not see it.
  QStringList nameless(QWidget* top) {
    QStringList out;
    for (QWidget* w : top->findChildren<QWidget*>()) {
      if (!w->isVisible() || w->objectName().startsWith("qt_") || w->window() != top->window()) continue;
      const bool own = qobject_cast<QAbstractButton*>(w) || (w->focusPolicy() & Qt::TabFocus);
      if (!own || qobject_cast<QScrollArea*>(w) || qobject_cast<QScrollBar*>(w)) continue;
      auto* i = QAccessible::queryAccessibleInterface(w);
      if (!i || i->text(QAccessible::Name).trimmed().isEmpty())
        out << QString("%1 '%2' in '%3'").arg(w->metaObject()->className(), w->objectName(), w->parentWidget()->objectName());
    }
    return out;
  }
  /// Runs while a dialog that has to be answered is open.
  void inDialog(const std::function<void(QDialog*)>& answer) {
    QTimer::singleShot(0, this, [answer] {
      auto* d = qobject_cast<QDialog*>(QApplication::activeModalWidget());
      QVERIFY(d);
      answer(d);
    });
  }

private slots:
  void initTestCase() {
    setTheme(qEnvironmentVariableIsSet("DARK"));
    applyTheme();
    const auto bowl = shapes::field(
        -15, 15, -12, 12, 24, 60, [](double x, double y) { return -6 + std::min(6.0, 0.014 * x * x + 0.06 * y * y); }, Mat3::Identity());
    writeStl(dir_.filePath("bowl.stl").toStdString(), bowl->mesh);
    window_ = std::make_unique<Window>();
    window_->remember(true);
    window_->resize(1280, 720);
    window_->show();
    QVERIFY(QTest::qWaitForWindowExposed(window_.get()));
    QApplication::setActiveWindow(window_.get());
  }

  void aModelBecomesADraft() {
    shot(window_.get(), "0-start");
    window_->take({dir_.filePath("bowl.stl")});
    QVERIFY(QTest::qWaitFor([&] { return window_->findChild<QPushButton*>("unitMm") != nullptr; }, 30000));
    QTest::mouseClick(window_->findChild<QPushButton*>("unitMm"), Qt::LeftButton);
    QVERIFY(QTest::qWaitFor([&] { return desk().isOpen(); }, 60000));
    QVERIFY(computed(*window_));
    QCOMPARE(window_->stage(), Stage::Study);
    shot(window_.get(), "1-draft");
  }

  void plansAreProposedAndTaken() {
    QPushButton* propose = nullptr; // the buttons are made anew when results come in, and shown a little later
    QVERIFY(QTest::qWaitFor(
        [&] {
          for (QPushButton* b : window_->findChildren<QPushButton*>("action"))
            if (b->text() == "Propose plans" && b->isVisible()) propose = b;
          return propose != nullptr;
        },
        10000));
    QTest::mouseClick(propose, Qt::LeftButton);
    QVERIFY(QTest::qWaitFor([&] { return plans() != nullptr; }, 200000));
    QVERIFY(computed(*window_));
    const std::size_t n = desk().others().size();
    QVERIFY2(n >= 2, qPrintable(QString::number(n)));
    for (const auto& o : desk().others()) QVERIFY2(o->result && o->failure.isEmpty() && !o->kept, qPrintable(o->failure));
    shot(plans(), "2-plans");
    // The table says of each plan what a run of it says.
    QStringList words;
    for (const QLabel* l : plans()->findChildren<QLabel*>()) words << l->text();
    for (const auto& o : desk().others()) QVERIFY(!words.filter(QString::fromStdString(formatDuration(o->facts.time))).isEmpty());
    const Job before = desk().job();
    const Job other = desk().others()[1]->job;
    press(plans(), "take 2");
    QVERIFY(samePlan(desk().job(), other));
    QCOMPARE(desk().job().variants.size(), 1u); // what was there is kept
    QVERIFY(samePlan(*desk().job().variants[0].plan, before));
    QVERIFY(computed(*window_));
    desk().undo().undo();
    QVERIFY(samePlan(desk().job(), before));
    desk().undo().redo();
    QVERIFY(computed(*window_));
    QVERIFY(std::any_of(desk().others().begin(), desk().others().end(), [](const auto& o) { return o->kept && o->result; }));
  }

  void anotherPlanIsLookedAt() {
    window_->setPaint(Paint::StockLeft);
    desk().computeOthers();
    QVERIFY(computed(*window_));
    if (!plans()) window_->showPlans();
    press(plans(), "look 1");
    QVERIFY(QTest::qWaitFor([&] { return window_->findChild<QLabel*>("compared")->isVisible(); }, 5000));
    const PaintedMeasure own = window_->view().measure();
    QTest::keyPress(&window_->view(), Qt::Key_V);
    const PaintedMeasure theirs = window_->view().measure();
    shot(window_.get(), "3-other");
    QTest::keyRelease(&window_->view(), Qt::Key_V);
    QVERIFY(own.values.size() == theirs.values.size() && own.worst == window_->view().measure().worst);
    press(window_.get(), "paintDifference");
    const PaintedMeasure diff = window_->view().measure();
    QVERIFY2(diff.none.isEmpty(), qPrintable(diff.none));
    shot(window_.get(), "4-difference");
    // Facet by facet it is the one less the other.
    const auto a = leftByPlan(desk().result());
    const auto b = ontoNet(*desk().result().part, *desk().others()[0]->result->part, leftByPlan(*desk().others()[0]->result));
    for (std::size_t t = 0; t < a.size(); ++t) {
      const float d = 1e3f * (a[t] - b[t]);
      QVERIFY(std::isnan(d) ? std::isnan(diff.values[t]) : std::abs(d - diff.values[t]) < 1e-2f);
    }
    press(window_.get(), "noOther");
    QVERIFY(!window_->findChild<QLabel*>("compared")->isVisible());
  }

  void aStepIsAddedAndDragged() {
    const std::size_t before = steps();
    inDialog([](QDialog* page) { page->findChild<QPushButton*>("add parallel passes")->click(); });
    window_->addStep(static_cast<int>(before));
    QCOMPARE(steps(), before + 1);
    QVERIFY(computed(*window_));
    // On the hem: dragged before the first it says what breaks, and Escape leaves all.
    Hem& hem = window_->hem();
    const Job was = desk().job();
    const auto last = hem.block(before).center().toPoint(), first = hem.block(0).center().toPoint() - QPoint(8, 0);
    const auto drag = [&] {
      QTest::mousePress(&hem, Qt::LeftButton, {}, last);
      for (int k = 1; k <= 4; ++k) {
        QMouseEvent move(QEvent::MouseMove, last + (first - last) * k / 4, hem.mapToGlobal(last + (first - last) * k / 4), Qt::NoButton,
                         Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(&hem, &move);
      }
    };
    drag();
    QVERIFY2(hem.dropMeans().contains("has taken the bulk"), qPrintable(hem.dropMeans()));
    shot(window_.get(), "5-hem");
    QTest::keyClick(&hem, Qt::Key_Escape);
    QTest::mouseRelease(&hem, Qt::LeftButton, {}, first);
    QVERIFY(toJson(desk().job()) == toJson(was));
    drag();
    QTest::mouseRelease(&hem, Qt::LeftButton, {}, first);
    QCOMPARE(desk().job().steps[0].name, was.steps[before].name);
    desk().undo().undo();
    QVERIFY(toJson(desk().job()) == toJson(was));
    // In the ledger the same by rows.
    window_->showLedger(true);
    auto* ledger = window_->findChild<Ledger*>();
    QTableWidget* table = ledger->table();
    QWidget* view = table->viewport();
    const auto rowOf = [&](int step) {
      for (int r = 0; r < table->rowCount(); ++r)
        if (const auto* i = table->item(r, 0); i && i->data(Qt::UserRole).isValid() && i->data(Qt::UserRole).toInt() == step) return r;
      return -1;
    };
    const QPoint from = table->visualItemRect(table->item(rowOf(static_cast<int>(before)), 1)).center();
    const QPoint to = table->visualItemRect(table->item(rowOf(0), 1)).topLeft() + QPoint(10, 2);
    QTest::mousePress(view, Qt::LeftButton, {}, from);
    QMouseEvent move(QEvent::MouseMove, to, view->mapToGlobal(to), Qt::NoButton, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(view, &move);
    QVERIFY2(ledger->dropMeans().contains("has taken the bulk"), qPrintable(ledger->dropMeans()));
    shot(window_.get(), "6-ledger");
    QTest::keyClick(table, Qt::Key_Escape);
    QTest::mouseRelease(view, Qt::LeftButton, {}, to);
    QVERIFY(toJson(desk().job()) == toJson(was));
    window_->showLedger(false);
    desk().undo().undo(); // the added step
    QCOMPARE(steps(), before);
    QVERIFY(computed(*window_));
  }

  void aPromiseIsBrokenSeenAndMended() {
    window_->setStage(Stage::Plan);
    window_->hem().select(static_cast<int>(steps()) - 1);
    type(*window_, "clearance_mm", "40 mm"); // nothing is that far away
    QVERIFY(computed(*window_));
    QVERIFY(desk().tally()[1] > 0);
    QTest::keyClick(window_.get(), Qt::Key_3, Qt::AltModifier);
    auto* note = window_->findChild<QLabel*>("briefNote");
    bool seen = false;
    for (std::size_t k = 0; k < window_->hem().snags().size(); ++k) { // N goes through all of them
      QTest::keyClick(&window_->hem(), Qt::Key_N);
      window_->setStage(Stage::Plan);
      seen = seen || note->text().contains("clearance");
    }
    QVERIFY2(seen, qPrintable(note->text()));
    window_->hem().select(static_cast<int>(steps()) - 1);
    type(*window_, "clearance_mm", "0.25 mm");
    QVERIFY(computed(*window_));
    type(*window_, "note", "touch off on the rim");
    QVERIFY(computed(*window_));
    QCOMPARE(desk().job().steps.back().note, std::string("touch off on the rim"));
    shot(window_.get(), "7-plan");
  }

  void helpAnswersForWhatHasFocus() {
    window_->hem().select(0);
    auto* clause = window_->brief().clause("stick_out_mm");
    clause->findChild<QToolButton*>()->setFocus();
    QTest::keyClick(clause->findChild<QToolButton*>(), Qt::Key_F1);
    auto* help = window_->findChild<HelpWindow*>();
    QVERIFY(help && help->isVisible());
    QCOMPARE(help->page(), QString("kind-level-roughing"));
    auto* page = help->findChild<QTextBrowser*>("helpPage");
    QCOMPARE(page->textCursor().selectedText(), QString("stick-out"));
    for (const char* head : {"Pick it for", "What it costs", "What usually goes wrong"}) QVERIFY2(page->toPlainText().contains(head), head);
    // The search finds; every link leads somewhere, every picture is there.
    auto* words = help->findChild<QLineEdit*>("helpWords");
    QTest::keyClicks(words, "histogram");
    auto* list = help->findChild<QListWidget*>("helpPages");
    QCOMPARE(list->count(), 1);
    QTest::keyClick(words, Qt::Key_Return);
    QCOMPARE(help->page(), QString("view"));
    shot(help, "8-help");
    help->close();
  }

  void everythingHasAName() {
    QStringList none;
    for (int k = 0; k < 6; ++k) {
      window_->setStage(static_cast<Stage>(k));
      if (static_cast<Stage>(k) == Stage::Study) window_->markGround();
      none << nameless(window_.get());
      // A screen of 1280 x 720 has 60 px less for title and panel.
      const QSize least = window_->minimumSizeHint();
      QVERIFY2(least.width() <= 1280 && least.height() <= 660,
               qPrintable(QString("stage %1: %2 x %3").arg(k).arg(least.width()).arg(least.height())));
    }
    window_->showLedger(true);
    none << nameless(window_.get());
    window_->showLedger(false);
    window_->showPlans();
    none << nameless(plans());
    plans()->close();
    const auto look = [&](QDialog* d) {
      none << nameless(d);
      d->reject();
    };
    inDialog(look);
    window_->addStep(0);
    LibrariesWindow libraries(readShelf(), LibrariesWindow::Page::Cutters, window_.get());
    libraries.show();
    for (int k = 0; k < 5; ++k) {
      libraries.showPage(static_cast<LibrariesWindow::Page>(k));
      none << nameless(&libraries);
    }
    libraries.close();
    none.removeDuplicates();
    QVERIFY2(none.isEmpty(), qPrintable(none.join("\n")));
    QVERIFY(computed(*window_));
  }

  void picturesAndTables() {
    window_->setStage(Stage::Plan);
    for (const char* name : {"seen.png", "seen.svg", "seen.pdf"}) {
      const QString file = dir_.filePath(name);
      window_->savePicture(file);
      QVERIFY2(QFileInfo(file).size() > 5000, name);
    }
    const QImage seen(dir_.filePath("seen.png"));
    QVERIFY(seen.width() == 2 * window_->hem().width() && seen.height() > 2 * window_->view().height());
    if (qEnvironmentVariableIsSet("SHOTS")) seen.save(qEnvironmentVariable("SHOTS") + "/picture.png");
    QVERIFY_THROWS_EXCEPTION(Error, window_->savePicture(dir_.filePath("seen.gif")));
    QVERIFY_THROWS_EXCEPTION(Error, window_->savePicture("/nowhere/seen.png"));
    window_->copyTable();
    const QStringList lines = QGuiApplication::clipboard()->text().split('\n', Qt::SkipEmptyParts);
    std::size_t promises = 0;
    for (const StepView& v : desk().steps()) promises += v.result->promises.size();
    QCOMPARE(static_cast<std::size_t>(lines.size()), promises + 1);
    QVERIFY(lines[1].startsWith(QString::fromStdString(desk().job().steps[0].name) + "\t"));
    window_->showLedger(true);
    QCOMPARE(window_->rowsInSight().size(), window_->findChild<Ledger*>()->table()->rowCount() + 1);
    window_->showLedger(false);
  }

  void heldReleasedClosedAndFoundAgain() {
    const std::string held = dir_.filePath("held").toStdString();
    window_->releaseTo(QString::fromStdString(held));
    QVERIFY(QTest::qWaitFor([&] { return window_->message().startsWith("Held"); }, 60000));
    QVERIFY(!window_->message().contains("mask"));
    desk().edit("hold it", [](Job& j) {
      Fixture jaws;
      jaws.name = "vice", jaws.kind = FixtureKind::Jaws, jaws.force = 20000, jaws.friction = 0.2;
      jaws.at = Vec3(0, 0, -14), jaws.opening = 40, jaws.width = 30, jaws.height = 4;
      j.clampings[0].fixtures = {jaws};
      j.stock.margin[4] = 14;
    });
    QVERIFY(computed(*window_));
    const QString file = dir_.filePath("bowl.hemline");
    window_->saveTo(file);
    QVERIFY(QFileInfo::exists(file));
    const auto verdicts = desk().tally();
    const std::size_t variants = desk().job().variants.size();
    window_->closeJob();
    QVERIFY(!desk().isOpen());
    QElapsedTimer clock;
    clock.start();
    QVERIFY(window_->openJob(file));
    QVERIFY(computed(*window_));
    QCOMPARE(desk().tally(), verdicts);
    QVERIFY(variants > 0 && desk().job().variants.size() == variants);
    qInfo("all there again after %lld ms (in memory)", clock.elapsed());
    shot(window_.get(), "9-again");
  }

  void whatWasComputedFromAnotherFileIsForgotten() {
    const QString machine = dir_.filePath("mill.json");
    const std::string text = readFile(HEMLINE_SOURCE "/data/machines/mill-3.json");
    writeFileSafely(machine.toStdString(), text);
    desk().edit("another machine", [&](Job& j) { j.machineFile = machine.toStdString(); });
    QVERIFY(computed(*window_));
    desk().keepPlan("on the copy");
    desk().edit("change", [](Job& j) { j.steps.back().rpm = 9000; });
    QVERIFY(computed(*window_));
    const auto kept = [&] {
      const auto& all = desk().others();
      return *std::find_if(all.begin(), all.end(), [](const auto& o) { return o->name == "on the copy"; });
    };
    QVERIFY(kept()->result != nullptr && kept()->kept);
    QTest::qWait(30); // another time of change
    writeFileSafely(machine.toStdString(), text + "\n");
    QVERIFY(QTest::qWaitFor([&] { return kept()->result == nullptr; }, 10000));
    QVERIFY(computed(*window_));
    desk().computeOthers();
    QVERIFY(QTest::qWaitFor([&] { return kept()->result != nullptr; }, 60000));
    QVERIFY(computed(*window_));
    desk().save();
  }

  void killedAtAnyMomentNothingIsLost() {
    const auto bowl = shapes::field(
        -15, 15, -12, 12, 4, 8, [](double x, double y) { return -6 + std::min(6.0, 0.014 * x * x + 0.06 * y * y); }, Mat3::Identity());
    QSet<int> states;
    for (int n = 0; n < 8; ++n) {
      QTemporaryDir folder;
      writeStl(folder.filePath("dish.stl").toStdString(), bowl->mesh);
      QProcess victim;
      victim.start(QCoreApplication::applicationFilePath(), {"--victim", folder.path()});
      QString told;
      const auto read = [&] {
        told += QString::fromUtf8(victim.readAllStandardOutput());
        return told.count('\n');
      };
      // The first dies before anything is said; the others some edits on, a few milliseconds after one or in the middle of the next.
      QVERIFY(QTest::qWaitFor([&] { return read() >= 8 * n; }, 120000));
      QTest::qWait(n == 0 ? 400 : 5 * n);
      victim.kill();
      QVERIFY(victim.waitForFinished(10000));
      read();
      const QString line = told.section('\n', -2, -2);
      const QStringList last{line.section(' ', 0, 0), line.section(' ', 1)}; // the edit, and the job's path
      if (line.isEmpty()) continue;                                          // it had nothing yet, and the model is as it was
      Window w;
      w.show();
      QVERIFY2(w.openJob(last[1]), qPrintable(last[1]));
      if (w.findChild<QLabel*>("leftCopy")->isVisible()) QTest::mouseClick(w.findChild<QPushButton*>("takeCopy"), Qt::LeftButton);
      const int has = QString::fromStdString(w.desk().job().steps.back().note).toInt();
      QVERIFY2(has >= last[0].toInt(), qPrintable(QString("told %1, found %2").arg(last[0]).arg(has)));
      states.insert(has);
      w.desk().cancel();
    }
    QVERIFY2(states.size() >= 5, qPrintable(QString::number(states.size()))); // they died at different places
  }

  void aDamagedJobIsSaved() {
    const QString file = dir_.filePath("bowl.hemline"), damaged = dir_.filePath("torn.hemline");
    const std::string text = readFile(file.toStdString());
    writeFileSafely(damaged.toStdString(), text.substr(0, text.size() - text.size() / 8));
    QVERIFY(!window_->openJob(damaged));
    auto* action = window_->findChild<QPushButton*>("messageAction");
    QCOMPARE(action->text(), QString("See what can be saved"));
    inDialog([](QDialog* d) {
      auto* box = qobject_cast<QMessageBox*>(d);
      QVERIFY(box && box->text().contains("Lost:"));
      for (QAbstractButton* b : box->buttons())
        if (b->text() == "Open what is left") b->click();
    });
    QTest::mouseClick(action, Qt::LeftButton);
    QCOMPARE(QFileInfo(desk().path()).fileName(), QString("torn saved.hemline"));
    QCOMPARE(readFile(damaged.toStdString()), text.substr(0, text.size() - text.size() / 8)); // as it was
    QVERIFY(steps() > 0);
  }
};

/// From a model to a saved job and on, an edit after the other; each is told when it is made. Killed from outside at any moment.
static int beVictim(const QString& folder) {
  QTextStream out(stdout);
  Window w;
  w.show();
  w.startFrom(folder + "/dish.stl");
  if (!QTest::qWaitFor([&] { return w.findChild<QPushButton*>("unitMm") != nullptr; }, 30000)) return 1;
  QTest::mouseClick(w.findChild<QPushButton*>("unitMm"), Qt::LeftButton);
  if (!QTest::qWaitFor([&] { return w.desk().isOpen(); }, 60000)) return 1;
  for (int k = 1; k <= 60; ++k) {
    if (k == 20) w.saveTo(folder + "/dish.hemline");
    if (k == 40) w.desk().save();
    w.desk().edit("note", [k](Job& j) { j.steps.back().note = std::to_string(k); });
    out << k << " " << w.desk().path() << Qt::endl;
    QTest::qWait(15);
  }
  w.closeJob(); // asks, and waits to be killed
  return 1;
}

int main(int argc, char** argv) {
  if (argc == 3 && QString(argv[1]) == "--victim") {
    SurfaceView::askForGraphics();
    QApplication app(argc, argv);
    return beVictim(argv[2]);
  }
  return runAsNobody<TestLongRun>(argc, argv);
}
#include "tst_long_run.moc"
