// The job as plain data: what is saved, undone and compared. No caches, no pointers. Format: docs/job-format.md.
#pragma once
#include "base/units.h"
#include "cutter/force.h"
#include "cutter/mount.h"
#include "hold/clamping.h"
#include "model/step.h"
#include "region/region.h"
#include <memory>

namespace hemline {

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

struct Job;

/// Another plan for the same part, kept beside the job's own: compared with it, and taken in its place.
struct Variant {
  std::string name, why;           ///< what is told of it; why it is kept
  std::shared_ptr<const Job> plan; ///< without variants of its own; never null
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
  std::vector<Variant> variants;
  double leaveSlopeFrom = 1.4835; ///< ground at least this steep, and all that faces down, is left on purpose; radians
  double uncertainty = 0.1;       ///< stick-out, fixture placement and datum together, mm
  double safeGap = 10;            ///< rapids cross this far above stock and fixtures, mm
  bool toolCentrePoint = true;
  LengthUnit programUnit = LengthUnit::Millimetre;
  nlohmann::json extra = nlohmann::json::object();

  const Cutter& cutter(const std::string& name) const;
  const Holder& holder(const std::string& name) const;
  /// `row`: the field that names it, for the error.
  const Rail& rail(const std::string& name, const char* row = "rail") const;
  /// The same where a single place will not do.
  const Rail& lineRail(const std::string& name, const char* row) const;
};

constexpr int kJobVersion = 3; // 1 had one clamping; 2 called the constant engagement of a roughing step "engagement_deg"

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
/// Every file that the job names (those of its variants apart), relative to the job's folder or absolute; some may be empty.
std::vector<std::string*> filesOf(Job& job);
/// A path of the job as one that can be opened.
std::string resolve(const std::string& jobPath, const std::string& file);

/// What names a region follows it: steps, allowances, waivers.
void renamedRegion(Job& job, const std::string& before, const std::string& now);
void renamedRail(Job& job, const std::string& before, const std::string& now);
void removedRegion(Job& job, const std::string& name);

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
