// Machines as tables of text (base/csv.h), for exchange with other programs.
#pragma once
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

namespace hemline {

/// A machine's record (as its file has it) with nothing nested: "axes X low", "table_mm radius"; lists as text, "0 38 60 42; 60 65 160 80".
/// In units of the file: mm, degrees, seconds.
nlohmann::json flatMachine(const nlohmann::json& record);
/// Back, checked. Throws Error naming the place.
nlohmann::json machineFromFlat(const nlohmann::json& flat, const std::string& where);

std::string machinesToCsv(const std::vector<nlohmann::json>& records);
/// Nobody has recorded anything of the post of a machine that came as a row of a table: it is not commissioned. Throws Error with the line
/// and the column.
std::vector<nlohmann::json> machinesFromCsv(const std::string& text, const std::string& where);

} // namespace hemline
