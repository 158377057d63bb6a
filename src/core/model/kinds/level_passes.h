// Level passes: finishing in planes across the axis, as far apart as the promised cusp lets them on each slope.
#pragma once
#include "model/step_parts.h"

namespace hemline {

struct LevelPasses {
  static constexpr const char* kId = "level passes";
  static constexpr const char* kPurpose = "Finish";
  static constexpr const char* kWhat = "Finishes level by level round steep ground, as far apart as the promised cusp lets them.";
  static constexpr const char* kWhen = "Steep walls: the cutter goes round them at one height, with an even load.";
  static constexpr const char* kCosts =
      "Time goes with the root of the cusp, and with how much of the ground is steep; levels lie as close as "
      "the flattest place between them asks for.";
  static constexpr const char* kWrong = "On shallow ground levels lie far apart and closer ones are put between without end: leave what is "
                                        "flatter than some 30 degrees to parallel passes; flats and saddles need passes of their own.";

  Finishing finish = steeperThan(radians(30));
  bool upward = false; ///< the lowest level first
  bool spiral = false; ///< loops within each other are one pass

  template <class Table> static void describe(Table& t) {
    t.choice("upward", &LevelPasses::upward, "levels run",
             "Downward the cutter meets what the step before left at its side; upward it comes from below and cuts with less of its tip.",
             {"downward", "upward"});
    describeSpiral(t, &LevelPasses::spiral);
    t.part(&LevelPasses::finish);
  }

  std::vector<std::string> sentence() const {
    return finish.sentence({"level passes", "{upward}", "on ground steeper than", "{slope_from_deg},"});
  }
};

} // namespace hemline
