#include "plan/assemble.h"

namespace hemline {

void assemble(Job& job, Step& s, const Cutter& cutter, const CutterLibrary& library) {
  const Cutter c = cutter; // it may be one of the job's, which move
  takeInto(job.cutters, c);
  s.cutter = c.name, s.rpm = s.feed = 0, s.asSet = {};
  std::vector<Holder> holders;
  const auto has = std::find_if(job.holders.begin(), job.holders.end(), [&](const Holder& h) { return h.name == s.holder; });
  if (has != job.holders.end() && stickOuts(c, *has)) holders = {*has};
  if (holders.empty()) holders = library.holders, holders.insert(holders.end(), job.holders.begin(), job.holders.end());
  const auto m = mountFor(c, holders, s.stickOut);
  if (!m) throw Error(Fault::Cannot, "No holder of job or library takes '" + c.name + "'", s.name, "Add one to the library.");
  s.holder = m->holder->name, s.stickOut = m->stickOut;
  takeInto(job.holders, *m->holder);
}

} // namespace hemline
