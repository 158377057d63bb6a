#include "stages/microscope_card.h"
#include "theme.h"
#include <QImage>
#include <QKeyEvent>
#include <QWheelEvent>
#include <cmath>

namespace hemline::app {
namespace {

constexpr std::size_t kPlaces = 96; // on a side of the map
constexpr double kLeast = 0.05, kMost = 20;
constexpr double kMap = 136, kEdge = 12; // px

} // namespace

MicroscopeCard::MicroscopeCard(QWidget* parent) : QWidget(parent) {
  setObjectName("microscope");
  setAccessibleName(tr("Microscope"));
  setFocusPolicy(Qt::StrongFocus);
  resize(sizeHint());
  if (parent) parent->installEventFilter(this);
  setToolTip(tr("Stock-left around the probed place, and the section across the passes. Wheel, + or −: closer or farther."));
  hide();
}

void MicroscopeCard::look(const std::shared_ptr<const Part>& part, const std::shared_ptr<const StepResult>& step, const Vec3& place,
                          LengthUnit unit) {
  const bool other = step != step_;
  part_ = part, step_ = step, place_ = place, unit_ = unit;
  if (other) {
    // About three passes wide.
    double spacing = 0;
    for (const double s : step->planned->spacing) spacing += s;
    const std::size_t n = step->planned->spacing.size();
    side_ = std::clamp(n > 0 ? 3 * spacing / static_cast<double>(n) : 1.0, kLeast, kMost);
  }
  section_ = roughnessAt(*part_, step_->planned->path, step_->assembly.profile, place_);
  measure();
  settle();
  show();
}

void MicroscopeCard::settle() {
  if (const QWidget* p = parentWidget()) move(p->width() - width() - 12, 12);
}

bool MicroscopeCard::eventFilter(QObject* o, QEvent* e) {
  if (o == parentWidget() && e->type() == QEvent::Resize) settle();
  return QWidget::eventFilter(o, e);
}

void MicroscopeCard::forget() {
  part_.reset(), step_.reset();
  hide();
}

void MicroscopeCard::zoom(double factor) {
  side_ = std::clamp(side_ * factor, kLeast, kMost);
  if (step_) measure();
}

void MicroscopeCard::measure() {
  const Path near = movesAround(step_->planned->path, step_->assembly.profile, place_, 0.75 * side_);
  map_ = heightMap(*part_, Sweep(step_->assembly.profile, near), spotAt(*part_, step_->planned->path, place_), side_, kPlaces);
  low_ = kInfinity, high_ = -kInfinity;
  for (const float v : map_.left)
    if (!std::isnan(v)) low_ = std::min(low_, static_cast<double>(v)), high_ = std::max(high_, static_cast<double>(v));
  if (high_ < low_) low_ = high_ = 0;
  update();
}

QString MicroscopeCard::small(double mm) const {
  const double v = unit_ == LengthUnit::Inch ? mm / kInch * 1e4 : mm * 1e3;
  return QString::number(v, 'f', std::abs(v) < 10 ? 2 : 1);
}

QString MicroscopeCard::length(double mm) const {
  return QString::fromStdString(formatLength(mm, unit_, mm < 0.1));
}

void MicroscopeCard::paintMap(QPainter& p, const QRectF& box) const {
  const Theme& t = theme();
  QImage image(static_cast<int>(map_.count), static_cast<int>(map_.count), QImage::Format_RGB32);
  image.fill(t.window);
  const double span = std::max(1e-9, high_ - low_);
  for (std::size_t j = 0; j < map_.count; ++j)
    for (std::size_t i = 0; i < map_.count; ++i)
      if (const double v = static_cast<double>(map_.left[j * map_.count + i]); !std::isnan(v))
        image.setPixelColor(static_cast<int>(i), static_cast<int>(map_.count - 1 - j), plainColour((v - low_) / span));
  p.setRenderHint(QPainter::SmoothPixmapTransform, false);
  p.drawImage(box, image);
  p.setPen(t.hairline);
  p.setBrush(Qt::NoBrush);
  p.drawRect(box);
  // The section's line, and the probed place.
  p.setPen(QPen(t.broken, 1, Qt::DashLine));
  p.drawLine(QPointF(box.center().x(), box.top()), QPointF(box.center().x(), box.bottom()));
  p.setPen(QPen(t.broken, 1.4));
  p.drawEllipse(box.center(), 3, 3);
}

void MicroscopeCard::paintSection(QPainter& p, const QRectF& box) const {
  const Theme& t = theme();
  p.setPen(t.hairline);
  p.setBrush(t.window);
  p.drawRect(box);
  const Section& s = section_.section;
  if (s.left.size() < 2) {
    p.setPen(t.muted);
    p.drawText(box, Qt::AlignCenter, tr("no section: the surface ends here"));
    return;
  }
  const auto [lo, hi] = std::minmax_element(s.left.begin(), s.left.end());
  const double low = *lo, span = std::max(1e-6, *hi - *lo);
  QPolygonF line;
  for (std::size_t i = 0; i < s.left.size(); ++i)
    line << QPointF(box.left() + box.width() * static_cast<double>(i) / static_cast<double>(s.left.size() - 1),
                    box.bottom() - 3 - (s.left[i] - low) / span * (box.height() - 6));
  p.setPen(QPen(t.accent, 1));
  p.setBrush(Qt::NoBrush);
  p.drawPolyline(line);
  const double length = s.step * static_cast<double>(s.left.size() - 1);
  const double here = box.left() - s.first / length * box.width();
  p.setPen(QPen(t.broken, 1, Qt::DashLine));
  p.drawLine(QPointF(here, box.top()), QPointF(here, box.bottom()));
  p.setPen(t.muted);
  const QString most = small(*hi), least = small(*lo);
  for (const auto& [text, top] : {std::pair(most, box.top() + 1), std::pair(least, box.bottom() - 15)}) {
    p.fillRect(QRectF(box.left() + 2, top, p.fontMetrics().horizontalAdvance(text) + 4, 14), t.window);
    p.drawText(QRectF(box.left() + 4, top, 80, 14), Qt::AlignLeft | Qt::AlignVCenter, text);
  }
}

void MicroscopeCard::paintEvent(QPaintEvent*) {
  if (!step_) return;
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const Theme& t = theme();
  const QString unit = unit_ == LengthUnit::Inch ? tr("tenths") : tr("µm");
  paintCard(p, rect(), font(), tr("Microscope"), tr("left, %1; side %2").arg(unit, length(side_)));
  p.translate(kEdge, kEdge - 2);
  const double wide = width() - 2 * kEdge, high = height() - 2 * kEdge;
  const QRectF map(0.5, 22.5, kMap, kMap);
  paintMap(p, map);
  // The scale of the map, then the roughness.
  const double x = map.right() + 10;
  const QRectF bar(x, map.top(), 12, map.height());
  for (int k = 0; k < static_cast<int>(bar.height()); ++k)
    p.fillRect(QRectF(bar.left(), bar.bottom() - k - 1, bar.width(), 1), plainColour(k / bar.height()));
  p.setPen(t.ink);
  p.drawText(QRectF(bar.right() + 4, bar.top() - 3, 60, 14), Qt::AlignLeft, small(high_));
  p.drawText(QRectF(bar.right() + 4, bar.bottom() - 12, 60, 14), Qt::AlignLeft, small(low_));
  const Roughness& r = section_.roughness;
  QStringList lines;
  if (r.known)
    lines << tr("Ra %1 %2").arg(small(r.Ra), unit) << tr("Rq %1 %2").arg(small(r.Rq), unit) << tr("Rz %1 %2").arg(small(r.Rz), unit)
          << tr("cut-off %1").arg(length(r.cutoff)) << tr("%1 of 5 sections").arg(r.sections);
  else
    lines << tr("no roughness:") << tr("no room for a") << tr("section length") << tr("of %1").arg(length(r.cutoff));
  double y = bar.top() + 20;
  for (const QString& line : lines) {
    p.setPen(r.known && y < bar.top() + 60 ? t.ink : t.muted);
    p.drawText(QRectF(bar.right() + 4, y, wide - bar.right() - 4, 16), Qt::AlignLeft, line);
    y += 18;
  }
  const double top = map.bottom() + 6;
  p.setPen(t.muted);
  p.drawText(QRectF(0, top, wide, 16), Qt::AlignLeft | Qt::AlignVCenter, tr("across the passes"));
  const Section& s = section_.section;
  if (s.left.size() > 1)
    p.drawText(QRectF(0, top, wide, 16), Qt::AlignRight | Qt::AlignVCenter,
               tr("%1 long").arg(length(s.step * static_cast<double>(s.left.size() - 1))));
  paintSection(p, QRectF(0.5, top + 18.5, wide - 1, high - top - 18));
  if (hasFocus()) {
    p.setPen(QPen(t.accent, 1, Qt::DotLine));
    p.setBrush(Qt::NoBrush);
    p.drawRect(map.adjusted(2, 2, -2, -2));
  }
}

void MicroscopeCard::wheelEvent(QWheelEvent* e) {
  zoom(std::pow(0.9985, e->angleDelta().y()));
  e->accept();
}

void MicroscopeCard::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_Plus || e->key() == Qt::Key_Minus)
    zoom(e->key() == Qt::Key_Plus ? 0.5 : 2);
  else
    QWidget::keyPressEvent(e);
}

} // namespace hemline::app
