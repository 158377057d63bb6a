#include "view/surface_view.h"
#include "theme.h"
#include <QElapsedTimer>
#include <QOpenGLFunctions>
#include <QPainterPath>
#include <QStyle>
#include <QSurfaceFormat>
#include <QVariantAnimation>
#include <cmath>

namespace hemline::app {
namespace {

constexpr std::size_t kCoarse = 60000; // triangles drawn while the view moves
constexpr std::size_t kNear = 600;     // locations before and after the cutter that are drawn in full
constexpr int kFarPasses = 40;         // passes drawn elsewhere
constexpr float kNone = -1e30f;        // value of facets that are not measured

const char* kVertex = R"(#version 330 core
layout(location=0) in vec3 position; layout(location=1) in vec3 normal; layout(location=2) in float value;
uniform mat4 modelView, projection; uniform mat3 turn; out vec3 n; out float v;
void main() { n = turn * normal; v = value; gl_Position = projection * (modelView * vec4(position, 1.0)); })";
const char* kFragment = R"(#version 330 core
in vec3 n; in float v; out vec4 colour;
uniform int mode, hatched; uniform vec4 base; uniform float from, to, promise, deep; uniform vec3 linen, indigo, plum, ochre, none;
void main() {
  vec3 c = base.rgb;
  if (mode == 5) { c = v > 1.5 ? base.rgb * 0.62 : v > 0.5 ? base.rgb * 0.85 : base.rgb; }
  else if (mode > 0) {
    if (v < -1e29) c = none;
    else if (mode == 1) c = mix(linen, indigo, clamp((v - from) / max(to - from, 1e-9), 0.0, 1.0));
    else if (mode == 2) {
      float wide = max(abs(from), abs(to));
      c = v < deep ? mix(linen, plum, clamp((deep - v) / wide, 0.25, 1.0)) : v <= promise ? linen : mix(linen, ochre, clamp((v - promise) / max(to - promise, 1e-9), 0.0, 1.0));
      if (hatched == 1 && v < deep && mod(gl_FragCoord.x + gl_FragCoord.y, 8.0) < 1.6) c *= 0.6;
      if (hatched == 1 && v < deep && mod(gl_FragCoord.x - gl_FragCoord.y, 8.0) < 1.6) c *= 0.6;
    } else if (mode == 4) c = mix(linen, indigo, v < 0.5 ? 0.05 : v < 1.5 ? 0.4 : 0.9);
    else if (mode == 3) c = v < 0.5 ? ochre : v < 1.5 ? mix(linen, indigo, 0.75) : v < 2.5 ? mix(linen, indigo, 0.1) : mix(linen, ochre, 0.5);
    if (mode < 3 && v > -1e29 && (v < from || v > to)) c = mix(c, none, 0.85);
  }
  vec3 m = normalize(n);
  if (!gl_FrontFacing) m = -m;
  float light = 0.52 + 0.38 * max(dot(m, normalize(vec3(-0.35, 0.55, 0.75))), 0.0) + 0.14 * max(m.z, 0.0);
  colour = vec4(c * light, base.a);
})";
// The stock in one colour, closed and with its back faces culled. The view is orthographic, so that the depth's slope is the facet's
// normal.
const char* kStockVertex = R"(#version 330 core
layout(location=0) in vec3 position; uniform mat4 modelView, projection; out float z;
void main() { vec4 at = modelView * vec4(position, 1.0); z = at.z; gl_Position = projection * at; })";
const char* kStockFragment = R"(#version 330 core
in float z; out vec4 colour; uniform vec4 base; uniform float pixel;
void main() {
  vec3 m = normalize(vec3(-dFdx(z), -dFdy(z), pixel));
  colour = vec4(base.rgb * (0.52 + 0.38 * max(dot(m, vec3(-0.3500, 0.5500, 0.7500) / 0.9937303), 0.0) + 0.14 * m.z), base.a);
})";
const char* kLineVertex = R"(#version 330 core
layout(location=0) in vec3 position; uniform mat4 modelView, projection;
void main() { gl_Position = projection * (modelView * vec4(position, 1.0)); })";
const char* kLineFragment = R"(#version 330 core
out vec4 colour; uniform vec4 base;
void main() { colour = base; })";

