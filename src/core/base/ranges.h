// What each number in a file may be: one table for jobs, cutters, machines, the window and the command line.
#pragma once
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <string_view>

namespace hemline {

/// Least and greatest value of a field, in the unit that its name tells.
struct Range {
  double least, greatest;
  std::string_view unit; ///< as it is shown; may be empty
};

/// By the field's name in files; names that are not in the table by their ending (_mm, _deg, ...). Finite always.
Range rangeOf(std::string_view field);
/// `value`, if the field may be that. Throws Error naming field, value, range and place.
double inRange(std::string_view field, double value, const std::string& where);

/// JSON text as data, not nested deeper than 100 and not longer than 64 MB. Throws Error: "`what` is damaged: ...", place, remedy.
nlohmann::json parseJson(const std::string& text, const std::string& what, const std::string& where, const std::string& remedy);

} // namespace hemline
