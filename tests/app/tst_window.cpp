// The real window: opened on the demo job (with a coarser finish, so that a test run stays short) and driven as a user would.
#include "base/file.h"
#include "dish.h"
#include "job/regions.h"
#include "ledger.h"
#include "machine/program.h"
#include "stages/microscope_card.h"
#include "theme.h"
#include "view/measures.h"
#include "window_hand.h"
#include <QApplication>
#include <QDir>
#include <QFileInfo>
#include <QMenu>
#include <QMouseEvent>
#include <QProcess>
#include <QPushButton>
#include <QScrollArea>
#include <QSignalSpy>
#include <QTemporaryDir>
#include <QTest>
#include <csignal>

using namespace hemline;
using namespace hemline::app;

namespace {

/// The paddle mould with a finish of 0.2 mm on a coarse tessellation.
QString demoJob(const QString& folder) {
  nlohmann::json j = nlohmann::json::parse(readFile(HEMLINE_SOURCE "/demo/paddle-mould.hemline"));
  j["part"]["file"] = HEMLINE_SOURCE "/demo/paddle-mould.step";
  j["machine"] = HEMLINE_SOURCE "/data/machines/mill-3.json";
  j["stock"]["cell_mm"] = 2.0;
  j.erase("regions"), j.erase("rails"); // their promises are of the fine finish
  auto& finish = j["steps"][1];
  finish["chord_mm"] = 0.02;
  finish["promises"] = {{"cusp_mm", 0.2}, {"gouge_mm", 0.1}, {"rest_mm", 0.1}, {"clearance_mm", 0.5}};
  const QString path = folder + "/mould.hemline";
  writeFileSafely(path.toStdString(), j.dump(1));
  return path;
}

const PromiseResult* promise(Window& w, std::size_t step, const std::string& name) {
  for (const PromiseResult& p : w.desk().steps()[step].result->promises)
    if (p.name == name) return &p;
  return nullptr;
}

} // namespace

class TestWindow : public QObject {
  Q_OBJECT
private slots:
  void initTestCase();
  void opens();
  void opensAsItWasComputed();
  void fitsTheScreen();
  void measuredFollowsPromised();
  void badInputKeepsTheOldValue();
  void cancels();
  void snags();
  void probes();
  void looksClosely();
  void paintsWhatWasMeasured();
  void legendIsDragged();
  void stagesAnswerTheirQuestion();
  void lightAndDark();
  void scrubs();
  void stockFollowsTheHand();
  void studies();
  void marksRegionsAndRails();
  void holdsTheWork();
  void ledgerChangesSeveral();
  void acceptsAChangedModel();
  void unitsAndCommands();
  void takesAPathAndAdvises();
  void savesAndKeepsTheOldFile();
  void recoversAfterAKill();
  void releases();
  void badJobsAreTold_data();
  void badJobsAreTold();

private:
  QTemporaryDir folder_;
  QString job_;
  std::shared_ptr<Store> store_;
  std::unique_ptr<Window> window_;
};

void TestWindow::initTestCase() {
  job_ = demoJob(folder_.path());
  store_ = std::make_shared<Store>((folder_.path() + "/results").toStdString(), Key{});
  window_ = std::make_unique<Window>();
  window_->desk().useStore(store_);
  window_->show();
  QVERIFY(QTest::qWaitForWindowExposed(window_.get()));
  QApplication::setActiveWindow(window_.get()); // there is no window manager to do it
}

void TestWindow::opens() {
  QVERIFY(window_->openJob(job_));
  QVERIFY(window_->desk().computing());
  QVERIFY(QTest::qWaitFor([&] { return window_->desk().part() != nullptr; }, 60000)); // the part comes before the steps
  // While the finish is measured its first answer is painted.
  QVERIFY(QTest::qWaitFor([&] { return window_->desk().steps().size() > 1 && window_->desk().steps()[1].coarse; }, 60000));
  const PaintedMeasure first = paintedMeasure(window_->desk(), Paint::Cusp, 1);
  QVERIFY(first.coarse && first.none.isEmpty() && first.name == paintName(Paint::StockLeft) && first.worst > 0);
  QVERIFY(computed(*window_));
  QVERIFY(!window_->desk().steps()[1].coarse && !paintedMeasure(window_->desk(), Paint::Cusp, 1).coarse);
  QCOMPARE(window_->findChild<QComboBox*>("paint")->currentText(), paintName(Paint::StockLeft)); // the box says what is painted
  QCOMPARE(window_->desk().steps().size(), 2u);
  for (const StepView& s : window_->desk().steps()) QVERIFY(s.result && s.fresh);
  QCOMPARE(promise(*window_, 1, "cusp_mm")->verdict, Verdict::Kept);
  QCOMPARE(promise(*window_, 0, "engagement_deg")->verdict, Verdict::Broken); // on purpose: the first pass of a level is a slot
  QVERIFY(window_->headline().contains("min"));
  // Something is drawn: the picture of the view is not one colour.
  const QImage picture = window_->view().grabFramebuffer();
  QSet<QRgb> colours;
  for (int x = 0; x < picture.width(); x += 7)
    for (int y = 0; y < picture.height(); y += 7) colours.insert(picture.pixel(x, y));
  QVERIFY(colours.size() > 50);
}

/// What one window computed, another one only looks up.
void TestWindow::opensAsItWasComputed() {
  QVERIFY(!window_->desk().knownBefore());
  store_->flush();
  const QString again = folder_.path() + "/again.hemline";
  QVERIFY(QFile::copy(job_, again));
  Window other;
  other.desk().useStore(std::make_shared<Store>((folder_.path() + "/results").toStdString(), Key{}));
  QVERIFY(other.openJob(again));
  QVERIFY(computed(other));
  QVERIFY(other.desk().knownBefore());
  for (const char* name : {"cusp_mm", "gouge_mm", "clearance_mm"})
    QCOMPARE(promise(other, 1, name)->bound, promise(*window_, 1, name)->bound);
  for (const Paint paint : {Paint::StockLeft, Paint::Cusp})
    QVERIFY(paintedMeasure(other.desk(), paint, 1).worst == paintedMeasure(window_->desk(), paint, 1).worst);
}

void TestWindow::fitsTheScreen() {
  window_->resize(1280, 800);
  QCoreApplication::processEvents();
  QCOMPARE(window_->size(), QSize(1280, 800));
  // Nothing that is shown reaches over the window's edge.
  const QRect all = window_->rect();
  for (const QWidget* w : window_->findChildren<QWidget*>()) {
    if (!w->isVisible() || w->window() != window_.get()) continue;
    const QWidget* scroll = w->parentWidget();
    bool inScroll = false;
    for (; scroll; scroll = scroll->parentWidget()) inScroll = inScroll || qobject_cast<const QAbstractScrollArea*>(scroll);
    if (inScroll) continue;
    const QRect r(w->mapTo(window_.get(), QPoint(0, 0)), w->size());
    QVERIFY2(all.contains(r), qPrintable(w->objectName() + " " + w->metaObject()->className()));
  }
}

