// Nodes that measure: what a path leaves, what it comes near to, what it cuts, what it asks for.
#pragma once
#include "hold/grip.h"
#include "load/effort.h"
#include "load/feeds.h"
#include "proof/layer.h"
#include "steps/planning.h"
#include "steps/read_given_path.h"
#include "study/assembly_reach.h"

namespace hemline {

/// What is promised of a surface, mm.
struct SurfacePromises {
  double allowance = 0, cusp = 0, gouge = 0.001, rest = 0.01;
};

/// What of a step's ground the mounted cutter can touch at all.
struct ReachIn {
  std::shared_ptr<const Part> part;
  Mounted mounted;
  Vec3 axis = Vec3::UnitZ();
  double lean = 0;          ///< that may be tried, radians
  double dip = 0;           ///< mm
  std::vector<char> ground; ///< flags of facets
};
extern const Node<ReachIn, AssemblyReach> kReach;

/// What a finishing path leaves on its ground.
struct SurfaceIn {
  std::shared_ptr<const Part> part;
  std::vector<char> ground; ///< flags of facets
  Cutter cutter;
  Ref<Path> path;
  std::vector<Ref<Path>> earlier; ///< measured before it, in this order: after them only what changed may be measured again
  SurfacePromises promised;
  Vec3 axis = Vec3::UnitZ(); ///< these three say where passes as dense as one likes would go
  Laid laid;
  TiltRule tilt;
  double fillet = 0;                   ///< virtual, mm: what a ball of that radius leaves is meant to be left; 0: none
  std::optional<double> cuspForLength; ///< for which the least contact length is wanted, mm
  double spacing = 1;                  ///< about, of the passes, mm
};
/// What was measured last, of the last of these paths after the others, and who is told of a first answer.
struct SurfaceAid {
  SurfaceRecord record;
  std::vector<Ref<Path>> measured;
  CoarseDone coarse;
};
extern const Node<SurfaceIn, SurfaceProof, SurfaceAid> kSurface;

/// The layer that a finishing path meets.
struct LayerIn {
  Ref<Path> path;
  double allowance = 0; ///< mm
  std::vector<EarlierCut> earlier;
  double promised = 0; ///< mm
};
extern const Node<LayerIn, LayerMet> kLayer;

/// The same with the gouge of the whole part.
struct ElsewhereIn {
  Ref<SurfaceProof> surface;
  std::shared_ptr<const Part> part;
  Cutter cutter;
  Ref<Path> path;
  double allowance = 0, gouge = 0.001; ///< mm
};
extern const Node<ElsewhereIn, SurfaceProof> kElsewhere;

struct GivenSurfaceIn {
  std::shared_ptr<const Part> part;
  Cutter cutter;
  Ref<Path> path;
  double deviation = 0; ///< mm
  SurfacePromises promised;
  std::string name; ///< of the step
};
extern const Node<GivenSurfaceIn, GivenProof, SurfaceAid> kGivenSurface;

/// How deep a path comes into a part that is to stay, or nearer than is kept to it.
struct GougeIn {
  std::shared_ptr<const Part> part;
  Cutter cutter;
  Ref<Path> path;
  double keep = 0, promise = 1e-3, deviation = 0; ///< mm
};
extern const Node<GougeIn, Measured> kGouge;

struct PathAsSetIn {
  Ref<Planned> plan;
  AsSet set;
};
extern const Node<PathAsSetIn, Path> kPathAsSet;

struct InTime {
  JointPath joints;
  Timing timing;
};
struct TimeIn {
  Ref<Planned> plan;
  Machine machine;
  Frame frame; ///< the clamping's
};
extern const Node<TimeIn, InTime> kTime;

struct WaysIn {
  Ref<Planned> plan;
  Ref<InTime> time;
  Machine machine;
  Frame frame;
  double reach = 0; ///< mm
  AsSet set;
};
extern const Node<WaysIn, OtherWays> kWays;

struct ClearanceIn {
  Mounted mounted;
  Ref<Path> path;
  Ref<OtherWays> ways;
  Scene scene;
  ClearanceOptions clear;
};
extern const Node<ClearanceIn, ClearanceResult> kClearance;

/// Clearance at places spread evenly over a step's time.
struct ClearanceTrace {
  static constexpr double kMost = 50; ///< mm: what is farther is not told apart
  std::vector<std::size_t> location;
  std::vector<double> distance; ///< mm, to part, fixtures and machine; kMost or more: kMost
};
struct TraceIn {
  Mounted mounted;
  Ref<Path> path;
  Scene scene;
  Ref<InTime> time;
};
extern const Node<TraceIn, ClearanceTrace> kTrace;

struct CutResult {
  CutReport report;
  std::shared_ptr<const StockState> after;
};
struct CutIn {
  std::shared_ptr<const StockState> stock;
  Mounted mounted;
  Ref<Path> path;
  Ref<OtherWays> ways;
  bool engaged = false; ///< the engagement is looked at, move by move
  ClearanceOptions clear;
};
extern const Node<CutIn, CutResult> kCut;

/// The stock after a path, nothing looked at on the way.
struct StockAfterIn {
  std::shared_ptr<const StockState> stock;
  Cutter cutter;
  Ref<Path> path;
};
extern const Node<StockAfterIn, StockState> kStockAfter;

struct GripIn {
  std::shared_ptr<const StockState> stock;
  std::vector<Fixture> fixtures;
  std::vector<Standing> bodies;
  Frame frame;
};
extern const Node<GripIn, Holding> kGrip;

struct PiecesIn {
  std::shared_ptr<const StockState> stock;
  std::vector<Standing> bodies;
};
extern const Node<PiecesIn, Hanging> kHanging;
extern const Node<PiecesIn, std::vector<StockPiece>> kLoose;

struct EffortIn {
  Ref<Path> path;
  Ref<CutResult> cut;
  std::shared_ptr<const StockState> before;
  Mounted mounted;
  double rpm = 0;
  Material material;
  Frame frame;
  Ref<Holding> grip;
  bool tailstock = false;
};
extern const Node<EffortIn, Effort> kEffort;

struct FeedsIn {
  Ref<Planned> plan;
  Ref<Path> path; ///< as it was cut
  Ref<CutResult> cut;
  Ref<Effort> effort;
  Mounted mounted;
  double rpm = 0;
  Material material;
  LoadLimits limits;
  Machine machine;
  Frame frame;
  Ref<InTime> time;
};
extern const Node<FeedsIn, FeedPlan> kFeeds;

/// The plan with the feeds that were planned for it.
struct WithFeedsIn {
  Ref<Planned> plan;
  Ref<FeedPlan> feeds;
};
extern const Node<WithFeedsIn, Planned> kWithFeeds;
Planned withFeeds(const Planned& plan, const FeedPlan& feeds);

/// Joints are those of the path without them: its places are the same.
struct TimeWithFeedsIn {
  Ref<Planned> plan;
  Ref<InTime> time;
  Machine machine;
  Frame frame;
};
extern const Node<TimeWithFeedsIn, InTime> kTimeWithFeeds;

} // namespace hemline
