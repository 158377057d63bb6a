// Clean-up passes: finishes the ground that a larger ball could not enter, along its valleys.
#pragma once
#include "model/step_parts.h"

namespace hemline {

struct Job;
struct Step;

struct CleanUpPasses {
  static constexpr const char* kId = "clean-up passes";
  static constexpr const char* kPurpose = "Clean up";
  static constexpr const char* kWhat =
      "Finishes the ground that a larger ball before could not enter, or where the steps before really leave something, along its valleys, "
      "from outside in.";
  static constexpr const char* kWhen =
      "Fillets and hollows after the finishing ball: along a valley few passes do what would take many across "
      "it.";
  static constexpr const char* kCosts = "Few long passes. Its border runs where the larger ball still touched, and a little outside.";
  static constexpr const char* kWrong =
      "Where the part bends everywhere as tightly as the larger ball, all of it is cleaned up: look at the "
      "largest balls in Study first.";

  Finishing finish;
  bool really = false;     ///< the ground is where the steps before leave something; else where the ball before could not enter
  double leftMore = 0.02;  ///< than that, mm
  std::string cutter;  ///< of the job, the ball before; empty: any of that diameter
  double after = 8;    ///< diameter of the ball before where no cutter is named, mm
  double larger = 0.2; ///< its radius is taken so much larger, mm

  template <class Table> static void describe(Table& t) {
    t.choice("cleans_up", &CleanUpPasses::really, "cleans up",
             "A larger ball's ground is known from the part alone. What the steps before really leave is measured on their paths, "
             "whatever cut them: also what a slope, a boundary or a fillet kept them from.",
             {"where a larger ball could not enter", "what the steps before leave"});
    t.fine("left_more_than_mm", &CleanUpPasses::leftMore, "leave more than",
           "Along the normal, with what they left on purpose. More than their cusp, or the cusps are cleaned up, too. Has effect where what "
           "the steps before leave is cleaned up.");
    t.cutter("after_cutter", &CleanUpPasses::cutter, "after cutter", "The ball that finished before, by its name in the job.");
    t.length("after_ball_mm", &CleanUpPasses::after, "after a ball of",
             "The diameter of the ball that finished before. Has effect where no cutter is named.");
    t.length("overlap_mm", &CleanUpPasses::larger, "overlap",
             "The radius of the ball before is taken so much larger: the passes begin where it surely touched.");
    t.part(&CleanUpPasses::finish);
  }

  std::vector<std::string> sentence() const {
    if (really) return finish.sentence({"{cleans_up},", "where that is more than", "{left_more_than_mm},"});
    if (!cutter.empty()) return finish.sentence({"what", "{after_cutter}", "left,", "{overlap_mm}", "of overlap,"});
    return finish.sentence({"what a ball of", "{after_ball_mm}", "left,", "{overlap_mm}", "of overlap,"});
  }

  void check(const Job& job, const Step& step) const;
};

} // namespace hemline
