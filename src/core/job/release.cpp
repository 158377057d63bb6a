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
    for (Finding f : s->findings)
      if (out && f.severity() == Severity::Blocker) {
        f.of = s->step.name, f.args["earlier_step"] = true;
        result.earlier.push_back(std::move(f));
      }
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
std::vector<Finding> neverReleased(const JobResult& result) {
  std::vector<Finding> out = result.earlier;
  for (const auto& s : result.steps)
    for (Finding f : s->findings)
      if (f.severity() == Severity::Blocker) {
        f.of = s->step.name;
        out.push_back(std::move(f));
      }
  return out;
}

/// Promises that are neither kept nor waived.
void addOpen(const std::string& of, const std::vector<PromiseResult>& promises, std::vector<Finding>& out) {
  for (const PromiseResult& p : promises) {
    if (p.verdict != Verdict::Broken && p.verdict != Verdict::Unknown) continue;
    nlohmann::json args{{"promise", p.name}, {"verdict", verdictName(p.verdict)}, {"promised", p.promised}};
    if (!p.note.empty()) args["note"] = p.note;
    out.push_back({Code::PromiseOpen, {}, p.at, std::move(args), p.name, of});
  }
}

} // namespace

std::vector<Finding> releaseHeldBy(const Job& job, const JobResult& result) {
  std::vector<Finding> out = neverReleased(result);
  for (Finding& f : notHeld(job, result)) out.push_back(std::move(f));
  for (const auto& s : result.steps) {
    if (s->promises.empty()) out.push_back({Code::PromisesNothing, {}, {}, nlohmann::json::object(), {}, s->step.name});
    addOpen(s->step.name, s->promises, out);
  }
  for (const RegionResult& r : result.ofRegions) {
    const std::string of = "region '" + r.region.name + "'";
    for (const std::string& lost : r.ground->found.lost) out.push_back({Code::RegionLost, {}, {}, {{"what", lost}}, {}, of});
    addOpen(of, r.promises, out);
  }
  return out;
}

std::vector<Finding> changedInputs(const JobResult& result) {
  std::vector<Finding> out;
  for (const InputFile& f : result.inputs) {
    const char* state = nullptr;
    try {
      if (!(hashFile(f.path) == f.hash)) state = "changed";
    } catch (const Error&) {
      state = "gone";
    }
    if (state) out.push_back({Code::FileChanged, {}, {}, {{"what", f.what}, {"file", f.path}, {"state", state}}, {}, {}});
  }
  return out;
}

Release judgeRelease(const Job& job, const JobResult& result, std::vector<ProgramFile> programs) {
  Release out;
  out.heldBy = changedInputs(result);
  for (const ProgramFile& p : programs)
    if (!p.good) out.heldBy.push_back({Code::ProgramDiffers, {}, {}, {{"what", p.wrong}}, {}, p.file});
  if (result.steps.empty()) out.heldBy.push_back({Code::NoStep, {}, {}, nlohmann::json::object(), {}, {}});
  for (Finding& f : releaseHeldBy(job, result)) out.heldBy.push_back(std::move(f));
  // What can never be waived is told first.
  std::stable_partition(out.heldBy.begin(), out.heldBy.end(), [](const Finding& f) { return f.severity() == Severity::Blocker; });
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
