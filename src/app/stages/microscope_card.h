// A spot of the finished surface looked at closely: a height map, the section across the passes, and its roughness. Lies in the upper
// right corner of the view it belongs to.
#pragma once
#include "desk.h"
#include "proof/microscope.h"
#include <QWidget>

namespace hemline::app {

class MicroscopeCard : public QWidget {
  Q_OBJECT
public:
  explicit MicroscopeCard(QWidget* parent = nullptr);
  /// Looks at a place as the step leaves it. Takes some ten milliseconds.
  void look(const std::shared_ptr<const Part>& part, const std::shared_ptr<const StepResult>& step, const Vec3& place, LengthUnit unit);
  void forget();
  bool looks() const { return step_ != nullptr; }
  const HeightMap& map() const { return map_; }
  const SpotRoughness& section() const { return section_; }
  double side() const { return side_; } ///< of the map, mm
  /// Closer or farther, from 0.05 mm (half a micrometre a place) to 20 mm.
  void zoom(double factor);
  QSize sizeHint() const override { return {312, 300}; }

protected:
  bool eventFilter(QObject* o, QEvent* e) override;
  void paintEvent(QPaintEvent*) override;
  void wheelEvent(QWheelEvent*) override;
  void keyPressEvent(QKeyEvent*) override;

private:
  void measure();
  void settle();
  void paintMap(QPainter& p, const QRectF& box) const;
  void paintSection(QPainter& p, const QRectF& box) const;
  QString small(double mm) const; ///< in micrometres or ten-thousandths of an inch, without the unit
  QString length(double mm) const;

  std::shared_ptr<const Part> part_;
  std::shared_ptr<const StepResult> step_;
  Vec3 place_ = Vec3::Zero();
  LengthUnit unit_ = LengthUnit::Millimetre;
  double side_ = 1, low_ = 0, high_ = 0;
  HeightMap map_;
  SpotRoughness section_;
};

} // namespace hemline::app
