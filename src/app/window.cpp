#include "window.h"
#include "commands.h"
#include "job/report.h"
#include "ledger.h"
#include "library_dialog.h"
#include "stages/journal.h"
#include "theme.h"
#include <QApplication>
#include <QBuffer>
#include <QCloseEvent>
#include <QDateTime>
#include <QDialogButtonBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QInputDialog>
#include <QMenu>
#include <QMessageBox>
#include <QScrollArea>
#include <QSettings>
#include <QStandardPaths>
#include <QTimer>

namespace hemline::app {
namespace {

QLabel* named(const char* name, const QString& text = {}) {
  auto* l = new QLabel(text);
  l->setObjectName(name);
  l->setWordWrap(true);
  return l;
}

/// The user's own library, or the shipped one until it is first saved.
QString libraryPath() {
  return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/library.json";
}

} // namespace

Tally::Tally(Desk& desk, QWidget* parent) : QWidget(parent), desk_(desk) {
  setObjectName("tally");
  setFixedHeight(28);
  setFixedWidth(270);
  setToolTip(tr("Promises of the job as it is now: kept, broken, not known"));
  connect(&desk_, &Desk::resultsChanged, this, qOverload<>(&QWidget::update));
}

void Tally::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const auto n = desk_.tally();
  const QStringList words{tr("kept"), tr("broken"), tr("not known"), tr("waived")};
  int x = width();
  for (const int k : {2, 3, 1, 0}) {
    if (k == 3 && n[3] == 0) continue;
    const bool none = n[static_cast<std::size_t>(k)] == 0;
    const QString text = QString("%1 %2").arg(words[k]).arg(n[static_cast<std::size_t>(k)]);
    const int w = p.fontMetrics().horizontalAdvance(text) + 26;
    x -= w;
    p.setOpacity(none ? 0.55 : 1);
    paintVerdict(p, QRectF(x, 6, 16, 16), k == 1 && none ? 4 : k);
    p.setPen(k == 1 && n[1] > 0 ? theme().broken : theme().ink);
    p.drawText(QRectF(x + 19, 0, w, 28), Qt::AlignVCenter, text);
  }
}

Window::Window() {
  setWindowTitle("Hemline");
  setObjectName("window");
  resize(1280, 800);
  build();
  buildCommands();
  connect(&desk_, &Desk::jobChanged, this, [this] {
    refreshTop();
    refreshStage();
  });
  connect(&desk_, &Desk::partChanged, this, [this] {
    view_->setPart(desk_.part());
    std::vector<std::pair<QString, Box>> fixtures;
    for (const FixtureBox& f : desk_.job().fixtures) fixtures.emplace_back(QString::fromStdString(f.name), f.box);
    view_->setFixtures(fixtures);
    probes_.clear();
    view_->setProbes({});
    probeBox_->hide();
    refreshMeasure();
  });
  connect(&desk_, &Desk::resultsChanged, this, [this] {
    refreshTop();
    refreshStage();
    refreshMeasure();
    showStep(hem_->selected());
  });
  connect(&desk_, &Desk::progressed, this, &Window::refreshTop);
  connect(&desk_, &Desk::unitChanged, this, [this] {
    refreshTop();
    refreshStage();
    refreshMeasure();
  });
  connect(&desk_, &Desk::failed, this, [this](const QString& happened, const QString& place, const QString& remedy) {
    tell(tr("%1%2. %3").arg(happened, place.isEmpty() ? QString() : " (" + place + ")", remedy), true);
  });
  connect(&desk_, &Desk::recoveryFound, this, [this](const QString& when) {
    tell(tr("Changes from %1 were not saved before the last end.").arg(when), false, tr("Take them over"), [this] { desk_.recover(); });
  });
  connect(&desk_, &Desk::released, this, [this](const QString& folder, const QStringList& files, const QStringList& held) {
    const bool ready = held.isEmpty();
    tell(ready ? tr("Released to %1: %2").arg(folder, files.join(", "))
               : tr("Held, so no programs: %1 (report and sheet are in %2)").arg(held.first(), folder),
         !ready);
    try {
      if (ready)
        for (std::size_t i = 0; i < desk_.result().steps.size(); ++i) {
          const StepResult& r = *desk_.result().steps[i];
          appendJournal(desk_.path(), {QDateTime::currentDateTime().toString("d MMMM yyyy, HH:mm"),
                                       tr("released %1").arg(QString::fromStdString(r.step.name)),
                                       tr("revision %1").arg(QString::fromStdString(r.key.text()).left(8)), r.time->timing.total, 0});
        }
    } catch (const Error& e) {
      tell(QString::fromUtf8(e.what()), true);
    }
    refreshStage();
  });
  connect(hem_, &Hem::selectedStep, this, [this](int step) {
    showStep(step);
    refreshMeasure();
  });
  connect(hem_, &Hem::scrubbed, this, [this](int step, double time, bool) { scrub(step, time); });
  connect(hem_, &Hem::snagChosen, this, [this](const Snag& s) {
    setStage(Stage::Plan); // the card with the very row that is responsible
    brief_->show(s.step);
    brief_->pointAt(s.row, s.text);
    if (s.at.squaredNorm() > 0) goTo(s.at, view_->width() > 0 ? 24 : 20, s.text);
  });
  connect(view_, &SurfaceView::picked, this, &Window::probe);
  connect(brief_, &Brief::placeAsked, this, [this](const Vec3& at, const QString& text) { goTo(at, 20, text); });
  connect(&follower_, &StockFollower::cut, this, [this](const std::shared_ptr<const Mesh>& m, int) { view_->setStock(m); });
  const QSettings settings("hemline", "hemline");
  desk_.setUnit(settings.value("inch").toBool() ? LengthUnit::Inch : LengthUnit::Millimetre);
  paintBox_->setCurrentIndex(paintBox_->findData(static_cast<int>(paint_)));
  setStage(Stage::Plan);
  refreshTop();
}

