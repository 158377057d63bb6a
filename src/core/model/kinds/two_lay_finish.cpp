#include "base/error.h"
#include "model/job.h"
#include <fmt/format.h>

namespace hemline {

void TwoLayFinish::check(const Job&, const Step& step) const {
  const std::string where = "step '" + step.name + "'";
  if (finish.follow)
    throw Error(Fault::Cannot, "A two-lay finish keeps its axis where it is: each of its lays would lean another way", where,
                "Take the axis upright, or two steps that lean.")
        .mendedBy("axis_follows_surface");
  if (!(split - overlap > finish.slopeFrom && split + overlap < finish.slopeTo))
    throw Error(
        Fault::OutOfRange,
        fmt::format("The lays would meet at {:.1f} deg with {:.1f} deg of overlap, but the step has ground from {:.1f} to {:.1f} deg",
                    degrees(split), degrees(overlap), degrees(finish.slopeFrom), degrees(finish.slopeTo)),
        where, "Choose an angle inside of these, with less overlap.")
        .mendedBy("split_deg");
}

} // namespace hemline
