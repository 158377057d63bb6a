#include "window.h"
#include "commands.h"
#include "dialogs.h"
#include "focus_mark.h"
#include "job/holding.h"
#include "ledger.h"
#include "own_library.h"
#include "plans/hours_plot.h"
#include "stages/assumptions.h"
#include "stages/journal.h"
#include "stages/microscope_card.h"
#include "stages/probe.h"
#include "start/last_jobs.h"
#include "theme.h"
#include <QBuffer>
#include <QCloseEvent>
#include <QDateTime>
#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QMenu>
#include <QMessageBox>
#include <QScrollArea>
#include <QScrollBar>
#include <QSettings>

namespace hemline::app {

Window::Window() {
  setWindowTitle("Hemline");
  setObjectName("window");
  resize(1280, 800);
  build();
  buildCommands();
  new FocusMark(this);
  joinDesk();
  joinHem();
  joinGround();
  const QSettings settings("hemline", "hemline");
  desk_.setUnit(settings.value("inch").toBool() ? LengthUnit::Inch : LengthUnit::Millimetre);
  paintBox_->setCurrentIndex(paintBox_->findData(static_cast<int>(paint_)));
  setStage(Stage::Plan);
  refreshTop();
  refreshFront();
}

void Window::joinDesk() {
  connect(&desk_, &Desk::jobChanged, this, [this] {
    view_->setMark({}, {}); // it was of the job before
    refreshFront();
    refreshTop();
    refreshStage();
  });
  connect(&desk_, &Desk::partChanged, this, [this] {
    refreshFront();
    view_->setPart(desk_.part());
    view_->setOutline(desk_.outline());
    standing_.reset();
    showStanding(setUp_->clamping());
    probes_.clear();
    view_->setProbes({});
    probeBox_->hide();
    microscope_->forget();
    refreshMeasure();
  });
  connect(&desk_, &Desk::resultsChanged, this, [this] {
    refreshTop();
    refreshStage();
    showPlace(hem_->selected());
    refreshWritten();
    picture_.start();
    if (stage_ == Stage::Study) desk_.studyClosely();
  });
  connect(&desk_, &Desk::progressed, this, &Window::refreshTop);
  connect(&desk_, &Desk::unitChanged, this, [this] {
    view_->setUnit(desk_.unit());
    refreshTop();
    refreshStage();
    refreshMeasure();
  });
  connect(&desk_, &Desk::failed, this, &Window::tellError);
  connect(&desk_, &Desk::foundDamaged, this,
          [this](int results) { tell(QString::fromStdString(damagedText(static_cast<std::size_t>(results))), false); });
  connect(&desk_, &Desk::chainsFound, this, &Window::chooseRoughing);
  connect(&desk_, &Desk::hoursFound, this, [this](std::size_t step, const HoursOfCusp& hours) {
    for (auto* before : findChildren<HoursPlot*>()) before->close();
    auto* plot = new HoursPlot(desk_, step, hours, this);
    plot->setAttribute(Qt::WA_DeleteOnClose);
    connect(plot, &HoursPlot::told, this, [this](const QString& what) { tell(what, false); });
    plot->show();
  });
  connect(&desk_, &Desk::accepted, this, [this](const QStringList& told) {
    tell(told.isEmpty() ? tr("The model is accepted; all regions and rails are found on it.")
                        : tr("The model is accepted. %1").arg(told.join("; ")),
         !told.isEmpty());
  });
  connect(&desk_, &Desk::leftCopies, this, [this] {
    const auto& left = desk_.file().left();
    leftBar_->setVisible(!left.empty());
    if (left.empty()) return;
    constexpr qsizetype kShown = 300; // characters
    const QString& what = left.front().what;
    left_->setText(tr("Not saved when a window ended on %1: %2%3")
                       .arg(left.front().when, what.size() > kShown ? what.left(kShown) + "…" : what,
                            left.size() > 1 ? tr(" (and %1 older ones)").arg(left.size() - 1) : QString()));
    left_->setToolTip(what);
  });
  connect(&desk_, &Desk::released, this, &Window::tellReleased);
}

void Window::joinHem() {
  connect(view_, &SurfaceView::movedFixture, setUp_, &SetUp::moveFixture);
  connect(hem_, &Hem::selectedStep, this, [this](int step) {
    // With the stock shown the view comes first: what is written about the step follows when it is drawn.
    if (showPlace(step))
      written_.start();
    else
      refreshWritten();
  });
  written_.setSingleShot(true);
  written_.setInterval(200);
  connect(&written_, &QTimer::timeout, this, &Window::refreshWritten);
  connect(hem_, &Hem::scrubbed, this, [this](int step, double time, bool) { scrub(step, time); });
  connect(hem_, &Hem::snagChosen, this, [this](const Snag& s) {
    pointAt(s.step, s.row, s.text);
    if (s.at.squaredNorm() > 0) goTo(s.at, view_->width() > 0 ? 24 : 20, s.text);
  });
  connect(view_, &SurfaceView::picked, this, &Window::probe);
  connect(brief_, &Brief::placeAsked, this, [this](const Vec3& at, const QString& text) { goTo(at, 20, text); });
  connect(&follower_, &StockFollower::cut, this, [this](const std::shared_ptr<const ShownTriangles>& s, int) { view_->setStock(s); });
}

void Window::tellReleased(const QString& folder, const QStringList& files, const QStringList& held) {
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
}

void Window::joinGround() {
  const auto refused = [this](const QString& why) { tell(why, true); };
  connect(regions_, &Regions::refused, this, refused);
  connect(rails_, &Rails::refused, this, refused);
  connect(regions_, &Regions::borderAsked, rails_, &Rails::takeBorder);
  connect(regions_, &Regions::handWanted, this, [this](bool on, double brush) {
    if (on) rails_->stopPicking();
    view_->setHand(on, brush);
    if (on) setPaint(Paint::Regions), view_->setMark({}, {});
  });
  connect(rails_, &Rails::handWanted, this, [this](bool on) {
    if (on) regions_->stopPicking();
    view_->setHand(on, 0);
  });
  connect(regions_, &Regions::shown, this, [this] { regions_->selected() >= 0 ? setPaint(Paint::Regions) : refreshMeasure(); });
  connect(rails_, &Rails::changed, this,
          [this] { view_->setRails(stage_ == Stage::Study ? rails_->shown() : std::vector<Rail>{}, rails_->selected()); });
  connect(rails_, &Rails::boundAsked, this, [this](const QString& rail) {
    const auto step = static_cast<std::size_t>(std::max(0, hem_->selected()));
    desk_.attempt(tr("bound a step"), [&](Job& j) {
      Boundary* within = j.steps.at(step).within();
      if (!within)
        throw Error(Fault::Missing, "A step of this kind has no boundary", j.steps[step].name, "Choose a roughing or a finishing step.");
      within->rail = rail.toStdString();
      within->points.clear();
    });
    if (const Boundary* within = desk_.job().steps.at(step).within(); within && within->rail == rail.toStdString())
      tell(tr("%1 stays within %2 now.").arg(QString::fromStdString(desk_.job().steps.at(step).name), rail), false);
  });
  connect(view_, &SurfaceView::pickedGround, this, [this](const Mark& place, int facet, Qt::KeyboardModifiers keys) {
    if (regions_->picking())
      regions_->take(place, facet, keys);
    else
      rails_->take(place);
  });
  connect(view_, &SurfaceView::brushed, regions_, &Regions::brush);
}

bool Window::openJob(const QString& path) {
  try {
    messageBar_->hide();
    keepPicture();
    desk_.open(path);
    asked_.reset();
    QSettings("hemline", "hemline").setValue("job", desk_.path());
    hem_->select(static_cast<int>(desk_.job().steps.size()) - 1);
    tellOwner();
    return true;
  } catch (const Error& e) {
    if (e.fault == Fault::Damaged || e.fault == Fault::NotUnderstood || e.fault == Fault::OutOfRange)
      tell(QString::fromUtf8(e.what()), true, tr("See what can be saved"), [this, path] { offerSalvage(path); });
    else
      tell(QString::fromUtf8(e.what()), true);
    return false;
  }
}

/// With what can be done about it from here, where something can.
void Window::tellError(const Error& error) {
  const QString text = QString::fromUtf8(error.what());
  const auto& steps = desk_.job().steps;
  const auto step = std::find_if(steps.begin(), steps.end(), [&](const Step& s) { return !error.step.empty() && s.name == error.step; });
  if (error.fault == Fault::ModelChanged)
    tell(text, true, tr("Accept it"), [this] { desk_.acceptModel(); });
  else if (step != steps.end() && kindOf(*step).field(error.field))
    tell(text, true, tr("Go to it"),
         [this, text, at = static_cast<int>(step - steps.begin()), field = QString::fromStdString(error.field)] {
           pointAt(at, field, text);
         });
  else
    tell(text, true);
}

/// The card of the step with the very row that is responsible.
void Window::pointAt(int step, const QString& row, const QString& why) {
  setStage(Stage::Plan);
  refreshWritten(); // now: later it would take the place that is pointed at away again
  brief_->show(step);
  brief_->pointAt(row, why);
}

void Window::tellOwner() {
  const JobFile& file = desk_.file();
  if (!file.owner().isEmpty())
    tell(tr("This job is in another's hand: %1. Nothing is saved from here over it; changes go into a copy.").arg(file.owner()), false,
         tr("Save a copy as…"), [this] { saveAs(); });
  else if (!file.damaged().isEmpty())
    tell(tr("Edits that were left of this job cannot be read: %1").arg(file.damaged()), true);
}

bool Window::saveAs() {
  const QString before = desk_.path();
  // A draft is proposed beside its model.
  const QString model = QFileInfo(before).dir().filePath(QString::fromStdString(desk_.job().partFile));
  const QString proposed = isDraft(before) ? QFileInfo(model).dir().absoluteFilePath(QFileInfo(before).fileName()) : before;
  const QString f = QFileDialog::getSaveFileName(this, tr("Save the job as"), proposed, tr("Hemline jobs (*.hemline)"));
  if (f.isEmpty()) return false;
  saveTo(f);
  return true;
}

void Window::saveTo(const QString& file) {
  const QString before = desk_.path();
  desk_.saveAs(file);
  QSettings("hemline", "hemline").setValue("job", desk_.path());
  if (isDraft(before) && desk_.path() != before) {
    QFile::remove(before);
    forgetLastJob(before);
  }
  keepPicture();
  refreshTop();
}

bool Window::save() {
  if (isDraft(desk_.path())) return saveAs();
  if (!desk_.file().owner().isEmpty()) {
    tellOwner();
    return saveAs();
  }
  bool overwrite = false;
  if (desk_.file().changedOnDisk()) {
    QMessageBox box(QMessageBox::Question, tr("Hemline"),
                    tr("The job was changed on disk since it was opened here. Saving puts what is here in its place."), QMessageBox::Cancel,
                    this);
    box.setObjectName("changedOnDisk");
    auto* over = box.addButton(tr("Overwrite it"), QMessageBox::DestructiveRole);
    auto* other = box.addButton(tr("Save as…"), QMessageBox::AcceptRole);
    box.setDefaultButton(QMessageBox::Cancel);
    box.exec();
    if (box.clickedButton() == other) return saveAs();
    if (box.clickedButton() != over) return false;
    overwrite = true;
  }
  desk_.save(overwrite);
  refreshTop();
  return true;
}

void Window::tell(const QString& text, bool wrong, const QString& action, std::function<void()> run) {
  message_->setText(text);
  message_->setStyleSheet(wrong ? "color: " + theme().broken.name() : QString());
  messageAction_->setVisible(!action.isEmpty());
  messageAction_->setText(action);
  messageRun_ = std::move(run);
  messageBar_->show();
}

namespace {
/// As many digits as it is good for.
QString leftText(double seconds) {
  if (seconds < 10) return QObject::tr("seconds left");
  if (seconds < 90) return QObject::tr("%1 s left").arg(10 * std::lround(seconds / 10));
  return QObject::tr("%1 min left").arg(std::max(2L, std::lround(seconds / 60)));
}
} // namespace

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
  auto* left = findChild<QLabel*>("timeLeft");
  left->setVisible(busy);
  left->setText(desk_.timeLeft() ? leftText(*desk_.timeLeft()) : QString());
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
    ribbon = (desk_.knownBefore() ? tr("as computed before, looked up %1") : tr("computed %1")).arg(desk_.computedAt());
  status_->setText(ribbon);
}

