#include "toolpath/path.h"
#include "base/hash.h"
#include <array>
#include <set>
#include <unordered_map>

namespace hemline {

const char* motionName(Motion motion) {
  switch (motion) {
  case Motion::Rapid:
    return "rapid";
  case Motion::Cut:
    return "cut";
  case Motion::LeadIn:
    return "lead-in";
  case Motion::LeadOut:
    return "lead-out";
  case Motion::Link:
    return "link";
  case Motion::Entry:
    return "entry";
  }
  return "?";
}

double Path::length(bool cutting) const {
  double sum = 0;
  for (std::size_t i = 1; i < locations.size(); ++i)
    if ((locations[i].motion == Motion::Cut) == cutting) sum += (locations[i].tip - locations[i - 1].tip).norm();
  return sum;
}

Box Path::tipBounds() const {
  Box box;
  for (const Location& l : locations) box.add(l.tip);
  return box;
}

std::size_t Path::passes() const {
  std::size_t count = 0;
  for (std::size_t i = 1; i < locations.size(); ++i)
    if (locations[i].motion == Motion::Cut && locations[i - 1].motion != Motion::Cut) ++count;
  return count;
}

std::string Path::placeOf(std::size_t location) const {
  return location < lines.size() ? "line " + std::to_string(lines[location]) : "location " + std::to_string(location + 1);
}

Path changedMoves(const Path& before, const Path& after) {
  const auto place = [](const Location& l) {
    const std::array<double, 6> v{l.tip.x(), l.tip.y(), l.tip.z(), l.axis.x(), l.axis.y(), l.axis.z()};
    return hashArray(v.data(), v.size()).low;
  };
  std::unordered_map<std::uint64_t, int> balance; // how many more `after` has
  const auto each = [&](const Path& path, auto&& use) {
    for (std::size_t i = 1; i < path.locations.size(); ++i)
      if (removesMaterial(path.locations[i].motion)) use(i, place(path.locations[i - 1]) + place(path.locations[i]));
  };
  each(before, [&](std::size_t, std::uint64_t key) { --balance[key]; });
  each(after, [&](std::size_t, std::uint64_t key) { ++balance[key]; });
  Path out;
  const auto take = [&](const Path& path, std::size_t i) {
    out.locations.push_back(path.locations[i - 1]), out.locations.push_back(path.locations[i]);
    out.locations[out.locations.size() - 2].motion = Motion::Rapid, out.locations.back().motion = Motion::Cut;
  };
  each(before, [&](std::size_t i, std::uint64_t key) {
    if (balance[key] < 0) take(before, i);
  });
  each(after, [&](std::size_t i, std::uint64_t key) {
    if (balance[key] > 0) take(after, i);
  });
  return out;
}

} // namespace hemline
