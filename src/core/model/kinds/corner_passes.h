// Corner passes: along the lines where a ball touches both sides of a corner.
#pragma once
#include "model/step_parts.h"

namespace hemline {

struct Job;
struct Step;

struct CornerPasses {
  static constexpr const char* kId = "corner passes";
  static constexpr bool kOutsideIn = true; ///< the pass farthest from where they begin is cut first
  static constexpr const char* kPurpose = "Clean up";
  static constexpr const char* kWhat =
      "Runs along corners, where the ball touches both sides at once; with more passes beside that one, from "
      "outside in.";
  static constexpr const char* kWhen =
      "Corners and hollows tighter than the finishing ball: once with it before the finish, so that its passes "
      "do not meet a corner full of stock, or after it with a smaller one.";
  static constexpr const char* kCosts = "Little path; the load is high where a corner is still full.";
  static constexpr const char* kWrong = "A ball larger than the one before meets nothing. What the ball itself cannot enter stays: see the "
                                        "stock left.";

  Finishing finish;
  int passes = 1; ///< on each side, the one in the corner counted

  template <class Table> static void describe(Table& t) {
    t.count("passes_beside", &CornerPasses::passes, "passes",
            "On each side of the corner, the one in it counted: the farthest is cut first, the corner last.");
    t.part(&CornerPasses::finish);
  }

  std::vector<std::string> sentence() const { return finish.sentence({"passes along corners,", "{passes_beside}", "on each side,"}); }

  void check(const Job& job, const Step& step) const;
};

} // namespace hemline
