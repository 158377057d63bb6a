// What can be promised and measured: each kind once, with its unit, its sense and its words.
#pragma once
#include "model/step_parts.h"
#include <string_view>

namespace hemline {

struct PromiseKind {
  const char* name;                       ///< in files: with its unit, "cusp_mm", "engagement_deg"
  const char* title;                      ///< in words
  const char* help;                       ///< what it means
  std::optional<double> Promises::*value; ///< of a step; null: not promised by steps (of regions, or by the cutter itself)
  bool larger;                            ///< kept when at least as large as promised; else at most
  bool fine;                              ///< lengths: shown in micrometres
  int decimals;                           ///< of an angle as it is shown
  bool angle() const { return std::string_view(name).ends_with("_deg"); }
};

/// All of them, in the order in which they are told.
const std::vector<PromiseKind>& promiseKinds();
/// By its name in files; throws Error for one that is not known.
const PromiseKind& promiseKind(std::string_view name);

} // namespace hemline
