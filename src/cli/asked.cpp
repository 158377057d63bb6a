#include "asked.h"
#include "base/ranges.h"
#include "base/units.h"
#include <fmt/format.h>

namespace hemline {
namespace {

void offerRun(CLI::App& app, Asked& asked) {
  CLI::App& c = *(asked.run = app.add_subcommand("run", "Plan, cut, prove and write programs for a job"));
  c.add_option("job", asked.job, "job file (.hemline)")->required();
  c.add_option("--out", asked.out, "folder for report.json, programs (.nc), paths (.cl), stock.ply, proof.ply, setup-sheet.html")
      ->required();
  c.add_option("--steps", asked.steps,
               "only these steps: numbers or names, separated by commas (those before them are computed for their stock)")
      ->delimiter(',');
  c.add_flag("--advise", asked.advise,
             "also find the shortest stick-outs and other holders that are clear, and the least tilt that clears");
  c.add_flag("--held-anyway", asked.heldAnyway,
             "write programs though the job is held by a promise or by holding: marked in name, first line and sheet, never to be run. "
             "Collisions, limits and unproven motions are never written");
  c.add_option("--threads", asked.threads, "worker threads (default: all)");
}

void offerCheck(CLI::App& app, Asked& asked) {
  CLI::App& c = *(asked.check = app.add_subcommand("check", "Say what an output folder is, and whether it is still as it was released"));
  c.add_option("folder", asked.out, "folder that a run or the window wrote")->required();
}

void offerProve(CLI::App& app, Asked& asked) {
  CLI::App& c =
      *(asked.prove = app.add_subcommand("prove", "Measure a path that somebody else made: cutter-location text (APT) or an ISO program"));
  c.add_option("--part", asked.part, "model file")->required();
  c.add_option("--unit", asked.unit, "unit of the model where its format has none: mm or inch");
  c.add_option("--cl,--path", asked.cl, "cutter-location text, or an ISO 6983 program (with --machine)")->required();
  c.add_option("--machine", asked.machine, "machine file (JSON) that runs the program; its work offset is where the part's origin lies");
  c.add_option("--tool", asked.tool, "the cutter of the program that is meant, by its T number (default: its only one)");
  c.add_option("--cutter", asked.cutter, "cutter: a JSON file with one cutter, or a name from the library")->required();
  c.add_option("--holder", asked.holder, "holder: a JSON file with one holder, or a name from the library");
  c.add_option("--stickout", asked.stickOut, "tip to holder face, mm");
  c.add_option("--allowance", asked.allowance, "wanted allowance along the normal, mm");
  c.add_option("--cusp", asked.cusp, "cusp to measure against, mm (default 0.005)");
  c.add_option("--out", asked.out, "folder for report.json and proof.ply")->required();
  c.add_option("--threads", asked.threads, "worker threads (default: all)");
}

void offerNew(CLI::App& app, Asked& asked) {
  CLI::App& c = *(asked.make = app.add_subcommand("new", "Make a first job (rough, finish) for a model"));
  c.add_option("--part", asked.part, "model file")->required();
  c.add_option("--unit", asked.unit, "unit of the model where its format has none: mm or inch");
  c.add_option("--stock", asked.stock, "box:MARGIN in mm (default box:2)");
  c.add_option("--cutter", asked.cutters, "cutters from the library, roughing first; picked when none are named");
  c.add_option("--cusp", asked.cusp, "promised cusp of the finish, mm")->required();
  c.add_option("--machine", asked.machine, "machine file (default: the shipped three-axis mill)");
  c.add_option("--out", asked.out, "job file to write")->required();
}

void offerRough(CLI::App& app, Asked& asked) {
  CLI::App& c = *(asked.rough = app.add_subcommand(
                      "rough", "Propose three chains of roughing steps for a job, with time, what they leave and their limits"));
  c.add_option("job", asked.job, "job file (.hemline) with a level roughing whose cutter, allowances and limits are taken over")
      ->required();
  c.add_option("--take", asked.take, "write the job anew with this chain, from 1, instead of its roughing steps")->check(CLI::Range(1, 3));
}

void offerPropose(CLI::App& app, Asked& asked) {
  CLI::App& c = *(asked.propose = app.add_subcommand(
                      "propose", "Propose whole plans for a job, each computed to its end: time, cutters, what stays, what holds it"));
  c.add_option("job", asked.job, "job file (.hemline) whose finishing step says what is promised")->required();
  c.add_option("--take", asked.take, "write the job anew with this plan, from 1; the one before is kept as a variant")
      ->check(CLI::Range(1, 3));
}

void offerFinish(CLI::App& app, Asked& asked) {
  CLI::App& c =
      *(asked.finish = app.add_subcommand(
            "finish", "Propose the pattern of a finishing step: all that make sense, planned coarsely, with path, time and turns"));
  c.add_option("job", asked.job, "job file (.hemline)")->required();
  c.add_option("--step", asked.step, "number or name of the finishing step (default: the first)");
  c.add_option("--region", asked.region, "region that it is asked for instead of the step's own ground");
  c.add_option("--take", asked.take, "write the job anew, the step with this pattern, from 1")->check(CLI::Range(1, 20));
}

void offerHours(CLI::App& app, Asked& asked) {
  CLI::App& c =
      *(asked.hours = app.add_subcommand("hours", "What other cusps would take of a finishing step, from what was measured of it"));
  c.add_option("job", asked.job, "job file (.hemline)")->required();
  c.add_option("--step", asked.step, "number or name of the finishing step (default: the first)");
}

void offerChain(CLI::App& app, Asked& asked) {
  CLI::App& c =
      *(asked.chain = app.add_subcommand(
            "chain", "Make a finishing step a chain to the end: semi-finish, finish, corners, details, with an estimate of its hours"));
  c.add_option("job", asked.job, "job file (.hemline)")->required();
  c.add_option("--step", asked.step, "number or name of the finishing step (default: the first)");
  c.add_flag("--take", asked.write, "write the job anew with the chain instead of the step");
}

void offerSalvage(CLI::App& app, Asked& asked) {
  CLI::App& c = *(asked.salvage = app.add_subcommand("salvage", "Save what can be read of a damaged job; the damaged file stays"));
  c.add_option("job", asked.job, "job file (.hemline) that cannot be opened")->required();
  c.add_option("--out", asked.out, "job file to write, beside the damaged one; it must not be there yet")->required();
}

void offerAccept(CLI::App& app, Asked& asked) {
  CLI::App& c = *(asked.accept = app.add_subcommand(
                      "accept", "Take a model that was changed on disk into its job: finds regions and rails again, says what is "
                                "not found"));
  c.add_option("job", asked.job, "job file (.hemline); it is written anew")->required();
}

void offerReport(CLI::App& app, Asked& asked) {
  CLI::App& c = *(asked.report = app.add_subcommand("report", "Describe a model: size, patches, what was repaired, what is wrong"));
  c.add_option("part", asked.part, "model file")->required();
  c.add_option("--unit", asked.unit, "unit of the model where its format has none: mm or inch");
  c.add_option("--chord", asked.chord, "chord tolerance for exact surfaces, mm (default: a 20,000th of the size; with --study 0.001)");
  c.add_flag("--study", asked.study,
             "also what it asks for: clampings, tilt, largest balls, a ladder of cutters, steep and shallow, facets");
  c.add_option("--cusp", asked.cusp, "cusp that the ladder of cutters is to leave, mm (default 0.005)");
}

/// Numbers as files may have them.
void limitNumbers(const Asked& asked) {
  const auto within = [](CLI::Option* o, const char* field) {
    o->check([field](const std::string& text) -> std::string {
      const Range r = rangeOf(field);
      const auto v = parseNumber(text);
      if (v && *v >= r.least && *v <= r.greatest) return {};
      return fmt::format("'{}' is not a number from {:g} to {:g}{}{}", text, r.least, r.greatest, r.unit.empty() ? "" : " ", r.unit);
    });
  };
  for (auto* c : {asked.run, asked.prove, asked.make, asked.report}) {
    if (auto* o = c->get_option_no_throw("--threads")) o->check(CLI::Range(0, 1024));
    for (const auto& [option, field] :
         {std::pair("--stickout", "stick_out_mm"), std::pair("--allowance", "allowance_mm"), std::pair("--cusp", "cusp_mm"),
          std::pair("--chord", "chord_mm"), std::pair("--tool", "program_tool")})
      if (auto* o = c->get_option_no_throw(option)) within(o, field);
  }
}

} // namespace

void offerCommands(CLI::App& app, Asked& asked) {
  offerRun(app, asked);
  offerCheck(app, asked);
  offerProve(app, asked);
  offerNew(app, asked);
  offerRough(app, asked);
  offerPropose(app, asked);
  offerFinish(app, asked);
  offerHours(app, asked);
  offerChain(app, asked);
  offerSalvage(app, asked);
  offerAccept(app, asked);
  offerReport(app, asked);
  for (auto* c : {asked.run, asked.prove, asked.make, asked.report, asked.rough, asked.propose, asked.finish, asked.hours, asked.chain})
    c->add_option("--data", asked.data, "folder with the cutter library and the machines");
  limitNumbers(asked);
}

} // namespace hemline
