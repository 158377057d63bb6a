// The parts of the window by themselves: hem, legend, ledger, brief and the evidence of the stages, on a small computed job.
#include "base/file.h"
#include "brief/brief.h"
#include "dish.h"
#include "hem/hem.h"
#include "hem/trace_plot.h"
#include "ledger.h"
#include "spacing/spacing_card.h"
#include "stages/evidence.h"
#include "stages/probe.h"
#include "stages/roughing_choice.h"
#include "theme.h"
#include "view/legend.h"
#include <QApplication>
#include <QLabel>
#include <QPushButton>
#include <QSettings>
#include <QSignalSpy>
#include <QWheelEvent>
#include <qcustomplot.h>

using namespace hemline;
using namespace hemline::app;

namespace {

bool computed(Desk& desk) {
  return QTest::qWaitFor([&] { return desk.complete() && !desk.computing(); }, 60000);
}

/// Three steps: a coarse one, a fine one that takes nearly all the time, and one whose clearance cannot be had.
void threeSteps(Job& j) {
  Step s = j.steps[0];
  s.name = "Coarse", s.promises.cusp = 0.3, s.cutter = "ball 8";
  j.steps = {s};
  s.name = "Fine", s.promises.cusp = 0.0005;
  j.steps.push_back(s);
  s.name = "Snagged", s.promises.cusp = 0.2, s.cutter = "ball 4", s.promises.clearance = 80;
  j.steps.push_back(s);
}

/// Pixels of a colour, in a part of a picture.
int count(const QImage& image, const QRect& where, const QColor& colour, int within = 24) {
  int n = 0;
  for (int x = where.left(); x <= where.right(); ++x)
    for (int y = where.top(); y <= where.bottom(); ++y) {
      const QColor c = image.pixelColor(x, y);
      n += std::abs(c.red() - colour.red()) + std::abs(c.green() - colour.green()) + std::abs(c.blue() - colour.blue()) < within;
    }
  return n;
}

PaintedMeasure measure() {
  PaintedMeasure m;
  m.kind = Paint::Cusp, m.name = "cusp", m.unit = "µm";
  for (int i = 0; i < 1000; ++i) {
    m.values.push_back(static_cast<float>(i < 900 ? 1 : 1 + (i - 900) * 0.09));
    m.area.push_back(1);
  }
  m.low = 0, m.high = 10, m.promise = 8.0, m.worst = 9.9, m.worstAt = {1, 2, 3};
  return m;
}

} // namespace

