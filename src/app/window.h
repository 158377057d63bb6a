// The one window: stages, surface view, the panel of the stage, the hem. Puts the parts together and holds the commands.
#pragma once
#include "brief/brief.h"
#include "desk.h"
#include "hem/hem.h"
#include "libraries/libraries_window.h"
#include "stages/evidence.h"
#include "stages/rails.h"
#include "stages/regions.h"
#include "stages/set_up.h"
#include "start/dropped_models.h"
#include "view/stock_follower.h"
#include "view/surface_view.h"
#include <QComboBox>
#include <QMainWindow>
#include <QProgressBar>
#include <QPushButton>
#include <QStackedWidget>
#include <QTableWidget>
#include <QTimer>
#include <QVBoxLayout>

namespace hemline::app {

class Assumptions;
class Ledger;
class StartPage;
class MicroscopeCard;

class Window : public QMainWindow {
  Q_OBJECT
public:
  Window();
  /// Opens a job and tells the user when it cannot be.
  bool openJob(const QString& path);
  Desk& desk() { return desk_; }
  SurfaceView& view() { return *view_; }
  StockFollower& follower() { return follower_; }
  Hem& hem() { return *hem_; }
  Brief& brief() { return *brief_; }
  Regions& regions() { return *regions_; }
  Rails& rails() { return *rails_; }
  void setStage(Stage stage);
  Stage stage() const { return stage_; }
  void setPaint(Paint paint);
  /// Study with regions and rails in sight.
  void markGround();
  void probe(const Vec3& place, int facet);
  void showCommands();
  /// Adds a step that runs a path from a file, with cutter, holder and promises of the selected step.
  void takePath(const QString& file);
  void showLedger(bool on);
  void releaseTo(const QString& folder);
  /// A first job for a model; what is open is closed first, if the user agrees.
  /// A job of the model; false: the one that is open stays.
  bool startFrom(const QString& model);
  /// Models that were dropped: what each is is asked for where it is not clear.
  void takeModels(const QStringList& models);
  /// Files that were dropped: a job is opened, a model begins one, a path becomes a step.
  void take(const QStringList& files);
  void closeJob();
  /// What is left of a damaged job, and a copy of it to go on with; the damaged file stays as it is.
  void offerSalvage(const QString& path);
  /// Saves the job as another one; a draft goes.
  void saveTo(const QString& file);
  /// The page of kinds, for a step at this place (from 0).
  void addStep(int place);
  /// Finishing patterns for the selected step, planned in the background and shown as they come.
  void proposeFinishing();
  /// What other cusps would take of the selected finishing step, as a plot.
  void showHours();
  /// Plans that are computed in the background and then shown side by side; those that there are.
  /// The selected step one place earlier (-1) or later (1); what that means is told.
  void moveSelected(int by);
  void proposePlans();
  void showPlans();
  /// Another plan in the view beside the job's own; null: none any more.
  void lookAtOther(std::shared_ptr<const OtherPlan> other);
  /// The other plan in the place of the job's own, with the same camera.
  void seeOther(bool on);
  /// Keeps pictures and verdicts of jobs for the start page; else nothing is written beside the jobs.
  void remember(bool on) { remembers_ = on; }
  /// View, legend and hem as PNG, SVG or PDF, by the file's ending. Throws Error.
  void savePicture(const QString& file);
  /// What is in sight as a table on the clipboard.
  /// The traces of the selected step below each other, in a window of its own.
  void plotTraces();
  void copyTable();
  QList<QStringList> rowsInSight() const;
  /// The page for what has focus.
  void showHelp();
  QString message() const { return message_->text(); }
  QString headline() const { return headline_->text(); }
  QString probeText() const { return probeCard_->text(); }

protected:
  void closeEvent(QCloseEvent*) override;
  void dragEnterEvent(QDragEnterEvent*) override;
  void dropEvent(QDropEvent*) override;
  bool eventFilter(QObject* of, QEvent* e) override;

private:
  void build();
  void buildTop(QWidget* top);
  QWidget* buildStart();
  QWidget* buildMessages();
  QWidget* buildLeftCopies();
  QWidget* buildStages();
  QLayout* buildCentre();
  QWidget* buildPanel();
  void buildProbes();
  QWidget* buildHem();
  QWidget* buildComparison();
  void buildCommands();
  std::vector<QAction*> buildFileCommands();
  void buildWorkCommands();
  /// The start page, or the work where there is a job or a part.
  void choosePicture();
  void paintPicture(QPainter& p, const QImage& view, const QRectF& page) const;
  void refreshFront();
  std::pair<QString, QString> helpFor(const QWidget* w) const;
  void chooseModel();
  void chooseJob();
  void choosePath();
  std::vector<std::pair<QString, LengthUnit>> unitChoices() const;
  void keepPicture();
  /// Fixtures and blank of the open job.
  void addModels(const std::vector<DroppedModel>& models);
  Evidence beforeJob() const;
  void refreshStage();
  void refreshActions();
  void refreshTop();
  void refreshMeasure();
  void explain(const Snag& snag);
  bool pathsBelong() const;
  /// Path, cutter and stock of the step at the hem's time; whether the stock is still to come.
  bool showPlace(int step);
  /// Turns the part as a clamping holds it.
  void showStanding(int clamping);
  /// Regions and rails with the view's hand.
  void joinDesk();
  void joinHem();
  void joinGround();
  void tellReleased(const QString& folder, const QStringList& files, const QStringList& held);
  /// What is written about the selected step, and painted.
  void refreshWritten();
  void scrub(int step, double time);
  void tell(const QString& text, bool wrong, const QString& action = {}, std::function<void()> run = {});
  void goTo(const Vec3& at, double width, const QString& text);
  void waive();
  void recordRun();
  void chooseLibraries(LibrariesWindow::Page first);
  /// Finishing steps by the balls that Study suggests, each on the ground that is left to it.
  void takeLadder();
  void takeChain();
  void chooseRoughing(const std::vector<RoughingChain>& chains);
  /// The step that bends the work most, cut from the far end.
  void takeStages();
  void takeEntries();
  void takeDirections();
  bool roughs(int step) const;
  bool finishes(int step) const;
  /// Changes the job by what is suggested for the selected step of level roughing; throws its Error.
  void suggestForRoughing(const QString& name, const std::function<Job(const Job&, const JobResult&, std::size_t, std::string&)>& make);
  void advise();
  QAction* command(const QString& name, const QKeySequence& keys, std::function<void()> run);
  bool mayClose();
  /// Saves, asking first where the file on disk is another than was opened. False: it is not saved.
  bool save();
  bool saveAs();
  void tellOwner();
  void tellError(const Error& error);
  void pointAt(int step, const QString& row, const QString& why);

