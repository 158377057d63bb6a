// hemline-cli: the engine without a window.
#include "base/file.h"
#include "base/parallel.h"
#include "base/ranges.h"
#include "base/safe_name.h"
#include "cache_command.h"
#include "cutter/library.h"
#include "cutter/mount.h"
#include "edit_commands.h"
#include "in_hand.h"
#include "job/advise.h"
#include "job/foreign.h"
#include "job/handover.h"
#include "job/machine_choice.h"
#include "job/new_job.h"
#include "job/regions.h"
#include "job/report.h"
#include "job/roughing_chain.h"
#include "model/edit.h"
#include "study/whole_study.h"
#include <CLI/CLI.hpp>
#include <csignal>
#include <cstdio>
#include <filesystem>
#include <fmt/format.h>
#include <new>
#include <unistd.h>

using namespace hemline;
namespace fs = std::filesystem;

namespace {

Progress* running = nullptr;
void onInterrupt(int) {
  if (running) running->cancel();
}

/// On a terminal one line that changes; else one line for each piece of work, so that logs stay readable.
Progress::Report toStderr() {
  auto last = std::make_shared<std::string>();
  const bool terminal = ::isatty(STDERR_FILENO) == 1;
  return [last, terminal](double fraction, const std::string& what) {
    const std::string said = oneLine(what);
    // A piece of work is what its words are up to the first number.
    const std::string line =
        terminal ? fmt::format("{:3.0f} %  {}", fraction * 100, said) : said.substr(0, said.find_first_of("0123456789"));
    if (line == *last) return;
    *last = line;
    if (terminal)
      std::fprintf(stderr, "\r%-70s", line.c_str());
    else
      std::fprintf(stderr, "%s\n", said.c_str());
    std::fflush(stderr);
  };
}

void endProgress() {
  if (::isatty(STDERR_FILENO) == 1) std::fprintf(stderr, "\n");
}

void tellDamaged(const Evaluator& evaluator) {
  if (evaluator.damaged() > 0) std::fprintf(stderr, "%s\n", damagedText(evaluator.damaged()).c_str());
}

/// Step numbers, from 1, from a list of numbers and names; all steps for an empty list.
std::vector<std::size_t> chosenSteps(const Job& job, const std::string& jobPath, const std::vector<std::string>& list) {
  std::vector<std::size_t> out;
  for (const std::string& word : list) out.push_back(stepMeant(job, word, jobPath) + 1);
  if (list.empty())
    for (std::size_t i = 1; i <= job.steps.size(); ++i) out.push_back(i);
  return out;
}

int run(const std::string& jobPath, const std::string& out, const std::vector<std::string>& steps, const std::string& advise,
        bool heldAnyway, std::shared_ptr<Store> store, Progress& progress) {
  const Job job = readJob(jobPath);
  checkJob(job);
  const std::vector<std::size_t> chosen = chosenSteps(job, jobPath, steps);
  for (std::size_t k = 0; k < *std::max_element(chosen.begin(), chosen.end()); ++k)
    if (const auto fault = mountFault(job, job.steps[k])) throw Error(fault->what, "step '" + job.steps[k].name + "'", fault->remedy);
  OutputFolder folder(out, jobPath);
  Evaluator evaluator(std::move(store));
  JobResult result = evaluator.evaluate(job, jobPath, progress, *std::max_element(chosen.begin(), chosen.end()));
  keepSteps(result, chosen);
  const Release release = judgeRelease(job, result, evaluator.results(), progress);
  endProgress();
  tellDamaged(evaluator);
  if (evaluator.computed() == 0) std::fprintf(stderr, "All results were remembered (--no-cache computes them anew).\n");
  for (const auto& s : result.steps) folder.put(clFileName(*s), clText(job, *s, release));
  std::vector<float> left(result.part->mesh.points.size(), std::numeric_limits<float>::quiet_NaN());
  for (const auto& s : result.steps)
    if (s->surface)
      for (std::size_t v = 0; v < left.size(); ++v)
        if (!std::isnan(s->surface->stockLeft[v]))
          left[v] = std::isnan(left[v]) ? s->surface->stockLeft[v] : std::min(left[v], s->surface->stockLeft[v]);
  folder.put("proof.ply", surfacePly(result.part->mesh, left));
  if (!result.steps.empty()) folder.put("stock.ply", surfacePly(result.steps.back()->cut->after->stock.surface(), {}));
  folder.put("setup-sheet.html", setupSheet(job, result, release, ""));
  folder.put("report.json", reportBytes(reportJson(job, jobPath, result, release)));
  // Programs are given out when nothing holds the job, or marked where they are asked for all the same; never with a collision, an unproven
  // motion or a replay that differs in them.
  const std::vector<std::string> written = folder.finish(release, result, heldAnyway);
  std::fputs(reportText(job, result, release).c_str(), stdout);
  if (written.empty())
    std::printf("no program is given out%s\n",
                release.never.empty() && !heldAnyway ? " (--held-anyway writes them, marked, for a look; they are not to be run)" : "");
  for (const std::string& name : written) std::printf("program %s\n", name.c_str());
  for (const std::string& name : folder.movedAside()) std::printf("of an earlier run, moved aside: %s\n", name.c_str());
  for (std::size_t i = 0; !advise.empty() && i < result.steps.size(); ++i) {
    const StepAdvice a = adviseStep(job, result, i, readLibrary((fs::path(advise) / "cutters/library.json").string()).holders, progress);
    std::printf("\n%zu. %s\n", result.steps[i]->number, result.steps[i]->step.name.c_str());
    for (const std::string& line : adviceText(a, *result.steps[i], LengthUnit::Millimetre)) std::printf("   %s\n", line.c_str());
  }
  if (!advise.empty())
    for (const MachineFit& fit : fitMachines(job, result, machinesIn((fs::path(advise) / "machines").string())))
      std::printf("\n%s", machineFitText(fit).c_str());
  if (!advise.empty()) std::printf("\n");
  return release.proven() ? 0 : 3;
}

/// What `prove` is told: see its options.
struct ProveOptions {
  std::string part, cl, machine, cutter, holder, out, data;
  int tool = 0;
  double stickOut = 0, allowance = 0, cusp = 0.005; // mm
  std::optional<LengthUnit> unit;
};

/// By name from the library, or from a file of their own; as far out as asked, or as is usual.
Assembly assemblyOf(const ProveOptions& o) {
  const CutterLibrary library = readLibrary((fs::path(o.data) / "cutters/library.json").string());
  const auto fromFile = [](const std::string& path) {
    return parseJson(readFile(path), "The file", path, "Compare it with the shipped library.");
  };
  const Cutter c = fs::exists(o.cutter) ? cutterFromJson(fromFile(o.cutter), o.cutter) : library.cutter(o.cutter);
  Holder h;
  if (!o.holder.empty()) h = fs::exists(o.holder) ? holderFromJson(fromFile(o.holder), o.holder) : library.holder(o.holder);
  if (!o.holder.empty() && o.stickOut > 0)
    if (const auto fault = mountFault(c, h, o.stickOut, library.holders)) throw Error(fault->what, o.holder, fault->remedy);
  const double usual = std::max(c.fluteLength, c.length * 0.6);
  const auto range = stickOuts(c, h);
  if (!o.holder.empty() && !range) {
    const MountFault fault = *mountFault(c, h, usual, library.holders);
    throw Error(fault.what, o.holder, fault.remedy);
  }
  return assemble(c, h, o.stickOut > 0 ? o.stickOut : range ? std::clamp(usual, range->least, range->most) : usual);
}

int prove(const ProveOptions& o, Progress& progress) {
  const Assembly assembly = assemblyOf(o);
  const std::optional<Machine> runs = o.machine.empty() ? std::nullopt : std::optional(readMachine(o.machine));
  const GivenPath given = readGivenPath(readFile(o.cl), o.cl, runs ? &*runs : nullptr, o.tool, assembly.reach);
  if (!fs::exists(o.part)) throw Error("There is no such file", o.part, "Check the name and the folder.");
  OutputFolder folder(o.out, o.cl); // before anything is computed
  ReadOptions read;
  read.unit = o.unit, read.chord = std::clamp(0.1 * o.cusp, 5e-5, 0.01);
  const auto model = readPart(o.part, read, progress);
  const ForeignProof proof =
      proveForeign(*model, given, assembly, {o.allowance, o.cusp, !o.holder.empty(), runs ? &*runs : nullptr}, o.cl, progress);
  folder.put("proof.ply", surfacePly(model->mesh, proof.stockLeft));
  folder.put("report.json", reportBytes(proof.report));
  folder.finish(proof.heldBy.empty() ? "measured: proven; no program is given out" : "measured: not proven", proof.heldBy);
  endProgress();
  std::fputs(proof.text.c_str(), stdout);
  for (const std::string& name : folder.movedAside()) std::printf("of an earlier run, moved aside: %s\n", name.c_str());
  return proof.heldBy.empty() ? 0 : 3;
}

int check(const std::string& folder) {
  const FolderState s = checkFolder(folder);
  std::printf("%s: %s\n", folder.c_str(), s.state.c_str());
  for (const std::string& w : s.wrong) std::printf("   %s\n", w.c_str());
  return s.ready ? 0 : 3;
}

int fails(const std::string& why) {
  endProgress();
  std::fprintf(stderr, "%s\n", why.c_str());
  return 1;
}

int answer(int argc, char** argv);

} // namespace

