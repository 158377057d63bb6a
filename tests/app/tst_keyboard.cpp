// Once through the real window by keys alone: from the start page to papers, closed and opened again; and everything that takes the focus
// shows that it has it.
#include "help/help_window.h"
#include "ledger.h"
#include "plans/plans_page.h"
#include "shapes.h"
#include "start/last_jobs.h"
#include "theme.h"
#include "window_hand.h"
#include <QCheckBox>
#include <QDialog>
#include <QFileDialog>
#include <QListWidget>
#include <QPointer>
#include <QPushButton>
#include <QScrollArea>
#include <QTableWidget>
#include <QTimer>

using namespace hemline;
using namespace hemline::app;

class TestKeyboard : public QObject {
  Q_OBJECT
  QTemporaryDir dir_;
  std::unique_ptr<Window> window_;
  static inline QWidget* main_ = nullptr;

  Desk& desk() { return window_->desk(); }

  /// To whatever has the focus, as the window system would.
  static void key(int k, Qt::KeyboardModifiers with = {}) {
    // Without a window manager nobody hands the focus on when a dialog goes.
    if (!QApplication::activeWindow())
      QApplication::setActiveWindow(QApplication::activeModalWidget() ? QApplication::activeModalWidget() : main_);
    QWidget* to = QApplication::focusWidget() ? QApplication::focusWidget() : QApplication::activeWindow();
    QVERIFY2(to, "nothing takes keys");
    QTest::keyClick(to, static_cast<Qt::Key>(k), with);
    QTest::qWait(1); // nobody types faster than what goes is gone
  }
  static void words(const QString& text) {
    QVERIFY(QApplication::focusWidget());
    QTest::keyClicks(QApplication::focusWidget(), text);
  }
  /// Tab until this has the focus.
  static bool tabTo(const std::function<bool(QWidget*)>& is) {
    for (int n = 0; n < 250; ++n) {
      if (QApplication::focusWidget() && is(QApplication::focusWidget())) return true;
      key(Qt::Key_Tab);
    }
    return false;
  }
  static bool tabTo(const QString& name) {
    return tabTo([&](QWidget* w) { return w->objectName() == name; });
  }
  /// Keys for a dialog that the next key opens and that is waited for.
  void inDialog(const std::function<void(QDialog*)>& keys) {
    auto* timer = new QTimer(this);
    timer->setInterval(50);
    connect(timer, &QTimer::timeout, this, [timer, keys] {
      auto* d = qobject_cast<QDialog*>(QApplication::activeModalWidget());
      if (!d || !d->isVisible()) return;
      timer->stop();
      timer->deleteLater();
      QApplication::setActiveWindow(d);
      if (!QApplication::focusWidget()) d->setFocus();
      keys(d);
    });
    timer->start();
  }
  /// A name is typed into the dialog for files.
  void nameFile(const QString& file) {
    inDialog([file](QDialog*) {
      QTest::keyClick(QApplication::focusWidget(), Qt::Key_A, Qt::ControlModifier);
      words(file);
      key(Qt::Key_Return);
    });
  }
  void command(const QString& name) {
    inDialog([name](QDialog*) {
      words(name);
      key(Qt::Key_Return);
    });
    key(Qt::Key_K, Qt::ControlModifier);
  }
  void back() {
    QApplication::setActiveWindow(window_.get());
    QVERIFY(QTest::qWaitFor([] { return QApplication::activeWindow() != nullptr; }, 2000));
  }

private slots:
  void initTestCase() {
    setTheme(false);
    applyTheme();
    const auto bowl = shapes::field(
        -15, 15, -12, 12, 24, 60, [](double x, double y) { return -6 + std::min(6.0, 0.014 * x * x + 0.06 * y * y); }, Mat3::Identity());
    writeStl(dir_.filePath("bowl.stl").toStdString(), bowl->mesh);
    window_ = std::make_unique<Window>();
    main_ = window_.get();
    window_->remember(true);
    window_->resize(1280, 720);
    window_->show();
    QVERIFY(QTest::qWaitForWindowExposed(window_.get()));
    back();
  }

