// Cutters, holders, assemblies and materials as tables of text (base/csv.h), for exchange with other programs. Columns have the names of
// the JSON files; lengths in mm, angles in degrees.
#pragma once
#include "cutter/library.h"

namespace hemline {

/// A record with nothing nested: a number or a text by the name of its column. Back: throw Error naming the place.
nlohmann::json flat(const Cutter& cutter);
nlohmann::json flat(const Holder& holder);
nlohmann::json flat(const NamedAssembly& assembly);
/// Cutting data stand in three columns a kind of cutter.
nlohmann::json flat(const Material& material);
Cutter cutterFromFlat(nlohmann::json j, const std::string& where);
Holder holderFromFlat(nlohmann::json j, const std::string& where);
NamedAssembly assemblyFromFlat(nlohmann::json j, const std::string& where);
Material materialFromFlat(nlohmann::json j, const std::string& where);

std::string cuttersToCsv(const std::vector<Cutter>& cutters);
std::string holdersToCsv(const std::vector<Holder>& holders);
std::string assembliesToCsv(const std::vector<NamedAssembly>& assemblies);
std::string materialsToCsv(const std::vector<Material>& materials);

/// Throw Error with the line and the column.
std::vector<Cutter> cuttersFromCsv(const std::string& text, const std::string& where);
std::vector<Holder> holdersFromCsv(const std::string& text, const std::string& where);
std::vector<NamedAssembly> assembliesFromCsv(const std::string& text, const std::string& where);
std::vector<Material> materialsFromCsv(const std::string& text, const std::string& where);

/// A holder's shape in a line: z, radius, z, radius of one frustum after the other, "; " between them; in units of `mm` mm: exact in mm,
/// else to six digits, to be read by people.
std::string shapeText(const std::vector<HolderPart>& parts, double mm = 1);
/// Throws Error: not four numbers a frustum.
std::vector<HolderPart> shapeFromText(const std::string& text, double mm = 1);

} // namespace hemline
