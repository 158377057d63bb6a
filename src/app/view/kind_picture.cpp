#include "view/kind_picture.h"
#include "steps/lay.h"
#include "theme.h"
#include <QPainter>
#include <cmath>

namespace hemline::app {
namespace {

constexpr int kLines = 13;     // of a field over the part
constexpr int kLevels = 5;     // of a roughing step
constexpr double kSharp = 0.5; // radians: edges that are drawn
constexpr double kMargin = 6;  // pixels
constexpr int kSmoother = 2;   // the drawing is made so many times as large

/// Looks down at the part from the side, as the steps' axis is up; no perspective.
class Drawing {
public:
  Drawing(const Mesh& mesh, const Vec3& up, QSize size) : mesh_(mesh) {
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
  }
  QPointF at(const Vec3& p) const { return scale_ * QPointF(right_.dot(p), -above_.dot(p)) + shift_; }
  bool seen(std::size_t facet) const { return mesh_.facetNormal(facet).dot(toEye_) > 0; }

private:
  const Mesh& mesh_;
  Vec3 toEye_, right_, above_;
  double scale_ = 1;
  QPointF shift_;
};

/// The level lines of `value` (a number at each corner of each facet) over the facets that are seen, evenly spaced.
template <class Value> std::vector<QLineF> lines(const Mesh& mesh, const Drawing& drawing, int count, const Value& value) {
  double low = kInfinity, high = -kInfinity;
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
    for (std::size_t k = 0; k < 3; ++k) {
      const double v = value(t, k);
      low = std::min(low, v), high = std::max(high, v);
    }
  std::vector<QLineF> out;
  const double apart = (high - low) / (count + 1);
  if (!(apart > 0)) return out;
  low += 0.37 * apart; // no line runs along a row of corners
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    if (!drawing.seen(t)) continue;
    const std::array<double, 3> v{value(t, 0), value(t, 1), value(t, 2)};
    const auto [least, most] = std::minmax({v[0], v[1], v[2]});
    for (double level = low + apart * std::ceil((least - low) / apart); level < most; level += apart) {
      std::vector<QPointF> ends;
      for (std::size_t k = 0; k < 3; ++k) {
        const std::size_t n = (k + 1) % 3;
        if ((v[k] < level) == (v[n] < level)) continue;
        const double share = (level - v[k]) / (v[n] - v[k]);
        ends.push_back(drawing.at(mesh.corner(t, k) + share * (mesh.corner(t, n) - mesh.corner(t, k))));
      }
      if (ends.size() == 2) out.emplace_back(ends[0], ends[1]);
    }
  }
  return out;
}

} // namespace

QPixmap kindPicture(const Part& part, const Job& job, const Step& step, QSize size, bool enabled) {
  QPixmap picture(size * kSmoother);
  picture.setDevicePixelRatio(kSmoother);
  picture.fill(Qt::transparent);
  QPainter p(&picture);
  p.setRenderHint(QPainter::Antialiasing);
  const Theme& t = theme();
  const Mesh& mesh = part.mesh;
  const Drawing drawing(mesh, step.axis, size);
  const QColor mark = enabled ? t.accent : t.muted;
  p.setPen(QPen(mark, 1));
  std::visit(
      [&]<class Body>(const Body& body) {
        if constexpr (FinishingBody<Body>) {
          const auto field = fieldOf(layOf(body, LayAsk{step.axis, guideOf(body.finish, job.cutter(step.cutter))}));
          constexpr double corner[3][2] = {{0, 0}, {1, 0}, {0, 1}};
          for (const QLineF& l : lines(mesh, drawing, kLines, [&](std::size_t f, std::size_t k) {
                 const SurfacePoint on{static_cast<int>(f), corner[k][0], corner[k][1]};
                 return field->value(on, {mesh.corner(f, k), mesh.smoothNormal(f, on.u, on.v)});
               }))
            p.drawLine(l);
        } else if constexpr (std::is_same_v<Body, LevelRoughing>) {
          for (const QLineF& l :
               lines(mesh, drawing, kLevels, [&](std::size_t f, std::size_t k) { return step.axis.dot(mesh.corner(f, k)); }))
            p.drawLine(l);
        } else {
          // Down along the axis, into the middle of the part.
          const Vec3 low = mesh.bounds().center(), high = low + 0.8 * mesh.bounds().diagonal() * step.axis;
          p.setPen(QPen(mark, 2));
          p.drawLine(drawing.at(high), drawing.at(low));
          p.setBrush(mark);
          p.drawEllipse(drawing.at(low), 3, 3);
        }
      },
      step.body);
  p.setPen(QPen(enabled ? t.ink : t.muted, 1));
  for (const MeshEdge& e : meshEdges(mesh)) {
    const bool ends = e.right < 0;
    if (!ends &&
        (!drawing.seen(static_cast<std::size_t>(e.left)) || !drawing.seen(static_cast<std::size_t>(e.right)) ||
         angleBetween(mesh.facetNormal(static_cast<std::size_t>(e.left)), mesh.facetNormal(static_cast<std::size_t>(e.right))) < kSharp) &&
        drawing.seen(static_cast<std::size_t>(e.left)) == drawing.seen(static_cast<std::size_t>(e.right)))
      continue;
    p.drawLine(drawing.at(mesh.points[static_cast<std::size_t>(e.a)]), drawing.at(mesh.points[static_cast<std::size_t>(e.b)]));
  }
  return picture;
}

} // namespace hemline::app
