#include "view/measures.h"
#include "job/regions.h"
#include <cmath>
#include <limits>

namespace hemline::app {

const std::vector<Paint>& paints() {
  static const std::vector<Paint> all{Paint::Plain,       Paint::Slope,      Paint::Draft,     Paint::ConcaveRadius, Paint::ConvexRadius,
                                      Paint::LargestBall, Paint::TiltNeeded, Paint::StockLeft, Paint::Cusp,          Paint::Rest,
                                      Paint::Coverage,    Paint::Regions,    Paint::Difference};
  return all;
}

QString paintName(Paint paint) {
  switch (paint) {
  case Paint::Plain:
    return QObject::tr("plain");
  case Paint::Slope:
    return QObject::tr("slope");
  case Paint::Draft:
    return QObject::tr("draft");
  case Paint::ConcaveRadius:
    return QObject::tr("concave radius");
  case Paint::ConvexRadius:
    return QObject::tr("convex radius");
  case Paint::LargestBall:
    return QObject::tr("largest ball");
  case Paint::TiltNeeded:
    return QObject::tr("tilt needed");
  case Paint::StockLeft:
    return QObject::tr("stock-left");
  case Paint::Cusp:
    return QObject::tr("cusp");
  case Paint::Rest:
    return QObject::tr("rest");
  case Paint::Coverage:
    return QObject::tr("coverage");
  case Paint::Regions:
    return QObject::tr("regions");
  case Paint::Difference:
    return QObject::tr("difference to the other plan");
  }
  return {};
}

/// Between which values stock-left is as promised.
static void tellBand(const Step& step, double scale, PaintedMeasure& m) {
  if (step.promises.cusp) m.promise = (*step.promises.cusp + step.allowance()) * scale;
  m.deep = (step.allowance() - step.promises.gouge.value_or(0)) * scale;
}

/// The first answer of a step that is being measured: stock-left, whatever else will be known in the end.
static void paintCoarse(const CoarseSurface& coarse, const Step& step, double scale, PaintedMeasure& m) {
  m.name = paintName(Paint::StockLeft);
  m.coarse = m.isSigned = true;
  for (std::size_t t = 0; t < coarse.left.size(); ++t) m.values[t] = static_cast<float>(static_cast<double>(coarse.left[t]) * scale);
  tellBand(step, scale, m);
}

namespace {

/// Of the step's surface; lengths times `scale`.
void paintSurface(const PaintSource& from, int step, double scale, PaintedMeasure& m) {
  const std::size_t n = m.values.size();
  const StepView* view = step >= 0 && step < static_cast<int>(from.steps.size()) ? &from.steps[static_cast<std::size_t>(step)] : nullptr;
  const StepResult* r = view ? view->result.get() : nullptr;
  if (view && view->coarse && !view->fresh && m.kind != Paint::Rest && view->coarse->left.size() == n) {
    paintCoarse(*view->coarse, from.job.steps[static_cast<std::size_t>(step)], scale, m);
  } else if (!r || !r->surface || r->surface->facetLeft.size() != n) {
    m.none = !r            ? QObject::tr("not computed yet")
             : !r->surface ? QObject::tr("measured for finishing steps")
                           : QObject::tr("belongs to another model");
    return;
  } else {
    m.stale = !view->fresh;
    const SurfaceProof& s = *r->surface;
    for (std::size_t t = 0; t < n; ++t) {
      if (!s.region[t]) continue;
      double v = s.facetLeft[t];
      if (m.kind == Paint::Cusp) v = s.facetCusp[t];
      if (m.kind == Paint::Rest) v = s.facetRest[t];
      m.values[t] = static_cast<float>(v * scale);
    }
    m.isSigned = m.kind == Paint::StockLeft;
    if (m.kind == Paint::Cusp && r->step.promises.cusp) m.promise = *r->step.promises.cusp * scale;
    if (m.kind == Paint::Rest && r->step.promises.rest) m.promise = *r->step.promises.rest * scale;
    if (m.kind == Paint::StockLeft) tellBand(r->step, scale, m);
  }
}

void paintRegions(const PaintSource& from, int region, PaintedMeasure& m) {
  const std::size_t n = m.values.size();
  m.classes = true;
  const auto& regions = from.base.regions;
  const auto& names = from.job.regions;
  if (names.empty()) {
    m.none = QObject::tr("the job has no regions");
    return;
  }
  bool found = regions.size() == names.size();
  for (std::size_t k = 0; found && k < names.size(); ++k) found = foundFor(from.base, from.job, k);
  if (!found) {
    m.none = QObject::tr("being looked for on the model");
    return;
  }
  const bool one = region >= 0 && region < static_cast<int>(names.size());
  m.classNames = QStringList{QObject::tr("in no region"), one ? QObject::tr("in others") : QObject::tr("in a region"),
                             one ? QString::fromStdString(names[static_cast<std::size_t>(region)].name) : QString()};
  std::fill(m.values.begin(), m.values.end(), 0.0f);
  for (std::size_t k = 0; k < regions.size(); ++k)
    for (std::size_t t = 0; t < n; ++t)
      if (regions[k]->found.facets[t]) m.values[t] = std::max(m.values[t], static_cast<int>(k) == region ? 2.0f : 1.0f);
}

void setAreas(const Mesh& mesh, PaintedMeasure& m) {
  m.area.resize(mesh.triangles.size());
  for (std::size_t t = 0; t < m.area.size(); ++t) m.area[t] = static_cast<float>(mesh.facetArea(t));
}

/// Range, worst place and what is over the promise.
void summarise(const Mesh& mesh, PaintedMeasure& m) {
  const std::size_t n = m.values.size();
  m.low = std::numeric_limits<double>::max(), m.high = std::numeric_limits<double>::lowest();
  std::size_t at = n;
  for (std::size_t t = 0; t < n; ++t) {
    const double v = m.values[t];
    if (std::isnan(v)) continue;
    m.low = std::min(m.low, v);
    if (v > m.high) m.high = v, at = t;
    if (m.promise && v > *m.promise) m.over += m.area[t];
  }
  if (at == n) {
    m.none = QObject::tr("nothing measured"), m.low = 0, m.high = 1;
    return;
  }
  if (m.lowIsWorst) {
    for (std::size_t t = 0; t < n; ++t)
      if (static_cast<double>(m.values[t]) <= m.low) at = t;
  }
  m.worst = m.lowIsWorst ? m.low : m.high;
  m.worstAt = (mesh.corner(at, 0) + mesh.corner(at, 1) + mesh.corner(at, 2)) / 3;
  if (!m.isSigned && !m.classes && !m.lowIsWorst) m.low = 0;
  if (m.promise) m.high = std::max(m.high, 1.08 * *m.promise); // the promise is in sight
  if (m.high - m.low < 1e-9) m.high = m.low + 1;
}

/// What the part itself is like, with nothing cut.
void paintPart(const PaintSource& from, PaintedMeasure& m) {
  const Part& part = *from.part;
  const Mesh& mesh = part.mesh;
  const std::size_t n = m.values.size();
  const double inch = from.unit == LengthUnit::Inch ? kInch : 1; // mm in the unit of radii
  const bool angle = m.kind == Paint::Slope || m.kind == Paint::Draft || m.kind == Paint::TiltNeeded;
  m.unit = angle ? QStringLiteral("°") : inch > 1 ? QStringLiteral("in") : QStringLiteral("mm");
  m.lowIsWorst = m.kind != Paint::Slope && m.kind != Paint::TiltNeeded;
  const auto& study = from.base.study;
  const auto& balls = from.base.balls;
  const auto& around = from.base.around;
  const bool bends = m.kind == Paint::ConcaveRadius || m.kind == Paint::ConvexRadius;
  if ((bends && (!study || study->bends.most.size() != n)) || (m.kind == Paint::LargestBall && (!balls || balls->radius.size() != n)) ||
      (m.kind == Paint::TiltNeeded && (!around || around->reach.facetTilt.size() != n))) {
    m.none = QObject::tr("not computed yet");
    return;
  }
  const Vec3 up = from.job.steps.empty() ? Vec3(0, 0, 1) : placeStep(from.job, from.job.steps.front()).step.axis;
  const auto level = [&](std::size_t t) { return std::clamp(measuringNormal(part, t).dot(up), -1.0, 1.0); };
  constexpr double kFlattest = 50; // mm: flatter ground is all alike to any cutter
  constexpr double kDraft = 30;    // degrees that ground leans open: what leans by more is all alike; less than 0 faces down
  for (std::size_t t = 0; t < n; ++t) {
    const bool underside = mesh.facetNormal(t).dot(up) <= -0.999; // the level one
    if (m.kind == Paint::Slope && !underside) m.values[t] = static_cast<float>(degrees(std::acos(level(t))));
    if (m.kind == Paint::Draft && !underside) m.values[t] = static_cast<float>(std::min(kDraft, degrees(std::asin(level(t)))));
    if (bends) {
      const double bend =
          m.kind == Paint::ConcaveRadius ? static_cast<double>(study->bends.most[t]) : -static_cast<double>(study->bends.least[t]);
      m.values[t] = static_cast<float>((bend * kFlattest > 1 ? 1 / bend : kFlattest) / inch);
    }
    if (m.kind == Paint::LargestBall) m.values[t] = balls->radius[t] * static_cast<float>(2 / inch);
    if (m.kind == Paint::TiltNeeded && std::isfinite(around->reach.facetTilt[t])) m.values[t] = around->reach.facetTilt[t];
  }
}

void paintCoverage(const PaintSource& from, PaintedMeasure& m) {
  m.classes = true;
  const auto& state = from.result.coverage.state;
  if (state.size() != m.values.size()) {
    m.none = QObject::tr("known when all steps are computed");
    return;
  }
  m.stale = !from.complete;
  m.classNames = QStringList{QObject::tr("forgotten"), QObject::tr("finished"), QObject::tr("left on purpose"),
                             QObject::tr("over the promise in part")};
  for (std::size_t t = 0; t < m.values.size(); ++t) m.values[t] = static_cast<float>(state[t]);
}

PaintedMeasure painted(const PaintSource& from, Paint paint, int step, int region) {
  PaintedMeasure m;
  m.kind = paint, m.name = paintName(paint);
  if (!from.part || paint == Paint::Plain) return m;
  const Mesh& mesh = from.part->mesh;
  m.values.assign(mesh.triangles.size(), std::numeric_limits<float>::quiet_NaN());
  setAreas(mesh, m);
  const bool inch = from.unit == LengthUnit::Inch;
  m.lengths = from.unit;
  if (paint == Paint::Coverage) {
    paintCoverage(from, m);
  } else if (paint == Paint::Difference) {
    m.none = QObject::tr("choose a plan to compare with first: Plans side by side");
  } else if (paint == Paint::Regions) {
    paintRegions(from, region, m);
  } else if (paint == Paint::StockLeft || paint == Paint::Cusp || paint == Paint::Rest) {
    m.unit = inch ? QStringLiteral("×10⁻⁴ in") : QStringLiteral("µm");
    paintSurface(from, step, inch ? 1e4 / kInch : 1e3, m);
  } else {
    paintPart(from, m);
  }
  if (m.none.isEmpty()) summarise(mesh, m);
  return m;
}

} // namespace

PaintedMeasure paintedMeasure(const Desk& desk, Paint paint, int step, int region) {
  return painted({desk.part(), desk.job(), desk.base(), desk.steps(), desk.result(), desk.complete(), desk.unit()}, paint, step, region);
}

PaintedMeasure paintedOther(const Desk& desk, const OtherPlan& other, Paint paint, int step) {
  PaintedMeasure m;
  m.kind = paint, m.name = paintName(paint);
  const auto part = desk.part();
  if (!other.result || !part) {
    m.none = QObject::tr("the other plan is not computed");
    return m;
  }
  const auto& steps = other.job.steps;
  const auto& own = desk.job().steps;
  int like = -1;
  for (std::size_t k = 0; k < steps.size(); ++k) {
    const bool same = step >= 0 && step < static_cast<int>(own.size()) && steps[k].name == own[static_cast<std::size_t>(step)].name;
    if (same || steps[k].finishing()) like = static_cast<int>(k);
    if (same) break;
  }
  m = painted({other.result->part, other.job, *other.result, other.steps, *other.result, true, desk.unit()}, paint, like, -1);
  if (m.values.empty() || !m.none.isEmpty() || other.result->part->key == part->key) return m;
  m.values = ontoNet(*part, *other.result->part, m.values);
  setAreas(part->mesh, m);
  m.over = 0;
  summarise(part->mesh, m);
  return m;
}

PaintedMeasure paintedDifference(const Desk& desk, const OtherPlan& other) {
  PaintedMeasure m;
  m.kind = Paint::Difference, m.name = QObject::tr("left here less there");
  if (!desk.complete() || !other.result) {
    m.none = QObject::tr("known when both plans are computed");
    return m;
  }
  const Part& part = *desk.result().part;
  const bool inch = desk.unit() == LengthUnit::Inch;
  m.lengths = desk.unit(), m.unit = inch ? QStringLiteral("×10⁻⁴ in") : QStringLiteral("µm");
  m.isSigned = true, m.deep = 0;
  m.values = leftByPlan(desk.result());
  const auto theirs = ontoNet(part, *other.result->part, leftByPlan(*other.result));
  for (std::size_t t = 0; t < m.values.size(); ++t) m.values[t] = (m.values[t] - theirs[t]) * static_cast<float>(inch ? 1e4 / kInch : 1e3);
  setAreas(part.mesh, m);
  summarise(part.mesh, m);
  return m;
}

} // namespace hemline::app
