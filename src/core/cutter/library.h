// The cutter and holder library: one JSON file, CSV in and out.
#pragma once
#include "cutter/cutter.h"
#include <nlohmann/json_fwd.hpp>

namespace hemline {

struct CutterLibrary {
  std::vector<Cutter> cutters;
  std::vector<Holder> holders;
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

CutterLibrary readLibrary(const std::string& path);
void writeLibrary(const std::string& path, const CutterLibrary& library);
/// One row per cutter with a heading row; lengths mm, angles degrees.
std::string cuttersToCsv(const std::vector<Cutter>& cutters);
/// Throws Error with the line number.
std::vector<Cutter> cuttersFromCsv(const std::string& text, const std::string& where);

} // namespace hemline