void TestWindow::measuredFollowsPromised() {
  Window& w = *window_;
  w.setStage(Stage::Plan);
  w.hem().select(1);
  const double before = promise(w, 1, "cusp_mm")->measured;
  const double time = w.desk().steps()[1].result->time->timing.total;
  const auto roughing = w.desk().steps()[0].result->planned;
  type(w, "cusp_mm", "0,3 mm"); // a decimal comma is as good
  QCOMPARE(*w.desk().job().steps[1].promises.cusp, 0.3);
  QVERIFY(!w.desk().complete() && !w.desk().steps()[1].fresh); // stale at once, never shown as current
  QVERIFY(w.headline().endsWith("(stale)"));
  QVERIFY(computed(w));
  const PromiseResult* after = promise(w, 1, "cusp_mm");
  QCOMPARE(after->promised, 0.3);
  QVERIFY2(after->measured > before && after->bound <= 0.3, qPrintable(QString("%1 %2").arg(before).arg(after->measured)));
  QVERIFY(w.desk().steps()[1].result->time->timing.total < time);
  QCOMPARE(w.desk().steps()[0].result->planned, roughing); // what does not depend on it was not computed again
  QTest::keyClick(&w, Qt::Key_Z, Qt::ControlModifier);
  QCOMPARE(*w.desk().job().steps[1].promises.cusp, 0.2);
  QVERIFY(computed(w));
  QCOMPARE(promise(w, 1, "cusp_mm")->measured, before);
}

void TestWindow::badInputKeepsTheOldValue() {
  Window& w = *window_;
  for (const char* bad : {"soon", "0", "900 mm"}) {
    type(w, "cusp_mm", bad);
    QCOMPARE(*w.desk().job().steps[1].promises.cusp, 0.2);
    auto* note = w.findChild<QLabel*>("briefNote");
    QVERIFY(note->isVisible() && note->text().contains("Type a length from"));
    auto* edit = w.brief().clause("cusp_mm")->findChild<QLineEdit*>();
    QVERIFY(edit && edit->property("wrong").toBool());
    QTest::keyClick(edit, Qt::Key_Escape);
    QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
  }
  // An error that a row of a step mends leads there.
  w.desk().attempt("longer", [](Job& j) { j.steps[1].stickOut = 1e4; });
  w.setStage(Stage::Study);
  auto* go = w.findChild<QPushButton*>("messageAction");
  QVERIFY(go->isVisible());
  go->click();
  QVERIFY(w.brief().isVisible() && w.brief().step() == 1);
  QVERIFY(w.findChild<QLabel*>("briefNote")->text().contains("stick"));
}

void TestWindow::cancels() {
  Window& w = *window_;
  type(w, "cusp_mm", "0.05 mm");
  QVERIFY(QTest::qWaitFor([&] { return w.desk().computing() && w.desk().doing().contains("pass"); }, 60000));
  QElapsedTimer clock;
  clock.start();
  QTest::mouseClick(w.findChild<QPushButton*>("cancel"), Qt::LeftButton);
  QVERIFY(QTest::qWaitFor([&] { return !w.desk().computing(); }, 5000));
  QVERIFY2(clock.elapsed() < 3000, qPrintable(QString::number(clock.elapsed())));
  QVERIFY(!w.desk().complete());
  QVERIFY(!w.desk().steps()[1].fresh);
  QTest::keyClick(&w, Qt::Key_Z, Qt::ControlModifier);
  QVERIFY(computed(w));
}

void TestWindow::snags() {
  Window& w = *window_;
  QVERIFY(!w.hem().snags().empty());
  const QRectF box = w.hem().snagRect(0);
  QTest::mouseClick(&w.hem(), Qt::LeftButton, {}, box.center().toPoint());
  QCOMPARE(w.hem().selected(), w.hem().snags()[0].step);
  auto* note = w.findChild<QLabel*>("briefNote");
  QVERIFY(note->isVisible() && note->text().contains("engagement"));
  QTRY_VERIFY(w.brief().clause("engagement_deg")->isVisible()); // the very row that is responsible
}

void TestWindow::probes() {
  Window& w = *window_;
  w.hem().select(1);
  w.view().fit();
  QTest::mouseClick(&w.view(), Qt::LeftButton, {}, w.view().rect().center());
  QVERIFY(w.probeText().contains("Probe 1"));
  for (const char* said : {"slope", "Rough the cavity", "Finish the cavity", "left"}) QVERIFY2(w.probeText().contains(said), said);
}

void TestWindow::looksClosely() {
  // A click on the highest cusp of the list flies there and looks closely: the map's largest value is what was measured.
  Window& w = *window_;
  w.setStage(Stage::Prove);
  auto* card = w.view().findChild<MicroscopeCard*>("microscope");
  QVERIFY(card);
  QCoreApplication::processEvents();
  PromiseRow* row = nullptr;
  for (QLabel* l : w.findChildren<QLabel*>("evidence"))
    if (!row && l->isVisible() && l->text().contains("high cusp")) row = qobject_cast<PromiseRow*>(l->parentWidget());
  QVERIFY(row);
  QTest::mouseClick(row, Qt::LeftButton);
  QTRY_VERIFY(card->isVisible() && card->looks());
  const double worst = promise(w, 1, "cusp_mm")->measured;
  const float most = *std::max_element(card->map().left.begin(), card->map().left.end(), [](float a, float b) { return !(a >= b); });
  QVERIFY2(std::abs(static_cast<double>(most) / worst - 1) < 0.1, qPrintable(QString("%1 for %2").arg(double(most)).arg(worst)));
  const double side = card->side();
  QWheelEvent wheel({20, 20}, card->mapToGlobal(QPointF(20, 20)), {}, {0, 240}, {}, {}, Qt::NoScrollPhase, false);
  QApplication::sendEvent(card, &wheel);
  QVERIFY(card->side() < side && card->map().size == card->side());
  QVERIFY(w.view().rect().contains(card->geometry()));
  w.hem().setTrace(Trace::Clearance);
  const ClearanceTrace& trace = *w.desk().steps()[1].result->clearanceTrace;
  QVERIFY(trace.location.size() > 100 && trace.location.size() == trace.distance.size());
  const double least = *std::min_element(trace.distance.begin(), trace.distance.end());
  QVERIFY(least >= w.desk().steps()[1].result->clearance->least.value - 1e-3);
  w.hem().setTrace(Trace::Feed);
  w.setStage(Stage::Plan);
  w.hem().select(1);
}