class TestWidgets : public QObject {
  Q_OBJECT
  QTemporaryDir dir_;
  std::unique_ptr<Desk> desk_;

private slots:
  void initTestCase() {
    QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, dir_.path());
    setTheme(false);
    applyTheme();
    desk_ = std::make_unique<Desk>();
    desk_->open(dish::writeDish(dir_, threeSteps));
    QVERIFY(computed(*desk_));
    QCOMPARE(desk_->steps().size(), std::size_t{3});
  }

  void tracesArePlotted() {
    Hem hem(*desk_);
    hem.select(2);
    TracePlot page(*desk_, hem, nullptr);
    page.show({Trace::Height, Trace::Clearance, Trace::Force});
    QCustomPlot* plot = page.plot();
    QCOMPARE(plot->axisRectCount(), 3);
    const StepResult& r = *desk_->steps()[2].result;
    const auto words = [&] {
      QStringList out;
      for (QCPLayoutElement* e : plot->plotLayout()->elements(true))
        if (const auto* t = qobject_cast<QCPTextElement*>(e)) out << t->text();
      return out.join("\n");
    };
    // What is told is what was measured: the least clearance and its promise; what was not measured says so.
    const double least = *std::min_element(r.clearanceTrace->distance.begin(), r.clearanceTrace->distance.end());
    QVERIFY2(words().contains(QString("least %1 ").arg(least, 0, 'g', 4)) && words().contains("promised 80"), qPrintable(words()));
    QVERIFY(words().contains("cutting force, N: not measured"));
    QCOMPARE(plot->graph(1)->dataCount(), int(r.clearanceTrace->location.size()));
    if (qEnvironmentVariableIsSet("SHOTS")) page.grab().save(qEnvironmentVariable("SHOTS") + "/traces.png");
    // One time for all; a click moves the scrubber.
    plot->axisRect(0)->axis(QCPAxis::atBottom)->setRange(2, 5);
    QCOMPARE(plot->axisRect(2)->axis(QCPAxis::atBottom)->range().lower, 2.0);
    QTest::mouseClick(plot, Qt::LeftButton, {}, plot->axisRect(0)->center());
    QVERIFY2(std::abs(hem.time() - 3.5) < 0.1, qPrintable(QString::number(hem.time())));
    // In inches all of it is so many times less.
    const QList<QStringList> mm = page.rows();
    desk_->setUnit(LengthUnit::Inch);
    const QList<QStringList> inch = page.rows();
    desk_->setUnit(LengthUnit::Millimetre);
    QVERIFY(mm.size() == inch.size() && mm.size() > 10 && mm[0][1].endsWith("mm") && inch[0][1].endsWith("in"));
    for (qsizetype k = 1; k < mm.size(); ++k)
      if (!mm[k][1].isEmpty()) QVERIFY(std::abs(mm[k][1].toDouble() - kInch * inch[k][1].toDouble()) < 1e-3);
    for (const char* name : {"traces.png", "traces.svg", "traces.pdf"}) {
      page.save(dir_.filePath(name));
      QVERIFY2(QFileInfo(dir_.filePath(name)).size() > 2000, name);
    }
    QVERIFY_THROWS_EXCEPTION(Error, page.save(dir_.filePath("traces.gif")));
    QVERIFY_THROWS_EXCEPTION(Error, page.save("/nowhere/traces.pdf"));
  }

  void chainsStandSideBySide() {
    // Two that were computed and one that was not: each shows what it costs, and only the first two can be taken.
    std::vector<RoughingChain> chains(3);
    for (std::size_t k = 0; k < 3; ++k) {
      chains[k].name = "way " + std::to_string(k), chains[k].why = "When it is wanted.", chains[k].job = desk_->job();
      chains[k].time = 600 - 60 * double(k), chains[k].most = 1 + double(k), chains[k].mean = 0.5, chains[k].engagement = radians(60);
    }
    chains[0].limits = {{"Rough: ends 5 mm above the lowest level: below that the holder would come too near to the stock"}};
    chains[1].force = 250, chains[2].failed = true, chains[2].limits = {{"There is nothing to rough"}};
    std::string taken;
    RoughingChoice choice(
        chains, LengthUnit::Millimetre, [&](const RoughingChain& c) { taken = c.name; }, nullptr);
    choice.show();
    QString words;
    for (const QLabel* l : choice.findChildren<QLabel*>()) {
      words += l->text() + "\n";
      QVERIFY2(!l->isVisible() || l->height() >= l->heightForWidth(l->width()), qPrintable(l->text())); // nothing clipped
    }
    for (const char* said : {"way 0", "10 min 00 s", "9 min 00 s, the shortest", "1.000 mm, the least", "about 250 N", "no material given",
                             "ends 5 mm above", "none: all promises kept", "cannot be computed", "nothing to rough"})
      QVERIFY2(words.contains(said), said);
    const auto buttons = choice.findChildren<QPushButton*>();
    QCOMPARE(buttons.size(), 2);
    QTest::mouseClick(buttons[1], Qt::LeftButton);
    QVERIFY(taken == "way 1" && !choice.isVisible());
  }

  void hemShowsEveryStepByTime() {
    Hem hem(*desk_);
    hem.resize(1280, 120);
    hem.show();
    QVERIFY(QTest::qWaitForWindowExposed(&hem));
    std::array<double, 3> share{};
    double total = 0;
    for (std::size_t i = 0; i < 3; ++i) total += share[i] = desk_->steps()[i].result->time->timing.total;
    QVERIFY(share[1] / total > 0.45); // so that it must be folded
    // Which step is chosen at each place of the upper band?
    std::array<int, 3> pixels{};
    int last = -1;
    for (int x = 0; x < hem.width(); x += 2) {
      QSignalSpy chosen(&hem, &Hem::selectedStep);
      QTest::mouseClick(&hem, Qt::LeftButton, {}, QPoint(x, 28));
      if (chosen.isEmpty()) continue;
      const int step = chosen.last()[0].toInt();
      QVERIFY(step >= last); // in order
      last = step;
      pixels[static_cast<std::size_t>(step)] += 2;
    }
    for (const int w : pixels) QVERIFY2(w >= 20, "no step is too narrow to be hit");
    QVERIFY(pixels[1] > pixels[0] && pixels[1] > pixels[2]);
    QVERIFY(pixels[1] < 0.9 * hem.width()); // folded, so that the short ones can be seen
    QVERIFY(pixels[0] + pixels[1] + pixels[2] > hem.width() - 60);
  }

  void hemScrubsAndZoomsAboutTheCursor() {
    Hem hem(*desk_);
    hem.resize(1000, 120);
    hem.show();
    QVERIFY(QTest::qWaitForWindowExposed(&hem));
    hem.select(1);
    const auto& at = desk_->steps()[1].result->time->timing.at;
    const double total = at.back();
    const int y = 80, left = 12, width = 1000 - 24;
    for (const double u : {0.1, 0.5, 0.83}) {
      QTest::mouseClick(&hem, Qt::LeftButton, {}, QPoint(left + static_cast<int>(u * width), y));
      QVERIFY(std::abs(hem.time() - u * total) < 0.003 * total);
    }
    // What lies under the cursor stays there, closer.
    const QPoint cursor(left + width / 4, y);
    for (int i = 0; i < 6; ++i) {
      QWheelEvent wheel(cursor, hem.mapToGlobal(cursor), {}, {0, 240}, Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase, false);
      QApplication::sendEvent(&hem, &wheel);
    }
    QTest::mouseClick(&hem, Qt::LeftButton, {}, cursor);
    QVERIFY(std::abs(hem.time() - 0.25 * total) < 0.003 * total);
    QTest::mouseClick(&hem, Qt::LeftButton, {}, cursor + QPoint(100, 0));
    const double near = hem.time() - 0.25 * total;
    QVERIFY(near > 0 && near < 0.02 * total); // 100 px were a tenth of all before
    // Keys step along the path, to places of it.
    hem.setFocus();
    QTest::keyClick(&hem, Qt::Key_Home);
    QCOMPARE(hem.time(), 0.0);
    double before = -1;
    for (int i = 0; i < 5; ++i) {
      QTest::keyClick(&hem, Qt::Key_Right);
      QVERIFY(hem.time() >= before && std::find(at.begin(), at.end(), hem.time()) != at.end());
      before = hem.time();
    }
    QTest::keyClick(&hem, Qt::Key_Right, Qt::ShiftModifier);
    QVERIFY(hem.time() > before);
    QTest::keyClick(&hem, Qt::Key_End);
    QCOMPARE(hem.time(), total);
    QTest::keyClick(&hem, Qt::Key_Right);
    QCOMPARE(hem.time(), total); // nowhere to go
    // Played from the end it begins again, and stops when told.
    QSignalSpy moved(&hem, &Hem::scrubbed);
    QTest::keyClick(&hem, Qt::Key_Space);
    QVERIFY(hem.playing() && QTest::qWaitFor([&] { return moved.size() > 3; }, 5000));
    QVERIFY(hem.time() < total && moved.last()[2].toBool());
    QTest::keyClick(&hem, Qt::Key_Space);
    QVERIFY(!hem.playing());
  }

  void tracesKeepTheirWorst() {
    Hem hem(*desk_);
    hem.resize(1000, 120);
    hem.show();
    hem.select(1);
    const QRect band(14, 56, 970, 44);
    for (const Trace t : {Trace::Feed, Trace::Tilt, Trace::Height, Trace::Cusp}) {
      hem.setTrace(t);
      hem.scrub(0);
      const int drawn = count(hem.grab().toImage(), band, theme().accent, 200); // thin lines blend
      QVERIFY2(drawn > 150, qPrintable(QString("trace %1: %2").arg(static_cast<int>(t)).arg(drawn)));
    }
    hem.clearFocus();
    // Folded there is the upper band only.
    hem.setFixedHeight(42);
    QVERIFY(count(hem.grab().toImage(), QRect(14, 38, 970, 4), theme().accent) == 0);
  }

  void snagsAreFoundInOrderAndGoneTo() {
    const auto snags = findSnags(*desk_);
    QVERIFY(!snags.empty());
    QCOMPARE(snags.back().step, 2);
    bool clearance = false;
    for (std::size_t i = 0; i < snags.size(); ++i) {
      if (i > 0) QVERIFY(std::pair(snags[i - 1].step, snags[i - 1].time) <= std::pair(snags[i].step, snags[i].time));
      QVERIFY(!snags[i].text.isEmpty() && snags[i].severity > 1);
      QVERIFY(kindOf(Step()).field(snags[i].row.toStdString())); // a row of the brief is responsible
      clearance = clearance || snags[i].row == "clearance_mm" || snags[i].row == "stick_out_mm";
    }
    QVERIFY(clearance);
    Hem hem(*desk_);
    hem.resize(1000, 120);
    hem.show();
    QVERIFY(QTest::qWaitForWindowExposed(&hem));
    hem.select(0);
    std::vector<Snag> chosen;
    connect(&hem, &Hem::snagChosen, &hem, [&](const Snag& s) { chosen.push_back(s); });
    hem.setFocus();
    for (std::size_t i = 0; i < snags.size(); ++i) { // N goes through all of them, the first one first
      QTest::keyClick(&hem, Qt::Key_N);
      QCOMPARE(chosen.size(), i + 1);
      QCOMPARE(hem.selected(), snags[i].step);
      QVERIFY(std::abs(hem.time() - snags[i].time) < 1e-9);
    }
    hem.select(0);
    QTest::mouseClick(&hem, Qt::LeftButton, {}, hem.snagRect(snags.size() - 1).center().toPoint());
    QCOMPARE(chosen.size(), snags.size() + 1);
    QCOMPARE(hem.selected(), 2);
  }

  void legendLooksAtAPartOfTheRange() {
    Legend legend;
    legend.resize(300, 132);
    legend.show(measure());
    static_cast<QWidget&>(legend).show();
    QVERIFY(QTest::qWaitForWindowExposed(&legend));
    QCOMPARE(legend.from(), 0.0);
    QCOMPARE(legend.to(), 10.0);
    QSignalSpy range(&legend, &Legend::rangeChanged), worst(&legend, &Legend::worstClicked);
    const int y = 60;
    QVERIFY(count(legend.grab().toImage(), QRect(160, 32, 100, 50), theme().hairline) < 10);
    QTest::mousePress(&legend, Qt::LeftButton, {}, QPoint(286, y));
    QTest::mouseMove(&legend, QPoint(150, y));
    QTest::mouseRelease(&legend, Qt::LeftButton, {}, QPoint(150, y));
    QVERIFY(!range.isEmpty() && std::abs(legend.to() - 5) < 0.2);
    // What lies beyond is dimmed.
    QVERIFY(count(legend.grab().toImage(), QRect(160, 32, 100, 50), theme().hairline) > 30);
    // The same measure again keeps what is looked at; another one starts whole.
    PaintedMeasure again = measure();
    again.high = 20;
    legend.show(again);
    QVERIFY(std::abs(legend.to() - 10) < 0.4 && legend.from() == 0);
    again.kind = Paint::Rest;
    legend.show(again);
    QCOMPARE(legend.to(), 20.0);
    // The ends cannot pass one another.
    QTest::mousePress(&legend, Qt::LeftButton, {}, QPoint(288, y));
    QTest::mouseMove(&legend, QPoint(0, y));
    QTest::mouseRelease(&legend, Qt::LeftButton, {}, QPoint(0, y));
    QVERIFY(legend.to() > legend.from());
    QTest::keyClick(&legend, Qt::Key_Home);
    QVERIFY(legend.from() == 0 && legend.to() == 20);
    QTest::keyClick(&legend, Qt::Key_Left);
    QVERIFY(std::abs(legend.to() - 19.6) < 1e-9);
    QTest::mouseClick(&legend, Qt::LeftButton, {}, QPoint(60, 120));
    QTest::keyClick(&legend, Qt::Key_Return);
    QCOMPARE(worst.size(), 2);
    // A class has no ends; what was not measured says so.
    PaintedMeasure none = measure();
    none.none = "not computed yet";
    legend.show(none);
    const double to = legend.to();
    QTest::mouseClick(&legend, Qt::LeftButton, {}, QPoint(100, y));
    QCOMPARE(legend.to(), to);
    none.kind = Paint::Plain;
    legend.show(none);
    QVERIFY(!legend.isVisible());
  }

  void paintedMeasuresAreTheProofs() {
    const StepResult& r = *desk_->steps()[1].result;
    const Mesh& mesh = desk_->part()->mesh;
    const PaintedMeasure cusp = paintedMeasure(*desk_, Paint::Cusp, 1);
    double most = 0;
    for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
      QCOMPARE(std::isnan(cusp.values[t]), r.surface->region[t] == 0);
      if (r.surface->region[t]) most = std::max(most, static_cast<double>(cusp.values[t]));
    }
    QVERIFY(std::abs(most - cusp.worst) < 1e-6);
    QVERIFY(std::abs(cusp.worst / 1e3 / r.surface->cusp.value - 1) < 1e-6 && *cusp.promise == 0.5); // as the proof says
    double area = 0;
    for (const float a : cusp.area) area += static_cast<double>(a);
    QVERIFY(std::abs(area - mesh.area()) < 1e-3 * area);
    desk_->setUnit(LengthUnit::Inch);
    const PaintedMeasure inch = paintedMeasure(*desk_, Paint::Cusp, 1);
    desk_->setUnit(LengthUnit::Millimetre);
    // What is cut deeper than promised is marked, and nothing above that.
    const Step& step = desk_->job().steps[1];
    QCOMPARE(paintedMeasure(*desk_, Paint::StockLeft, 1).deep, -1e3 * *step.promises.gouge);
    QVERIFY(std::abs(inch.worst * 1e-4 * kInch - cusp.worst * 1e-3) < 1e-9);
    const PaintedMeasure slope = paintedMeasure(*desk_, Paint::Slope, 1);
    for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
      QVERIFY(std::abs(std::cos(radians(static_cast<double>(slope.values[t]))) - mesh.facetNormal(t).z()) < 1e-5);
    QVERIFY(!paintedMeasure(*desk_, Paint::Cusp, 7).none.isEmpty());
    QVERIFY(paintedMeasure(*desk_, Paint::Plain, 1).values.empty());
  }

  void studySaysWhatTheDishAsksFor() {
    // An open dish of facets, hollow with a radius of 25 mm: seen from above, any ball of the library fits.
    const auto row = [&](const QString& title) {
      for (const EvidenceRow& r : evidenceOf(*desk_, Stage::Study).rows)
        if (r.title.startsWith(title)) return r.value;
      return QString();
    };
    QCOMPARE(row("With three axes"), QString("all of it from one side: z up"));
    QVERIFY2(row("Along the first").startsWith("100.0 %"), qPrintable(row("Along the first")));
    QVERIFY2(row("Largest ball").startsWith("any, up to"), qPrintable(row("Largest ball")));
    QVERIFY2(row("Step 2 can touch").startsWith("100.0 %"), qPrintable(row("Step 2 can touch")));
    QVERIFY2(row("Facets, no exact").contains("stand up to"), qPrintable(row("Facets, no exact")));
    const double hollow = *desk_->base().study->concave;
    QVERIFY2(hollow > 22 && hollow < 28, qPrintable(QString::number(hollow)));
    const PaintedMeasure ball = paintedMeasure(*desk_, Paint::LargestBall, 1), tilt = paintedMeasure(*desk_, Paint::TiltNeeded, 1);
    const double limit = desk_->base().balls->limit;
    for (std::size_t t = 0; t < ball.values.size(); ++t)
      QVERIFY(std::abs(static_cast<double>(ball.values[t]) - 2 * limit) < 1e-4 && tilt.values[t] == 0);
    desk_->setUnit(LengthUnit::Inch);
    QVERIFY(std::abs(static_cast<double>(paintedMeasure(*desk_, Paint::LargestBall, 1).values[0]) * kInch - 2 * limit) < 1e-3);
    desk_->setUnit(LengthUnit::Millimetre);
  }

  void probeTellsWhatEachStepLeft() {
    const Vec3 place(6, 5, 0);
    const Nearest near = closestPoint(*desk_->part()->tree, place);
    const Probed p = probeAt(*desk_, 1, place, static_cast<std::size_t>(near.triangle));
    QVERIFY((p.at - place).norm() <= 1.0 + 1e-9);
    for (const char* name : {"Coarse", "Fine", "Snagged"}) QVERIFY2(p.text.contains(name), qPrintable(p.text));
    QVERIFY(p.text.contains("slope") && p.text.contains("worst within") && !p.text.contains("stale"));
    // The worst within the radius is worse than, or as bad as, the facet that was hit.
    const auto& left = desk_->steps()[1].result->surface->facetLeft;
    const Nearest worst = closestPoint(*desk_->part()->tree, p.at);
    QVERIFY(left[static_cast<std::size_t>(worst.triangle)] >= left[static_cast<std::size_t>(near.triangle)] - 1e-7f);
  }

  void everyStageAnswersAndSaysWhatIsStale() {
    for (const Stage s : {Stage::Study, Stage::Hold, Stage::Plan, Stage::Prove, Stage::Release, Stage::Log}) {
      const Evidence e = evidenceOf(*desk_, s);
      QVERIFY2(!e.headline.isEmpty() && !e.headline.contains("stale"), qPrintable(stageName(s)));
      for (const EvidenceRow& r : e.rows) QVERIFY2(!r.title.isEmpty() && !r.stale, qPrintable(stageName(s)));
    }
    QVERIFY(evidenceOf(*desk_, Stage::Prove).headline.startsWith("Worst:"));
    QVERIFY(evidenceOf(*desk_, Stage::Release).headline.startsWith("Held"));
    // After an edit of the last step, before it is computed: its rows are stale, those of the first are not.
    desk_->edit("cusp", [](Job& j) { j.steps[2].promises.cusp = 0.25; });
    desk_->cancel();
    int stale = 0, fresh = 0;
    for (const EvidenceRow& r : evidenceOf(*desk_, Stage::Prove).rows) {
      if (r.step == 2) QVERIFY(r.stale);
      if (r.step == 0) QVERIFY(!r.stale);
      ++(r.stale ? stale : fresh);
    }
    QVERIFY(stale > 0 && fresh > 0);
    QVERIFY(evidenceOf(*desk_, Stage::Plan).headline.contains("stale"));
    QVERIFY(evidenceOf(*desk_, Stage::Release).headline.contains("not everything is computed"));
    desk_->undo().undo();
    // The finest promise decides the tessellation of the part, and with it every step, the earlier ones too.
    desk_->edit("cusp", [](Job& j) { j.steps[1].promises.cusp = 0.002; });
    desk_->cancel();
    for (const StepView& v : desk_->steps()) QVERIFY(v.result && !v.fresh);
    desk_->undo().undo();
    desk_->compute();
    QVERIFY(computed(*desk_));
  }

  void filesThatChangeMakeStale() {
    // Another dish in the model's place, then the one that was: nothing of the old one is called kept meanwhile, and all is computed again.
    const std::string model = resolve(desk_->path().toStdString(), desk_->job().partFile), before = readFile(model);
    const auto kept = [&] { return desk_->tally()[static_cast<std::size_t>(Verdict::Kept)]; };
    const int was = kept();
    const std::string key = desk_->part()->key.text();
    QVERIFY(was > 0);
    std::string other = before;
    other[200] = static_cast<char>(other[200] ^ 1);
    writeFileSafely(model, other);
    QTRY_VERIFY_WITH_TIMEOUT(kept() == 0 && !desk_->complete() && !desk_->steps()[0].fresh, 5000);
    QTRY_VERIFY_WITH_TIMEOUT(desk_->complete(), 60000);
    QVERIFY(desk_->part()->key.text() != key);
    QVERIFY(QFile::remove(QString::fromStdString(model)));
    QTRY_COMPARE_WITH_TIMEOUT(kept(), 0, 5000);
    QTRY_VERIFY_WITH_TIMEOUT(!desk_->computing() && desk_->lastError().contains("no such file"), 20000);
    writeFileSafely(model, before);
    QTRY_VERIFY_WITH_TIMEOUT(desk_->complete() && desk_->part()->key.text() == key, 60000);
    QCOMPARE(kept(), was);
  }

  void ledgerReordersAndTakesBack() {
    Ledger ledger(*desk_);
    ledger.resize(800, 400);
    ledger.show();
    ledger.refresh();
    const auto names = [&] {
      QStringList out;
      for (const Step& s : desk_->job().steps) out << QString::fromStdString(s.name);
      return out;
    };
    const auto rowOf = [&](int step) {
      for (int r = 0; r < ledger.table()->rowCount(); ++r)
        if (const auto* i = ledger.table()->item(r, 1); i && i->data(Qt::UserRole).isValid() && i->data(Qt::UserRole).toInt() == step)
          return r;
      return -1;
    };
    const auto press = [&](const QString& text) {
      for (QPushButton* b : ledger.findChildren<QPushButton*>())
        if (b->text() == text) b->click();
    };
    QCOMPARE(ledger.table()->rowCount(), 5); // three steps and two seams
    QSignalSpy told(&ledger, &Ledger::refused);
    press("Up"); // nothing is selected
    QCOMPARE(told.size(), 1);
    QSignalSpy chosen(&ledger, &Ledger::stepChosen);
    ledger.table()->selectRow(rowOf(2));
    QCOMPARE(chosen.last()[0].toInt(), 2);
    const QStringList before = names();
    press("Up");
    QCOMPARE(names(), QStringList({"Coarse", "Snagged", "Fine"}));
    QCOMPARE(told.size(), 2);
    QVERIFY(told.last()[0].toString().contains("Steps from 2 on"));
    desk_->undo().undo();
    QCOMPARE(names(), before);
    ledger.table()->selectRow(rowOf(1));
    press("Duplicate");
    QCOMPARE(names(), QStringList({"Coarse", "Fine", "Fine (copy)", "Snagged"}));
    desk_->undo().undo();
    ledger.table()->selectAll();
    QCOMPARE(ledger.selectedSteps(), std::vector<int>({0, 1, 2}));
    press("Remove"); // not all of them
    QCOMPARE(names(), before);
    ledger.table()->clearSelection();
    ledger.table()->selectRow(rowOf(0));
    press("Remove");
    QCOMPARE(names(), QStringList({"Fine", "Snagged"}));
    desk_->undo().undo();
    QCOMPARE(names(), before);
    desk_->compute();
    QVERIFY(computed(*desk_));
    // Any field is a column; steps of kinds that do not have it have none. What is not known is none.
    const QStringList were = ledger.columns();
    ledger.setColumns({"cusp_mm", "depth_mm", "of an older version"});
    QCOMPARE(ledger.columns(), QStringList({"cusp_mm", "depth_mm"}));
    QCOMPARE(ledger.table()->horizontalHeaderItem(3)->text(), QString("cusp"));
    QCOMPARE(ledger.table()->item(rowOf(1), 3)->text(), QString("0.5 µm"));
    QCOMPARE(ledger.table()->item(rowOf(1), 4)->text(), QString());
    ledger.setColumns(were);
  }

  void briefIsEditedByKeys() {
    Brief brief(*desk_);
    brief.resize(300, 640);
    static_cast<QWidget&>(brief).show();
    QVERIFY(QTest::qWaitForWindowExposed(&brief));
    QApplication::setActiveWindow(&brief);
    brief.show(1);
    Clause* cusp = brief.clause("cusp_mm");
    QVERIFY(cusp);
    auto* button = cusp->findChild<QToolButton*>();
    QCOMPARE(button->text(), QString("0.5 µm"));
    const auto editor = [&] { return cusp->findChild<QLineEdit*>("edit-cusp_mm"); };
    // Escape leaves all as it was.
    button->setFocus();
    QTest::keyClick(button, Qt::Key_Return);
    QVERIFY(editor());
    QTest::keyClicks(editor(), "7");
    QTest::keyClick(editor(), Qt::Key_Escape);
    QCOMPARE(*desk_->job().steps[1].promises.cusp, 0.0005);
    // Bad input stays to be mended, with what would be good; the job stays.
    QTest::qWait(10);
    QTest::keyClick(button, Qt::Key_Return);
    editor()->selectAll();
    QTest::keyClicks(editor(), "none");
    QTest::keyClick(editor(), Qt::Key_Return);
    auto* note = brief.findChild<QLabel*>("briefNote");
    QVERIFY(note->isVisible() && !note->text().isEmpty());
    QVERIFY(editor() && editor()->property("wrong").toBool());
    QCOMPARE(*desk_->job().steps[1].promises.cusp, 0.0005);
    // Arrow keys step by a share of the value.
    editor()->setText("0.5 µm");
    QTest::keyClick(editor(), Qt::Key_Up);
    QVERIFY(editor()->text().startsWith("0.5") && editor()->text().endsWith("µm") && editor()->text() != "0.5 µm");
    editor()->setText("2,5 um");
    QTest::keyClick(editor(), Qt::Key_Return);
    QCOMPARE(*desk_->job().steps[1].promises.cusp, 0.0025);
    QVERIFY(!note->isVisible());
    // What was measured is not called current any more.
    bool stale = false;
    for (const QLabel* l : brief.findChildren<QLabel*>()) stale = stale || l->text().contains("(stale)");
    QVERIFY(stale);
    desk_->undo().undo();
    QCOMPARE(button->text(), QString("0.5 µm"));
    desk_->compute();
    QVERIFY(computed(*desk_));
    for (const QLabel* l : brief.findChildren<QLabel*>()) QVERIFY(!l->text().contains("(stale)"));
    // A snag points at its row.
    brief.pointAt("stick_out_mm", "not clear: holder against part");
    QVERIFY(note->isVisible() && note->text().contains("holder"));
    QVERIFY(brief.clause("stick_out_mm")->findChild<QToolButton*>()->hasFocus());
  }

  /// One value of the spacing card is moved, and all others follow; what cannot be is told and nothing changes.
  void spacingCard() {
    std::unique_ptr<SpacingCard> card(openSpacingCard(*desk_, 1, nullptr));
    QVERIFY(card && QTest::qWaitForWindowExposed(card.get()));
    card->setAttribute(Qt::WA_DeleteOnClose, false);
    QCOMPARE(card->state().cutter.name, desk_->job().steps[1].cutter);
    const double R = 0.5 * card->state().cutter.diameter;
    const auto edit = [&](const char* name) { return card->findChild<QLineEdit*>(name); };
    const auto type = [&](const char* name, const QString& value) {
      edit(name)->setFocus();
      edit(name)->setText(value);
      QTest::keyClick(edit(name), Qt::Key_Return);
    };
    const auto answers = [&] { return card->findChild<QLabel*>("spacingAnswers")->text(); };
    auto* fault = card->findChild<QLabel*>("broken");
    type("spacingCusp", "2 um");
    QVERIFY(std::abs(card->state().step - 2 * std::sqrt(2 * R * 0.002 - 0.002 * 0.002)) < 1e-4);
    QVERIFY(std::abs(edit("spacingShare")->text().section(' ', 0, 0).toDouble() - 50 * card->state().step / R) < 0.01);
    QVERIFY(answers().contains(QString("%1 passes on").arg(100 / card->state().step, 0, 'f', 1)) && answers().contains("rubs"));
    type("spacingShare", "10 %");
    QVERIFY(std::abs(card->state().step - 0.2 * R) < 1e-9);
    const QString before = edit("spacingCusp")->text();
    type("spacingSlope", "30");
    QVERIFY(std::abs(card->state().slope - radians(30)) < 1e-9 &&
            edit("spacingCusp")->text() == before); // a ball's is the same on all slopes
    QVERIFY(!answers().contains("rubs"));
    QTest::keyClick(edit("spacingStep"), Qt::Key_Up);
    QVERIFY(std::abs(card->state().step - 0.2 * R * 1.05) < 1e-9);
    for (const char* wrong : {"spacingCusp", "spacingShare", "spacingSlope", "spacingRadius", "spacingRpm"}) {
      const double was = card->state().step;
      const QString shown = edit(wrong)->text();
      type(wrong, "0.01 furlong");
      QVERIFY2(fault->isVisible() && card->state().step == was && edit(wrong)->text() == shown, wrong);
    }
    type("spacingRadius", "-3"); // tighter than the ball
    QVERIFY(!fault->isVisible() && edit("spacingCusp")->text().contains("not meet"));
    type("spacingRadius", "plane");
    card->findChild<QComboBox*>("spacingWay")->setCurrentIndex(1);
    QVERIFY(card->state().uphill);
    const auto shot = qEnvironmentVariable("SHOTS");
    if (!shot.isEmpty()) {
      auto* cutters = card->findChild<QComboBox*>("spacingCutter");
      cutters->setCurrentIndex(cutters->findText("bull nose 8 r1"));
      card->findChild<QComboBox*>("spacingWay")->setCurrentIndex(0);
      type("spacingRadius", "-30"), type("spacingStep", "1.4");
      card->grab().save(shot + "/spacing.png");
    }
  }
};

QTEST_MAIN(TestWidgets)
#include "tst_widgets.moc"
