#include "view/legend.h"
#include "theme.h"
#include <QMouseEvent>
#include <cmath>

namespace hemline::app {
namespace {
constexpr int kBins = 56;
}

Legend::Legend(QWidget* parent) : QWidget(parent) {
  setObjectName("legend");
  setMouseTracking(true);
  setFocusPolicy(Qt::StrongFocus);
  setToolTip(tr("Area by value, on a log scale. Drag the ends to look at a part of the range; double ends with Home."));
}

void Legend::show(const PaintedMeasure& m) {
  const bool same = m.kind == m_.kind;
  const double oldSpan = m_.high - m_.low, a = (from_ - m_.low) / oldSpan, b = (to_ - m_.low) / oldSpan;
  m_ = m;
  // The same measure keeps what share of its range is looked at.
  from_ = same ? m.low + a * (m.high - m.low) : m.low;
  to_ = same ? m.low + b * (m.high - m.low) : m.high;
  bins_.assign(kBins, 0);
  if (!m.classes)
    for (std::size_t t = 0; t < m.values.size(); ++t)
      if (!std::isnan(m.values[t])) {
        const int k = static_cast<int>((static_cast<double>(m.values[t]) - m.low) / (m.high - m.low) * kBins);
        bins_[static_cast<std::size_t>(std::clamp(k, 0, kBins - 1))] += static_cast<double>(m.area[t]);
      }
  setVisible(m.kind != Paint::Plain);
  setAccessibleName(tr("Legend of %1").arg(m.name));
  setAccessibleDescription(m.none.isEmpty() ? tr("from %1 to %2 %3").arg(m.low).arg(m.high).arg(m.unit) : m.none);
  update();
}

QRectF Legend::plot() const {
  return QRectF(12, 30, width() - 24, height() - 76);
}
double Legend::valueAt(double x) const {
  return m_.low + (x - plot().left()) / plot().width() * (m_.high - m_.low);
}
double Legend::xOf(double v) const {
  return plot().left() + (v - m_.low) / (m_.high - m_.low) * plot().width();
}

void Legend::paintClasses(QPainter& p) const {
  const Theme& t = theme();
  const bool regions = m_.kind == Paint::Regions; // else coverage, whose first class is wrong
  constexpr double kShare[2][4] = {{0, 0.75, 0.1, 1}, {0.05, 0.4, 0.9, 1}};
  std::array<double, 4> area{};
  for (std::size_t k = 0; k < m_.values.size(); ++k) area[static_cast<std::size_t>(m_.values[k])] += static_cast<double>(m_.area[k]);
  for (int k = 0; k < 4 && !m_.classNames.value(k).isEmpty(); ++k) {
    const QRectF box(12, 32 + 28 * k, 16, 16);
    p.setPen(t.ink);
    p.setBrush(regions || (k > 0 && k < 3) ? plainColour(kShare[regions][k]) : k == 0 ? t.broken : signedColour(0.5));
    p.drawRect(box);
    if (k == 0 && !regions) p.drawLine(box.topLeft(), box.bottomRight());
    p.setPen(t.ink);
    p.drawText(QRectF(38, 30 + 28 * k, width() - 50, 20), Qt::AlignLeft | Qt::AlignVCenter,
               fontMetrics().elidedText(m_.classNames[k], Qt::ElideRight, width() - 110));
    p.drawText(QRectF(38, 30 + 28 * k, width() - 50, 20), Qt::AlignRight | Qt::AlignVCenter,
               QString::number(area[static_cast<std::size_t>(k)] / (m_.lengths == LengthUnit::Inch ? kInch * kInch : 100), 'f',
                               m_.lengths == LengthUnit::Inch ? 2 : 1));
  }
}

void Legend::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const Theme& t = theme();
  const QString remark = m_.coarse    ? tr("first answer")
                         : m_.stale   ? tr("stale")
                         : m_.classes ? m_.lengths == LengthUnit::Inch ? tr("area, in²") : tr("area, cm²")
                                      : tr("area, log scale");
  paintCard(p, rect(), font(), m_.name + (m_.unit.isEmpty() ? "" : " (" + m_.unit + ")"), remark);
  if (!m_.none.isEmpty()) {
    p.setPen(t.ink);
    p.drawText(rect().adjusted(12, 26, -12, -12), Qt::AlignCenter | Qt::TextWordWrap, m_.none);
    return;
  }
  const QRectF r = plot();
  if (m_.classes) return paintClasses(p);
  double most = 1e-9, least = kInfinity;
  for (const double a : bins_)
    if (a > 0) most = std::max(most, a), least = std::min(least, a);
  const double span = std::max(1.0, std::log10(most / least) + 0.3);
  for (int k = 0; k < kBins; ++k) {
    const double a = bins_[static_cast<std::size_t>(k)];
    if (!(a > 0)) continue;
    const double h = std::max(2.0, r.height() * (1 - std::log10(most / a) / span)), mid = m_.low + (k + 0.5) / kBins * (m_.high - m_.low);
    QColor c;
    if (m_.isSigned) {
      const double promise = m_.promise.value_or(0), wide = std::max(std::abs(to_), std::abs(from_));
      c = signedColour(mid < m_.deep    ? std::min(-0.25, (mid - m_.deep) / wide)
                       : mid <= promise ? 0
                                        : (mid - promise) / std::max(1e-9, to_ - promise));
    } else
      c = plainColour(to_ <= from_ ? 0.5 : m_.lowIsWorst ? (to_ - mid) / (to_ - from_) : (mid - from_) / (to_ - from_));
    if (mid < from_ || mid > to_) c = t.hairline;
    p.fillRect(QRectF(r.left() + r.width() * k / kBins, r.bottom() - h, r.width() / kBins - 1, h), c);
  }
  p.setPen(QPen(t.ink, 1));
  p.drawLine(r.bottomLeft(), r.bottomRight());
  for (const double v : {from_, to_}) { // the ends that can be dragged
    const double x = xOf(v);
    p.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom() + 4));
    p.setBrush(t.accent);
    p.drawEllipse(QPointF(x, r.bottom() + 4), 4, 4);
  }
  if (m_.promise && *m_.promise >= m_.low && *m_.promise <= m_.high) {
    const double x = xOf(*m_.promise);
    p.setPen(QPen(t.broken, 1.5, Qt::DashLine));
    p.drawLine(QPointF(x, r.top() - 4), QPointF(x, r.bottom()));
    p.setPen(t.ink);
    const bool left = x - r.left() < 60; // its word stands where there is room for it
    p.drawText(QRectF(left ? x : x - 100, r.bottom() + 8, 100, 16), left ? Qt::AlignLeft : Qt::AlignRight, tr("promise"));
  }
  const int digits = m_.high - m_.low > 50 ? 0 : m_.lowIsWorst && m_.high - m_.low < 2 ? 3 : 1;
  p.setPen(t.ink);
  const QString begins = QString::number(std::abs(from_) < 0.5 * std::pow(10, -digits) ? 0 : from_, 'f', digits); // no "-0"
  const bool room = !m_.promise || *m_.promise < m_.low || xOf(*m_.promise) - r.left() > p.fontMetrics().horizontalAdvance(begins) + 4 ||
                    xOf(*m_.promise) - r.left() >= 60;
  if (room) p.drawText(QRectF(r.left(), r.bottom() + 8, r.width(), 16), Qt::AlignLeft, begins);
  if (!m_.promise || xOf(to_) - xOf(*m_.promise) > 40 || to_ < *m_.promise)
    p.drawText(QRectF(r.left(), r.bottom() + 8, r.width(), 16), Qt::AlignRight,
               (m_.lowIsWorst && to_ >= m_.high ? "≥ " : "") + QString::number(to_, 'f', digits));
  const QString words = (m_.kind == Paint::Slope        ? tr("steepest %1%2 at %3")
                         : m_.kind == Paint::TiltNeeded ? tr("most %1%2 at %3")
                         : m_.kind == Paint::Draft      ? tr("least %1%2 at %3")
                         : m_.kind == Paint::Difference ? tr("most more: %1 %2 at %3")
                         : m_.lowIsWorst                ? tr("tightest %1 %2 at %3")
                                                        : tr("worst %1 %2 at %3"))
                            .arg(m_.worst, 0, 'f', digits)
                            .arg(m_.unit, QString::fromStdString(formatPlace(m_.worstAt.x(), m_.worstAt.y(), m_.worstAt.z(), m_.lengths)));
  p.setPen(t.accent);
  p.drawText(QRectF(12, height() - 22, width() - 24, 18), Qt::AlignLeft, fontMetrics().elidedText(words, Qt::ElideRight, width() - 24));
}

