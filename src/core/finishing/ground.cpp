#include "finishing/ground.h"

namespace hemline {
namespace {

constexpr double kOnBorder = 1e-6; // mm

} // namespace

Ground::Ground(const Part& part, std::vector<char> region, const RegionLimits& limits, double cutterRadius, double overrun)
    : part_(&part), region_(std::move(region)), limits_(limits), cutterRadius_(cutterRadius), overrun_(overrun) {
  const Mesh& mesh = part.mesh;
  for (const MeshEdge& e : meshEdges(mesh)) {
    const bool a = e.left >= 0 && has(e.left), b = e.right >= 0 && has(e.right);
    if (a == b) continue;
    border_.push_back({mesh.points[static_cast<std::size_t>(e.a)], mesh.points[static_cast<std::size_t>(e.b)],
                       measuringNormal(part, static_cast<std::size_t>(a ? e.left : e.right))});
  }
  std::vector<Box> boxes(border_.size());
  for (std::size_t i = 0; i < boxes.size(); ++i) boxes[i].add(border_[i].a), boxes[i].add(border_[i].b);
  tree_ = BoxTree(boxes);
}

/// Is the place within `reach` of the border, where the normal of the facet inside is within `swing` (cosine) of this one?
bool Ground::nearBorder(const Vec3& p, const Vec3& normal, double reach, double swing) const {
  double best = reach;
  bool near = false;
  tree_.minimise([&](const Vec3& c, const Vec3& h) { return ((p - c).cwiseAbs() - h).cwiseMax(0.0).norm(); },
                 [&](int i) {
                   const Border& e = border_[static_cast<std::size_t>(i)];
                   Vec3 on, off;
                   const double d = distanceSegments(p, p, e.a, e.b, on, off);
                   if (d < best && normal.dot(e.normal) >= swing) best = d, near = true;
                 },
                 best);
  return near;
}

bool Ground::needs(const Contact& c, double roll) const {
  if (c.ground) return true;
  const double swing = roll > 0 ? 1 - 0.5 * (overrun_ / roll) * (overrun_ / roll) : -1;
  return nearBorder(c.point, c.normal, overrun_, std::max(swing, -1.0));
}

bool Ground::isWithin(const Vec3& contact, std::size_t facet) const {
  const auto& corners = part_->mesh.triangles[facet];
  const SurfacePoint at = pointOver(part_->mesh, static_cast<int>(facet), contact);
  const auto of = [&](std::size_t k) { return (*limits_.within)[static_cast<std::size_t>(corners[k])]; };
  return (1 - at.u - at.v) * of(0) + at.u * of(1) + at.v * of(2) >= 0;
}

bool Ground::wants(const Location& l, int facet) const {
  if (facet < 0) return false;
  // On an edge the contact's normal swings from one facet's to the other's. Inside the region such places are needed;
  // on its border the pass follows a little way round, not down the side.
  const bool inside = has(facet) && (l.normal.dot(measuringNormal(*part_, static_cast<std::size_t>(facet))) >= kSwing ||
                                     !nearBorder(l.contact, l.normal, kOnBorder, -2));
  if (!inside && !nearBorder(l.contact, l.normal, overrun_, kSwing)) return false;
  if (limits_.within && !isWithin(l.contact, static_cast<std::size_t>(facet))) return false;
  if (limits_.boundary.empty()) return true;
  const Vec2 at = limits_.plan(limits_.meaning == BoundaryMeaning::Contact ? l.contact : l.tip);
  if (!insidePolygon(limits_.boundary, at)) return false;
  return limits_.meaning != BoundaryMeaning::WholeCutter || distanceToPolygon(limits_.boundary, at) >= cutterRadius_;
}

} // namespace hemline
