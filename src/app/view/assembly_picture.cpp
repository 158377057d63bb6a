#include "view/assembly_picture.h"
#include "base/error.h"
#include "theme.h"
#include <QPainter>
#include <algorithm>

namespace hemline::app {
namespace {

constexpr double kMargin = 14, kText = 104; // px; what is told stands on the right
constexpr double kApart = 15;               // px between two lines of text
constexpr int kArc = 16;                    // pieces of an arc

/// The cutting part from tip to lid.
std::vector<Vec2> silhouette(const Profile& profile) {
  std::vector<Vec2> out{{0, 0}};
  for (const ProfilePiece& p : profile.pieces()) {
    for (int k = 1; p.radius > 0 && k < kArc; ++k) {
      const double angle = p.angleA + (p.angleB - p.angleA) * k / kArc;
      out.push_back(p.center + p.radius * Vec2(std::sin(angle), -std::cos(angle)));
    }
    out.push_back(p.b);
  }
  return out;
}

} // namespace

AssemblyPicture::AssemblyPicture(QWidget* parent) : QWidget(parent) {
  setObjectName("assemblyPicture");
  setMinimumWidth(220);
}

void AssemblyPicture::setUnit(LengthUnit unit) {
  unit_ = unit;
  const auto cutter = cutter_;
  const auto holder = holder_;
  show(cutter ? &*cutter : nullptr, holder ? &*holder : nullptr, stickOut_);
}

void AssemblyPicture::show(const Cutter* cutter, const Holder* holder, double stickOut) {
  cutter_ = cutter ? std::optional(*cutter) : std::nullopt;
  holder_ = holder ? std::optional(*holder) : std::nullopt;
  stickOut_ = stickOut;
  shapes_.clear(), sizes_.clear(), words_.clear(), wrong_.clear();
  const auto length = [&](double mm) {
    const bool inch = unit_ == LengthUnit::Inch;
    return tr("%1 %2").arg(inch ? mm / kInch : mm, 0, 'g', 4).arg(inch ? tr("in") : tr("mm"));
  };
  const auto frustum = [&](double z0, double r0, double z1, double r1, int kind) { shapes_.push_back({{{r0, z0}, {r1, z1}}, kind}); };
  if (cutter_) words_ = QString::fromStdString(cutter_->name);
  if (holder_) words_ += (words_.isEmpty() ? "" : tr(" in ")) + QString::fromStdString(holder_->name);
  try {
    if (cutter_) {
      const Cutter& c = *cutter_;
      shapes_.push_back({silhouette(makeProfile(c)), 3});
      const Assembly a = hemline::assemble(c, holder_ ? *holder_ : Holder{"none", {{0, c.shankDiameter / 2, 1, c.shankDiameter / 2}}},
                                           holder_ ? stickOut : c.length);
      for (const Body& b : a.bodies)
        if (b.kind < 2 || (b.kind == 2 && holder_)) frustum(b.z0, b.r0, b.z1, b.r1, b.kind);
      sizes_.push_back({0, tr("⌀ %1").arg(length(c.diameter))});
      if (c.corner > 0) sizes_.push_back({c.corner, tr("r %1").arg(length(c.corner))});
      sizes_.push_back({c.fluteLength, tr("flutes %1").arg(length(c.fluteLength))});
      if (c.neckLength > c.fluteLength) sizes_.push_back({c.neckLength, tr("neck %1").arg(length(c.neckLength))});
      if (holder_)
        sizes_.push_back({stickOut, tr("%1 out").arg(length(stickOut))});
      else
        sizes_.push_back({c.length, tr("long %1").arg(length(c.length))});
    } else if (holder_) {
      for (const HolderPart& p : holder_->parts) frustum(p.z0, p.r0, p.z1, p.r1, 2);
    }
    if (holder_) {
      const double face = cutter_ ? stickOut : 0;
      const auto widest = std::max_element(holder_->parts.begin(), holder_->parts.end(), [](const HolderPart& a, const HolderPart& b) {
        return std::max(a.r0, a.r1) < std::max(b.r0, b.r1);
      });
      if (widest != holder_->parts.end())
        sizes_.push_back({face + (widest->z0 + widest->z1) / 2, tr("⌀ %1").arg(length(2 * std::max(widest->r0, widest->r1)))});
      if (!cutter_ && holder_->boreTo > 0)
        sizes_.push_back({0, holder_->boreFrom < holder_->boreTo
                                 ? tr("bore %1 to %2").arg(length(holder_->boreFrom), length(holder_->boreTo))
                                 : tr("bore %1").arg(length(holder_->boreTo))});
    }
  } catch (const Error& e) { // it cannot be as its numbers are
    shapes_.clear(), sizes_.clear();
    wrong_ = QString::fromStdString(e.happened);
  }
  QStringList told;
  for (const Size& s : sizes_) told << s.text;
  setAccessibleName(words_.isEmpty()    ? tr("Nothing is chosen")
                    : !wrong_.isEmpty() ? tr("%1 cannot be drawn: %2").arg(words_, wrong_)
                                        : tr("%1 to scale: %2").arg(words_, told.join(", ")));
  update();
}

void AssemblyPicture::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const Theme& t = theme();
  const QRectF inside = paintGround(p, rect(), kMargin);
  if (shapes_.empty()) {
    p.drawText(inside, Qt::AlignCenter | Qt::TextWordWrap,
               wrong_.isEmpty() ? tr("Choose a cutter or a holder: it is drawn to scale.") : wrong_);
    return;
  }
  p.setPen(t.ink);
  p.drawText(inside, Qt::AlignTop | Qt::AlignLeft | Qt::TextWordWrap, words_);
  const QRectF room = inside.adjusted(0, 36, -kText, 0);
  double wide = 1, low = kInfinity, high = -kInfinity;
  for (const Shape& s : shapes_)
    for (const Vec2& q : s.half) wide = std::max(wide, q.x()), low = std::min(low, q.y()), high = std::max(high, q.y());
  const double scale = std::min(room.width() / (2 * wide), room.height() / std::max(1e-3, high - low));
  const double middle = room.center().x(), foot = room.bottom() - (room.height() - scale * (high - low)) / 2;
  const auto at = [&](double r, double z) { return QPointF(middle + scale * r, foot - scale * (z - low)); };
  for (const Shape& s : shapes_) {
    QPolygonF outline;
    for (const Vec2& q : s.half) outline << at(q.x(), q.y());
    for (auto q = s.half.rbegin(); q != s.half.rend(); ++q) outline << at(-q->x(), q->y());
    p.setPen(QPen(t.ink, 1));
    p.setBrush(s.kind == 3 ? t.accent : s.kind == 2 ? t.window : t.hairline);
    p.drawPolygon(outline);
  }
  p.setPen(QPen(t.muted, 1, Qt::DashDotLine));
  p.drawLine(at(0, low - 2 / scale), at(0, high + 2 / scale));
  // Sizes at their height, none over another.
  auto sizes = sizes_;
  std::sort(sizes.begin(), sizes.end(), [](const Size& a, const Size& b) { return a.z < b.z; });
  double below = foot + kApart;
  for (const Size& s : sizes) {
    const double y = std::min(at(0, s.z).y(), below - kApart);
    below = y;
    p.setPen(QPen(t.hairline, 1));
    p.drawLine(QPointF(middle + 2, at(0, s.z).y()), QPointF(room.right() + 6, y));
    p.setPen(t.ink);
    p.drawText(QRectF(room.right() + 10, y - 9, kText - 8, 18), Qt::AlignLeft | Qt::AlignVCenter,
               p.fontMetrics().elidedText(s.text, Qt::ElideRight, static_cast<int>(kText) - 8));
  }
}

} // namespace hemline::app