void Legend::mousePressEvent(QMouseEvent* e) {
  if (m_.classes || !m_.none.isEmpty()) return;
  if (e->position().y() > height() - 24) {
    emit worstClicked();
    return;
  }
  drag_ = std::abs(e->position().x() - xOf(from_)) <= std::abs(e->position().x() - xOf(to_)) ? 1 : 2;
  mouseMoveEvent(e);
}

void Legend::mouseMoveEvent(QMouseEvent* e) {
  if (drag_ == 0) return;
  const double v = std::clamp(valueAt(e->position().x()), m_.low, m_.high), gap = 0.01 * (m_.high - m_.low);
  if (drag_ == 1)
    from_ = std::min(v, to_ - gap);
  else
    to_ = std::max(v, from_ + gap);
  update();
  emit rangeChanged();
}

void Legend::mouseReleaseEvent(QMouseEvent*) {
  drag_ = 0;
}

void Legend::keyPressEvent(QKeyEvent* e) {
  const double step = 0.02 * (m_.high - m_.low);
  switch (e->key()) {
  case Qt::Key_Left:
    to_ = std::max(from_ + step, to_ - step);
    break;
  case Qt::Key_Right:
    to_ = std::min(m_.high, to_ + step);
    break;
  case Qt::Key_Home:
    from_ = m_.low, to_ = m_.high;
    break;
  case Qt::Key_Return:
    emit worstClicked();
    return;
  default:
    QWidget::keyPressEvent(e);
    return;
  }
  update();
  emit rangeChanged();
}

} // namespace hemline::app
