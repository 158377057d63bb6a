// A given path: a program or cutter-location text that somebody else made, run as it is and measured.
#pragma once
#include "model/step_parts.h"

namespace hemline {

struct Job;
struct Step;

struct GivenPathStep {
  static constexpr const char* kId = "given path";
  static constexpr const char* kPurpose = "Another's path";
  static constexpr const char* kWhat = "Runs a program or cutter-location text that somebody else made, as it is.";
  static constexpr const char* kWhen = "To have another's path measured among the steps of a job.";
  static constexpr const char* kCosts = "Nothing is planned: the time is that of the path, its feeds stand in it.";
  static constexpr const char* kWrong = "The path was made for another zero, cutter or length; ways that only its machine knows cannot be "
                                        "proven and hold the programs.";

  std::string file;     ///< cutter-location text or ISO program, relative to the job
  int programTool = 0;  ///< the cutter of an ISO program that is meant; 0: its only one
  double allowance = 0; ///< what it is meant to leave, mm

  template <class Table> static void describe(Table& t) {
    t.hide("feed_mm_min"), t.hide("rpm"), t.hide("axis"); // they stand in the path
    t.promise("cusp_mm", false, "Empty: not promised, as for a path that only roughs.").then([](auto& s) {
      if (!s.promises.cusp) s.promises.rest.reset();
    });
    t.promise("rest_mm", false, "Known for a fixed axis.");
    t.promise("engagement_deg");
    t.loadLimits();
    t.fine("allowance_mm", &GivenPathStep::allowance, "allowance", "What the path is meant to leave along the normal.");
    t.file("path_file", &GivenPathStep::file, "file", "Cutter-location text or ISO program, beside the job or with its folder.")
        .needed("No file is named");
    t.count("program_tool", &GivenPathStep::programTool, "cutter number",
            "Which cutter of an ISO program is meant, by its T number; 0: its only one.");
  }

  std::vector<std::string> sentence() const {
    return {"Run", "{path_file}", "as it is, with", "{cutter},", "{holder},", "{stick_out_mm}", "out."};
  }

  /// Throws Error.
  void check(const Job& job, const Step& step) const;
};

} // namespace hemline
