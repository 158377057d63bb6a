#include "job/release.h"
#include "job/holding.h"
#include <fmt/format.h>
#include <list>

namespace hemline {

std::vector<ProgramFile> writePrograms(const Job& job, const JobResult& result, Progress& progress) {
  std::vector<ProgramFile> out;
  for (std::size_t i = 0; i < result.steps.size();) {
    std::size_t j = i;
    std::vector<ProgramStep> steps;
    std::list<Path> paths; // in the clamping's frame
    ProgramFile f;
    f.cutter = result.steps[i]->step.cutter, f.clamping = result.steps[i]->step.clamping;
    const Machine& machine = *result.steps[i]->held->machine;
    while (j < result.steps.size() && result.steps[j]->step.cutter == f.cutter && result.steps[j]->step.clamping == f.clamping &&
           (j == i || !(result.steps[j]->step.ownProgram || result.steps[j - 1]->step.ownProgram))) {
      const StepResult& s = *result.steps[j];
      paths.push_back(pathInClamping(s));
      steps.push_back({s.step.name, s.step.cutter, toolNumber(job, s.step.cutter), s.rpm, &paths.back(), &s.time->joints});
      f.steps.push_back(s.step.name);
      f.time += s.time->timing.total;
      ++j;
    }
    std::string name;
    for (const char c : f.steps.front() + "-" + f.cutter)
      name += std::isalnum(static_cast<unsigned char>(c)) ? static_cast<char>(std::tolower(static_cast<unsigned char>(c))) : '-';
    f.file = fmt::format("{:02}-{}.nc", out.size() + 1, name);
    progress.report(double(i) / double(result.steps.size()), "writing " + f.file);
    ProgramOptions o;
    o.title = job.name + "; " + f.file;
    if (job.clampings.size() > 1) o.title += "; " + job.clampings[static_cast<std::size_t>(f.clamping)].name;
    o.unit = job.programUnit;
    o.toolCentrePoint = job.toolCentrePoint;
    f.text = writeIso(machine, steps, o);
    const Replay replay = replayIso(machine, f.text);
    f.comparison = compareReplay(machine, replay, steps, o);
    f.good = f.comparison.complete && f.comparison.tip <= f.comparison.allowed && replay.unsupported.empty();
    out.push_back(std::move(f));
    i = j;
  }
  return out;
}

void keepSteps(JobResult& result, const std::vector<std::size_t>& numbers) {
  std::erase_if(result.steps, [&](const auto& s) {
    const bool out = std::find(numbers.begin(), numbers.end(), s->number) == numbers.end();
    for (const std::string& b : s->blockers)
      if (out) result.earlier.push_back(s->step.name + ": " + b);
    return out;
  });
  result.proven = result.earlier.empty(), result.time = 0;
  for (const auto& s : result.steps) {
    result.time += s->time->timing.total;
    result.proven = result.proven && s->blockers.empty();
    for (const PromiseResult& p : s->promises) result.proven = result.proven && p.verdict == Verdict::Kept;
  }
  for (const RegionResult& r : result.ofRegions) {
    result.proven = result.proven && r.ground->found.lost.empty();
    for (const PromiseResult& p : r.promises) result.proven = result.proven && p.verdict == Verdict::Kept;
  }
}

std::vector<std::string> releaseHeldBy(const Job& job, const JobResult& result) {
  std::vector<std::string> out;
  for (const std::string& e : result.earlier) out.push_back(e + " (an earlier step; cannot be waived)");
  for (const std::string& h : notHeld(job, result)) out.push_back(h);
  for (const auto& s : result.steps) {
    for (const std::string& b : s->blockers) out.push_back(s->step.name + ": " + b + " (cannot be waived)");
    for (const PromiseResult& p : s->promises)
      if (p.verdict == Verdict::Broken || p.verdict == Verdict::Unknown)
        out.push_back(fmt::format("{}: promise {} is {}", s->step.name, p.name, p.verdict == Verdict::Broken ? "broken" : "not known"));
  }
  for (const RegionResult& r : result.ofRegions) {
    for (const std::string& lost : r.ground->found.lost) out.push_back(fmt::format("region '{}': not found: {}", r.region.name, lost));
    for (const PromiseResult& p : r.promises)
      if (p.verdict == Verdict::Broken || p.verdict == Verdict::Unknown)
        out.push_back(fmt::format("region '{}': promise {} is {}{}", r.region.name, p.name,
                                  p.verdict == Verdict::Broken ? "broken" : "not known", p.note.empty() ? "" : " (" + p.note + ")"));
  }
  return out;
}

} // namespace hemline
