#include "view/part_drawing.h"

namespace hemline::app {
namespace {

constexpr double kSharp = 0.5; // radians: edges that are drawn
constexpr double kMargin = 6;  // pixels
constexpr int kSmoother = 2;   // the drawing is made so many times as large

} // namespace

PartDrawing::PartDrawing(std::shared_ptr<const Part> part, const Vec3& up, QSize size) : part_(std::move(part)), up_(up), size_(size) {
  const Mesh& mesh = part_->mesh;
  Vec3 e1, e2;
  frameAround(up, e1, e2);
  toEye_ = (-0.45 * e1 - 0.75 * e2 + 0.8 * up).normalized();
  right_ = up.cross(toEye_).normalized(), above_ = toEye_.cross(right_);
  QRectF all;
  for (const Vec3& p : mesh.points) {
    const QPointF q(right_.dot(p), -above_.dot(p));
    all = all.isNull() ? QRectF(q, QSizeF(1e-9, 1e-9)) : all.united(QRectF(q, QSizeF(1e-9, 1e-9)));
  }
  scale_ = std::min((size.width() - 2 * kMargin) / all.width(), (size.height() - 2 * kMargin) / all.height());
  shift_ = QPointF(size.width() / 2.0, size.height() / 2.0) - scale_ * all.center();
  for (const MeshEdge& e : meshEdges(mesh)) {
    const auto left = static_cast<std::size_t>(e.left), right = static_cast<std::size_t>(e.right);
    if (e.right >= 0 && (!seen(left) || !seen(right) || angleBetween(mesh.facetNormal(left), mesh.facetNormal(right)) < kSharp) &&
        seen(left) == seen(right))
      continue;
    edges_ << QLineF(at(mesh.points[static_cast<std::size_t>(e.a)]), at(mesh.points[static_cast<std::size_t>(e.b)]));
  }
}

QImage PartDrawing::image(const QColor& ink, const std::function<void(QPainter&)>& draw) const {
  QImage picture(size_ * kSmoother, QImage::Format_ARGB32_Premultiplied);
  picture.setDevicePixelRatio(kSmoother);
  picture.fill(Qt::transparent);
  QPainter p(&picture);
  p.setRenderHint(QPainter::Antialiasing);
  draw(p);
  p.setPen(QPen(ink, 1));
  p.drawLines(edges_);
  return picture;
}

} // namespace hemline::app
