#include "base/csv.h"
#include "base/error.h"
#include <algorithm>
#include <cassert>
#include <fmt/format.h>

namespace hemline {
namespace {

/// All cells of all rows with the line that each row begins in.
struct RawRow {
  int line;
  std::vector<std::string> cells;
};

std::vector<RawRow> split(const std::string& text, char apart, const std::string& where) {
  std::vector<RawRow> out;
  RawRow row{1, {""}};
  int line = 1;
  bool quoted = false;
  const auto end = [&] {
    if (std::any_of(row.cells.begin(), row.cells.end(),
                    [](const std::string& c) { return c.find_first_not_of(" \t") != std::string::npos; }))
      out.push_back(row);
    row = {line + 1, {""}};
  };
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (c == '"') {
      if (quoted && i + 1 < text.size() && text[i + 1] == '"')
        row.cells.back() += text[i++];
      else
        quoted = !quoted;
    } else if (c == '\n' && !quoted) {
      end();
      ++line;
    } else if (c == apart && !quoted)
      row.cells.emplace_back();
    else if (c != '\r') {
      line += c == '\n';
      row.cells.back() += c;
    }
  }
  if (quoted) throw Error(Fault::Damaged, "A quote is not closed", fmt::format("{}, line {}", where, row.line), "Close it.");
  end();
  return out;
}

} // namespace

std::vector<CsvRow> readCsv(const std::string& text, const std::string& where) {
  const std::string heads = text.substr(0, text.find('\n'));
  const auto raw = split(text.starts_with("\xEF\xBB\xBF") ? text.substr(3) : text, heads.find(';') != std::string::npos ? ';' : ',', where);
  if (raw.empty()) throw Error(Fault::Damaged, "The table is empty", where, "Give a heading row and one row per record.");
  std::vector<CsvRow> out;
  for (std::size_t r = 1; r < raw.size(); ++r) {
    CsvRow row{raw[r].line, {}};
    for (std::size_t c = 0; c < raw[r].cells.size(); ++c) {
      if (raw[r].cells[c].empty()) continue;
      if (c >= raw.front().cells.size())
        throw Error(Fault::Damaged, "The row has more cells than there are headings", fmt::format("{}, line {}", where, row.line),
                    "Put cells that hold the separator into quotes.");
      row.cells[raw.front().cells[c]] = raw[r].cells[c];
    }
    out.push_back(std::move(row));
  }
  return out;
}

std::string writeCsv(const std::vector<std::string>& heads, const std::vector<std::vector<std::string>>& rows) {
  std::string out;
  const auto add = [&](const std::vector<std::string>& cells) {
    assert(cells.size() == heads.size());
    for (std::size_t c = 0; c < cells.size(); ++c) {
      if (c > 0) out += ',';
      if (cells[c].find_first_of(",;\"\n\r") == std::string::npos) {
        out += cells[c];
        continue;
      }
      out += '"';
      for (const char ch : cells[c]) out += ch == '"' ? std::string("\"\"") : std::string(1, ch);
      out += '"';
    }
    out += '\n';
  };
  add(heads);
  for (const auto& r : rows) add(r);
  return out;
}

} // namespace hemline
