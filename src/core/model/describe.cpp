#include "model/describe.h"
#include "base/text.h"
#include <fmt/format.h>

namespace hemline {
namespace {

using nlohmann::json;

/// A value as it stands in the file, in a line.
std::string plainJson(const json& value) {
  if (value.is_null() || (value.is_array() && value.empty())) return "none";
  if (value.is_number()) return fmt::format("{:g}", value.get<double>());
  return value.is_string() ? value.get<std::string>() : value.dump();
}

std::string rangeText(const StepField& f) {
  const json& s = f.schema;
  if (s.contains("enum")) {
    std::vector<std::string> words;
    for (const json& e : s["enum"]) words.push_back(e.get<std::string>());
    return joined(words, ", ");
  }
  const std::string type = s.value("type", "");
  if (type == "boolean") return fmt::format("`false` {}, `true` {}", f.words.at(0), f.words.at(1));
  if ((type == "number" || type == "integer") && s.contains("maximum"))
    return fmt::format("{:g} to {:g}", s["minimum"].get<double>(), s["maximum"].get<double>());
  return type == "array" ? "list" : type == "object" ? "object" : type == "string" ? "text" : type;
}

std::string firstValue(const StepKind& kind, const StepField& f) {
  Step first;
  first.body = kind.body;
  return f.needed ? "must be given" : plainJson(f.get(first));
}

} // namespace

std::vector<std::string> stepText(const Job& job, std::size_t step, LengthUnit unit) {
  const Step& s = job.steps.at(step);
  const StepKind& kind = kindOf(s);
  std::vector<std::string> out{fmt::format("{}. {}  [{}]", step + 1, s.name, kind.id), "   " + sentenceText(job, s, unit), ""};
  for (const StepField& f : kind.fields) {
    if (!f.row && f.name != "name") continue;
    out.push_back(fmt::format("{:<26} {:<24} {}{}", f.id, f.label, f.show(job, s, unit),
                              f.stored ? fmt::format("   (at first {})", firstValue(kind, f)) : ""));
    out.push_back(fmt::format("{:<26} {}", "", f.help));
  }
  return out;
}

std::vector<std::string> kindText(const StepKind& kind) {
  std::vector<std::string> out{kind.id, "   " + kind.what, "   Pick it for: " + kind.when, "   It costs: " + kind.costs,
                               "   What goes wrong: " + kind.wrong};
  for (const StepField& f : kind.fields)
    if (f.row || f.name == "name")
      out.push_back(fmt::format("   {:<26} {}: {} [{}; at first {}]", f.id, f.label, f.help, rangeText(f),
                                f.stored ? firstValue(kind, f) : "the cutter's"));
  return out;
}

std::string kindsMarkdown() {
  std::string out;
  const auto table = [&out](const StepKind& kind, const std::vector<const StepField*>& fields) {
    out += "| field | values | at first | meaning |\n|---|---|---|---|\n";
    for (const StepField* f : fields)
      out += fmt::format("| `{}` | {} | {} | {}: {} |\n", f->group.empty() ? f->name : f->group + "." + f->name, rangeText(*f),
                         firstValue(kind, *f), f->label, f->help);
    out += "\n";
  };
  const auto isCommon = [](const StepField& f) {
    return std::all_of(stepKinds().begin(), stepKinds().end(), [&](const StepKind& k) { return k.field(f.id); });
  };
  std::vector<const StepField*> common;
  for (const StepField& f : stepKinds().front().fields)
    if (f.stored && isCommon(f)) common.push_back(&f);
  out += "Steps of all kinds have `kind` and\n\n";
  table(stepKinds().front(), common);
  for (const StepKind& kind : stepKinds()) {
    out += fmt::format("**`{}`**: {} {}\n\n", kind.id, kind.what, kind.when);
    std::vector<const StepField*> own;
    for (const StepField& f : kind.fields)
      if (f.stored && !isCommon(f)) own.push_back(&f);
    table(kind, own);
  }
  return out;
}

json withStepSchema(json schema) {
  schema["properties"]["hemline_job"]["maximum"] = kJobVersion;
  json& items = schema["properties"]["steps"]["items"];
  items = {{"type", "object"}, {"required", {"kind", "cutter", "holder"}}, {"properties", json::object()}, {"oneOf", json::array()}};
  for (const StepKind& kind : stepKinds()) {
    json of{{"properties", {{"kind", {{"const", kind.id}}}}}, {"description", kind.what + " " + kind.when}};
    for (const StepField& f : kind.fields) {
      if (!f.stored) continue;
      json& object = f.group.empty() ? of["properties"] : of["properties"][f.group]["properties"];
      if (!f.group.empty()) of["properties"][f.group]["type"] = "object";
      object[f.name] = f.schema;
      if (f.needed && f.group == "promises") of["properties"][f.group]["required"].push_back(f.name);
    }
    items["oneOf"].push_back(of);
  }
  return schema;
}

} // namespace hemline
