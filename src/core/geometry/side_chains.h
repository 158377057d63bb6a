// Lines that cross the sides of a mesh, from side to side.
#pragma once
#include "geometry/mesh.h"
#include <map>
#include <optional>
#include <set>

namespace hemline {

/// A side by its two points, the smaller first.
using Side = std::pair<int, int>;
/// Of each side that is crossed those that the line comes to next, in one of the two facets beside it.
using SidesBeside = std::map<Side, std::vector<Side>>;

/// Each side once; open lines from end to end, closed ones with their first side again.
inline std::vector<std::vector<Side>> chainsOf(const SidesBeside& beside) {
  std::vector<std::vector<Side>> out;
  std::set<Side> done;
  for (const bool ends : {true, false})
    for (const auto& [side, next] : beside) {
      if (done.contains(side) || (ends && next.size() != 1)) continue;
      std::vector<Side> line;
      for (std::optional<Side> e = side; e;) {
        done.insert(*e);
        line.push_back(*e);
        const auto& on = beside.at(*e);
        const auto fresh = std::find_if(on.begin(), on.end(), [&](const Side& n) { return !done.contains(n); });
        e = fresh == on.end() ? std::nullopt : std::optional(*fresh);
      }
      const auto& last = beside.at(line.back());
      if (line.size() > 2 && std::find(last.begin(), last.end(), line.front()) != last.end()) line.push_back(line.front());
      out.push_back(std::move(line));
    }
  return out;
}

} // namespace hemline
