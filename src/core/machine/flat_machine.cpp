#include "machine/flat_machine.h"
#include "base/error.h"
#include "base/record_csv.h"
#include "base/units.h"
#include "machine/machine.h"
#include <fmt/format.h>
#include <set>
#include <sstream>

namespace hemline {
namespace {

using nlohmann::json;

/// Lists of rows, whose rows stand apart by semicolons.
const std::set<std::string> kRows{"spindle_rpm_nm", "spindle_nose_mm"};
const std::set<std::string> kListsOfNumbers{"a_pivot_mm", "work_offset_mm", "table_mm low", "table_mm high"};

std::string numbersText(const json& list) {
  std::string out;
  for (const json& v : list) out += (out.empty() ? "" : " ") + fmt::format("{}", v.get<double>());
  return out;
}

json numbersOf(const std::string& text, const std::string& where) {
  json out = json::array();
  std::istringstream words(text);
  for (std::string word; words >> word;) {
    const auto v = parseNumber(word);
    if (!v) throw Error(Fault::Damaged, "'" + word + "' is not a number", where, "Give numbers with spaces between.");
    out.push_back(*v);
  }
  return out;
}

void flatten(const json& from, const std::string& name, json& into) {
  if (from.is_object()) {
    for (const auto& [key, v] : from.items()) flatten(v, name.empty() ? key : name + " " + key, into);
  } else if (from.is_array() && kRows.contains(name)) {
    std::string text;
    for (const json& row : from) text += (text.empty() ? "" : "; ") + numbersText(row);
    into[name] = text;
  } else if (from.is_array()) {
    into[name] = kListsOfNumbers.contains(name) ? numbersText(from) : from.dump();
  } else if (!from.is_null())
    into[name] = from;
}

} // namespace

json flatMachine(const json& record) {
  json out = json::object();
  flatten(record, "", out);
  return out;
}

json machineFromFlat(const json& flat, const std::string& where) {
  json out = json::object();
  for (const auto& [name, v] : flat.items()) {
    const std::string place = where + ", " + name;
    json value = v;
    if (v.is_string() && kRows.contains(name)) {
      value = json::array();
      std::istringstream rows(v.get<std::string>());
      for (std::string row; std::getline(rows, row, ';');) value.push_back(numbersOf(row, place));
    } else if (v.is_string() && kListsOfNumbers.contains(name)) {
      value = numbersOf(v.get<std::string>(), place);
      if (value.size() == 1) value = value[0]; // the height of a round table
    }
    json* at = &out;
    std::istringstream keys(name);
    for (std::string key; keys >> key;) {
      if (!at->is_object() && !at->is_null()) throw Error(Fault::Damaged, "It stands for one value and for several", place, "Leave one.");
      at = &(*at)[key];
    }
    *at = std::move(value);
  }
  machineFromJson(out, where);
  return out;
}

std::string machinesToCsv(const std::vector<json>& records) {
  std::vector<json> rows;
  for (const json& r : records) rows.push_back(flatMachine(r));
  return recordsToCsv(rows, {"name", "kinematics"});
}

std::vector<json> machinesFromCsv(const std::string& text, const std::string& where) {
  std::set<std::string> texts = kListsOfNumbers;
  texts.insert(kRows.begin(), kRows.end());
  texts.insert({"name", "kinematics"});
  std::vector<json> out;
  for (CsvRecord& r : recordsFromCsv(text, where, texts)) {
    r.record["post_commissioned"] = false;
    out.push_back(machineFromFlat(r.record, r.place));
  }
  return out;
}

} // namespace hemline