QVector3D toQt(const Vec3& v) {
  return QVector3D(static_cast<float>(v.x()), static_cast<float>(v.y()), static_cast<float>(v.z()));
}

} // namespace

void SurfaceView::askForGraphics() {
  QSurfaceFormat format;
  format.setVersion(3, 3);
  format.setProfile(QSurfaceFormat::CoreProfile);
  format.setDepthBufferSize(24);
  QSurfaceFormat::setDefaultFormat(format);
}

SurfaceView::SurfaceView(QWidget* parent) : QOpenGLWidget(parent) {
  setObjectName("surfaceView");
  setFocusPolicy(Qt::StrongFocus);
  setMinimumSize(320, 240);
  setAccessibleName(tr("Surface view"));
  overlay_ = new Overlay(this);
  legend_ = new Legend(this);
  legend_->hide();
  connect(legend_, &Legend::rangeChanged, this, qOverload<>(&QWidget::update));
  connect(legend_, &Legend::worstClicked, this, [this] { flyTo(measure_.worstAt, std::max(4.0, size_ / 12)); });
  rest_.setSingleShot(true);
  rest_.setInterval(160);
  connect(&rest_, &QTimer::timeout, this, [this] {
    moving_ = hurried_ = false;
    update();
    if (!stockShown_) buildPart(true); // for when the hand moves again
  });
  hold_.setSingleShot(true);
  hold_.setInterval(80);
  connect(&hold_, &QTimer::timeout, this, &SurfaceView::hurry);
}

SurfaceView::~SurfaceView() {
  makeCurrent();
  smooth_.reset();
  for (Buffer* b : buffers()) {
    b->vbo.destroy();
    b->vao.destroy();
  }
  stock_.points.destroy(), stock_.corners.destroy(), stock_.vao.destroy();
  for (auto* p : {&painted_, &plain_, &lines_}) p->removeAllShaders();
  doneCurrent();
}

std::vector<SurfaceView::Buffer*> SurfaceView::buffers() {
  return {&full_, &coarse_, &fixtures_, &cutter_, &far_.cutting, &far_.links, &far_.rapids, &near_.cutting, &near_.links, &near_.rapids};
}

void SurfaceView::setPart(std::shared_ptr<const Part> part) {
  const bool first = !part_;
  part_ = std::move(part);
  if (part_) {
    const Box b = part_->mesh.bounds();
    origin_ = b.center(), size_ = b.diagonal();
  }
  refreshPart();
  if (first && part_) fit();
}

void SurfaceView::setMeasure(const PaintedMeasure& m) {
  measure_ = m;
  for (float& v : measure_.values)
    if (std::isnan(v)) v = kNone;
  legend_->show(m);
  if (stockShown_) legend_->hide(); // it is of the part
  refreshPart();
}

void SurfaceView::refreshPart() {
  fullStale_ = coarseStale_ = true;
  redraw();
}

void SurfaceView::buildPart(bool coarse) {
  bool& stale = coarse ? coarseStale_ : fullStale_;
  if (!stale) return;
  stale = false;
  Buffer& b = coarse ? coarse_ : full_;
  b.data.clear();
  b.dirty = true;
  if (!part_) return;
  const bool fits = measure_.none.isEmpty() && measure_.values.size() == part_->mesh.triangles.size();
  const std::vector<float>& values = fits ? measure_.values : std::vector<float>{};
  b.data = coarse ? coarseCorners(part_->mesh, origin_, values, kCoarse) : meshCorners(part_->mesh, origin_, values);
}

