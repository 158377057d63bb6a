#include "application.h"
#include "cutter/library.h"
#include "geometry/tree.h"
#include "hem/trace_plot.h"
#include "libraries/libraries_window.h"
#include "own_library.h"
#include "plans/patterns_page.h"
#include "plans/plans_page.h"
#include "stages/add_step.h"
#include "start/last_jobs.h"
#include "theme.h"
#include "view/stock_follower.h"
#include "window.h"
#include <QAbstractButton>
#include <QComboBox>
#include <QCommandLineParser>
#include <QFileInfo>
#include <QSettings>
#include <QTemporaryDir>
#include <QTimer>
#include <iostream>

using namespace hemline::app;

namespace {

/// Lets everything come to rest, the smooth picture too.
void rest() {
  QEventLoop loop;
  QTimer::singleShot(900, &loop, &QEventLoop::quit);
  loop.exec();
}

/// Pictures of the main views for the documentation, made from the open job once it is computed.
void takeShots(Window& w, const QString& folder) {
  const auto shot = [&](const QString& name) {
    rest();
    w.grab().save(folder + "/" + name + ".png");
  };
  Hem& hem = w.hem();
  const int last = static_cast<int>(w.desk().job().steps.size()) - 1;
  hem.select(last);
  w.view().setMark({}, {});
  for (const auto& [stage, name] : {std::pair(Stage::Study, "study"), std::pair(Stage::Hold, "hold"), std::pair(Stage::Release, "release"),
                                    std::pair(Stage::Log, "log")}) {
    w.view().setMark({}, {});
    w.view().fit();
    w.setStage(stage);
    shot(name);
    if (stage != Stage::Study) continue;
    w.setPaint(Paint::LargestBall);
    shot("balls");
    w.regions().select(0);
    w.markGround();
    shot("regions");
    w.regions().select(-1);
  }
  w.view().setMark({}, {});
  w.view().fit();
  w.setStage(Stage::Plan);
  w.setPaint(Paint::Cusp);
  hem.scrub(w.desk().steps().back().result->time->timing.total * 0.37);
  shot("plan");
  w.showLedger(true);
  shot("ledger");
  w.showLedger(false);
  w.setStage(Stage::Prove);
  shot("prove");
  // A click on the place where the finishing step leaves the highest cusp.
  hem.select(last);
  if (auto* trace = w.findChild<QComboBox*>("trace")) {
    trace->setCurrentIndex(trace->findData(static_cast<int>(Trace::Clearance)));
    emit trace->activated(trace->currentIndex());
  }
  if (const auto& surface = w.desk().steps().back().result->surface) {
    const hemline::Nearest on = hemline::closestPoint(*w.desk().part()->tree, surface->cusp.at);
    w.view().flyTo(on.point, 15);
    emit w.view().picked(on.point, on.triangle);
    shot("probe");
  }
  AddStep page(w.desk(), 1, libraryOf(&w.desk().job()), &w);
  page.show();
  while (page.drawing()) rest();
  rest();
  page.grab().save(folder + "/add-step.png");
  page.close();
  Shelf shelf = readShelf();
  shelf.job = w.desk().job(), shelf.unit = w.desk().unit();
  LibrariesWindow library(shelf, LibrariesWindow::Page::Cutters, &w);
  library.show();
  library.page(LibrariesWindow::Page::Cutters)->table()->selectRow(8);
  rest();
  library.grab().save(folder + "/library.png");
  library.close();
  w.plotTraces();
  auto* traces = w.findChild<TracePlot*>();
  traces->show({Trace::Feed, Trace::Cusp, Trace::Clearance});
  rest();
  traces->grab().save(folder + "/traces.png");
  traces->close();
  hem.select(last);
  w.proposeFinishing();
  auto* patterns = w.findChild<PatternsPage*>();
  while (patterns->planning() || patterns->drawing()) rest();
  rest();
  patterns->grab().save(folder + "/patterns.png");
  patterns->close();
  w.closeJob();
  shot("start");
}

/// Whole plans are proposed; a picture of the table of them.
void showPlans(Window& w, const QString& file) {
  QEventLoop loop;
  QObject::connect(&w.desk(), &Desk::plansProposed, &loop, &QEventLoop::quit);
  w.proposePlans();
  loop.exec();
  while (w.desk().computing()) rest();
  auto* page = w.findChild<PlansPage*>();
  rest();
  page->grab().save(file);
  page->close();
}

/// A step after `share` of its time, with its stock.
void showStep(Window& w, int step, Stage stage, Trace shown, double share) {
  w.hem().select(step);
  for (auto* b : w.findChildren<QAbstractButton*>())
    if (b->text() == QObject::tr("Stock")) b->setChecked(true);
  if (auto* trace = w.findChild<QComboBox*>("trace")) {
    trace->setCurrentIndex(trace->findData(static_cast<int>(shown)));
    emit trace->activated(trace->currentIndex());
  }
  w.setStage(stage);
  w.view().fit();
  bool there = false;
  const auto cut = QObject::connect(&w.follower(), &StockFollower::cut, &w, [&] { there = true; });
  w.hem().scrub(share * w.desk().steps()[static_cast<std::size_t>(step)].result->time->timing.total);
  for (int k = 0; !there && k < 600; ++k) rest();
  QObject::disconnect(cut);
  rest();
}

/// The step of that number (the nearest that there is), with that trace; realised feed where there is none of the name.
void showStepBy(Window& w, int number, const QString& name) {
  auto trace = Trace::Feed;
  for (int k = 0; k < kTraces; ++k)
    if (traceName(static_cast<Trace>(k)) == name) trace = static_cast<Trace>(k);
  showStep(w, std::clamp(number, 1, static_cast<int>(w.desk().steps().size())) - 1, Stage::Plan, trace, 0.4);
}

} // namespace

