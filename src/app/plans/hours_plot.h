// How long a finishing step would take at other cusps: its curve, the promise and the knee on it; another cusp is promised from here.
#pragma once
#include "desk.h"
#include "plan/hours_of_cusp.h"
#include <QDialog>

class QCustomPlot;
class QCPItemTracer;
class QLabel;
class QPushButton;

namespace hemline::app {

class HoursPlot : public QDialog {
  Q_OBJECT
public:
  /// `hours`: of the job's step as it is; it closes when the job changes.
  HoursPlot(Desk& desk, std::size_t step, HoursOfCusp hours, QWidget* parent = nullptr);
  /// Looks at a cusp, mm, as a click in the plot does.
  void choose(double cusp);
  QCustomPlot* plot() { return plot_; }

signals:
  void told(const QString& what);

private:
  void draw();
  void keyPressEvent(QKeyEvent* e) override;

  Desk& desk_;
  std::size_t step_;
  HoursOfCusp hours_;
  double chosen_;
  QCustomPlot* plot_;
  QCPItemTracer* tracer_ = nullptr;
  QLabel* words_;
  QPushButton* take_;
};

} // namespace hemline::app
