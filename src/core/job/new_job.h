// A first job for any model, and the measuring of a path that somebody else made.
#pragma once
#include "job/evaluate.h"

namespace hemline {

struct NewJobOptions {
  std::optional<LengthUnit> unit;
  double cusp = 0.005, margin = 2;  ///< mm
  std::vector<std::string> cutters; ///< library names, roughing first; empty: picked
  std::string data;                 ///< folder with cutters/library.json and machines/
  std::string machine;              ///< machine file; empty: the shipped three-axis mill
};

/// Rough and finish for a closed or open mesh. Cutters: the finishing ball is the largest that fits the smaller plan side
/// and most inside curvature seen by probing; roughing takes about twice its diameter. Stick-outs clear the part's height.
Job newJob(const std::string& partFile, const std::string& jobPath, const NewJobOptions& options, Progress& progress);

struct ForeignPath {
  Path path;
  Assembly assembly;
};
struct ForeignOptions {
  double allowance, cusp;
  bool holder; ///< measure clearance too
};
/// Measures the path on the ground that it touches, writes report.json and proof.ply into `out`, returns the report.
nlohmann::json proveForeign(const Part& part, const ForeignPath& foreign, const ForeignOptions& options, const std::string& name,
                            const std::string& out, Progress& progress);

} // namespace hemline