void SurfaceView::setStanding(const Mat3& turn, const std::vector<std::shared_ptr<const Part>>& bodies, std::size_t shown) {
  QMatrix4x4 m;
  for (int i = 0; i < 3; ++i)
    for (int j = 0; j < 3; ++j) m(i, j) = static_cast<float>(turn(i, j));
  standing_ = m, turn_ = turn;
  bodies_.assign(bodies.begin(), bodies.begin() + static_cast<std::ptrdiff_t>(std::min(shown, bodies.size())));
  dragged_ = -1;
  layFixtures();
}

void SurfaceView::layFixtures() {
  fixtures_.data.clear();
  for (std::size_t k = 0; k < bodies_.size(); ++k) {
    const Vec3 by = static_cast<int>(k) == dragged_ ? Vec3(turn_.transpose() * draggedBy_) : Vec3::Zero();
    const Corners more = meshCorners(bodies_[k]->mesh, origin_ - by, {});
    fixtures_.data.insert(fixtures_.data.end(), more.begin(), more.end());
  }
  fixtures_.dirty = true;
  redraw();
}

void SurfaceView::setStock(std::shared_ptr<const ShownTriangles> stock) {
  stock_.data = std::move(stock);
  stock_.dirty = true;
  hold_.stop();
  hurry();
}

void SurfaceView::setPath(std::shared_ptr<const Planned> planned) {
  if (planned == planned_) return;
  planned_ = std::move(planned);
  location_ = 0;
  int passes = 0;
  const std::size_t all = planned_ ? planned_->path.locations.size() : 0;
  for (std::size_t i = 0; i < all; ++i) passes = std::max(passes, planned_->path.locations[i].pass + 1);
  addLines(far_, 1, all, std::max(1, passes / kFarPasses), all <= 3 * kNear);
  refreshNear();
  redraw();
}

void SurfaceView::setAssembly(const Assembly* assembly) {
  cutter_.data = assembly ? assemblyCorners(*assembly) : Corners{};
  cutter_.dirty = true;
  redraw();
}

void SurfaceView::setPose(const Vec3& tip, const Vec3& axis, std::size_t location) {
  const bool far = location / (kNear / 2) != location_ / (kNear / 2);
  tip_ = tip, axis_ = axis, location_ = location, cutterShown_ = true;
  if (far) refreshNear();
  redraw();
}

void SurfaceView::awaitStock() {
  if (!hold_.isActive()) hold_.start();
}

void SurfaceView::hideCutter() {
  cutterShown_ = false;
  redraw();
}

void SurfaceView::addLines(Lines& lines, std::size_t from, std::size_t to, int everyPass, bool allLinks) const {
  for (Buffer* b : {&lines.cutting, &lines.links, &lines.rapids}) {
    b->data.clear();
    b->dirty = true;
  }
  const auto line = [&](Buffer& out, const Vec3& a, const Vec3& b) {
    addCorner(out.data, a - origin_, Vec3::Zero(), 0);
    addCorner(out.data, b - origin_, Vec3::Zero(), 0);
  };
  for (std::size_t i = from; i < to; ++i) {
    const Location &before = planned_->path.locations[i - 1], &at = planned_->path.locations[i];
    if (at.pass < 0 ? !allLinks : at.pass % everyPass != 0) continue;
    const Vec3 &a = before.tip, &b = at.tip, d = b - a;
    Vec3 e1, e2;
    if (at.motion == Motion::Rapid) { // a double hairline
      if (d.norm() < 1e-9) continue;
      frameAround(d.normalized(), e1, e2);
      const Vec3 off = 0.0012 * size_ * e1;
      line(lines.rapids, a + off, b + off);
      line(lines.rapids, a - off, b - off);
    } else if (at.motion == Motion::Cut) {
      line(lines.cutting, a, b);
    } else {
      line(lines.links, a, b);
      if (d.norm() <= 0.01 * size_) continue;
      frameAround(d.normalized(), e1, e2); // a barb for the direction
      const Vec3 m = 0.5 * (a + b), back = m - 0.012 * size_ * d.normalized();
      line(lines.links, m, back + 0.005 * size_ * e1);
      line(lines.links, m, back - 0.005 * size_ * e1);
    }
  }
}