int main(int argc, char** argv) {
  const int code = answer(argc, argv);
  // What could not be said was not said: a full disk behind standard output is an error.
  if (std::fflush(stdout) != 0 || std::ferror(stdout)) return fails("Standard output cannot be written: is its disk full?");
  return code;
}

namespace {

int answer(int argc, char** argv) {
  CLI::App app{"Hemline: paths for freeform surfaces whose promises are measured.\n"
               "Exit code 0: proven, and handed over as it is; 3: held, or released with waivers; 1: error."};
  app.require_subcommand(1);
  app.set_version_flag("--version", std::string(HEMLINE_VERSION));
  std::string job, out, part, cl, cutter, holder, unit, stock = "box:2", data = HEMLINE_DATA, machine;
  std::vector<std::string> cutters, steps;
  int threads = 0, tool = 0;
  double stickOut = 0, allowance = 0, cusp = 0.005, chord = 0;

  auto* runCmd = app.add_subcommand("run", "Plan, cut, prove and write programs for a job");
  runCmd->add_option("job", job, "job file (.hemline)")->required();
  runCmd->add_option("--out", out, "folder for report.json, programs (.nc), paths (.cl), stock.ply, proof.ply, setup-sheet.html")
      ->required();
  runCmd
      ->add_option("--steps", steps,
                   "only these steps: numbers or names, separated by commas (those before them are computed for their stock)")
      ->delimiter(',');
  bool advise = false;
  runCmd->add_flag("--advise", advise,
                   "also find the shortest stick-outs and other holders that are clear, and the least tilt that clears");
  bool heldAnyway = false;
  runCmd->add_flag(
      "--held-anyway", heldAnyway,
      "write programs though the job is held by a promise or by holding: marked in name, first line and sheet, never to be run. "
      "Collisions, limits and unproven motions are never written");
  runCmd->add_option("--threads", threads, "worker threads (default: all)");

  auto* checkCmd = app.add_subcommand("check", "Say what an output folder is, and whether it is still as it was released");
  checkCmd->add_option("folder", out, "folder that a run or the window wrote")->required();

  auto* proveCmd = app.add_subcommand("prove", "Measure a path that somebody else made: cutter-location text (APT) or an ISO program");
  proveCmd->add_option("--part", part, "model file")->required();
  proveCmd->add_option("--unit", unit, "unit of the model where its format has none: mm or inch");
  proveCmd->add_option("--cl,--path", cl, "cutter-location text, or an ISO 6983 program (with --machine)")->required();
  proveCmd->add_option("--machine", machine, "machine file (JSON) that runs the program; its work offset is where the part's origin lies");
  proveCmd->add_option("--tool", tool, "the cutter of the program that is meant, by its T number (default: its only one)");
  proveCmd->add_option("--cutter", cutter, "cutter: a JSON file with one cutter, or a name from the library")->required();
  proveCmd->add_option("--holder", holder, "holder: a JSON file with one holder, or a name from the library");
  proveCmd->add_option("--stickout", stickOut, "tip to holder face, mm");
  proveCmd->add_option("--allowance", allowance, "wanted allowance along the normal, mm");
  proveCmd->add_option("--cusp", cusp, "cusp to measure against, mm (default 0.005)");
  proveCmd->add_option("--out", out, "folder for report.json and proof.ply")->required();
  proveCmd->add_option("--threads", threads, "worker threads (default: all)");

  auto* newCmd = app.add_subcommand("new", "Make a first job (rough, finish) for a model");
  newCmd->add_option("--part", part, "model file")->required();
  newCmd->add_option("--unit", unit, "unit of the model where its format has none: mm or inch");
  newCmd->add_option("--stock", stock, "box:MARGIN in mm (default box:2)");
  newCmd->add_option("--cutter", cutters, "cutters from the library, roughing first; picked when none are named");
  newCmd->add_option("--cusp", cusp, "promised cusp of the finish, mm")->required();
  newCmd->add_option("--machine", machine, "machine file (default: the shipped three-axis mill)");
  newCmd->add_option("--out", out, "job file to write")->required();

  int take = 0;
  auto* roughCmd =
      app.add_subcommand("rough", "Propose three chains of roughing steps for a job, with time, what they leave and their limits");
  roughCmd->add_option("job", job, "job file (.hemline) with a level roughing whose cutter, allowances and limits are taken over")
      ->required();
  roughCmd->add_option("--take", take, "write the job anew with this chain, from 1, instead of its roughing steps")
      ->check(CLI::Range(1, 3));

  auto* acceptCmd =
      app.add_subcommand("accept", "Take a model that was changed on disk into its job: finds regions and rails again, says what is "
                                   "not found");
  acceptCmd->add_option("job", job, "job file (.hemline); it is written anew")->required();

  auto* reportCmd = app.add_subcommand("report", "Describe a model: size, patches, what was repaired, what is wrong");
  reportCmd->add_option("part", part, "model file")->required();
  reportCmd->add_option("--unit", unit, "unit of the model where its format has none: mm or inch");
  reportCmd->add_option("--chord", chord, "chord tolerance for exact surfaces, mm (default: a 20,000th of the size; with --study 0.001)");
  bool study = false;
  reportCmd->add_flag("--study", study,
                      "also what it asks for: clampings, tilt, largest balls, a ladder of cutters, steep and shallow, facets");
  reportCmd->add_option("--cusp", cusp, "cusp that the ladder of cutters is to leave, mm (default 0.005)");
  for (auto* c : {runCmd, proveCmd, newCmd, reportCmd, roughCmd})
    c->add_option("--data", data, "folder with the cutter library and the machines");

  EditCommands edit(app);
  CacheCommand cache(app);
  cache.offer(*runCmd);
  cache.offer(*roughCmd);

  // Numbers as files may have them.
  const auto within = [](CLI::Option* o, const char* field) {
    o->check([field](const std::string& text) -> std::string {
      const Range r = rangeOf(field);
      const auto v = parseNumber(text);
      if (v && *v >= r.least && *v <= r.greatest) return {};
      return fmt::format("'{}' is not a number from {:g} to {:g}{}{}", text, r.least, r.greatest, r.unit.empty() ? "" : " ", r.unit);
    });
  };
  for (auto* c : {runCmd, proveCmd, newCmd, reportCmd}) {
    if (auto* o = c->get_option_no_throw("--threads")) o->check(CLI::Range(0, 1024));
    for (const auto& [option, field] :
         {std::pair("--stickout", "stick_out_mm"), std::pair("--allowance", "allowance_mm"), std::pair("--cusp", "cusp_mm"),
          std::pair("--chord", "chord_mm"), std::pair("--tool", "program_tool")})
      if (auto* o = c->get_option_no_throw(option)) within(o, field);
  }

  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& e) {
    if (e.get_exit_code() == 0) return app.exit(e); // help, version
    std::fprintf(stderr, "%s. 'hemline-cli --help', or 'hemline-cli run --help', tells what can be given.\n", e.what());
    return 1;
  }
  Progress progress(toStderr());
  running = &progress;
  std::signal(SIGINT, onInterrupt);
  setThreadLimit(threads);
  try {
    std::optional<LengthUnit> partUnit;
    if (unit == "mm")
      partUnit = LengthUnit::Millimetre;
    else if (unit == "inch")
      partUnit = LengthUnit::Inch;
    else if (!unit.empty())
      throw Error("The unit '" + unit + "' is not known", "--unit", "Use mm or inch.");
    if (const auto code = edit.run()) return *code;
    if (const auto code = cache.run()) return *code;
    if (runCmd->parsed()) return run(job, out, steps, advise ? data : std::string(), heldAnyway, cache.store(), progress);
    if (checkCmd->parsed()) return check(out);
    if (roughCmd->parsed()) {
      const FileLock lock = take > 0 ? inHand(job) : FileLock();
      const Job before = readJob(job);
      Evaluator evaluator(cache.store());
      const auto chains = proposeRoughing(before, job, readLibrary(data + "/cutters/library.json"), evaluator, progress);
      endProgress();
      tellDamaged(evaluator);
      for (const std::string& line : chainText(chains, LengthUnit::Millimetre)) std::printf("%s\n", line.c_str());
      if (take == 0) return 0;
      const RoughingChain& chosen = chains[static_cast<std::size_t>(take - 1)];
      if (chosen.failed) throw Error("This chain could not be computed", job, "Take another one.");
      writeJob(job, chosen.job);
      std::printf("%s: takes chain %d\n", job.c_str(), take);
      return 0;
    }
    if (acceptCmd->parsed()) {
      const FileLock lock = inHand(job);
      const AcceptedModel accepted = acceptModel(readJob(job), job, progress);
      writeJob(job, accepted.job);
      endProgress();
      for (const std::string& line : accepted.told) std::printf("%s\n", line.c_str());
      std::printf("%s: the model is accepted as it is now\n", job.c_str());
      return 0;
    }
    if (newCmd->parsed()) {
      NewJobOptions o;
      o.unit = partUnit, o.cusp = cusp, o.cutters = cutters, o.data = data, o.machine = machine;
      if (stock.rfind("box:", 0) != 0)
        throw Error("The stock '" + stock + "' is not known", "--stock", "Use box:MARGIN, for instance box:2.");
      const bool list = stock.find(',') != std::string::npos; // or a decimal comma: nobody knows which
      const auto margin = list ? std::nullopt : parseLength(stock.substr(4), LengthUnit::Millimetre);
      if (!margin || !(*margin >= 0 && *margin <= rangeOf("margin_mm").greatest))
        throw Error("'" + stock.substr(4) + "' is not a margin", "--stock", "Use a length of 0 or more, for instance box:2.");
      o.margin = *margin;
      const FileLock lock = inHand(out);
      std::vector<std::string> told;
      const Job made = newJob(part, out, o, progress, &told);
      if (fs::exists(out)) { // a job that somebody made is never lost
        std::string aside = out + ".before";
        for (int n = 2; fs::exists(aside); ++n) aside = fmt::format("{}.before{}", out, n);
        fs::rename(out, aside);
        std::printf("the job that was there is %s now\n", aside.c_str());
      }
      writeJob(out, made);
      endProgress();
      std::printf("%s: %zu steps\n", out.c_str(), made.steps.size());
      for (const std::string& line : told) std::printf("  look at %s\n", line.c_str());
      for (const Step& s : made.steps)
        std::printf("  %s with %s in %s, %.1f mm out\n", s.name.c_str(), s.cutter.c_str(), s.holder.c_str(), s.stickOut);
      return 0;
    }
    ReadOptions read;
    read.unit = partUnit;
    if (reportCmd->parsed()) {
      read.chord = chord > 0 || !study ? chord : 0.001;
      auto model = readPart(part, read, progress);
      const auto touching = countSelfTouching(model->mesh, progress);
      endProgress();
      std::fputs(describePart(*model).c_str(), stdout);
      std::printf("  self-touching triangles %zu\n", touching);
      if (study) {
        const WholeStudy s = studyWhole(*model, Vec3::UnitZ(), progress);
        StudyWishes wishes;
        wishes.library = readLibrary((fs::path(data) / "cutters/library.json").string()).mountable(), wishes.cusp = cusp;
        std::fputs(studyText(*model, {&s.study, &s.balls, &s.around, &s.walls}, wishes).c_str(), stdout);
      }
      return 0;
    }
    return prove({part, cl, machine, cutter, holder, out, data, tool, stickOut, allowance, cusp, partUnit}, progress);
  } catch (const Cancelled&) {
    return fails("cancelled; nothing is handed over");
  } catch (const Error& e) {
    return fails(e.what());
  } catch (const std::bad_alloc&) {
    return fails("There is not enough memory for this. Give it a larger cell or cusp, or a smaller part.");
  } catch (const std::exception& e) {
    return fails(std::string("This went wrong within Hemline: ") + e.what() + ". Nothing is handed over; keep the files and report it.");
  }
}

} // namespace
