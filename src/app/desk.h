// The open job with its undo history, and its results computed in the background. Widgets read it and listen; none computes.
#pragma once
#include "countdown.h"
#include "job/evaluate.h"
#include "job/release.h"
#include "job_file.h"
#include "plan/hours_of_cusp.h"
#include "plan/propose_finish.h"
#include "plan/propose_plans.h"
#include "plan/roughing_chain.h"
#include "plan/variants.h"
#include <QDateTime>
#include <QElapsedTimer>
#include <QFileSystemWatcher>
#include <QMap>
#include <QObject>
#include <QTimer>
#include <QUndoStack>
#include <atomic>
#include <thread>

namespace hemline::app {

/// A step's result with whether it belongs to the job as it is now.
struct StepView {
  std::shared_ptr<const StepResult> result;
  bool fresh = false;
  std::shared_ptr<const CoarseSurface> coarse; ///< first answer while the step is being measured
};

/// Another plan for the same part than the job's: a variant that the job keeps, or one that was proposed.
struct OtherPlan {
  QString name, why;
  QStringList mended;                      ///< of proposals: what was changed after a first run
  bool kept = false;                       ///< as a variant of the job
  bool proposed = false;                   ///< by the program; else a variant that is not kept any more
  Job job;                                 ///< as it would be with this plan
  QString failure;                         ///< why it cannot be computed
  std::shared_ptr<const JobResult> result; ///< null: not computed
  PlanFacts facts;
  std::vector<StepView> steps; ///< of the result
};

using Outline = std::vector<std::vector<Vec3>>;

class Desk : public QObject {
  Q_OBJECT
public:
  explicit Desk(QObject* parent = nullptr);
  ~Desk() override;
  /// Results are kept and sought there from now on; null: nowhere on disk.
  void useStore(std::shared_ptr<Store> store);

  // The job.
  const Job& job() const { return job_; }
  QString path() const { return file_.path(); }
  bool isOpen() const { return file_.isOpen(); }
  /// In whose hand it is, what was left of it, whether it changed on disk.
  const JobFile& file() const { return file_; }
  bool modified() const { return !undo_.isClean() || recovered_; }
  /// Opens a job; `leftCopies` follows. Throws Error.
  void open(const QString& path);
  /// Makes a first job for a model, in the background: the part is seen as soon as it is read; then the job is opened as a draft (see
  /// last_jobs.h), and `started` follows; or `unitAsked`, where nobody has told the unit, or `failed`. The job before is closed.
  void startFrom(const QString& model, std::optional<LengthUnit> unit = {});
  /// No job is open any more.
  void close();
  /// The model that a first job is being made for; empty: none.
  const QString& model() const { return model_; }
  /// As JobFile's. Throw Error.
  void save(bool overwrite = false);
  void saveAs(const QString& path);
  /// Takes over the newest copy that was left, as an edit that can be undone; or throws it away.
  void recover();
  void refuseCopy();
  /// The own copy of edits that are not to be kept.
  void discardRecovery();
  /// Changes the job by one undoable edit and computes again. The job is left as it was when the result is not sensible
  /// (Error from the check, thrown on).
  void edit(const QString& what, const std::function<void(Job&)>& change);
  /// The same from a place that cannot take an Error: it is told by `failed`, and the job stays.
  void attempt(const QString& what, const std::function<void(Job&)>& change);
  QUndoStack& undo() { return undo_; }
  /// Moves a step before the one that is at `place` now (from 0; one past the last: to the end), as an edit.
  void moveStep(int from, int place);
  /// What that would mean, a line each; empty: nothing changes. `breaks`: some of it makes no sense.
  QStringList moveMeans(int from, int place, bool& breaks) const;

  LengthUnit unit() const { return unit_; }
  void setUnit(LengthUnit unit);

  // Results.
  /// Edges of the model while its part is being read, where its file tells some; in the file's own unit. Null: none.
  std::shared_ptr<const Outline> outline() const { return part() ? nullptr : outline_; }
  /// As soon as it is read; what is known of it comes later, with base().
  std::shared_ptr<const Part> part() const { return early_ ? early_ : base_.part; }
  const JobResult& base() const { return base_; } ///< part, stock before the first step, machine, fixtures
  const std::vector<StepView>& steps() const { return steps_; }
  /// The last complete result; `complete()` tells whether it belongs to the job as it is now.
  const JobResult& result() const { return result_; }
  bool complete() const { return complete_; }
  /// The judgement of the complete result, programs included; null while there is none.
  std::shared_ptr<const Release> judged() const { return judged_; }
  bool computing() const { return computing_; }
  /// Of the whole, 0 to 1.
  double fraction() const { return fraction_; }
  /// How long it will still take, s, from what such steps took before; nothing while that is not known.
  std::optional<double> timeLeft() const { return left_; }
  QString doing() const { return doing_; }
  QString lastError() const { return error_; }
  QString computedAt() const { return computedAt_; }
  /// Nothing had to be computed then: all of it was remembered.
  bool knownBefore() const { return known_; }
  /// Kept, broken and unknown promises of what is fresh; stale or missing ones count as unknown, and what can never be waived (motions not
  /// shown to be clear, travel left, ...) as broken.
  std::array<int, 4> tally() const;

