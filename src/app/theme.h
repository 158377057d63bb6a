// The look: linen and thread. One place for colours, the style sheet, the shipped font and the colour maps.
#pragma once
#include <QColor>
#include <QIcon>
#include <QPainter>
#include <QString>
#include <array>

class QLabel;

namespace hemline::app {

struct Theme {
  QColor window, panel, ink, muted, hairline, accent, broken;
  QColor linen, indigo, plum, ochre; ///< ends of the colour maps
  bool dark = false;
};

/// The theme in use. Set once at start and on a change; widgets read it when they paint.
const Theme& theme();
void setTheme(bool dark);
/// Loads the shipped font and sets font, palette and style sheet of the application.
void applyTheme();

/// Measures without sign: linen to indigo in even steps of lightness. t in 0..1.
QColor plainColour(double t);
/// Signed stock-left: plum (cut too deep) through linen (at the promise) to ochre (left). t in -1..1.
QColor signedColour(double t);

/// An icon of one line weight in the ink of the theme, from the shipped SVGs.
QIcon icon(const QString& name);
/// A wrapping label that the style sheet and the tests know by name.
QLabel* namedLabel(const char* name, const QString& text = {});
/// The ground of a card on the view with its title and, at the right, a remark; leaves the painter with the plain font.
void paintCard(QPainter& p, const QRect& box, const QFont& font, const QString& title, const QString& remark);
/// The ground of a drawing in a panel; what is left of it within a margin of so many pixels.
QRectF paintGround(QPainter& p, const QRect& box, double margin);
/// The marks of a promise: closed stitch (kept), open stitch (broken), empty outline (not known), stitch with a bar (waived).
void paintVerdict(QPainter& p, const QRectF& box, int verdict);

} // namespace hemline::app
