// Records as tables of text (base/csv.h): a record is a JSON object with nothing nested, a number, a yes or no, or a text by the name of
// its column.
#pragma once
#include <nlohmann/json.hpp>
#include <set>
#include <string>
#include <vector>

namespace hemline {

/// Columns: `heads` first, then all that any record has.
std::string recordsToCsv(const std::vector<nlohmann::json>& records, std::vector<std::string> heads);

struct CsvRecord {
  nlohmann::json record;
  std::string place; ///< "table.csv, line 3"
};
/// One record a row; cells are numbers except in the columns `texts`. Throws Error with the line and the column.
std::vector<CsvRecord> recordsFromCsv(const std::string& text, const std::string& where, const std::set<std::string>& texts);

} // namespace hemline
