// The surface view: part, stock, fixtures, path and cutter with its holder, painted with one measure.
#pragma once
#include "region/rail.h"
#include "stock/stock_surface.h"
#include "toolpath/path.h"
#include "view/legend.h"
#include "view/solid.h"
#include <QOpenGLBuffer>
#include <QOpenGLFramebufferObject>
#include <QOpenGLShaderProgram>
#include <QOpenGLVertexArrayObject>
#include <QOpenGLWidget>
#include <QQuaternion>
#include <QTimer>

namespace hemline::app {

struct ProbeDot {
  Vec3 at;
  int number;
};

class SurfaceView : public QOpenGLWidget {
  Q_OBJECT
public:
  /// Axes, scale, marks and probe dots, drawn over the picture.
  class Overlay : public QWidget {
  public:
    explicit Overlay(SurfaceView* view) : QWidget(view), view_(view) { setAttribute(Qt::WA_TransparentForMouseEvents); }

  protected:
    void paintEvent(QPaintEvent*) override;

  private:
    SurfaceView* view_;
  };

  /// What the view needs of OpenGL (3.3 core); before the application object is made.
  static void askForGraphics();
  explicit SurfaceView(QWidget* parent = nullptr);
  ~SurfaceView() override;

  void setPart(std::shared_ptr<const Part> part);
  /// Edges that are shown as long as there is no part.
  void setOutline(std::shared_ptr<const std::vector<std::vector<Vec3>>> lines);
  void setMeasure(const PaintedMeasure& measure);
  const PaintedMeasure& measure() const { return measure_; }
  /// How the part stands (rows: the clamping's axes in the part's frame), and what holds it: the first `shown` of the bodies.
  void setStanding(const Mat3& turn, const std::vector<std::shared_ptr<const Part>>& bodies, std::size_t shown);
  /// Lets fixtures be dragged along the clamping's x and y (with Shift along its z); `movedFixture` follows at the end.
  void letFixturesMove(bool on) { fixturesMove_ = on; }
  /// Clicks pick ground (`pickedGround`) instead of probing; with a brush (mm) the left button paints where it meets the part (`brushed`).
  void setHand(bool picking, double brush);
  bool picking() const { return picking_; }
  /// Lines on the surface; the selected one is drawn stronger.
  void setRails(const std::vector<Rail>& rails, int selected);
  void setStock(std::shared_ptr<const ShownTriangles> stock);
  void setPath(std::shared_ptr<const Planned> planned);
  void setAssembly(const Assembly* assembly);
  /// Cutter at a place of the path; passes are drawn near it and thinned elsewhere.
  void setPose(const Vec3& tip, const Vec3& axis, std::size_t location);
  /// The stock of another place is on its way: what changes now is drawn together with it, or after a moment without it.
  void awaitStock();
  void hideCutter();
  void setProbes(const std::vector<ProbeDot>& probes);
  /// Marks a place; `wrong` draws it as a broken promise.
  void setMark(const std::optional<Vec3>& mark, const QString& text, bool wrong = true);
  void showStock(bool on);
  bool stockShown() const { return stockShown_; }
  void showPath(bool on);

