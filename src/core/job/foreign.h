// Paths that somebody else made, measured without a job: `hemline-cli prove`.
#pragma once
#include "findings/finding.h"
#include "steps/read_given_path.h"
#include <nlohmann/json.hpp>

namespace hemline {

struct ForeignOptions {
  double allowance, cusp;
  bool holder;                      ///< measure clearance too
  const Machine* machine = nullptr; ///< whose spindle nose and table count then; null: they are not modelled
};
/// What `hemline-cli prove` says, in the form of what `run` says of a step.
struct ForeignProof {
  nlohmann::json report;
  std::string text;
  std::vector<Finding> heldBy;  ///< empty: proven
  std::vector<float> stockLeft; ///< mm, a point of the mesh
};
/// Measures the path on the ground that it touches, and the gouge on the whole part. Throws Error (nowhere near the part).
ForeignProof proveForeign(const Part& part, const GivenPath& given, const Assembly& assembly, const ForeignOptions& options,
                          const std::string& name, Progress& progress);

} // namespace hemline