void TestWindow::paintsWhatWasMeasured() {
  Window& w = *window_;
  const auto part = w.desk().part();
  const PaintedMeasure cusp = paintedMeasure(w.desk(), Paint::Cusp, 1);
  QVERIFY(cusp.none.isEmpty() && !cusp.stale);
  const PromiseResult* p = promise(w, 1, "cusp_mm");
  QVERIFY(std::abs(cusp.worst - p->measured * 1e3) < 0.02 * p->measured * 1e3); // micrometres on the legend
  QCOMPARE(*cusp.promise, p->promised * 1e3);
  QVERIFY(cusp.over == 0);
  QVERIFY((cusp.worstAt - p->at).norm() < 5 || cusp.worst >= p->measured * 1e3 * 0.999);
  const PaintedMeasure coverage = paintedMeasure(w.desk(), Paint::Coverage, 1);
  std::array<double, 3> area{};
  for (std::size_t t = 0; t < coverage.values.size(); ++t)
    area[static_cast<std::size_t>(coverage.values[t])] += static_cast<double>(coverage.area[t]);
  QVERIFY(std::abs(area[1] / w.desk().result().coverage.finished - 1) < 1e-5);
  QVERIFY(std::abs((area[0] + area[1] + area[2]) / part->mesh.area() - 1) < 1e-5);
  QVERIFY(!paintedMeasure(w.desk(), Paint::Cusp, 0).none.isEmpty()); // a roughing step has none, and says so
  const PaintedMeasure slope = paintedMeasure(w.desk(), Paint::Slope, 1);
  QVERIFY(slope.worst <= 90.5 && slope.worst >= 89); // upright sides; the level underside is left out
}

void TestWindow::legendIsDragged() {
  Window& w = *window_;
  w.setPaint(Paint::Cusp);
  Legend* legend = w.view().legend();
  const double before = legend->to();
  QSignalSpy changed(legend, &Legend::rangeChanged);
  const QPoint end(legend->width() - 13, legend->height() / 2);
  QTest::mousePress(legend, Qt::LeftButton, {}, end);
  QTest::mouseMove(legend, end - QPoint(legend->width() / 2, 0));
  QTest::mouseRelease(legend, Qt::LeftButton, {}, end - QPoint(legend->width() / 2, 0));
  QVERIFY(changed.count() >= 1);
  QVERIFY(legend->to() < 0.7 * before && legend->from() == 0);
  QTest::keyClick(legend, Qt::Key_Home);
  QCOMPARE(legend->to(), before);
}

void TestWindow::stagesAnswerTheirQuestion() {
  Window& w = *window_;
  const std::array<const char*, 6> said{"Costliest", "Nearest to a limit", "forgotten", "engagement", "Held", "recorded"};
  for (int k = 0; k < 6; ++k) {
    w.setStage(static_cast<Stage>(k));
    QVERIFY2(w.headline().contains(said[static_cast<std::size_t>(k)]), qPrintable(w.headline()));
  }
  w.setStage(Stage::Prove); // the view is at the worst place already, with its step selected
  QCOMPARE(w.hem().selected(), 0);
  // What is wrong there is traced, and nothing is painted that this step does not have.
  QCOMPARE(w.findChild<QComboBox*>("trace")->currentData().toInt(), static_cast<int>(Trace::Engagement));
  QVERIFY(!w.view().legend()->isVisible());
  w.setStage(Stage::Plan);
  QVERIFY(w.view().legend()->isVisible());
}

void TestWindow::lightAndDark() {
  Window& w = *window_;
  const auto corner = [&] { return w.grab().toImage().pixelColor(4, w.height() / 2).lightness(); };
  QVERIFY(corner() > 200);
  QTest::keyClick(&w, Qt::Key_D, Qt::ControlModifier);
  QVERIFY(theme().dark && corner() < 60);
  QTest::keyClick(&w, Qt::Key_D, Qt::ControlModifier);
  QVERIFY(corner() > 200);
  // Text is readable on its ground: 4.5 to 1 or better (WCAG 2.1 relative luminance).
  const auto luminance = [](const QColor& c) {
    const auto part = [](double x) { return x <= 0.04045 ? x / 12.92 : std::pow((x + 0.055) / 1.055, 2.4); };
    return 0.2126 * part(c.redF()) + 0.7152 * part(c.greenF()) + 0.0722 * part(c.blueF());
  };
  for (const bool dark : {true, false}) {
    setTheme(dark);
    const Theme& t = theme();
    for (const QColor& ink : {t.ink, t.muted, t.accent, t.broken})
      for (const QColor& ground : {t.window, t.panel}) {
        const double a = luminance(ink) + 0.05, b = luminance(ground) + 0.05;
        QVERIFY2(std::max(a, b) / std::min(a, b) >= 4.5, qPrintable(ink.name() + " on " + ground.name()));
      }
  }
}

void TestWindow::scrubs() {
  Window& w = *window_;
  QSignalSpy moved(&w.hem(), &Hem::scrubbed);
  w.hem().setFocus();
  QTest::keyClick(&w.hem(), Qt::Key_Home);
  QTest::keyClick(&w.hem(), Qt::Key_Right);
  QVERIFY(w.hem().time() > 0);
  const QPoint late(w.hem().width() * 3 / 4, w.hem().height() - 40);
  QTest::mouseClick(&w.hem(), Qt::LeftButton, {}, late);
  QVERIFY(w.hem().time() > 0.6 * w.desk().steps()[1].result->time->timing.total);
  QCOMPARE(moved.count(), 3);
  QTest::keyClick(&w.hem(), Qt::Key_Space);
  QVERIFY(w.hem().playing());
  QTest::keyClick(&w.hem(), Qt::Key_Space);
  QVERIFY(!w.hem().playing());
}

