// hemline-cli: the engine without a window.
#include "asked.h"
#include "base/file.h"
#include "base/ranges.h"
#include "base/safe_name.h"
#include "base/threads.h"
#include "cache_command.h"
#include "cutter/library.h"
#include "cutter/mount.h"
#include "edit_commands.h"
#include "in_hand.h"
#include "job/foreign.h"
#include "job/handover.h"
#include "job/regions.h"
#include "job/report.h"
#include "model/edit.h"
#include "model/salvage.h"
#include "plan/advise.h"
#include "plan/finishing_chain.h"
#include "plan/hours_of_cusp.h"
#include "plan/machine_choice.h"
#include "plan/new_job.h"
#include "plan/propose_finish.h"
#include "plan/propose_plans.h"
#include "plan/roughing_chain.h"
#include "plan/variants.h"
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

/// The library, with what its cutters begin with in the job's material.
CutterLibrary libraryOf(const Job& job, const std::string& data) {
  CutterLibrary library = readLibrary((fs::path(data) / "cutters/library.json").string());
  return job.material ? libraryFor(job.material->name, readMaterials((fs::path(data) / "materials.json").string()), std::move(library))
                      : library;
}

/// Which assemblies and machines would do, too.
void advise(const Job& job, const JobResult& result, const std::string& data, Progress& progress) {
  const CutterLibrary library = readLibrary((fs::path(data) / "cutters/library.json").string());
  for (std::size_t i = 0; i < result.steps.size(); ++i) {
    const StepAdvice a = adviseStep(job, result, i, library.holders, progress);
    std::printf("\n%zu. %s\n", result.steps[i]->number, result.steps[i]->step.name.c_str());
    for (const std::string& line : adviceText(a, *result.steps[i], LengthUnit::Millimetre)) std::printf("   %s\n", line.c_str());
  }
  for (const MachineFit& fit : fitMachines(job, result, machinesIn((fs::path(data) / "machines").string())))
    std::printf("\n%s", machineFitText(fit).c_str());
  std::printf("\n");
}

int run(const Asked& asked, std::shared_ptr<Store> store, Progress& progress) {
  const std::string& jobPath = asked.job;
  const Job job = readJob(jobPath);
  checkJob(job);
  const std::vector<std::size_t> chosen = chosenSteps(job, jobPath, asked.steps);
  for (std::size_t k = 0; k < *std::max_element(chosen.begin(), chosen.end()); ++k)
    if (const auto fault = mountFault(job, job.steps[k]))
      throw Error(Fault::Cannot, fault->what, "step '" + job.steps[k].name + "'", fault->remedy);
  OutputFolder folder(asked.out, jobPath);
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
  const std::vector<std::string> written = folder.finish(release, result, asked.heldAnyway);
  std::fputs(reportText(job, result, release).c_str(), stdout);
  if (written.empty())
    std::printf("no program is given out%s\n",
                !release.never() && !asked.heldAnyway ? " (--held-anyway writes them, marked, for a look; they are not to be run)" : "");
  for (const std::string& name : written) std::printf("program %s\n", name.c_str());
  for (const std::string& name : folder.movedAside()) std::printf("of an earlier run, moved aside: %s\n", name.c_str());
  if (asked.advise) advise(job, result, asked.data, progress);
  return release.proven() ? 0 : 3;
}

/// The unit that was told of a model; none: nothing was told.
std::optional<LengthUnit> partUnit(const Asked& asked) {
  if (asked.unit.empty()) return std::nullopt;
  if (asked.unit == "mm") return LengthUnit::Millimetre;
  if (asked.unit == "inch") return LengthUnit::Inch;
  throw Error(Fault::NotUnderstood, "The unit '" + asked.unit + "' is not known", "--unit", "Use mm or inch.");
}

/// By name from the library, or from a file of their own; as far out as asked, or as is usual.
Assembly assemblyOf(const Asked& o) {
  const CutterLibrary library = readLibrary((fs::path(o.data) / "cutters/library.json").string());
  const auto fromFile = [](const std::string& path) {
    return parseJson(readFile(path), "The file", path, "Compare it with the shipped library.");
  };
  const Cutter c = fs::exists(o.cutter) ? cutterFromJson(fromFile(o.cutter), o.cutter) : library.cutter(o.cutter);
  Holder h;
  if (!o.holder.empty()) h = fs::exists(o.holder) ? holderFromJson(fromFile(o.holder), o.holder) : library.holder(o.holder);
  if (!o.holder.empty() && o.stickOut > 0)
    if (const auto fault = mountFault(c, h, o.stickOut, library.holders)) throw Error(Fault::Cannot, fault->what, o.holder, fault->remedy);
  const double usual = std::max(c.fluteLength, c.length * 0.6);
  const auto range = stickOuts(c, h);
  if (!o.holder.empty() && !range) {
    const MountFault fault = *mountFault(c, h, usual, library.holders);
    throw Error(Fault::Cannot, fault.what, o.holder, fault.remedy);
  }
  return assemble(c, h, o.stickOut > 0 ? o.stickOut : range ? std::clamp(usual, range->least, range->most) : usual);
}