void Window::build() {
  auto* all = new QWidget;
  auto* rows = new QVBoxLayout(all);
  rows->setContentsMargins(0, 0, 0, 0);
  rows->setSpacing(0);
  auto* top = new QWidget;
  buildTop(top);
  rows->addWidget(top);

  // Errors and offers, under the top line, until they are put away.
  messageBar_ = new QWidget;
  messageBar_->setObjectName("panel");
  auto* bar = new QHBoxLayout(messageBar_);
  bar->setContentsMargins(12, 4, 8, 4);
  message_ = named("message");
  messageAction_ = new QPushButton;
  messageAction_->setObjectName("messageAction");
  connect(messageAction_, &QPushButton::clicked, this, [this] {
    const auto run = messageRun_;
    messageBar_->hide();
    if (run) run();
  });
  auto* away = new QPushButton(tr("Put away"));
  connect(away, &QPushButton::clicked, messageBar_, &QWidget::hide);
  bar->addWidget(message_, 1);
  bar->addWidget(messageAction_);
  bar->addWidget(away);
  messageBar_->hide();
  rows->addWidget(messageBar_);

  auto* middle = new QHBoxLayout;
  middle->setSpacing(0);
  auto* rail = new QWidget;
  rail->setFixedWidth(80);
  auto* stages = new QVBoxLayout(rail);
  stages->setContentsMargins(0, 4, 0, 4);
  stages->setSpacing(2);
  for (int k = 0; k < 6; ++k) {
    auto* b = new QToolButton;
    const QString name = stageName(static_cast<Stage>(k));
    b->setObjectName("stage");
    b->setProperty("stageIndex", k);
    b->setText(name);
    b->setIcon(icon(name.toLower()));
    b->setIconSize(QSize(24, 24));
    b->setToolButtonStyle(Qt::ToolButtonTextUnderIcon);
    b->setCheckable(true);
    b->setFixedSize(80, 64);
    b->setToolTip(stageQuestion(static_cast<Stage>(k)) + tr(" (Alt+%1)").arg(k + 1));
    connect(b, &QToolButton::clicked, this, [this, k] { setStage(static_cast<Stage>(k)); });
    stages->addWidget(b);
    stages_.push_back(b);
  }
  stages->addStretch(1);
  middle->addWidget(rail);

  centre_ = new QStackedWidget;
  view_ = new SurfaceView;
  ledger_ = new Ledger(desk_);
  connect(ledger_, &Ledger::stepChosen, this, [this](int step) { hem_->select(step); });
  connect(ledger_, &Ledger::refused, this, [this](const QString& what) { tell(what, false); });
  centre_->addWidget(view_);
  centre_->addWidget(ledger_);
  auto* middleColumn = new QVBoxLayout;
  middleColumn->setSpacing(0);
  auto* tools = new QWidget;
  auto* toolRow = new QHBoxLayout(tools);
  toolRow->setContentsMargins(12, 4, 12, 4);
  toolRow->addWidget(new QLabel(tr("Paint")));
  paintBox_ = new QComboBox;
  paintBox_->setObjectName("paint");
  for (const Paint p : {Paint::Plain, Paint::Slope, Paint::StockLeft, Paint::Cusp, Paint::Rest, Paint::Coverage})
    paintBox_->addItem(paintName(p), static_cast<int>(p));
  connect(paintBox_, &QComboBox::activated, this, [this] { setPaint(static_cast<Paint>(paintBox_->currentData().toInt())); });
  toolRow->addWidget(paintBox_);
  const auto toggle = [&](const QString& text, bool on, const QString& tip, auto run) {
    auto* b = new QToolButton;
    b->setText(text);
    b->setCheckable(true);
    b->setChecked(on);
    b->setToolTip(tip);
    connect(b, &QToolButton::toggled, this, run);
    toolRow->addWidget(b);
    return b;
  };
  stockButton_ = toggle(tr("Stock"), false, tr("Show the stock as cut up to the cutter's place instead of the part"), [this](bool on) {
    view_->showStock(on);
    scrub(hem_->selected(), hem_->time());
  });
  pathButton_ = toggle(tr("Path"), true, tr("Show passes, links and rapids of the selected step"),
                       [this](bool on) { view_->showPath(on && stage_ != Stage::Study && stage_ != Stage::Hold); });
  ledgerButton_ = toggle(tr("Ledger"), false, tr("Show the steps as a table instead of the view (Ctrl+L)"),
                         [this](bool on) { centre_->setCurrentIndex(on ? 1 : 0); });
  ledgerButton_->setObjectName("ledgerButton");
  toolRow->addStretch(1);
  status_ = named("muted");
  status_->setWordWrap(false);
  toolRow->addWidget(status_);
  middleColumn->addWidget(tools);
  middleColumn->addWidget(centre_, 1);
  middle->addLayout(middleColumn, 1);

  auto* panel = new QWidget;
  panel->setObjectName("panel");
  panel->setAttribute(Qt::WA_StyledBackground);
  panel->setFixedWidth(320);
  auto* column = new QVBoxLayout(panel);
  column->setContentsMargins(16, 12, 16, 8);
  column->setSpacing(8);
  question_ = named("muted");
  headline_ = named("headline");
  column->addWidget(question_);
  column->addWidget(headline_);
  pages_ = new QStackedWidget;
  brief_ = new Brief(desk_);
  pages_->addWidget(brief_);
  auto* scroll = new QScrollArea;
  scroll->setObjectName("panel");
  scroll->setWidgetResizable(true);
  scroll->setFrameShape(QFrame::NoFrame);
  scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  evidence_ = new QWidget;
  evidence_->setObjectName("panel");
  new QVBoxLayout(evidence_);
  scroll->setWidget(evidence_);
  pages_->addWidget(scroll);
  column->addWidget(pages_, 1);
  stageActions_ = new QWidget;
  new QVBoxLayout(stageActions_);
  stageActions_->layout()->setContentsMargins(0, 0, 0, 0);
  column->addWidget(stageActions_);
  probeBox_ = new QWidget;
  auto* probeRows = new QVBoxLayout(probeBox_);
  probeRows->setContentsMargins(0, 4, 0, 0);
  auto* line = new QFrame;
  line->setObjectName("rule");
  line->setFixedHeight(1);
  probeRows->addWidget(line);
  probeCard_ = named("probeCard");
  probeRows->addWidget(probeCard_);
  auto* clear = new QPushButton(tr("Remove the dots"));
  clear->setObjectName("link");
  connect(clear, &QPushButton::clicked, this, [this] {
    probes_.clear();
    view_->setProbes({});
    probeBox_->hide();
  });
  probeRows->addWidget(clear);
  probeBox_->hide();
  column->addWidget(probeBox_);
  middle->addWidget(panel);
  rows->addLayout(middle, 1);

  hem_ = new Hem(desk_);
  hem_->setFixedHeight(120);
  auto* hemRow = new QHBoxLayout(hem_);
  hemRow->setContentsMargins(0, 36, 12, 0);
  hemRow->addStretch(1);
  traceBox_ = new QComboBox;
  traceBox_->setObjectName("trace");
  traceBox_->setFixedHeight(18);
  traceBox_->setStyleSheet("padding: 0 4px; font-size: 12px");
  for (const auto& [name, trace] : {std::pair(tr("realised feed"), Trace::Feed), std::pair(tr("tilt"), Trace::Tilt),
                                    std::pair(tr("height"), Trace::Height), std::pair(tr("cusp"), Trace::Cusp)})
    traceBox_->addItem(name, static_cast<int>(trace));
  connect(traceBox_, &QComboBox::activated, this, [this] { hem_->setTrace(static_cast<Trace>(traceBox_->currentData().toInt())); });
  hemRow->addWidget(traceBox_, 0, Qt::AlignTop);
  rows->addWidget(hem_);
  setCentralWidget(all);
  view_->setFocus();
}

