// How far down a rapid may go.
#pragma once
#include <algorithm>

namespace hemline {

/// Lowest height between `high` and `low` to which a body that comes straight down keeps clear all the way.
/// clearBy(height, s): does the body at this height keep clear by s more than it has to? Then it may go s further (every
/// point of it travels s). Steps grow and shrink between 0.1 mm and 32 mm; `high` if not even the first one is clear.
template <class ClearBy> double lowestClear(double high, double low, ClearBy&& clearBy) {
  double at = high, step = 8;
  while (at > low) {
    const double s = std::min(step, at - low);
    if (clearBy(at, s)) {
      at -= s;
      step = std::min(32.0, 2 * s);
    } else {
      if (s <= 0.1) break;
      step = std::max(0.1, 0.5 * s);
    }
  }
  return at;
}

} // namespace hemline