void Window::setStage(Stage stage) {
  const Stage before = std::exchange(stage_, stage);
  for (std::size_t k = 0; k < stages_.size(); ++k) stages_[k]->setChecked(static_cast<Stage>(k) == stage);
  refreshStage();
  // The evidence in the view: the part alone to study it, the worst place when something is wrong.
  view_->showPath(pathButton_->isChecked() && pathsBelong());
  if (std::exchange(explained_, false)) setPaint(Paint::StockLeft);
  if (stage != Stage::Study) {
    if (before == Stage::Study) view_->setMark({}, {});
    regions_->stopPicking(), rails_->stopPicking();
    view_->setHand(false, 0);
  }
  view_->setRails(stage == Stage::Study ? rails_->shown() : std::vector<Rail>{}, rails_->selected());
  if (stage == Stage::Study || stage == Stage::Release || stage == Stage::Log)
    view_->hideCutter();
  else
    scrub(hem_->selected(), hem_->time());
  if (stage == Stage::Prove && !hem_->snags().empty()) {
    const Snag worst =
        *std::max_element(hem_->snags().begin(), hem_->snags().end(), [](const Snag& a, const Snag& b) { return a.severity < b.severity; });
    if (worst.step != hem_->selected())
      hem_->select(worst.step, worst.time);
    else
      hem_->scrub(worst.time);
    explain(worst);
    if (worst.at.squaredNorm() > 0) goTo(worst.at, 70, worst.text);
  }
  if (stage == Stage::Study) {
    const Evidence e = evidenceOf(desk_, stage);
    if (!e.rows.empty() && e.rows.front().at) view_->setMark(*e.rows.front().at, e.rows.front().title, false);
    view_->fit();
    setPaint(Paint::Slope);
    desk_.studyClosely();
  } else if (paint_ == Paint::Slope || paint_ == Paint::Regions)
    setPaint(Paint::StockLeft);
}

