#include "proof/worst_places.h"
#include <algorithm>

namespace hemline {

std::vector<WorstPlace> worstPlaces(const Mesh& mesh, const std::vector<float>& values, std::size_t count, double apart) {
  assert(values.size() == mesh.triangles.size());
  std::vector<std::size_t> order;
  for (std::size_t t = 0; t < std::min(values.size(), mesh.triangles.size()); ++t)
    if (!std::isnan(values[t])) order.push_back(t);
  const auto worse = [&](std::size_t a, std::size_t b) { return values[a] > values[b] || (values[a] == values[b] && a < b); };
  std::vector<WorstPlace> out;
  // Sorted piece by piece: neighbours of a place found are many, places wanted are few.
  for (std::size_t done = 0; done < order.size() && out.size() < count;) {
    const std::size_t next = std::min(order.size(), done + std::max<std::size_t>(4096, done));
    std::partial_sort(order.begin() + static_cast<std::ptrdiff_t>(done), order.begin() + static_cast<std::ptrdiff_t>(next), order.end(),
                      worse);
    for (; done < next && out.size() < count; ++done) {
      const std::size_t t = order[done];
      const Vec3 at = (mesh.corner(t, 0) + mesh.corner(t, 1) + mesh.corner(t, 2)) / 3;
      if (std::none_of(out.begin(), out.end(), [&](const WorstPlace& w) { return (w.at - at).norm() < apart; }))
        out.push_back({at, t, static_cast<double>(values[t])});
    }
  }
  return out;
}

} // namespace hemline
