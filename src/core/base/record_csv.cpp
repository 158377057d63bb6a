#include "base/record_csv.h"
#include "base/csv.h"
#include "base/error.h"
#include "base/units.h"
#include <algorithm>
#include <fmt/format.h>

namespace hemline {
namespace {
std::string cellOf(const nlohmann::json& v) {
  return v.is_string() ? v.get<std::string>() : v.is_boolean() ? (v.get<bool>() ? "1" : "0") : fmt::format("{}", v.get<double>());
}
} // namespace

std::string recordsToCsv(const std::vector<nlohmann::json>& records, std::vector<std::string> heads) {
  for (const nlohmann::json& r : records)
    for (const auto& [key, value] : r.items())
      if (std::find(heads.begin(), heads.end(), key) == heads.end()) heads.push_back(key);
  std::vector<std::vector<std::string>> rows;
  for (const nlohmann::json& r : records) {
    rows.emplace_back();
    for (const std::string& h : heads) rows.back().push_back(r.contains(h) ? cellOf(r[h]) : "");
  }
  return writeCsv(heads, rows);
}

std::vector<CsvRecord> recordsFromCsv(const std::string& text, const std::string& where, const std::set<std::string>& texts) {
  std::vector<CsvRecord> out;
  for (const CsvRow& row : readCsv(text, where)) {
    CsvRecord r{nlohmann::json::object(), fmt::format("{}, line {}", where, row.line)};
    for (const auto& [head, value] : row.cells) {
      if (texts.contains(head)) {
        r.record[head] = value;
        continue;
      }
      const auto v = parseNumber(value);
      if (!v) throw Error(Fault::Damaged, "'" + value + "' is not a number", r.place + ", column " + head, "Correct the cell.");
      r.record[head] = *v;
    }
    out.push_back(std::move(r));
  }
  return out;
}

} // namespace hemline
