// The legend is the histogram of the painted measure by area on a log scale. Dragging its ends repaints and dims the rest.
#pragma once
#include "view/measures.h"
#include <QWidget>

namespace hemline::app {

class Legend : public QWidget {
  Q_OBJECT
public:
  explicit Legend(QWidget* parent = nullptr);
  void show(const PaintedMeasure& measure);
  double from() const { return from_; }
  double to() const { return to_; }
  QSize sizeHint() const override { return {300, 132}; }

signals:
  void rangeChanged();
  void worstClicked();

protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void keyPressEvent(QKeyEvent*) override;

private:
  void paintClasses(QPainter& p) const;
  QRectF plot() const;
  double valueAt(double x) const;
  double xOf(double value) const;
  PaintedMeasure m_;
  std::vector<double> bins_;
  double from_ = 0, to_ = 1;
  int drag_ = 0; ///< 1 lower end, 2 upper end
};

} // namespace hemline::app