/// Trace and paint that show what the snag is of.
void Window::explain(const Snag& snag) {
  const std::map<QString, Trace> shows{{"cusp_mm", Trace::Cusp},           {"clearance_mm", Trace::Clearance},
                                       {"stick_out_mm", Trace::Clearance}, {"engagement_deg", Trace::Engagement},
                                       {"layer_mm", Trace::Layer},         {"most_force_N", Trace::Force},
                                       {"feed_by_load", Trace::Force}};
  if (const auto trace = shows.find(snag.row); trace != shows.end()) {
    traceBox_->setCurrentIndex(traceBox_->findData(static_cast<int>(trace->second)));
    hem_->setTrace(trace->second);
  }
  // A step that finishes nothing has nothing to paint.
  const auto step = static_cast<std::size_t>(snag.step);
  if (step < desk_.steps().size() && desk_.steps()[step].result && !desk_.steps()[step].result->surface) {
    setPaint(Paint::Plain);
    explained_ = true;
  }
}

/// Paths and cutter say nothing of what a part is, how it is held, whether it may be handed over, what was logged.
bool Window::pathsBelong() const {
  return stage_ == Stage::Plan || stage_ == Stage::Prove;
}

/// What is told while there is a part, but no job yet.
Evidence Window::beforeJob() const {
  if (asked_) return {tr("How large is it? The file does not say whether its numbers are millimetres or inches."), {}};
  if (!desk_.computing()) return {tr("No job was made for %1. Start again from it, or from another model.").arg(desk_.model()), {}};
  return {tr("%1 is looked at, and a first job is made for it.").arg(desk_.model()), {}};
}

