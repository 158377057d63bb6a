// Errors that a user can act on: what happened, where, what to do.
#pragma once
#include <stdexcept>
#include <string>

namespace hemline {

/// Thrown for every failure a user can cause or meet. `what()` gives the three parts on one line.
class Error : public std::runtime_error {
public:
  Error(const std::string& what, const std::string& where, const std::string& todo)
      : std::runtime_error(what + (where.empty() ? "" : " (" + where + ")") + ". " + todo), happened(what), place(where), remedy(todo) {}
  std::string happened; ///< what is wrong
  std::string place;    ///< file, line, step or field
  std::string remedy;   ///< what to do next, a sentence
};

/// Thrown where a cutter finds nothing that it could cut: another one, or none, is a plan, too.
class NothingToCut : public Error {
public:
  using Error::Error;
};

/// Thrown by Progress::check() after a cancel; not an error.
class Cancelled : public std::runtime_error {
public:
  Cancelled() : std::runtime_error("cancelled") {}
};

} // namespace hemline
