#include "proof/fillet_pieces.h"

namespace hemline {
namespace {

constexpr int kMost = 64; // along a side

/// A corner of the pieces: the ground, the fillet over it, and its ball's middle (none: the ground lies free).
struct Corner {
  Vec3 ground, on, normal;
  std::optional<Vec3> centre;
};

Corner cornerOver(const Placing& reach, const Vec3& p, const Vec3& n) {
  Corner c{p, p, n, reach.filletCentre(p, n)};
  if (!c.centre) return c;
  const Vec3 to = *c.centre - p;
  c.normal = to.normalized(), c.on = *c.centre - (reach.filletRadius() + reach.allowance()) * c.normal;
  return c;
}

/// What the ball leaves of the ground at its corners and, since its nearest place for one corner is none too far for the others, anywhere.
void restOf(FilletPiece& p, const std::array<const Corner*, 3>& at, double radius) {
  double bound = kInfinity;
  for (const Corner* c : at) {
    const double own = c->centre ? (*c->centre - c->ground).norm() - radius : 0;
    if (own > p.rest) p.rest = own, p.restAt = c->ground;
    double most = 0;
    const Vec3 middle = c->centre ? *c->centre : Vec3(c->ground + radius * c->normal);
    for (const Corner* o : at) most = std::max(most, (middle - o->ground).norm() - radius);
    bound = std::min(bound, most);
  }
  p.restBound = std::max(bound, p.rest);
}

} // namespace

std::vector<FilletPiece> filletPieces(const Placing& reach, const SurfacePiece& ground, const Vec3& n, std::size_t facet, double off) {
  const Part& part = reach.part();
  const auto place = [&](double x, double y) {
    if (ground.face >= 0)
      return part.surface->pointAt(ground.face, ground.uv[0] + x * (ground.uv[1] - ground.uv[0]) + y * (ground.uv[2] - ground.uv[0]));
    return Vec3(ground.p[0] + x * (ground.p[1] - ground.p[0]) + y * (ground.p[2] - ground.p[0]));
  };
  bool any = false;
  for (const Vec2& at : {Vec2(0, 0), Vec2(1, 0), Vec2(0, 1), Vec2(1.0 / 3, 1.0 / 3)})
    any = any || reach.filletCentre(place(at.x(), at.y()), n).has_value();
  if (!any) return {};
  const double r = reach.filletRadius() + reach.allowance(), longest = std::sqrt(6 * r * off);
  double side = 0;
  for (std::size_t k = 0; k < 3; ++k) side = std::max(side, (ground.p[k] - ground.p[(k + 1) % 3]).norm());
  const int parts = std::clamp(static_cast<int>(std::ceil(side / longest)), 1, kMost);
  std::vector<Corner> corners;
  const auto at = [&](int i, int j) { return static_cast<std::size_t>(j * (parts + 1) - j * (j - 1) / 2 + i); };
  for (int j = 0; j <= parts; ++j)
    for (int i = 0; i + j <= parts; ++i) corners.push_back(cornerOver(reach, place(double(i) / parts, double(j) / parts), n));
  std::vector<FilletPiece> out;
  const auto add = [&](std::size_t a, std::size_t b, std::size_t c) {
    FilletPiece p;
    const std::array<const Corner*, 3> three{&corners[a], &corners[b], &corners[c]};
    Vec3 normal = Vec3::Zero();
    double sides = 0;
    for (std::size_t k = 0; k < 3; ++k) {
      p.piece.p[k] = three[k]->on, p.ground[k] = three[k]->ground, normal += three[k]->normal;
      p.on[k] = pointOver(part.mesh, static_cast<int>(facet), three[k]->ground);
      sides = std::max(sides, (three[k]->on - three[(k + 1) % 3]->on).squaredNorm());
    }
    p.normal = normal.normalized();
    // No place of a triangle is farther from its chords than that where the surface bends by no more than 1/r.
    p.piece.below = sides / (6 * r);
    restOf(p, three, r);
    out.push_back(p);
  };
  for (int j = 0; j < parts; ++j)
    for (int i = 0; i + j < parts; ++i) {
      add(at(i, j), at(i + 1, j), at(i, j + 1));
      if (i + j + 1 < parts) add(at(i + 1, j), at(i + 1, j + 1), at(i, j + 1));
    }
  return out;
}

} // namespace hemline
