// Errors that a user can act on: what happened, where, what to do.
#pragma once
#include <stdexcept>
#include <string>

namespace hemline {

/// What sort of error it is, for whoever has to decide by it: nobody reads the words.
enum class Fault {
  File,          ///< not there, not readable, not writable
  InUse,         ///< another has it, or changed it meanwhile
  Damaged,       ///< what a file holds cannot be used
  Newer,         ///< saved by a newer version
  ModelChanged,  ///< since the job was saved
  NotUnderstood, ///< a word or a number that means nothing here
  OutOfRange,    ///< a value that cannot be right
  Missing,       ///< something that is needed is not given, or nothing has that name
  Clash,         ///< two that do not go together, or have one name
  NothingToDo,   ///< what is asked for is empty
  System,        ///< of the computer: memory, processes, time
  Cannot         ///< part, machine, rail or library do not allow it
};

inline const char* faultName(Fault f) {
  constexpr const char* names[]{"file",         "in_use",  "damaged", "newer",         "model_changed", "not_understood",
                                "out_of_range", "missing", "clash",   "nothing_to_do", "system",        "cannot"};
  return names[static_cast<int>(f)];
}

/// Thrown for every failure a user can cause or meet. `what()` gives the three parts on one line.
class Error : public std::runtime_error {
public:
  Error(Fault f, const std::string& what, const std::string& where, const std::string& todo)
      : std::runtime_error(what + (where.empty() ? "" : " (" + where + ")") + ". " + todo), fault(f), happened(what), place(where),
        remedy(todo) {}
  /// The same, and which row of the step mends it (StepField::id). Whoever runs the step fills in which one it is.
  Error mendedBy(const std::string& id) const {
    Error e = *this;
    e.field = id;
    return e;
  }
  Fault fault;
  std::string happened;    ///< what is wrong
  std::string place;       ///< file, line, step or field
  std::string remedy;      ///< what to do next, a sentence
  std::string step, field; ///< of the job, and its row; empty: it is not of one
};

/// Thrown where a cutter finds nothing that it could cut: another one, or none, is a plan, too.
class NothingToCut : public Error {
public:
  NothingToCut(const std::string& what, const std::string& where, const std::string& todo) : Error(Fault::NothingToDo, what, where, todo) {}
};

/// Thrown by Progress::check() after a cancel; not an error.
class Cancelled : public std::runtime_error {
public:
  Cancelled() : std::runtime_error("cancelled") {}
};

} // namespace hemline
