// Two-lay finish: level passes on steep ground, parallel ones on shallow ground.
#pragma once
#include "model/step_parts.h"

namespace hemline {

struct Job;
struct Step;

struct TwoLayFinish {
  static constexpr const char* kId = "two-lay finish";
  static constexpr const char* kPurpose = "Finish";
  static constexpr const char* kWhat =
      "Finishes steep ground level by level and shallow ground in parallel planes, with an overlap between.";
  static constexpr const char* kWhen = "Ground that is steep here and shallow there: each gets the passes that suit it.";
  static constexpr const char* kCosts = "As much as both lays on their shares of the ground; the overlap is cut twice.";
  static constexpr const char* kWrong = "No overlap leaves a witness line where the lays meet; much of it costs time. Walls of changing "
                                        "slope near the angle come out in patches: move the angle to where little ground lies.";

  Finishing finish;
  double split = radians(45);  ///< slope from which ground is steep
  double overlap = radians(2); ///< each lay goes so much farther
  double angle = 0;            ///< of the parallel planes, in the plane across the axis, radians
  bool upward = false;         ///< the lowest level first

  template <class Table> static void describe(Table& t) {
    t.angle("split_deg", &TwoLayFinish::split, "steep from",
            "Steeper ground is finished level by level, flatter ground in parallel planes.");
    t.angle("overlap_deg", &TwoLayFinish::overlap, "overlap", "Each lay goes on so much farther over the slope at which they meet.");
    t.angle("angle_deg", &TwoLayFinish::angle, "direction", "Of the parallel passes in plan.");
    t.choice("upward", &TwoLayFinish::upward, "levels run",
             "Downward the cutter meets what the step before left at its side; upward it comes from below and cuts with less of its tip.",
             {"downward", "upward"});
    t.part(&TwoLayFinish::finish);
  }

  std::vector<std::string> sentence() const {
    return finish.sentence({"level passes", "{upward}", "on ground steeper than", "{split_deg},", "parallel passes at", "{angle_deg}",
                            "on the rest,", "{overlap_deg}", "of overlap,"});
  }

  void place(const Placement& at) { angle += at.turn; }
  void check(const Job& job, const Step& step) const;
};

} // namespace hemline
