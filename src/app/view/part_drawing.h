// A small drawing of the part: its edges, seen from the side with the axis up, and what is drawn on it.
#pragma once
#include "part/part.h"
#include <QImage>
#include <QLineF>
#include <QPainter>
#include <functional>
#include <memory>

namespace hemline::app {

/// No perspective. Safe from any thread.
class PartDrawing {
public:
  PartDrawing(std::shared_ptr<const Part> part, const Vec3& up, QSize size);
  const Part& part() const { return *part_; }
  const Vec3& up() const { return up_; }
  QPointF at(const Vec3& p) const { return scale_ * QPointF(right_.dot(p), -above_.dot(p)) + shift_; }
  bool seen(std::size_t facet) const { return part_->mesh.facetNormal(facet).dot(toEye_) > 0; }
  /// Faces the eye; whether something is before it is not looked at.
  bool faces(const Vec3& normal) const { return normal.dot(toEye_) > 0; }

  /// The part's edges in `ink` over what `draw` draws, in points of at().
  QImage image(const QColor& ink, const std::function<void(QPainter&)>& draw) const;

private:
  std::shared_ptr<const Part> part_;
  Vec3 up_, toEye_, right_, above_;
  QSize size_;
  double scale_ = 1;
  QPointF shift_;
  QVector<QLineF> edges_;
};

} // namespace hemline::app
