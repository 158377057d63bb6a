// Reading and writing fields of a JSON object, with errors that name them.
#pragma once
#include "base/error.h"
#include "base/ranges.h"
#include "geometry/vec.h"
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <optional>

namespace hemline {

struct Reader {
  /// Throws Error unless `object` is one.
  Reader(const nlohmann::json& object, std::string place) : j(object), where(std::move(place)) {
    if (!j.is_object())
      throw Error(Fault::Damaged, "This must be an object with fields, not " + std::string(j.type_name()), where,
                  "Correct the job file, or restore it from a copy.");
  }
  const nlohmann::json& j;
  std::string where;
  [[noreturn]] void fail(const char* name, const char* wanted) const {
    throw Error(Fault::Damaged, fmt::format("'{}' must be {}", name, wanted), where, "Correct the job file, or restore it from a copy.");
  }
  bool has(const char* name) const { return j.contains(name) && !j[name].is_null(); }
  double number(const char* name, double otherwise) const {
    if (!has(name)) return otherwise;
    if (!j[name].is_number()) fail(name, "a number");
    return inRange(name, j[name].get<double>(), where);
  }
  std::optional<double> maybe(const char* name) const { return has(name) ? std::optional(number(name, 0)) : std::nullopt; }
  std::string text(const char* name, const std::string& otherwise) const {
    constexpr std::size_t kLongest = 10000; // bytes
    if (!has(name)) return otherwise;
    if (!j[name].is_string()) fail(name, "text");
    const std::string out = j[name].get<std::string>();
    if (out.size() > kLongest) fail(name, "shorter text");
    return out;
  }
  std::string needText(const char* name) const {
    if (!has(name)) fail(name, "given");
    return text(name, "");
  }
  bool flag(const char* name, bool otherwise) const {
    if (!has(name)) return otherwise;
    if (!j[name].is_boolean()) fail(name, "true or false");
    return j[name].get<bool>();
  }
  template <std::size_t N> std::array<double, N> numbers(const char* name, const std::array<double, N>& otherwise) const {
    if (!has(name)) return otherwise;
    std::array<double, N> out{};
    if (!j[name].is_array() || j[name].size() != N) fail(name, fmt::format("{} numbers", N).c_str());
    for (std::size_t i = 0; i < N; ++i) {
      if (!j[name][i].is_number()) fail(name, "numbers only");
      out[i] = inRange(name, j[name][i].get<double>(), where);
    }
    return out;
  }
  Vec3 vec(const char* name, const Vec3& otherwise) const {
    const auto v = numbers<3>(name, {otherwise.x(), otherwise.y(), otherwise.z()});
    return {v[0], v[1], v[2]};
  }
  nlohmann::json list(const char* name) const {
    constexpr std::size_t kMost = 200000;
    if (!has(name)) return nlohmann::json::array();
    if (!j[name].is_array()) fail(name, "a list");
    if (j[name].size() > kMost) fail(name, "a shorter list");
    return j[name];
  }
};

inline nlohmann::json triple(const Vec3& v) {
  return {v.x(), v.y(), v.z()};
}
/// Without what turning degrees to radians and back adds.
inline double tidy(double degrees) {
  return std::round(degrees * 1e9) / 1e9;
}
inline void put(nlohmann::json& j, const char* name, const std::optional<double>& v) {
  if (v)
    j[name] = *v;
  else
    j.erase(name);
}

} // namespace hemline