void SurfaceView::refreshNear() {
  const std::size_t middle = location_ / (kNear / 2) * (kNear / 2), all = planned_ ? planned_->path.locations.size() : 0;
  addLines(near_, middle > kNear ? middle - kNear : 1, std::min(all, middle + 2 * kNear), 1, true);
}

void SurfaceView::setRails(const std::vector<Rail>& rails, int selected) {
  rails_ = rails, selectedRail_ = selected;
  overlay_->update();
}

void SurfaceView::setProbes(const std::vector<ProbeDot>& probes) {
  probes_ = probes;
  overlay_->update();
}
void SurfaceView::setMark(const std::optional<Vec3>& mark, const QString& text, bool wrong) {
  mark_ = mark, markText_ = text, markWrong_ = wrong;
  overlay_->update();
}
void SurfaceView::showStock(bool on) {
  stockShown_ = on;
  legend_->setVisible(!on && measure_.kind != Paint::Plain);
  hurry();
}
void SurfaceView::showPath(bool on) {
  pathShown_ = on;
  update();
}

void SurfaceView::fit() {
  target_ = QVector3D();
  width_ = size_ * std::max(1.02, 0.78 * width() / std::max(1, height()));
  moved();
}

void SurfaceView::flyTo(const Vec3& place, double width) {
  const QVector3D from = target_, to = toQt(place - origin_);
  const double w0 = width_, w1 = std::clamp(width, 0.2, 4 * size_);
  if (style()->styleHint(QStyle::SH_Widget_Animation_Duration, nullptr, this) == 0) {
    target_ = to, width_ = w1;
    moved();
    return;
  }
  auto* a = new QVariantAnimation(this);
  a->setDuration(350);
  a->setStartValue(0.0);
  a->setEndValue(1.0);
  a->setEasingCurve(QEasingCurve::InOutQuad);
  connect(a, &QVariantAnimation::valueChanged, this, [=, this](const QVariant& v) {
    const double t = v.toDouble();
    target_ = from + static_cast<float>(t) * (to - from);
    width_ = w0 * std::pow(w1 / w0, t);
    moved();
  });
  a->start(QAbstractAnimation::DeleteWhenStopped);
}

void SurfaceView::lookAlong(const QVector3D& direction) {
  const QVector3D d = standing_.mapVector(direction);
  pitch_ = qRadiansToDegrees(std::asin(std::clamp(-static_cast<double>(d.normalized().z()), -1.0, 1.0)));
  yaw_ =
      std::abs(d.x()) + std::abs(d.y()) > 1e-6f ? qRadiansToDegrees(std::atan2(static_cast<double>(d.x()), static_cast<double>(d.y()))) : 0;
  moved();
}

QMatrix4x4 SurfaceView::viewMatrix() const {
  QMatrix4x4 m;
  m.rotate(static_cast<float>(pitch_ - 90), 1, 0, 0);
  m.rotate(static_cast<float>(yaw_), 0, 0, 1);
  m *= standing_;
  m.translate(-target_);
  return m;
}

QMatrix4x4 SurfaceView::projection() const {
  QMatrix4x4 m;
  const float w = static_cast<float>(width_ / 2), h = w * static_cast<float>(height()) / static_cast<float>(std::max(1, width())),
              far = static_cast<float>(4 * size_ + 400);
  m.ortho(-w, w, -h, h, -far, far);
  return m;
}

QPointF SurfaceView::toScreen(const Vec3& p) const {
  const QVector3D v = (projection() * viewMatrix()).map(toQt(p - origin_));
  return QPointF((static_cast<double>(v.x()) + 1) / 2 * width(), (1 - static_cast<double>(v.y())) / 2 * height());
}