int prove(const Asked& o, Progress& progress) {
  const Assembly assembly = assemblyOf(o);
  const std::optional<Machine> runs = o.machine.empty() ? std::nullopt : std::optional(readMachine(o.machine));
  const GivenPath given = readGivenPath(readFile(o.cl), o.cl, runs ? &*runs : nullptr, o.tool, assembly.reach);
  if (!fs::exists(o.part)) throw Error(Fault::File, "There is no such file", o.part, "Check the name and the folder.");
  OutputFolder folder(o.out, o.cl); // before anything is computed
  ReadOptions read;
  read.unit = partUnit(o), read.chord = std::clamp(0.1 * o.cusp, 5e-5, 0.01);
  const auto model = readPart(o.part, read, progress);
  const ForeignProof proof =
      proveForeign(*model, given, assembly, {o.allowance, o.cusp, !o.holder.empty(), runs ? &*runs : nullptr}, o.cl, progress);
  folder.put("proof.ply", surfacePly(model->mesh, proof.stockLeft));
  folder.put("report.json", reportBytes(proof.report));
  folder.finish(proof.heldBy.empty() ? "measured: proven; no program is given out" : "measured: not proven", linesOf(proof.heldBy));
  endProgress();
  std::fputs(proof.text.c_str(), stdout);
  for (const std::string& name : folder.movedAside()) std::printf("of an earlier run, moved aside: %s\n", name.c_str());
  return proof.heldBy.empty() ? 0 : 3;
}

int rough(const Asked& asked, std::shared_ptr<Store> store, Progress& progress) {
  const FileLock lock = asked.take > 0 ? inHand(asked.job) : FileLock();
  const Job before = readJob(asked.job);
  Evaluator evaluator(std::move(store));
  const auto chains = proposeRoughing(before, asked.job, libraryOf(before, asked.data), evaluator, progress);
  endProgress();
  tellDamaged(evaluator);
  for (const std::string& line : chainText(chains, LengthUnit::Millimetre)) std::printf("%s\n", line.c_str());
  if (asked.take == 0) return 0;
  const RoughingChain& chosen = chains[static_cast<std::size_t>(asked.take - 1)];
  if (chosen.failed) throw Error(Fault::Cannot, "This chain could not be computed", asked.job, "Take another one.");
  writeJob(asked.job, chosen.job);
  std::printf("%s: takes chain %d\n", asked.job.c_str(), asked.take);
  return 0;
}

int propose(const Asked& asked, std::shared_ptr<Store> store, Progress& progress) {
  const FileLock lock = asked.take > 0 ? inHand(asked.job) : FileLock();
  const Job before = readJob(asked.job);
  Evaluator evaluator(std::move(store));
  const auto plans = proposePlans(before, asked.job, libraryOf(before, asked.data), evaluator, progress);
  endProgress();
  tellDamaged(evaluator);
  for (const std::string& line : planText(plans, LengthUnit::Millimetre)) std::printf("%s\n", line.c_str());
  if (asked.take == 0) return 0;
  if (static_cast<std::size_t>(asked.take) > plans.size())
    throw Error(Fault::OutOfRange, fmt::format("There are {} plans", plans.size()), "--take", "Take one of them.");
  const ProposedPlan& chosen = plans[static_cast<std::size_t>(asked.take - 1)];
  if (!chosen.failure.empty()) throw Error(Fault::Cannot, "This plan could not be computed", asked.job, "Take another one.");
  writeJob(asked.job, withPlan(before, chosen.job, "as it was before '" + chosen.name + "'"));
  std::printf("%s: takes plan %d; the one before is kept as a variant\n", asked.job.c_str(), asked.take);
  return 0;
}

/// The finishing step that is asked for; the first where none is.
std::size_t finishingStep(const Job& job, const Asked& asked) {
  if (!asked.step.empty()) return stepMeant(job, asked.step, asked.job);
  const auto first = std::find_if(job.steps.begin(), job.steps.end(), [](const Step& s) { return s.finishing() != nullptr; });
  if (first == job.steps.end())
    throw Error(Fault::Missing, "The job has no finishing step", asked.job, "Add one first: it says cutter and cusp.");
  return static_cast<std::size_t>(first - job.steps.begin());
}