void Window::buildTop(QWidget* top) {
  top->setFixedHeight(40);
  auto* row = new QHBoxLayout(top);
  row->setContentsMargins(12, 0, 16, 0);
  row->setSpacing(10);
  jobButton_ = new QPushButton(tr("no job"));
  jobButton_->setObjectName("jobButton");
  jobButton_->setMaximumWidth(220);
  row->addWidget(jobButton_);
  row->addWidget(new QLabel(tr("clamping 1")));
  unitButton_ = new QPushButton("mm");
  unitButton_->setObjectName("link");
  unitButton_->setToolTip(tr("Switch between millimetres and inches (Ctrl+U)"));
  row->addWidget(unitButton_);
  machine_ = named("muted");
  machine_->setWordWrap(false);
  row->addWidget(machine_);
  row->addStretch(1);
  progress_ = new QProgressBar;
  progress_->setFixedWidth(90);
  progress_->setRange(0, 1000);
  progress_->setTextVisible(false);
  auto* doing = named("doing");
  doing->setWordWrap(false);
  doing->setFixedWidth(170);
  doing->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  row->addWidget(doing);
  row->addWidget(progress_);
  cancel_ = new QPushButton(tr("Cancel"));
  cancel_->setObjectName("cancel");
  row->addWidget(cancel_);
  row->addWidget(new Tally(desk_));
}