void SurfaceView::initializeGL() {
  const auto link = [](QOpenGLShaderProgram& p, const char* vertex, const char* fragment) {
    p.addShaderFromSourceCode(QOpenGLShader::Vertex, vertex);
    p.addShaderFromSourceCode(QOpenGLShader::Fragment, fragment);
    return p.link();
  };
  ready_ = link(painted_, kVertex, kFragment) && link(plain_, kStockVertex, kStockFragment) && link(lines_, kLineVertex, kLineFragment);
  for (Buffer* b : buffers()) {
    b->vao.create();
    b->vbo.create();
    b->dirty = true;
  }
  stock_.vao.create(), stock_.points.create(), stock_.corners.create();
  stock_.dirty = true;
}

void SurfaceView::resizeGL(int, int h) {
  overlay_->setGeometry(rect());
  legend_->resize(legend_->sizeHint());
  legend_->move(12, h - legend_->height() - 12);
}

void SurfaceView::upload(Buffer& b) {
  if (!b.dirty) return;
  b.dirty = false;
  b.corners = static_cast<int>(b.data.size() / 7);
  QOpenGLVertexArrayObject::Binder bind(&b.vao);
  b.vbo.bind();
  b.vbo.allocate(b.data.data(), static_cast<int>(b.data.size() * sizeof(float)));
  auto* f = QOpenGLContext::currentContext()->functions();
  const int stride = 7 * static_cast<int>(sizeof(float));
  for (unsigned k = 0; k < 3; ++k) {
    f->glEnableVertexAttribArray(k);
    f->glVertexAttribPointer(k, k == 2 ? 1 : 3, GL_FLOAT, GL_FALSE, stride,
                             reinterpret_cast<const void*>(static_cast<std::uintptr_t>(12 * k)));
  }
  b.vbo.release();
}

void SurfaceView::place(QOpenGLShaderProgram& program, const QColor& colour, const QMatrix4x4& model) {
  program.bind();
  program.setUniformValue("projection", projection());
  program.setUniformValue("modelView", viewMatrix() * model);
  program.setUniformValue("base", QVector4D(colour.redF(), colour.greenF(), colour.blueF(), 1));
}

void SurfaceView::draw(Buffer& b, int mode, const QColor& colour, const QMatrix4x4& model) {
  upload(b);
  if (b.corners == 0) return;
  place(painted_, colour, model);
  painted_.setUniformValue("turn", (viewMatrix() * model).normalMatrix());
  painted_.setUniformValue("mode", mode);
  QOpenGLVertexArrayObject::Binder bind(&b.vao);
  QOpenGLContext::currentContext()->functions()->glDrawArrays(GL_TRIANGLES, 0, b.corners);
}

void SurfaceView::drawLines(Buffer& b, const QColor& colour) {
  upload(b);
  if (b.corners == 0) return;
  place(lines_, colour, {});
  QOpenGLVertexArrayObject::Binder bind(&b.vao);
  QOpenGLContext::currentContext()->functions()->glDrawArrays(GL_LINES, 0, b.corners);
}

void SurfaceView::drawStock(const QColor& colour) {
  auto* f = QOpenGLContext::currentContext()->functions();
  QOpenGLVertexArrayObject::Binder bind(&stock_.vao);
  if (stock_.dirty) {
    stock_.dirty = false;
    stock_.points.bind();
    stock_.points.allocate(stock_.data->points.data(), static_cast<int>(stock_.data->points.size() * sizeof(float)));
    f->glEnableVertexAttribArray(0);
    f->glVertexAttribPointer(0, 3, GL_FLOAT, GL_FALSE, 0, nullptr);
    stock_.corners.bind();
    stock_.corners.allocate(stock_.data->corners.data(), static_cast<int>(stock_.data->corners.size() * sizeof(std::uint32_t)));
    stock_.points.release();
  }
  QMatrix4x4 model;
  model.translate(toQt(stock_.data->origin - origin_));
  place(plain_, colour, model);
  plain_.setUniformValue("pixel", static_cast<float>(width_ / (width() * devicePixelRatio())));
  f->glEnable(GL_CULL_FACE); // it is closed
  f->glDrawElements(GL_TRIANGLES, static_cast<int>(stock_.data->corners.size()), GL_UNSIGNED_INT, nullptr);
  f->glDisable(GL_CULL_FACE);
}

