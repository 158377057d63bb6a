// A piece of a line on a mesh.
#pragma once
#include "geometry/vec.h"

namespace hemline {

/// Straight, within one facet.
struct LineOn {
  int facet;
  Vec3 a, b;
};

} // namespace hemline
