// The job as plain data: what is saved, undone and compared. No caches, no pointers. Format: docs/job-format.md.
#pragma once
#include "base/units.h"
#include "cutter/force.h"
#include "cutter/mount.h"
#include "hold/clamping.h"
#include "region/region.h"
#include "strategy/level_roughing.h"
#include "strategy/parallel.h"
#include "strategy/region.h"
#include <map>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <vector>

namespace hemline {

enum class StepKind { LevelRoughing, ParallelPasses, GivenPath, Drilling };
std::string kindName(StepKind kind);

/// Promised values in mm and radians; what is not given is not promised.
struct Promises {
  std::optional<double> cusp, gouge, rest, clearance, engagement;
};

/// What was measured on the assembly as it stands in the machine, mm; what is not given is as planned.
struct AsSet {
  std::optional<double> stickOut, diameter;
  std::optional<double> runout;    ///< full reading of the indicator: the cutter cuts half of it larger all round
  std::optional<double> lengthOff; ///< measured length less the one in the control: the tip cuts that much deeper
  bool any() const { return stickOut || diameter || runout || lengthOff; }
};

struct Step {
  std::string name = "step";
  StepKind kind = StepKind::ParallelPasses;
  int clamping = 0;        ///< in the job, from 0
  bool ownProgram = false; ///< in a program of its own, though the step before has the same cutter
  std::string cutter, holder;
  double stickOut = 40;
  double rpm = 0, feed = 0;                  ///< feed in mm/min; 0: from cutting speed and chip
  bool feedByLoad = false;                   ///< the feed follows the measured load along the path: see planFeeds
  std::optional<double> mostForce, mostBend; ///< limits of the load: N, and mm of the cutter's tip
  Vec3 axis = Vec3::UnitZ();                 ///< in the clamping frame
  AsSet asSet;                               ///< proofs are made with it; the path is not
  Promises promises;
  // level roughing
  double depth = 2, stepOver = 4, wall = 0.5, floor = 0.3;
  std::optional<double> bottom;
  std::optional<double> belowEdge; ///< beside the part no deeper than this below its nearest edge
  bool fromOpenSide = true;
  std::optional<double> thinning;
  std::optional<double> engagement;         ///< passes of constant engagement: the arc that is kept, radians
  std::optional<double> smallestLoop;       ///< radius of their tightest turn, mm
  double leastThickness = 0, leastArea = 0; ///< of what is worth cutting, mm and mm^2
  std::optional<Tabs> tabs;
  bool byRegion = false;
  std::map<std::string, double> own; ///< regions of the job that keep more than walls and floors, mm
  bool withinReach = false;          ///< ends where the assembly would come nearer to the stock than the promised clearance
  bool fromBlank = false;            ///< planned as if nothing had been cut before
  std::vector<Vec3> moreAxes;        ///< cut along these, too, one after the other, in the clamping frame
  // drilling: with `bottom`, the floor allowance, and `depth` as the peck
  std::vector<Vec2> holes; ///< in the plane across the axis, see frameAround
  // parallel passes
  double chord = 0.0005, angle = 0, allowance = 0;
  bool zigzag = true, follow = false;
  double lead = 0, tilt = 0;
  RegionLimits region;
  std::vector<std::string> regions; ///< of the job that the step finishes; none: all ground but what is left or protected
  std::string rail;                 ///< a closed rail of the job that is the boundary; empty: none, or `region.boundary`
  double railOut = 0;               ///< moved outward by, mm
  // given path
  std::string pathFile;                            ///< cutter-location text or ISO program, relative to the job
  int programTool = 0;                             ///< the cutter of an ISO program that is meant; 0: its only one
  nlohmann::json extra = nlohmann::json::object(); ///< as read, so that fields unknown here survive saving
};

struct StockPlan {
  std::string kind = "box";                       ///< box (margins round the part), cylinder (bar or tube), offset of the part, mesh
  std::array<double, 6> margin{0, 0, 0, 0, 0, 0}; ///< box: -x +x -y +y -z +z, mm
  double radius = 0, height = 0, bore = 0;        ///< cylinder; bore as a radius
  int axis = 2;                                   ///< cylinder: 0 x, 1 y, 2 z, upwards from `base`
  Vec3 base = Vec3::Zero();
  double offset = 2; ///< offset: mm about the part
  std::string file;  ///< mesh, relative path
  double cell = 0.5;
};

/// Why a broken or unknown promise was let pass. Bound to the content by `key` and to the bound that was seen.
struct Waiver {
  std::string step, promise, who, why, date, key;
  double bound = 0;
};

struct Job {
  std::string name = "job";
  std::string partFile, partHash;
  std::optional<LengthUnit> partUnit;
  std::string machineFile;
  StockPlan stock;
  std::optional<Material> material;   ///< of the work; without it forces are not known
  std::vector<Clamping> clampings{1}; ///< at least one, in the order in which the part goes through them
  std::vector<Cutter> cutters;
  std::vector<Holder> holders;
  std::vector<Step> steps;
  std::vector<Region> regions;
  std::vector<Rail> rails;
  std::vector<Waiver> waivers;
  double leaveSlopeFrom = 1.4835; ///< ground at least this steep, and all that faces down, is left on purpose; radians
  double uncertainty = 0.1;       ///< stick-out, fixture placement and datum together, mm
  double safeGap = 10;            ///< rapids cross this far above stock and fixtures, mm
  bool toolCentrePoint = true;
  LengthUnit programUnit = LengthUnit::Millimetre;
  nlohmann::json extra = nlohmann::json::object();