void TestWindow::stockFollowsTheHand() {
  Window& w = *window_;
  QAbstractButton* stock = nullptr;
  for (auto* b : w.findChildren<QAbstractButton*>())
    if (b->text() == "Stock") stock = b;
  QVERIFY(stock);
  w.setPaint(Paint::Cusp);
  w.hem().select(1);
  QSignalSpy cut(&w.follower(), &StockFollower::cut), through(&w.follower(), &StockFollower::passedThrough);
  QSignalSpy drawn(&w.view(), &QOpenGLWidget::frameSwapped);
  stock->click();
  QVERIFY(w.view().stockShown() && !w.view().legend()->isVisible()); // what is painted is the part
  QVERIFY(QTest::qWaitFor([&] { return !through.isEmpty(); }, 60000));
  // To and fro, over both steps: the stock of the very place comes, and is drawn.
  const auto picture = [&] {
    QTest::qWait(400);
    return w.view().grabFramebuffer();
  };
  QImage before = picture();
  for (const auto& [step, share] : {std::pair(0, 0.1), std::pair(0, 0.9), std::pair(1, 0.5), std::pair(0, 0.1)}) {
    const StepResult& r = *w.desk().steps()[static_cast<std::size_t>(step)].result;
    const double time = share * r.time->timing.total;
    cut.clear(), drawn.clear();
    if (w.hem().selected() != step)
      w.hem().select(step, time);
    else
      w.hem().scrub(time);
    const auto& at = r.time->timing.at;
    const auto place = static_cast<int>(std::lower_bound(at.begin(), at.end(), time) - at.begin());
    QVERIFY(QTest::qWaitFor([&] { return !cut.isEmpty() && cut.last().at(1).toInt() == place; }, 20000));
    QVERIFY(QTest::qWaitFor([&] { return !drawn.isEmpty(); }, 20000));
    const auto shown = cut.last().at(0).value<std::shared_ptr<const ShownTriangles>>();
    Stock direct = r.before->stock;
    direct.cut(r.assembly.profile, r.planned->path, 1, static_cast<std::size_t>(place));
    QVERIFY(shown->corners == StockSurface(direct).shown().corners);
    const QImage now = picture();
    QVERIFY(now != before);
    before = now;
    // What is written about the step has followed by now.
    QCOMPARE(w.hem().selected(), step);
    bool told = false;
    for (const QLabel* l : w.brief().findChildren<QLabel*>()) told = told || l->text().startsWith(QString("Step %1:").arg(step + 1));
    QVERIFY(told);
  }
  QVERIFY(w.follower().kept().first > 2);
  stock->click();
  QVERIFY(!w.view().stockShown());
  w.hem().select(1);
  QVERIFY(w.view().legend()->isVisible());
}

void TestWindow::studies() {
  Window& w = *window_;
  w.setStage(Stage::Study);
  const auto row = [&](const QString& title) {
    for (const EvidenceRow& r : evidenceOf(w.desk(), Stage::Study).rows)
      if (r.title.startsWith(title)) return r;
    return EvidenceRow{};
  };
  const JobResult& base = w.desk().base();
  QVERIFY(base.balls && base.around);
  QVERIFY2(row("With three axes").value.contains("from"), qPrintable(row("With three axes").value));
  // The share that is seen is told as it was measured, and every facet that is painted as seen from above faces up, or lies along.
  const Reach& reach = base.around->reach;
  QVERIFY(row("Along the first").value.startsWith(QString::number(100 * reach.seen / reach.places.area(), 'f', 1)));
  const PaintedMeasure tilt = paintedMeasure(w.desk(), Paint::TiltNeeded, 1), ball = paintedMeasure(w.desk(), Paint::LargestBall, 1);
  const Mesh& mesh = w.desk().part()->mesh;
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    if (tilt.values[t] == 0.0f) QVERIFY(measuringNormal(*w.desk().part(), t).z() > -2e-3);
    QVERIFY(ball.values[t] > 0 && ball.values[t] <= static_cast<float>(2 * base.balls->limit));
  }
  w.setPaint(Paint::LargestBall);
  QVERIFY(w.view().legend()->isVisible());
  QTest::qWait(300);
  const QImage balls = w.view().grabFramebuffer();
  w.setPaint(Paint::TiltNeeded);
  QTest::qWait(300);
  QVERIFY(w.view().grabFramebuffer() != balls);
  w.setStage(Stage::Plan);
  w.setPaint(Paint::StockLeft);
}

