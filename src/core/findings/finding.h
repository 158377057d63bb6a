// What is found of a step, a clamping, a region, a program: cautions, suggestions, what holds a release, and what can never be waived.
// Data: a code, where, with which numbers, and the field that mends it; one renderer makes the words for window, command line, report and
// sheet. Nothing decides by the words.
#pragma once
#include "base/units.h"
#include "geometry/vec.h"
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <vector>

namespace hemline {

enum class Severity {
  Suggestion, ///< would save time
  Caution,    ///< of estimates: holds nothing
  Hold,       ///< keeps the programs until it is mended or told; a broken promise also until it is waived by name
  Blocker     ///< never waivable: collision, rapid through stock, limit violation, unproven motion
};
const char* severityName(Severity severity);

/// Every code that there is; as text in findingCode.
enum class Code {
  CannotBeMounted,
  MachineKnowsNotTheWay, ///< of a given program: motions whose way only the machine knows
  SpindleSpeed,
  AxisTravel,
  Collision,
  RapidThroughStock,
  NotShownClear,
  OverLoad,
  NoBoreTold,
  NoLoadForFeeds,
  PlannedOnBlank,
  WaysBackCut,
  CutsBeside, ///< of a negative allowance: ground that is not the step's
  FeedsWouldSave,
  FileChanged, ///< since the result was made from it
  ProgramDiffers,
  NoStep,
  PromisesNothing,
  PromiseOpen, ///< broken or not known
  RegionLost,
  GroundForgotten, ///< of the part, by all steps together
  GroundOverPromise,
  NothingHolds, ///< from here on: of how a clamping holds the work
  ForceNotKnown,
  TouchesNothing,
  StandsInStock,
  MetalMissing,
  FrictionTooLow,
};
const char* findingCode(Code code);
Severity severityOf(Code code);

struct Finding {
  Code code = Code::Collision;
  std::optional<std::size_t> location; ///< of the path
  std::optional<Vec3> at;
  nlohmann::json args = nlohmann::json::object(); ///< numbers in mm, degrees, seconds, N; names
  std::string field{};                            ///< the row of the step that mends it: see StepField::id
  std::string of{};                               ///< the step, clamping, region or program that it is of; empty: told where it is found
  Severity severity() const { return severityOf(code); }
};

/// The one renderer. Throws Error for arguments that are missing (a defect of whoever found it).
std::string findingText(const Finding& finding, LengthUnit unit = LengthUnit::Millimetre);
/// The same with what it is of before it, and whether it can be waived after it: "Rough: collision: ... (cannot be waived)".
std::string findingLine(const Finding& finding, LengthUnit unit = LengthUnit::Millimetre);
std::vector<std::string> linesOf(const std::vector<Finding>& findings);
/// {code, severity, text, of, location, at, args, field}.
nlohmann::json toJson(const Finding& finding);
/// Texts of all findings of a severity, in order.
std::vector<std::string> textsOf(const std::vector<Finding>& findings, Severity severity);

} // namespace hemline
