// A whole plan chosen for the planner, with alternatives: each computed and measured to the end, side by side.
#pragma once
#include "cutter/library.h"
#include "plan/plan_facts.h"

namespace hemline {

struct ProposedPlan {
  std::string name, why;                   ///< "a ball for each ground"; what it is good for, a sentence
  Job job;                                 ///< with its steps and regions
  std::vector<std::string> mended;         ///< what was changed because a first run of it did not keep its promises
  std::string failure;                     ///< why it could not be computed; empty: it was
  std::shared_ptr<const JobResult> result; ///< null where it failed
  PlanFacts facts;
};

/// Told of each plan as soon as it is computed to its end.
using PlanDone = std::function<void(const ProposedPlan&)>;

/// Up to three plans for the job's part, stock, material and machine, in its clampings, each on what those before it leave: what a clamping
/// does not finish stays as it is there. Cusp, gouge, rest, clearance and the lay of
/// passes are those of the clamping's first finishing step, allowances those of its first roughing; its steps of other kinds are left
/// out.
/// - few cutters: one roughing step, one ball that finishes about as much as any;
/// - a ball for each ground: the best of three roughing chains (proposeRoughing), the ladder of balls (withLadder);
/// - corners left: the fastest chain that keeps its promises, the widest ball that finishes kMostOf of the ground; what is too tight for
///   it is a region that is left on purpose, for another way. Where no ground is too tight: the same finish, roughed by another chain.
/// Each is run to its end, and mended once or twice: assemblies that are not clear get the shortest stick-out or the holder that is
/// (adviseStep), ground that is forgotten because it is too steep for the finishing step's limits is taken in. Plans that come to the same
/// steps stand once. Throws Error where the job has no finishing step; Cancelled.
std::vector<ProposedPlan> proposePlans(const Job& job, const std::string& jobPath, const CutterLibrary& library, Evaluator& evaluator,
                                       Progress& progress, const PlanDone& done = {}, LengthUnit unit = LengthUnit::Millimetre);
constexpr double kMostOf = 0.97; ///< of the ground that is to be finished

/// Lines for each: name, why, what was mended, the rows of factRows, what holds it; what holds all of them last.
std::vector<std::string> planText(const std::vector<ProposedPlan>& plans, LengthUnit unit);

} // namespace hemline
