#include "study/ruled.h"
#include "base/threads.h"
#include "base/units.h"
#include <algorithm>
#include <fmt/format.h>
#include <map>

namespace hemline {

WallSurface::WallSurface(const Part& part, int wanted) : patch(wanted) {
  std::map<int, int> pointOf;
  for (std::size_t t = 0; t < part.mesh.triangles.size(); ++t) {
    if (part.mesh.patch[t] != patch) continue;
    std::array<int, 3> corners{};
    for (std::size_t k = 0; k < 3; ++k) {
      const auto [it, fresh] = pointOf.try_emplace(part.mesh.triangles[t][k], static_cast<int>(mesh.points.size()));
      if (fresh) mesh.points.push_back(part.mesh.points[static_cast<std::size_t>(part.mesh.triangles[t][k])]);
      corners[k] = it->second;
    }
    mesh.triangles.push_back({corners[0], corners[1], corners[2]});
    mesh.patch.push_back(patch);
  }
  if (mesh.triangles.empty()) throw Error(Fault::NothingToDo, "The patch has no facets", "ruled test", "Choose another one.");
  tree = std::make_unique<MeshTree>(mesh);
}

namespace {

constexpr int kStations = 24; // places along a line, to each side

/// How far the line runs over the patch to one side: until its nearest place of the patch stays behind (the border).
double reachOf(const WallSurface& patch, const Vec3& p, const Vec3& d, double longest) {
  const auto over = [&](double t) {
    const Vec3 q = p + t * d;
    const Nearest n = closestPoint(*patch.tree, q);
    const Vec3 off = q - n.point, normal = patch.normal(n.triangle);
    return (off - off.dot(normal) * normal).norm() < 1e-6 * longest + 0.3 * std::abs(off.dot(normal));
  };
  double good = 0, bad = longest;
  for (int k = 1; k <= kStations; ++k) {
    const double t = longest * k / kStations;
    if (!over(t)) {
      bad = t;
      break;
    }
    good = t;
  }
  for (int k = 0; k < 20 && bad > good; ++k) {
    const double m = 0.5 * (good + bad);
    (over(m) ? good : bad) = m;
  }
  return good;
}

Ruling along(const WallSurface& patch, const Vec3& p, const Vec3& d, double longest) {
  Ruling r;
  const double ahead = reachOf(patch, p, d, longest), back = reachOf(patch, p, -d, longest);
  r.from = p - back * d, r.to = p + ahead * d;
  for (int k = 0; k <= 2 * kStations; ++k) {
    const Vec3 q = r.from + (r.to - r.from) * k / (2 * kStations);
    r.deviation = std::max(r.deviation, closestPoint(*patch.tree, q).distance);
  }
  return r;
}

/// Slope of the line's height over the patch, seen from p: least squares.
double slopeOver(const WallSurface& patch, const Vec3& p, const Vec3& d, const Ruling& line) {
  double up = 0, square = 0;
  for (int k = 0; k <= kStations; ++k) {
    const Vec3 q = line.from + (line.to - line.from) * k / kStations;
    const Nearest n = closestPoint(*patch.tree, q);
    const double t = (q - p).dot(d);
    up += t * (q - n.point).dot(patch.normal(n.triangle)), square += t * t;
  }
  return square > 0 ? up / square : 0;
}

} // namespace

RuledTest ruledTest(const WallSurface& one, std::size_t count, Progress& progress) {
  RuledTest out;
  out.patch = one.patch;
  out.area = one.mesh.area();
  // At equal steps of the summed area.
  std::vector<std::size_t> facets;
  double sum = 0;
  for (std::size_t t = 0; t < one.mesh.triangles.size(); ++t) {
    sum += one.mesh.facetArea(t);
    while (facets.size() < count && sum >= (static_cast<double>(facets.size()) + 0.5) * out.area / static_cast<double>(count))
      facets.push_back(t);
  }
  const double longest = one.mesh.bounds().diagonal();
  out.rulings.resize(facets.size());
  parallelChunks(facets.size(), 1, [&](std::size_t first, std::size_t last) {
    for (std::size_t k = first; k < last; ++k) {
      progress.check();
      const std::size_t t = facets[k];
      const Vec3 p = (one.mesh.corner(t, 0) + one.mesh.corner(t, 1) + one.mesh.corner(t, 2)) / 3;
      Vec3 e1, e2;
      frameAround(one.mesh.facetNormal(t), e1, e2);
      // A short line leaves the patch less than a long one for no merit of its own: how far by its length counts. A facet's plane is not
      // the surface's: the line leans out of it as the heights along it ask for.
      const Vec3 up = e1.cross(e2);
      const auto lineAt = [&](double a) {
        Vec3 d = std::cos(a) * e1 + std::sin(a) * e2;
        for (int round = 0; round < 2; ++round) d = (d - slopeOver(one, p, d, along(one, p, d, longest)) * up).normalized();
        return along(one, p, d, longest);
      };
      const auto value = [&](const Ruling& r) {
        const double length = (r.to - r.from).squaredNorm();
        return length > 0 ? r.deviation / length : kInfinity;
      };
      constexpr int kDirections = 30;
      const double step = kPi / kDirections;
      double best = 0;
      Ruling r = lineAt(0);
      const auto attempt = [&](double a) {
        const Ruling other = lineAt(a);
        if (value(other) < value(r)) r = other, best = a;
      };
      for (int i = 1; i < kDirections; ++i) attempt(i * step);
      for (double h = step / 2; h > radians(0.01); h /= 2)
        for (const double a : {best - h, best + h}) attempt(a);
      const Nearest middle = closestPoint(*one.tree, 0.5 * (r.from + r.to));
      r.middle = middle.point, r.normal = one.normal(middle.triangle);
      const Vec3 inset = 0.01 * (r.to - r.from);
      r.twist = angleBetween(one.normal(closestPoint(*one.tree, r.from + inset).triangle),
                             one.normal(closestPoint(*one.tree, r.to - inset).triangle));
      out.rulings[k] = r;
    }
  });
  for (const Ruling& r : out.rulings) {
    if (r.deviation > out.deviation) out.deviation = r.deviation, out.deviationAt = r.middle;
    out.twist = std::max(out.twist, r.twist);
  }
  return out;
}

FlankFit flankFit(const WallSurface& one, const Ruling& ruling, double radius, double halfAngle) {
  FlankFit out;
  const Vec3 d = (ruling.to - ruling.from).normalized();
  const Vec3 n = (ruling.normal - ruling.normal.dot(d) * d).normalized();
  // From a place of the axis straight down to the ruling, whose side there is nearest to it.
  const double half = 0.5 * (ruling.to - ruling.from).norm(), middle = radius / std::cos(halfAngle);
  constexpr int kPlaces = 100;
  for (int k = 0; k <= kPlaces; ++k) {
    const double t = half * 0.98 * (2.0 * k / kPlaces - 1), down = middle + t * std::tan(halfAngle);
    const double e = closestPoint(*one.tree, ruling.middle + t * d + down * n).distance - down;
    out.over = std::max(out.over, -e), out.under = std::max(out.under, e);
  }
  return out;
}

std::vector<int> wallsOf(const Part& part, const Vec3& up, double slope) {
  const Mesh& mesh = part.mesh;
  std::map<int, std::pair<double, double>> area; // all, and steep
  double whole = 0;
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    const double a = mesh.facetArea(t);
    auto& [all, steep] = area[mesh.patch[t]];
    whole += a, all += a;
    if (std::abs(mesh.facetNormal(t).dot(up)) <= std::cos(slope)) steep += a;
  }
  std::vector<int> out;
  for (const auto& [patch, a] : area)
    if (a.second > 0.95 * a.first && a.first > 0.02 * whole) out.push_back(patch);
  std::sort(out.begin(), out.end(), [&](int a, int b) { return area[a].first > area[b].first; });
  if (out.size() > 8) out.resize(8);
  return out;
}

