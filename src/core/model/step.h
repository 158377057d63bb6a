// A step of the job: what all kinds have, and the body of its kind. Plain data; what it means is said once, in `describe`.
#pragma once
#include "model/kinds/along_a_rail_passes.h"
#include "model/kinds/clean_up_passes.h"
#include "model/kinds/constant_cusp_passes.h"
#include "model/kinds/constant_spacing_passes.h"
#include "model/kinds/corner_passes.h"
#include "model/kinds/drilling.h"
#include "model/kinds/flow_passes.h"
#include "model/kinds/given_path.h"
#include "model/kinds/level_passes.h"
#include "model/kinds/level_roughing.h"
#include "model/kinds/parallel_passes.h"
#include "model/kinds/rail_to_rail_passes.h"
#include "model/kinds/two_lay_finish.h"
#include <nlohmann/json.hpp>
#include <variant>

namespace hemline {

/// The kinds of step. A new one is added at the end.
using StepBody =
    std::variant<ParallelPasses, LevelRoughing, GivenPathStep, Drilling, LevelPasses, ConstantCuspPasses, ConstantSpacingPasses,
                 TwoLayFinish, RailToRailPasses, AlongARailPasses, CornerPasses, CleanUpPasses, FlowPasses>;

/// Kinds that finish: passes on a field of theirs (steps/lay.h).
template <class Body>
concept FinishingBody = requires(const Body& body) {
  static_cast<const Finishing&>(body.finish);
};

struct Step {
  std::string name = "step";
  std::string note;        ///< for whoever runs or changes it; on the set-up sheet
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
  StepBody body;
  nlohmann::json extra = nlohmann::json::object(); ///< as read, so that fields unknown here survive saving

  template <class Body> bool is() const { return std::holds_alternative<Body>(body); }
  /// Null for another kind.
  template <class Body> Body* as() { return std::get_if<Body>(&body); }
  template <class Body> const Body* as() const { return std::get_if<Body>(&body); }
  /// What finishing kinds have in common; null for others.
  Finishing* finishing();
  const Finishing* finishing() const { return const_cast<Step*>(this)->finishing(); }
  /// What limits it in plan; null where nothing does.
  Boundary* within();
  const Boundary* within() const { return const_cast<Step*>(this)->within(); }
  /// What it is meant to leave along the normal, mm; 0 for roughing, whose walls and floors have their own.
  double allowance() const;
};

} // namespace hemline
