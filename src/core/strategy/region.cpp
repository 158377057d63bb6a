#include "strategy/region.h"
#include "base/units.h"

namespace hemline {

bool insidePolygon(const std::vector<Vec2>& polygon, const Vec2& p) {
  bool in = false;
  for (std::size_t i = 0, j = polygon.size() - 1; i < polygon.size(); j = i++) {
    const Vec2 &a = polygon[i], &b = polygon[j];
    if ((a.y() > p.y()) != (b.y() > p.y()) && p.x() < (b.x() - a.x()) * (p.y() - a.y()) / (b.y() - a.y()) + a.x()) in = !in;
  }
  return in;
}

double distanceToPolygon(const std::vector<Vec2>& polygon, const Vec2& p) {
  double best = 1e300;
  for (std::size_t i = 0, j = polygon.size() - 1; i < polygon.size(); j = i++) {
    const Vec2& a = polygon[j];
    const Vec2 d = polygon[i] - a;
    const double u = d.squaredNorm() > 0 ? std::clamp((p - a).dot(d) / d.squaredNorm(), 0.0, 1.0) : 0;
    best = std::min(best, (p - a - u * d).norm());
  }
  return best;
}

std::vector<char> regionFacets(const Part& part, const RegionLimits& limits, const Vec3& up, const std::string& step) {
  const Mesh& mesh = part.mesh;
  std::vector<char> in(mesh.triangles.size(), 0);
  if (!(limits.slopeFrom < limits.slopeTo)) throw Error("The slope range is empty", step, "Make its end larger than its start.");
  if (!limits.boundary.empty() && limits.boundary.size() < 3)
    throw Error("The boundary needs at least three points", step, "Draw it as a closed polygon.");
  std::size_t bySlope = 0, count = 0, named = 0;
  for (std::size_t t = 0; t < in.size(); ++t) {
    if (limits.only && !(*limits.only)[t]) continue;
    ++named;
    if (!limits.patches.empty() && std::find(limits.patches.begin(), limits.patches.end(), mesh.patch[t]) == limits.patches.end()) continue;
    const double slope = std::acos(std::clamp(mesh.facetNormal(t).dot(up), -1.0, 1.0));
    // A facet exactly on a limit belongs to the range: rounding must not drop a plane.
    if (slope < limits.slopeFrom - 1e-9 || slope > limits.slopeTo + 1e-9) continue;
    ++bySlope;
    bool inside = true;
    for (std::size_t k = 0; k < 3 && inside && !limits.boundary.empty(); ++k)
      inside = insidePolygon(limits.boundary, limits.plan(mesh.corner(t, k)));
    if (!inside) continue;
    in[t] = 1;
    ++count;
  }
  if (named == 0)
    throw Error("None of the step's regions is found on the model", step, "Mark them again, or let the step have all ground.");
  if (bySlope == 0) throw Error("No surface has a slope in the step's range", step, "Widen the slope range or choose other patches.");
  if (count == 0) throw Error("The boundary lies outside the part", step, "Move it onto the part, or remove it.");
  return in;
}

} // namespace hemline
