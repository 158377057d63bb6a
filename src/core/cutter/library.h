// The library of cutters, holders and assemblies: one JSON file.
#pragma once
#include "cutter/material.h"
#include <nlohmann/json_fwd.hpp>

namespace hemline {

/// A cutter that stands in its holder, ready to be put into a spindle.
struct NamedAssembly {
  std::string name, cutter, holder; ///< names in the library
  double stickOut = 40;             ///< tip to holder face, mm
};

struct CutterLibrary {
  std::vector<Cutter> cutters;
  std::vector<Holder> holders;
  std::vector<NamedAssembly> assemblies = {};
  /// Throw Error naming what there is when the name is unknown.
  const Cutter& cutter(const std::string& name) const;
  const Holder& holder(const std::string& name) const;
  /// The cutters that one of the holders takes (mount.h).
  std::vector<Cutter> mountable() const;
};

/// Cutters or holders: added unless there is one of that name.
template <class T> void takeInto(std::vector<T>& list, const T& what) {
  for (const T& t : list)
    if (t.name == what.name) return;
  list.push_back(what);
}

nlohmann::json toJson(const Cutter& cutter);
nlohmann::json toJson(const Holder& holder);
/// Throw Error naming the field; the profile is checked too.
Cutter cutterFromJson(const nlohmann::json& j, const std::string& where);
Holder holderFromJson(const nlohmann::json& j, const std::string& where);
nlohmann::json toJson(const NamedAssembly& assembly);
/// Whether it can be mounted is asked by `assemblyFault`: a library with one that cannot be is read all the same.
NamedAssembly assemblyFromJson(const nlohmann::json& j, const std::string& where);
/// Why it cannot be mounted from what the library has, and what would help; empty: it can.
std::string assemblyFault(const CutterLibrary& library, const NamedAssembly& assembly);

CutterLibrary readLibrary(const std::string& path);
void writeLibrary(const std::string& path, const CutterLibrary& library);
/// The library with the speeds and feeds that its cutters begin with in the material of the table (material.h); as it is where the table
/// does not have it.
CutterLibrary libraryFor(const std::string& material, const std::vector<Material>& table, CutterLibrary library);

} // namespace hemline
