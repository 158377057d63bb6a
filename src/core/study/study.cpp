#include "study/study.h"
#include "base/threads.h"
#include "study/largest_ball.h"
#include <cmath>

namespace hemline {
namespace {

/// Of one chunk of facets; the places belong to the extremes.
struct Found : Study {
  double leastUp = 1, mostDown = 0, lowest = kInfinity, mostConcave = 0;
};

} // namespace

TwoLays twoLays(const std::vector<double>& slope, const std::vector<double>& area) {
  assert(slope.size() == area.size());
  constexpr int kBins = 180; // half degrees
  std::vector<double> across(kBins + 1, 0), upright(kBins + 1, 0), ground(kBins + 1, 0), low(kBins + 1, kPi), high(kBins + 1, 0);
  double least = kPi, most = 0;
  for (std::size_t i = 0; i < slope.size(); ++i) {
    const double a = std::clamp(slope[i], 0.0, kPi / 2);
    const auto k = static_cast<std::size_t>(std::min<int>(kBins - 1, static_cast<int>(degrees(a) * 2)));
    across[k] += area[i] * std::cos(a), upright[k] += area[i] * std::sin(a), ground[k] += area[i];
    if (!(area[i] > 0)) continue;
    least = std::min(least, a), most = std::max(most, a);
    low[k] = std::min(low[k], a), high[k] = std::max(high[k], a);
  }
  double s1 = 0, s2 = 0, all = 0, steep = 0;
  for (int k = 0; k < kBins; ++k) {
    const auto b = static_cast<std::size_t>(k);
    all += across[b], s2 += upright[b], steep += ground[b];
  }
  TwoLays out;
  const double parallel = most < kPi / 2 ? all / std::cos(most) : kInfinity, level = least > 0 ? s2 / std::sin(least) : kInfinity;
  const double one = std::min(parallel, level);
  out.parallel = parallel <= level;
  for (int k = kBins; k-- > 1;)
    low[static_cast<std::size_t>(k) - 1] = std::min(low[static_cast<std::size_t>(k) - 1], low[static_cast<std::size_t>(k)]);
  double best = one, steepest = 0; // of the ground below the angle
  for (int k = 1; k < kBins; ++k) {
    const auto b = static_cast<std::size_t>(k - 1);
    s1 += across[b], s2 -= upright[b], steep -= ground[b];
    steepest = std::max(steepest, high[b]);
    const double length = s1 / std::cos(steepest) + std::max(0.0, s2) / std::sin(low[b + 1]);
    if (s1 > 0 && steep > 1e-9 && length < best) best = length, out.angle = 0.5 * (steepest + low[b + 1]), out.steep = steep;
  }
  if (one > 0 && one < kFinite) out.saves = 1 - best / one;
  if (one > kFinite && best < kFinite) out.saves = 1;
  return out;
}

FacetMarks facetMarks(const Part& part) {
  const Mesh& mesh = part.mesh;
  FacetMarks out;
  for (const MeshEdge& e : meshEdges(mesh)) {
    if (!isSmooth(mesh, e)) continue;
    const auto l = static_cast<std::size_t>(e.left), r = static_cast<std::size_t>(e.right);
    out.jump = std::max(out.jump, angleBetween(mesh.facetNormal(l), mesh.facetNormal(r)));
    const double s = std::max(sagittaOver(mesh, e, l), sagittaOver(mesh, e, r));
    if (s > out.sagitta)
      out.sagitta = s, out.at = 0.5 * (mesh.points[static_cast<std::size_t>(e.a)] + mesh.points[static_cast<std::size_t>(e.b)]);
  }
  return out;
}

Study studyPart(const Part& part, const Vec3& up, Progress& progress) {
  assert(isUnit(up));
  const double steepFrom = std::cos(radians(60)), steepTo = std::cos(radians(85));
  constexpr double kGround = 0.2;          // cosine of the steepest slope whose depth counts (78 degrees)
  constexpr double kLevel = 0.999;         // cosine: a level underside is what the part stands on
  constexpr double kStraight = 1.0 / 2000; // 1/mm: flatter hollows limit no cutter
  constexpr std::size_t kChunk = 4096;
  const Mesh& mesh = part.mesh;
  const std::size_t n = mesh.triangles.size();
  Curvatures bend = principalCurvatures(part, progress);
  std::vector<char> ground(n, 0);
  std::vector<double> slope(n, 0), sloping(n, 0);
  std::vector<Found> found((n + kChunk - 1) / kChunk);
  parallelChunks(n, kChunk, [&](std::size_t first, std::size_t last) {
    progress.check();
    Found& f = found[first / kChunk];
    for (std::size_t t = first; t < last; ++t) {
      const double area = mesh.facetArea(t);
      const auto [at, normal] = placeOn(part, t, 1.0 / 3, 1.0 / 3);
      const double c = normal.dot(up);
      f.area += area;
      ground[t] = c > std::cos(radians(88));
      if (ground[t]) slope[t] = std::acos(std::clamp(c, -1.0, 1.0)), sloping[t] = area;
      if (c > steepTo && c < steepFrom) {
        f.steepArea += area;
        if (c < f.leastUp) f.leastUp = c, f.steepest = at;
      }
      if (c < -1e-6 && c > -kLevel) {
        f.undersideArea += area;
        if (-c > f.mostDown) f.mostDown = -c, f.underside = at;
      }
      if (c > kGround && at.dot(up) < f.lowest) f.lowest = at.dot(up), f.deepest = at;
      if (const auto k = static_cast<double>(bend.most[t]); c > steepTo && k > f.mostConcave) f.mostConcave = k, f.tightest = at;
    }
  });
  double top = -kInfinity;
  for (const Vec3& p : mesh.points) top = std::max(top, p.dot(up));
  Found all;
  for (const Found& f : found) {
    all.area += f.area, all.steepArea += f.steepArea, all.undersideArea += f.undersideArea;
    if (f.leastUp < all.leastUp) all.leastUp = f.leastUp, all.steepest = f.steepest;
    if (f.mostDown > all.mostDown) all.mostDown = f.mostDown, all.underside = f.underside;
    if (f.lowest < all.lowest) all.lowest = f.lowest, all.deepest = f.deepest;
    if (f.mostConcave > all.mostConcave) all.mostConcave = f.mostConcave, all.tightest = f.tightest;
  }
  if (all.lowest < kFinite) all.depth = top - all.lowest;
  if (all.mostConcave > kStraight) all.concave = 1 / all.mostConcave;
  all.ground = std::move(ground), all.bends = std::move(bend);
  all.lays = twoLays(slope, sloping);
  if (!part.exact) all.facets = facetMarks(part);
  return all;
}

} // namespace hemline
