#include "view/measures.h"
#include "job/regions.h"
#include <cmath>
#include <limits>

namespace hemline::app {

const std::vector<Paint>& paints() {
  static const std::vector<Paint> all{Paint::Plain,        Paint::Slope,       Paint::Draft,      Paint::ConcaveRadius,
                                      Paint::ConvexRadius, Paint::LargestBall, Paint::TiltNeeded, Paint::StockLeft,
                                      Paint::Cusp,         Paint::Rest,        Paint::Coverage,   Paint::Regions};
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
void paintSurface(const Desk& desk, int step, double scale, PaintedMeasure& m) {
  const std::size_t n = m.values.size();
  const StepView* view =
      step >= 0 && step < static_cast<int>(desk.steps().size()) ? &desk.steps()[static_cast<std::size_t>(step)] : nullptr;
  const StepResult* r = view ? view->result.get() : nullptr;
  if (view && view->coarse && !view->fresh && m.kind != Paint::Rest && view->coarse->left.size() == n) {
    paintCoarse(*view->coarse, desk.job().steps[static_cast<std::size_t>(step)], scale, m);
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

void paintRegions(const Desk& desk, int region, PaintedMeasure& m) {
  const std::size_t n = m.values.size();
  m.classes = true;
  const auto& regions = desk.base().regions;
  const auto& names = desk.job().regions;
  if (names.empty()) {
    m.none = QObject::tr("the job has no regions");
    return;
  }
  bool found = regions.size() == names.size();
  for (std::size_t k = 0; found && k < names.size(); ++k) found = foundFor(desk.base(), desk.job(), k);
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

} // namespace

PaintedMeasure paintedMeasure(const Desk& desk, Paint paint, int step, int region) {
  PaintedMeasure m;
  m.kind = paint, m.name = paintName(paint);
  const auto part = desk.part();
  if (!part || paint == Paint::Plain) return m;
  const Mesh& mesh = part->mesh;
  const std::size_t n = mesh.triangles.size();
  const float nan = std::numeric_limits<float>::quiet_NaN();
  m.values.assign(n, nan), m.area.resize(n);
  for (std::size_t t = 0; t < n; ++t) m.area[t] = static_cast<float>(mesh.facetArea(t));
  const bool inch = desk.unit() == LengthUnit::Inch;
  m.lengths = desk.unit();
  const double scale = inch ? 1e4 / kInch : 1e3;
  const Vec3 up = desk.job().steps.empty() ? Vec3(0, 0, 1) : placeStep(desk.job(), desk.job().steps.front()).step.axis;
  if (paint == Paint::Slope) {
    m.unit = QStringLiteral("°");
    for (std::size_t t = 0; t < n; ++t)
      if (mesh.facetNormal(t).dot(up) > -0.999) // not the level underside
        m.values[t] = static_cast<float>(degrees(std::acos(std::clamp(measuringNormal(*part, t).dot(up), -1.0, 1.0))));
  } else if (paint == Paint::Draft) {
    // How far ground leans open from the axis; less than 0 faces down. What leans by more than kDraft is all alike.
    constexpr double kDraft = 30;
    m.unit = QStringLiteral("°"), m.lowIsWorst = true;
    for (std::size_t t = 0; t < n; ++t)
      if (mesh.facetNormal(t).dot(up) > -0.999)
        m.values[t] = static_cast<float>(std::min(kDraft, degrees(std::asin(std::clamp(measuringNormal(*part, t).dot(up), -1.0, 1.0)))));
  } else if (paint == Paint::ConcaveRadius || paint == Paint::ConvexRadius) {
    m.unit = inch ? QStringLiteral("in") : QStringLiteral("mm"), m.lowIsWorst = true;
    const auto& study = desk.base().study;
    if (!study || study->bends.most.size() != n) {
      m.none = QObject::tr("not computed yet");
      return m;
    }
    constexpr double most = 50; // mm: flatter ground is all alike to any cutter
    for (std::size_t t = 0; t < n; ++t) {
      const double bend =
          paint == Paint::ConcaveRadius ? static_cast<double>(study->bends.most[t]) : -static_cast<double>(study->bends.least[t]);
      m.values[t] = static_cast<float>((bend * most > 1 ? 1 / bend : most) / (inch ? kInch : 1));
    }
  } else if (paint == Paint::LargestBall) {
    m.unit = inch ? QStringLiteral("in") : QStringLiteral("mm"), m.lowIsWorst = true;
    const auto balls = desk.base().balls;
    if (!balls || balls->radius.size() != n) {
      m.none = QObject::tr("not computed yet");
      return m;
    }
    for (std::size_t t = 0; t < n; ++t) m.values[t] = balls->radius[t] * static_cast<float>(2 / (inch ? kInch : 1));
  } else if (paint == Paint::TiltNeeded) {
    m.unit = QStringLiteral("°");
    const auto around = desk.base().around;
    if (!around || around->reach.facetTilt.size() != n) {
      m.none = QObject::tr("not computed yet");
      return m;
    }
    for (std::size_t t = 0; t < n; ++t)
      if (std::isfinite(around->reach.facetTilt[t])) m.values[t] = around->reach.facetTilt[t];
  } else if (paint == Paint::Coverage) {
    m.classes = true;
    if (desk.result().coverage.state.size() != n) {
      m.none = QObject::tr("known when all steps are computed");
      return m;
    }
    m.stale = !desk.complete();
    m.classNames = QStringList{QObject::tr("forgotten"), QObject::tr("finished"), QObject::tr("left on purpose"),
                               QObject::tr("over the promise in part")};
    for (std::size_t t = 0; t < n; ++t) m.values[t] = static_cast<float>(desk.result().coverage.state[t]);
  } else if (paint == Paint::Regions) {
    paintRegions(desk, region, m);
    if (!m.none.isEmpty()) return m;
  } else {
    m.unit = inch ? QStringLiteral("×10⁻⁴ in") : QStringLiteral("µm");
    paintSurface(desk, step, scale, m);
    if (!m.none.isEmpty()) return m;
  }
  summarise(mesh, m);
  return m;
}

} // namespace hemline::app
