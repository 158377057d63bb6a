// Constant-cusp passes: finishes in passes that leave the same cusp everywhere, side by side over the surface from where they begin.
#pragma once
#include "model/step_parts.h"

namespace hemline {

struct ConstantCuspPasses {
  static constexpr const char* kId = "constant-cusp passes";
  static constexpr const char* kPurpose = "Finish";
  static constexpr const char* kWhat = "Finishes in passes that leave the same cusp everywhere, side by side over the surface from "
                                       "where they begin.";
  static constexpr const char* kWhen =
      "Freeform ground that bends in all directions, where no one direction of parallel passes suits all of "
      "it. Begun at rails, its lines run with the feature that will be looked at.";
  static constexpr const char* kCosts = "Near the least length that the cusp allows. Where fronts meet, at corners and ridges, short "
                                        "passes are added.";
  static constexpr const char* kWrong = "Ground that bends as tightly as the cutter lets passes spread: take a smaller cutter there. "
                                        "Lines turn sharply where fronts meet; there the feed falls.";

  Finishing finish;
  FrontsFrom from;

  template <class Table> static void describe(Table& t) {
    t.part(&ConstantCuspPasses::from);
    t.part(&ConstantCuspPasses::finish);
  }

  std::vector<std::string> sentence() const { return finish.sentence(from.sentence("passes of even cusp from")); }
};

} // namespace hemline
