#include "finishing/even_levels.h"
#include "surface/mesh_field.h"
#include <algorithm>

namespace hemline {
namespace {
constexpr int kStrips = 400;    // of the field's range, in each of which the tightest ground decides
constexpr double kLevel = 1e-9; // of the field's range per mm: ground on which it does not change
} // namespace

std::vector<double> evenLevels(const Mesh& mesh, const std::vector<char>& region, const std::vector<double>& value,
                               const std::vector<Mat3>& metric) {
  assert(region.size() == mesh.triangles.size() && metric.size() == region.size() && value.size() >= mesh.points.size());
  double low = kInfinity, high = -kInfinity;
  for (std::size_t t = 0; t < region.size(); ++t)
    if (region[t])
      for (const int p : mesh.triangles[t])
        low = std::min(low, value[static_cast<std::size_t>(p)]), high = std::max(high, value[static_cast<std::size_t>(p)]);
  if (!(high > low)) return {low};
  const MeshField field{&mesh, &value};
  const double strip = (high - low) / kStrips;
  std::vector<std::vector<std::pair<double, double>>> asks(kStrips); // widest step of the field, and the area that asks for it
  for (std::size_t t = 0; t < region.size(); ++t) {
    if (!region[t]) continue;
    const Vec3 g = field.gradientOn(t), n = mesh.facetNormal(t);
    if (!(g.norm() > kLevel * (high - low))) continue;
    const double widest = stepOf(metric[t], n, g);
    double least = kInfinity, most = -kInfinity;
    for (const int p : mesh.triangles[t])
      least = std::min(least, value[static_cast<std::size_t>(p)]), most = std::max(most, value[static_cast<std::size_t>(p)]);
    const auto stripOf = [&](double x) { return std::clamp(static_cast<int>((x - low) / strip), 0, kStrips - 1); };
    const int from = stripOf(least), to = stripOf(most);
    for (int k = from; k <= to; ++k) asks[static_cast<std::size_t>(k)].emplace_back(widest, mesh.facetArea(t) / (to - from + 1));
  }
  // How many passes it takes up to the end of each strip.
  std::vector<double> passes;
  double sum = 0, widest = high - low;
  for (auto& ask : asks) {
    if (!ask.empty()) widest = widestStep(std::move(ask));
    passes.push_back(sum += strip / widest); // a strip without ground goes on as the last one
  }
  const int count = std::max(1, static_cast<int>(std::ceil(sum - 1e-6)));
  std::vector<double> out;
  std::size_t k = 0;
  for (int i = 0; i < count; ++i) {
    const double wanted = (i + 0.5) * sum / count;
    while (passes[k] < wanted) ++k;
    const double before = k > 0 ? passes[k - 1] : 0;
    out.push_back(low + strip * (static_cast<double>(k) + (wanted - before) / (passes[k] - before)));
  }
  return out;
}

double lengthAtLevels(const Mesh& mesh, const std::vector<char>& region, const std::vector<double>& value,
                      const std::vector<double>& levels) {
  assert(region.size() == mesh.triangles.size() && value.size() >= mesh.points.size() && !levels.empty());
  if (levels.size() < 2) return 0;
  const MeshField field{&mesh, &value};
  double length = 0;
  for (std::size_t t = 0; t < region.size(); ++t) {
    if (!region[t]) continue;
    double here = 0;
    for (const int p : mesh.triangles[t]) here += value[static_cast<std::size_t>(p)] / 3;
    const auto above =
        std::clamp<std::ptrdiff_t>(std::upper_bound(levels.begin(), levels.end(), here) - levels.begin(), 1, std::ssize(levels) - 1);
    const auto k = static_cast<std::size_t>(above);
    length += mesh.facetArea(t) * field.gradientOn(t).norm() / (levels[k] - levels[k - 1]);
  }
  return length;
}

} // namespace hemline
