// A rigid frame: how a part stands in another system of coordinates.
#pragma once
#include "geometry/vec.h"

namespace hemline {

/// Origin and axes of a frame, told in an outer one; the axes are the rows of `turn`.
struct Frame {
  Mat3 turn = Mat3::Identity();
  Vec3 origin = Vec3::Zero();
  Vec3 into(const Vec3& outer) const { return turn * (outer - origin); }
  Vec3 out(const Vec3& inner) const { return turn.transpose() * inner + origin; }
  Vec3 directionInto(const Vec3& outer) const { return turn * outer; }
  Vec3 directionOut(const Vec3& inner) const { return turn.transpose() * inner; }
  /// Exactly the outer frame: nothing has to be turned or moved.
  bool same() const { return turn == Mat3::Identity() && origin == Vec3::Zero(); }
  /// The box about a box of the outer frame.
  Box into(const Box& outer) const {
    Box b;
    for (int i = 0; i < 8; ++i)
      b.add(into(
          Vec3(i & 1 ? outer.high.x() : outer.low.x(), i & 2 ? outer.high.y() : outer.low.y(), i & 4 ? outer.high.z() : outer.low.z())));
    return b;
  }
};

} // namespace hemline
