// What a change of a row would cost or save: estimates from what was measured of the step.
#pragma once
#include "job/evaluate.h"
#include "model/fields.h"

namespace hemline {

/// How the time of a step changes with what decides the number of its passes: cutting moves (those of passes, at their feed) grow by
/// `times`, the rest stays. Links grow with passes too, so that it is a little low for short passes.
double timeWith(const StepResult& measured, double times);

/// "Half of it: about 6 min more", for a field of the step as it was measured; empty where nothing is known of it. An estimate: passes by
/// their spacing (2 sqrt(2 R h - h^2)), levels and step-overs by their number, bending by the cube of the stick-out, feeds by the share of
/// the time that runs at the programmed one.
std::string costOfChange(const StepField& field, const Job& job, const StepResult& measured, LengthUnit unit);

} // namespace hemline