int hours(const Asked& asked, std::shared_ptr<Store> store, Progress& progress) {
  const Job job = readJob(asked.job);
  const std::size_t index = finishingStep(job, asked);
  checkJob(job);
  Evaluator evaluator(std::move(store));
  const JobResult result = evaluator.evaluate(job, asked.job, progress);
  const HoursOfCusp found = hoursOfCusp(*result.part, job, *result.steps[index], progress);
  endProgress();
  tellDamaged(evaluator);
  for (const std::string& line : hoursText(found, LengthUnit::Millimetre)) std::printf("%s\n", line.c_str());
  return 0;
}

int finish(const Asked& asked, std::shared_ptr<Store> store, Progress& progress) {
  const FileLock lock = asked.take > 0 ? inHand(asked.job) : FileLock();
  Job job = readJob(asked.job);
  const std::size_t index = finishingStep(job, asked);
  if (Finishing* f = job.steps[index].finishing(); f && !asked.region.empty()) f->regions = {asked.region};
  checkJob(job);
  Evaluator evaluator(std::move(store));
  const auto ways = proposeFinish(job, asked.job, index, evaluator, progress);
  endProgress();
  tellDamaged(evaluator);
  for (const std::string& line : finishText(ways, LengthUnit::Millimetre)) std::printf("%s\n", line.c_str());
  if (asked.take == 0) return 0;
  if (static_cast<std::size_t>(asked.take) > ways.size())
    throw Error(Fault::OutOfRange, fmt::format("There are {} patterns", ways.size()), "--take", "Take one of them.");
  const FinishWay& chosen = ways[static_cast<std::size_t>(asked.take - 1)];
  if (!chosen.failure.empty()) throw Error(Fault::Cannot, "This pattern could not be planned", chosen.failure, "Take another one.");
  job.steps[index] = chosen.step;
  writeJob(asked.job, job);
  std::printf("%s: step %zu takes %s\n", asked.job.c_str(), index + 1, chosen.name.c_str());
  return 0;
}

int chain(const Asked& asked, std::shared_ptr<Store> store, Progress& progress) {
  const FileLock lock = asked.write ? inHand(asked.job) : FileLock();
  const Job job = readJob(asked.job);
  const std::size_t index = finishingStep(job, asked);
  checkJob(job);
  Evaluator evaluator(std::move(store));
  const FinishingChain found = chainToTheEnd(job, evaluator.prepare(job, asked.job, progress), index, libraryOf(job, asked.data));
  endProgress();
  tellDamaged(evaluator);
  for (const std::string& line : chainText(found)) std::printf("%s\n", line.c_str());
  if (!asked.write) return 0;
  writeJob(asked.job, found.job);
  std::printf("%s: step %zu is a chain of %zu now\n", asked.job.c_str(), index + 1, found.links.size());
  return 0;
}

int salvage(const Asked& asked) {
  if (fs::exists(asked.out)) throw Error(Fault::Clash, "That file is there already", asked.out, "Name another one.");
  const Salvaged saved = salvageJob(readFile(asked.job), asked.job);
  if (fs::absolute(asked.out).lexically_normal().parent_path() != fs::absolute(asked.job).lexically_normal().parent_path())
    throw Error(Fault::Clash, "What is saved has to stay in the job's folder", asked.out, "Its files are named from there.");
  writeJob(asked.out, saved.job);
  for (const std::string& k : saved.kept) std::printf("saved: %s\n", k.c_str());
  for (const std::string& l : saved.lost) std::printf("lost: %s\n", l.c_str());
  std::printf("%s: look it over before it is run\n", asked.out.c_str());
  return 0;
}

int accept(const Asked& asked, Progress& progress) {
  const FileLock lock = inHand(asked.job);
  const AcceptedModel accepted = acceptModel(readJob(asked.job), asked.job, progress);
  writeJob(asked.job, accepted.job);
  endProgress();
  for (const std::string& line : accepted.told) std::printf("%s\n", line.c_str());
  std::printf("%s: the model is accepted as it is now\n", asked.job.c_str());
  return 0;
}

