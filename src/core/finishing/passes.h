// Passes as level lines of a field on the surface, whose levels follow from the promised cusp.
#pragma once
#include "base/progress.h"
#include "finishing/pass.h"
#include <map>

namespace hemline {

/// A short pass: that of a level, near some places only.
struct ShortPass {
  double level = 0;
  std::vector<Vec3> places;
};

struct PassOptions {
  double cusp = 0.002;     ///< promised, mm
  double chord = 0.0005;   ///< largest distance of the straight moves from the exact locations, mm
  double allowance = 0;    ///< left everywhere, mm
  bool zigzag = true;      ///< else all passes run the same way
  bool against = false;    ///< runs that do not go both ways, and closed ones, have higher values on their right, not on their left
  Vec3 up = Vec3::UnitZ(); ///< reference axis
  TiltRule tilt;
  RegionLimits region;
  double feed = 20;                    ///< cutting, mm/s
  double fillet = 0;                   ///< virtual, mm: what a ball of that radius leaves is not cut into; 0: none. Balls only
  bool contactFeed = false;            ///< slower where the contact would run faster than the tip
  double plungeFeed = 8;               ///< lead-in, mm/s
  double safeHeight = 0;               ///< along `up`, where rapids cross, mm (absolute)
  bool spiral = false;                 ///< nested loops are one pass that winds from the first to the last
  double longest = kInfinity;          ///< of the straight moves, mm
  double shortest = 0;                 ///< of them, mm; before the chord tolerance
  bool fewest = false;                 ///< straight moves as long as the chord tolerance lets them
  double evenPoints = 0;               ///< mm apart, beside those of the pass before; 0: each pass has its own
  double endRadius = 0;                ///< of the arcs in which runs begin and end, mm; 0: along the axis
  double endArc = kPi / 2;             ///< so far these turn, radians
  double endLean = 0;                  ///< their plane leans from the normal, to the left of the feed, radians
  double approach = 2;                 ///< lead-in and lead-out along the axis, mm
  std::vector<double> levels;          ///< of the passes, rising; empty: found by their cusp, or none where strips are not measured
  std::vector<std::vector<Vec3>> also; ///< lines on the part that passes run along, too
  std::vector<ShortPass> shortOnes;    ///< put between them where they leave too much
  bool strips = true;                  ///< measure what each strip between given levels leaves
  bool lastFirst = false;              ///< the pass of the highest level is cut first
};

/// Passes and strips of a plan, by their levels, for a plan with the same options and more passes. What is kept need not be what would be
/// planned anew (points beside those of the pass before, strips that were given up): a plan is of those before it, too.
struct PassMemory {
  std::size_t plans = 0;                              ///< that it went through, one after the other
  std::map<double, Pass> passes;                      ///< without what they are measured with
  std::map<std::pair<double, double>, double> strips; ///< cusp of a strip between two passes, mm
  std::vector<double> woundOver;                      ///< levels of `spirals`
  std::vector<Pass> spirals;
};

struct PassPlan {
  Path path;
  std::vector<double> levels;    ///< of the passes
  std::vector<double> spacing;   ///< between neighbouring levels, as the field counts
  std::vector<double> stripCusp; ///< measured while planning, per strip (number i lies between passes i and i + 1), mm; empty where it is
                                 ///< not asked for, and of spirals
  std::size_t blocked = 0;       ///< places looked at where something else is in the way of the cutter
  std::size_t along = 0;         ///< lines that passes run along, too, and touch something
  std::size_t mended = 0;        ///< short passes that touch something
  std::optional<double> aligned; ///< even points: share of them that lie beside one of the pass before, to a tenth of their distance
  std::size_t steepStrips = 0;   ///< strips that met the smallest spacing before the promise
};

/// Marches from level to level: the next pass lies as far away as the measured cusp of the strip between allows (bisected on the swept
/// cutter itself, so it holds for any profile, slope and axis). Throws Error on impossible options. `memory`: of a plan with the same
/// field and options but for `levels`: what it has is not planned again; it is filled.
PassPlan planLevelPasses(const Part& part, const Profile& profile, const SurfaceField& field, const PassOptions& options,
                         Progress& progress, PassMemory* memory = nullptr);

/// One more level in each strip that has some of the levels `over`, at the median of them. Those nearer than `smallest` to a pass are left.
/// The same list: nothing can be done by closer passes.
std::vector<double> closerLevels(const std::vector<double>& levels, const std::vector<double>& over, double smallest);

/// Of a step: nearer to where fronts begin there is no level line to follow.
constexpr double kBegins = 0.15;
/// Lines of `length` mm from places into the ground, up the field's slope there (not zero): for corners at which fronts begin, which no
/// level line comes to. Places nearer than half of that to one that has a line get none.
std::vector<std::vector<Vec3>> linesInto(const std::vector<Vec3>& places, const std::vector<Vec3>& slopes, double length);
/// Short passes at places where something was left, whose levels are `over`: those within a third of a step of each other share one.
/// `step`: between passes; `least`: no level is lower.
std::vector<ShortPass> shortPasses(const std::vector<double>& over, const std::vector<Vec3>& places, double step, double least);

} // namespace hemline
