// Rail-to-rail passes: lines that turn from one rail into another.
#pragma once
#include "model/step_parts.h"

namespace hemline {

struct Job;
struct Step;

struct RailToRailPasses {
  static constexpr const char* kId = "rail-to-rail passes";
  static constexpr const char* kRow = "between_rails";
  static constexpr const char* kPurpose = "Finish";
  static constexpr const char* kWhat =
      "Finishes in passes that turn from one rail into another: the first runs beside the one, the last beside the other.";
  static constexpr const char* kWhen = "A strip between two edges that will be looked at, where the lines have to run with both.";
  static constexpr const char* kCosts =
      "As many passes run through the narrow places as the widest one needs: the step tells how many that is. Passes of "
      "even cusp from one of the rails do not pay for that, but meet the other one at an angle.";
  static constexpr const char* kWrong =
      "Rails that meet, or come much nearer in places: the passes crowd there. Ground behind a rail is not between "
      "them: bound the step by a region.";

  Finishing finish;
  std::vector<std::string> rails; ///< of the job, two
  bool spiral = false;            ///< where both close: one pass from the one to the other

  template <class Table> static void describe(Table& t) {
    t.rails(kRow, &RailToRailPasses::rails, "between", "Two rails of Study with a comma between them, from the one to the other.",
            "no rails");
    describeSpiral(t, &RailToRailPasses::spiral);
    t.part(&RailToRailPasses::finish);
  }

  std::vector<std::string> sentence() const { return finish.sentence({"passes from rail to rail,", "{between_rails},"}); }

  void check(const Job& job, const Step& step) const;
};

} // namespace hemline