  void compute();
  void cancel();
  /// Studies the part from more places in the background, once everything is computed and this has not been done.
  void studyClosely();
  /// Looks in the background for shorter stick-outs, other holders and a tilt that are clear, for a step of the complete result.
  /// `library`: holders to choose from.
  void advise(int step, const std::vector<Holder>& library);
  /// What was found for a step, in sentences; empty: not looked for since the last change.
  QStringList advice(int step) const { return advice_.value(step); }
  /// Which machines could run the job, a sentence each; looked for together with the advice.
  const QStringList& machineFits() const { return machineFits_; }
  /// Computes three chains of roughing steps in the background; `chainsFound` or `failed` follows. Only for a complete result.
  void proposeRoughing(const CutterLibrary& library);
  /// Plans finishing patterns for a step coarsely in the background; they come in as `patternFound`, `patternsFound` or `failed` follows.
  void proposeFinish(std::size_t step);
  /// Finds in the background what other cusps would take of a finishing step; `hoursFound` or `failed` follows. Only for a complete result.
  void findHours(std::size_t step);
  /// Computes whole plans in the background, which come in as others; `plansProposed` or `failed` follows.
  void proposePlans(const CutterLibrary& library);
  /// Variants of the job, then what was proposed, as far as they are computed.
  const std::vector<std::shared_ptr<const OtherPlan>>& others() const { return others_; }
  /// Computes those of them that are not, in the background, once the job itself is computed.
  void computeOthers();
  /// Undoable: the job's own plan becomes a variant; another one is kept as such, is taken in the place of the job's own (which is kept),
  /// or goes.
  void keepPlan(const QString& name);
  void keepOther(std::size_t k);
  void takeOther(std::size_t k);
  void removeOther(std::size_t k);
  /// Takes the model that was changed on disk into the job, in the background; `accepted` or `failed` follows.
  void acceptModel();
  /// Programs, sheet and cutter-location files into a folder, in the background; `released` or `failed` follows.
  void release(const QString& folder, const QByteArray& picturePng);
  /// Total length of the job in seconds as far as it is known.
  double knownTime() const;

signals:
  void jobChanged();
  void partChanged();
  void resultsChanged();
  void progressed();
  void unitChanged();
  void failed(const hemline::Error& error);
  void released(const QString& folder, const QStringList& files, const QStringList& held);
  void foundDamaged(int results); ///< on disk; they were removed and computed again
  void leftCopies();              ///< there may be other ones now, or none
  void chainsFound(const std::vector<hemline::RoughingChain>& chains);
  void patternFound(const hemline::FinishWay& way);
  void patternsFound();
  void hoursFound(std::size_t step, const hemline::HoursOfCusp& hours);
  void othersChanged();
  void plansProposed();
  void started(const QStringList& told);                           ///< a first job; what is doubtful about it
  void unitAsked(const QString& model, const hemline::Vec3& size); ///< of a model whose format has none: its size in that unit
  void accepted(const QStringList& told);                          ///< what of regions and rails is lost or changed

private:
  class Edit;
  void setJob(const Job& job);
  void forget();
  void take(const QString& path, std::shared_ptr<const Part> seen);
  /// The part as soon as it is read, from the worker of this run.
  void showOutline(quint64 run, const std::string& file);
  void showPart(quint64 run, const std::shared_ptr<const Part>& part);
  /// Nothing of what was found from step `same` on counts any more; it is computed again.
  void outdate(std::size_t same);
  /// Whether a file that the results were made from is still what it was.
  void lookAtFiles();
  bool filesChanged() const;
  void watch();
  void start(std::function<void(Progress&)> work);
  void count(double at);
  void expectSteps(std::optional<double> read);
  void stepTook(std::size_t i, double seconds);
  void judgingTook(double seconds);
  void refreshOthers();
  void rememberPlan(const QString& name);
  void forgetChangedOthers();
  void addOther(std::shared_ptr<const OtherPlan> plan);
  void stopWorker();
  void keepCopy();
  void post(std::function<void()> f);

  Job job_;
  JobFile file_;
  QUndoStack undo_;
  bool recovered_ = false;
  QTimer debounce_, look_;
  QFileSystemWatcher files_;
  std::map<std::string, std::pair<QDateTime, qint64>> seen_; ///< files of the results: when changed, how large
  LengthUnit unit_ = LengthUnit::Millimetre;

  Evaluator evaluator_; ///< used by the worker only
  std::thread worker_;
  std::shared_ptr<Progress> progress_;
  quint64 run_ = 0;
  std::shared_ptr<const Outline> outline_;
  std::shared_ptr<const Part> early_; ///< the part, where it is newer than that of base_
  JobResult base_, result_;
  std::shared_ptr<const Release> judged_;
  std::vector<StepView> steps_;
  std::vector<std::shared_ptr<const OtherPlan>> others_;
  bool complete_ = false, computing_ = false, known_ = false;
  bool studiedClosely_ = false; ///< or it was tried and cancelled
  double fraction_ = 0;
  std::optional<double> left_;
  std::optional<Countdown> countdown_; ///< while the job's steps are computed
  QElapsedTimer clock_;                ///< since the work began
  QTimer tick_;
  std::size_t knownSteps_ = 0; ///< from the first on, when the work began
  bool wholeTold_ = false;     ///< the work tells how much of the whole is done
  bool goesOn_ = false;        ///< the job is computed when what runs ends: it was put off for that
  QString doing_, error_, computedAt_, model_;
  QMap<int, QStringList> advice_;
  QStringList machineFits_;
};

} // namespace hemline::app
