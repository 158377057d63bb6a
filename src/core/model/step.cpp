#include "model/step.h"
#include "base/safe_name.h"
#include "model/fields.h"

namespace hemline {

using nlohmann::json;

void Finishing::mustHaveNoFillets(const std::string& where) const {
  if (fillet || filletMore)
    throw Error(Fault::Clash, "The step goes where others leave corners round, and would leave them round, too", where,
                "Leave no corners round in this one.")
        .mendedBy(fillet ? "virtual_fillet_mm" : "virtual_fillet_more_mm");
}

Finishing* Step::finishing() {
  return std::visit(
      [](auto& b) -> Finishing* {
        if constexpr (requires { b.finish; })
          return &b.finish;
        else
          return nullptr;
      },
      body);
}

Boundary* Step::within() {
  if (Finishing* f = finishing()) return &f->within;
  return std::visit(
      [](auto& b) -> Boundary* {
        if constexpr (requires { b.within; })
          return &b.within;
        else
          return nullptr;
      },
      body);
}

double Step::allowance() const {
  if (const Finishing* f = finishing()) return f->allowance;
  return std::visit(
      [](const auto& b) {
        if constexpr (requires { b.allowance; })
          return b.allowance;
        else
          return 0.0;
      },
      body);
}

json toJson(const Step& s) {
  json j = s.extra;
  j["kind"] = kindOf(s).id;
  j["promises"]; // is there, empty or not
  if (!j["promises"].is_object()) j["promises"] = json::object();
  for (const StepField& f : kindOf(s).fields) {
    if (!f.stored) continue;
    json value = f.get(s);
    json& object = f.group.empty() ? j : j[f.group];
    if (!object.is_object()) object = json::object();
    if (value.is_null())
      object.erase(f.name);
    else
      object[f.name] = std::move(value);
    if (object.empty() && f.group == "as_set") j.erase(f.group);
  }
  return j;
}

Step stepFromJson(const json& j, const std::string& where) {
  if (!j.is_object()) throw Error(Fault::Damaged, "A step must be an object", where, "Correct the job file.");
  Step s;
  s.extra = j;
  s.name = Reader{j, where + ", steps"}.text("name", s.name);
  const Reader r{j, where + ", step '" + oneLine(s.name) + "'"};
  const StepKind& kind = stepKind(r.needText("kind"), r.where);
  s.body = kind.body;
  for (const StepField& f : kind.fields) {
    if (!f.stored) continue;
    try {
      if (f.group.empty())
        f.read(s, r);
      else if (r.has(f.group.c_str()))
        f.read(s, Reader{j[f.group], r.where + ", " + f.group});
    } catch (Error& e) {
      e.step = s.name, e.field = f.id;
      throw;
    }
    json& from = f.group.empty() ? s.extra : s.extra[f.group];
    if (from.is_object()) from.erase(f.name); // only what is not known stays as it was read
  }
  for (const char* group : {"promises", "as_set"})
    if (s.extra.contains(group) && s.extra[group].empty()) s.extra.erase(group);
  return s;
}

} // namespace hemline
