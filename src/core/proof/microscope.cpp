#include "proof/microscope.h"
#include <cmath>

namespace hemline {
namespace {

constexpr double kOff = 3;     // mm: how far the surface may leave the spot's plane within a map or section
constexpr double kEdge = 0.95; // cosine by which neighbouring places' normals may differ before that is an edge

/// The surface over a place of the spot's plane, nearest to that plane.
std::optional<Place> onSurface(const Part& part, const Spot& spot, double u, double w) {
  const Vec3 plane = spot.at + u * spot.feed + w * spot.across;
  std::optional<Place> best;
  double nearest = kOff;
  for (const int side : {1, -1}) {
    const RayHit hit = castRay(*part.tree, plane - side * 1e-6 * spot.normal, side * spot.normal);
    if (!hit.hit || hit.distance > nearest) continue;
    nearest = hit.distance;
    best = placeOn(part, static_cast<std::size_t>(hit.triangle), hit.u, hit.v);
  }
  if (best && best->normal.dot(spot.normal) < 0.2) return std::nullopt;
  return best;
}

constexpr double kDepth = 0.5; // mm below the surface where a ray starts

} // namespace

Spot spotAt(const Part& part, const Path& path, const Vec3& place) {
  Spot spot;
  const Nearest on = closestPoint(*part.tree, place);
  const auto t = static_cast<std::size_t>(on.triangle);
  spot.at = on.point;
  spot.normal = measuringNormal(part, t);
  double best = kInfinity;
  Vec3 way = Vec3::Zero(), off;
  for (std::size_t i = 1; i < path.locations.size(); ++i) {
    const Location &a = path.locations[i - 1], &b = path.locations[i];
    if (b.motion != Motion::Cut || b.normal.isZero() || a.normal.isZero() || (b.contact - a.contact).squaredNorm() < 1e-18) continue;
    Vec3 nearest;
    const double d = distanceSegments(spot.at, spot.at, a.contact, b.contact, nearest, off);
    if (d < best) best = d, way = b.contact - a.contact;
  }
  way -= way.dot(spot.normal) * spot.normal;
  if (way.norm() < 1e-9) {
    Vec3 e2;
    frameAround(spot.normal, way, e2);
  }
  spot.feed = way.normalized();
  spot.across = spot.normal.cross(spot.feed);
  // The surface's own normal just there.
  if (const auto exact = onSurface(part, spot, 0, 0); exact && (exact->point - spot.at).norm() < 0.1) {
    spot.at = exact->point, spot.normal = exact->normal;
    spot.feed = (spot.feed - spot.feed.dot(spot.normal) * spot.normal).normalized();
    spot.across = spot.normal.cross(spot.feed);
  }
  return spot;
}

Path movesAround(const Path& path, const Profile& profile, const Vec3& place, double radius) {
  // A move can take part where its body comes near: the body lies within its length and radius of the tip.
  const double far = radius + profile.maxRadius() + profile.length();
  Path out;
  bool open = false;
  for (std::size_t i = 1; i < path.locations.size(); ++i) {
    const Location &a = path.locations[i - 1], &b = path.locations[i];
    Vec3 on, off;
    if (!removesMaterial(b.motion) || distanceSegments(place, place, a.tip, b.tip, on, off) > far) {
      open = false;
      continue;
    }
    if (!open) {
      out.locations.push_back(a);
      out.locations.back().motion = Motion::Rapid;
    }
    out.locations.push_back(b);
    open = true;
  }
  return out;
}

HeightMap heightMap(const Part& part, const Sweep& sweep, const Spot& spot, double size, std::size_t count, double limit) {
  HeightMap map{spot, size, count, std::vector<float>(count * count, std::numeric_limits<float>::quiet_NaN())};
  std::vector<Sweep::Ray> rays;
  std::vector<std::size_t> where;
  std::vector<Sweep::Entry> entries(count);
  for (std::size_t row = 0; row < count; ++row) {
    rays.clear(), where.clear();
    const double w = size * ((double(row) + 0.5) / double(count) - 0.5);
    for (std::size_t k = 0; k < count; ++k)
      if (const auto p = onSurface(part, spot, size * ((double(k) + 0.5) / double(count) - 0.5), w))
        rays.push_back({p->point, p->normal}), where.push_back(row * count + k);
    sweep.firstEntries(rays, kDepth, limit, entries.data());
    for (std::size_t i = 0; i < rays.size(); ++i)
      if (entries[i].move >= 0) map.left[where[i]] = static_cast<float>(entries[i].t);
  }
  return map;
}

Section sectionAcross(const Part& part, const Sweep& sweep, const Spot& spot, double length, double step, double limit) {
  // From the spot both ways; places are walked in the spot's plane and told apart along the surface.
  struct Seen {
    double s;
    Sweep::Ray ray;
  };
  const auto walk = [&](int side, double far) {
    std::vector<Seen> out;
    Place before{spot.at, spot.normal};
    double s = 0, w = 0;
    while (s < far) {
      // Ground that leans against the spot's plane is stepped over more slowly.
      w += step * std::max(0.2, before.normal.dot(spot.normal));
      const auto p = onSurface(part, spot, 0, side * w);
      if (!p || p->normal.dot(before.normal) < kEdge || (p->point - before.point).norm() > 10 * step) break;
      s += (p->point - before.point).norm();
      before = *p;
      out.push_back({side * s, {p->point, p->normal}});
    }
    return out;
  };
  // Near an edge it goes on farther on the other side.
  std::vector<Seen> all = walk(-1, 0.5 * length);
  std::vector<Seen> ahead = walk(1, length - (all.empty() ? 0 : -all.back().s));
  if (!ahead.empty() && ahead.back().s < 0.49 * length) all = walk(-1, length - ahead.back().s);
  if (ahead.empty()) all = walk(-1, length);
  std::reverse(all.begin(), all.end());
  all.push_back({0, {spot.at, spot.normal}});
  const std::size_t middle = all.size() - 1;
  all.insert(all.end(), ahead.begin(), ahead.end());
  std::vector<Sweep::Ray> rays;
  rays.reserve(all.size());
  for (const Seen& x : all) rays.push_back(x.ray);
  std::vector<Sweep::Entry> entries(rays.size());
  sweep.firstEntries(rays, kDepth, limit, entries.data());
  std::size_t from = middle, to = middle + 1;
  Section out;
  out.step = step;
  if (entries[middle].move < 0) return out;
  while (from > 0 && entries[from - 1].move >= 0) --from;
  while (to < all.size() && entries[to].move >= 0) ++to;
  // Evenly spaced along the surface.
  out.first = all[from].s;
  std::size_t k = from;
  for (double s = out.first; s <= all[to - 1].s; s = out.first + step * double(out.left.size())) {
    while (k + 2 < to && all[k + 1].s < s) ++k;
    if (k + 1 >= to) break;
    const double share = (s - all[k].s) / (all[k + 1].s - all[k].s);
    out.left.push_back(entries[k].t + share * (entries[k + 1].t - entries[k].t));
  }
  return out;
}

SpotRoughness roughnessAt(const Part& part, const Path& path, const Profile& profile, const Vec3& place) {
  const Spot spot = spotAt(part, path, place);
  SpotRoughness out;
  for (double length = 0.5; length < 60; length *= 1.8) {
    const Sweep sweep(profile, movesAround(path, profile, spot.at, length));
    SpotRoughness now;
    now.section = sectionAcross(part, sweep, spot, length, std::clamp(length / 4000, 0.001, 0.01));
    now.roughness = roughnessOf(now.section.left, now.section.step);
    const bool ended = double(now.section.left.size()) * now.section.step < 0.9 * length;
    if (now.roughness.known || !out.roughness.known) out = now;
    // Two elements at least have to be seen before the standard's rule can be trusted.
    if (ended || (now.roughness.sections >= 5 && now.roughness.length > 2 * now.roughness.RSm)) break;
  }
  return out;
}

} // namespace hemline
