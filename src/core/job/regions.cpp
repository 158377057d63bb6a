#include "job/regions.h"
#include "base/file.h"
#include "job/report.h"
#include <fmt/format.h>

namespace hemline {
namespace {

constexpr double kProtected = 0.01; // mm: what protected ground may be cut in where the region says nothing; twice what can be shown
constexpr double kRestGrain = 1e-4; // mm to which the search for rest goes
constexpr double kRailReach = 0.02; // of the part's size: where a rail's places are looked for

/// What all steps together leave on one facet.
struct Left {
  double cusp = kInfinity, cuspBound = kInfinity, out = kInfinity, outBound = kInfinity, in = 0, inBound = 0;
  bool finished = false;
};

Left leftOn(const JobResult& result, std::size_t t) {
  Left l;
  for (const auto& s : result.steps) {
    if (!s->surface || !s->surface->region[t]) continue;
    const SurfaceProof& p = *s->surface;
    const auto at = [t](const auto& v) { return static_cast<double>(v[t]); };
    if (p.partly[t]) { // a given path that was not judged on all of it finishes none of it
      l.in = std::max(l.in, at(p.facetGouge) - s->step.allowance()),
      l.inBound = std::max(l.inBound, at(p.facetGougeBound) - s->step.allowance());
      continue;
    }
    const double a = s->step.allowance(), rest = at(p.facetRest);
    const double value = std::min(at(p.facetLeft), a + at(p.facetCusp) + rest);
    const double bound = std::min(at(p.facetLeftBound), a + at(p.facetCuspBound) + rest + kRestGrain);
    l.finished = true;
    l.out = std::min(l.out, std::max(0.0, value)), l.outBound = std::min(l.outBound, std::max(0.0, bound));
    l.cusp = std::min(l.cusp, a > 0 ? std::max(0.0, value) : at(p.facetCusp));
    l.cuspBound = std::min(l.cuspBound, a > 0 ? std::max(0.0, bound) : at(p.facetCuspBound));
    l.in = std::max(l.in, at(p.facetGouge) - a), l.inBound = std::max(l.inBound, at(p.facetGougeBound) - a);
  }
  return l;
}

void raise(Measured& m, double value, double bound, const Vec3& at) {
  if (value > m.value) m.value = value, m.at = at;
  m.bound = std::max(m.bound, bound);
}

} // namespace

Key keyOfMarks(const Region& region) {
  Region plain = region;
  plain.finish.reset(), plain.tolerance.reset();
  return hashText(toJson(plain).dump());
}

bool foundFor(const JobResult& base, const Job& job, std::size_t region) {
  return region < std::min(base.regions.size(), job.regions.size()) && base.regions[region]->marks == keyOfMarks(job.regions[region]);
}

std::vector<std::shared_ptr<const RegionGround>> groundsOf(const Part& part, const std::vector<Region>& regions,
                                                           const std::vector<Rail>& rails, const std::vector<std::string>& apart,
                                                           const LargestBalls* balls) {
  std::vector<std::shared_ptr<const RegionGround>> out;
  if (regions.empty()) return out;
  const FacetNeighbours beside = facetNeighbours(part.mesh, meshEdges(part.mesh));
  const double reach = kRailReach * part.mesh.bounds().diagonal();
  std::vector<Rail> found;
  for (const Rail& r : rails) found.push_back(findRail(part, r, reach).rail);
  for (const Region& region : regions) {
    auto g = std::make_shared<RegionGround>();
    g->found = findRegion(part, beside, balls ? balls->radius : std::vector<float>{}, found, region);
    g->marks = keyOfMarks(region);
    g->key = hashBytes(g->found.facets.data(), g->found.facets.size());
    std::vector<Vec3> soup;
    const bool wanted = std::find(apart.begin(), apart.end(), region.name) != apart.end();
    for (std::size_t t = 0; t < g->found.facets.size() && wanted; ++t)
      for (std::size_t k = 0; g->found.facets[t] && k < 3; ++k) soup.push_back(part.mesh.corner(t, k));
    if (!soup.empty()) g->surface = partFromTriangles(soup, region.name);
    out.push_back(std::move(g));
  }
  return out;
}

void limitStep(PlacedStep& placed, const Job& job, const Part& part, const std::vector<std::shared_ptr<const RegionGround>>& grounds) {
  const Boundary* within = placed.step.within();
  if (within && !within->rail.empty()) {
    const FoundRail found = findRail(part, job.rail(within->rail), kRailReach * part.mesh.bounds().diagonal());
    if (found.lost > 0)
      throw Error(Fault::Cannot, fmt::format("{} of {} places of the rail '{}' are not on the model", found.lost, found.all, within->rail),
                  placed.step.name, "Draw it again, or let the step have another boundary.")
          .mendedBy("rail");
    placed.region.boundary = outlineOf(found.rail, placed.region.x, placed.region.y, within->railOut);
  }
  const Finishing* finish = placed.step.finishing();
  if (grounds.empty() || !finish) return;
  const std::vector<std::string>& names = finish->regions;
  std::vector<char> only(part.mesh.triangles.size(), names.empty());
  bool limits = !names.empty();
  const auto apply = [&](bool add) {
    for (std::size_t k = 0; k < grounds.size(); ++k) {
      const Region& r = job.regions[k];
      const bool named = std::find(names.begin(), names.end(), r.name) != names.end();
      const bool out = r.use == RegionUse::Protected || (r.use == RegionUse::Left && names.empty());
      if (add ? !named : !out) continue;
      limits = true;
      for (std::size_t t = 0; t < only.size(); ++t)
        if (grounds[k]->found.facets[t]) only[t] = add;
    }
  };
  apply(true), apply(false);
  if (limits) placed.region.only = std::make_shared<const std::vector<char>>(std::move(only));
}

std::vector<RegionResult> judgeRegions(const Job& job, const JobResult& result) {
  std::vector<RegionResult> out;
  const Mesh& mesh = result.part->mesh;
  const auto middle = [&](std::size_t t) { return Vec3((mesh.corner(t, 0) + mesh.corner(t, 1) + mesh.corner(t, 2)) / 3); };
  for (std::size_t k = 0; k < result.regions.size(); ++k) {
    const Region& region = job.regions[k];
    const RegionGround& ground = *result.regions[k];
    RegionResult r;
    r.region = region, r.ground = result.regions[k];
    std::vector<Key> keys{ground.key, hashText(region.name)};
    for (const auto& s : result.steps) keys.push_back(s->key);
    r.key = combine(keys);
    Measured finish, tolerance;
    finish.known = tolerance.known = ground.found.lost.empty();
    double forgotten = 0;
    Vec3 forgottenAt = Vec3::Zero();
    for (std::size_t t = 0; t < ground.found.facets.size() && region.use == RegionUse::Finish; ++t) {
      if (!ground.found.facets[t]) continue;
      const Left l = leftOn(result, t);
      if (!l.finished) {
        forgotten += mesh.facetArea(t), forgottenAt = middle(t);
        continue;
      }
      r.finished += mesh.facetArea(t);
      raise(finish, l.cusp, l.cuspBound, middle(t));
      raise(tolerance, std::max(l.out, l.in), std::max(l.outBound, l.inBound), middle(t));
    }
    const auto add = [&](const char* name, const std::optional<double>& promised, const Measured& m) {
      if (!promised) return;
      PromiseResult p = judge(name, *promised, m);
      if (!ground.found.lost.empty()) p.note = "not all of the region is found on the model";
      if (forgotten > 0) {
        p.verdict = Verdict::Broken, p.at = forgottenAt;
        p.note = fmt::format("no step finishes {:.2g} % of it", 100 * forgotten / ground.found.area);
      }
      r.promises.push_back(std::move(p));
    };
    if (region.use == RegionUse::Finish) {
      add("finish_mm", region.finish, finish);
      add("tolerance_mm", region.tolerance, tolerance);
    } else if (region.use == RegionUse::Protected) {
      Measured in;
      in.known = ground.found.lost.empty();
      for (const auto& s : result.steps)
        if (k < s->into.size() && s->into[k]) in.known = in.known && s->into[k]->known;
      for (const auto& s : result.steps)
        if (k < s->into.size() && s->into[k]) raise(in, s->into[k]->value, s->into[k]->bound, s->into[k]->at);
      add("protected_mm", region.tolerance.value_or(kProtected), in);
    }
    out.push_back(std::move(r));
  }
  return out;
}

AcceptedModel acceptModel(const Job& job, const std::string& jobPath, Progress& progress) {
  AcceptedModel out;
  out.job = job;
  const std::string path = resolve(jobPath, job.partFile);
  ReadOptions options;
  options.unit = job.partUnit, options.chord = tessellationChord(job);
  const auto part = readPart(path, options, progress);
  out.job.partHash = hashFile(path).text();
  const FacetNeighbours beside = facetNeighbours(part->mesh, meshEdges(part->mesh));
  const double reach = kRailReach * part->mesh.bounds().diagonal();
  for (Rail& r : out.job.rails) {
    FoundRail found = findRail(*part, r, reach);
    if (found.lost > 0)
      out.told.push_back(fmt::format("rail '{}': {} of {} places are not found; it is kept as it was", r.name, found.lost, found.all));
    else {
      if (found.moved > 1e-3 + 2 * part->facetError)
        out.told.push_back(fmt::format("rail '{}': moved by up to {:.3f} mm", r.name, found.moved));
      r = found.rail;
    }
  }
  // Radii are not asked here: such ground follows its rule on any model.
  const std::vector<float> radius(part->mesh.triangles.size(), 0);
  for (Region& r : out.job.regions) {
    const FoundRegion found = findRegion(*part, beside, radius, out.job.rails, r);
    const bool byRule =
        std::any_of(r.pieces.begin(), r.pieces.end(), [](const Piece& p) { return std::holds_alternative<RadiusPiece>(p.what); });
    for (const std::string& l : found.lost)
      if (!byRule || found.area > 0) out.told.push_back(fmt::format("region '{}': not found: {}", r.name, l));
    for (const std::string& c : found.changed) out.told.push_back(fmt::format("region '{}': {}", r.name, c));
    r = marksRenewed(*part, r);
  }
  return out;
}

std::vector<std::string> regionText(const RegionResult& r, LengthUnit unit) {
  std::vector<std::string> out;
  const char* use = r.region.use == RegionUse::Finish ? "to finish" : r.region.use == RegionUse::Left ? "left on purpose" : "protected";
  std::string head = fmt::format("{}: {}, {}", r.region.name, use, formatArea(r.ground->found.area, unit));
  if (r.region.use == RegionUse::Finish && r.finished < r.ground->found.area - 1e-6)
    head += fmt::format(", {} of it finished", formatArea(r.finished, unit));
  out.push_back(head);
  for (const PromiseResult& p : r.promises)
    out.push_back(fmt::format("{} {}, promised {}: {}{}", promiseTitle(p.name), showPromise(p.name, p.measured, unit),
                              showPromise(p.name, p.promised, unit), verdictName(p.verdict), p.note.empty() ? "" : "; " + p.note));
  for (const std::string& l : r.ground->found.lost) out.push_back("not found: " + l);
  for (const std::string& c : r.ground->found.changed) out.push_back("changed: " + c);
  return out;
}

} // namespace hemline