void Window::refreshStage() {
  const Evidence e = desk_.isOpen() ? evidenceOf(desk_, stage_) : beforeJob();
  question_->setText(desk_.isOpen() ? stageQuestion(stage_) : QString());
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
  if (asked_)
    for (const auto& [words, unit] : unitChoices()) {
      auto* b = new QPushButton(words);
      b->setObjectName(unit == LengthUnit::Inch ? "unitInch" : "unitMm");
      connect(b, &QPushButton::clicked, this, [this, model = asked_->first, u = unit] {
        asked_.reset();
        desk_.startFrom(model, u);
      });
      box->addWidget(b);
    }
  for (const EvidenceRow& r : e.rows) {
    const QString value = r.stale ? tr("stale: %1").arg(r.value) : r.value;
    auto* text = namedLabel(r.stale ? "muted" : "evidence", QString("<b>%1</b><br>%2").arg(r.title.toHtmlEscaped(), value.toHtmlEscaped()));
    const int verdict = r.stale && r.verdict >= 0 ? 2 : r.verdict; // what was kept then is not known now
    auto* row = new PromiseRow({}, {}, verdict, {}, nullptr);
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
        if (copy.at && copy.facet >= 0) probe(*copy.at, copy.facet);
      });
    }
    row->setCursor(r.at ? Qt::PointingHandCursor : Qt::ArrowCursor);
    box->addWidget(row);
  }
  // Of a first job what was assumed comes first.
  auto* page = static_cast<QVBoxLayout*>(evidence_->parentWidget()->layout());
  page->removeWidget(assumptions_);
  page->insertWidget(isDraft(desk_.path()) ? 0 : page->indexOf(evidence_) + 1, assumptions_);
  setUp_->setVisible(stage_ == Stage::Hold && desk_.isOpen());
  for (QWidget* w : std::initializer_list<QWidget*>{assumptions_, regions_, rails_})
    w->setVisible(stage_ == Stage::Study && desk_.isOpen());
  view_->letFixturesMove(stage_ == Stage::Hold);
  if (stage_ == Stage::Hold) setUp_->show(setUp_->clamping());
  refreshActions();
}