int main(int argc, char** argv) {
  SurfaceView::askForGraphics();
  Application app(argc, argv);
  QApplication::setApplicationName("hemline");
  QApplication::setOrganizationName("hemline");
  QApplication::setApplicationVersion(HEMLINE_VERSION);
  QCommandLineParser parser;
  parser.setApplicationDescription(QObject::tr("Hemline: programs for freeform surfaces, every promise measured."));
  parser.addHelpOption();
  parser.addVersionOption();
  parser.addPositionalArgument("job", QObject::tr("job to open (*.hemline)"), "[job]");
  const QCommandLineOption shots("shots", QObject::tr("compute the job, write pictures of the views to this folder, and end"), "folder");
  const QCommandLineOption picture("picture", QObject::tr("compute the job, write one picture of the window, and end"), "file");
  const QCommandLineOption hold("hold", QObject::tr("with --picture: how the last step is held, with its stock"));
  const QCommandLineOption dark("dark", QObject::tr("start dark"));
  const QCommandLineOption rough("rough", QObject::tr("with --picture: the first step at work, with its stock and engagement"));
  const QCommandLineOption step("step", QObject::tr("with --picture: this step being planned"), "number");
  const QCommandLineOption trace("trace", QObject::tr("with --step: what is followed along it, for instance layer"), "name");
  const QCommandLineOption plans("plans", QObject::tr("propose plans for the job, write a picture of them side by side, and end"), "file");
  const QCommandLineOption thumb("small-picture", QObject::tr("compute the job, write a small picture of the part, and end"), "file");
  const QCommandLineOption noCache("no-cache",
                                   QObject::tr("compute everything anew; nothing is read from the results on disk, or kept there"));
  parser.addOptions({shots, picture, plans, thumb, hold, rough, step, trace, dark, noCache});
  parser.process(app);
  const bool batch = parser.isSet(shots) || parser.isSet(picture) || parser.isSet(plans) || parser.isSet(thumb);
  const QTemporaryDir nobody; // pictures show nothing of who makes them
  if (batch) QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, nobody.path());
  const QSettings settings("hemline", "hemline");
  setTheme(parser.isSet(dark) || (!batch && settings.value("dark").toBool()));
  applyTheme();
  app.setWindowIcon(QIcon(":/icons/hemline.svg"));

  Window window;
  app.onError([&window](const hemline::Error& e) { emit window.desk().failed(e); });
  if (!parser.isSet(noCache)) window.desk().useStore(hemline::Store::ofUser());
  window.remember(!batch);
  window.show();
  // Reopens where it was.
  const QString job = parser.positionalArguments().value(0, batch ? QString() : settings.value("job").toString());
  if (!job.isEmpty() && (QFileInfo::exists(job) || !parser.positionalArguments().isEmpty())) {
    const bool opened = window.openJob(job);
    if (batch && !opened) {
      std::cerr << window.message().toStdString() << "\n";
      return 1;
    }
  }
  if (batch) {
    QObject::connect(&window.desk(), &Desk::failed, &app, [](const hemline::Error& e) {
      std::cerr << e.what() << "\n";
      QApplication::exit(1);
    });
    auto* timer = new QTimer(&app);
    QObject::connect(timer, &QTimer::timeout, &app, [&, timer] {
      if (!window.desk().complete() || window.desk().computing()) return;
      timer->stop();
      if (parser.isSet(shots)) takeShots(window, parser.value(shots));
      if (parser.isSet(hold)) showStep(window, static_cast<int>(window.desk().steps().size()) - 1, Stage::Hold, Trace::Bending, 0.6);
      if (parser.isSet(rough)) showStep(window, 0, Stage::Plan, Trace::Engagement, 0.3);
      if (parser.isSet(step)) showStepBy(window, parser.value(step).toInt(), parser.value(trace));
      if (parser.isSet(plans)) showPlans(window, parser.value(plans));
      if (parser.isSet(thumb)) {
        window.setStage(Stage::Release); // the part alone
        window.setPaint(Paint::LargestBall);
        window.view().fit();
        rest();
        smallPicture(QPixmap::fromImage(window.view().grabFramebuffer())).save(parser.value(thumb));
      }
      if (parser.isSet(picture)) {
        rest();
        window.grab().save(parser.value(picture));
      }
      QApplication::exit(0);
    });
    timer->start(100);
  }
  return QApplication::exec();
}