std::vector<Wall> studyWalls(const Part& part, const Vec3& up, Progress& progress) {
  assert(isUnit(up));
  constexpr std::size_t kRulings = 12;
  constexpr double kSteep = 1.05; // 60 degrees
  std::vector<Wall> out;
  for (const int patch : wallsOf(part, up, kSteep)) {
    if (static_cast<std::size_t>(patch) < part.patches.size() && part.patches[static_cast<std::size_t>(patch)].shape == "plane") continue;
    Wall w;
    const WallSurface surface(part, patch);
    w.test = ruledTest(surface, kRulings, progress);
    for (const Ruling& r : w.test.rulings) {
      const FlankFit fit = flankFit(surface, r, kFlankRadius, 0);
      if (fit.balanced() > w.flank.balanced()) w.flank = fit;
    }
    out.push_back(std::move(w));
  }
  return out;
}

std::string wallText(const Part& part, const Wall& w, LengthUnit unit) {
  constexpr double kRuled = 0.01; // mm: less is ruled for any cutter's side
  const auto patch = static_cast<std::size_t>(w.test.patch);
  const std::string name = patch < part.patches.size() ? part.patches[patch].name : fmt::format("patch {}", patch + 1);
  const std::string off = formatLength(w.test.deviation, unit, true);
  if (w.test.deviation > kRuled)
    return fmt::format("{}, {:.1f} cm², is not ruled: straight lines leave it by up to {}", name, w.test.area / 100, off);
  return fmt::format("{}, {:.1f} cm², is ruled to {}; its normal turns by up to {:.1f}\u00b0 along a line, so that the side of a {} "
                     "cylinder would cut in or "
                     "stand off by {}",
                     name, w.test.area / 100, off, degrees(w.test.twist), formatLength(2 * kFlankRadius, unit),
                     formatLength(w.flank.balanced(), unit, true));
}

} // namespace hemline
