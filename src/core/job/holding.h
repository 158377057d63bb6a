// How each clamping holds the work, in words: for window, command line, set-up sheet and release.
#pragma once
#include "job/evaluate.h"

namespace hemline {

/// What of holding holds the release: nothing told that grips, a force that is not known, jaws that touch nothing, fixtures that stand in
/// the stock, a roughing force above what friction carries.
std::vector<Finding> notHeld(const Job& job, const JobResult& result);

/// What friction of all fixtures of a clamping carries, N; nothing where a force is not known or nothing grips.
std::optional<double> holdingForce(const Clamping& clamping);
/// The largest cutting force of the steps of a clamping, N; nothing where none is known.
std::optional<double> forceIn(const JobResult& result, int clamping);

/// The step of a clamping under whose cut the work bends most; null: none is known.
const StepResult* softestStep(const JobResult& result, int clamping);
/// The fewest stages from the far end that halve the bending; 1: none do, or it does not matter.
std::size_t stagesFor(const Effort& effort);

/// Rows "Title: text" of one clamping as it is set up: how the part stands, datum, work zero, fixtures.
std::vector<std::string> setUpText(const Job& job, const JobResult& result, std::size_t clamping, LengthUnit unit);
/// And what comes of it: grip, force, what stands out and bends, the seam, loose pieces.
std::vector<std::string> holdingText(const Job& job, const JobResult& result, std::size_t clamping, LengthUnit unit);

} // namespace hemline