void SurfaceView::paintGL() {
  auto* f = QOpenGLContext::currentContext()->functions();
  f->glEnable(GL_MULTISAMPLE);
  if (hurried_) {
    drawScene();
  } else {
    const QSize size = (QSizeF(this->size()) * devicePixelRatio()).toSize();
    if (!smooth_ || smooth_->size() != size) {
      QOpenGLFramebufferObjectFormat format;
      format.setSamples(4);
      format.setAttachment(QOpenGLFramebufferObject::Depth);
      smooth_ = std::make_unique<QOpenGLFramebufferObject>(size, format);
    }
    smooth_->bind();
    drawScene();
    smooth_->release();
    QOpenGLFramebufferObject::blitFramebuffer(nullptr, smooth_.get());
  }
  overlay_->update();
}

void SurfaceView::drawScene() {
  const Theme& t = theme();
  auto* f = QOpenGLContext::currentContext()->functions();
  const QColor back = t.window;
  f->glClearColor(static_cast<float>(back.redF()), static_cast<float>(back.greenF()), static_cast<float>(back.blueF()), 1);
  f->glClear(GL_COLOR_BUFFER_BIT | GL_DEPTH_BUFFER_BIT);
  if (ready_) {
    f->glEnable(GL_DEPTH_TEST);
    f->glDisable(GL_CULL_FACE);
    painted_.bind();
    const auto rgb = [](const QColor& c) { return QVector3D(c.redF(), c.greenF(), c.blueF()); };
    painted_.setUniformValue("linen", rgb(measure_.lowIsWorst ? t.indigo : t.linen));
    painted_.setUniformValue("indigo", rgb(measure_.lowIsWorst ? t.linen : t.indigo));
    painted_.setUniformValue("plum", rgb(t.plum));
    painted_.setUniformValue("ochre", rgb(measure_.classes ? t.broken : t.ochre));
    painted_.setUniformValue("none", rgb(t.dark ? QColor("#7D8088") : QColor("#CFCBC2")));
    painted_.setUniformValue("from", static_cast<float>(legend_->from()));
    painted_.setUniformValue("to", static_cast<float>(legend_->to()));
    painted_.setUniformValue("deep", static_cast<float>(measure_.deep));
    painted_.setUniformValue("hatched", measure_.kind == Paint::Difference ? 0 : 1); // less left is no damage
    painted_.setUniformValue("promise", static_cast<float>(measure_.promise.value_or(0)));
    const bool painted = measure_.kind != Paint::Plain && measure_.none.isEmpty();
    const int mode = !painted ? 0 : measure_.kind == Paint::Regions ? 4 : measure_.classes ? 3 : measure_.isSigned ? 2 : 1;
    f->glEnable(GL_POLYGON_OFFSET_FILL);
    f->glPolygonOffset(1, 1);
    if (stockShown_ && stock_.data)
      drawStock(QColor("#C9BFA8"));
    else {
      buildPart(moving_);
      draw(moving_ ? coarse_ : full_, mode, QColor("#CFC8B8"));
    }
    draw(fixtures_, 0, QColor("#8E939C"));
    f->glDisable(GL_POLYGON_OFFSET_FILL);
    if (pathShown_ && planned_) {
      const QColor line = t.dark ? QColor("#11131A") : t.ink;
      for (Lines* l : {&far_, &near_}) {
        drawLines(l->cutting, line);
        drawLines(l->links, t.muted);
        drawLines(l->rapids, t.muted);
      }
    }
    if (cutterShown_ && !cutter_.data.empty()) {
      QMatrix4x4 model;
      model.translate(toQt(tip_ - origin_));
      model.rotate(QQuaternion::rotationTo(QVector3D(0, 0, 1), toQt(axis_)));
      draw(cutter_, 5, QColor("#AEB4C0"), model);
    }
    f->glUseProgram(0);
    f->glDisable(GL_DEPTH_TEST);
  }
}

