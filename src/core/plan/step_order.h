// The order of steps: what another one would mean, told before anything is computed.
#pragma once
#include "model/job.h"

namespace hemline {

struct OrderRemark {
  std::string text;
  bool breaks = false; ///< it makes no sense as it is then; else it costs something
  bool operator==(const OrderRemark&) const = default;
};

/// What is odd about the job's order as it stands, from its plan alone: a finish before the roughing that is to leave its ground even, rest
/// roughing before the wider cutter whose rest it takes, a smaller ball before the wider one whose ground it follows, holes drilled after
/// the roughing that enters by them, a clamping that is left and come back to. Results may find more.
std::vector<OrderRemark> oddInOrder(const Job& job);

/// The job with the step `from` moved before the step that is at `place` now (both from 0; `place` may be one past the last).
Job moved(const Job& job, std::size_t from, std::size_t place);

/// What `after`, the same steps in another order, would mean beside `before`: what is odd then and was not; changes of the cutter that are
/// more or less; which steps are computed again. In that order; the last is always there where anything changes.
std::vector<OrderRemark> orderChange(const Job& before, const Job& after);

} // namespace hemline
