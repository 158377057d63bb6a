#include "cutter/material.h"
#include "base/error.h"
#include "base/file.h"
#include "base/ranges.h"
#include "base/safe_name.h"
#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace hemline {

using nlohmann::json;

namespace {
CuttingData cuttingFromJson(const json& j, const std::string& where) {
  CuttingData c;
  if (!j.is_object() || !j.contains("kind") || !j["kind"].is_string())
    throw Error(Fault::Damaged, "Cutting data have no kind of cutter", where, "Give kind, speed_m_min and feed_of_diameter.");
  c.kind = kindFromName(j["kind"].get<std::string>());
  const auto number = [&](const char* name, double least, double most) {
    if (!j.contains(name) || !j[name].is_number() || !(j[name].get<double>() >= least && j[name].get<double>() <= most))
      throw Error(Fault::OutOfRange, fmt::format("'{}' of a {} is missing or not from {} to {}", name, kindName(c.kind), least, most),
                  where, "Correct it in the table of materials.");
    return j[name].get<double>();
  };
  c.speed = number("speed_m_min", 1, 5000), c.feed = number("feed_of_diameter", 1e-5, 0.5);
  c.assumed = j.contains("assumed") && j["assumed"].is_boolean() && j["assumed"].get<bool>();
  return c;
}
} // namespace

Material materialFromJson(const json& j, const std::string& where) {
  Material m;
  const auto number = [&](const char* name, double least, double most) {
    if (!j.is_object() || !j.contains(name) || !j[name].is_number() || !(j[name].get<double>() >= least && j[name].get<double>() <= most))
      throw Error(Fault::Missing, fmt::format("A material's '{}' is missing or not from {} to {}", name, least, most), where,
                  "Correct it in the table of materials.");
    return j[name].get<double>();
  };
  if (!j.is_object() || !j.contains("name") || !j["name"].is_string())
    throw Error(Fault::Damaged, "A material has no name", where, "Correct the table of materials.");
  m.name = j["name"].get<std::string>();
  m.force = number("kc11_N_mm2", 1, 20000), m.rise = number("mc", 0, 0.9);
  m.young = number("young_N_mm2", 100, 1e6), m.density = number("density_g_cm3", 0.01, 25);
  if (!j.contains("cutting")) return m;
  if (!j["cutting"].is_array())
    throw Error(Fault::Damaged, "A material's 'cutting' is no list", where, "Give kind, speed_m_min and feed_of_diameter of each.");
  for (const json& c : j["cutting"]) m.cutting.push_back(cuttingFromJson(c, where + ", " + oneLine(m.name)));
  for (std::size_t a = 0; a < m.cutting.size(); ++a)
    for (std::size_t b = a + 1; b < m.cutting.size(); ++b)
      if (m.cutting[a].kind == m.cutting[b].kind)
        throw Error(Fault::Clash, "The cutting data of a " + kindName(m.cutting[a].kind) + " stand there twice",
                    where + ", " + oneLine(m.name), "Keep one of them.");
  return m;
}

json toJson(const Material& m) {
  json j{{"name", m.name}, {"kc11_N_mm2", m.force}, {"mc", m.rise}, {"young_N_mm2", m.young}, {"density_g_cm3", m.density}};
  for (const CuttingData& c : m.cutting) {
    j["cutting"].push_back({{"kind", kindName(c.kind)}, {"speed_m_min", c.speed}, {"feed_of_diameter", c.feed}});
    if (c.assumed) j["cutting"].back()["assumed"] = true;
  }
  return j;
}

Cutter cutterFor(const Material& material, const Cutter& cutter) {
  Cutter out = cutter;
  if (cutter.dataFor == material.name) return out;
  for (const CuttingData& c : material.cutting)
    if (c.kind == cutter.kind) out.cuttingSpeed = c.speed, out.feedPerTooth = c.feed * cutter.diameter;
  return out;
}

std::vector<Material> readMaterials(const std::string& path) {
  std::vector<Material> out;
  try {
    const json table = parseJson(readFile(path), "The table of materials", path, "Restore it from a copy.");
    for (const json& m : table.at("materials")) out.push_back(materialFromJson(m, path));
  } catch (const json::exception& e) {
    throw Error(Fault::Damaged, std::string("The table of materials is damaged: ") + e.what(), path, "Restore it from a copy.");
  }
  return out;
}

void writeMaterials(const std::string& path, const std::vector<Material>& materials) {
  json table{{"about", "For cautions only: the supplier's data and the shop's experience stand above these values."},
             {"materials", json::array()}};
  for (const Material& m : materials) table["materials"].push_back(toJson(m));
  writeFileSafely(path, table.dump(1) + "\n");
}

} // namespace hemline
