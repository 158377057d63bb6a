#include "job/release.h"
#include "base/error.h"
#include "base/safe_name.h"
#include "job/holding.h"
#include "steps/programs.h"
#include <fmt/format.h>

namespace hemline {

std::vector<ProgramFile> writePrograms(const Job& job, const JobResult& result, Results& results, Progress& progress) {
  std::vector<ProgramFile> out;
  for (std::size_t i = 0; i < result.steps.size();) {
    std::size_t j = i;
    ProgramFile f;
    f.cutter = result.steps[i]->step.cutter, f.clamping = result.steps[i]->step.clamping;
    ProgramIn in{*result.steps[i]->held->machine, result.steps[i]->held->frame, {}, {}};
    while (j < result.steps.size() && result.steps[j]->step.cutter == f.cutter && result.steps[j]->step.clamping == f.clamping &&
           (j == i || !(result.steps[j]->step.ownProgram || result.steps[j - 1]->step.ownProgram))) {
      const StepResult& s = *result.steps[j];
      in.parts.push_back({s.step.name, s.step.cutter, toolNumber(job, s.step.cutter), s.rpm, s.assembly.reach, s.planned, s.time});
      f.steps.push_back(s.step.name);
      f.time += s.time->timing.total;
      ++j;
    }
    f.file = fmt::format("{:02}-{}.nc", out.size() + 1, filePart(f.steps.front() + "-" + f.cutter));
    ProgramOptions& o = in.options;
    o.title = job.name + "; " + f.file;
    if (job.clampings.size() > 1) o.title += "; " + job.clampings[static_cast<std::size_t>(f.clamping)].name;
    o.unit = job.programUnit;
    o.toolCentrePoint = job.toolCentrePoint;
    const Ref<WrittenProgram> written = results.of(kProgram, in, progress);
    f.text = written->text, f.comparison = written->comparison, f.wrong = written->wrong;
    f.good = f.wrong.empty();
    out.push_back(std::move(f));
    i = j;
  }
  return out;
}

std::vector<ProgramFile> writePrograms(const Job& job, const JobResult& result, Progress& progress) {
  Results none(0);
  return writePrograms(job, result, none, progress);
}

void keepSteps(JobResult& result, const std::vector<std::size_t>& numbers) {
  std::erase_if(result.steps, [&](const auto& s) {
    const bool out = std::find(numbers.begin(), numbers.end(), s->number) == numbers.end();
    for (const std::string& b : s->texts(Severity::Blocker))
      if (out) result.earlier.push_back(s->step.name + ": " + b);
    return out;
  });
  result.kept = result.earlier.empty(), result.time = 0;
  for (const auto& s : result.steps) {
    result.time += s->time->timing.total;
    result.kept = result.kept && !s->blocked();
    for (const PromiseResult& p : s->promises) result.kept = result.kept && p.verdict == Verdict::Kept;
  }
  for (const RegionResult& r : result.ofRegions) {
    result.kept = result.kept && r.ground->found.lost.empty();
    for (const PromiseResult& p : r.promises) result.kept = result.kept && p.verdict == Verdict::Kept;
  }
}

namespace {

/// What no waiver and no option lets pass.
std::vector<std::string> neverReleased(const JobResult& result) {
  std::vector<std::string> out;
  for (const std::string& e : result.earlier) out.push_back(e + " (an earlier step; cannot be waived)");
  for (const auto& s : result.steps)
    for (const std::string& b : s->texts(Severity::Blocker)) out.push_back(s->step.name + ": " + b + " (cannot be waived)");
  return out;
}

const char* openName(Verdict v) {
  return v == Verdict::Broken ? "broken" : "not known";
}

} // namespace

std::vector<std::string> releaseHeldBy(const Job& job, const JobResult& result) {
  std::vector<std::string> out = neverReleased(result);
  for (const std::string& h : notHeld(job, result)) out.push_back(h);
  for (const auto& s : result.steps) {
    if (s->promises.empty()) out.push_back(s->step.name + ": it promises nothing, so that nothing is proven of it");
    for (const PromiseResult& p : s->promises)
      if (p.verdict == Verdict::Broken || p.verdict == Verdict::Unknown)
        out.push_back(fmt::format("{}: promise {} is {}", s->step.name, p.name, openName(p.verdict)));
  }
  for (const RegionResult& r : result.ofRegions) {
    for (const std::string& lost : r.ground->found.lost) out.push_back(fmt::format("region '{}': not found: {}", r.region.name, lost));
    for (const PromiseResult& p : r.promises)
      if (p.verdict == Verdict::Broken || p.verdict == Verdict::Unknown)
        out.push_back(fmt::format("region '{}': promise {} is {}{}", r.region.name, p.name, openName(p.verdict),
                                  p.note.empty() ? "" : " (" + p.note + ")"));
  }
  return out;
}

std::vector<std::string> changedInputs(const JobResult& result) {
  std::vector<std::string> out;
  for (const InputFile& f : result.inputs) {
    const char* what = nullptr;
    try {
      if (!(hashFile(f.path) == f.hash)) what = "has changed";
    } catch (const Error&) {
      what = "cannot be read any more";
    }
    if (what) out.push_back(fmt::format("the {} file {} {} since this was computed: compute it again", f.what, f.path, what));
  }
  return out;
}

Release judgeRelease(const Job& job, const JobResult& result, std::vector<ProgramFile> programs) {
  Release out;
  out.never = neverReleased(result);
  for (std::string& c : changedInputs(result)) out.never.push_back(std::move(c));
  for (const ProgramFile& p : programs)
    if (!p.good) out.never.push_back(fmt::format("{}: {} (cannot be waived)", p.file, p.wrong));
  if (result.steps.empty()) out.never.emplace_back("the job has no step that could be handed over");
  out.heldBy = out.never;
  for (std::string& h : releaseHeldBy(job, result))
    if (std::find(out.never.begin(), out.never.end(), h) == out.never.end()) out.heldBy.push_back(std::move(h));
  const auto waives = [](const PromiseResult& p) { return p.verdict == Verdict::Waived; };
  for (const auto& s : result.steps) out.waived = out.waived || std::any_of(s->promises.begin(), s->promises.end(), waives);
  for (const RegionResult& r : result.ofRegions) out.waived = out.waived || std::any_of(r.promises.begin(), r.promises.end(), waives);
  out.programs = std::move(programs);
  return out;
}

Release judgeRelease(const Job& job, const JobResult& result, Results& results, Progress& progress) {
  return judgeRelease(job, result, writePrograms(job, result, results, progress));
}

const char* standing(const Release& release) {
  return !release.heldBy.empty() ? "held" : release.waived ? "released with waivers" : "proven";
}

ProgramFile markedHeld(const ProgramFile& program) {
  ProgramFile out = program;
  out.file = "HELD-" + program.file;
  const std::string mark = "(HELD: NOT RELEASED. DO NOT RUN. The set-up sheet tells why)\n";
  out.text = program.text.starts_with("%\n") ? "%\n" + mark + program.text.substr(2) : mark + program.text;
  return out;
}

} // namespace hemline
