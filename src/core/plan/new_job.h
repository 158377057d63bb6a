// A first job for any model.
#pragma once
#include "cutter/library.h"
#include "job/evaluate.h"

namespace hemline {

struct NewJobOptions {
  std::optional<LengthUnit> unit;
  double cusp = 0.005, margin = 2;  ///< mm
  std::vector<std::string> cutters; ///< library names, roughing first; empty: picked
  std::string data;                 ///< folder with cutters/library.json and machines/
  std::string library;              ///< file of cutters and holders; empty: that of `data`
  std::string machine;              ///< machine file; empty: the shipped three-axis mill
  std::shared_ptr<const Part> part; ///< the model where it was read already, fine enough to choose by; null: it is read
};

/// How a model is read to choose cutters for a finish of `cusp` mm: fine enough for that, and no finer; of very rich parts no more facets
/// than a first look needs. What is computed afterwards is on a net of its own.
ReadOptions readToChooseBy(double cusp, std::optional<LengthUnit> unit);

/// Balls of the library for finishing ground whose deepest lies `reach` mm below the blank's top, the widest first: those that are held,
/// are no wider than `narrow` mm, leave the cusp, and need not reach ten times their diameter. At least one. Throws Error: there is no
/// ball.
std::vector<Cutter> finishingBalls(const CutterLibrary& library, double narrow, double reach, double cusp);
/// The widest of them that finishes about as much of the ground as any (2 % of it more are worth a slimmer one).
Cutter finishingBall(const std::vector<Cutter>& balls, const StudyParts& studied);

/// Rough and finish for a closed or open mesh. Cutters: the finishing ball is the largest that fits the smaller plan side
/// and most inside curvature seen by probing; roughing takes about twice its diameter. Stick-outs clear the part's height where that can be
/// mounted. `told`: what is doubtful about it, a sentence each (unit, travel of the machine, reach of the cutters). Throws Error: a cusp
/// that is no cusp of the finishing cutter or of the part, cutters that do not rough or finish, nothing that holds them.
Job newJob(const std::string& partFile, const std::string& jobPath, const NewJobOptions& options, Progress& progress,
           std::vector<std::string>* told = nullptr);

} // namespace hemline
