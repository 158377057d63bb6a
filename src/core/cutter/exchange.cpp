#include "cutter/exchange.h"
#include "base/error.h"
#include "base/record_csv.h"
#include "base/units.h"
#include <array>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <set>
#include <sstream>

namespace hemline {
namespace {

using nlohmann::json;

/// All but `texts` are numbers.
template <class T>
std::vector<T> fromCsv(const std::string& text, const std::string& where, const std::set<std::string>& texts,
                       T (*read)(json, const std::string&)) {
  std::vector<T> out;
  for (CsvRecord& r : recordsFromCsv(text, where, texts)) out.push_back(read(std::move(r.record), r.place));
  return out;
}

template <class T> std::vector<json> flatOnes(const std::vector<T>& records) {
  std::vector<json> out;
  for (const T& r : records) out.push_back(flat(r));
  return out;
}

constexpr std::array kOfCutting{"speed_m_min", "feed_of_diameter", "assumed"};

/// "ball speed_m_min".
std::string columnOf(const std::string& kind, const char* what) {
  return kind + " " + what;
}

} // namespace

json flat(const Cutter& cutter) {
  return toJson(cutter);
}
json flat(const NamedAssembly& assembly) {
  return toJson(assembly);
}
Cutter cutterFromFlat(json j, const std::string& where) {
  return cutterFromJson(j, where);
}
NamedAssembly assemblyFromFlat(json j, const std::string& where) {
  return assemblyFromJson(j, where);
}

json flat(const Holder& holder) {
  json j = toJson(holder);
  j.erase("bore_mm"), j.erase("parts_z0_r0_z1_r1_mm");
  if (holder.boreTo > 0) j["bore_from_mm"] = holder.boreFrom, j["bore_to_mm"] = holder.boreTo;
  j["shape_mm"] = shapeText(holder.parts);
  return j;
}

Holder holderFromFlat(json j, const std::string& where) {
  json parts = json::array();
  try {
    for (const HolderPart& p : shapeFromText(j.value("shape_mm", std::string()))) parts.push_back({p.z0, p.r0, p.z1, p.r1});
  } catch (const Error& e) {
    throw Error(e.fault, e.happened, where + ", shape_mm", e.remedy);
  }
  j["parts_z0_r0_z1_r1_mm"] = parts;
  // One bore unless a range is told.
  const double to = j.value("bore_to_mm", j.value("bore_from_mm", 0.0)), from = j.value("bore_from_mm", to);
  if (from < to)
    j["bore_mm"] = {from, to};
  else if (from > to)
    throw Error(Fault::Damaged, "The least bore is larger than the greatest", where, "Correct one of them.");
  else if (to > 0)
    j["bore_mm"] = to;
  return holderFromJson(j, where);
}

json flat(const Material& material) {
  json j = toJson(material);
  for (const json& c : j.value("cutting", json::array()))
    for (const char* what : kOfCutting)
      if (c.contains(what)) j[columnOf(c["kind"].get<std::string>(), what)] = c[what];
  j.erase("cutting");
  return j;
}

Material materialFromFlat(json j, const std::string& where) {
  json cutting = json::array();
  for (int k = 0; k <= static_cast<int>(CutterKind::Drill); ++k) {
    const std::string kind = kindName(static_cast<CutterKind>(k));
    json c;
    for (const char* what : kOfCutting)
      if (j.contains(columnOf(kind, what))) c[what] = j[columnOf(kind, what)];
    if (c.is_null()) continue;
    if (c.contains("assumed")) c["assumed"] = c["assumed"].is_boolean() ? c["assumed"].get<bool>() : c["assumed"].get<double>() != 0;
    c["kind"] = kind;
    cutting.push_back(c);
  }
  if (!cutting.empty()) j["cutting"] = cutting;
  return materialFromJson(j, where);
}

std::string cuttersToCsv(const std::vector<Cutter>& cutters) {
  return recordsToCsv(flatOnes(cutters), {"name", "kind", "teeth", "diameter_mm"});
}
std::string holdersToCsv(const std::vector<Holder>& holders) {
  return recordsToCsv(flatOnes(holders), {"name", "bore_from_mm", "bore_to_mm"});
}
std::string assembliesToCsv(const std::vector<NamedAssembly>& assemblies) {
  return recordsToCsv(flatOnes(assemblies), {"name", "cutter", "holder", "stick_out_mm"});
}
std::string materialsToCsv(const std::vector<Material>& materials) {
  return recordsToCsv(flatOnes(materials), {"name", "kc11_N_mm2", "mc", "young_N_mm2", "density_g_cm3"});
}

std::vector<Cutter> cuttersFromCsv(const std::string& text, const std::string& where) {
  return fromCsv(text, where, {"name", "kind", "data_for"}, cutterFromFlat);
}
std::vector<Holder> holdersFromCsv(const std::string& text, const std::string& where) {
  return fromCsv(text, where, {"name", "shape_mm"}, holderFromFlat);
}
std::vector<NamedAssembly> assembliesFromCsv(const std::string& text, const std::string& where) {
  return fromCsv(text, where, {"name", "cutter", "holder"}, assemblyFromFlat);
}
std::vector<Material> materialsFromCsv(const std::string& text, const std::string& where) {
  return fromCsv(text, where, {"name"}, materialFromFlat);
}

std::string shapeText(const std::vector<HolderPart>& parts, double mm) {
  std::string out;
  const auto number = [mm](double v) { return mm == 1 ? fmt::format("{}", v) : fmt::format("{:.6g}", v / mm); };
  for (const HolderPart& p : parts)
    out += fmt::format("{}{} {} {} {}", out.empty() ? "" : "; ", number(p.z0), number(p.r0), number(p.z1), number(p.r1));
  return out;
}

std::vector<HolderPart> shapeFromText(const std::string& text, double mm) {
  std::vector<HolderPart> out;
  std::istringstream pieces(text);
  for (std::string piece; std::getline(pieces, piece, ';');) {
    if (piece.find_first_not_of(" \t") == std::string::npos) continue;
    std::istringstream words(piece);
    std::vector<double> v;
    bool good = true;
    for (std::string word; words >> word;) {
      const auto value = parseNumber(word);
      good = good && value;
      v.push_back(value.value_or(0) * mm);
    }
    if (!good || v.size() != 4)
      throw Error(Fault::NotUnderstood, "'" + piece + "' is no frustum", "shape", "Give z, radius, z, radius of each.");
    out.push_back({v[0], v[1], v[2], v[3]});
  }
  return out;
}

} // namespace hemline
