#include "theme.h"
#include <QApplication>
#include <QFile>
#include <QFontDatabase>
#include <QLabel>
#include <QPalette>
#include <QSvgRenderer>
#include <cmath>

namespace hemline::app {
namespace {

Theme current;

QColor mix(const QColor& a, const QColor& b, double t) {
  t = std::clamp(t, 0.0, 1.0);
  const auto part = [&](int x, int y) { return static_cast<int>(std::lround(x + t * (y - x))); };
  return QColor(part(a.red(), b.red()), part(a.green(), b.green()), part(a.blue(), b.blue()));
}

} // namespace

const Theme& theme() {
  return current;
}

void setTheme(bool dark) {
  Theme& t = current;
  t.dark = dark;
  t.window = QColor(dark ? "#1B1E26" : "#F3F1EC"), t.panel = QColor(dark ? "#242833" : "#FBFAF7");
  t.ink = QColor(dark ? "#E8E6E1" : "#1F2430"), t.muted = QColor(dark ? "#A4A9B6" : "#5B6170");
  t.hairline = QColor(dark ? "#3A4050" : "#D8D3C8"), t.accent = QColor(dark ? "#93A4F0" : "#3A4FA3");
  t.broken = QColor(dark ? "#F08A5D" : "#B4431F");
  t.linen = QColor("#EDE6D6"), t.indigo = QColor("#26357F"), t.plum = QColor("#6E1F5C"), t.ochre = QColor("#B07A12");
}

void applyTheme() {
  static const int font = QFontDatabase::addApplicationFont(":/font/Inter-Regular.otf");
  static const int bold = QFontDatabase::addApplicationFont(":/font/Inter-SemiBold.otf");
  Q_UNUSED(bold);
  qApp->setStyle("Fusion");
  QFont f(font >= 0 ? QFontDatabase::applicationFontFamilies(font).value(0) : QStringLiteral("Inter"));
  f.setPixelSize(13);
  qApp->setFont(f);
  const Theme& t = current;
  QPalette p;
  p.setColor(QPalette::Window, t.window);
  p.setColor(QPalette::Base, t.panel);
  p.setColor(QPalette::AlternateBase, t.window);
  p.setColor(QPalette::Button, t.panel);
  for (const auto role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText, QPalette::ToolTipText}) p.setColor(role, t.ink);
  p.setColor(QPalette::ToolTipBase, t.panel);
  p.setColor(QPalette::PlaceholderText, t.muted);
  p.setColor(QPalette::Highlight, t.accent);
  p.setColor(QPalette::HighlightedText, t.panel);
  p.setColor(QPalette::Link, t.accent);
  for (const auto role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText}) p.setColor(QPalette::Disabled, role, t.muted);
  qApp->setPalette(p);
  QFile sheet(":/style.qss");
  if (!sheet.open(QIODevice::ReadOnly)) return;
  QString s = QString::fromUtf8(sheet.readAll());
  for (const auto& [name, colour] :
       {std::pair("@window", t.window), std::pair("@panel", t.panel), std::pair("@ink", t.ink), std::pair("@muted", t.muted),
        std::pair("@hairline", t.hairline), std::pair("@accent", t.accent), std::pair("@broken", t.broken)})
    s.replace(QLatin1String(name), colour.name());
  qApp->setStyleSheet(s);
}

QColor plainColour(double t) {
  return mix(current.linen, current.indigo, t);
}

QColor signedColour(double t) {
  return t < 0 ? mix(current.linen, current.plum, -t) : mix(current.linen, current.ochre, t);
}

QIcon icon(const QString& name) {
  QFile file(":/icons/" + name + ".svg");
  if (!file.open(QIODevice::ReadOnly)) return {};
  const QByteArray svg = file.readAll().replace("currentColor", current.ink.name().toUtf8());
  QSvgRenderer renderer(svg);
  QIcon out;
  for (const int size : {16, 24, 48}) {
    QPixmap pixmap(size, size);
    pixmap.fill(Qt::transparent);
    QPainter p(&pixmap);
    renderer.render(&p);
    out.addPixmap(pixmap);
  }
  return out;
}

void paintCard(QPainter& p, const QRect& box, const QFont& font, const QString& title, const QString& remark) {
  const Theme& t = theme();
  p.setPen(t.hairline);
  p.setBrush(t.panel);
  p.drawRoundedRect(box.adjusted(0, 0, -1, -1), 4, 4);
  const QRectF line(box.left() + 12, box.top() + 6, box.width() - 24, 18);
  QFont bold = font;
  bold.setWeight(QFont::DemiBold);
  p.setFont(bold);
  p.setPen(t.ink);
  p.drawText(line, Qt::AlignLeft, title);
  p.setFont(font);
  p.setPen(t.muted);
  p.drawText(line, Qt::AlignRight, remark);
}

QRectF paintGround(QPainter& p, const QRect& box, double margin) {
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(current.hairline);
  p.setBrush(current.panel);
  p.drawRect(box.adjusted(0, 0, -1, -1));
  p.setPen(current.muted);
  return QRectF(box).adjusted(margin, margin, -margin, -margin);
}

void paintVerdict(QPainter& p, const QRectF& box, int verdict) {
  // 0 kept, 1 broken, 2 not known, 3 waived, 4 broken in ink (there is none)
  p.save();
  p.setRenderHint(QPainter::Antialiasing);
  const QRectF b = box.adjusted(2, 2, -2, -2);
  const QPointF left(b.left(), b.center().y()), right(b.right(), b.center().y());
  const QColor& ink = verdict == 1 ? current.broken : current.ink;
  // One stitch, from hole to hole: closed, torn in the middle, or not sewn yet.
  const QPointF from(b.left() + 0.1 * b.width(), b.bottom() - 0.2 * b.height()),
      to(b.right() - 0.1 * b.width(), b.top() + 0.2 * b.height()), along = to - from;
  const double hole = std::max(1.6, 0.17 * b.width()), thread = std::max(1.8, 0.2 * b.width());
  p.setPen(QPen(ink, verdict == 2 ? 1.4 : thread, Qt::SolidLine, Qt::RoundCap));
  if (verdict == 2) {
    p.drawEllipse(b.adjusted(1, 1, -1, -1));
  } else if (verdict == 1 || verdict == 4) { // the two ends hang apart
    const QPointF slip(0.16 * b.width(), 0.22 * b.height());
    p.drawLine(from, from + 0.32 * along - slip * 0.5);
    p.drawLine(to, to - 0.32 * along + slip * 0.5);
  } else {
    p.drawLine(from, to);
    if (verdict == 3) { // sewn by hand: a bar across
      const QPointF across(0.3 * along.y(), -0.3 * along.x()), mid = 0.5 * (from + to);
      p.drawLine(mid - across, mid + across);
    }
  }
  if (verdict != 2) {
    p.setPen(Qt::NoPen);
    p.setBrush(ink);
    for (const QPointF& end : {from, to}) p.drawEllipse(end, hole, hole);
  }
  p.restore();
}

QLabel* namedLabel(const char* name, const QString& text) {
  auto* l = new QLabel(text);
  l->setObjectName(name);
  l->setWordWrap(true);
  return l;
}

} // namespace hemline::app
