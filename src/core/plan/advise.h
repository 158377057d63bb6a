// What would make the steps of a job clear, or let their cutters be shorter.
#pragma once
#include "job/evaluate.h"
#include "proof/advice.h"

namespace hemline {

struct StepAdvice {
  std::optional<double> shortest;   ///< mm; nothing: not even the longest stick-out is clear
  bool ofStock = false;             ///< it is clear of the stock, too
  std::vector<HolderAdvice> others; ///< holders that are clear at a shorter one, of the stock, too
  std::optional<TiltAdvice> tilt;   ///< for places that are not clear, on machines with five axes
};

/// For a computed step of the result, against part, fixtures, machine, and the stock as it is cut; the tilt without the stock. `library`:
/// the holders to choose from. Throws Cancelled.
StepAdvice adviseStep(const Job& job, const JobResult& result, std::size_t step, const std::vector<Holder>& library, Progress& progress);
/// In one sentence each, in the unit wanted.
std::vector<std::string> adviceText(const StepAdvice& advice, const StepResult& step, LengthUnit unit);

} // namespace hemline