QAction* Window::command(const QString& name, const QKeySequence& keys, std::function<void()> run) {
  auto* a = new QAction(name, this);
  a->setShortcut(keys);
  addAction(a);
  connect(a, &QAction::triggered, this, [this, run = std::move(run)] {
    try {
      run();
    } catch (const Error& e) {
      tell(QString::fromUtf8(e.what()), true);
    }
  });
  commands_.push_back(a);
  return a;
}

void Window::buildCommands() {
  std::vector<QAction*> file;
  file.push_back(command(tr("Open a job…"), QKeySequence::Open, [this] {
    if (!mayClose()) return;
    const QString f = QFileDialog::getOpenFileName(this, tr("Open a job"), QFileInfo(desk_.path()).path(), tr("Hemline jobs (*.hemline)"));
    if (!f.isEmpty()) openJob(f);
  }));
  file.push_back(command(tr("Save"), QKeySequence::Save, [this] {
    if (!desk_.isOpen()) return;
    desk_.save();
    refreshTop();
  }));
  file.push_back(command(tr("Save as…"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_S), [this] {
    const QString f = QFileDialog::getSaveFileName(this, tr("Save the job as"), desk_.path(), tr("Hemline jobs (*.hemline)"));
    if (!f.isEmpty()) desk_.saveAs(f);
  }));
  file.push_back(command(tr("Cutter library…"), {}, [this] { chooseLibrary(); }));
  command(tr("Undo"), QKeySequence::Undo, [this] { desk_.undo().undo(); });
  command(tr("Redo"), QKeySequence::Redo, [this] { desk_.undo().redo(); });
  command(tr("Compute again"), QKeySequence(Qt::Key_F5), [this] { desk_.compute(); });
  command(tr("Cancel computing"), QKeySequence(Qt::CTRL | Qt::Key_Period), [this] { desk_.cancel(); });
  for (int k = 0; k < 6; ++k)
    command(tr("Stage: %1").arg(stageName(static_cast<Stage>(k))),
            QKeySequence(static_cast<int>(Qt::ALT) | (static_cast<int>(Qt::Key_1) + k)), [this, k] { setStage(static_cast<Stage>(k)); });
  for (const Paint p : {Paint::Plain, Paint::Slope, Paint::StockLeft, Paint::Cusp, Paint::Rest, Paint::Coverage})
    command(tr("Paint %1").arg(paintName(p)), {}, [this, p] { setPaint(p); });
  command(tr("Find a command"), QKeySequence(Qt::CTRL | Qt::Key_K), [this] { showCommands(); });
  command(tr("Ledger: steps as a table"), QKeySequence(Qt::CTRL | Qt::Key_L), [this] { showLedger(centre_->currentIndex() == 0); });
  command(tr("Show the stock at the cutter"), QKeySequence(Qt::CTRL | Qt::Key_T), [this] { stockButton_->toggle(); });
  command(tr("Show the path"), QKeySequence(Qt::CTRL | Qt::Key_P), [this] { pathButton_->toggle(); });
  command(tr("Whole part"), QKeySequence(Qt::CTRL | Qt::Key_0), [this] { view_->fit(); });
  command(tr("Look from above"), QKeySequence(Qt::CTRL | Qt::Key_1), [this] { view_->lookAlong({0, 0, -1}); });
  command(tr("Look from the front"), QKeySequence(Qt::CTRL | Qt::Key_2), [this] { view_->lookAlong({0, 1, 0}); });
  command(tr("Look from the side"), QKeySequence(Qt::CTRL | Qt::Key_3), [this] { view_->lookAlong({-1, 0, 0}); });
  command(tr("Next snag"), QKeySequence(Qt::Key_N), [this] { hem_->nextSnag(); });
  command(tr("Play the cutter"), QKeySequence(Qt::CTRL | Qt::Key_Space), [this] { hem_->play(!hem_->playing()); });
  command(tr("Fold the hem"), QKeySequence(Qt::CTRL | Qt::Key_H), [this] {
    const bool folded = hem_->height() < 60;
    hem_->setFixedHeight(folded ? 120 : 42);
    traceBox_->setVisible(folded);
  });
  command(tr("Millimetres or inches"), QKeySequence(Qt::CTRL | Qt::Key_U), [this] {
    desk_.setUnit(desk_.unit() == LengthUnit::Inch ? LengthUnit::Millimetre : LengthUnit::Inch);
    QSettings("hemline", "hemline").setValue("inch", desk_.unit() == LengthUnit::Inch);
  });
  command(tr("Light or dark"), QKeySequence(Qt::CTRL | Qt::Key_D), [this] {
    setTheme(!theme().dark);
    applyTheme();
    QSettings("hemline", "hemline").setValue("dark", theme().dark);
    for (std::size_t k = 0; k < stages_.size(); ++k) stages_[k]->setIcon(icon(stageName(static_cast<Stage>(k)).toLower()));
    view_->update();
  });
  command(tr("Waive a promise…"), {}, [this] { waive(); });
  command(tr("Release programs…"), {}, [this] {
    if (!desk_.complete()) return tell(tr("Not everything is computed for the job as it is now: wait or press F5."), true);
    const QString d = QFileDialog::getExistingDirectory(this, tr("Folder for programs and papers"), QFileInfo(desk_.path()).path());
    if (!d.isEmpty()) releaseTo(d);
  });
  command(tr("Record a run…"), {}, [this] { recordRun(); });
  command(tr("Help on what has focus"), QKeySequence::HelpContents, [this] {
    const QWidget* w = QApplication::focusWidget();
    while (w && w->toolTip().isEmpty()) w = w->parentWidget();
    tell(w ? w->toolTip() : tr("Ctrl+K finds any command. Alt+1 to Alt+6 are the stages. A click on the part probes it."), false);
  });
  file.push_back(command(tr("Quit"), QKeySequence::Quit, [this] { close(); }));
  auto* menu = new QMenu(this);
  for (QAction* a : file) menu->addAction(a);
  jobButton_->setMenu(menu);
  connect(unitButton_, &QPushButton::clicked, this, [this] {
    for (QAction* a : commands_)
      if (a->shortcut() == QKeySequence(Qt::CTRL | Qt::Key_U)) a->trigger();
  });
  connect(cancel_, &QPushButton::clicked, &desk_, &Desk::cancel);
}

