#include "cutter/force.h"
#include "base/error.h"
#include "base/file.h"
#include "base/ranges.h"
#include "base/units.h"
#include "cutter/mount.h"
#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace hemline {

using nlohmann::json;

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
  return m;
}

json toJson(const Material& m) {
  return {{"name", m.name}, {"kc11_N_mm2", m.force}, {"mc", m.rise}, {"young_N_mm2", m.young}, {"density_g_cm3", m.density}};
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

double cuttingForce(const Material& m, const Cutter& cutter, double chip, double depth, double arc) {
  if (!(chip > 0 && depth > 0 && arc > 0)) return 0;
  const double h = chip * std::sin(std::min(arc, kPi / 2));
  const double teeth = std::max(1.0, std::ceil(cutter.teeth * arc / (2 * kPi) - 1e-9));
  return teeth * depth * m.force * std::pow(h, 1 - m.rise);
}

double cuttingPower(const Material& m, double chip, double arc, double rate) {
  if (!(chip > 0 && arc > 0 && rate > 0)) return 0;
  const double mean = chip * (1 - std::cos(arc)) / arc;
  return 1e-3 * rate * m.force * std::pow(mean, -m.rise); // N/mm^2 times mm^3/s is a thousandth of a watt
}

double cutterCompliance(const Assembly& a) {
  constexpr double kYoung = 600000, kCore = 0.8;
  const Cutter& c = a.cutter;
  const double flutes = std::min(c.fluteLength, a.stickOut),
               neck = c.neckDiameter > 0 ? std::clamp(c.neckLength, flutes, a.stickOut) : flutes;
  double sum = 0;
  const auto piece = [&](double from, double to, double diameter) {
    const double inertia = kPi * std::pow(diameter, 4) / 64;
    if (to > from && inertia > 0) sum += (std::pow(to, 3) - std::pow(from, 3)) / (3 * kYoung * inertia); // of x^2 / (E I)
  };
  const double shank = std::clamp(shankBegins(c), neck, a.stickOut); // the cone before it is taken for as thin as its thin end
  piece(0, flutes, kCore * c.diameter), piece(flutes, neck, c.neckDiameter);
  piece(neck, shank, std::min(c.neckDiameter > 0 ? c.neckDiameter : kCore * c.diameter, c.shankDiameter));
  piece(shank, a.stickOut, c.shankDiameter);
  return sum;
}

} // namespace hemline
