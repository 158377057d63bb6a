// The hem: all steps in one band by time, the selected step to scale below it with one trace, snags and the scrubber.
#pragma once
#include "desk.h"
#include "hem/trace.h"
#include <QWidget>

namespace hemline::app {

struct Snag {
  int step = 0;
  double time = 0; ///< within the step; what holds for the whole step lies at its end
  Vec3 at = Vec3::Zero();
  QString text, row; ///< `row`: the row of the brief that is responsible
  int count = 1;
  double severity = 0; ///< how many times over the promise; a motion that is not clear is above all
};

/// The snags of everything that is known now, in order of step and time.
std::vector<Snag> findSnags(const Desk& desk);

class Hem : public QWidget {
  Q_OBJECT
public:
  explicit Hem(Desk& desk, QWidget* parent = nullptr);
  int selected() const { return selected_; }
  void select(int step, double time = 0);
  double time() const { return time_; }
  /// Moves the cutter to a time of the selected step.
  void scrub(double time);
  void setTrace(Trace trace);
  void play(bool on);
  bool playing() const { return timer_.isActive(); }
  void nextSnag();
  void stepLocation(int by);
  QRectF snagRect(std::size_t i) const; ///< where snag i is drawn (for tests)
  const std::vector<Snag>& snags() const { return snags_; }
  QRectF block(std::size_t step) const { return blocks_.at(step); } ///< in the upper band (for tests)
  /// What dropping the step that is being dragged would mean; empty: none is dragged.
  const QString& dropMeans() const { return means_; }
  QSize sizeHint() const override { return {800, 120}; }

signals:
  void selectedStep(int step);
  void scrubbed(int step, double time, bool playing);
  void snagChosen(const Snag& snag);
  void addAsked(int place); ///< a step, from 0

protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void contextMenuEvent(QContextMenuEvent*) override;
  void wheelEvent(QWheelEvent*) override;
  void keyPressEvent(QKeyEvent*) override;
  bool event(QEvent*) override;

private:
  void refresh();
  void layoutSteps();
  QRectF lower() const;
  double xOf(double time) const;
  void paintSteps(QPainter& p) const;
  void paintTrace(QPainter& p, const QRectF& low) const;
  void paintTimes(QPainter& p, const QRectF& low, double total) const;
  void paintSnags(QPainter& p, const QRectF& low) const;
  void paintLower(QPainter& p) const;
  void paintDrag(QPainter& p) const;
  void drag(const QPointF& at);
  void drop(bool take);
  double timeAt(double x) const;
  const StepResult* result(int step) const;
  void rebuildTrace();

  Desk& desk_;
  int selected_ = 0;
  double time_ = 0, viewFrom_ = 0, viewTo_ = 1;
  Trace trace_ = Trace::Feed;
  std::vector<QRectF> blocks_;
  std::vector<char> pleated_;
  int dragged_ = -1, dropAt_ = -1; ///< step, and its new place; -1: none
  bool breaks_ = false;            ///< something makes no sense there
  QString means_;
  QPointF pressed_;
  std::vector<Snag> snags_;
  std::size_t snagAt_ = static_cast<std::size_t>(-1); ///< gone to last; none yet
  TraceLine line_;
  const StepResult* traced_ = nullptr;
  QTimer timer_;
};

} // namespace hemline::app