bool Window::openJob(const QString& path) {
  try {
    messageBar_->hide();
    desk_.open(path);
    QSettings("hemline", "hemline").setValue("job", desk_.path());
    hem_->select(static_cast<int>(desk_.job().steps.size()) - 1);
    return true;
  } catch (const Error& e) {
    tell(QString::fromUtf8(e.what()), true);
    return false;
  }
}

void Window::tell(const QString& text, bool wrong, const QString& action, std::function<void()> run) {
  message_->setText(text);
  message_->setStyleSheet(wrong ? "color: " + theme().broken.name() : QString());
  messageAction_->setVisible(!action.isEmpty());
  messageAction_->setText(action);
  messageRun_ = std::move(run);
  messageBar_->show();
}

void Window::refreshTop() {
  const QString name = desk_.isOpen() ? QString::fromStdString(desk_.job().name) + (desk_.modified() ? " •" : "") : tr("no job");
  jobButton_->setText(jobButton_->fontMetrics().elidedText(name, Qt::ElideRight, 200));
  setWindowTitle(desk_.isOpen() ? name + " – Hemline" : "Hemline");
  unitButton_->setText(desk_.unit() == LengthUnit::Inch ? tr("inch") : tr("mm"));
  machine_->setText(desk_.base().machine ? QString::fromStdString(desk_.base().machine->name) : QString());
  const bool busy = desk_.computing();
  progress_->setVisible(busy);
  cancel_->setVisible(busy);
  auto* doing = findChild<QLabel*>("doing");
  doing->setVisible(busy);
  if (busy) {
    progress_->setValue(static_cast<int>(1000 * desk_.fraction()));
    doing->setText(doing->fontMetrics().elidedText(desk_.doing(), Qt::ElideRight, doing->width()));
  }
  // The dated ribbon: what is shown and whether it belongs to the job as it is now.
  QString ribbon;
  if (desk_.isOpen() && !desk_.complete()) {
    int stale = 0, missing = 0;
    for (const StepView& v : desk_.steps()) stale += v.result && !v.fresh, missing += !v.result;
    if (stale > 0)
      ribbon = desk_.computedAt().isEmpty() ? tr("%1 steps stale").arg(stale)
                                            : tr("%1 steps stale, computed %2").arg(stale).arg(desk_.computedAt());
    if (missing > 0) ribbon = tr("%1 of %2 steps not computed yet").arg(missing).arg(desk_.steps().size());
    if (!busy && !desk_.lastError().isEmpty()) ribbon = desk_.lastError();
  } else if (desk_.complete())
    ribbon = tr("computed %1").arg(desk_.computedAt());
  status_->setText(ribbon);
}

void Window::setStage(Stage stage) {
  stage_ = stage;
  for (std::size_t k = 0; k < stages_.size(); ++k) stages_[k]->setChecked(static_cast<Stage>(k) == stage);
  refreshStage();
  // The evidence in the view: the part alone to study it, the worst place when something is wrong.
  view_->showPath(pathButton_->isChecked() && stage != Stage::Study && stage != Stage::Hold);
  if (stage == Stage::Study)
    view_->hideCutter();
  else
    scrub(hem_->selected(), hem_->time());
  if (stage == Stage::Prove && !hem_->snags().empty()) {
    const Snag worst =
        *std::max_element(hem_->snags().begin(), hem_->snags().end(), [](const Snag& a, const Snag& b) { return a.severity < b.severity; });
    if (worst.step != hem_->selected()) hem_->select(worst.step);
    hem_->scrub(worst.time);
    if (worst.at.squaredNorm() > 0) goTo(worst.at, 70, worst.text);
  }
  if (stage == Stage::Study) {
    const Evidence e = evidenceOf(desk_, stage);
    if (!e.rows.empty() && e.rows.front().at) view_->setMark(*e.rows.front().at, e.rows.front().title, false);
    view_->fit();
    setPaint(Paint::Slope);
  } else if (paint_ == Paint::Slope)
    setPaint(Paint::StockLeft);
}

