#include "model/edit.h"
#include "base/error.h"
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

std::size_t stepMeant(const Job& job, const std::string& word, const std::string& where) {
  if (job.steps.empty())
    throw Error("The job has no steps", where, "Add one: 'hemline-cli add', or make a first job with 'hemline-cli new'.");
  for (std::size_t k = 0; k < job.steps.size(); ++k)
    if (job.steps[k].name == word) return k;
  const bool digits = !word.empty() && word.size() < 6 && word.find_first_not_of("0123456789") == std::string::npos;
  const std::size_t number = digits ? std::stoul(word) : 0;
  if (number < 1 || number > job.steps.size())
    throw Error("The job has no step '" + word + "'", where,
                fmt::format("Name a step, or give its number from 1 to {}.", job.steps.size()));
  return number - 1;
}

void setFields(Job& job, std::size_t step, const std::vector<std::string>& assignments, LengthUnit unit) {
  for (const std::string& one : assignments) {
    const auto equal = one.find('=');
    if (equal == std::string::npos)
      throw Error("'" + one + "' sets nothing", "fields", "Give them as field=value, for instance cusp_mm=\"2 um\".");
    Step& s = job.steps.at(step);
    const StepField& f = fieldMeant(kindOf(s), trimmed(one.substr(0, equal)), "step '" + s.name + "'");
    f.type(job, s, one.substr(equal + 1), unit);
  }
}

Step stepLike(const Job& job, const StepKind& kind, std::size_t place) {
  Step s;
  s.name = kind.id, s.body = kind.body;
  if (!job.steps.empty()) {
    const Step& like = job.steps[place > 0 ? std::min(place, job.steps.size()) - 1 : 0];
    s.clamping = like.clamping, s.axis = like.axis, s.cutter = like.cutter, s.holder = like.holder, s.stickOut = like.stickOut;
    s.promises.gouge = like.promises.gouge, s.promises.clearance = like.promises.clearance;
    if (s.finishing() && like.finishing()) *s.finishing() = *like.finishing(), s.promises = like.promises;
  } else if (job.cutters.empty() || job.holders.empty()) {
    throw Error("The job has no cutter or no holder yet", job.name, "Make a first job with 'hemline-cli new', or add them to the file.");
  } else {
    s.cutter = job.cutters.front().name, s.holder = job.holders.front().name;
  }
  for (int n = 2; std::any_of(job.steps.begin(), job.steps.end(), [&](const Step& other) { return other.name == s.name; }); ++n)
    s.name = fmt::format("{} {}", kind.id, n);
  return s;
}

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
  std::vector<std::string> out{kind.id, "   " + kind.what, "   Pick it for: " + kind.when};
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
