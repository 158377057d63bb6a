#include "cutter/library.h"
#include "base/error.h"
#include "base/file.h"
#include "base/ranges.h"
#include "base/safe_name.h"
#include "base/units.h"
#include "cutter/mount.h"
#include <algorithm>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace hemline {
namespace {

using nlohmann::json;

/// One number of a cutter under its name in files; angles are degrees there.
struct Field {
  const char* name;
  double Cutter::*value;
  bool angle;
};
const Field kFields[] = {{"diameter_mm", &Cutter::diameter, false},
                         {"corner_mm", &Cutter::corner, false},
                         {"profile_radius_mm", &Cutter::profileRadius, false},
                         {"tip_diameter_mm", &Cutter::tipDiameter, false},
                         {"half_angle_deg", &Cutter::angle, true},
                         {"flute_length_mm", &Cutter::fluteLength, false},
                         {"neck_diameter_mm", &Cutter::neckDiameter, false},
                         {"neck_length_mm", &Cutter::neckLength, false},
                         {"shank_diameter_mm", &Cutter::shankDiameter, false},
                         {"shank_from_mm", &Cutter::shankFrom, false},
                         {"least_gripped_mm", &Cutter::leastGripped, false},
                         {"length_mm", &Cutter::length, false},
                         {"ramp_angle_deg", &Cutter::rampAngle, true},
                         {"cutting_speed_m_min", &Cutter::cuttingSpeed, false},
                         {"feed_per_tooth_mm", &Cutter::feedPerTooth, false}};

double toFile(const Field& f, double v) {
  return f.angle ? std::round(degrees(v) * 1e9) / 1e9 : v;
}
double fromFile(const Field& f, double v) {
  return f.angle ? radians(v) : v;
}

double number(const json& j, const char* name, const std::string& where) {
  if (!j.at(name).is_number()) throw Error(Fault::Damaged, std::string("'") + name + "' must be a number", where, "Correct the file.");
  return inRange(name, j.at(name).get<double>(), where);
}

} // namespace

const Cutter& CutterLibrary::cutter(const std::string& name) const {
  std::string known;
  for (const Cutter& c : cutters) {
    if (c.name == name) return c;
    known += (known.empty() ? "" : ", ") + c.name;
  }
  throw Error(Fault::Missing, "There is no cutter '" + name + "'", "cutter library", "Known are: " + known + ".");
}

const Holder& CutterLibrary::holder(const std::string& name) const {
  std::string known;
  for (const Holder& h : holders) {
    if (h.name == name) return h;
    known += (known.empty() ? "" : ", ") + h.name;
  }
  throw Error(Fault::Missing, "There is no holder '" + name + "'", "cutter library", "Known are: " + known + ".");
}

std::vector<Cutter> CutterLibrary::mountable() const {
  std::vector<Cutter> out;
  for (const Cutter& c : cutters)
    if (mountFor(c, holders, 0)) out.push_back(c);
  return out;
}

json toJson(const Cutter& c) {
  json j{{"name", c.name}, {"kind", kindName(c.kind)}, {"teeth", c.teeth}};
  for (const Field& f : kFields)
    if (c.*f.value != 0) j[f.name] = toFile(f, c.*f.value);
  if (!c.dataFor.empty()) j["data_for"] = c.dataFor;
  return j;
}

json toJson(const NamedAssembly& a) {
  return {{"name", a.name}, {"cutter", a.cutter}, {"holder", a.holder}, {"stick_out_mm", a.stickOut}};
}

NamedAssembly assemblyFromJson(const json& j, const std::string& where) {
  for (const char* name : {"name", "cutter", "holder"})
    if (!j.is_object() || !j.contains(name) || !j[name].is_string())
      throw Error(Fault::Damaged, std::string("An assembly needs its '") + name + "'", where, "Add it.");
  NamedAssembly a{j["name"].get<std::string>(), j["cutter"].get<std::string>(), j["holder"].get<std::string>(), 40};
  if (!j.contains("stick_out_mm"))
    throw Error(Fault::Missing, "'stick_out_mm' is missing", where + ", assembly " + oneLine(a.name), "Add it.");
  a.stickOut = number(j, "stick_out_mm", where + ", assembly " + oneLine(a.name));
  return a;
}

std::string assemblyFault(const CutterLibrary& library, const NamedAssembly& a) {
  const auto c = std::find_if(library.cutters.begin(), library.cutters.end(), [&](const Cutter& x) { return x.name == a.cutter; });
  const auto h = std::find_if(library.holders.begin(), library.holders.end(), [&](const Holder& x) { return x.name == a.holder; });
  if (c == library.cutters.end()) return "The library has no cutter '" + oneLine(a.cutter) + "'.";
  if (h == library.holders.end()) return "The library has no holder '" + oneLine(a.holder) + "'.";
  if (const auto fault = mountFault(*c, *h, a.stickOut, library.holders)) return fault->what + ". " + fault->remedy;
  try {
    assemble(*c, *h, a.stickOut);
  } catch (const Error& e) {
    return e.happened + ". " + e.remedy;
  }
  return {};
}

json toJson(const Holder& h) {
  json parts = json::array();
  for (const HolderPart& p : h.parts) parts.push_back({p.z0, p.r0, p.z1, p.r1});
  json j{{"name", h.name}, {"parts_z0_r0_z1_r1_mm", parts}};
  if (h.boreTo > h.boreFrom)
    j["bore_mm"] = {h.boreFrom, h.boreTo};
  else if (h.boreTo > 0)
    j["bore_mm"] = h.boreTo;
  if (h.grip > 0) j["grip_mm"] = h.grip;
  if (h.insertion > 0) j["insertion_mm"] = h.insertion;
  return j;
}