/// Ground is picked and painted by the mouse, a rail is taken and bounds a step; the step is limited to a region in its sentence.
void TestWindow::marksRegionsAndRails() {
  Window& w = *window_;
  QVERIFY(computed(w));
  w.setStage(Stage::Study);
  w.view().fit();
  QTest::qWait(100);
  const auto press = [&](const char* name) {
    for (auto* b : w.findChildren<QPushButton*>())
      if (b->isVisible() && (b->accessibleName() == name || b->text() == name)) {
        for (auto* scroll : w.findChildren<QScrollArea*>())
          if (scroll->isAncestorOf(b)) scroll->ensureWidgetVisible(b);
        QTest::qWait(20);
        QTest::mouseClick(b, Qt::LeftButton);
        QTest::qWait(20);
        return true;
      }
    return false;
  };
  const auto found = [&](std::size_t k) {
    return foundFor(w.desk().base(), w.desk().job(), k) ? w.desk().base().regions[k]->found.area : 0.0;
  };
  const auto at = [&](const Vec3& p) { return w.view().toScreen(closestPoint(*w.desk().part()->tree, p).point).toPoint(); };
  // A patch by a click; a second click takes it back.
  QVERIFY(press("Mark regions and rails") && press("add region"));
  QCOMPARE(w.desk().job().regions.size(), 1u);
  QVERIFY(w.regions().picking() && w.view().picking());
  const std::size_t dots = w.probeText().size();
  QTest::mouseClick(&w.view(), Qt::LeftButton, {}, at(Vec3(0, 0, -18)));
  QVERIFY(QTest::qWaitFor([&] { return found(0) > 10000; }, 20000));
  QCOMPARE(w.probeText().size(), dots); // it does not probe meanwhile
  const PaintedMeasure painted = paintedMeasure(w.desk(), Paint::Regions, 1, 0);
  QVERIFY(painted.none.isEmpty() && std::count(painted.values.begin(), painted.values.end(), 2.0f) > 10);
  QTest::mouseClick(&w.view(), Qt::LeftButton, {}, at(Vec3(0, 0, -18)));
  QVERIFY(QTest::qWaitFor([&] { return w.desk().job().regions[0].pieces.empty(); }, 20000));
  // Painted by a stroke of the mouse.
  w.regions().pickBy("paint");
  QTest::qWait(50);
  QTest::mousePress(&w.view(), Qt::LeftButton, {}, at(Vec3(-20, 0, -18)));
  for (int k = 1; k <= 20; ++k) {
    const QPoint to = at(Vec3(-20 + 2 * k, 0, -18));
    QMouseEvent move(QEvent::MouseMove, to, w.view().mapToGlobal(to), Qt::NoButton, Qt::LeftButton, {});
    QCoreApplication::sendEvent(&w.view(), &move);
  }
  QTest::mouseRelease(&w.view(), Qt::LeftButton, {}, at(Vec3(20, 0, -18)));
  QVERIFY(QTest::qWaitFor([&] { return found(0) > 150; }, 20000));
  QVERIFY2(found(0) < 450, qPrintable(QString::number(found(0)))); // 40 mm long, 6 mm wide, and its round ends
  QVERIFY(std::get<PaintPiece>(w.desk().job().regions[0].pieces[0].what).stroke.size() > 10);
  // A rail: the rim of the cavity; the step is bounded by it, the region named in its sentence.
  w.rails().pickBy("the edge nearest to a click");
  QVERIFY(!w.regions().picking());
  QTest::qWait(50);
  QTest::mouseClick(&w.view(), Qt::LeftButton, {}, at(Vec3(0, 30, 0)));
  QCOMPARE(w.desk().job().rails.size(), 1u);
  QVERIFY(w.desk().job().rails[0].closed && w.desk().job().rails[0].length() > 300);
  // Another one by three clicks on the level face, closed, then moved sideways: it lies on the face and is longer or shorter all round.
  w.rails().pickBy("clicks along it");
  QTest::qWait(50);
  for (const Vec3& p : {Vec3(-95, -50, 0), Vec3(95, -50, 0), Vec3(95, -40, 0)}) QTest::mouseClick(&w.view(), Qt::LeftButton, {}, at(p));
  QCOMPARE(w.rails().shown().size(), 2u);
  w.rails().finish(true);
  QCOMPARE(w.desk().job().rails.size(), 2u);
  const double round = 190 + 10 + std::hypot(190, 10);
  QVERIFY2(std::abs(w.desk().job().rails[1].length() - round) < 4, qPrintable(QString::number(w.desk().job().rails[1].length())));
  QVERIFY(w.desk().job().rails[1].closed);
  QTest::qWait(50);
  QVERIFY(press("move rail"));
  QCOMPARE(w.desk().job().rails.size(), 3u);
  for (const Mark& m : w.desk().job().rails[2].marks) QVERIFY(std::abs(m.at.z()) < 1e-6);
  QVERIFY(press("bound step"));
  QCOMPARE(w.desk().job().steps[static_cast<std::size_t>(w.hem().selected())].within()->rail, w.desk().job().rails[2].name);
  w.desk().undo().undo();
  w.setStage(Stage::Plan);
  QVERIFY(!w.view().picking()); // the hand is the probe's again
  w.hem().select(1);
  QTest::qWait(300);
  type(w, "regions", "moon");
  QVERIFY(w.desk().job().steps[1].finishing()->regions.empty()); // there is none of that name
  QTest::keyClick(w.brief().clause("regions")->findChild<QLineEdit*>(), Qt::Key_Escape);
  QTest::qWait(50);
  type(w, "regions", "region 1");
  QVERIFY(computed(w));
  QCOMPARE(w.desk().job().steps[1].finishing()->regions, std::vector<std::string>{"region 1"});
  QCOMPARE(w.desk().result().ofRegions.size(), 1u);
  QVERIFY(std::abs(w.desk().result().coverage.finished - found(0)) < 1e-6);
  // What the region promises over all steps stands in Prove and can be waived like a step's promise.
  w.desk().edit("promise", [](Job& j) { j.regions[0].finish = 0.0001; });
  QVERIFY(computed(w));
  bool told = false;
  for (const EvidenceRow& r : evidenceOf(w.desk(), Stage::Prove).rows)
    told = told || (r.title == "Region region 1" && r.verdict == static_cast<int>(Verdict::Broken) && r.value.contains("broken"));
  QVERIFY(told && !evidenceOf(w.desk(), Stage::Prove).headline.contains("Nothing is wrong"));
  // The ladder makes steps; all of it is undone.
  type(w, "regions", "all ground");
  QVERIFY(computed(w));
  w.setStage(Stage::Study);
  QTest::qWait(50);
  QVERIFY(press("Finish by the ladder of balls"));
  QVERIFY(w.desk().job().steps.size() >= 2 && w.desk().job().regions.size() >= 2);
  QVERIFY2(w.message().contains("each on a region of its own"), qPrintable(w.message()));
  while (w.desk().undo().canUndo() && !w.desk().job().regions.empty()) w.desk().undo().undo();
  QVERIFY(w.desk().job().regions.empty() && w.desk().job().rails.empty());
  w.setStage(Stage::Plan);
  QVERIFY(computed(w));
}

