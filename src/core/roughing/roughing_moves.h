// Moves of level roughing into the path, each with the stock as it then is: ways in from air, by helix and by ramp, ways out, heights to
// run rapidly at.
#pragma once
#include "roughing/roughing_slices.h"

namespace hemline {

class RoughingMoves {
public:
  /// What is cut so far goes into `result`, which is to hold the stock to begin with.
  RoughingMoves(const Part& part, const RoughingSlices& slices, const Cutter& cutter, const Profile& profile,
                const RoughingOptions& options, Progress& progress, RoughingResult& result);

  void add(const Vec3& tip, Motion motion, double feed, int pass = -1);
  /// Cuts the stock with all moves since the last time.
  void cut();
  /// After the result was set back to its first n locations, with the stock as they leave it.
  void backTo(std::size_t n) { cut_ = std::max<std::size_t>(n, 1); }
  bool begun() const { return !result_.path.locations.empty(); }
  /// Where the tip is, in plan, and how high; only once begun.
  Vec2 at() const { return slices_.plan(result_.path.locations.back().tip); }
  double height() const { return result_.path.locations.back().tip.dot(o_.up); }

  /// Up to the safe height: by feed until clear of what stands beside the cutter, stock or part; then rapidly.
  void retract();
  /// No material in the cutter's cylinder from height z upwards, but what it grazes: a hundredth of its section or half a cell's.
  bool freeColumn(const Vec2& p, double z) const;
  /// The same for the cutter itself straight down from a height, tried on a copy of the stock.
  bool isClearDown(const Vec2& p, double from, double z) const;
  /// Down through air beside the stock; only where freeColumn.
  void fromAir(const Vec2& p, double z);
  /// Counter-clockwise round c within the cutter's angle, ending in direction `a` from it at height z after one level round.
  void helix(const Vec2& c, double r, double a, double z);
  /// To and fro along the leg within the cutter's angle, ending at its front at height z.
  void ramp(const Outline& leg, double z);

private:
  double topOver(const Vec2& p, double r, double z) const;
  double clearHeight(const Vec2& p, double z) const;

  const Part& part_;
  const RoughingSlices& slices_;
  const Cutter& cutter_;
  const Profile& profile_;
  const RoughingOptions& o_;
  Progress& progress_;
  RoughingResult& result_;
  Profile rapid_; ///< with the gap of rapids
  double R_;
  std::size_t cut_ = 1; ///< locations that the stock is cut up to
};

} // namespace hemline