void Window::refreshActions() {
  auto* actions = static_cast<QVBoxLayout*>(stageActions_->layout());
  while (QLayoutItem* i = actions->takeAt(0)) {
    if (i->widget()) i->widget()->hide(), i->widget()->deleteLater();
    delete i;
  }
  const auto button = [&](const QString& name, const QString& commandName) {
    auto* b = new QPushButton(name);
    b->setObjectName("action");
    if (name != commandName) b->setToolTip(commandName), b->setAccessibleName(commandName);
    for (QAction* a : commands_)
      if (a->text() == commandName) connect(b, &QPushButton::clicked, a, &QAction::trigger);
    return b;
  };
  const auto action = [&](const QString& name, const QString& commandName) { actions->addWidget(button(name, commandName)); };
  const auto pair = [&](QWidget* left, QWidget* right) { // the rows above need the room
    auto* both = new QWidget;
    auto* row = new QHBoxLayout(both);
    row->setContentsMargins(0, 0, 0, 0);
    row->addWidget(left);
    row->addWidget(right);
    actions->addWidget(both);
  };
  const auto beside = [&](const QString& left, const QString& right) { pair(button(left, left), button(right, right)); };
  if (stage_ == Stage::Release && desk_.isOpen()) {
    auto* caution =
        namedLabel("muted", tr("First run slow and single-block, hand on the hold. The machine maker's manual, the shop's rules and "
                               "a qualified person come first."));
    actions->addWidget(caution);
    action(tr("Waive a promise…"), tr("Waive a promise…"));
    action(tr("Release programs…"), tr("Release programs…"));
  }
  if (stage_ == Stage::Study && desk_.isOpen()) {
    action(tr("Mark regions and rails"), tr("Mark regions and rails"));
    pair(button(tr("Ladder of balls"), tr("Finish by the ladder of balls")),
         button(tr("Chain to the end"), tr("Finish by a chain to the end")));
  }
  const bool first = stage_ == Stage::Study && isDraft(desk_.path()); // what comes after a first job's assumptions
  if (desk_.isOpen() && first) action(tr("Propose plans"), tr("Propose plans"));
  if (stage_ == Stage::Plan && desk_.isOpen()) beside(tr("Propose plans"), tr("Add a step…"));
  if (stage_ == Stage::Plan && desk_.complete() && roughs(hem_->selected())) { // one button: the rows above need the room
    auto* b = new QPushButton(tr("Suggest for this roughing"));
    b->setObjectName("action");
    auto* menu = new QMenu(b);
    for (QAction* a : commands_)
      for (const QString& name :
           {tr("Propose roughing, three ways"), tr("Drill the entries of the step"), tr("Rough from more directions")})
        if (a->text() == name) menu->addAction(a);
    b->setMenu(menu);
    actions->addWidget(b);
  }
  if (stage_ == Stage::Plan && desk_.isOpen() && finishes(hem_->selected())) beside(tr("Propose finishing"), tr("Hours against cusp"));
  if (stage_ == Stage::Log && desk_.isOpen()) action(tr("Record a run…"), tr("Record a run…"));
  if (stage_ == Stage::Hold && desk_.complete())
    if (const StepResult* soft = softestStep(desk_.result(), setUp_->clamping()); soft && stagesFor(*soft->effort) > 1)
      action(tr("Cut '%1' in %2 stages").arg(QString::fromStdString(soft->step.name)).arg(stagesFor(*soft->effort)), tr("Cut in stages"));
  if (stage_ == Stage::Hold && desk_.complete()) action(tr("Find shorter stick-outs, other machines"), tr("Find shorter stick-outs"));
  if (stage_ == Stage::Prove && !hem_->snags().empty()) action(tr("Next snag (N)"), tr("Next snag"));
}