void Window::refreshStage() {
  const Evidence e = desk_.isOpen() ? evidenceOf(desk_, stage_) : Evidence{tr("Open a job to begin."), {}};
  question_->setText(stageQuestion(stage_));
  headline_->setText(e.headline);
  const bool plan = stage_ == Stage::Plan;
  pages_->setCurrentIndex(plan && desk_.isOpen() ? 0 : 1);
  auto* box = static_cast<QVBoxLayout*>(evidence_->layout());
  while (QLayoutItem* i = box->takeAt(0)) {
    if (i->widget()) i->widget()->hide(), i->widget()->deleteLater();
    delete i;
  }
  box->setContentsMargins(0, 0, 6, 0);
  box->setSpacing(2);
  for (const EvidenceRow& r : e.rows) {
    auto* text = new QLabel(QString("<b>%1</b><br>%2").arg(r.title.toHtmlEscaped(), r.value.toHtmlEscaped()));
    text->setWordWrap(true);
    auto* row = new PromiseRow({}, {}, r.verdict, {}, nullptr);
    // The row's own layout is replaced by the wrapped text.
    delete row->layout();
    qDeleteAll(row->findChildren<QWidget*>());
    auto* h = new QHBoxLayout(row);
    h->setContentsMargins(r.verdict >= 0 ? 26 : 4, 4, 0, 4);
    h->addWidget(text, 1);
    if (r.at || r.step >= 0) {
      const EvidenceRow copy = r;
      connect(row, &PromiseRow::clicked, this, [this, copy] {
        if (copy.step >= 0 && copy.step != hem_->selected()) hem_->select(copy.step);
        if (copy.at) goTo(*copy.at, copy.width, copy.title);
      });
    }
    row->setCursor(r.at ? Qt::PointingHandCursor : Qt::ArrowCursor);
    box->addWidget(row);
  }
  box->addStretch(1);
  auto* actions = static_cast<QVBoxLayout*>(stageActions_->layout());
  while (QLayoutItem* i = actions->takeAt(0)) {
    if (i->widget()) i->widget()->hide(), i->widget()->deleteLater();
    delete i;
  }
  const auto action = [&](const QString& name, const QString& commandName) {
    auto* b = new QPushButton(name);
    b->setObjectName("action");
    for (QAction* a : commands_)
      if (a->text() == commandName) connect(b, &QPushButton::clicked, a, &QAction::trigger);
    actions->addWidget(b);
  };
  if (stage_ == Stage::Release && desk_.isOpen()) {
    auto* caution = named("muted", tr("First run slow and single-block, hand on the hold. The machine maker's manual, the shop's rules and "
                                      "a qualified person come first."));
    actions->addWidget(caution);
    action(tr("Waive a promise…"), tr("Waive a promise…"));
    action(tr("Release programs…"), tr("Release programs…"));
  }
  if (stage_ == Stage::Log && desk_.isOpen()) action(tr("Record a run…"), tr("Record a run…"));
  if (stage_ == Stage::Prove && !hem_->snags().empty()) action(tr("Next snag (N)"), tr("Next snag"));
}

void Window::setPaint(Paint paint) {
  paint_ = paint;
  paintBox_->setCurrentIndex(paintBox_->findData(static_cast<int>(paint)));
  refreshMeasure();
}

void Window::refreshMeasure() {
  view_->setMeasure(paintedMeasure(desk_, paint_, hem_->selected()));
}

void Window::showStep(int step) {
  if (!desk_.isOpen() || step < 0 || step >= static_cast<int>(desk_.job().steps.size())) return;
  brief_->show(step);
  const StepView v = step < static_cast<int>(desk_.steps().size()) ? desk_.steps()[static_cast<std::size_t>(step)] : StepView{};
  view_->setPath(v.result ? v.result->planned : nullptr);
  view_->setAssembly(v.result ? &v.result->assembly : nullptr);
  if (v.result && stage_ != Stage::Study)
    scrub(step, hem_->time());
  else
    view_->hideCutter();
}

void Window::scrub(int step, double time) {
  if (step < 0 || step >= static_cast<int>(desk_.steps().size())) return;
  const auto r = desk_.steps()[static_cast<std::size_t>(step)].result;
  if (!r || r->planned->path.locations.empty()) return;
  const auto& at = r->time->timing.at;
  const auto& l = r->planned->path.locations;
  const std::size_t i =
      std::clamp<std::size_t>(static_cast<std::size_t>(std::lower_bound(at.begin(), at.end(), time) - at.begin()), 1, l.size() - 1);
  const double span = at[i] - at[i - 1], u = span > 0 ? std::clamp((time - at[i - 1]) / span, 0.0, 1.0) : 1;
  Vec3 tip, axis;
  poseAlong(l[i - 1], l[i], u, tip, axis);
  view_->setPose(tip, axis, i);
  if (stockButton_->isChecked()) {
    std::shared_ptr<const StockState> before = desk_.base().stock;
    if (step > 0)
      if (const auto& p = desk_.steps()[static_cast<std::size_t>(step) - 1].result) before = p->cut->after;
    follower_.request(r, before, i);
  }
}

void Window::goTo(const Vec3& at, double width, const QString& text) {
  view_->setMark(at, text);
  view_->flyTo(at, width);
}