/// Blank, clamping and fixtures are changed in place and by hand; what that means for holding is told.
void TestWindow::holdsTheWork() {
  QVERIFY(computed(*window_));
  window_->setStage(Stage::Hold);
  auto* setUp = window_->findChild<SetUp*>();
  QVERIFY(setUp && setUp->isVisible());
  const auto typeHere = [&](const QString& id, const QString& words) {
    Clause* c = setUp->clause(id);
    QVERIFY2(c, qPrintable(id));
    for (auto* scroll : window_->findChildren<QScrollArea*>())
      if (scroll->isAncestorOf(c)) scroll->ensureWidgetVisible(c);
    QTest::qWait(20);
    QTest::mouseClick(c->findChild<QToolButton*>(), Qt::LeftButton);
    auto* edit = c->findChild<QLineEdit*>("edit-" + id);
    QVERIFY(edit);
    edit->selectAll();
    QTest::keyClicks(edit, words);
    QTest::keyClick(edit, Qt::Key_Return);
  };
  const auto told = [&] {
    QString all;
    for (const EvidenceRow& r : evidenceOf(window_->desk(), Stage::Hold).rows) all += r.title + " " + r.value + "; ";
    return all;
  };
  const auto jaws = [&]() -> const Fixture& { return window_->desk().job().clampings[0].fixtures[0]; };
  QVERIFY2(told().contains("friction carries about 5400 N") && told().contains("36.0 mm of stroke left"), qPrintable(told()));
  typeHere("f0_force", "not known");
  QVERIFY(!jaws().force);
  QVERIFY(told().contains("clamping force of 'vice jaws' is not known"));
  typeHere("f0_force", "9000 N");
  QCOMPARE(*jaws().force, 9000.0);
  typeHere("f0_opening_mm", "200"); // wider than they open: refused, the old value stays
  QCOMPARE(jaws().opening, 124.0);
  typeHere("f0_opening_mm", "130");
  QVERIFY(computed(*window_));
  QVERIFY2(told().contains("touches nothing of the stock"), qPrintable(told()));

  // By hand: taken at the upper face of the jaw that shows, and moved on the screen.
  SurfaceView& view = window_->view();
  const Vec3 place(0, -75, -25), to(20, -85, -25);
  const auto drag = [&](const Vec3& from, const QPointF& end, Qt::KeyboardModifiers keys) {
    const QPoint a = view.toScreen(from).toPoint();
    QTest::mousePress(&view, Qt::LeftButton, keys, a);
    QMouseEvent move(QEvent::MouseMove, end, view.mapToGlobal(end), Qt::NoButton, Qt::LeftButton, keys);
    QApplication::sendEvent(&view, &move);
    QTest::mouseRelease(&view, Qt::LeftButton, keys, end.toPoint());
  };
  view.lookAlong({0.3f, 0.5f, -0.8f});
  view.fit();
  const Vec3 before = jaws().at;
  drag(place, view.toScreen(to), Qt::NoModifier);
  QVERIFY2((jaws().at - before - Vec3(20, -10, 0)).norm() < 1.5,
           qPrintable(QString("%1 %2 %3").arg(jaws().at.x()).arg(jaws().at.y()).arg(jaws().at.z())));
  QVERIFY(QTest::qWaitFor([&] { return window_->desk().base().clampings[0]->bodies[0].body->mesh.bounds().center().x() > 15; }, 60000));
  drag(place + Vec3(20, -10, 0), view.toScreen(place + Vec3(20, -10, 12)), Qt::ShiftModifier);
  QVERIFY2(std::abs(jaws().at.z() - before.z() - 12) < 1.5 && std::abs(jaws().at.x() - before.x() - 20) < 1.5,
           qPrintable(QString::number(jaws().at.z())));

  // The touches are played on the stand-in, each time on work that lies otherwise.
  window_->desk().edit("finding", [](Job& j) { j.clampings[0].finding = ZeroFinding{}; });
  const auto play = [&] {
    for (auto* b : setUp->findChildren<QPushButton*>())
      if (b->accessibleName() == "play touches") b->click();
    QTest::qWait(50);
    QString said;
    for (auto* l : setUp->findChildren<QLabel*>())
      if (l->text().contains("Found: off by")) said = l->text();
    return said;
  };
  const QString first = play(), second = play();
  QVERIFY2(first.contains("1. touch the side at -x") && first.contains("from how it lies") && first != second, qPrintable(first));
  // A fixture from a file stands in the job with its file, relative to it.
  setUp->addMesh(HEMLINE_SOURCE "/demo/rudder-horn.stl");
  QVERIFY(jaws().kind == FixtureKind::Jaws);
  const Fixture horn = window_->desk().job().clampings[0].fixtures.back();
  QVERIFY(horn.kind == FixtureKind::Mesh && horn.name == "rudder-horn" && horn.file.ends_with("demo/rudder-horn.stl") &&
          horn.file[0] == '.');
  window_->desk().undo().undo();
  window_->desk().undo().undo();
  QVERIFY(!window_->desk().job().clampings[0].finding);

  // Another fixture and a clamping that turns the part over: the view turns with it.
  const std::size_t fixtures = window_->desk().job().clampings[0].fixtures.size();
  const auto entry = [&]() -> QAction* {
    for (auto* menu : setUp->findChildren<QMenu*>())
      for (QAction* a : menu->actions())
        if (a->text() == "strap") return a;
    return nullptr;
  };
  QVERIFY(entry());
  entry()->trigger();
  QCOMPARE(window_->desk().job().clampings[0].fixtures.size(), fixtures + 1);
  QVERIFY(told().contains("clamping force of 'strap' is not known"));
  QVERIFY(QTest::qWaitFor([&] { return window_->desk().base().clampings[0]->bodies.size() == fixtures + 2; }, 60000)); // and the table
  // Taken away again before anything was measured with it; what was measured of others is not read for it.
  for (auto* b : setUp->findChildren<QPushButton*>())
    if (b->accessibleName() == "remove fixture") {
      b->click();
      break;
    }
  QCOMPARE(window_->desk().job().clampings[0].fixtures.size(), fixtures);
  QVERIFY(told().contains("clamping force of 'strap' is not known"));
  window_->desk().undo().undo();
  const QPointF high = view.toScreen({0, 0, 0}), low = view.toScreen({0, 0, -45});
  QVERIFY(high.y() < low.y());
  QTest::qWait(20);
  for (auto* b : setUp->findChildren<QPushButton*>())
    if (b->accessibleName() == "add clamping") {
      b->click();
      break;
    }
  QCOMPARE(window_->desk().job().clampings.size(), std::size_t{2});
  QVERIFY(QTest::qWaitFor(
      [&] {
        return window_->desk().base().clampings.size() == 2 && view.toScreen({0, 0, 0}).y() > view.toScreen({0, 0, -45}).y();
      },
      60000));
  // A step cannot go before the flip once a later one came after it.
  window_->setStage(Stage::Plan);
  window_->hem().select(0);
  QVERIFY(stepKind("level roughing", "").field("clamping")->choices(window_->desk().job(), window_->desk().job().steps[0]).size() == 2);
  window_->desk().attempt("flip", [](Job& j) { j.steps[0].clamping = 1; });
  QCOMPARE(window_->desk().job().steps[0].clamping, 0);
  while (window_->desk().undo().canUndo() &&
         (window_->desk().job().clampings.size() > 1 || jaws().opening != 124 || jaws().force != 18000.0))
    window_->desk().undo().undo();
  QVERIFY(computed(*window_));
}

void TestWindow::ledgerChangesSeveral() {
  Window& w = *window_;
  w.showLedger(true);
  auto* ledger = w.findChild<Ledger*>();
  QVERIFY(ledger->table()->isVisible());
  QCOMPARE(ledger->table()->rowCount(), 4); // two steps, each under the seam of its cutter
  ledger->table()->selectRow(1);
  QCOMPARE(w.hem().selected(), 0);
  w.showLedger(false);
}

/// A model that was changed on disk is refused; the offer beside the message takes it, and says what of the regions is lost.
void TestWindow::acceptsAChangedModel() {
  QTemporaryDir folder;
  const QString job = dish::writeDish(folder, [&](Job& j) {
    j.partHash = hashFile(folder.filePath("dish.stl").toStdString()).text();
    j.regions = {{"far end", RegionUse::Finish, {}, {}, {{PieceMode::Add, PaintPiece{{{Vec3(11.5, 5, 0.6), Vec3::UnitZ()}}, 0.4}}}, 0}};
  });
  const auto whole = readPart(folder.filePath("dish.stl").toStdString(), {LengthUnit::Millimetre}, *std::make_unique<Progress>());
  Mesh shorter = whole->mesh;
  std::erase_if(shorter.triangles, [&](const auto& t) { return shorter.points[static_cast<std::size_t>(t[0])].x() > 8.5; });
  writeStl(folder.filePath("dish.stl").toStdString(), shorter);
  Window w;
  w.show();
  QVERIFY(w.openJob(job));
  auto* accept = w.findChild<QPushButton*>("messageAction");
  QVERIFY(QTest::qWaitFor([&] { return w.message().contains("has changed") && accept->isVisible(); }, 20000));
  QTest::mouseClick(accept, Qt::LeftButton);
  QVERIFY(QTest::qWaitFor([&] { return w.message().contains("accepted"); }, 20000));
  QVERIFY2(w.message().contains("'far end': not found"), qPrintable(w.message()));
  QVERIFY(computed(w, 60));
  QCOMPARE(w.desk().job().regions.size(), 1u);
  QVERIFY(evidenceOf(w.desk(), Stage::Release).headline.startsWith("Held"));
  w.desk().undo().undo(); // the old model's hash again: refused as before
  QVERIFY(QTest::qWaitFor([&] { return !w.desk().computing() && w.desk().lastError().contains("has changed"); }, 20000));
  w.desk().undo().redo();
  w.desk().save();
}