void Window::setPaint(Paint paint) {
  paint_ = paint, explained_ = false;
  paintBox_->setCurrentIndex(paintBox_->findData(static_cast<int>(paint)));
  refreshMeasure();
}

void Window::refreshMeasure() {
  // What two plans leave differently is not to be hidden by the path of one.
  view_->showPath(pathButton_->isChecked() && pathsBelong() && paint_ != Paint::Difference && !seesOther_);
  if (other_ && paint_ == Paint::Difference && !seesOther_)
    view_->setMeasure(paintedDifference(desk_, *other_));
  else if (other_ && seesOther_)
    view_->setMeasure(paintedOther(desk_, *other_, paint_ == Paint::Difference ? Paint::StockLeft : paint_, hem_->selected()));
  else
    view_->setMeasure(paintedMeasure(desk_, desk_.isOpen() ? paint_ : Paint::Plain, hem_->selected(), regions_->selected()));
}

void Window::refreshWritten() {
  written_.stop();
  const int step = hem_->selected();
  if (desk_.isOpen() && step >= 0 && step < static_cast<int>(desk_.job().steps.size())) brief_->show(step);
  refreshMeasure();
  if (stage_ == Stage::Plan) refreshActions(); // they are of the step
}

void Window::showStanding(int clamping) {
  const auto& all = desk_.base().clampings;
  const auto k = static_cast<std::size_t>(std::max(0, clamping));
  if (k >= all.size() || k >= desk_.job().clampings.size()) return;
  clamping_->setText(QString::fromStdString(desk_.job().clampings[k].name));
  if (all[k] == standing_) return;
  standing_ = all[k];
  view_->setStanding(standing_->frame.turn, standing_->parts(), standing_->fixtures);
}

bool Window::showPlace(int step) {
  if (!desk_.isOpen() || step < 0 || step >= static_cast<int>(desk_.job().steps.size())) return false;
  const StepView v = step < static_cast<int>(desk_.steps().size()) ? desk_.steps()[static_cast<std::size_t>(step)] : StepView{};
  const bool placed = v.result && (pathsBelong() || stage_ == Stage::Hold), follows = placed && stockButton_->isChecked();
  if (follows) view_->awaitStock();
  const int clamping = desk_.job().steps[static_cast<std::size_t>(step)].clamping;
  // In Hold a clamping may be looked at that no step is in yet.
  if (step != placedStep_ || stage_ != Stage::Hold) setUp_->show(clamping);
  placedStep_ = step;
  showStanding(setUp_->clamping());
  view_->setPath(v.result ? v.result->planned.value : nullptr);
  view_->setAssembly(v.result ? &v.result->assembly : nullptr);
  if (placed)
    scrub(step, hem_->time());
  else
    view_->hideCutter();
  return follows;
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
  if (stockButton_->isChecked()) {
    view_->awaitStock();
    follower_.request(r, i);
  }
  view_->setPose(tip, axis, i);
}

void Window::goTo(const Vec3& at, double width, const QString& text) {
  view_->setMark(at, text);
  view_->flyTo(at, width);
}