/// box:MARGIN, mm.
double marginOf(const std::string& stock) {
  if (stock.rfind("box:", 0) != 0)
    throw Error(Fault::NotUnderstood, "The stock '" + stock + "' is not known", "--stock", "Use box:MARGIN, for instance box:2.");
  const bool list = stock.find(',') != std::string::npos; // or a decimal comma: nobody knows which
  const auto margin = list ? std::nullopt : parseLength(stock.substr(4), LengthUnit::Millimetre);
  if (!margin || !(*margin >= 0 && *margin <= rangeOf("margin_mm").greatest))
    throw Error(Fault::NotUnderstood, "'" + stock.substr(4) + "' is not a margin", "--stock",
                "Use a length of 0 or more, for instance box:2.");
  return *margin;
}

int make(const Asked& asked, Progress& progress) {
  const std::string& out = asked.out;
  NewJobOptions o;
  o.unit = partUnit(asked), o.cusp = asked.cusp, o.cutters = asked.cutters, o.data = asked.data, o.machine = asked.machine;
  o.margin = marginOf(asked.stock);
  const FileLock lock = inHand(out);
  std::vector<std::string> told;
  const Job made = newJob(asked.part, out, o, progress, &told);
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

int report(const Asked& asked, Progress& progress) {
  ReadOptions read;
  read.unit = partUnit(asked);
  read.chord = asked.chord > 0 || !asked.study ? asked.chord : 0.001;
  const auto model = readPart(asked.part, read, progress);
  const auto touching = countSelfTouching(model->mesh, progress);
  endProgress();
  std::fputs(describePart(*model).c_str(), stdout);
  std::printf("  self-touching triangles %zu\n", touching);
  if (!asked.study) return 0;
  const WholeStudy s = studyWhole(*model, Vec3::UnitZ(), progress);
  StudyWishes wishes;
  wishes.library = readLibrary((fs::path(asked.data) / "cutters/library.json").string()).mountable(), wishes.cusp = asked.cusp;
  std::fputs(studyText(*model, {&s.study, &s.balls, &s.around, &s.walls}, wishes).c_str(), stdout);
  return 0;
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

int answer(const Asked& asked, EditCommands& edit, CacheCommand& cache, Progress& progress) {
  partUnit(asked); // told wrongly, nothing is begun
  if (const auto code = edit.run()) return *code;
  if (const auto code = cache.run()) return *code;
  if (asked.run->parsed()) return run(asked, cache.store(), progress);
  if (asked.check->parsed()) return check(asked.out);
  if (asked.rough->parsed()) return rough(asked, cache.store(), progress);
  if (asked.salvage->parsed()) return salvage(asked);
  if (asked.propose->parsed()) return propose(asked, cache.store(), progress);
  if (asked.finish->parsed()) return finish(asked, cache.store(), progress);
  if (asked.hours->parsed()) return hours(asked, cache.store(), progress);
  if (asked.chain->parsed()) return chain(asked, cache.store(), progress);
  if (asked.accept->parsed()) return accept(asked, progress);
  if (asked.make->parsed()) return make(asked, progress);
  if (asked.report->parsed()) return report(asked, progress);
  return prove(asked, progress);
}

int answer(int argc, char** argv) {
  CLI::App app{"Hemline: paths for freeform surfaces whose promises are measured.\n"
               "Exit code 0: proven, and handed over as it is; 3: held, or released with waivers; 1: error."};
  app.require_subcommand(1);
  app.set_version_flag("--version", std::string(HEMLINE_VERSION));
  Asked asked;
  offerCommands(app, asked);
  EditCommands edit(app);
  CacheCommand cache(app);
  cache.offer(*asked.run);
  cache.offer(*asked.rough);
  cache.offer(*asked.propose);
  cache.offer(*asked.finish);
  cache.offer(*asked.hours);
  cache.offer(*asked.chain);
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
  setThreadLimit(asked.threads);
  try {
    return answer(asked, edit, cache, progress);
  } catch (const Cancelled&) {
    return fails("cancelled; nothing is handed over");
  } catch (const Error& e) {
    return fails(e.step.empty() ? std::string(e.what()) : fmt::format("step '{}': {}", e.step, e.what()));
  } catch (const std::bad_alloc&) {
    return fails("There is not enough memory for this. Give it a larger cell or cusp, or a smaller part.");
  } catch (const std::exception& e) {
    return fails(std::string("This went wrong within Hemline: ") + e.what() + ". Nothing is handed over; keep the files and report it.");
  }
}

} // namespace

int main(int argc, char** argv) {
  const int code = answer(argc, argv);
  // What could not be said was not said: a full disk behind standard output is an error.
  if (std::fflush(stdout) != 0 || std::ferror(stdout)) return fails("Standard output cannot be written: is its disk full?");
  return code;
}