void SurfaceView::Overlay::paintEvent(QPaintEvent*) {
  QPainter p(this);
  view_->paintOverlay(p);
}

/// A small card beside a place.
static void paintTag(QPainter& p, const QPointF& at, const QString& text, const QColor& frame) {
  const Theme& t = theme();
  const QRectF box(at.x() + 10, at.y() - 11, p.fontMetrics().horizontalAdvance(text) + 14, 22);
  p.setPen(QPen(frame, 1.4));
  p.setBrush(t.panel);
  p.drawRoundedRect(box, 3, 3);
  p.setPen(t.ink);
  p.drawText(box, Qt::AlignCenter, text);
}

/// Rails where the surface faces the eye, the brush and what it has painted.
void SurfaceView::paintHand(QPainter& p) {
  const Theme& t = theme();
  const QMatrix4x4 v = viewMatrix();
  for (std::size_t i = 0; i < rails_.size(); ++i) {
    const Rail& r = rails_[i];
    const bool selected = static_cast<int>(i) == selectedRail_;
    QPainterPath seen;
    bool open = false;
    for (std::size_t k = 0; k + (r.closed ? 0 : 1) < r.marks.size(); ++k) {
      const Mark &a = r.marks[k], &b = r.marks[(k + 1) % r.marks.size()];
      const Vec3 n = a.normal + b.normal;
      const bool faces = n.isZero() || v.mapVector(toQt(n)).z() > 0;
      if (faces && !open) seen.moveTo(toScreen(a.at));
      if (faces) seen.lineTo(toScreen(b.at));
      open = faces;
    }
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(t.panel, selected ? 5 : 3.5));
    p.drawPath(seen);
    p.setPen(QPen(t.accent, selected ? 2.5 : 1.5, selected ? Qt::SolidLine : Qt::DashLine));
    p.drawPath(seen);
    if (!r.marks.empty() && selected) paintTag(p, toScreen(r.marks.front().at), QString::fromStdString(r.name), t.ink);
  }
  if (!(brush_ > 0)) return;
  const double radius = brush_ * width() / width_;
  QColor wet = t.accent;
  wet.setAlphaF(0.35f);
  p.setPen(Qt::NoPen);
  p.setBrush(wet);
  QPainterPath painted;
  painted.setFillRule(Qt::WindingFill);
  for (const Mark& m : stroke_) painted.addEllipse(toScreen(m.at), radius, radius);
  p.drawPath(painted.simplified());
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(t.accent, 1.5));
  p.drawEllipse(last_, radius, radius);
}

