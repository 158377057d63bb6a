#include "finishing/region_limits.h"
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
  double best = kInfinity;
  for (std::size_t i = 0, j = polygon.size() - 1; i < polygon.size(); j = i++) {
    const Vec2& a = polygon[j];
    const Vec2 d = polygon[i] - a;
    const double u = d.squaredNorm() > 0 ? std::clamp((p - a).dot(d) / d.squaredNorm(), 0.0, 1.0) : 0;
    best = std::min(best, (p - a - u * d).norm());
  }
  return best;
}

void checkBoundary(const std::vector<Vec2>& b, const std::string& step) {
  const std::size_t n = b.size();
  if (n == 0) return;
  if (n < 3)
    throw Error(Fault::OutOfRange, "The boundary needs at least three points", step, "Draw it as a closed polygon.")
        .mendedBy("boundary_mm");
  const auto turn = [](const Vec2& p, const Vec2& q, const Vec2& r) { return (q - p).x() * (r - p).y() - (q - p).y() * (r - p).x(); };
  double area = 0, size = 0;
  for (std::size_t i = 0; i < n; ++i) {
    if (!b[i].allFinite())
      throw Error(Fault::NotUnderstood, "A point of the boundary is not a number", step, "Give each as x and y in mm.")
          .mendedBy("boundary_mm");
    area += turn(b[0], b[i], b[(i + 1) % n]) / 2, size = std::max(size, (b[i] - b[0]).norm());
  }
  for (std::size_t i = 0; i < n; ++i)
    for (std::size_t k = i + 2; k < n; ++k) {
      if (i == 0 && k + 1 == n) continue; // neighbours over the end
      const Vec2 &a0 = b[i], &a1 = b[i + 1], &c0 = b[k], &c1 = b[(k + 1) % n];
      if (turn(a0, a1, c0) * turn(a0, a1, c1) > 0 || turn(c0, c1, a0) * turn(c0, c1, a1) > 0) continue;
      // On one line they may still lie apart.
      const Eigen::AlignedBox2d boxA(a0.cwiseMin(a1), a0.cwiseMax(a1)), boxC(c0.cwiseMin(c1), c0.cwiseMax(c1));
      if (!boxA.intersects(boxC)) continue;
      throw Error(Fault::Cannot,
                  "The boundary crosses itself: between its points " + std::to_string(i + 1) + " and " + std::to_string(i + 2) + ", and " +
                      std::to_string(k + 1) + " and " + std::to_string((k + 1) % n + 1),
                  step, "Give its points in order round the ground.")
          .mendedBy("boundary_mm");
    }
  if (!(std::abs(area) > 1e-9 * size * size))
    throw Error(Fault::NothingToDo, "The boundary encloses nothing", step, "Draw it round the ground to be cut.").mendedBy("boundary_mm");
}

std::vector<char> regionFacets(const Part& part, const RegionLimits& limits, const Vec3& up, const std::string& step) {
  assert(isUnit(up));
  const Mesh& mesh = part.mesh;
  std::vector<char> in(mesh.triangles.size(), 0);
  if (!(limits.slopeFrom < limits.slopeTo))
    throw Error(Fault::Missing, "The slope range is empty", step, "Make its end larger than its start.").mendedBy("slope_to_deg");
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
    throw Error(Fault::NothingToDo, "None of the step's regions is found on the model", step,
                "Mark them again, or let the step have all ground.")
        .mendedBy("regions");
  if (bySlope == 0)
    throw Error(Fault::NothingToDo, "No surface has a slope in the step's range", step, "Widen the slope range or choose other patches.")
        .mendedBy("slope_from_deg");
  if (count == 0)
    throw Error(Fault::NothingToDo, "The boundary lies outside the part", step, "Move it onto the part, or remove it.")
        .mendedBy("boundary_mm");
  return in;
}

} // namespace hemline
