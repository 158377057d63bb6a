// How plots look in the theme.
#pragma once
#include "theme.h"
#include <qcustomplot.h>

namespace hemline::app {

inline void dress(QCPAxis* axis) {
  const Theme& t = theme();
  axis->setBasePen(QPen(t.ink));
  axis->setTickPen(QPen(t.ink)), axis->setSubTickPen(QPen(t.muted));
  axis->setTickLabelColor(t.ink), axis->setLabelColor(t.ink);
  axis->grid()->setPen(QPen(t.hairline, 1)), axis->grid()->setZeroLinePen(QPen(t.hairline, 1));
}

} // namespace hemline::app
