// A cutter, alone or in its holder, drawn to scale from the very bodies that the proofs use, with its sizes.
#pragma once
#include "base/units.h"
#include "cutter/cutter.h"
#include <QWidget>
#include <optional>

namespace hemline::app {

class AssemblyPicture : public QWidget {
public:
  explicit AssemblyPicture(QWidget* parent = nullptr);
  void setUnit(LengthUnit unit);
  /// What is drawn: a cutter; a holder; or both, `stickOut` mm out. A cutter that cannot be is told in words.
  void show(const Cutter* cutter, const Holder* holder, double stickOut = 0);
  /// What is drawn, in words.
  QString words() const { return words_; }
  QSize sizeHint() const override { return {230, 320}; }

protected:
  void paintEvent(QPaintEvent*) override;

private:
  /// Half of the silhouette of a piece, (r, z) in mm, z from the tip upwards (of a holder alone: from its face).
  struct Shape {
    std::vector<Vec2> half;
    int kind; ///< as Body::kind
  };
  struct Size {
    double z;
    QString text;
  };
  std::vector<Shape> shapes_;
  std::vector<Size> sizes_; ///< told beside the drawing, at their height
  QString words_, wrong_;
  std::optional<Cutter> cutter_;
  std::optional<Holder> holder_;
  double stickOut_ = 0;
  LengthUnit unit_ = LengthUnit::Millimetre;
};

} // namespace hemline::app
