#include "tally.h"
#include "theme.h"
#include <QPainter>

namespace hemline::app {

Tally::Tally(Desk& desk, QWidget* parent) : QWidget(parent), desk_(desk) {
  setObjectName("tally");
  setFixedHeight(28);
  setFixedWidth(270);
  setToolTip(tr("Promises of the job as it is now: kept, broken, not known. What can never be waived counts as broken."));
  connect(&desk_, &Desk::resultsChanged, this, qOverload<>(&QWidget::update));
}

void Tally::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const auto n = desk_.tally();
  const QStringList words{tr("kept"), tr("broken"), tr("not known"), tr("waived")};
  int x = width();
  for (const int k : {2, 3, 1, 0}) {
    if (k == 3 && n[3] == 0) continue;
    const bool none = n[static_cast<std::size_t>(k)] == 0;
    const QString text = QString("%1 %2").arg(words[k]).arg(n[static_cast<std::size_t>(k)]);
    const int w = p.fontMetrics().horizontalAdvance(text) + 26;
    x -= w;
    p.setOpacity(none ? 0.55 : 1);
    paintVerdict(p, QRectF(x, 6, 16, 16), k == 1 && none ? 4 : k);
    p.setPen(k == 1 && n[1] > 0 ? theme().broken : theme().ink);
    p.drawText(QRectF(x + 19, 0, w, 28), Qt::AlignVCenter, text);
  }
}

} // namespace hemline::app
