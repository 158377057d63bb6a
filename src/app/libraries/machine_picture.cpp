#include "libraries/machine_picture.h"
#include "theme.h"
#include <QPainter>

namespace hemline::app {
namespace {
constexpr double kMargin = 14, kWords = 40; // px
}

MachinePicture::MachinePicture(LengthUnit unit, QWidget* parent) : QWidget(parent), unit_(unit) {
  setObjectName("machinePicture");
  setMinimumWidth(280);
}

void MachinePicture::show(const Machine* machine) {
  machine_ = machine ? std::optional(*machine) : std::nullopt;
  if (machine_) {
    const auto travel = [&](std::size_t a) { return machine_->axis[a].high - machine_->axis[a].low; };
    setAccessibleName(
        tr("%1 from its front, to scale: the tip gets about in %2")
            .arg(QString::fromStdString(machine_->name), QString::fromStdString(formatSize(travel(0), travel(1), travel(2), unit_))));
  } else
    setAccessibleName(tr("Nothing is chosen"));
  update();
}

void MachinePicture::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const Theme& t = theme();
  const QRectF inside = paintGround(p, rect(), kMargin);
  if (!machine_) {
    p.drawText(inside, Qt::AlignCenter | Qt::TextWordWrap, tr("Choose a machine: it is drawn to scale."));
    return;
  }
  const Machine& m = *machine_;
  p.setPen(t.ink);
  p.drawText(inside, Qt::AlignTop | Qt::AlignLeft | Qt::TextWordWrap, QString::fromStdString(m.name));
  // All in the table's frame, seen along Y: the tip's travel, the table, the nose at the upper end of the travel.
  QRectF tip(QPointF(m.axis[0].low, m.axis[2].low), QPointF(m.axis[0].high, m.axis[2].high));
  const bool table = m.table.size().minCoeff() > 0;
  const QRectF plate(QPointF(m.table.low.x(), m.table.low.z()), QPointF(m.table.high.x(), m.table.high.z()));
  double noseHeight = 0, noseRadius = 0;
  for (const HolderPart& n : m.nose) noseHeight = std::max(noseHeight, n.z1), noseRadius = std::max({noseRadius, n.r0, n.r1});
  QRectF all = tip.adjusted(0, 0, 0, noseHeight);
  if (table) all = all.united(plate);
  const QRectF room = inside.adjusted(0, kWords, 0, -kWords);
  const double scale = std::min(room.width() / all.width(), room.height() / all.height());
  const auto at = [&](double x, double z) {
    return QPointF(room.center().x() + scale * (x - all.center().x()), room.center().y() - scale * (z - all.center().y()));
  };
  const auto box = [&](const QRectF& r) { return QRectF(at(r.left(), r.bottom()), at(r.right(), r.top())); };
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(t.accent, 1, Qt::DashLine));
  p.drawRect(box(tip));
  p.setPen(QPen(t.ink, 1));
  p.setBrush(t.hairline);
  if (table) p.drawRect(box(plate));
  p.setBrush(t.window);
  for (const HolderPart& n : m.nose) {
    const double top = m.axis[2].high, x = tip.center().x();
    p.drawPolygon(QPolygonF{at(x - n.r0, top + n.z0), at(x + n.r0, top + n.z0), at(x + n.r1, top + n.z1), at(x - n.r1, top + n.z1)});
  }
  const auto length = [&](double mm) {
    const bool inch = unit_ == LengthUnit::Inch;
    return tr("%1 %2").arg(inch ? mm / kInch : mm, 0, 'g', 4).arg(inch ? tr("in") : tr("mm"));
  };
  p.setPen(t.accent);
  p.drawText(box(tip).adjusted(6, 4, -6, -4), Qt::AlignBottom | Qt::AlignLeft,
             tr("the tip: X %1, Z %2").arg(length(tip.width()), length(tip.height())));
  p.setPen(t.muted);
  p.drawText(inside, Qt::AlignBottom | Qt::AlignLeft | Qt::TextWordWrap,
             (table ? m.tableRadius > 0 ? tr("table ⌀ %1").arg(length(2 * m.tableRadius))
                                        : tr("table %1 × %2").arg(length(m.table.size().x()), length(m.table.size().y()))
                    : tr("the table is not told")) +
                 (m.nose.empty() ? tr("; the spindle nose is not told") : QString()));
}

} // namespace hemline::app
