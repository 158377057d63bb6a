#include "view/kind_picture.h"
#include "model/fields.h"
#include "steps/lay.h"
#include "theme.h"
#include <cmath>

namespace hemline::app {
namespace {

constexpr int kLines = 13;           // of a field over the part
constexpr int kLevels = 5;           // of a roughing step
constexpr double kCuspToDraw = 0.01; // mm

/// The level lines of `value` (a number at each corner of each facet) over the facets that are seen and `wanted`, evenly spaced.
template <class Value, class Wanted>
std::vector<QLineF> lines(const Mesh& mesh, const PartDrawing& drawing, int count, const Value& value, const Wanted& wanted) {
  double low = kInfinity, high = -kInfinity;
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
    for (std::size_t k = 0; k < 3 && wanted(t); ++k) {
      const double v = value(t, k);
      low = std::min(low, v), high = std::max(high, v);
    }
  std::vector<QLineF> out;
  const double apart = (high - low) / (count + 1);
  if (!(apart > 0)) return out;
  low += 0.37 * apart; // no line runs along a row of corners
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    if (!wanted(t) || !drawing.faces(mesh.facetNormal(t))) continue;
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
template <class Value> std::vector<QLineF> lines(const PartDrawing& drawing, int count, const Value& value) {
  return lines(drawing.part().mesh, drawing, count, value, [](std::size_t) { return true; });
}

/// A field that has only some of the ground: there, and the lines it runs beside.
std::vector<QLineF> linesWithin(const PartDrawing& drawing, const std::shared_ptr<const Part>& part, const FieldFound& found) {
  const FineMesh fine = meshForFields(part, found.cuts);
  const Mesh& mesh = fine.part->mesh;
  const auto at = [&](const std::vector<double>& values, std::size_t t, std::size_t k) {
    return values[static_cast<std::size_t>(mesh.triangles[t][k])];
  };
  std::vector<QLineF> out = lines(
      mesh, drawing, std::min(kLevels, static_cast<int>(found.levels.size())),
      [&](std::size_t t, std::size_t k) { return at(found.value, t, k); },
      [&](std::size_t t) { return at(found.within, t, 0) >= 0 && at(found.within, t, 1) >= 0 && at(found.within, t, 2) >= 0; });
  for (const std::vector<Vec3>& line : found.ridges)
    for (std::size_t i = 1; i < line.size(); ++i) out.emplace_back(drawing.at(line[i - 1]), drawing.at(line[i]));
  return out;
}

/// Its lines lie above each other, so that they are crowded on walls.
template <class Body> constexpr bool runsLevel = requires(const Body& body) {
  body.upward;
};

/// Nothing where the part has no ground for it.
template <FinishingBody Body>
std::optional<Laid> layToDraw(const Body& body, const Job& job, const Step& step, const std::shared_ptr<const Part>& part,
                              Progress& progress) {
  const Cutter& cutter = job.cutter(step.cutter);
  const Finishing& f = body.finish;
  try {
    kindOf(step).check(job, step);
    Laid laid{layOf(body, askFor(step.axis, f, cutter, job)), {}};
    RegionLimits limits;
    limits.slopeFrom = f.slopeFrom, limits.slopeTo = f.slopeTo;
    if (isFound(laid.lay))
      laid.found.value = std::make_shared<const FieldFound>(findField({part,
                                                                       regionFacets(*part, limits, step.axis, step.name),
                                                                       cutter,
                                                                       laid.lay,
                                                                       step.promises.cusp.value_or(kCuspToDraw),
                                                                       step.axis,
                                                                       {f.follow, f.lead, f.tilt},
                                                                       f.allowance,
                                                                       0,
                                                                       {}},
                                                                      progress));
    return laid;
  } catch (const Error&) {
    return std::nullopt;
  }
}
} // namespace

QImage kindPicture(const PartDrawing& drawing, const Job& job, const Step& step, bool enabled, Progress& progress) {
  assert(step.axis == drawing.up());
  const Theme& t = theme();
  const Mesh& mesh = drawing.part().mesh;
  const QColor mark = enabled ? t.accent : t.muted;
  const auto draw = [&]<class Body>(const Body& body, QPainter& p) {
    p.setPen(QPen(mark, 1));
    if constexpr (FinishingBody<Body>) {
      const std::shared_ptr<const Part> all(std::shared_ptr<const Part>(), &drawing.part());
      const auto laid = layToDraw(body, job, step, all, progress);
      if (!laid) return;
      if (laid->found && !laid->found->within.empty()) {
        for (const QLineF& l : linesWithin(drawing, all, *laid->found)) p.drawLine(l);
        return;
      }
      const auto field = fieldOf(*laid, all);
      constexpr double corner[3][2] = {{0, 0}, {1, 0}, {0, 1}};
      for (const QLineF& l : lines(drawing, runsLevel<Body> ? kLevels : kLines, [&](std::size_t f, std::size_t k) {
             const SurfacePoint on{static_cast<int>(f), corner[k][0], corner[k][1]};
             return field->value(on, {mesh.corner(f, k), mesh.smoothNormal(f, on.u, on.v)});
           }))
        p.drawLine(l);
    } else if constexpr (std::is_same_v<Body, LevelRoughing>) {
      for (const QLineF& l : lines(drawing, kLevels, [&](std::size_t f, std::size_t k) { return step.axis.dot(mesh.corner(f, k)); }))
        p.drawLine(l);
    } else {
      // Down along the axis, into the middle of the part.
      const Vec3 low = mesh.bounds().center(), high = low + 0.8 * mesh.bounds().diagonal() * step.axis;
      p.setPen(QPen(mark, 2));
      p.drawLine(drawing.at(high), drawing.at(low));
      p.setBrush(mark);
      p.drawEllipse(drawing.at(low), 3, 3);
    }
  };
  return drawing.image(enabled ? t.ink : t.muted, [&](QPainter& p) { std::visit([&](const auto& body) { draw(body, p); }, step.body); });
}

} // namespace hemline::app