void SurfaceView::paintOverlay(QPainter& p) {
  p.setRenderHint(QPainter::Antialiasing);
  const Theme& t = theme();
  // Axes, lower right.
  const QPointF c(width() - 46, height() - 40);
  const QMatrix4x4 v = viewMatrix();
  const char* names[] = {"X", "Y", "Z"};
  for (int k = 0; k < 3; ++k) {
    QVector3D d = v.mapVector(QVector3D(k == 0, k == 1, k == 2));
    const QPointF tip = c + QPointF(static_cast<double>(d.x()), -static_cast<double>(d.y())) * 26;
    p.setPen(QPen(t.ink, 1.2));
    p.drawLine(c, tip);
    p.drawText(QRectF(tip.x() - 8, tip.y() - 8, 16, 16), Qt::AlignCenter, names[k]);
  }
  // A scale that says how big things are.
  if (part_ && tellsSizes_) {
    const double unit = unit_ == LengthUnit::Inch ? kInch : 1, perPixel = width_ / std::max(1, width()) / unit;
    double length = std::pow(10.0, std::floor(std::log10(perPixel * 120)));
    for (const double m : {5.0, 2.0})
      if (length * m <= perPixel * 140) {
        length *= m;
        break;
      }
    const double w = length / perPixel;
    const QPointF right(width() - 90, height() - 20);
    QColor card = t.panel; // legible on any paint
    card.setAlphaF(0.8f);
    p.fillRect(QRectF(right.x() - w - 12, right.y() - 24, w + 24, 36), card);
    p.setPen(QPen(t.ink, 1.2));
    p.drawLine(right - QPointF(w, 0), right);
    p.drawLine(right - QPointF(w, 4), right - QPointF(w, -4));
    p.drawLine(right - QPointF(0, 4), right + QPointF(0, 4));
    p.drawText(QRectF(right.x() - w - 40, right.y() - 22, w + 80, 16), Qt::AlignCenter,
               unit_ == LengthUnit::Inch ? tr("%1 in").arg(length)
               : length >= 1             ? tr("%1 mm").arg(length)
                                         : tr("%1 µm").arg(length * 1000));
  }
  paintHand(p);
  if (mark_) {
    const QPointF at = toScreen(*mark_);
    p.setPen(QPen(t.panel, 4));
    p.drawEllipse(at, 8, 8);
    p.setPen(QPen(markWrong_ ? t.broken : t.accent, 2));
    p.setBrush(Qt::NoBrush);
    p.drawEllipse(at, 8, 8);
    if (!markText_.isEmpty()) paintTag(p, at, markText_, markWrong_ ? t.broken : t.ink);
  }
  for (const ProbeDot& d : probes_) {
    const QPointF at = toScreen(d.at);
    p.setPen(QPen(t.panel, 1.5));
    p.setBrush(t.accent);
    p.drawEllipse(at, 9, 9);
    p.setPen(t.panel);
    p.drawText(QRectF(at.x() - 9, at.y() - 9, 18, 18), Qt::AlignCenter, QString::number(d.number));
  }
  if (!part_) paintOutline(p);
}

void SurfaceView::setOutline(std::shared_ptr<const std::vector<std::vector<Vec3>>> lines) {
  outline_ = std::move(lines);
  if (part_ || !outline_) return overlay_->update();
  Box b;
  for (const auto& line : *outline_)
    for (const Vec3& q : line) b.add(q);
  if (outline_->empty() || !(b.diagonal() > 0)) return overlay_->update();
  origin_ = b.center(), size_ = b.diagonal();
  fit();
}

/// Instead of a part that is not there yet.
void SurfaceView::paintOutline(QPainter& p) {
  const Theme& t = theme();
  const bool edges = outline_ && !outline_->empty();
  if (edges) {
    p.setPen(QPen(t.muted, 1));
    for (const auto& line : *outline_) {
      QPolygonF seen;
      for (const Vec3& q : line) seen << toScreen(q);
      p.drawPolyline(seen);
    }
  }
  p.setPen(t.ink);
  const QString words = edges ? tr("Edges, as the file tells them. Its faces are being read.") : tr("The part is being read.");
  if (edges) p.fillRect(QRectF(rect().center().x() - 200, height() - 44, 400, 24), t.panel);
  p.drawText(edges ? QRectF(0, height() - 44, width(), 24) : QRectF(rect()), Qt::AlignCenter, words);
}

void SurfaceView::moved() {
  moving_ = true;
  hurry();
}

/// Once without smoothing; with it when nothing changes any more.
void SurfaceView::hurry() {
  hurried_ = true;
  rest_.start();
  update();
}

void SurfaceView::redraw() {
  if (!hold_.isActive()) hurry();
}

double SurfaceView::turnRate(int frames) {
  QElapsedTimer clock;
  clock.start();
  for (int i = 0; i < frames; ++i) {
    yaw_ += 3;
    moving_ = hurried_ = true;
    grabFramebuffer();
  }
  const double rate = frames * 1000.0 / static_cast<double>(std::max<qint64>(1, clock.elapsed()));
  moved();
  return rate;
}

} // namespace hemline::app
