// From nothing to a job: the start page, models that are dropped or chosen, and what is kept of the jobs that were open.
#include "base/file.h"
#include "model/salvage.h"
#include "start/dropped_models.h"
#include "start/last_jobs.h"
#include "start/start_page.h"
#include "tally.h"
#include "window.h"
#include <QDir>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QMessageBox>
#include <QMimeData>
#include <QRegularExpression>
#include <QSettings>

namespace hemline::app {
namespace {

constexpr int kCalm = 1500; // ms after the last change until the picture of a job is taken

const char* const kModels = "STL, OBJ, PLY, 3MF, STEP, IGES (*.stl *.obj *.ply *.3mf *.step *.stp *.iges *.igs)";

enum class Dropped { Job, Model, Path, Unknown };
Dropped kindOfFile(const QString& file) {
  const QString ending = QFileInfo(file).suffix().toLower();
  if (ending == "hemline") return Dropped::Job;
  if (QStringList{"stl", "obj", "ply", "3mf", "step", "stp", "iges", "igs"}.contains(ending)) return Dropped::Model;
  if (QStringList{"cl", "apt", "nc", "iso", "txt"}.contains(ending)) return Dropped::Path;
  return Dropped::Unknown;
}

constexpr double kSmallest = 12; // in the file's own numbers: what is no longer is more likely in inches

} // namespace

QWidget* Window::buildStart() {
  start_ = new StartPage;
  connect(start_, &StartPage::modelAsked, this, &Window::chooseModel);
  connect(start_, &StartPage::jobAsked, this, &Window::chooseJob);
  connect(start_, &StartPage::jobChosen, this, [this](const QString& path) { openJob(path); });
  connect(&desk_, &Desk::started, this, [this](const QStringList& told) {
    QSettings("hemline", "hemline").setValue("job", desk_.path());
    hem_->select(static_cast<int>(desk_.job().steps.size()) - 1);
    addModels(std::exchange(besides_, {}));
    setStage(Stage::Study); // what was assumed, and what makes the part difficult
    tell(told.isEmpty() ? tr("A first job is made: roughing and a finish. All of it can be changed.")
                        : tr("A first job is made. What is doubtful about it: %1").arg(told.join("; ")),
         false);
  });
  connect(&desk_, &Desk::unitAsked, this, [this](const QString& model, const Vec3& size) {
    asked_.emplace(model, size);
    refreshFront();
    refreshStage();
  });
  picture_.setSingleShot(true);
  picture_.setInterval(kCalm);
  connect(&picture_, &QTimer::timeout, this, &Window::keepPicture);
  setAcceptDrops(true);
  return start_;
}

void Window::refreshFront() {
  const bool open = desk_.isOpen(), work = open || desk_.part() || desk_.outline();
  if (!work) start_->refresh();
  front_->setCurrentIndex(work ? 1 : 0);
  // Nothing is shown of what is not there yet.
  for (QWidget* w : {static_cast<QWidget*>(findChild<Tally*>()), static_cast<QWidget*>(status_), static_cast<QWidget*>(hem_),
                     static_cast<QWidget*>(clamping_), static_cast<QWidget*>(unitButton_)})
    w->setVisible(open);
  for (QToolButton* b : stages_) b->setEnabled(open);
  for (QToolButton* b : {stockButton_, pathButton_, ledgerButton_}) b->setEnabled(open);
  view_->tellSizes(!asked_);
}

bool Window::startFrom(const QString& model) {
  if (!mayClose()) return false;
  messageBar_->hide();
  asked_.reset(), besides_.clear();
  desk_.startFrom(model);
  return true;
}

void Window::chooseModel() {
  const QString f =
      QFileDialog::getOpenFileName(this, tr("Start from a model"), QFileInfo(desk_.path()).path(), tr("Models: %1").arg(kModels));
  if (!f.isEmpty()) startFrom(f);
}

void Window::choosePath() {
  const QString f = QFileDialog::getOpenFileName(this, tr("A path that somebody else made"), QFileInfo(desk_.path()).path(),
                                                 tr("Cutter-location text and ISO programs (*.cl *.apt *.nc *.iso *.txt);;All files (*)"));
  if (!f.isEmpty()) takePath(f);
}

void Window::chooseJob() {
  if (!mayClose()) return;
  const QString f = QFileDialog::getOpenFileName(this, tr("Open a job"), QFileInfo(desk_.path()).path(), tr("Hemline jobs (*.hemline)"));
  if (!f.isEmpty()) openJob(f);
}

void Window::offerSalvage(const QString& path) {
  try {
    const Salvaged saved = salvageJob(readFile(path.toStdString()), path.toStdString());
    const auto lines = [](const std::vector<std::string>& all) {
      QStringList out;
      for (const std::string& l : all) out << "– " + QString::fromStdString(l);
      return out.join("\n");
    };
    QMessageBox box(QMessageBox::Information, tr("What can be saved"),
                    tr("Whole: %1\n\nLost:\n%2\n\nThe damaged file stays as it is; what is left becomes a job of its own beside it.")
                        .arg(saved.kept.empty() ? tr("the part and the settings of the job") : QString("\n") + lines(saved.kept),
                             saved.lost.empty() ? tr("nothing") : lines(saved.lost)),
                    QMessageBox::Cancel, this);
    box.setObjectName("salvage");
    auto* open = box.addButton(tr("Open what is left"), QMessageBox::AcceptRole);
    box.setDefaultButton(open);
    box.exec();
    if (box.clickedButton() != open || !mayClose()) return;
    const QFileInfo info(path);
    QString copy;
    for (int n = 1; copy.isEmpty() || QFileInfo::exists(copy); ++n)
      copy = info.dir().filePath(tr("%1 saved%2.hemline").arg(info.completeBaseName(), n > 1 ? QString(" %1").arg(n) : QString()));
    writeJob(copy.toStdString(), saved.job);
    if (openJob(copy))
      tell(tr("This is what was left of %1. Look it over: %2")
               .arg(info.fileName(), saved.lost.empty() ? tr("nothing was lost") : QString::fromStdString(saved.lost.front())),
           false);
  } catch (const Error& e) {
    tell(QString::fromUtf8(e.what()), true);
  }
}

void Window::closeJob() {
  if (!desk_.isOpen() && !desk_.part()) return;
  if (!mayClose()) return;
  keepPicture();
  asked_.reset();
  messageBar_->hide();
  desk_.close();
  QSettings("hemline", "hemline").remove("job");
}

/// The unit of a model that has none: how large it would be either way, the likelier one first.
std::vector<std::pair<QString, LengthUnit>> Window::unitChoices() const {
  const Vec3& s = asked_->second;
  const auto across = [&](LengthUnit u) {
    const QString numbers = tr("%1 × %2 × %3").arg(s.x(), 0, 'g', 4).arg(s.y(), 0, 'g', 4).arg(s.z(), 0, 'g', 4);
    return u == LengthUnit::Inch ? tr("%1 inches (%2 mm long)").arg(numbers).arg(s.maxCoeff() * kInch, 0, 'f', 0)
                                 : tr("%1 mm").arg(numbers);
  };
  const bool inch = s.maxCoeff() < kSmallest;
  std::vector<std::pair<QString, LengthUnit>> out;
  for (const LengthUnit u : {inch ? LengthUnit::Inch : LengthUnit::Millimetre, inch ? LengthUnit::Millimetre : LengthUnit::Inch})
    out.emplace_back(across(u), u);
  return out;
}

void Window::dragEnterEvent(QDragEnterEvent* e) {
  for (const QUrl& url : e->mimeData()->urls())
    if (url.isLocalFile() && kindOfFile(url.toLocalFile()) != Dropped::Unknown) return e->acceptProposedAction();
}

void Window::dropEvent(QDropEvent* e) {
  QStringList files;
  for (const QUrl& url : e->mimeData()->urls())
    if (url.isLocalFile()) files << url.toLocalFile();
  e->acceptProposedAction();
  take(files);
}

void Window::take(const QStringList& files) {
  QStringList models, paths, others;
  for (const QString& f : files) {
    const Dropped kind = kindOfFile(f);
    if (kind == Dropped::Job) {
      if (mayClose()) openJob(f);
      return;
    }
    (kind == Dropped::Model ? models : kind == Dropped::Path ? paths : others) << f;
  }
  if (!models.isEmpty()) {
    takeModels(models);
    others << paths;
  } else if (!paths.isEmpty() && desk_.isOpen()) {
    takePath(paths.takeFirst());
    others << paths;
  } else {
    others << paths;
  }
  if (!others.isEmpty())
    tell(tr("Left aside: %1. Models, jobs, and paths to an open job can be dropped.")
             .arg(QStringList(others).replaceInStrings(QRegularExpression("^.*/"), "").join(", ")),
         false);
}

void Window::takeModels(const QStringList& models) {
  std::vector<DroppedModel> uses{{models.front(), ModelUse::Part}};
  if (models.size() > 1 || desk_.isOpen()) {
    DroppedModels page(models, desk_.isOpen(), this);
    if (page.exec() != QDialog::Accepted) return;
    uses = page.answer();
  }
  const auto part = std::find_if(uses.begin(), uses.end(), [](const DroppedModel& m) { return m.use == ModelUse::Part; });
  if (part == uses.end()) return addModels(uses);
  if (!startFrom(part->file)) return;
  besides_ = uses; // taken as soon as there is a job
}

void Window::addModels(const std::vector<DroppedModel>& models) {
  const QDir folder = QFileInfo(desk_.path()).dir();
  const auto relative = [&](const DroppedModel& m) { return folder.relativeFilePath(QFileInfo(m.file).absoluteFilePath()).toStdString(); };
  const auto clamping = static_cast<std::size_t>(setUp_->clamping());
  for (const DroppedModel& m : models) {
    const QString name = QFileInfo(m.file).fileName();
    if (m.use == ModelUse::Blank)
      desk_.attempt(tr("blank from %1").arg(name), [&](Job& j) { j.stock.kind = "mesh", j.stock.file = relative(m); });
    if (m.use == ModelUse::Fixture)
      desk_.attempt(tr("fixture from %1").arg(name),
                    [&](Job& j) { j.clampings.at(clamping).fixtures.push_back(meshFixture(relative(m))); });
  }
}

void Window::keepPicture() {
  picture_.stop();
  if (!remembers_ || !desk_.isOpen()) return;
  const auto judged = desk_.judged();
  const QString verdict = !desk_.complete() || !judged ? tr("not computed to its end")
                          : judged->heldBy.empty()     ? tr(standing(*judged))
                                                       : tr("held: %1").arg(QString::fromStdString(findingLine(judged->heldBy.front())));
  keepLastJob({desk_.path(), QString::fromStdString(desk_.job().name), verdict, QDateTime::currentDateTime().toString("d MMMM, HH:mm")},
              desk_.part() ? QPixmap::fromImage(view_->grabFramebuffer()) : QPixmap());
}

} // namespace hemline::app
