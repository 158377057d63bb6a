#include "steps/programs.h"

namespace hemline {
namespace {

WrittenProgram writeProgram(const ProgramIn& in, NoAid&, Progress& progress) {
  progress.report(0, "writing " + in.options.title);
  std::vector<Path> paths; // in the clamping's frame
  for (const ProgramPart& p : in.parts) paths.push_back(pathInto(p.plan->path, in.frame));
  std::vector<ProgramStep> steps;
  for (std::size_t k = 0; k < paths.size(); ++k) {
    const ProgramPart& p = in.parts[k];
    steps.push_back({p.name, p.cutter, p.toolNumber, p.rpm, &paths[k], &p.time->joints, p.reach});
  }
  WrittenProgram out;
  out.text = writeIso(in.machine, steps, in.options);
  const Replay replay = replayIso(in.machine, out.text);
  out.comparison = compareReplay(in.machine, replay, steps, in.options);
  out.wrong =
      replay.unsupported.empty() ? out.comparison.wrong : "the machine does not know all of its words: " + replay.unsupported.front();
  return out;
}

} // namespace

const Node<ProgramIn, WrittenProgram> kProgram{"program", 1, writeProgram};

} // namespace hemline