void Window::probe(const Vec3& place, int facet) {
  const auto part = desk_.part();
  if (!part || facet < 0) return;
  // A click lands at a random phase between passes: the worst place within a stated radius is taken.
  const double radius = 1.0;
  const int step = hem_->selected();
  const StepView shown = step < static_cast<int>(desk_.steps().size()) ? desk_.steps()[static_cast<std::size_t>(step)] : StepView{};
  auto best = static_cast<std::size_t>(facet);
  Vec3 at = place;
  if (shown.result && shown.result->surface) {
    const auto& left = shown.result->surface->facetLeft;
    double most = -1e300;
    Vec3 nearest;
    part->tree->tree.minimise([&](const Vec3& c, const Vec3& h) { return ((place - c).cwiseAbs() - h).cwiseMax(0.0).norm(); },
                              [&](int i) {
                                const auto t = static_cast<std::size_t>(i);
                                if (std::isnan(left[t]) || static_cast<double>(left[t]) <= most) return;
                                nearest =
                                    closestOnTriangle(place, part->mesh.corner(t, 0), part->mesh.corner(t, 1), part->mesh.corner(t, 2));
                                if ((nearest - place).norm() > radius) return;
                                most = static_cast<double>(left[t]), best = t, at = nearest;
                              },
                              radius);
  }
  probes_.push_back({at, probes_.empty() ? 1 : probes_.back().number + 1});
  if (probes_.size() > 9) probes_.erase(probes_.begin());
  view_->setProbes(probes_);
  const LengthUnit u = desk_.unit();
  const auto len = [&](double mm, bool small) { return QString::fromStdString(formatLength(mm, u, small)); };
  const Vec3 up = desk_.job().steps.front().axis;
  QString text = tr("<b>Probe %1</b> at %2, %3, %4 mm: worst within %5<br>")
                     .arg(probes_.back().number)
                     .arg(at.x(), 0, 'f', 2)
                     .arg(at.y(), 0, 'f', 2)
                     .arg(at.z(), 0, 'f', 2)
                     .arg(len(radius, false));
  text += tr("slope %1°, patch %2<br>")
              .arg(degrees(std::acos(std::clamp(measuringNormal(*part, best).dot(up), -1.0, 1.0))), 0, 'f', 1)
              .arg(QString::fromStdString(part->patches.empty() ? "" : part->patches[static_cast<std::size_t>(part->mesh.patch[best])].name)
                       .toHtmlEscaped());
  for (std::size_t i = 0; i < desk_.steps().size(); ++i) {
    const StepResult* r = desk_.steps()[i].result.get();
    if (!r) continue;
    QString said;
    if (r->surface && r->surface->facetLeft.size() == part->mesh.triangles.size()) {
      const double e = r->surface->facetLeft[best];
      said = std::isnan(e) ? tr("not in its region")
                           : tr("left %1, rest %2 (largest on its facet, to %3)")
                                 .arg(len(e, true), len(r->surface->facetRest[best], true), len(part->facetError, true));
    } else if (r->cut) {
      // Along the normal into the stock as this step leaves it, to half a cell.
      const Stock& stock = r->cut->after->stock;
      const Vec3 n = part->mesh.facetNormal(best);
      double depth = 0;
      const double grain = 0.25 * stock.cell();
      while (depth < 50 && stock.contains(at + (depth + grain) * n)) depth += grain;
      said = tr("left about %1 (to %2)").arg(len(depth, false), len(stock.cell(), false));
    }
    text += tr("%1. %2%3: %4<br>")
                .arg(i + 1)
                .arg(QString::fromStdString(r->step.name).toHtmlEscaped(), desk_.steps()[i].fresh ? QString() : tr(" (stale)"), said);
  }
  probeCard_->setText(text);
  probeBox_->show();
}

void Window::showCommands() {
  CommandSearch search(commands_, this);
  if (search.exec() == QDialog::Accepted && search.chosen()) search.chosen()->trigger();
}

void Window::showLedger(bool on) {
  ledgerButton_->setChecked(on);
}

void Window::releaseTo(const QString& folder) {
  QByteArray png;
  QBuffer buffer(&png);
  buffer.open(QIODevice::WriteOnly);
  view_->grabFramebuffer().save(&buffer, "PNG");
  desk_.release(folder, png);
}

