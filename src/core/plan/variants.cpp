#include "plan/variants.h"
#include <fmt/format.h>
#include <limits>
#include <tbb/parallel_for.h>

namespace hemline {
namespace {

constexpr float kNone = std::numeric_limits<float>::quiet_NaN();
constexpr double kSamePlace = 1e-2; // of the part's size

nlohmann::json planOf(Job job) {
  job.variants.clear(), job.waivers.clear(), job.name.clear(), job.extra = nlohmann::json::object();
  nlohmann::json j = toJson(job);
  j.erase("part");
  return j;
}

} // namespace

Job asPlanned(const Job& job, const Job& plan) {
  Job out = plan;
  out.name = job.name, out.partFile = job.partFile, out.partHash = job.partHash, out.partUnit = job.partUnit;
  out.waivers = job.waivers, out.variants = job.variants, out.extra = job.extra;
  return out;
}

bool samePlan(const Job& a, const Job& b) {
  return planOf(a) == planOf(b);
}

Job withVariant(const Job& job, const Job& plan, const std::string& name, const std::string& why) {
  Job kept = plan;
  kept.variants.clear(), kept.extra.erase("variants");
  Job out = job;
  out.variants.push_back({variantName(job, name), why, std::make_shared<const Job>(std::move(kept))});
  return out;
}

Job withPlan(const Job& job, const Job& plan, const std::string& keptAs) {
  Job out = job;
  const bool known = std::any_of(job.variants.begin(), job.variants.end(), [&](const Variant& v) { return samePlan(*v.plan, job); });
  if (!known && !samePlan(job, plan)) out = withVariant(job, job, keptAs, "");
  out = asPlanned(out, plan);
  std::erase_if(out.variants, [&](const Variant& v) { return samePlan(*v.plan, out); });
  return out;
}

std::string variantName(const Job& job, const std::string& like) {
  const auto taken = [&](const std::string& n) {
    return std::any_of(job.variants.begin(), job.variants.end(), [&](const Variant& v) { return v.name == n; });
  };
  std::string name = like;
  for (int n = 2; taken(name); ++n) name = fmt::format("{} {}", like, n);
  return name;
}

std::vector<float> leftByPlan(const JobResult& result) {
  std::vector<float> out(result.part->mesh.triangles.size(), kNone);
  for (const auto& s : result.steps) {
    if (!s->surface || s->surface->facetLeft.size() != out.size()) continue;
    for (std::size_t t = 0; t < out.size(); ++t)
      if (s->surface->region[t]) out[t] = std::fmin(out[t], s->surface->facetLeft[t]);
  }
  return out;
}

std::vector<float> ontoNet(const Part& to, const Part& from, const std::vector<float>& values) {
  if (to.key == from.key) return values;
  std::vector<float> out(to.mesh.triangles.size(), kNone);
  const double near = kSamePlace * to.mesh.bounds().diagonal() + to.facetError + from.facetError;
  tbb::parallel_for(std::size_t(0), out.size(), [&](std::size_t t) {
    const Vec3 middle = (to.mesh.corner(t, 0) + to.mesh.corner(t, 1) + to.mesh.corner(t, 2)) / 3;
    const Nearest n = closestPoint(*from.tree, middle, near);
    if (n.triangle >= 0 && static_cast<std::size_t>(n.triangle) < values.size()) out[t] = values[static_cast<std::size_t>(n.triangle)];
  });
  return out;
}

} // namespace hemline
