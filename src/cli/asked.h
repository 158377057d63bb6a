// What can be asked on the command line, and what was.
#pragma once
#include <CLI/CLI.hpp>
#include <string>
#include <vector>

namespace hemline {

struct Asked {
  std::string job, out, part, cl, cutter, holder, unit, stock = "box:2", data = HEMLINE_DATA, machine, step, region;
  std::vector<std::string> cutters, steps;
  int threads = 0, tool = 0, take = 0;
  double stickOut = 0, allowance = 0, cusp = 0.005, chord = 0; // mm
  bool advise = false, heldAnyway = false, study = false, write = false;
  CLI::App *run = nullptr, *check = nullptr, *prove = nullptr, *make = nullptr, *rough = nullptr, *propose = nullptr, *finish = nullptr,
           *hours = nullptr, *chain = nullptr, *salvage = nullptr, *accept = nullptr, *report = nullptr;
};

/// Declares these commands with their options; `asked` is filled when the line is read, and has to live until then.
void offerCommands(CLI::App& app, Asked& asked);

} // namespace hemline