  void fit();
  /// Looks at a place from where its normal points, without a jump unless less motion is asked for.
  void flyTo(const Vec3& place, double width);
  void lookAlong(const QVector3D& direction);
  QPointF toScreen(const Vec3& place) const;
  Legend* legend() { return legend_; }
  /// Whether a scale is drawn: not while nobody knows the unit.
  void tellSizes(bool on) { tellsSizes_ = on, update(); }
  void setUnit(LengthUnit unit) { unit_ = unit, update(); }
  /// Draws `frames` turned views and returns frames per second (for the benchmark).
  double turnRate(int frames);

signals:
  void picked(const Vec3& place, int facet);
  void pickedGround(const Mark& place, int facet, Qt::KeyboardModifiers keys);
  void brushed(const std::vector<Mark>& stroke, Qt::KeyboardModifiers keys);
  void movedFixture(int fixture, const Vec3& by); ///< in the clamping's frame, mm

protected:
  void initializeGL() override;
  void paintGL() override;
  void resizeGL(int w, int h) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void wheelEvent(QWheelEvent*) override;
  void keyPressEvent(QKeyEvent*) override;

private:
  struct Buffer {
    QOpenGLBuffer vbo{QOpenGLBuffer::VertexBuffer};
    QOpenGLVertexArrayObject vao;
    Corners data;
    int corners = 0;
    bool dirty = false;
  };
  /// The stock: indexed, lit by its facets' own normals.
  struct Shell {
    QOpenGLBuffer points{QOpenGLBuffer::VertexBuffer}, corners{QOpenGLBuffer::IndexBuffer};
    QOpenGLVertexArrayObject vao;
    std::shared_ptr<const ShownTriangles> data;
    bool dirty = false;
  };
  struct Ray {
    Vec3 from, along;
  };
  Ray rayAt(const QPointF& at) const;
  /// The fixture under the pointer, if nothing of the part is in front of it; -1: none.
  int fixtureAt(const QPointF& at, Vec3& place) const;
  bool strokeTo(const QPointF& to);
  void paintHand(QPainter& p);
  void paintOutline(QPainter& p);
  void layFixtures();
  void dragFixture(const QPointF& to, bool upright);
  void upload(Buffer& b);
  void drawStock(const QColor& colour);
  void place(QOpenGLShaderProgram& program, const QColor& colour, const QMatrix4x4& model);
  void draw(Buffer& b, int mode, const QColor& colour, const QMatrix4x4& model = {});
  void drawLines(Buffer& b, const QColor& colour);
  void refreshPart();
  void buildPart(bool coarse);
  /// Lines of passes, links and rapids.
  struct Lines {
    Buffer cutting, links, rapids;
  };
  void addLines(Lines& lines, std::size_t from, std::size_t to, int everyPass, bool allLinks) const;
  void refreshNear();
  std::vector<Buffer*> buffers();
  void drawScene();
  QMatrix4x4 viewMatrix() const;
  QMatrix4x4 projection() const;

  void moved();
  void hurry();
  void redraw();
  void paintOverlay(QPainter& p);

  std::shared_ptr<const Part> part_;
  PaintedMeasure measure_;
  std::shared_ptr<const Planned> planned_;
  Vec3 origin_ = Vec3::Zero();
  double size_ = 100;
  Buffer full_, coarse_, fixtures_, cutter_;
  Lines far_, near_; ///< the path thinned, and all of it about the cutter
  Shell stock_;
  QOpenGLShaderProgram painted_, plain_, lines_;     ///< part and bodies, stock, path
  std::unique_ptr<QOpenGLFramebufferObject> smooth_; ///< several samples a pixel, for when nothing moves
  bool ready_ = false, cutterShown_ = false, stockShown_ = false, pathShown_ = true, moving_ = false, hurried_ = false, fullStale_ = false,
       coarseStale_ = false;
  Vec3 tip_ = Vec3::Zero(), axis_ = Vec3::UnitZ();
  std::size_t location_ = 0, nearFrom_ = 0;
  std::vector<ProbeDot> probes_;
  std::optional<Vec3> mark_;
  QString markText_;
  bool markWrong_ = true;
  std::vector<std::shared_ptr<const Part>> bodies_; ///< of the fixtures
  Mat3 turn_ = Mat3::Identity();
  bool fixturesMove_ = false, picking_ = false;
  double brush_ = 0; ///< mm
  std::vector<Mark> stroke_;
  std::shared_ptr<const std::vector<std::vector<Vec3>>> outline_;
  std::vector<Rail> rails_;
  int selectedRail_ = -1;
  int dragged_ = -1;
  Vec3 draggedFrom_ = Vec3::Zero(), draggedBy_ = Vec3::Zero(); ///< part's frame; clamping's frame
  QMatrix4x4 standing_;                                        ///< turns the part as it stands in its clamping
  // Camera: orthographic, turned about the target; the clamping's z stays upright.
  QVector3D target_;
  double yaw_ = -35, pitch_ = 42, width_ = 200;
  QPointF last_, pressed_;
  QTimer rest_, hold_;
  Legend* legend_;
  bool tellsSizes_ = true;
  LengthUnit unit_ = LengthUnit::Millimetre;
  Overlay* overlay_;
};

} // namespace hemline::app
