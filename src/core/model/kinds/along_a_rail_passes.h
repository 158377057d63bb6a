// Along-a-rail passes: so many passes, or a strip so wide, beside a rail.
#pragma once
#include "model/step_parts.h"
#include "surface/distance_fronts.h"

namespace hemline {

struct Job;
struct Step;

struct AlongARailPasses {
  static constexpr const char* kId = "along-a-rail passes";
  static constexpr const char* kRow = "along_rails";
  static constexpr const char* kPurpose = "Finish";
  static constexpr const char* kWhat = "Finishes a strip beside a rail: one pass along it, the others beside that one.";
  static constexpr const char* kWhen = "The ground along an edge, a parting line or a seam between two steps, where the lines have to run "
                                       "with it.";
  static constexpr const char* kCosts = "Little: a strip. Its border is a border between two steps; let the other one overlap it.";
  static constexpr const char* kWrong = "A rail that turns more sharply than the strip is wide: passes meet on its inner side.";

  Finishing finish;
  std::vector<std::string> rails; ///< of the job
  int passes = 5;                 ///< on each side, the first on the rail; where no width is given
  double width = 0;               ///< mm on each side; 0: by the number of passes
  Sides sides = Sides::Both;

  template <class Table> static void describe(Table& t) {
    t.rails(kRow, &AlongARailPasses::rails, "along", "Rails of Study that the passes run along, with commas between them.", "no rails");
    t.count("passes_beside", &AlongARailPasses::passes, "passes",
            "On each side, the first along the rail itself; as far apart as the cusp lets them. A width comes before it.");
    t.length("strip_width_mm", &AlongARailPasses::width, "width",
             "Of the strip on each side, along the surface: passes lie evenly in it. 0: as many passes as are told.");
    t.choice("rail_sides", &AlongARailPasses::sides, "sides", "Of the rail, looking along it from outside the part.",
             {"both sides", "left of it", "right of it"});
    t.part(&AlongARailPasses::finish);
  }

  std::vector<std::string> sentence() const {
    std::vector<std::string> how{"passes along", "{along_rails},", "{rail_sides},"};
    if (width > 0)
      how.insert(how.end(), {"{strip_width_mm}", "wide,"});
    else
      how.insert(how.end(), {"{passes_beside}", "beside each other,"});
    return finish.sentence(how);
  }

  void check(const Job& job, const Step& step) const;
};

} // namespace hemline
