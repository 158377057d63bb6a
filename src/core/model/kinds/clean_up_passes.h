// Clean-up passes: finishes the ground that a larger ball could not enter, along its valleys.
#pragma once
#include "model/step_parts.h"

namespace hemline {

struct Job;
struct Step;

struct CleanUpPasses {
  static constexpr const char* kId = "clean-up passes";
  static constexpr const char* kPurpose = "Clean up";
  static constexpr const char* kWhat = "Finishes the ground that a larger ball before could not enter, along its valleys, from outside in.";
  static constexpr const char* kWhen =
      "Fillets and hollows after the finishing ball: along a valley few passes do what would take many across "
      "it.";
  static constexpr const char* kCosts = "Few long passes. Its border runs where the larger ball still touched, and a little outside.";
  static constexpr const char* kWrong =
      "Where the part bends everywhere as tightly as the larger ball, all of it is cleaned up: look at the "
      "largest balls in Study first.";

  Finishing finish;
  std::string cutter;  ///< of the job, the ball before; empty: any of that diameter
  double after = 8;    ///< diameter of the ball before where no cutter is named, mm
  double larger = 0.2; ///< its radius is taken so much larger, mm

  template <class Table> static void describe(Table& t) {
    t.cutter("after_cutter", &CleanUpPasses::cutter, "after cutter", "The ball that finished before, by its name in the job.");
    t.length("after_ball_mm", &CleanUpPasses::after, "after a ball of",
             "The diameter of the ball that finished before. Has effect where no cutter is named.");
    t.length("overlap_mm", &CleanUpPasses::larger, "overlap",
             "The radius of the ball before is taken so much larger: the passes begin where it surely touched.");
    t.part(&CleanUpPasses::finish);
  }

  std::vector<std::string> sentence() const {
    if (!cutter.empty()) return finish.sentence({"what", "{after_cutter}", "left,", "{overlap_mm}", "of overlap,"});
    return finish.sentence({"what a ball of", "{after_ball_mm}", "left,", "{overlap_mm}", "of overlap,"});
  }

  void check(const Job& job, const Step& step) const;
};

} // namespace hemline
