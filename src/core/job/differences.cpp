#include "job/differences.h"
#include "base/safe_name.h"
#include <fmt/format.h>

namespace hemline {
namespace {

using nlohmann::json;

std::string brief(const json& j) {
  constexpr std::size_t kMost = 40; // characters
  if (j.is_number_float()) return fmt::format("{:.6g}", j.get<double>());
  const std::string text = j.dump(-1, ' ', false, json::error_handler_t::replace);
  return text.size() > kMost ? fmt::format("{} ...", text.substr(0, kMost)) : text;
}

/// "field old, now new" of every field that differs.
std::string fields(const json& a, const json& b) {
  std::string out;
  const auto add = [&](const std::string& clause) { out += (out.empty() ? "" : "; ") + clause; };
  for (const auto& [name, value] : b.items())
    if (!a.contains(name))
      add(fmt::format("{} is {}", name, brief(value)));
    else if (a[name] != value)
      add(value.is_object() && a[name].is_object() ? fields(a[name], value)
                                                   : fmt::format("{} {}, now {}", name, brief(a[name]), brief(value)));
  for (const auto& [name, value] : a.items())
    if (!b.contains(name)) add(fmt::format("{} {} is gone", name, brief(value)));
  return out;
}

} // namespace

std::vector<std::string> differences(const Job& before, const Job& after) {
  std::vector<std::string> out;
  const auto find = [](const Job& j, const std::string& name) {
    return std::find_if(j.steps.begin(), j.steps.end(), [&](const Step& s) { return s.name == name; });
  };
  for (const Step& s : before.steps)
    if (find(after, s.name) == after.steps.end()) out.push_back("step '" + oneLine(s.name) + "' is gone");
  std::vector<std::string> wasIn, isIn; // the order of those that both have
  for (const Step& s : before.steps)
    if (find(after, s.name) != after.steps.end()) wasIn.push_back(s.name);
  for (const Step& s : after.steps) {
    const auto was = find(before, s.name);
    if (was == before.steps.end()) {
      out.push_back("step '" + oneLine(s.name) + "' is new");
      continue;
    }
    isIn.push_back(s.name);
    if (const std::string f = fields(toJson(*was), toJson(s)); !f.empty()) out.push_back("step '" + oneLine(s.name) + "': " + f);
  }
  if (wasIn != isIn) out.emplace_back("the order of the steps");
  json a = toJson(before), b = toJson(after);
  a.erase("steps"), b.erase("steps");
  for (const auto& [name, value] : b.items())
    if (!a.contains(name) || a[name] != value) {
      const bool small = !value.is_structured() && a.contains(name);
      out.push_back(small ? fmt::format("{} {}, now {}", name, brief(a[name]), brief(value)) : name);
    }
  for (const auto& [name, value] : a.items())
    if (!b.contains(name)) out.push_back(name + " is gone");
  if (out.empty() && toJson(before) != toJson(after)) out.emplace_back("steps of one name");
  return out;
}

} // namespace hemline
