#include "desk.h"
#include "base/file.h"
#include "job/handover.h"
#include "job/regions.h"
#include "job/report.h"
#include "own_library.h"
#include "part/step_outline.h"
#include "plan/advise.h"
#include "plan/machine_choice.h"
#include "plan/new_job.h"
#include "start/last_jobs.h"
#include <QDateTime>
#include <QDir>
#include <QFileInfo>
#include <QPointer>
#include <QPrinter>
#include <QTemporaryFile>
#include <QTextDocument>

namespace hemline::app {

/// One undoable edit: the job before and after. Jobs are plain data, so that is all there is to it.
class Desk::Edit : public QUndoCommand {
public:
  Edit(Desk& s, const QString& what, Job before, Job after)
      : QUndoCommand(what), desk_(s), before_(std::move(before)), after_(std::move(after)) {}
  void undo() override { desk_.setJob(before_); }
  void redo() override { desk_.setJob(after_); }

private:
  Desk& desk_;
  Job before_, after_;
};

Desk::Desk(QObject* parent) : QObject(parent) {
  debounce_.setSingleShot(true);
  debounce_.setInterval(250);
  connect(&debounce_, &QTimer::timeout, this, &Desk::compute);
  tick_.setInterval(500);
  connect(&tick_, &QTimer::timeout, this, [this] {
    if (!computing_) return tick_.stop(); // it was cancelled, or the job was closed
    count(1e-3 * static_cast<double>(clock_.elapsed()));
  });
  // Whoever writes a file may write it in pieces, or put another in its place: it is looked at when things are calm again.
  look_.setSingleShot(true);
  look_.setInterval(400);
  connect(&look_, &QTimer::timeout, this, &Desk::lookAtFiles);
  for (const auto changed : {&QFileSystemWatcher::fileChanged, &QFileSystemWatcher::directoryChanged})
    connect(&files_, changed, &look_, qOverload<>(&QTimer::start));
}

Desk::~Desk() {
  stopWorker();
}

void Desk::useStore(std::shared_ptr<Store> store) {
  stopWorker();
  evaluator_ = Evaluator(std::move(store));
}

void Desk::open(const QString& path) {
  take(path, nullptr);
}

/// `seen`: its part, where that is on the screen already.
void Desk::take(const QString& path, std::shared_ptr<const Part> seen) {
  Job job = file_.open(path);
  stopWorker();
  forget();
  early_ = std::move(seen);
  job_ = std::move(job);
  steps_.resize(job_.steps.size());
  emit jobChanged();
  emit partChanged();
  emit resultsChanged();
  emit leftCopies();
  refreshOthers();
  compute();
}

/// Of the job before; the part that is seen stays until another one is.
void Desk::forget() {
  recovered_ = false;
  undo_.clear();
  base_ = {}, result_ = {}, judged_.reset(), steps_.clear(), complete_ = false, error_.clear();
  job_ = {}, model_.clear(), others_.clear();
}

void Desk::close() {
  stopWorker();
  computing_ = false, doing_.clear();
  file_.close();
  forget();
  early_.reset(), outline_.reset();
  emit jobChanged();
  emit partChanged();
  emit resultsChanged();
  emit leftCopies();
}

void Desk::showPart(quint64 run, const std::shared_ptr<const Part>& part) {
  post([this, run, part] {
    if (run != run_ || part == this->part()) return;
    early_ = part, outline_.reset();
    emit partChanged();
  });
}

void Desk::showOutline(quint64 run, const std::string& file) {
  const QString ending = QFileInfo(QString::fromStdString(file)).suffix().toLower();
  if (ending != "step" && ending != "stp") return;
  std::shared_ptr<const Outline> lines;
  try {
    lines = std::make_shared<const Outline>(stepOutline(readFile(file)));
  } catch (const Error&) { // whoever reads the part says so
    return;
  }
  post([this, run, lines] {
    if (run != run_ || part()) return;
    outline_ = lines;
    emit partChanged();
  });
}

void Desk::startFrom(const QString& model, std::optional<LengthUnit> unit) {
  close();
  model_ = QFileInfo(model).fileName();
  const quint64 run = run_ + 1;
  start([this, run, model, unit](Progress& progress) {
    NewJobOptions o;
    o.unit = unit, o.data = HEMLINE_DATA, o.library = readableLibrary().toStdString();
    ReadOptions read = readToChooseBy(o.cusp, unit);
    const std::string file = QFileInfo(model).absoluteFilePath().toStdString();
    bool asks = false;
    showOutline(run, file);
    try {
      o.part = readPart(file, read, progress);
    } catch (const Error& e) {
      if (e.fault != Fault::Missing || unit || !formatNeedsUnit(file)) throw;
      asks = true; // its size in the file's own numbers says which it is
      read.unit = LengthUnit::Millimetre;
      o.part = readPart(file, read, progress);
    }
    showPart(run, o.part);
    if (asks) {
      const Vec3 size = o.part->mesh.bounds().size();
      post([this, run, model, size] {
        if (run == run_) emit unitAsked(model, size);
      });
      return;
    }
    const QString draft = newDraft(QFileInfo(model).completeBaseName());
    std::vector<std::string> told;
    writeJob(draft.toStdString(), newJob(file, draft.toStdString(), o, progress, &told));
    QStringList words;
    for (const std::string& t : told) words << QString::fromStdString(t);
    post([this, run, draft, words] {
      if (run != run_) return;
      try {
        take(draft, early_);
        emit started(words);
      } catch (const Error& e) {
        emit failed(e);
      }
    });
  });
}

void Desk::recover() {
  if (file_.left().empty()) return;
  undo_.push(new Edit(*this, tr("recovered changes"), job_, file_.left().front().job));
  try {
    file_.keepCopy(job_);    // they are in the own copy before the other one goes
  } catch (const Error& e) { // the other one stays
    emit failed(e);
    return;
  }
  refuseCopy();
}

void Desk::refuseCopy() {
  file_.dropLeft();
  emit leftCopies();
}

void Desk::discardRecovery() {
  file_.dropCopy();
}

void Desk::save(bool overwrite) {
  file_.save(job_, overwrite);
  recovered_ = false;
  undo_.setClean();
}

void Desk::saveAs(const QString& path) {
  job_ = file_.saveAs(path, job_);
  undo_.clear();
  undo_.setClean();
  recovered_ = false;
  emit jobChanged();
  emit leftCopies();
}

void Desk::keepCopy() {
  try {
    file_.keepCopy(job_);
  } catch (const Error& e) {
    emit failed(e);
  }
}

void Desk::edit(const QString& what, const std::function<void(Job&)>& change) {
  Job after = job_;
  change(after);
  checkJob(after);
  if (toJson(after) == toJson(job_)) return;
  undo_.push(new Edit(*this, what, job_, std::move(after)));
}

void Desk::attempt(const QString& what, const std::function<void(Job&)>& change) {
  try {
    edit(what, change);
  } catch (const Error& e) {
    emit failed(e);
  }
}

namespace {
/// How many steps from the first on are the same in both jobs, and start from the same.
std::size_t sameFromTheStart(const Job& a, const Job& b) {
  const auto rest = [](Job j) {
    j.steps.clear(), j.variants.clear();
    j.name.clear();
    for (Region& r : j.regions) r.finish.reset(), r.tolerance.reset(); // promises of their own
    return toJson(j);
  };
  if (rest(a) != rest(b) || tessellationChord(a) != tessellationChord(b)) return 0; // another tessellation is another part
  std::size_t n = 0;
  while (n < std::min(a.steps.size(), b.steps.size()) && toJson(a.steps[n]) == toJson(b.steps[n])) ++n;
  return n;
}
} // namespace

void Desk::setJob(const Job& job) {
  const std::size_t same = sameFromTheStart(job_, job);
  const auto computed = [](Job j) { // variants are no part of what is computed
    j.variants.clear();
    return toJson(j);
  };
  const bool plan = computed(job_) != computed(job);
  job_ = job;
  keepCopy(); // at once: whatever ends the program, the edit is there
  if (plan) outdate(same);
  emit jobChanged();
  if (plan) emit resultsChanged();
  refreshOthers();
}

void Desk::outdate(std::size_t same) {
  complete_ = false, judged_.reset();
  steps_.resize(job_.steps.size());
  for (std::size_t i = same; i < steps_.size(); ++i) steps_[i].fresh = false;
  // What the worker found for the job before is void from here on: it must never come in as current.
  cancel();
  ++run_;
  computing_ = false;
  debounce_.start();
}

namespace {
std::pair<QDateTime, qint64> stateOf(const std::string& file) {
  const QFileInfo info(QString::fromStdString(file));
  return {info.lastModified(), info.exists() ? info.size() : -1};
}
} // namespace

void Desk::watch() {
  seen_.clear();
  QStringList paths;
  std::vector<const JobResult*> all{&base_, &result_};
  for (const auto& o : others_)
    if (o->result) all.push_back(o->result.get());
  for (const JobResult* r : all)
    for (const InputFile& f : r->inputs) {
      seen_[f.path] = stateOf(f.path);
      for (const QString& p : {QString::fromStdString(f.path), QFileInfo(QString::fromStdString(f.path)).path()})
        if (!paths.contains(p) && QFileInfo::exists(p)) paths << p;
    }
  if (const QStringList before = files_.files() + files_.directories(); !before.isEmpty()) files_.removePaths(before);
  if (!paths.isEmpty()) files_.addPaths(paths);
}

bool Desk::filesChanged() const {
  return !changedInputs(base_).empty() || (complete_ && !changedInputs(result_).empty());
}

void Desk::lookAtFiles() {
  const bool touched = std::any_of(seen_.begin(), seen_.end(), [](const auto& f) { return stateOf(f.first) != f.second; });
  if (!touched) return;
  watch(); // another file in the place of one is not watched yet
  forgetChangedOthers();
  if (filesChanged()) outdate(0);
  emit resultsChanged();
}

void Desk::setUnit(LengthUnit unit) {
  unit_ = unit;
  emit unitChanged();
}

std::array<int, 4> Desk::tally() const {
  std::array<int, 4> out{};
  for (std::size_t i = 0; i < job_.steps.size(); ++i) {
    const StepView& v = i < steps_.size() ? steps_[i] : StepView{};
    if (v.result && v.fresh) {
      for (const PromiseResult& p : v.result->promises) ++out[static_cast<std::size_t>(p.verdict)];
      out[static_cast<std::size_t>(Verdict::Broken)] += static_cast<int>(v.result->texts(Severity::Blocker).size());
    } else {
      const Promises& p = job_.steps[i].promises;
      for (const auto* x : {&p.cusp, &p.gouge, &p.rest, &p.clearance, &p.engagement})
        if (*x) ++out[static_cast<std::size_t>(Verdict::Unknown)];
    }
  }
  if (complete_)
    for (const RegionResult& r : result_.ofRegions)
      for (const PromiseResult& p : r.promises) ++out[static_cast<std::size_t>(p.verdict)];
  else
    for (const Region& r : job_.regions) out[static_cast<std::size_t>(Verdict::Unknown)] += r.finish.has_value() + r.tolerance.has_value();
  return out;
}

double Desk::knownTime() const {
  double t = 0;
  for (const StepView& v : steps_)
    if (v.result) t += v.result->time->timing.total;
  return t;
}

void Desk::post(std::function<void()> f) {
  QMetaObject::invokeMethod(this, std::move(f), Qt::QueuedConnection);
}

void Desk::stopWorker() {
  if (progress_) progress_->cancel();
  if (worker_.joinable()) worker_.join();
  ++run_; // what was posted before is void
  computing_ = false;
}

void Desk::cancel() {
  debounce_.stop();
  if (progress_) progress_->cancel();
}

/// Runs work in the background with progress; errors come back as `failed`.
void Desk::start(std::function<void(Progress&)> work) {
  stopWorker();
  const quint64 run = run_;
  computing_ = true, fraction_ = 0, doing_.clear(), error_.clear();
  countdown_.reset(), left_.reset(), wholeTold_ = goesOn_ = false;
  clock_.start();
  tick_.start();
  auto shown = std::make_shared<std::atomic<qint64>>(0);
  progress_ = std::make_shared<Progress>([this, run, shown](double fraction, const std::string& what) {
    // Not more often than the eye can follow.
    const qint64 now = QDateTime::currentMSecsSinceEpoch();
    if (now - shown->load() < 40) return;
    shown->store(now);
    post([this, run, fraction, text = QString::fromStdString(what)] {
      if (run != run_) return;
      doing_ = text;
      if (!countdown_) fraction_ = fraction;
      count(1e-3 * static_cast<double>(clock_.elapsed()));
    });
  });
  emit progressed();
  worker_ = std::thread([this, run, progress = progress_, work = std::move(work)] {
    std::optional<Error> error;
    bool cancelled = false;
    try {
      work(*progress);
    } catch (const Cancelled&) {
      cancelled = true;
    } catch (const Error& e) {
      error = e;
    } catch (const std::exception& e) {
      error = Error(Fault::System, e.what(), "", tr("Try again; if it comes back, send the job to the makers.").toStdString());
    }
    post([this, run, cancelled, error] {
      if (run != run_) return;
      computing_ = false, doing_.clear(), left_.reset();
      tick_.stop();
      for (StepView& v : steps_) v.coarse.reset();
      if (cancelled) error_ = tr("Cancelled: what is shown may be stale.");
      if (error) error_ = QString::fromStdString(error->happened);
      if (goesOn_ && !complete_) { // the job itself was put off for this
        if (error) emit failed(*error);
        return compute();
      }
      emit progressed();
      emit resultsChanged();
      if (error) emit failed(*error);
    });
  });
}

void Desk::compute() {
  if (!isOpen()) return;
  debounce_.stop();
  advice_.clear(), machineFits_.clear();
  studiedClosely_ = false;
  stopWorker(); // so that the run number below is the one the worker carries
  const quint64 run = run_ + 1;
  knownSteps_ = 0; // steps from the first on that are as they were
  while (knownSteps_ < steps_.size() && steps_[knownSteps_].result && steps_[knownSteps_].fresh) ++knownSteps_;
  start([this, run, job = job_, path = path().toStdString(), wasRead = part() != nullptr](Progress& progress) {
    QElapsedTimer clock;
    clock.start();
    const auto now = [&clock] { return 1e-3 * static_cast<double>(clock.elapsed()); };
    double began = 0;
    if (!wasRead)
      showOutline(run, QFileInfo(QString::fromStdString(path)).dir().absoluteFilePath(QString::fromStdString(job.partFile)).toStdString());
    const std::size_t damagedBefore = evaluator_.damaged(), computedBefore = evaluator_.computed();
    const JobResult base = evaluator_.prepare(job, path, progress, Evaluator::Studied::Whole,
                                              [this, run](const std::shared_ptr<const Part>& part) { showPart(run, part); });
    began = now();
    post([this, run, base, at = began] {
      if (run != run_) return;
      const bool other = base.part != part();
      base_ = base, early_.reset(), outline_.reset();
      expectSteps(at);
      watch();
      if (filesChanged()) outdate(0); // after it was read, before it was watched
      if (other) emit partChanged();
      emit resultsChanged();
    });
    const StepDone done = [&](std::size_t i, const std::shared_ptr<const StepResult>& s) {
      const double ends = now(), took = ends - std::exchange(began, ends);
      post([this, run, i, s, ends, took] {
        if (run != run_ || i >= steps_.size()) return;
        steps_[i] = {s, true, {}};
        if (countdown_) countdown_->ended(ends);
        stepTook(i, took);
        emit resultsChanged();
      });
    };
    const StepCoarse coarse = [&](std::size_t i, const std::shared_ptr<const CoarseSurface>& c) {
      post([this, run, i, c] {
        if (run != run_ || i >= steps_.size()) return;
        steps_[i].coarse = c;
        emit resultsChanged();
      });
    };
    const JobResult all = evaluator_.evaluate(job, path, progress, 1000000, done, coarse);
    const auto judged = std::make_shared<const Release>(judgeRelease(job, all, evaluator_.results(), progress));
    const auto damaged = static_cast<int>(evaluator_.damaged() - damagedBefore);
    const bool known = evaluator_.computed() == computedBefore;
    post([this, run, all, judged, damaged, known, took = now() - began] {
      if (run != run_) return;
      judgingTook(took);
      result_ = all, judged_ = judged, complete_ = true;
      watch();
      if (filesChanged()) outdate(0);
      computedAt_ = QDateTime::currentDateTime().toString("d MMMM, HH:mm"), known_ = known;
      emit resultsChanged();
      if (damaged > 0) emit foundDamaged(damaged);
    });
  });
  expectSteps({});
}

void Desk::studyClosely() {
  if (!complete_ || computing_ || studiedClosely_) return;
  studiedClosely_ = true;
  if (base_.around && base_.around->places > kReachPlaces) return;
  stopWorker();
  const quint64 run = run_ + 1;
  start([this, run, job = job_, path = path().toStdString()](Progress& progress) {
    const JobResult base = evaluator_.prepare(job, path, progress, Evaluator::Studied::Closely);
    post([this, run, base] {
      if (run == run_) base_.around = base.around;
    });
  });
}

void Desk::acceptModel() {
  if (!isOpen()) return;
  stopWorker();
  const quint64 run = run_ + 1;
  start([this, run, job = job_, path = path().toStdString()](Progress& progress) {
    const AcceptedModel model = hemline::acceptModel(job, path, progress);
    post([this, run, model] {
      if (run != run_) return;
      attempt(tr("accept the changed model"), [&](Job& j) { j = model.job; });
      QStringList told;
      for (const std::string& line : model.told) told << QString::fromStdString(line);
      emit accepted(told);
    });
  });
}

void Desk::advise(int step, const std::vector<Holder>& library) {
  if (!complete_ || step < 0 || step >= static_cast<int>(result_.steps.size())) return;
  stopWorker();
  const quint64 run = run_ + 1;
  start([this, run, step, library, job = job_, result = result_, unit = unit_](Progress& progress) {
    const auto i = static_cast<std::size_t>(step);
    QStringList lines;
    for (const std::string& line : adviceText(adviseStep(job, result, i, library, progress), *result.steps[i], unit))
      lines << QString::fromStdString(line);
    QStringList fits;
    std::vector<std::string> files;
    for (const QString& f : machineFiles()) files.push_back(f.toStdString());
    for (const MachineFit& fit : fitMachines(job, result, files, unit)) fits << QString::fromStdString(machineFitText(fit));
    post([this, run, step, lines, fits] {
      if (run == run_) advice_[step] = lines, machineFits_ = fits;
    });
  });
}

void Desk::proposeRoughing(const CutterLibrary& library) {
  if (!complete_) return;
  stopWorker();
  const quint64 run = run_ + 1;
  start([this, run, library, job = job_, path = path().toStdString(), unit = unit_](Progress& progress) {
    const auto chains = hemline::proposeRoughing(job, path, library, evaluator_, progress, -1, unit);
    post([this, run, chains] {
      if (run == run_) emit chainsFound(chains);
    });
  });
}

void Desk::release(const QString& folder, const QByteArray& picture) {
  if (!complete_) return;
  const JobResult result = result_;
  const Job job = job_;
  const std::string jobPath = path().toStdString();
  stopWorker();
  const quint64 run = run_ + 1;
  start([this, run, job, result, folder, jobPath, base64 = picture.toBase64().toStdString()](Progress& progress) {
    const auto out = std::make_shared<OutputFolder>(QFile::encodeName(folder).toStdString(), jobPath);
    const Release release = judgeRelease(job, result, evaluator_.results(), progress);
    for (const auto& s : result.steps) out->put(clFileName(*s), clText(job, *s, release));
    out->put("report.json", reportBytes(reportJson(job, jobPath, result, release)));
    const std::string sheet = setupSheet(job, result, release, base64);
    out->put("setup-sheet.html", sheet);
    post([this, run, folder, out, result, release, sheet] {
      if (run != run_) return;
      // Paper size and text layout belong to the interface's library, on its own thread.
      QTemporaryFile paper;
      if (paper.open()) {
        QPrinter printer;
        printer.setOutputFormat(QPrinter::PdfFormat);
        printer.setPageSize(QPageSize(QPageSize::A4));
        printer.setOutputFileName(paper.fileName());
        QTextDocument text;
        text.setHtml(QString::fromStdString(sheet));
        text.print(&printer);
        out->put("setup-sheet.pdf", QFile(paper.fileName()).exists() ? readFile(paper.fileName().toStdString()) : std::string());
      }
      try {
        QStringList files, held;
        for (const std::string& name : out->finish(release, result, false)) files << QString::fromStdString(name);
        for (const std::string& name : out->papers()) files << QString::fromStdString(name);
        for (const std::string& h : linesOf(release.heldBy)) held << QString::fromStdString(h);
        emit released(folder, files, held);
      } catch (const Error& e) {
        emit failed(e);
      }
    });
  });
}

} // namespace hemline::app
