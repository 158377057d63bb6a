// The fields of steps: what each is called, what it means, how it stands in the file, how it is shown and typed.
//
// A kind of step says it once, beside the values themselves (`describe` in model/kinds/). Reading, writing, schema, documentation, checks
// of range, the window's rows, the ledger and the command line are made from it.
#pragma once
#include "model/job.h"
#include "model/reader.h"
#include <functional>

namespace hemline {

struct StepField {
  std::string id; ///< what it is called everywhere: its name in the file; within an object "as_set.runout_mm". Promises: their name
  std::string group, name; ///< in the file: the object within the step (empty: the step itself), and the field of it
  std::string label, help;
  bool promise = false;
  bool row = true;     ///< shown as a row
  bool stored = true;  ///< stands in the file, with the step
  bool needed = false; ///< the file has to have it
  double nudge = 1;    ///< arrow keys multiply (above 1) by this or add 1
  nlohmann::json schema;
  std::vector<std::string> words;                 ///< of a flag: for false and true
  std::function<nlohmann::json(const Step&)> get; ///< as in the file; null: absent
  std::function<void(Step&, const Reader&)> read; ///< from its object; what is absent stays. Throws Error
  std::function<std::string(const Job&, const Step&, LengthUnit)> show;
  std::function<void(Job&, Step&, const std::string&, LengthUnit)>
      type; ///< throws Error saying what would be good; the step is then as it was
  std::function<std::vector<std::string>(const Job&, const Step&)> choices; ///< instead of typing; empty: typed
};

/// A kind of step.
struct StepKind {
  std::string id;                ///< "level roughing"
  std::string purpose;           ///< what it is for: "Take the bulk", "Finish", ...
  std::string what, when;        ///< what it does, when to pick it
  std::string costs, wrong;      ///< what it costs, what usually goes wrong
  StepBody body;                 ///< as it is at first
  std::vector<StepField> fields; ///< those that all kinds have, then its own, in the order of the rows
  std::function<std::vector<std::string>(const Step&)>
      sentence;                                       ///< pieces: plain text, or "{id}" for a field, with what follows without a gap
  std::function<void(const Job&, const Step&)> check; ///< throws Error: values that do not go together
  const StepField* field(const std::string& id) const;
};

/// In the order of StepBody.
const std::vector<StepKind>& stepKinds();
const StepKind& kindOf(const Step& step);
/// Throws Error for one that is not known.
const StepKind& stepKind(const std::string& id, const std::string& where);

/// The field that somebody means: by its id, its name with or without its unit ("cusp", "depth"), or its label ("level spacing"). Throws
/// Error: what there is, where nothing or more than one is meant.
const StepField& fieldMeant(const StepKind& kind, const std::string& word, const std::string& where);

/// The sentence with its values.
std::string sentenceText(const Job& job, const Step& step, LengthUnit unit);

} // namespace hemline
