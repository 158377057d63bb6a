// The hand on the view: turning, picking, dragging fixtures, painting ground.
#include "view/surface_view.h"
#include <QMouseEvent>
#include <cmath>
#include <utility>

namespace hemline::app {

SurfaceView::Ray SurfaceView::rayAt(const QPointF& at) const {
  const QMatrix4x4 back = (projection() * viewMatrix()).inverted();
  const float x = static_cast<float>(2 * at.x() / width() - 1), y = static_cast<float>(1 - 2 * at.y() / height());
  const auto vec = [](const QVector3D& v) {
    return Vec3(static_cast<double>(v.x()), static_cast<double>(v.y()), static_cast<double>(v.z()));
  };
  const Vec3 a = vec(back.map(QVector3D(x, y, -1))), b = vec(back.map(QVector3D(x, y, 1)));
  return {origin_ + a, (b - a).normalized()};
}

int SurfaceView::fixtureAt(const QPointF& at, Vec3& place) const {
  const Ray ray = rayAt(at);
  double nearest = part_ ? castRay(*part_->tree, ray.from, ray.along).distance : kInfinity;
  int found = -1;
  for (std::size_t k = 0; k < bodies_.size(); ++k)
    if (const RayHit hit = castRay(*bodies_[k]->tree, ray.from, ray.along); hit.hit && hit.distance < nearest)
      nearest = hit.distance, found = static_cast<int>(k);
  place = ray.from + nearest * ray.along;
  return found;
}

void SurfaceView::dragFixture(const QPointF& to, bool upright) {
  const Ray ray = rayAt(to);
  const Vec3 from = turn_ * (ray.from - draggedFrom_), along = turn_ * ray.along;
  if (!upright) { // on the plane through the place that was taken
    if (std::abs(along.z()) < 0.05) return;
    draggedBy_ = from - from.z() / along.z() * along;
    draggedBy_.z() = 0;
  } else { // the place on the upright line that comes nearest to the pointer's ray
    const double across = along.head<2>().squaredNorm();
    if (across < 0.0025) return;
    const double t = -from.head<2>().dot(along.head<2>()) / across;
    draggedBy_ = Vec3(0, 0, from.z() + t * along.z());
  }
  layFixtures();
}

void SurfaceView::setHand(bool picking, double brush) {
  picking_ = picking, brush_ = picking ? brush : 0;
  stroke_.clear();
  setMouseTracking(brush_ > 0);
  setCursor(picking ? Qt::CrossCursor : Qt::ArrowCursor);
  overlay_->update();
}

bool SurfaceView::strokeTo(const QPointF& to) {
  if (!part_) return false;
  const Ray ray = rayAt(to);
  const RayHit hit = castRay(*part_->tree, ray.from, ray.along);
  if (!hit.hit) return false;
  const Mark mark{ray.from + hit.distance * ray.along, part_->mesh.facetNormal(static_cast<std::size_t>(hit.triangle))};
  constexpr double kApart = 0.4; // of the brush's radius: so close the strokes' places lie that their edge is even
  if (!stroke_.empty() && (stroke_.back().at - mark.at).norm() < kApart * brush_) return true;
  stroke_.push_back(mark);
  overlay_->update();
  return true;
}

void SurfaceView::mousePressEvent(QMouseEvent* e) {
  last_ = pressed_ = e->position();
  draggedBy_ = Vec3::Zero();
  stroke_.clear();
  if (brush_ > 0 && e->button() == Qt::LeftButton && strokeTo(e->position())) return;
  dragged_ = fixturesMove_ && e->button() == Qt::LeftButton ? fixtureAt(e->position(), draggedFrom_) : -1;
}

void SurfaceView::mouseMoveEvent(QMouseEvent* e) {
  const QPointF d = e->position() - last_;
  last_ = e->position();
  if (brush_ > 0) overlay_->update(); // the brush goes along
  if (!stroke_.empty() && (e->buttons() & Qt::LeftButton)) {
    strokeTo(e->position());
  } else if (dragged_ >= 0 && (e->buttons() & Qt::LeftButton)) {
    dragFixture(e->position(), e->modifiers() & Qt::ShiftModifier);
  } else if (e->buttons() & (Qt::MiddleButton | Qt::RightButton)) {
    const float k = static_cast<float>(width_ / std::max(1, width()));
    target_ += viewMatrix().inverted().mapVector(QVector3D(-static_cast<float>(d.x()) * k, static_cast<float>(d.y()) * k, 0));
    moved();
  } else if (e->buttons() & Qt::LeftButton) {
    yaw_ += 0.4 * d.x();
    pitch_ = std::clamp(pitch_ + 0.4 * d.y(), -90.0, 90.0);
    moved();
  }
}

void SurfaceView::mouseReleaseEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return;
  if (!stroke_.empty()) {
    const std::vector<Mark> stroke = std::exchange(stroke_, {});
    overlay_->update();
    emit brushed(stroke, e->modifiers());
    return;
  }
  if (dragged_ >= 0 && draggedBy_.norm() > 0) {
    const int fixture = std::exchange(dragged_, -1);
    layFixtures(); // as it was, until the job has it
    emit movedFixture(fixture, draggedBy_);
    return;
  }
  dragged_ = -1;
  if ((e->position() - pressed_).manhattanLength() > 4 || !part_) return;
  const Ray ray = rayAt(e->position());
  const RayHit hit = castRay(*part_->tree, ray.from, ray.along);
  if (!hit.hit) return;
  const Vec3 place = ray.from + hit.distance * ray.along;
  if (picking_)
    emit pickedGround({place, part_->mesh.facetNormal(static_cast<std::size_t>(hit.triangle))}, hit.triangle, e->modifiers());
  else
    emit picked(place, hit.triangle);
}

void SurfaceView::wheelEvent(QWheelEvent* e) {
  const double factor = std::pow(0.9985, e->angleDelta().y());
  // The place under the pointer stays where it is.
  const QPointF off = e->position() - QPointF(width() / 2.0, height() / 2.0);
  const float k = static_cast<float>(width_ / std::max(1, width()) * (1 - factor));
  target_ += viewMatrix().inverted().mapVector(QVector3D(static_cast<float>(off.x()) * k, -static_cast<float>(off.y()) * k, 0));
  width_ = std::clamp(width_ * factor, 0.05, 20 * size_);
  moved();
}

void SurfaceView::keyPressEvent(QKeyEvent* e) {
  switch (e->key()) {
  case Qt::Key_Plus:
    width_ *= 0.8;
    break;
  case Qt::Key_Minus:
    width_ *= 1.25;
    break;
  case Qt::Key_A:
    yaw_ += 10;
    break;
  case Qt::Key_D:
    yaw_ -= 10;
    break;
  case Qt::Key_W:
    pitch_ = std::min(90.0, pitch_ + 10);
    break;
  case Qt::Key_S:
    pitch_ = std::max(-90.0, pitch_ - 10);
    break;
  case Qt::Key_0:
    fit();
    return;
  default:
    e->ignore();
    return;
  }
  moved();
}

} // namespace hemline::app
