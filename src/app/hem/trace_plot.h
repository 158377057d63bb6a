// Traces of a step below each other over its time, to be zoomed, followed and printed.
#pragma once
#include "hem/hem.h"
#include <QDialog>

class QCustomPlot;
class QListWidget;
class QCPItemStraightLine;

namespace hemline::app {

class TracePlot : public QDialog {
  Q_OBJECT
public:
  /// Follows the hem's step and its scrubber; a click moves the scrubber.
  TracePlot(Desk& desk, Hem& hem, QWidget* parent);
  void show(const std::vector<Trace>& traces);
  /// Throws Error: it cannot be written. PNG, SVG or PDF by the name's ending.
  void save(const QString& file);
  /// The values as rows: time, then each trace; empty where it has none at that time.
  QList<QStringList> rows() const;
  QCustomPlot* plot() { return plot_; }

private:
  void rebuild();
  void follow();
  std::vector<Trace> chosen() const;
  Desk& desk_;
  Hem& hem_;
  QListWidget* list_;
  QCustomPlot* plot_;
  std::vector<QCPItemStraightLine*> cursors_;
  std::shared_ptr<const StepResult> drawn_;
};

} // namespace hemline::app