  const Cutter& cutter(const std::string& name) const;
  const Holder& holder(const std::string& name) const;
  const Rail& rail(const std::string& name) const;
};

constexpr int kJobVersion = 2; // 1 had one clamping

nlohmann::json toJson(const Job& job);
nlohmann::json toJson(const Step& step);
nlohmann::json toJson(const Clamping& clamping);
nlohmann::json toJson(const Region& region);
nlohmann::json toJson(const Rail& rail);
/// Throw Error naming the field and what would be good.
Clamping clampingFromJson(const nlohmann::json& j, const std::string& where);
Region regionFromJson(const nlohmann::json& j, const std::string& where);
Rail railFromJson(const nlohmann::json& j, const std::string& where);
Job jobFromJson(const nlohmann::json& j, const std::string& where);
Step stepFromJson(const nlohmann::json& j, const std::string& where);
/// Reads a job; its files stay relative to the job's folder. Throws Error (damaged, newer version).
Job readJob(const std::string& path);
/// Writes aside, flushes, renames. Throws Error; the old file is then intact.
void writeJob(const std::string& path, const Job& job);
/// A path of the job as one that can be opened.
std::string resolve(const std::string& jobPath, const std::string& file);

/// Checks values against each other: cusp against cutter, names that exist, ranges. Throws Error naming step and field.
void checkJob(const Job& job);

/// Why the step's assembly, as planned or as set, cannot be mounted, and the nearest of the job's holders that can; nothing: it can.
std::optional<MountFault> mountFault(const Job& job, const Step& step);

/// The cutter as it cuts when it was measured so.
Cutter cutterAsSet(const Cutter& cutter, const AsSet& measured);
/// The path as the tip of a cutter goes whose length in the control is off.
Path pathAsSet(const Path& path, const AsSet& measured);

/// Number of a cutter in the programs, from 1: its place in the job.
int toolNumber(const Job& job, const std::string& cutter);

/// Spindle speed in rpm and feed in mm/min: the step's own, else from cutting speed and chip (n = v / (pi D), at most `most`;
/// f = n z fz).
void conditions(const Step& step, const Cutter& cutter, double most, double& rpm, double& feed);

} // namespace hemline
