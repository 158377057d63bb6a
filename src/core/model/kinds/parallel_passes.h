// Parallel passes: finishing in planes side by side, as far apart as the promised cusp lets them.
#pragma once
#include "model/step_parts.h"

namespace hemline {

struct ParallelPasses {
  static constexpr const char* kId = "parallel passes";
  static constexpr const char* kPurpose = "Finish";
  static constexpr const char* kWhat = "Finishes in planes side by side, as far apart as the promised cusp lets them.";
  static constexpr const char* kWhen = "Shallow ground, or ground whose steep walls lie across the passes.";
  static constexpr const char* kCosts = "Time goes with the root of the cusp: a quarter of it is twice the passes. A larger ball may lie "
                                        "farther apart and reaches less.";
  static constexpr const char* kWrong = "Steep walls along the passes want them so close that the time runs away; an upright ball cuts "
                                        "with its tip, where the speed is zero, on level ground; a long slim cutter bends more than the "
                                        "promised gouge.";

  Finishing finish;
  double angle = 0; ///< of the planes in the plane across the axis, radians

  template <class Table> static void describe(Table& t) {
    t.angle("angle_deg", &ParallelPasses::angle, "direction",
            "Of the passes in plan. Walls across the passes come out well, walls along them need closer passes.");
    t.part(&ParallelPasses::finish);
  }

  std::vector<std::string> sentence() const { return finish.sentence({"parallel passes at", "{angle_deg}"}); }

  void place(const Placement& at) { angle += at.turn; }
};

} // namespace hemline
