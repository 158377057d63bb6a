// What is handed over: the programs, for which steps, and what holds them.
#pragma once
#include "job/evaluate.h"

namespace hemline {

struct ProgramFile {
  std::string file, text, cutter;
  int clamping = 0; ///< in the job, from 0
  std::vector<std::string> steps;
  double time = 0;
  Comparison comparison;
  bool good = false; ///< replayed and equal to its path within the stated bound
};

/// The programs of a result, one per run of steps with the same cutter; each replayed and compared before it is given out.
std::vector<ProgramFile> writePrograms(const Job& job, const JobResult& result, Progress& progress);

/// Leaves only the steps with these numbers in a result. Those before them were computed for the stock they leave: what blocks
/// them goes on to hold the release.
void keepSteps(JobResult& result, const std::vector<std::size_t>& numbers);

/// What holds the release, in plain words; empty: ready.
std::vector<std::string> releaseHeldBy(const Job& job, const JobResult& result);

} // namespace hemline