Cutter cutterFromJson(const json& j, const std::string& where) {
  if (!j.is_object() || !j.contains("name") || !j["name"].is_string() || !j.contains("kind") || !j["kind"].is_string())
    throw Error(Fault::Damaged, "A cutter needs a name and a kind", where, "Correct the file.");
  Cutter c;
  c.name = j["name"].get<std::string>();
  c.kind = kindFromName(j["kind"].get<std::string>());
  for (const Field& f : kFields) {
    const bool required = std::string(f.name) == "diameter_mm" || std::string(f.name) == "flute_length_mm";
    if (j.contains(f.name))
      c.*f.value = fromFile(f, number(j, f.name, where + ", cutter " + c.name));
    else if (required)
      throw Error(Fault::Missing, std::string("'") + f.name + "' is missing", where + ", cutter " + c.name, "Add it.");
    else if (std::string(f.name) == "ramp_angle_deg")
      c.*f.value = 0;
  }
  if (!j.contains("shank_diameter_mm")) c.shankDiameter = c.diameter;
  if (j.contains("data_for") && j["data_for"].is_string()) c.dataFor = j["data_for"].get<std::string>();
  if (j.contains("teeth")) c.teeth = static_cast<int>(number(j, "teeth", where));
  if (c.teeth < 1) throw Error(Fault::Damaged, "A cutter needs at least one tooth", where + ", cutter " + c.name, "Correct 'teeth'.");
  makeProfile(c);
  return c;
}

Holder holderFromJson(const json& j, const std::string& where) {
  if (!j.is_object() || !j.contains("name") || !j["name"].is_string() || !j.contains("parts_z0_r0_z1_r1_mm"))
    throw Error(Fault::Damaged, "A holder needs a name and parts", where, "Correct the file.");
  Holder h;
  h.name = j["name"].get<std::string>();
  if (!j["parts_z0_r0_z1_r1_mm"].is_array() || j["parts_z0_r0_z1_r1_mm"].size() > 1000)
    throw Error(Fault::Damaged, "A holder's parts are a list", where + ", holder " + oneLine(h.name), "Correct the file.");
  for (const json& p : j["parts_z0_r0_z1_r1_mm"]) {
    if (!p.is_array() || p.size() != 4 || !std::all_of(p.begin(), p.end(), [](const json& v) { return v.is_number(); }))
      throw Error(Fault::Damaged, "A holder part is four numbers: z0, r0, z1, r1", where + ", holder " + h.name, "Correct the file.");
    const auto at = [&](std::size_t k) {
      return inRange("parts_z0_r0_z1_r1_mm", p[k].get<double>(), where + ", holder " + oneLine(h.name));
    };
    h.parts.push_back({at(0), at(1), at(2), at(3)});
  }
  const std::string place = where + ", holder " + oneLine(h.name);
  if (j.contains("bore_mm") && j["bore_mm"].is_array()) {
    const json& b = j["bore_mm"];
    if (b.size() != 2 || !b[0].is_number() || !b[1].is_number())
      throw Error(Fault::Damaged, "A range of bores is two numbers, the least and the greatest", place, "Correct 'bore_mm'.");
    h.boreFrom = inRange("bore_mm", b[0].get<double>(), place), h.boreTo = inRange("bore_mm", b[1].get<double>(), place);
    if (h.boreFrom > h.boreTo) throw Error(Fault::Damaged, "The least bore is larger than the greatest", place, "Correct 'bore_mm'.");
  } else if (j.contains("bore_mm"))
    h.boreFrom = h.boreTo = number(j, "bore_mm", place);
  if (j.contains("grip_mm")) h.grip = number(j, "grip_mm", place);
  if (j.contains("insertion_mm")) h.insertion = number(j, "insertion_mm", place);
  if (h.insertion > 0 && h.grip > h.insertion + 1e-9)
    throw Error(Fault::Damaged, "The holder grips more than it lets in", place, "Correct 'grip_mm' or 'insertion_mm'.");
  return h;
}

CutterLibrary readLibrary(const std::string& path) {
  const json j = parseJson(readFile(path), "The cutter library", path, "Restore it from a copy.");
  if (!j.is_object()) throw Error(Fault::Damaged, "The cutter library is damaged: it is no object", path, "Restore it from a copy.");
  CutterLibrary library;
  const auto list = [&](const char* name) {
    const json empty = json::array();
    const json found = j.contains(name) ? j[name] : empty;
    if (!found.is_array())
      throw Error(Fault::Damaged, std::string("The cutter library is damaged: '") + name + "' is no list", path, "Restore it from a copy.");
    return found;
  };
  for (const json& c : list("cutters")) library.cutters.push_back(cutterFromJson(c, path));
  for (const json& h : list("holders")) library.holders.push_back(holderFromJson(h, path));
  for (const json& a : list("assemblies")) library.assemblies.push_back(assemblyFromJson(a, path));
  return library;
}

void writeLibrary(const std::string& path, const CutterLibrary& library) {
  json j{{"cutters", json::array()}, {"holders", json::array()}, {"assemblies", json::array()}};
  for (const Cutter& c : library.cutters) j["cutters"].push_back(toJson(c));
  for (const Holder& h : library.holders) j["holders"].push_back(toJson(h));
  for (const NamedAssembly& a : library.assemblies) j["assemblies"].push_back(toJson(a));
  writeFileSafely(path, j.dump(1) + "\n");
}

CutterLibrary libraryFor(const std::string& material, const std::vector<Material>& table, CutterLibrary library) {
  for (const Material& m : table)
    if (m.name == material)
      for (Cutter& c : library.cutters) c = cutterFor(m, c);
  return library;
}

} // namespace hemline
