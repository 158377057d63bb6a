// How long a finishing step would take at other cusps: a curve from its own ground, with the promise and where it flattens.
#pragma once
#include "job/evaluate.h"

namespace hemline {

struct HoursOfCusp {
  struct Point {
    double cusp = 0; ///< mm
    double path = 0; ///< of contacts, mm
    double time = 0; ///< s
  };
  std::vector<Point> points; ///< rising cusps, a quarter to four times the promised one
  double promised = 0;       ///< mm
  /// From this cusp on twice of it saves less than a fifth of the time: no longer the passes but what is beside them rules it. (Passes
  /// alone fall with the root of the cusp: twice of it saves 29 %.) Nothing: there is no such place among the points.
  std::optional<double> knee; ///< mm

  /// Between the points, straight over the logarithm of the cusp; at their ends outside. s.
  double timeAt(double cusp) const;
};

/// Of a finishing step that was measured: the least length that each cusp allows on its ground (see leastContactLength), times what its
/// passes were longer than that at the promised one; its cutting time grows with it. Within some 15 % of real plans on open ground. Some
/// 0.3 s a cusp for 300,000 facets. Throws Error where the step does not finish, or nothing was measured; Cancelled.
HoursOfCusp hoursOfCusp(const Part& part, const Job& job, const StepResult& measured, Progress& progress);

/// "cusp 2 um: 43 min; ..., the knee lies at 5 um", a line a point.
std::vector<std::string> hoursText(const HoursOfCusp& hours, LengthUnit unit);

} // namespace hemline
