// What a plan comes to, told in the same rows for every plan, so that plans can be compared.
#pragma once
#include "job/evaluate.h"

namespace hemline {

struct PlanFacts {
  /// Of all steps that promise it the one that is worst against its promise: broken before not known before waived before kept, then by
  /// its share of what is promised.
  struct Figure {
    PromiseResult of;
    std::size_t step = 0; ///< from 0
  };
  double time = 0;                                   ///< of all steps, s; changing cutters and turning the part apart
  std::vector<std::string> cutters;                  ///< in order of their first use
  std::size_t steps = 0, changes = 0, clampings = 0; ///< changes: of the cutter on the way, those of a flip too
  std::optional<Figure> cusp, rest, gouge, clearance, engagement;
  double finished = 0, left = 0, touched = 0, forgotten = 0; ///< mm^2, as in Coverage
  std::array<std::size_t, 4> verdicts{};                     ///< of all promises of steps and regions, by Verdict
  std::vector<Finding> heldBy;                               ///< see releaseHeldBy; programs and files apart
};
PlanFacts planFacts(const Job& job, const JobResult& result);

struct FactRow {
  std::string title, value;
  bool wrong = false;
  bool best = false; ///< of the plans that it is told beside; nothing is where all are alike
};
/// The same rows in the same order for every plan.
std::vector<FactRow> factRows(const PlanFacts& facts, LengthUnit unit);
/// For several plans, with the best of time, cutters, rest, forgotten ground and broken promises marked.
std::vector<std::vector<FactRow>> factRows(const std::vector<PlanFacts>& plans, LengthUnit unit);
/// What holds it, a line each, without what holds all of `others`, too (which is told once).
std::vector<std::string> ownLimits(const PlanFacts& facts, const std::vector<PlanFacts>& others);
/// What holds all of them.
std::vector<std::string> commonLimits(const std::vector<PlanFacts>& plans);

} // namespace hemline
