// Groups of materials: what they ask of cutter and spindle, and where to begin with a kind of cutter in them.
#pragma once
#include "cutter/cutter.h"
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

namespace hemline {

/// Where to begin with a kind of cutter in a material.
struct CuttingData {
  CutterKind kind = CutterKind::Ball;
  double speed = 0;    ///< cutting speed, m/min
  double feed = 0;     ///< per tooth, as a share of the diameter
  bool assumed = true; ///< nobody has confirmed it
};

/// A group of materials. The supplier's data and the shop's experience stand above these numbers.
struct Material {
  std::string name;
  double force = 0;                      ///< specific cutting force at a chip of 1 mm x 1 mm, N/mm^2 (Kienzle's kc1.1)
  double rise = 0.25;                    ///< exponent by which thinner chips cost more (Kienzle's mc)
  double young = 0;                      ///< modulus of elasticity, N/mm^2
  double density = 0;                    ///< g/cm^3
  std::vector<CuttingData> cutting = {}; ///< one a kind of cutter at most; of the table, a job's own material has none
};

/// The cutter with the speed and feed that it begins with in the material: its own where they are told for just that material
/// (`Cutter::dataFor`), else those of the table for its kind, else its own.
Cutter cutterFor(const Material& material, const Cutter& cutter);

/// Throw Error naming the field.
Material materialFromJson(const nlohmann::json& j, const std::string& where);
nlohmann::json toJson(const Material& material);
std::vector<Material> readMaterials(const std::string& path);
/// Throws Error where it cannot be written; the old file is then intact.
void writeMaterials(const std::string& path, const std::vector<Material>& materials);

} // namespace hemline