void TestWindow::unitsAndCommands() {
  Window& w = *window_;
  QTest::keyClick(&w, Qt::Key_U, Qt::ControlModifier);
  QCOMPARE(w.desk().unit(), LengthUnit::Inch);
  QVERIFY(w.brief().clause("stick_out_mm")->findChild<QToolButton*>()->text().endsWith(" in"));
  QCOMPARE(paintedMeasure(w.desk(), Paint::Slope, 1).lengths, LengthUnit::Inch);
  for (const Stage stage : {Stage::Hold, Stage::Plan})
    for (const EvidenceRow& r : evidenceOf(w.desk(), stage).rows)
      QVERIFY2(!r.value.contains(" mm") && !r.value.contains("mm²") && !r.value.contains("cm²"), qPrintable(r.title + ": " + r.value));
  QTest::keyClick(&w, Qt::Key_U, Qt::ControlModifier);
  QCOMPARE(w.desk().unit(), LengthUnit::Millimetre);
  // Ctrl+K, a part of a name, Enter.
  QTimer::singleShot(0, this, [] {
    QWidget* search = QApplication::activeModalWidget();
    QVERIFY(search);
    QTest::keyClicks(search->findChild<QLineEdit*>(), "stage rel");
    QTest::keyClick(search->findChild<QLineEdit*>(), Qt::Key_Return);
  });
  QTest::keyClick(&w, Qt::Key_K, Qt::ControlModifier);
  QCOMPARE(w.stage(), Stage::Release);
  QTest::keyClick(&w, Qt::Key_1, Qt::AltModifier);
  QCOMPARE(w.stage(), Stage::Study);
  QTest::keyClick(&w, Qt::Key_3, Qt::AltModifier);
  QCOMPARE(w.stage(), Stage::Plan);
}

void TestWindow::takesAPathAndAdvises() {
  // The finish, written as cutter-location text and given back as a step of its own; then stick-outs for it, and undone.
  Window& w = *window_;
  const StepResult& finish = *w.desk().steps()[1].result;
  const QString file = QFileInfo(w.desk().path()).dir().filePath("given.cl");
  writeFileSafely(file.toStdString(), writeCl({"given", "ball", 1, 8000, &finish.planned->path, nullptr}));
  w.hem().select(1);
  const double cusp = promise(w, 1, "cusp_mm")->measured;
  w.takePath(file);
  QTRY_VERIFY_WITH_TIMEOUT(w.desk().complete() && !w.desk().computing() && w.desk().steps().size() == 3, 60000);
  QCOMPARE(w.desk().job().steps[2].as<GivenPathStep>()->file, std::string("given.cl"));
  QVERIFY(w.brief().clause("path_file"));
  // On the ground of the finish it leaves the same; a given path is judged on the block's sides, too, over whose rims passes roll.
  const SurfaceProof &own = *w.desk().steps()[1].result->surface, &given = *w.desk().steps()[2].result->surface;
  float same = 0;
  for (std::size_t t = 0; t < own.region.size(); ++t)
    if (own.region[t] && std::isfinite(given.facetCusp[t])) same = std::max(same, given.facetCusp[t]);
  QVERIFY2(std::abs(same - cusp) < 2e-3, qPrintable(QString("%1 for %2").arg(same).arg(cusp)));
  QVERIFY(w.desk().steps()[2].result->texts(Severity::Blocker).empty());
  // The same as a program with a block that a switch may skip: never proven, and a snag says so.
  const StepResult& now = *w.desk().steps()[1].result;
  std::string iso = writeIso(*w.desk().result().machine, {{"given", "ball", 1, 8000, &now.planned->path, &now.time->joints}}, {"given"});
  iso.insert(iso.rfind("M30"), "/G0 X0.\n");
  writeFileSafely(file.toStdString(), iso);
  w.desk().compute();
  QTRY_VERIFY_WITH_TIMEOUT(w.desk().complete() && !w.desk().computing(), 60000);
  QVERIFY(
      std::any_of(w.hem().snags().begin(), w.hem().snags().end(), [](const Snag& s) { return s.step == 2 && s.text.contains("switch"); }));
  // At the top it counts as broken, too.
  std::size_t broken = 0;
  for (const StepView& v : w.desk().steps()) {
    broken += v.result->texts(Severity::Blocker).size();
    for (const PromiseResult& p : v.result->promises) broken += p.verdict == Verdict::Broken;
  }
  QVERIFY(!w.desk().steps()[2].result->texts(Severity::Blocker).empty());
  QCOMPARE(static_cast<std::size_t>(w.desk().tally()[1]), broken);
  w.setStage(Stage::Hold);
  QCoreApplication::processEvents();
  QPushButton* find = nullptr;
  for (QPushButton* b : w.findChildren<QPushButton*>("action"))
    if (b->isVisible() && b->text().contains("stick-outs")) find = b;
  QVERIFY(find);
  QTest::mouseClick(find, Qt::LeftButton);
  QTRY_VERIFY_WITH_TIMEOUT(!w.desk().computing() && !w.desk().advice(2).isEmpty(), 60000);
  QVERIFY2(w.desk().advice(2).front().contains("stick-out"), qPrintable(w.desk().advice(2).join(' ')));
  w.desk().undo().undo();
  QTRY_VERIFY_WITH_TIMEOUT(w.desk().complete() && !w.desk().computing() && w.desk().steps().size() == 2, 60000);
}

void TestWindow::savesAndKeepsTheOldFile() {
  Window& w = *window_;
  w.hem().select(1);
  type(w, "stick_out_mm", "57 mm");
  QVERIFY(w.desk().modified());
  QTest::keyClick(&w, Qt::Key_S, Qt::ControlModifier);
  QVERIFY(!w.desk().modified());
  QCOMPARE(readJob(job_.toStdString()).steps[1].stickOut, 57.0);
}

