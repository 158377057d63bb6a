// Finishing patterns for a step side by side, each planned coarsely on its ground; one is taken.
#pragma once
#include "desk.h"
#include "view/part_drawing.h"
#include "view/picture_maker.h"
#include <QDialog>

class QGridLayout;
class QLabel;
class QScrollArea;

namespace hemline::app {

class PatternsPage : public QDialog {
  Q_OBJECT
public:
  /// Shows what the desk finds for the step, one by one (Desk::proposeFinish). It closes when the job changes.
  PatternsPage(Desk& desk, std::size_t step, QWidget* parent = nullptr);
  bool planning() const { return planning_; }
  /// Are drawings still being made?
  bool drawing() { return pictures_.busy(); }

signals:
  void told(const QString& what);

private:
  struct Row {
    FinishWay way;
    QLabel* picture;
  };
  void add(const FinishWay& way);
  void refresh();
  void fill(QGridLayout& grid, int r, const Row& row, bool best);
  void take(const FinishWay& way);

  Desk& desk_;
  std::size_t step_;
  bool planning_ = true;
  std::vector<Row> rows_;                ///< the best first
  std::unique_ptr<PartDrawing> drawing_; ///< of the thread that makes pictures
  QLabel* state_;
  QScrollArea* scroll_;
  PictureMaker pictures_; ///< last, so that it stops first
};

} // namespace hemline::app
