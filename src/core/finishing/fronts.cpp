#include "finishing/fronts.h"
#include "base/threads.h"
#include "finishing/even_levels.h"
#include "finishing/guided_field.h"
#include "finishing/ridges.h"
#include "geometry/tree.h"
#include "surface/beside_lines.h"
#include "surface/intrinsic_mesh.h"
#include "surface/mesh_field.h"
#include <algorithm>
#include <fmt/format.h>
#include <map>

namespace hemline {
namespace {

constexpr double kMeets = 0.2;     // slope of distances (else 1) where fronts meet in a facet
constexpr double kOver = 0.1;      // of a step: a pass along the ground's border is within
constexpr double kHalfPass = 0.45; // of a step: the outermost of so many passes cuts so much farther
constexpr double kEndSteps = 2;    // of the ground's end, by which is told whether it ends as far away all along
constexpr double kAlike = 0.8;     // of the ground before: as much lies at an end that does
constexpr double kApart = 8;       // sides: ways that begin so far apart are of different fronts

std::size_t at(int i) {
  return static_cast<std::size_t>(i);
}

/// Squared length of d in the metric of a facet (null: the usual one).
double squared(const Vec3& d, const Mat3* metric) {
  return metric ? std::max(0.0, d.dot(*metric * d)) : d.squaredNorm();
}

struct Seed {
  double square = 0; ///< of its distance
  Vec3 at = Vec3::Zero();
};
using Seeds = std::map<int, Seed>; ///< by point

/// The border of the ground: where it ends or meets what is none. Its points lie on it.
void fromBorder(const Mesh& mesh, const std::vector<char>& region, const FacetNeighbours& beside, Seeds& nearest) {
  for (std::size_t t = 0; t < region.size(); ++t)
    for (std::size_t k = 0; k < 3 && region[t]; ++k)
      if (beside[t][k] < 0 || !region[at(beside[t][k])])
        for (const std::size_t c : {k, (k + 1) % 3}) nearest[mesh.triangles[t][c]] = {0, mesh.corner(t, c)};
}

/// Each corner of a facet, as far as it lies from a piece of a line in it.
void fromPiece(const Mesh& mesh, int facet, const Vec3& a, const Vec3& b, const std::vector<Mat3>* metric, Seeds& nearest) {
  const Mat3* m = metric ? &(*metric)[at(facet)] : nullptr;
  for (const int corner : mesh.triangles[at(facet)]) {
    const Vec3& p = mesh.points[at(corner)];
    const Vec3 way = b - a;
    const double l = squared(way, m), along = m ? (p - a).dot(*m * way) : (p - a).dot(way);
    const Vec3 foot = a + (l > 0 ? std::clamp(along / l, 0.0, 1.0) : 0) * way;
    const double d = squared(p - foot, m);
    const auto [it, isNew] = nearest.try_emplace(corner, Seed{d, foot});
    if (!isNew && d < it->second.square) it->second = {d, foot};
  }
}

/// Each corner of the facets that a line crosses, as far as it lies from the line.
void fromLine(const FineMesh& fine, const std::vector<Vec3>& line, const std::vector<Mat3>* metric, Seeds& nearest) {
  const Mesh& mesh = fine.part->mesh;
  for (std::size_t i = 0; i < line.size(); ++i) {
    const Vec3 &a = line[i], &b = line[std::min(i + 1, line.size() - 1)];
    // As finely as facets are small there.
    double done = 0;
    const double length = (b - a).norm();
    do {
      const Vec3 p = a + (length > 0 ? done / length : 0) * (b - a);
      const int facet = closestPoint(*fine.part->tree, p).triangle;
      fromPiece(mesh, facet, a, b, metric, nearest);
      double side = kInfinity;
      for (std::size_t k = 0; k < 3; ++k)
        side = std::min(side, 2 * mesh.facetArea(at(facet)) / (mesh.corner(at(facet), k) - mesh.corner(at(facet), (k + 1) % 3)).norm());
      done += std::max(0.3 * side, 0.001 * std::max(length, 1e-3));
    } while (done < length);
  }
}

/// The widest step in mm that leaves no more than the cusp, but for some of the ground.
double evenStep(const Mesh& mesh, const std::vector<char>& region, const std::vector<double>& value, const std::vector<Mat3>& metric) {
  const MeshField field{&mesh, &value};
  std::vector<std::pair<double, double>> steps;
  for (std::size_t t = 0; t < region.size(); ++t) {
    if (!region[t]) continue;
    const Vec3 g = field.gradientOn(t);
    if (g.norm() > kMeets) steps.emplace_back(stepOf(metric[t], mesh.facetNormal(t), g.normalized()), mesh.facetArea(t));
  }
  return steps.empty() ? 1 : widestStep(std::move(steps));
}

/// Distances from lines, in passes, per point. Throws Error where they do not come to all of the ground.
std::vector<double> passesFrom(const FineMesh& fine, const std::vector<char>& region, const IntrinsicMesh& flat,
                               const std::vector<Mat3>& metric, const std::vector<std::vector<Vec3>>& lines) {
  const Mesh& mesh = fine.part->mesh;
  Seeds nearest;
  for (const auto& line : lines) fromLine(fine, line, &metric, nearest);
  std::vector<IntrinsicMesh::Source> sources;
  for (const auto& [point, seed] : nearest) sources.push_back({point, std::sqrt(seed.square), seed.at});
  std::vector<double> out = flat.distances(sources, false, kApart * meanSide(mesh, region)).distance;
  for (std::size_t t = 0; t < region.size(); ++t)
    for (const int p : mesh.triangles[t])
      if (region[t] && !(out[at(p)] < kFinite))
        throw Error(Fault::Cannot, "Some of the ground does not hang together with the rails", "passes",
                    "Bound the step by a region between them.")
            .mendedBy("regions");
  return out;
}

/// The share of the way from the one line to the other: its gradient is even across the strip.
Fronts betweenRails(const FineMesh& fine, const std::vector<char>& region, const IntrinsicMesh& flat, const std::vector<Mat3>& metric,
                    const FrontsAsk& ask) {
  const Mesh& mesh = fine.part->mesh;
  const std::vector<double> a = passesFrom(fine, region, flat, metric, ask.lay.from),
                            b = passesFrom(fine, region, flat, metric, ask.lay.to);
  Fronts out;
  out.value.resize(a.size(), 0);
  for (std::size_t p = 0; p < a.size(); ++p)
    if (a[p] < kFinite && b[p] < kFinite && a[p] + b[p] > 0) out.value[p] = a[p] / (a[p] + b[p]);
  out.levels = evenLevels(mesh, region, out.value, metric);
  out.step = out.levels.size() > 1 ? (out.levels.back() - out.levels.front()) / static_cast<double>(out.levels.size() - 1) : 1;
  // How wide the strip is, all along: of equal lengths of it, by the area over the width.
  std::vector<std::pair<double, double>> widths;
  double area = 0, along = 0;
  for (std::size_t t = 0; t < region.size(); ++t) {
    if (!region[t]) continue;
    double wide = 0;
    for (const int p : mesh.triangles[t]) wide += (a[at(p)] + b[at(p)]) / 3;
    widths.emplace_back(wide, mesh.facetArea(t) / std::max(wide, 1e-6));
    area += mesh.facetArea(t), along += widths.back().second;
  }
  std::sort(widths.begin(), widths.end());
  const auto quantile = [&](double share) {
    double so = 0;
    for (const auto& [wide, length] : widths)
      if ((so += length) >= share * along) return wide;
    return widths.back().first;
  };
  const double narrow = quantile(kCrossed), wide = quantile(1 - kCrossed);
  // Even passes have the area over the spacing as their length; these run through all of the strip as often as its widest place asks.
  out.told =
      fmt::format("the rails lie {:.0f} to {:.0f} passes apart: the wide places cost the narrow ones {:.0f} % more path than even passes",
                  narrow, wide, std::max(0.0, 100 * (wide * along / std::max(area, 1e-9) - 1)));
  return out;
}

/// Passes beside lines: the ground is theirs up to `limit`, as the field counts.
void boundBeside(const FineMesh& fine, const FrontsAsk& ask, double limit, Fronts& out) {
  const Mesh& mesh = fine.part->mesh;
  std::vector<Vec3> normal(mesh.points.size(), Vec3::Zero());
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
    for (const int p : mesh.triangles[t]) normal[at(p)] += mesh.facetArea(t) * mesh.facetNormal(t);
  const BesideLines lines(ask.lay.from);
  out.within.resize(out.value.size());
  for (std::size_t p = 0; p < out.value.size(); ++p) {
    double& within = out.within[p];
    const double value = out.value[p];
    within = limit - value;
    if (within < 0) continue;
    const bool cut = p >= mesh.points.size(); // these come after the mesh's points
    const SideCut* c = cut ? &out.cuts[p - mesh.points.size()] : nullptr;
    if (ask.lay.bordered()) {
      if (c ? ask.tighter[at(c->a)] || ask.tighter[at(c->b)] : ask.tighter[p]) within = kOver * out.step - value;
      continue;
    }
    const Vec3 place = c ? Vec3((1 - c->x) * mesh.points[at(c->a)] + c->x * mesh.points[at(c->b)]) : mesh.points[p];
    const BesideLines::Where where = lines.of(place, (c ? Vec3(normal[at(c->a)] + normal[at(c->b)]) : normal[p]).normalized());
    if (where.beyond > 0)
      within = -where.beyond;
    else if (ask.lay.sides != Sides::Both && (where.left > 0) != (ask.lay.sides == Sides::Left))
      within = kOver * out.step - value;
  }
}

/// Facets that the fronts come to before they have gone so far.
std::vector<char> reachedBy(const Mesh& mesh, std::vector<char> region, const std::vector<double>& value, double far) {
  for (std::size_t t = 0; t < region.size(); ++t)
    for (const int p : mesh.triangles[t]) region[t] = region[t] && value[at(p)] <= far;
  return region;
}

/// Points that no front comes to get the farthest value; throws Error where that is ground that passes are for.
double endFronts(const Mesh& mesh, const std::vector<char>& region, const FrontsAsk& ask, std::vector<double>& value) {
  const DistanceFronts& lay = ask.lay;
  const bool bounded = lay.beside > 0 || lay.width > 0, border = lay.from.empty() && !lay.bordered();
  double highest = 0, lost = 0, area = 0;
  std::vector<char> inside(mesh.points.size(), 0);
  for (std::size_t t = 0; t < region.size(); ++t) {
    if (!region[t]) continue;
    bool far = false, tight = false;
    for (const int p : mesh.triangles[t]) {
      tight = tight || (lay.into && ask.tighter[at(p)]);
      inside[at(p)] = 1;
      far = far || !(value[at(p)] < kFinite);
      if (value[at(p)] < kFinite) highest = std::max(highest, value[at(p)]);
    }
    area += mesh.facetArea(t);
    if (far && !bounded && tight == lay.into) lost += mesh.facetArea(t);
  }
  if (lost > 1e-9 * area)
    throw Error(Fault::Cannot, fmt::format("{:.4g} mm2 of the ground hang together with nothing that the passes begin at", lost), "passes",
                "Give that ground a step or a rail of its own.")
        .mendedBy("from_rails");
  for (std::size_t p = 0; p < inside.size(); ++p) { // the cuts' places are inside, and come after
    if (!(value[p] < kFinite)) value[p] = highest;
    if (border && !inside[p]) value[p] = -value[p];
    if (lay.into && !ask.tighter[p]) value[p] = -value[p];
  }
  return highest;
}

/// Bends the free fronts until they run with the lay's guides. `seeds`: where they begin.
void runWithGuides(const FineMesh& fine, const std::vector<char>& region, const std::vector<Mat3>& metric, const FrontsAsk& ask,
                   const std::vector<IntrinsicMesh::Source>& seeds, Fronts& out, Progress& progress) {
  const Mesh& mesh = fine.part->mesh;
  std::vector<char> fixed(mesh.points.size(), 0);
  for (const auto& s : seeds) fixed[at(s.point)] = 1;
  const double free = lengthAtLevels(mesh, region, out.value, out.levels), pass = evenStep(mesh, region, out.value, metric);
  Guided bent = guideField(fine, {ask.lay.with, region, out.value, fixed, ask.lay.byCusp ? &metric : nullptr}, pass, progress);
  out.cuts = std::move(bent.cuts), out.value = std::move(bent.value);
  out.levels = evenLevels(mesh, region, out.value, metric);
  out.step = out.levels.size() > 1 ? (out.levels.back() - out.levels.front()) / static_cast<double>(out.levels.size() - 1) : 1;
  const double more = free > 0 ? 100 * (lengthAtLevels(mesh, region, out.value, out.levels) / free - 1) : 0;
  out.told = fmt::format("the lines run with the rails, one pass beside them within {:.0f} degrees, and take {:.0f} % {} path than lines "
                         "free of them",
                         std::ceil(degrees(bent.turned)), std::abs(more), more < 0 ? "less" : "more");
}

/// Does the ground end as far from the beginning all along (a disc from its middle)? Then the ground within two steps of the
/// farthest place is nearly as much as that of the two steps before.
bool endsAlike(const Mesh& mesh, const std::vector<char>& region, const std::vector<double>& value, double highest, double step) {
  double last = 0, before = 0; // mm2
  for (std::size_t t = 0; t < region.size(); ++t) {
    if (!region[t]) continue;
    double here = 0;
    for (const int p : mesh.triangles[t]) here += value[at(p)] / 3;
    const double back = (highest - here) / (kEndSteps * step);
    if (back < 2) (back < 1 ? last : before) += mesh.facetArea(t);
  }
  return last > kAlike * before;
}

/// Facets of ground that hang together with no place at which the fronts begin, and are tight.
std::vector<char> tightAllOver(const Mesh& mesh, const std::vector<char>& region, const FacetNeighbours& beside, const FrontsAsk& ask) {
  std::vector<char> out(region.size(), 0);
  for (std::size_t t = 0; t < region.size(); ++t)
    out[t] = region[t] && std::any_of(mesh.triangles[t].begin(), mesh.triangles[t].end(), [&](int p) { return ask.tighter[at(p)] != 0; });
  std::vector<std::size_t> open;
  const auto take = [&](std::size_t t) {
    if (out[t]) out[t] = 0, open.push_back(t);
  };
  for (const LineOn& b : ask.begin) take(at(b.facet));
  while (!open.empty()) {
    const std::size_t t = open.back();
    open.pop_back();
    for (const int o : beside[t])
      if (o >= 0) take(at(o));
  }
  return out;
}

/// Where fronts begin, of all sorts.
Seeds seedsOf(const FineMesh& fine, const std::vector<char>& region, const FacetNeighbours& beside, const std::vector<Mat3>* metric,
              const FrontsAsk& ask) {
  Seeds nearest;
  for (const auto& line : ask.lay.from) fromLine(fine, line, metric, nearest);
  for (const LineOn& b : ask.begin) fromPiece(fine.part->mesh, b.facet, b.a, b.b, metric, nearest);
  const bool tight = std::any_of(ask.tighter.begin(), ask.tighter.end(), [](char t) { return t != 0; });
  if (ask.lay.ball > 0 && nearest.empty() && tight && !ask.lay.into)
    throw Error(Fault::Cannot, fmt::format("All of the ground is too tight for a ball with a radius of {:.4g} mm", ask.lay.ball), "passes",
                "Choose a smaller cutter.")
        .mendedBy("cutter");
  if (ask.lay.left > 0 && !tight)
    throw Error(Fault::NothingToDo, fmt::format("Nowhere do the steps before leave more than {:.4g} mm", ask.lay.left), "passes",
                "Ask for less, or leave the step out.")
        .mendedBy("left_more_than_mm");
  if (ask.lay.ball > 0 && nearest.empty() && !tight)
    throw Error(Fault::NothingToDo, fmt::format("No ground is too tight for a ball with a radius of {:.4g} mm", ask.lay.ball), "passes",
                "Such passes are for corners and hollows that a cutter cannot enter: choose another cutter, or leave the step out.")
        .mendedBy("cutter");
  // Ground that is tight all over is cleaned up from its own border.
  if (ask.lay.into) fromBorder(fine.part->mesh, tightAllOver(fine.part->mesh, region, beside, ask), beside, nearest);
  if (ask.lay.from.empty() && nearest.empty()) fromBorder(fine.part->mesh, region, beside, nearest);
  if (nearest.empty())
    throw Error(Fault::NothingToDo, "The ground has no border from which passes could run inward", "passes",
                "Give a rail from which they begin.")
        .mendedBy("from_rails");
  return nearest;
}

} // namespace

Fronts planFronts(const FineMesh& fine, const std::vector<char>& region, const Profile& profile, const FrontsAsk& ask, Progress& progress) {
  const Mesh& mesh = fine.part->mesh;
  const DistanceFronts& lay = ask.lay;
  assert(region.size() == mesh.triangles.size() && (!lay.bordered() || ask.tighter.size() == mesh.points.size()));
  progress.report(0, "fronts over the ground");
  const std::vector<Mat3> metric = cuspMetric(*fine.part, profile, ask.metric, progress);
  const FacetNeighbours beside = facetNeighbours(mesh, meshEdges(mesh));
  std::vector<std::array<double, 3>> squares(mesh.triangles.size());
  for (std::size_t t = 0; t < squares.size(); ++t)
    for (std::size_t k = 0; k < 3; ++k)
      squares[t][k] = squared(mesh.corner(t, (k + 1) % 3) - mesh.corner(t, k), lay.byCusp ? &metric[t] : nullptr);
  IntrinsicMesh flat(mesh.points.size(), mesh.triangles, beside, squares);
  flat.makeDelaunay();
  progress.check();

  if (!lay.to.empty()) return betweenRails(fine, region, flat, metric, ask);
  std::vector<IntrinsicMesh::Source> sources;
  for (const auto& [point, seed] : seedsOf(fine, region, beside, lay.byCusp ? &metric : nullptr, ask))
    sources.push_back({point, std::sqrt(seed.square), seed.at});
  Fronts out;
  const bool place = std::any_of(lay.from.begin(), lay.from.end(), [](const auto& line) { return line.size() == 1; });
  IntrinsicMesh::Arrivals arrivals = flat.distances(sources, place, kApart * meanSide(mesh, region));
  // Ground that the passes are not for has no ridges.
  std::vector<char> wanted = region;
  for (std::size_t t = 0; t < wanted.size() && lay.bordered(); ++t)
    for (const int p : mesh.triangles[t]) wanted[t] = wanted[t] && (ask.tighter[at(p)] != 0) == lay.into;
  Ridges ridges = ridgesOf(mesh, wanted, arrivals);
  out.value = std::move(arrivals.distance);
  progress.check();

  double highest = endFronts(mesh, region, ask, out.value);
  out.ridges = std::move(ridges.lines);
  if (lay.with.empty()) { // else the mesh is cut along the guides
    out.cuts = std::move(ridges.cuts);
    for (const double v : ridges.value) out.value.push_back(v), highest = std::max(highest, v);
  }
  if (!lay.byCusp) out.step = evenStep(mesh, lay.width > 0 ? reachedBy(mesh, region, out.value, lay.width) : region, out.value, metric);
  const double count = lay.width > 0 ? std::ceil(lay.width / out.step - 1e-6) : lay.beside - 1; // steps from the first to the last
  if (lay.width > 0) out.step = lay.width / count;
  if (lay.beside > 0 || lay.width > 0) {
    for (int k = 1; k <= static_cast<int>(count); ++k) out.levels.push_back(k * out.step);
    boundBeside(fine, ask, (lay.width > 0 ? count + kOver : count + kHalfPass) * out.step, out);
    const auto& along = lay.bordered() ? ask.lines : lay.from;
    out.ridges.insert(out.ridges.begin(), along.begin(), along.end());
    return out;
  }
  if (lay.into) out.within = out.value;
  const double passes = std::max(1.0, std::ceil(highest / out.step - 1e-6));
  if (endsAlike(mesh, region, out.value, highest, out.step)) out.step = highest / passes; // half a step in from both ends
  for (double level = 0.5 * out.step; level < highest; level += out.step) out.levels.push_back(level);
  if (out.levels.empty()) out.levels.push_back(0.5 * highest);
  if (!lay.with.empty()) runWithGuides(fine, region, metric, ask, sources, out, progress);
  return out;
}

} // namespace hemline
