// Flow passes: finishes along the lines that CAD faces were made with.
#pragma once
#include "model/step_parts.h"

namespace hemline {

struct FlowPasses {
  static constexpr const char* kId = "flow passes";
  static constexpr const char* kPurpose = "Finish";
  static constexpr const char* kWhat = "Finishes along the parameter lines of CAD faces, carried on from face to face.";
  static constexpr const char* kWhen = "Blades, fillets and swept faces, whose lines run with the flow or along the sweep: the passes "
                                       "follow how the surface was made.";
  static constexpr const char* kCosts =
      "Where the lines fan out, the passes of the wide places crowd in the narrow ones: the step tells how much more path that is.";
  static constexpr const char* kWrong = "Faces without order beside each other, faces that run to a point, facets: their lines do not go "
                                        "on in each other. Trimmed faces keep "
                                        "the lines of what they were trimmed from.";

  Finishing finish;
  bool alongV = false;

  template <class Table> static void describe(Table& t) {
    t.choice("along_v", &FlowPasses::alongV, "passes along",
             "Which parameter of the largest face the passes run along; faces that join it are taken as their lines go on.", {"u", "v"});
    t.part(&FlowPasses::finish);
  }

  std::vector<std::string> sentence() const { return finish.sentence({"passes along", "{along_v}", "of its faces,"}); }
};

} // namespace hemline
