// What is followed along a step: one value over its time.
#pragma once
#include "base/units.h"
#include "job/evaluate.h"
#include <QString>

namespace hemline::app {

enum class Trace { Feed, Tilt, Height, Cusp, Clearance, Engagement, Removal, Force, Programmed, Bending, Layer };
constexpr int kTraces = static_cast<int>(Trace::Layer) + 1;

struct TraceLine {
  QString name;                    ///< with its unit
  std::vector<double> time, value; ///< s from the start of the step; in the unit of the name. Empty: not measured move by move
  double low = 0, high = 1;        ///< range to show
  std::optional<double> promise;   ///< in the unit of the name
  bool leastIsWorst = false;
};

/// As it stands in lists.
QString traceName(Trace trace);
/// A step's trace; of no step: its name alone.
TraceLine traceOf(const StepResult* result, Trace trace, LengthUnit unit);

} // namespace hemline::app
