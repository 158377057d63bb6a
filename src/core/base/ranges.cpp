#include "base/ranges.h"
#include "base/error.h"
#include "base/infinity.h"
#include <cmath>
#include <fmt/format.h>
#include <map>
#include <nlohmann/json.hpp>

namespace hemline {
namespace {

constexpr double kFar = 1e5;               // mm: no part or machine is larger
constexpr std::size_t kLongest = 64 << 20; // bytes
constexpr int kDeepest = 100;              // brackets

const std::map<std::string_view, Range>& table() {
  static const std::map<std::string_view, Range> ranges{
      // steps
      {"stick_out_mm", {1, 2000, "mm"}},
      {"rpm", {0, 200000, "rpm"}},
      {"feed_mm_min", {0, 1e6, "mm/min"}},
      {"most_force_N", {0.001, 1e7, "N"}},
      {"most_bend_mm", {1e-5, 100, "mm"}},
      {"clamping", {1, 99, ""}},
      {"cusp_mm", {1e-4, 100, "mm"}},
      {"gouge_mm", {0, 100, "mm"}},
      {"rest_mm", {0, 1000, "mm"}},
      {"clearance_mm", {0, 1000, "mm"}},
      {"layer_mm", {1e-4, 20, "mm"}},
      {"engagement_deg", {1, 180, "deg"}},
      {"constant_engagement_deg", {10, 120, "deg"}},
      {"angle_deg", {-360, 360, "deg"}},
      {"depth_mm", {0.005, 1000, "mm"}},
      {"peck_mm", {0.005, 1000, "mm"}},
      {"step_over_mm", {0.005, 1000, "mm"}},
      {"wall_allowance_mm", {0, 1000, "mm"}},
      {"floor_allowance_mm", {0, 1000, "mm"}},
      {"allowance_mm", {-0.4, 1000, "mm"}},
      {"below_edge_mm", {0, kFar, "mm"}},
      {"thinned_to_mm", {0.001, 1000, "mm"}},
      {"smallest_loop_mm", {0.001, 1000, "mm"}},
      {"least_thickness_mm", {0, 1000, "mm"}},
      {"least_area_mm2", {0, 1e9, "mm2"}},
      {"chord_mm", {1e-5, 10, "mm"}},
      {"most_point_distance_mm", {0.01, 1000, "mm"}},
      {"least_point_distance_mm", {0.001, 100, "mm"}},
      {"even_points_mm", {0.01, 1000, "mm"}},
      {"virtual_fillet_mm", {0.01, 1000, "mm"}},
      {"virtual_fillet_more_mm", {0.01, 1000, "mm"}},
      {"end_radius_mm", {0.05, 1000, "mm"}},
      {"end_arc_deg", {5, 90, "deg"}},
      {"end_lean_deg", {-90, 90, "deg"}},
      {"lead_deg", {-89, 89, "deg"}},
      {"tilt_deg", {-89, 89, "deg"}},
      {"slope_from_deg", {0, 180, "deg"}},
      {"slope_to_deg", {0, 180, "deg"}},
      {"rail_out_mm", {-1e4, 1e4, "mm"}},
      {"passes_beside", {1, 200, ""}},
      {"strip_width_mm", {0, 1000, "mm"}},
      {"left_more_than_mm", {1e-4, 100, "mm"}},
      {"after_ball_mm", {0.01, 1000, "mm"}},
      {"overlap_mm", {0, 100, "mm"}},
      {"program_tool", {0, 99999999, ""}},
      {"diameter_mm", {0.01, 1000, "mm"}},
      {"runout_mm", {0, 1, "mm"}},
      {"length_off_mm", {-5, 5, "mm"}},
      {"count", {1, 100, ""}},
      // job
      {"uncertainty_mm", {0, 50, "mm"}},
      {"safe_gap_mm", {0.01, 1000, "mm"}},
      {"leave_slope_from_deg", {0, 180, "deg"}},
      {"cell_mm", {0.005, 100, "mm"}},
      {"margin_mm", {-1e4, 1e4, "mm"}},
      {"offset_mm", {0, 1e4, "mm"}},
      {"bound", {-kInfinity, kInfinity, ""}},
      // regions and clampings
      {"finish_mm", {1e-5, 100, "mm"}},
      {"tolerance_mm", {1e-5, 100, "mm"}},
      {"grow_mm", {-1e4, 1e4, "mm"}},
      {"from_mm", {0, 1e9, "mm"}},
      {"to_mm", {0, 1e9, "mm"}},
      {"force_N", {0, 1e7, "N"}},
      {"friction", {0, 2, ""}},
      {"scatter_mm", {0, 10, "mm"}},
      // cutters
      {"corner_mm", {0, 1000, "mm"}},
      {"profile_radius_mm", {0, kFar, "mm"}},
      {"tip_diameter_mm", {0, 1000, "mm"}},
      {"half_angle_deg", {0, 89.999, "deg"}},
      {"flute_length_mm", {0.01, 2000, "mm"}},
      {"neck_diameter_mm", {0, 1000, "mm"}},
      {"neck_length_mm", {0, 2000, "mm"}},
      {"shank_diameter_mm", {0.01, 1000, "mm"}},
      {"shank_from_mm", {0, 2000, "mm"}},
      {"least_gripped_mm", {0, 1000, "mm"}},
      {"bore_mm", {0.01, 1000, "mm"}},
      {"grip_mm", {0.1, 1000, "mm"}},
      {"insertion_mm", {0.1, 2000, "mm"}},
      {"length_mm", {0.1, 3000, "mm"}},
      {"ramp_angle_deg", {0, 90, "deg"}},
      {"cutting_speed_m_min", {0.1, 10000, "m/min"}},
      {"feed_per_tooth_mm", {1e-5, 10, "mm"}},
      {"teeth", {1, 200, ""}},
      // machines
      {"velocity_per_s", {1e-3, 1e6, "per s"}},
      {"acceleration_per_s2", {1e-3, 1e7, "per s2"}},
      {"corner_time_s", {0, 10, "s"}},
      {"block_time_s", {0, 10, "s"}},
  };
  return ranges;
}

} // namespace

Range rangeOf(std::string_view field) {
  if (const auto it = table().find(field); it != table().end()) return it->second;
  if (field.ends_with("_mm")) return {-kFar, kFar, "mm"};
  if (field.ends_with("_mm2")) return {0, 1e12, "mm2"};
  if (field.ends_with("_deg") || field == "degrees") return {-3600, 3600, "deg"};
  return {-1e9, 1e9, ""};
}

double inRange(std::string_view field, double value, const std::string& where) {
  const Range r = rangeOf(field);
  if (value >= r.least && value <= r.greatest) return value;
  throw Error(Fault::OutOfRange,
              std::isfinite(value) ? fmt::format("'{}' is {:g}", field, value) : fmt::format("'{}' is not a finite number", field), where,
              fmt::format("Give {:g} to {:g}{}{}.", r.least, r.greatest, r.unit.empty() ? "" : " ", r.unit));
}

nlohmann::json parseJson(const std::string& text, const std::string& what, const std::string& where, const std::string& remedy) {
  const auto damaged = [&](const std::string& why) { throw Error(Fault::Damaged, what + " is damaged: " + why, where, remedy); };
  if (text.size() > kLongest) damaged(fmt::format("it holds {} MB, more than the {} that can be right", text.size() >> 20, kLongest >> 20));
  // Deep nesting would run the reader, or whoever writes it again, out of its stack.
  int deep = 0;
  bool quoted = false;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (quoted) {
      if (c == '\\') ++i;
      if (c == '"') quoted = false;
    } else if (c == '"') {
      quoted = true;
    } else if ((c == '{' || c == '[') && ++deep > kDeepest) {
      damaged(fmt::format("it is nested more than {} deep at byte {}", kDeepest, i));
    } else if (c == '}' || c == ']') {
      --deep;
    }
  }
  try {
    return nlohmann::json::parse(text);
  } catch (const nlohmann::json::exception& e) {
    damaged(e.what());
  }
  return {};
}

} // namespace hemline