  void fromNothingToPapers() {
    QVERIFY(tabTo("startModel"));
    nameFile(dir_.filePath("bowl.stl"));
    key(Qt::Key_Space);
    QVERIFY(QTest::qWaitFor([&] { return window_->findChild<QPushButton*>("unitMm") != nullptr; }, 30000));
    QTest::qWait(100);
    QVERIFY(tabTo("unitMm"));
    key(Qt::Key_Space);
    QVERIFY(QTest::qWaitFor([&] { return desk().isOpen(); }, 60000));
    QVERIFY(computed(*window_));

    command("propose plans");
    QVERIFY(QTest::qWaitFor(
        [&] {
          auto* p = window_->findChild<PlansPage*>();
          return p && p->isVisible();
        },
        200000));
    QVERIFY(computed(*window_));
    const QPointer<PlansPage> plans = window_->findChild<PlansPage*>();
    QApplication::setActiveWindow(plans);
    QVERIFY(!desk().others().empty());
    QVERIFY(tabTo("take 1"));
    key(Qt::Key_Space);
    QCOMPARE(desk().job().variants.size(), 1u);
    key(Qt::Key_Escape);
    QVERIFY(!plans || !plans->isVisible());
    back();
    QVERIFY(computed(*window_));

    // A promise in the brief.
    key(Qt::Key_3, Qt::AltModifier);
    QCOMPARE(window_->stage(), Stage::Plan);
    const std::size_t last = desk().job().steps.size() - 1;
    window_->hem().select(static_cast<int>(last));
    QVERIFY(tabTo([](QWidget* w) {
      const auto* c = qobject_cast<Clause*>(w->parentWidget());
      return c && c->id() == "cusp_mm";
    }));
    key(Qt::Key_Return);
    const QWidget* at = QApplication::focusWidget();
    QVERIFY2(qobject_cast<const QLineEdit*>(at), at ? at->metaObject()->className() : "nothing");
    key(Qt::Key_A, Qt::ControlModifier);
    words("15 um");
    key(Qt::Key_Return);
    QCOMPARE(*desk().job().steps[last].promises.cusp, 0.015);
    key(Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(*desk().job().steps[last].promises.cusp != 0.015);
    QVERIFY(computed(*window_));

    // A step is added, moved, taken back.
    const Job was = desk().job();
    inDialog([](QDialog*) {
      QVERIFY(tabTo("add parallel passes"));
      key(Qt::Key_Space);
    });
    key(Qt::Key_Return, Qt::ControlModifier);
    QCOMPARE(desk().job().steps.size(), last + 2);
    const std::string added = desk().job().steps[last + 1].name;
    key(Qt::Key_Up, Qt::ControlModifier | Qt::ShiftModifier);
    QCOMPARE(desk().job().steps[last].name, added);
    key(Qt::Key_Down, Qt::ControlModifier | Qt::ShiftModifier);
    QCOMPARE(desk().job().steps[last + 1].name, added);
    for (int n = 0; n < 5 && toJson(desk().job()) != toJson(was); ++n) key(Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(toJson(desk().job()) == toJson(was));
    QVERIFY(computed(*window_));

    // Along the path; the ledger; help.
    QVERIFY(tabTo("hem"));
    const double before = window_->hem().time();
    for (int n = 0; n < 5; ++n) key(Qt::Key_Right);
    QVERIFY(window_->hem().time() > before);
    key(Qt::Key_L, Qt::ControlModifier);
    QVERIFY(tabTo([](QWidget* w) { return qobject_cast<QTableWidget*>(w) != nullptr; }));
    key(Qt::Key_F1);
    const QPointer<HelpWindow> help = window_->findChild<HelpWindow*>();
    QVERIFY(help && help->isVisible());
    QCOMPARE(help->page(), QString("ledger"));
    QApplication::setActiveWindow(help);
    if (!QApplication::focusWidget()) help->setFocus();
    key(Qt::Key_Escape);
    QVERIFY(!help || !help->isVisible());
    back();
    key(Qt::Key_L, Qt::ControlModifier);

    // A name, papers, and back to the start.
    const QString file = dir_.filePath("bowl.hemline"), out = dir_.filePath("out");
    QDir().mkpath(out);
    nameFile(file);
    key(Qt::Key_S, Qt::ControlModifier | Qt::ShiftModifier);
    QCOMPARE(QFileInfo(desk().path()).absoluteFilePath(), QFileInfo(file).absoluteFilePath());
    QVERIFY(computed(*window_));
    inDialog([this, out](QDialog*) {
      nameFile(out);
      words("release programs");
      key(Qt::Key_Return);
    });
    key(Qt::Key_K, Qt::ControlModifier);
    QVERIFY2(QTest::qWaitFor([&] { return window_->message().startsWith("Held"); }, 60000), qPrintable(window_->message()));
    key(Qt::Key_W, Qt::ControlModifier);
    QVERIFY(!desk().isOpen());
    QVERIFY(tabTo("lastJobs"));
    key(Qt::Key_Home);
    key(Qt::Key_Return);
    QVERIFY(desk().isOpen());
    QCOMPARE(QFileInfo(desk().path()).fileName(), QString("bowl.hemline"));
    QVERIFY(computed(*window_));
  }

  void theFocusIsSeen() {
    QStringList unseen;
    for (const Stage stage : {Stage::Study, Stage::Hold, Stage::Plan, Stage::Release}) {
      window_->setStage(stage);
      QTest::qWait(50);
      QSet<QWidget*> seen;
      for (int n = 0; n < 250; ++n) {
        key(Qt::Key_Tab);
        QWidget* w = QApplication::focusWidget();
        QVERIFY(w);
        if (seen.contains(w)) break;
        seen.insert(w);
        if (qobject_cast<QLineEdit*>(w)) continue; // its cursor blinks
        const QRect around = QRect(w->mapTo(window_.get(), QPoint()), w->size()).adjusted(-3, -3, 3, 3);
        const QImage with = window_->grab(around).toImage();
        window_->setFocus();
        const QImage without = window_->grab(around).toImage();
        w->setFocus(Qt::TabFocusReason);
        if (with == without)
          unseen << QString("%1 '%2' %3")
                        .arg(w->metaObject()->className(), w->objectName(),
                             qobject_cast<QAbstractButton*>(w) ? static_cast<QAbstractButton*>(w)->text() : "");
      }
      QVERIFY(seen.size() > 10);
    }
    unseen.removeDuplicates();
    QVERIFY2(unseen.isEmpty(), qPrintable(unseen.join("\n")));
  }
};

int main(int argc, char** argv) {
  QApplication::setAttribute(Qt::AA_DontUseNativeDialogs);
  return runAsNobody<TestKeyboard>(argc, argv);
}
#include "tst_keyboard.moc"
