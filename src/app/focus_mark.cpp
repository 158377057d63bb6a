#include "focus_mark.h"
#include "theme.h"
#include <QApplication>
#include <QEvent>
#include <QPainter>
#include <QScrollArea>

namespace hemline::app {

FocusMark::FocusMark(QWidget* parent) : QWidget(parent), home_(parent) {
  setObjectName("focusMark");
  setAttribute(Qt::WA_TransparentForMouseEvents);
  setFocusPolicy(Qt::NoFocus);
  hide();
  soon_.setSingleShot(true);
  soon_.setInterval(0);
  connect(&soon_, &QTimer::timeout, this, &FocusMark::follow);
  connect(qApp, &QApplication::focusChanged, this, &FocusMark::follow);
  qApp->installEventFilter(this);
}

bool FocusMark::eventFilter(QObject* o, QEvent* e) {
  switch (e->type()) {
  case QEvent::MouseButtonPress:
    keys_ = false;
    soon_.start();
    break;
  case QEvent::KeyPress:
    keys_ = true;
    soon_.start();
    break;
  case QEvent::Move:
  case QEvent::Resize:
  case QEvent::LayoutRequest:
    if (isVisible() && o != this) soon_.start();
    break;
  case QEvent::Hide: // as a child of a dialog that goes it would go with it
    if (o == window() && home_ && o != home_) hide(), setParent(home_);
    if (o != this) soon_.start();
    break;
  default:
    break;
  }
  return QWidget::eventFilter(o, e);
}

void FocusMark::follow() {
  QWidget* of = QApplication::focusWidget();
  if (!keys_ || !of || of->isWindow() || !of->isVisible()) return hide();
  if (of != last_) // scroll areas do so for what comes from within themselves only
    for (QWidget* p = of->parentWidget(); p; p = p->parentWidget())
      if (auto* area = qobject_cast<QScrollArea*>(p)) area->ensureWidgetVisible(of, 8, 8);
  last_ = of;
  // As much of it as its parents let be seen, with a rim of two pixels.
  QRect seen(of->mapTo(of->window(), QPoint()), of->size());
  for (const QWidget* p = of->parentWidget(); p; p = p->isWindow() ? nullptr : p->parentWidget())
    seen &= QRect(p->isWindow() ? QPoint() : p->mapTo(of->window(), QPoint()), p->size());
  if (seen.isEmpty()) return hide();
  if (parentWidget() != of->window()) setParent(of->window());
  setGeometry(seen.adjusted(-2, -2, 2, 2));
  raise();
  show();
  update();
}

void FocusMark::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(QPen(theme().accent, 2));
  p.drawRoundedRect(QRectF(rect()).adjusted(1, 1, -1, -1), 3, 3);
}

} // namespace hemline::app
