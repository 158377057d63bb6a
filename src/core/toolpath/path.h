// The path itself: locations with tip, axis, contact, normal, motion and feed, in the clamping frame.
#pragma once
#include "geometry/vec.h"
#include <algorithm>
#include <cstdint>
#include <string>
#include <vector>

namespace hemline {

/// What the move *to* a location is.
enum class Motion : std::uint8_t { Rapid, Cut, LeadIn, LeadOut, Link, Entry };
const char* motionName(Motion motion);
inline bool removesMaterial(Motion m) {
  return m != Motion::Rapid;
}

struct Location {
  Vec3 tip = Vec3::Zero();
  Vec3 axis = Vec3::UnitZ();
  Vec3 contact = Vec3::Zero();
  Vec3 normal = Vec3::Zero(); ///< zero where the cutter touches nothing on purpose
  Motion motion = Motion::Rapid;
  double feed = 0; ///< mm/s, 0 for rapids
  int pass = -1;   ///< number of the pass (several runs of one pass share it), -1 off the passes
};

struct Path {
  std::vector<Location> locations;
  std::vector<int> lines;               ///< per location: the line of the file it was read from; empty: planned here
  std::vector<std::size_t> unknownWays; ///< in order: locations that are reached by a way which only the machine knows
  std::vector<std::string> notes;       ///< in plain words: what was left out, lifted, re-tilted, and why
  /// Tip travel of the moves whose motion is in the mask, mm.
  double length(bool cutting) const;
  Box tipBounds() const;
  std::size_t passes() const;
  bool knowsWayTo(std::size_t location) const { return !std::binary_search(unknownWays.begin(), unknownWays.end(), location); }
  /// "location 12", or "line 40" of the file it was read from.
  std::string placeOf(std::size_t location) const;
};

/// Moves that remove material and that only one of both paths has, whichever way they are run: each as a rapid and a cut.
Path changedMoves(const Path& before, const Path& after);

/// Tip and axis a fraction u of the way along a move: tip straight, axis along the great circle.
inline void poseAlong(const Location& a, const Location& b, double u, Vec3& tip, Vec3& axis) {
  tip = a.tip + u * (b.tip - a.tip);
  axis = slerp(a.axis, b.axis, u);
}

} // namespace hemline
