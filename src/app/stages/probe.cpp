#include "stages/probe.h"
#include <cmath>

namespace hemline::app {

Probed probeAt(const Desk& desk, int step, const Vec3& place, std::size_t facet) {
  const auto part = desk.part();
  // A click lands at a random phase between passes: the worst place within a stated radius is taken.
  const double radius = 1.0;
  const StepView shown = step < static_cast<int>(desk.steps().size()) ? desk.steps()[static_cast<std::size_t>(step)] : StepView{};
  std::size_t best = facet;
  Vec3 at = place;
  if (shown.result && shown.result->surface) {
    const auto& left = shown.result->surface->facetLeft;
    double most = -kInfinity;
    Vec3 nearest;
    part->tree->tree.minimise([&](const Vec3& c, const Vec3& h) { return ((place - c).cwiseAbs() - h).cwiseMax(0.0).norm(); },
                              [&](int i) {
                                const auto t = static_cast<std::size_t>(i);
                                if (std::isnan(left[t]) || static_cast<double>(left[t]) <= most) return;
                                nearest =
                                    closestOnTriangle(place, part->mesh.corner(t, 0), part->mesh.corner(t, 1), part->mesh.corner(t, 2));
                                if ((nearest - place).norm() > radius) return;
                                most = static_cast<double>(left[t]), best = t, at = nearest;
                              },
                              radius);
  }
  const LengthUnit u = desk.unit();
  const auto len = [&](double mm, bool small) { return QString::fromStdString(formatLength(mm, u, small)); };
  const Vec3 up = placeStep(desk.job(), desk.job().steps.front()).step.axis;
  QString text =
      QObject::tr("at %1: worst within %2<br>").arg(QString::fromStdString(formatPlace(at.x(), at.y(), at.z(), u)), len(radius, false));
  text += QObject::tr("slope %1°, patch %2<br>")
              .arg(degrees(std::acos(std::clamp(measuringNormal(*part, best).dot(up), -1.0, 1.0))), 0, 'f', 1)
              .arg(QString::fromStdString(part->patches.empty() ? "" : part->patches[static_cast<std::size_t>(part->mesh.patch[best])].name)
                       .toHtmlEscaped());
  std::shared_ptr<const StepResult> closer;
  for (std::size_t i = 0; i < desk.steps().size(); ++i) {
    const StepResult* r = desk.steps()[i].result.get();
    if (!r) continue;
    QString said;
    if (r->surface && r->surface->facetLeft.size() == part->mesh.triangles.size()) {
      const double e = r->surface->facetLeft[best];
      said = std::isnan(e) ? QObject::tr("not in its region")
                           : QObject::tr("left %1, rest %2 (largest on its facet, to %3)")
                                 .arg(len(e, true), len(r->surface->facetRest[best], true), len(part->facetError, true));
      if (!std::isnan(e) && (!closer || static_cast<int>(i) == step)) closer = desk.steps()[i].result;
    } else if (r->cut) {
      // Along the normal into the stock as this step leaves it, to half a cell.
      const Stock& stock = r->cut->after->stock;
      const Vec3 n = part->mesh.facetNormal(best);
      double depth = 0;
      const double grain = 0.25 * stock.cell();
      while (depth < 50 && stock.contains(at + (depth + grain) * n)) depth += grain;
      said = QObject::tr("left about %1 (to %2)").arg(len(depth, false), len(stock.cell(), false));
    }
    text +=
        QObject::tr("%1. %2%3: %4<br>")
            .arg(i + 1)
            .arg(QString::fromStdString(r->step.name).toHtmlEscaped(), desk.steps()[i].fresh ? QString() : QObject::tr(" (stale)"), said);
  }
  return {at, text, closer};
}

} // namespace hemline::app
