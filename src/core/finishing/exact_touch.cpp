#include "finishing/exact_touch.h"

namespace hemline {
namespace {

constexpr double kOnLine = 1e-6; // mm
constexpr int kSteps = 8;        // Newton halves the digits left; more than this is no plain contact
constexpr double kAgrees = 0.94; // cosine between the exact normal and the contact's on the facets (20 degrees)
constexpr double kPlain = 1 - 1e-9;
constexpr double kOff = 3;        // times the tessellation's error: a contact farther away is another one
constexpr double kSkin = 1e-6;    // mm
constexpr double kSteep = 0.1;    // cosine to the axis: steeper contacts rise no more for what the tessellation is off
constexpr std::size_t kFaces = 4; // that may be touched at a place

} // namespace

Vec3 tipFor(const Profile& profile, const Vec3& p, const Vec3& n, const Vec3& a) {
  const double c = n.dot(a);
  const Vec3 side = n - c * a;
  const double s = side.norm();
  const Vec2 q = profile.support(s, c);
  Vec3 tip = p - q.y() * a;
  if (s > 1e-12) tip += (q.x() / s) * side;
  return tip;
}

bool touchExactly(const Part& part, const Profile& profile, const Vec3& axis, const Vec3& onLine, Touch& touch) {
  if (!touch.hit || touch.triangle < 0) return false;
  const auto t = static_cast<std::size_t>(touch.triangle);
  if (!knowsSurface(part, t)) return false;
  const int face = part.mesh.patch[t];
  if (part.surface->plane(face)) return touch.normal.dot(part.mesh.facetNormal(t)) > kPlain; // the facet is exact, its edges are not
  const Vec3 facet = part.mesh.facetNormal(t);
  if (touch.normal.dot(facet) < kAgrees) return false;
  // Start: barycentric coordinates of the contact on its facet.
  const Vec3 &a = part.mesh.corner(t, 0), e1 = part.mesh.corner(t, 1) - a, e2 = part.mesh.corner(t, 2) - a, d = touch.contact - a;
  const double d11 = e1.dot(e1), d12 = e1.dot(e2), d22 = e2.dot(e2), det = d11 * d22 - d12 * d12;
  if (!(det > 0)) return false;
  Vec2 uv = parametersOn(part, t, (d22 * d.dot(e1) - d12 * d.dot(e2)) / det, (d11 * d.dot(e2) - d12 * d.dot(e1)) / det);
  Vec3 x, y;
  frameAround(axis, x, y);
  Vec3 point, normal, tip;
  ExactSurface::Spot spot;
  const auto miss = [&](const Vec2& at) {
    spot = part.surface->at(face, at);
    normal = spot.normal();
    if (normal.dot(facet) < 0) normal = -normal;
    point = spot.point;
    tip = tipFor(profile, point, normal, axis);
    const Vec3 off = tip - onLine;
    return Vec2(off.dot(x), off.dot(y));
  };
  Vec2 off = miss(uv);
  for (int i = 0; i < kSteps && !(off.norm() <= kOnLine); ++i) {
    // Differences over about 10 um of surface: the parameters' own scale may be anything.
    Eigen::Matrix2d slope;
    const Vec2 step(1e-2 / std::max(spot.du.norm(), 1e-9), 1e-2 / std::max(spot.dv.norm(), 1e-9));
    for (int k = 0; k < 2; ++k) slope.col(k) = (miss(uv + step[k] * Vec2::Unit(k)) - off) / step[k];
    const double size = slope.determinant();
    if (!(std::abs(size) > 1e-12 * slope.squaredNorm())) return false;
    uv -= slope.inverse() * off;
    const double before = off.norm();
    off = miss(uv);
    if (!(off.norm() < 0.5 * before) && off.norm() > kOnLine) return false;
  }
  if (!(off.norm() <= kOnLine) || normal.dot(touch.normal) < kAgrees) return false;
  const double height = (tip - onLine).dot(axis), most = kOff * part.facetError + kSkin;
  // A steep contact rises by more than the tessellation is off.
  if (std::abs(height - touch.height) * std::max(kSteep, normal.dot(axis)) > most) return false;
  if (closestPoint(*part.tree, point, most).triangle < 0) return false; // over the face's edge
  touch.height = height, touch.contact = point, touch.normal = normal;
  return true;
}

void touchExactlyAll(const Part& part, const Profile& profile, const Vec3& axis, const Vec3& onLine, Touch& touch) {
  if (!touch.hit || touch.triangle < 0) return;
  const auto patchOf = [&](const Touch& t) { return part.mesh.patch[static_cast<std::size_t>(t.triangle)]; };
  touchExactly(part, profile, axis, onLine, touch);
  std::array<int, kFaces> seen{patchOf(touch)};
  for (std::size_t k = 1; k < kFaces; ++k) {
    const double off = part.facetError / std::max(kSteep, touch.normal.dot(axis));
    Touch other = touchOfOthers(*part.tree, profile, axis, onLine, touch.height - off, std::span(seen).first(k));
    if (!other.hit) return;
    seen[k] = patchOf(other);
    // On the edge of its face a touch is known to the facets' error only, and the face that is touched already has that edge, too.
    const bool inside = other.normal.dot(part.mesh.facetNormal(static_cast<std::size_t>(other.triangle))) > kAgrees,
               exact = inside && touchExactly(part, profile, axis, onLine, other);
    if (!exact || !(other.height > touch.height)) continue;
    // Smooth faces go on beyond their borders: there the contact is none.
    const int nearest = closestPoint(*part.tree, other.contact, kOff * part.facetError + kSkin).triangle;
    if (nearest >= 0 && part.mesh.patch[static_cast<std::size_t>(nearest)] == seen[k]) touch = other;
  }
}

} // namespace hemline