void TestWindow::recoversAfterAKill() {
  QTemporaryDir folder;
  const QString job = demoJob(folder.path());
  QProcess victim;
  victim.start(QCoreApplication::applicationFilePath(), {"--victim", job});
  QVERIFY(victim.waitForFinished(60000));
  QCOMPARE(victim.exitStatus(), QProcess::CrashExit); // it killed itself with an edit that was not saved
  QCOMPARE(*readJob(job.toStdString()).steps[1].promises.cusp, 0.2);
  Window w;
  w.show();
  QVERIFY(w.openJob(job));
  const auto* offer = w.findChild<QLabel*>("leftCopy");
  QVERIFY2(offer->isVisible() && offer->text().contains("cusp_mm 0.2, now 0.35"), qPrintable(offer->text()));
  // It stays through whatever is told and edited; a second window is told who has the job, and is offered nothing.
  w.desk().edit("chord", [](Job& j) { j.steps[1].finishing()->chord *= 0.5; });
  w.desk().undo().undo();
  QVERIFY(offer->isVisible());
  {
    Window second;
    second.show();
    QVERIFY(second.openJob(job));
    QVERIFY2(second.message().contains("in another's hand: process"), qPrintable(second.message()));
    QVERIFY(!second.findChild<QLabel*>("leftCopy")->isVisible());
    QVERIFY_EXCEPTION_THROWN(second.desk().save(), Error);
  }
  QTest::mouseClick(w.findChild<QPushButton*>("takeCopy"), Qt::LeftButton);
  QVERIFY(!offer->isVisible());
  QCOMPARE(*w.desk().job().steps[1].promises.cusp, 0.35);
  w.desk().save();
  QCOMPARE(*readJob(job.toStdString()).steps[1].promises.cusp, 0.35);
  QVERIFY(QDir(folder.path()).entryList({".*.recovery*"}, QDir::Files | QDir::Hidden).isEmpty());
  // Written by another meanwhile: asked first.
  Job theirs = readJob(job.toStdString());
  theirs.steps[1].promises.cusp = 0.5;
  writeJob(job.toStdString(), theirs);
  const auto save = [&](const char* answer) {
    QTimer::singleShot(0, this, [answer] {
      QWidget* box = QApplication::activeModalWidget();
      QVERIFY(box && box->objectName() == "changedOnDisk");
      for (auto* b : box->findChildren<QPushButton*>())
        if (b->text() == answer) return QTest::mouseClick(b, Qt::LeftButton);
      QTest::keyClick(box, Qt::Key_Escape);
    });
    bool there = false;
    for (QAction* action : w.findChildren<QAction*>())
      if (!there && action->text() == "Save") there = true, action->trigger();
    QVERIFY(there);
  };
  save("none");
  QCOMPARE(*readJob(job.toStdString()).steps[1].promises.cusp, 0.5);
  save("Overwrite it");
  QCOMPARE(*readJob(job.toStdString()).steps[1].promises.cusp, 0.35);
}

void TestWindow::releases() {
  Window& w = *window_;
  QVERIFY(computed(w));
  w.setStage(Stage::Release);
  QVERIFY(w.headline().startsWith("Held"));
  QSignalSpy done(&w.desk(), &Desk::released);
  const QString held = folder_.filePath("held");
  w.releaseTo(held);
  QVERIFY(done.wait(60000));
  QVERIFY(QDir(held).entryList({"*.nc"}).isEmpty()); // nothing that a machine could run
  QVERIFY(QFileInfo::exists(held + "/setup-sheet.html"));
  // The one broken promise is waived by name, then it may go.
  QTimer::singleShot(0, this, [] {
    QWidget* dialog = QApplication::activeModalWidget();
    QVERIFY(dialog && dialog->objectName() == "waiveDialog");
    QTest::keyClicks(dialog->findChild<QLineEdit*>("who"), "toolroom lead");
    QTest::keyClicks(dialog->findChild<QLineEdit*>("why"), "short slot, feed lowered by hand");
    for (QPushButton* b : dialog->findChildren<QPushButton*>())
      if (b->text() == "Waive") QTest::mouseClick(b, Qt::LeftButton);
  });
  for (QAction* a : w.actions())
    if (a->text().startsWith("Waive")) a->trigger();
  QVERIFY(computed(w));
  QCOMPARE(promise(w, 0, "engagement_deg")->verdict, Verdict::Waived);
  QVERIFY2(w.headline().startsWith("Ready"), qPrintable(w.headline()));
  const QString out = folder_.filePath("released");
  w.releaseTo(out);
  QVERIFY(done.wait(60000));
  QCOMPARE(QDir(out).entryList({"*.nc"}).size(), 2);
  QVERIFY(QFileInfo(out + "/setup-sheet.pdf").size() > 5000);
  const std::string sheet = readFile((out + "/setup-sheet.html").toStdString());
  for (const char* said : {"toolroom lead", "data:image/png", "Not qualified for your machine", "single block"})
    QVERIFY2(sheet.find(said) != std::string::npos, said);
}

void TestWindow::badJobsAreTold_data() {
  QTest::addColumn<QString>("text");
  QTest::addColumn<QString>("said");
  QTest::newRow("damaged") << "{ \"hemline_job\": 1, "
                           << "hemline";
  QTest::newRow("newer") << "{ \"hemline_job\": 99 }"
                         << "newer";
}

void TestWindow::badJobsAreTold() {
  QFETCH(QString, text);
  QFETCH(QString, said);
  const QString path = folder_.filePath("bad.hemline");
  writeFileSafely(path.toStdString(), text.toStdString());
  const QString before = window_->desk().path();
  QVERIFY(!window_->openJob(path));
  QVERIFY2(window_->message().contains(said), qPrintable(window_->message()));
  QCOMPARE(window_->desk().path(), before); // what was open stays
}

int main(int argc, char** argv) {
  SurfaceView::askForGraphics();
  QTemporaryDir home; // nothing of the user's is read or written
  qputenv("XDG_CONFIG_HOME", home.path().toUtf8());
  qputenv("XDG_DATA_HOME", home.path().toUtf8());
  qputenv("QT_QPA_PLATFORMTHEME", "");
  QApplication app(argc, argv);
  setTheme(false);
  applyTheme();
  if (argc == 3 && QString(argv[1]) == "--victim") {
    Window w;
    w.show();
    if (!w.openJob(argv[2])) return 1;
    w.desk().edit("cusp", [](Job& j) { j.steps[1].promises.cusp = 0.35; });
    QTest::qWait(2500); // the recovery copy is written a second after an edit
    std::raise(SIGKILL);
  }
  TestWindow test;
  return QTest::qExec(&test, argc, argv);
}

#include "tst_window.moc"
