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
  std::string wrong; ///< else: line, cause and remedy
};

/// The programs of a result, one per run of steps with the same cutter; each replayed and compared before it is given out.
std::vector<ProgramFile> writePrograms(const Job& job, const JobResult& result, Results& results, Progress& progress);
/// The same, nothing remembered.
std::vector<ProgramFile> writePrograms(const Job& job, const JobResult& result, Progress& progress);

/// Leaves only the steps with these numbers in a result. Those before them were computed for the stock they leave: what blocks
/// them goes on to hold the release.
void keepSteps(JobResult& result, const std::vector<std::size_t>& numbers);

/// What holds the release, programs and files apart; empty: nothing does.
std::vector<Finding> releaseHeldBy(const Job& job, const JobResult& result);

/// Files that are not any more what a result was made from: nothing of it counts while there are any.
std::vector<Finding> changedInputs(const JobResult& result);

/// The one judgement of a job: for command line, window, report and sheet.
struct Release {
  std::vector<ProgramFile> programs;
  std::vector<Finding> heldBy; ///< empty: it can be handed over
  bool waived = false;         ///< something was let pass by name
  /// Something for which no program is written whatever is asked: collisions, limits, unproven motions.
  bool never() const {
    return std::any_of(heldBy.begin(), heldBy.end(), [](const Finding& f) { return f.severity() == Severity::Blocker; });
  }
  /// Every promise is kept, the work is held, and every program is there and equal to its path: it can be handed over as it is.
  bool proven() const { return heldBy.empty() && !waived; }
};
Release judgeRelease(const Job& job, const JobResult& result, std::vector<ProgramFile> programs);
/// Writes the programs and judges.
Release judgeRelease(const Job& job, const JobResult& result, Results& results, Progress& progress);
/// "proven", "released with waivers", or "held".
const char* standing(const Release& release);
/// The program with a first line that says it is held, and the name it then has.
ProgramFile markedHeld(const ProgramFile& program);

} // namespace hemline