  Desk desk_;
  StockFollower follower_;
  QTimer written_, picture_;
  StartPage* start_ = nullptr;
  QStackedWidget* front_ = nullptr;
  std::optional<std::pair<QString, Vec3>> asked_; ///< a model whose unit nobody has told, and its size
  std::shared_ptr<const OtherPlan> other_;        ///< that is looked at beside the job's own
  bool seesOther_ = false, proposing_ = false;
  QWidget* comparison_ = nullptr;
  QVBoxLayout* comparisonAt_ = nullptr;
  QLabel* compared_ = nullptr;
  bool remembers_ = false;
  bool explained_ = false; ///< paint was put aside for a snag
  int placedStep_ = -1;    ///< whose place the view shows
  Stage stage_ = Stage::Plan;
  Paint paint_ = Paint::StockLeft;
  SurfaceView* view_ = nullptr;
  Hem* hem_ = nullptr;
  Brief* brief_ = nullptr;
  SetUp* setUp_ = nullptr;
  std::vector<DroppedModel> besides_; ///< to be taken when there is a job
  Assumptions* assumptions_ = nullptr;
  Regions* regions_ = nullptr;
  Rails* rails_ = nullptr;
  Ledger* ledger_ = nullptr;
  MicroscopeCard* microscope_ = nullptr;
  QStackedWidget *centre_ = nullptr, *pages_ = nullptr;
  std::vector<QToolButton*> stages_;
  QLabel *question_ = nullptr, *headline_ = nullptr, *message_ = nullptr, *left_ = nullptr, *status_ = nullptr, *probeCard_ = nullptr;
  QWidget *messageBar_ = nullptr, *leftBar_ = nullptr, *evidence_ = nullptr, *probeBox_ = nullptr;
  QPushButton *messageAction_ = nullptr, *cancel_ = nullptr, *jobButton_ = nullptr, *unitButton_ = nullptr;
  QLabel *machine_ = nullptr, *clamping_ = nullptr;
  std::shared_ptr<const ClampingState> standing_;
  QProgressBar* progress_ = nullptr;
  QComboBox *paintBox_ = nullptr, *traceBox_ = nullptr;
  QToolButton *stockButton_ = nullptr, *pathButton_ = nullptr, *ledgerButton_ = nullptr;
  QWidget* stageActions_ = nullptr;
  std::vector<ProbeDot> probes_;
  std::vector<QAction*> commands_;
  std::function<void()> messageRun_;
  QMetaObject::Connection followed_;
};

} // namespace hemline::app
