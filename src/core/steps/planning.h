// Nodes that plan: paths of all kinds of step, in the part's frame.
#pragma once
#include "finishing/passes.h"
#include "geometry/frame.h"
#include "machine/machine.h"
#include "model/job.h"
#include "proof/rapids.h"
#include "proof/surface_proof.h"
#include "roughing/plan_drilling.h"
#include "roughing/plan_level_roughing.h"
#include "steps/inputs.h"
#include "steps/lay.h"

namespace hemline {

/// What planning gives, kept apart from proofs so that a new stock or promise does not plan again.
struct Planned {
  Path path;
  std::vector<double> stripCusp, spacing, levels; ///< finishing passes: see PassPlan
  std::string summary;                            ///< plain words: levels, entries, passes
  std::vector<EngagedAt> engaged;                 ///< roughing of constant engagement, level by level
  std::vector<std::size_t> endsEarly; ///< roughing: which of the path's notes say that it ends where the holder would come too near
  std::vector<Joints> joints;         ///< programs that are given: see GivenPath
  double deviation = 0;               ///< given paths: see GivenPath
  std::vector<std::string> unproven;  ///< given paths: see GivenPath
};

constexpr double kPlungeFeed = 0.3; ///< feeds: down into material

struct RoughingIn {
  std::shared_ptr<const Part> part;
  std::shared_ptr<const StockState> stock;
  Cutter cutter;
  LevelRoughing how;          ///< without its limits in plan and its own allowances: they are below, as found
  std::vector<Vec2> boundary; ///< along frameAround of the axis
  std::vector<OwnAllowance> own;
  std::vector<Vec3> axes;        ///< the step's, then the further ones
  std::vector<double> safe;      ///< where rapids may cross, along each, mm
  double feed = 0;               ///< mm/min
  std::optional<Mounted> reach;  ///< ends where this would come nearer to the stock
  double clearance = 0;          ///< than that, mm
  Box turning;                   ///< several axes: the axis turns outside of it
  Vec3 overhead = Vec3::UnitZ(); ///< and half round over this direction
};
/// Level roughing along the axes one after the other, each on the stock that those before it leave. A direction that finds nothing to cut
/// is told in the notes; throws Error where none of them finds any.
extern const Node<RoughingIn, Planned> kPlanRoughing;

struct HolesIn {
  std::shared_ptr<const Part> part;
  std::shared_ptr<const StockState> stock;
  Cutter cutter;
  DrillingOptions options;
};
extern const Node<HolesIn, Planned> kPlanHoles;

struct GivenIn {
  FileIn file;
  std::string name; ///< as the job calls it
  Machine machine;
  int tool = 0;
  double reach = 0; ///< farthest point of the assembly from the tip, mm
  Frame frame;      ///< the clamping's
};
extern const Node<GivenIn, Planned> kReadGiven;

/// Lines along which a ball touches a corner twice, near places where too much was left.
struct CornersIn {
  std::shared_ptr<const Part> part;
  std::vector<char> ground; ///< flags of facets
  double radius = 0;        ///< of the ball with what is left of allowance, mm
  std::vector<Touching> over;
};
extern const Node<CornersIn, std::vector<std::vector<Vec3>>> kFindCorners;

struct PassesIn {
  std::shared_ptr<const Part> part;
  Cutter cutter;
  Laid laid;
  PassOptions options;
  std::vector<PassOptions> earlier{}; ///< of the plans before it, the first first: it keeps what it can of them
};
extern const Node<FieldIn, FieldFound> kFindField;
extern const Node<PassesIn, Planned, PassMemory> kPlanPasses;

/// Paths one after the other.
struct JoinIn {
  std::vector<Ref<Planned>> parts;
};
extern const Node<JoinIn, Planned> kJoin;

/// Rapids of planned passes end where they are clear of everything.
struct LinksIn {
  Ref<Planned> plan;
  Vec3 axis = Vec3::UnitZ();
  Mounted mounted;
  Scene scene;
  std::shared_ptr<const StockState> stock;
  ClearanceOptions clear;
};
extern const Node<LinksIn, Planned, RapidMemory> kLinks;

} // namespace hemline
