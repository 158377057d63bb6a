// What is said of a step before it is computed.
#pragma once
#include "job/evaluate.h"

namespace hemline {

/// A first estimate of cusp spacing and pass length before computing: for briefs, labelled as an estimate.
double estimatedSpacing(const Step& step, const Cutter& cutter);
/// The cusp that passes whose fields are found are spaced for, mm: a little under the promise, and what the moves' chords take comes off.
double cuspSpacedFor(double cusp, double chord);
/// Time of a finishing step, s, from what was measured before it was changed: by the spacing's and the feed's ratio, 15 % less and 20 %
/// more. Coarser passes take up to 60 % more than that ratio, since borders, links and axis limits stay (seen on a small dish).
/// Nothing where there is no spacing to compare.
struct TimeSpan {
  double least, most;
};
std::optional<TimeSpan> estimatedTime(const Step& step, const Cutter& cutter, const StepResult& before);

/// How much there is to compute for a step: roughly its path, m; from ground (mm^2) and spacing for passes, from the blank (mm^3), depth
/// and step-over for levels. At least 1. For how long it will take beside others of its kind, and for nothing else.
double computingWork(const Step& step, const Cutter& cutter, double ground, double blank);

} // namespace hemline