void Window::probe(const Vec3& place, int facet) {
  if (!desk_.part() || facet < 0) return;
  const Probed found = probeAt(desk_, hem_->selected(), place, static_cast<std::size_t>(facet));
  probes_.push_back({found.at, probes_.empty() ? 1 : probes_.back().number + 1});
  if (probes_.size() > 9) probes_.erase(probes_.begin());
  view_->setProbes(probes_);
  probeCard_->setText(tr("<b>Probe %1</b> ").arg(probes_.back().number) + found.text);
  if (found.closer)
    microscope_->look(desk_.part(), found.closer, found.at, desk_.unit());
  else
    microscope_->forget();
  probeBox_->show();
}

void Window::waive() {
  if (!desk_.complete()) return tell(tr("Not everything is computed for the job as it is now: wait or press F5."), true);
  const auto w = askWaiver(desk_, this);
  if (!w) return;
  const QString promise = QString::fromStdString(w->promise);
  desk_.edit(tr("waive %1").arg(promise), [&](Job& j) { j.waivers.push_back(*w); });
  appendJournal(desk_.path(), {QString::fromStdString(w->date), tr("waived %1 of %2").arg(promise, QString::fromStdString(w->step)),
                               QString::fromStdString(w->who + ": " + w->why), 0, 0});
}

void Window::recordRun() {
  const auto entry = askRun(desk_, this);
  if (!entry) return;
  appendJournal(desk_.path(), *entry);
  refreshStage();
}

void Window::takePath(const QString& file) {
  if (!desk_.isOpen() || desk_.job().steps.empty()) return tell(tr("Open a job first: the path becomes a step of it."), true);
  const Step like = desk_.job().steps[static_cast<std::size_t>(hem_->selected())]; // a copy: the edit replaces the job
  Step s;
  GivenPathStep given;
  s.name = QFileInfo(file).completeBaseName().toStdString();
  given.file = QFileInfo(desk_.path()).dir().relativeFilePath(file).toStdString();
  s.cutter = like.cutter, s.holder = like.holder, s.stickOut = like.stickOut, s.axis = like.axis, s.clamping = like.clamping,
  s.promises = like.promises;
  if (!like.is<LevelRoughing>()) s.promises.engagement.reset(), given.allowance = like.allowance();
  s.body = given;
  const QString name = QString::fromStdString(s.name);
  desk_.edit(tr("take the path %1").arg(name), [&](Job& j) { j.steps.push_back(s); });
  hem_->select(static_cast<int>(desk_.job().steps.size()) - 1);
  setStage(Stage::Plan);
  tell(tr("%1 is the last step now, with cutter and promises of %2: look them over.").arg(name, QString::fromStdString(like.name)), false);
}

void Window::advise() {
  if (!desk_.complete()) return tell(tr("Not everything is computed for the job as it is now: wait or press F5."), true);
  desk_.advise(hem_->selected(), libraryOf(&desk_.job()).holders);
}

void Window::markGround() {
  if (stage_ != Stage::Study) setStage(Stage::Study);
  view_->setMark({}, {});
  // Rows that just came are laid out once they are shown, and once more when the page got its scroll bar.
  for (const int wait : {0, 60, 400})
    QTimer::singleShot(wait, this, [this] {
      for (QWidget* w = regions_->parentWidget(); w && stage_ == Stage::Study; w = w->parentWidget())
        if (auto* scroll = qobject_cast<QScrollArea*>(w)) scroll->verticalScrollBar()->setValue(regions_->y() - 8);
    });
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

bool Window::mayClose() {
  if (!desk_.isOpen() || !desk_.modified()) return true;
  if (isDraft(desk_.path())) { // it has no name yet and stays among the last jobs
    desk_.save();
    return true;
  }
  QMessageBox box(QMessageBox::Question, tr("Hemline"), tr("The job has changes that are not saved."),
                  QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, this);
  const int answer = box.exec();
  if (answer == QMessageBox::Cancel) return false;
  try {
    if (answer == QMessageBox::Save) return save();
    desk_.discardRecovery();
  } catch (const Error& e) {
    tell(QString::fromUtf8(e.what()), true);
    return false;
  }
  return true;
}

void Window::closeEvent(QCloseEvent* e) {
  if (mayClose()) {
    keepPicture();
    e->accept();
  } else
    e->ignore();
}

} // namespace hemline::app
