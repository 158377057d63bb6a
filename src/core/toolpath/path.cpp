#include "toolpath/path.h"
#include <set>

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

} // namespace hemline
