// Tables as text: a heading row and one row per record (RFC 4180).
#pragma once
#include <map>
#include <string>
#include <vector>

namespace hemline {

struct CsvRow {
  int line;                                 ///< of the text, from 1
  std::map<std::string, std::string> cells; ///< by heading; empty ones are left out
};

/// Comma or semicolon apart, as the heading row has it; cells may stand in quotes, quotes in them doubled. Empty rows are left out. Throws
/// Error: no heading row, a row with more cells than headings, a quote that is not closed.
std::vector<CsvRow> readCsv(const std::string& text, const std::string& where);

/// Rows have a cell for each head. What needs quotes has them.
std::string writeCsv(const std::vector<std::string>& heads, const std::vector<std::vector<std::string>>& rows);

} // namespace hemline