void Window::waive() {
  if (!desk_.complete()) return tell(tr("Not everything is computed for the job as it is now: wait or press F5."), true);
  struct Open {
    std::string step, promise, key;
    double bound;
  };
  std::vector<Open> open;
  QStringList names;
  for (const auto& r : desk_.result().steps)
    for (const PromiseResult& p : r->promises)
      if (p.verdict == Verdict::Broken || p.verdict == Verdict::Unknown) {
        open.push_back({r->step.name, p.name, r->key.text(), p.bound});
        names << tr("%1: %2 %3, promised %4")
                     .arg(QString::fromStdString(r->step.name), QString::fromStdString(promiseTitle(p.name)),
                          QString::fromStdString(showPromise(p.name, p.bound, desk_.unit())),
                          QString::fromStdString(showPromise(p.name, p.promised, desk_.unit())));
      }
  if (open.empty())
    return tell(tr("No promise needs a waiver. Collisions, rapids through stock, limits and unproven motions can never be waived."), false);
  QDialog dialog(this);
  dialog.setObjectName("waiveDialog");
  dialog.setWindowTitle(tr("Waive a promise"));
  auto* form = new QFormLayout(&dialog);
  auto* which = new QComboBox;
  which->addItems(names);
  auto* who = new QLineEdit;
  auto* why = new QLineEdit;
  who->setObjectName("who");
  why->setObjectName("why");
  form->addRow(
      new QLabel(tr("A qualified person lets one promise pass, by name. It lapses when the content changes and the result gets worse.")));
  form->addRow(tr("Promise"), which);
  form->addRow(tr("Who"), who);
  form->addRow(tr("Why"), why);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
  buttons->button(QDialogButtonBox::Ok)->setText(tr("Waive"));
  const auto check = [=] {
    buttons->button(QDialogButtonBox::Ok)->setEnabled(!who->text().trimmed().isEmpty() && !why->text().trimmed().isEmpty());
  };
  connect(who, &QLineEdit::textChanged, &dialog, check);
  connect(why, &QLineEdit::textChanged, &dialog, check);
  check();
  connect(buttons, &QDialogButtonBox::accepted, &dialog, &QDialog::accept);
  connect(buttons, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
  form->addRow(buttons);
  if (dialog.exec() != QDialog::Accepted) return;
  const Open& o = open[static_cast<std::size_t>(which->currentIndex())];
  const QString now = QDateTime::currentDateTime().toString(Qt::ISODate);
  desk_.edit(tr("waive %1").arg(QString::fromStdString(o.promise)), [&](Job& j) {
    j.waivers.push_back(
        {o.step, o.promise, who->text().trimmed().toStdString(), why->text().trimmed().toStdString(), now.toStdString(), o.key, o.bound});
  });
  appendJournal(desk_.path(), {now, tr("waived %1 of %2").arg(QString::fromStdString(o.promise), QString::fromStdString(o.step)),
                               who->text() + ": " + why->text(), 0, 0});
}

void Window::recordRun() {
  if (desk_.result().steps.empty()) return tell(tr("No step is computed yet."), true);
  QStringList names;
  for (const auto& r : desk_.result().steps) names << QString::fromStdString(r->step.name);
  bool good = false;
  const QString which = QInputDialog::getItem(this, tr("Record a run"), tr("Step:"), names, 0, false, &good);
  if (!good) return;
  const StepResult& r = *desk_.result().steps[static_cast<std::size_t>(names.indexOf(which))];
  const double planned = r.time->timing.total;
  const double minutes = QInputDialog::getDouble(this, tr("Record a run"), tr("Minutes it took (planned %1):").arg(planned / 60, 0, 'f', 1),
                                                 planned / 60, 0.01, 1e5, 1, &good);
  if (!good) return;
  const QString remark = QInputDialog::getText(this, tr("Record a run"), tr("What was noticed (chatter, override, corner not clean…):"),
                                               QLineEdit::Normal, {}, &good);
  if (!good) return;
  appendJournal(desk_.path(), {QDateTime::currentDateTime().toString("d MMMM yyyy, HH:mm"), which, remark, planned, minutes * 60});
  refreshStage();
}

void Window::chooseLibrary() {
  QString path = libraryPath();
  if (!QFileInfo::exists(path)) path = QStringLiteral(HEMLINE_DATA "/cutters/library.json");
  if (path != libraryPath()) { // the shipped one is the start of the user's own
    QFileInfo(libraryPath()).dir().mkpath(".");
    writeLibrary(libraryPath().toStdString(), readLibrary(path.toStdString()));
  }
  LibraryDialog dialog(libraryPath(), this);
  connect(&dialog, &LibraryDialog::cutterTaken, this, [this](const Cutter& c) {
    desk_.attempt(tr("take cutter %1").arg(QString::fromStdString(c.name)), [&](Job& j) {
      std::erase_if(j.cutters, [&](const Cutter& x) { return x.name == c.name; });
      j.cutters.push_back(c);
    });
  });
  connect(&dialog, &LibraryDialog::holderTaken, this, [this](const Holder& h) {
    desk_.attempt(tr("take holder %1").arg(QString::fromStdString(h.name)), [&](Job& j) {
      std::erase_if(j.holders, [&](const Holder& x) { return x.name == h.name; });
      j.holders.push_back(h);
    });
  });
  dialog.exec();
}

bool Window::mayClose() {
  if (!desk_.isOpen() || !desk_.modified()) return true;
  QMessageBox box(QMessageBox::Question, tr("Hemline"), tr("The job has changes that are not saved."),
                  QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, this);
  const int answer = box.exec();
  if (answer == QMessageBox::Cancel) return false;
  try {
    if (answer == QMessageBox::Save)
      desk_.save();
    else
      desk_.discardRecovery();
  } catch (const Error& e) {
    tell(QString::fromUtf8(e.what()), true);
    return false;
  }
  return true;
}

void Window::closeEvent(QCloseEvent* e) {
  if (mayClose())
    e->accept();
  else
    e->ignore();
}

} // namespace hemline::app
