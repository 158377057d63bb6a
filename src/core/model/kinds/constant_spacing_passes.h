// Constant-spacing passes: finishes in passes at even distance along the surface from where they begin.
#pragma once
#include "model/step_parts.h"

namespace hemline {

struct ConstantSpacingPasses {
  static constexpr const char* kId = "constant-spacing passes";
  static constexpr const char* kPurpose = "Finish";
  static constexpr const char* kWhat = "Finishes in passes at even distance along the surface from where they begin.";
  static constexpr const char* kWhen = "Ground that is seen: the lines lie evenly, on walls as on floors. Begun at rails, they run with "
                                       "the feature that will be looked at.";
  static constexpr const char* kCosts = "The tightest ground sets the spacing of all: costly where little of it bends more than the "
                                        "rest.";
  static constexpr const char* kWrong = "A hollow nearly as tight as the cutter makes all passes lie close: give it a step of its own. "
                                        "Lines turn sharply where fronts meet; there the feed falls.";

  Finishing finish;
  FrontsFrom from;

  template <class Table> static void describe(Table& t) {
    t.part(&ConstantSpacingPasses::from);
    t.part(&ConstantSpacingPasses::finish);
  }

  std::vector<std::string> sentence() const { return finish.sentence(from.sentence("passes of even spacing from")); }
};

} // namespace hemline
