// Bodies of steps, for tests that know which kind a step is.
#pragma once
#include "model/job.h"

namespace hemline {

inline LevelRoughing& levels(Step& s) {
  return std::get<LevelRoughing>(s.body);
}
inline const LevelRoughing& levels(const Step& s) {
  return std::get<LevelRoughing>(s.body);
}
inline ParallelPasses& passes(Step& s) {
  return std::get<ParallelPasses>(s.body);
}
inline const ParallelPasses& passes(const Step& s) {
  return std::get<ParallelPasses>(s.body);
}

} // namespace hemline
