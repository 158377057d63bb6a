// Small jobs that hold between them every field a job may have, with their files; and all that comes out of one.
#pragma once
#include "base/content_key.h"
#include "base/file.h"
#include "job/report.h"
#include "shapes.h"
#include <QTemporaryDir>
#include <fmt/format.h>

namespace hemline {

using nlohmann::json;

/// What is looked at of a result, each with its content.
using Digest = std::map<std::string, Key>;

template <class T> void mix(Digest& d, const std::string& what, const T& value) {
  d[what] = contentKey(d[what], value);
}

/// What was judged of each step, and the content that a waiver of it would be bound to.
struct Judged {
  Key measured, content;
};

inline Digest digestOf(const Job& job, const JobResult& r, std::vector<Judged>& judged) {
  Digest d;
  judged.clear();
  for (const auto& s : r.steps) {
    ContentHash measured;
    for (const PromiseResult& p : s->promises)
      measured.add(p.name), measured.add(p.promised), measured.add(p.measured), measured.add(p.bound);
    judged.push_back({measured.key(), s->key});
  }
  for (const auto& s : r.steps) {
    mix(d, "path", *s->planned);
    mix(d, "conditions", std::pair(s->rpm, s->feed));
    mix(d, "time", *s->time);
    mix(d, "reach", s->reach);
    mix(d, "surface", s->surface), mix(d, "surface", s->judged), mix(d, "surface", s->layer);
    mix(d, "clearance", *s->clearance), mix(d, "clearance", *s->clearanceTrace);
    mix(d, "cut", s->cut->report), mix(d, "cut", s->before->stock.volume()), mix(d, "cut", s->cut->after->stock.volume());
    mix(d, "pieces", s->hanging), mix(d, "pieces", s->loose);
    mix(d, "load", s->effort), mix(d, "load", s->feeds);
    mix(d, "protected", s->into);
    mix(d, "promises", s->promises);
    for (const Finding& f : s->findings) mix(d, "told", toJson(f).dump());
  }
  mix(d, "coverage", r.coverage);
  mix(d, "held", r.grips), mix(d, "held", r.spreads), mix(d, "held", r.seams);
  for (const RegionResult& g : r.ofRegions) mix(d, "regions", g.ground->found.facets), mix(d, "regions", g.promises);
  // What is told does not hash what stands in the job, only what came out: whole words, once more, for what was forgotten above.
  mix(d, "report", reportText(job, r, Release{}));
  return d;
}

/// A block with a dish in its top, closed.
inline std::vector<Vec3> dish() {
  constexpr int n = 12, m = 10;
  const auto top = [](int i, int k) {
    const double x = -6 + 12.0 * i / n, y = -5 + 10.0 * k / m;
    return Vec3(x, y, -2.5 + 0.04 * (x * x + y * y));
  };
  const auto low = [&](int i, int k) {
    const Vec3 p = top(i, k);
    return Vec3(p.x(), p.y(), -6);
  };
  std::vector<Vec3> soup;
  const auto quad = [&](const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& e) { soup.insert(soup.end(), {a, b, c, a, c, e}); };
  for (int i = 0; i < n; ++i)
    for (int k = 0; k < m; ++k) {
      quad(top(i, k), top(i + 1, k), top(i + 1, k + 1), top(i, k + 1));
      quad(low(i, k), low(i, k + 1), low(i + 1, k + 1), low(i + 1, k));
    }
  for (int i = 0; i < n; ++i)
    quad(low(i, 0), low(i + 1, 0), top(i + 1, 0), top(i, 0)), quad(low(i + 1, m), low(i, m), top(i, m), top(i + 1, m));
  for (int k = 0; k < m; ++k)
    quad(low(n, k), low(n, k + 1), top(n, k + 1), top(n, k)), quad(low(0, k + 1), low(0, k), top(0, k), top(0, k + 1));
  return soup;
}

struct Sample {
  std::string name;
  json job;
};

class SampleJobs {
  QTemporaryDir dir_;

public:
  std::string path(const std::string& name) const { return dir_.filePath(QString::fromStdString(name)).toStdString(); }
  std::string jobPath() const { return path("job.hemline"); }

  SampleJobs() {
    const auto part = partFromTriangles(dish(), "dish");
    if (!part->report.closed) throw Error(Fault::Cannot, "The dish is not closed", "dish", "");
    // Models in inches: as millimetres they are small, and soon computed.
    const auto inInches = [&](const std::string& name, std::vector<Vec3> soup) {
      for (Vec3& p : soup) p /= kInch;
      writeStl(path(name), partFromTriangles(soup, name)->mesh);
    };
    auto higher = dish();
    for (Vec3& p : higher) p.z() *= 1.02;
    inInches("groove.stl", groove()), inInches("sheet.stl", sheet());
    inInches("dish.stl", dish()), inInches("other-dish.stl", higher);
    inInches("blank.stl", shapes::box({-7, -6, -6}, {7, 6, 1})), inInches("other-blank.stl", shapes::box({-7, -6, -6}, {8, 6, 1.5}));
    writeFileSafely(path("gutter.step"), readFile(HEMLINE_SOURCE "/tests/cases/gutter.step"));
    writeStl(path("jaw.stl"), partFromTriangles(shapes::box({-30, -5, -8}, {-12, 5, -4}), "jaw")->mesh);
    writeStl(path("other-jaw.stl"), partFromTriangles(shapes::box({-60, -25, -8}, {40, 25, 40}), "jaw")->mesh);
    writeFileSafely(path("mill.json"), readFile(HEMLINE_SOURCE "/data/machines/mill-3.json"));
    writeFileSafely(path("mill5.json"), readFile(HEMLINE_SOURCE "/data/machines/mill-5-ac.json"));
    for (const char* name : {"mill", "mill5"}) {
      json machine = json::parse(readFile(path(std::string(name) + ".json")));
      machine["axes"]["X"]["acceleration_per_s2"] = 900;
      writeFileSafely(path("other-" + std::string(name) + ".json"), machine.dump());
    }
    for (const auto& [name, x] : {std::pair("given.nc", 4.0), std::pair("other-given.nc", 4.5)})
      writeFileSafely(path(name),
                      fmt::format("%\nG21 G90 G54\nT1 M6\nS8000 M3\nG0 A0 C0\nG0 X-4 Y0 Z20\nG1 Z-1 F300\nX{0} F600\nY1\nX-4\nG0 Z20\nT2 "
                                  "M6\nG0 X-4 Y2 Z20\nG1 Z-1 F300\nX{0}\nG0 Z20\nM30\n%\n",
                                  x));
  }

  static json cutter(const std::string& kind) {
    const double diameter = kind == "drill" ? 3 : kind == "tapered ball" ? 2 : kind == "ball" ? 4 : 5;
    json c{{"name", kind},
           {"kind", kind},
           {"diameter_mm", diameter},
           {"flute_length_mm", 12},
           {"shank_diameter_mm", 6},
           {"shank_from_mm", 20},
           {"neck_diameter_mm", diameter - 0.5},
           {"neck_length_mm", 18},
           {"length_mm", 60},
           {"least_gripped_mm", 15},
           {"teeth", 3},
           {"ramp_angle_deg", 5},
           {"half_angle_deg", kind == "drill"          ? 59
                              : kind == "chamfer"      ? 45
                              : kind == "tapered ball" ? 5
                                                       : 0},
           {"corner_mm", kind == "bull nose" || kind == "barrel" ? 1 : 0},
           {"tip_diameter_mm", kind == "chamfer" ? 0.5 : 0},
           {"profile_radius_mm", kind == "barrel" ? 20 : 0},
           {"cutting_speed_m_min", 200},
           {"feed_per_tooth_mm", 0.03}};
    return c;
  }

  json frame(std::initializer_list<const char*> cutters) const {
    json j{{"hemline_job", 2},
           {"name", "keys"},
           {"part", {{"file", "dish.stl"}, {"hash", ""}, {"unit", "inch"}}},
           {"machine", "mill.json"},
           {"material", {{"name", "steel"}, {"kc11_N_mm2", 1900}, {"mc", 0.25}, {"young_N_mm2", 210000}, {"density_g_cm3", 7.8}}},
           {"stock", {{"kind", "box"}, {"margin_mm", {1, 1, 1, 1, 0, 1}}, {"cell_mm", 1.2}}},
           {"clampings",
            {{{"name", "first"}, {"datum", "middle"}, {"work_zero_mm", {0, 0, 60}}, {"origin_mm", {0, 0, 0}}, {"turns", json::array()}}}},
           {"steps", json::array()},
           {"leave_slope_from_deg", 80},
           {"uncertainty_mm", 0.1},
           {"safe_gap_mm", 5},
           {"tool_centre_point", true},
           {"program_unit", "mm"}};
    for (const char* name : cutters) j["cutters"].push_back(cutter(name));
    const json holder{{"name", "slim"},
                      {"bore_mm", 6},
                      {"grip_mm", 20},
                      {"insertion_mm", 30},
                      {"parts_z0_r0_z1_r1_mm", {{0, 8, 30, 12}, {30, 20, 60, 20}}}};
    json wide = holder;
    wide["name"] = "wide", wide["parts_z0_r0_z1_r1_mm"] = {{0, 14, 40, 18}}, wide["bore_mm"] = {2, 6};
    j["holders"] = {holder, wide};
    return j;
  }
  static json step(const char* name, const char* kind, const char* cutter) {
    return {{"name", name},     {"kind", kind},         {"cutter", cutter},
            {"holder", "slim"}, {"stick_out_mm", 35},   {"rpm", 0},
            {"feed_mm_min", 0}, {"own_program", false}, {"note", "mind the strap"},
            {"clamping", 1},    {"axis", {0, 0, 1}},    {"promises", {{"gouge_mm", 0.05}, {"clearance_mm", 0.5}}}};
  }
  /// A place of the dish with its normal.
  static json place(double x, double y) {
    const Vec3 n = Vec3(-0.08 * x, -0.08 * y, 1).normalized();
    return {x, y, -2.5 + 0.04 * (x * x + y * y), n.x(), n.y(), n.z()};
  }
  static json fixture(const std::string& kind) {
    json f{{"name", kind},     {"kind", kind},          {"at_mm", {30, 0, -8}}, {"angle_deg", 10}, {"force_N", 900},    {"friction", 0.15},
           {"opening_mm", 12}, {"most_opening_mm", 80}, {"width_mm", 20},       {"height_mm", 5},  {"thickness_mm", 6}, {"bed_mm", 8},
           {"length_mm", 14},  {"diameter_mm", 4},      {"span_mm", 9},         {"body_mm", 60}};
    if (kind == "box") f["low_mm"] = {20, -5, -8}, f["high_mm"] = {26, 5, -1};
    if (kind == "jaws") f["at_mm"] = {0, 0, -6};
    if (kind == "mesh") f["file"] = "jaw.stl";
    return f;
  }
  static json asSet(double diameter) {
    return {{"stick_out_mm", 34.5}, {"diameter_mm", diameter}, {"runout_mm", 0.01}, {"length_off_mm", 0.01}};
  }
  using PlaceAt = json (*)(double x, double y);
  static json rail(const char* name, double x, double y, PlaceAt at = place) {
    return {{"name", name}, {"from", "drawn"}, {"closed", true}, {"places", {at(-x, -y), at(x, -y), at(x, y), at(-x, y)}}};
  }
  /// An open one across the dish.
  static json line(const char* name, double x, PlaceAt at = place) {
    return {{"name", name}, {"from", "drawn"}, {"closed", false}, {"places", {at(x, -4.5), at(x, -1.5), at(x, 1.5), at(x, 4.5)}}};
  }
  /// The dish's top alone: patterns whose fields are found have less to find.
  static std::vector<Vec3> sheet() {
    auto soup = dish();
    std::vector<Vec3> out;
    for (std::size_t t = 0; t < soup.size(); t += 3)
      if ((soup[t + 1] - soup[t]).cross(soup[t + 2] - soup[t]).normalized().z() > 0.5) out.insert(out.end(), &soup[t], &soup[t] + 3);
    return out;
  }
  /// The same in a groove along x, moved into the middle.
  static std::vector<Vec3> groove() {
    auto soup = shapes::groove(0.8, 0, 1);
    for (Vec3& p : soup) p.x() -= 15;
    return soup;
  }
  static json groovePlace(double x, double y) {
    const Vec3 n = Vec3(0, y < 0 ? 0.8 : -0.8, 1).normalized();
    return {x, y, 0.8 * std::abs(y), n.x(), n.y(), n.z()};
  }
  /// Of tests/cases/gutter.step: part of a pipe along y.
  static json gutterPlace(double x, double y) {
    const double z = 20 - std::sqrt(400 - x * x);
    return {x, y, z, -x / 20, 0, (20 - z) / 20};
  }
  static json region(const char* name, const char* use, json pieces) {
    return {{"name", name}, {"use", use}, {"grow_mm", 0}, {"pieces", std::move(pieces)}};
  }

  /// Kinds that are for corners have one.
  static bool forCorners(const std::string& kind) { return kind == "corner passes" || kind == "clean-up passes"; }
  /// A finishing step: upright on a region within a boundary and as it was set, or within a rail, leaning where the kind can.
  json finishing(const std::string& kind, bool within) const {
    json j = frame({"ball", "flat"}), s = step("finish", kind.c_str(), "ball");
    s["promises"].update({{"cusp_mm", 0.3}, {"rest_mm", 0.1}, {"engagement_deg", 100}, {"layer_mm", 2}});
    s["chord_mm"] = 0.002;
    // Within a rail their passes are loops, which can be wound.
    const bool fromRails = kind == "constant-cusp passes" || kind == "constant-spacing passes";
    if (kind == "rail-to-rail passes") s["between_rails"] = within ? json{"inner", "edge"} : json{"left", "right"};
    if (fromRails && !within) s.update({{"from_rails", {"left"}}, {"run_with", {"right"}}});
    if (within && (fromRails || kind == "rail-to-rail passes" || kind == "level passes")) s["promises"]["cusp_mm"] = 0.12;
    if (kind == "along-a-rail passes") s.update({{"along_rails", {"right"}}, {"passes_beside", 3}, {"rail_sides", "left of it"}});
    if (kind == "corner passes") s["passes_beside"] = 2;
    if (kind == "clean-up passes") {
      s.update({{"after_ball_mm", 6}, {"overlap_mm", 0.2}});
      for (const int d : {6, 7}) {
        json larger = cutter("ball");
        larger.update({{"name", "ball " + std::to_string(d)}, {"diameter_mm", d}, {"shank_diameter_mm", d}});
        j["cutters"].push_back(larger);
      }
      if (!within) s["after_cutter"] = "ball 6";
    }
    // Without, so that the chord shows in the groove.
    if (within == (kind == "clean-up passes")) s["even_points_mm"] = 0.5;
    const bool faces = kind == "flow passes";
    j["part"]["file"] = forCorners(kind) ? "groove.stl" : faces ? "gutter.step" : "sheet.stl";
    if (faces) j["part"].erase("unit"); // its file says it
    const PlaceAt at = forCorners(kind) ? groovePlace : faces ? gutterPlace : place;
    if (kind == "two-lay finish") s.update({{"split_deg", 9}, {"overlap_deg", 2}, {"angle_deg", 20}});
    if (within) {
      j["machine"] = "mill5.json";
      s.update({{"most_force_N", 0.05},
                {"most_bend_mm", 2e-05},
                {"rail", "inner"},
                {"rail_out_mm", 0.5},
                {"slope_from_deg", 6},
                {"slope_to_deg", forCorners(kind) ? 50 : 16},
                {"zigzag", false},
                {"axis_follows_surface", kind != "two-lay finish" && kind != "clean-up passes" && !faces},
                {"lead_deg", 8},
                {"tilt_deg", 5}});
    } else {
      s.update({{"allowance_mm", 0.02},
                {"zigzag", true},
                {"most_point_distance_mm", 0.2},
                {"least_point_distance_mm", 0.03},
                {"end_radius_mm", 0.8},
                {"end_arc_deg", 70},
                {"end_lean_deg", 25},
                {"slope_from_deg", 6},
                {"slope_to_deg", forCorners(kind) ? 50 : 25},
                {"patches", {0}},
                {"regions", {"bowl"}},
                {"boundary_mm", {{-3, -2.5}, {4.5, -2}, {4, 2.5}, {-3, 2}}},
                {"boundary_meaning", "contact"},
                {"as_set", asSet(4.02)}});
    }
    j["steps"] = {s};
    j["rails"] = {rail("inner", 3.5, 3, at), rail("edge", 5.5, 4.5, at), line("left", -4, at), line("right", 4, at)};
    const auto painted = [&](double x, double y) {
      return json{{{"mode", "add"}, {"by", "paint"}, {"places", {at(x, y)}}, {"radius_mm", 4}}};
    };
    const double y = forCorners(kind) ? -1.2 : 0; // on patch 0 of the groove
    j["regions"] = {region("bowl", "finish", painted(1, y)), region("other", "finish", painted(1, y - 1))};
    return j;
  }

  std::vector<Sample> samples() const {
    std::vector<Sample> out;
    { // roughing at constant engagement, fed by the load, on a bar; then drilled
      json j = frame({"flat", "drill"});
      json rough = step("rough", "level roughing", "flat");
      rough.update({{"depth_mm", 1.5},
                    {"step_over_mm", 2},
                    {"wall_allowance_mm", 0.4},
                    {"floor_allowance_mm", 0.3},
                    {"engagement_deg", 70},
                    {"smallest_loop_mm", 0.6},
                    {"feed_by_load", true},
                    {"most_force_N", 5},
                    {"from_open_side", true},
                    {"below_edge_mm", 1},
                    {"bottom_mm", -3},
                    {"by_region", false},
                    {"within_reach", false},
                    {"from_blank", false}});
      rough["promises"]["engagement_deg"] = 80;
      json holes = step("holes", "drilling", "drill");
      holes.update(
          {{"as_set", asSet(3.02)}, {"holes_mm", {{0, 0}, {2, 1}}}, {"peck_mm", 1}, {"bottom_mm", -2.25}, {"floor_allowance_mm", 0.1}});
      j["steps"] = {rough, holes};
      j["stock"] = {{"kind", "cylinder"},  {"base_mm", {0, 0, -6}}, {"radius_mm", 8}, {"height_mm", 7},
                    {"bore_radius_mm", 1}, {"along", "z"},          {"cell_mm", 1.2}};
      out.push_back({"engagement", j});
    }
    { // roughing by passes a step-over apart, from two sides, with tabs and regions that keep more, within a rail; on five axes
      json j = frame({"bull nose", "barrel"});
      j["machine"] = "mill5.json";
      json rough = step("rough", "level roughing", "bull nose");
      rough.update({{"depth_mm", 1},
                    {"step_over_mm", 2},
                    {"wall_allowance_mm", 0.2},
                    {"floor_allowance_mm", 0.3},
                    {"thinned_to_mm", 0.7},
                    {"least_thickness_mm", 0.05},
                    {"least_area_mm2", 0.1},
                    {"tabs", {{"count", 2}, {"width_mm", 2}, {"thickness_mm", 1}}},
                    {"boundary_mm", {{-9.3, -8.2}, {9.2, -8.3}, {9.4, 8.2}, {-9.2, 8.1}}},
                    {"allowances", {{{"region", "bowl"}, {"allowance_mm", 0.8}}}}});
      json sides = step("sides", "level roughing", "barrel");
      sides.update({{"most_bend_mm", 0.0005}, {"feed_by_load", true}, {"depth_mm", 2}, {"step_over_mm", 3}, {"more_axes", {{0, 1, 0}}}});
      sides["holder"] = "wide";
      j["steps"] = {rough, sides};
      const auto painted = [](double x) { return json{{{"mode", "add"}, {"by", "paint"}, {"places", {place(x, 0)}}, {"radius_mm", 3}}}; };
      j["regions"] = {region("bowl", "finish", painted(0)), region("side", "finish", painted(4))};
      j["rails"] = {rail("edge", 5.9, 4.9), rail("inner", 4.5, 4)};
      j["stock"] = {{"kind", "offset"}, {"offset_mm", 1}, {"cell_mm", 1.2}};
      out.push_back({"sides", j});
    }
    { // finishing of regions, upright; as set
      json j = frame({"ball", "flat"});
      json finish = step("finish", "parallel passes", "ball");
      finish.update({{"chord_mm", 0.0005},
                     {"angle_deg", 20},
                     {"virtual_fillet_more_mm", 0.5},
                     {"allowance_mm", 0.02},
                     {"zigzag", true},
                     {"most_point_distance_mm", 0.2},
                     {"least_point_distance_mm", 0.03},
                     {"even_points_mm", 0.5},
                     {"end_radius_mm", 0.8},
                     {"end_arc_deg", 70},
                     {"end_lean_deg", 25},
                     {"slope_from_deg", 0},
                     {"slope_to_deg", 60},
                     {"patches", {0}},
                     {"regions", {"bowl"}},
                     {"boundary_mm", {{-5, -4.5}, {5.5, -4}, {5, 4.5}, {-5, 4}}},
                     {"boundary_meaning", "contact"},
                     {"as_set", asSet(4.02)}});
      finish["promises"].update({{"cusp_mm", 0.1}, {"rest_mm", 0.05}, {"layer_mm", 0.9}});
      j["steps"] = {finish};
      j["regions"] = {region("bowl", "finish",
                             {{{"mode", "add"}, {"by", "slope"}, {"from_deg", 6}, {"to_deg", 20}, {"up", {0, 0, 1}}},
                              {{"mode", "remove"}, {"by", "paint"}, {"places", {place(3, 2)}}, {"radius_mm", 1}}}),
                      region("rim", "protected",
                             {{{"mode", "add"}, {"by", "rail"}, {"places", {place(5, 4)}}, {"rail", "edge"}},
                              {{"mode", "only"}, {"by", "patch"}, {"places", {place(3, 2)}}, {"name", "top"}, {"area_mm2", 130}}}),
                      region("left", "left", {{{"mode", "add"}, {"by", "paint"}, {"places", {place(-4, -3)}}, {"radius_mm", 1}}})};
      j["regions"].push_back(region("other", "finish", {{{"mode", "add"}, {"by", "paint"}, {"places", {place(1, 1)}}, {"radius_mm", 2}}}));
      json ball = region("ball", "finish", json::array()), grown = ball;
      ball["pieces"].push_back({{"mode", "add"}, {"by", "radius"}, {"from_mm", 2}, {"to_mm", 3}});
      grown["name"] = "grown", grown["grow_mm"] = -1;
      grown["pieces"].push_back({{"mode", "add"}, {"by", "growing"}, {"places", {place(0, 0)}}, {"crease_deg", 5}});
      j["regions"].push_back(ball), j["regions"].push_back(grown);
      j["regions"][0]["finish_mm"] = 0.2, j["regions"][0]["tolerance_mm"] = 0.2, j["regions"][1]["tolerance_mm"] = 0.05;
      j["regions"][0]["grow_mm"] = -0.5;
      j["rails"] = {{{"name", "edge"},
                     {"from", "drawn"},
                     {"closed", true},
                     {"places", {place(4, 3), place(5.9, 3), place(5.9, 4.9), place(4, 4.9)}}}};
      j["waivers"] = {{{"step", "finish"},
                       {"promise", "gouge_mm"},
                       {"who", "lead"},
                       {"why", "soft"},
                       {"date", "2026-01-01"},
                       {"content", ""},
                       {"bound", 9}}};
      j["stock"] = {{"kind", "mesh"}, {"file", "blank.stl"}, {"cell_mm", 1.2}};
      out.push_back({"finish", j});
    }
    { // one fixture of each kind about a short roughing step
      json j = frame({"flat"});
      json rough = step("rough", "level roughing", "flat");
      rough.update(
          {{"as_set", asSet(5.02)}, {"rail", "inner"}, {"rail_out_mm", 0.5}, {"depth_mm", 2}, {"step_over_mm", 3}, {"bottom_mm", -1.5}});
      j["steps"] = {rough};
      j["rails"] = {rail("edge", 5.9, 4.9), rail("inner", 2.5, 2)};
      for (const char* kind : {"box", "jaws", "chuck", "plate", "strap", "mandrel", "mesh"})
        j["clampings"][0]["fixtures"].push_back(fixture(kind));
      json plan = j;
      plan["name"] = "other";
      j["variants"] = {{{"name", "other"}, {"why", "softer jaws"}, {"plan", plan}}};
      out.push_back({"held", j});
    }
    { // two clampings: a leaning finish, then a given path on a turned part
      json j = frame({"ball", "chamfer"});
      j["machine"] = "mill5.json";
      json finish = step("lean", "parallel passes", "ball");
      finish.update({{"most_bend_mm", 2e-05},
                     {"virtual_fillet_mm", 3},
                     {"zigzag", false},
                     {"rail", "inner"},
                     {"rail_out_mm", 0.5},
                     {"slope_from_deg", 6},
                     {"slope_to_deg", 10},
                     {"chord_mm", 0.0005},
                     {"axis_follows_surface", true},
                     {"lead_deg", 8},
                     {"tilt_deg", 5}});
      finish["promises"].update({{"cusp_mm", 0.3}, {"rest_mm", 0.1}, {"engagement_deg", 100}, {"layer_mm", 2}});
      json given = step("given", "given path", "chamfer");
      given.update({{"path_file", "given.nc"}, {"program_tool", 1}, {"allowance_mm", 0}, {"clamping", 2}});
      given["as_set"] = asSet(5.02), given["most_force_N"] = 0.05, given["most_bend_mm"] = 2e-05;
      j["rails"] = {rail("edge", 5.5, 4.5), rail("inner", 2.2, 1.8)};
      given["promises"].update({{"engagement_deg", 90}, {"cusp_mm", 0.3}, {"rest_mm", 0.1}});
      j["steps"] = {finish, given};
      json turned = j["clampings"][0];
      turned.update({{"name", "turned"},
                     {"turns", {{{"about", "z"}, {"degrees", 90}}}},
                     {"origin_mm", {0.5, 0, 0}},
                     {"tailstock", true},
                     {"dowels", {{"play_mm", 0.02}, {"span_mm", 20}, {"off_mm", 0.01}, {"middle_mm", {0, 1}}}},
                     {"finding", {{"by", "bore"}, {"scatter_mm", 0.01}, {"block_mm", 0.01}, {"bore_mm", 0.02}, {"span_mm", 30}}},
                     {"outside", {{"what", "stress relief"}, {"least_mm", -0.05}, {"most_mm", 0.1}}}});
      j["clampings"].push_back(turned);
      j["clampings"][0]["fixtures"] = {fixture("jaws")};
      out.push_back({"lean", j});
    }
    { // what a larger ball left in the groove
      json j = finishing("clean-up passes", false);
      json before = step("before", "parallel passes", "ball 6"), clean = j["steps"][0];
      before["promises"]["cusp_mm"] = 0.04, before["chord_mm"] = 0.002;
      for (const char* none : {"after_cutter", "after_ball_mm", "as_set", "patches", "regions", "boundary_mm"}) clean.erase(none);
      clean.update({{"cleans_up", true}, {"left_more_than_mm", 0.05}});
      j["steps"] = {before, clean};
      out.push_back({"what is left", j});
    }
    for (const char* kind : {"level passes", "constant-cusp passes", "constant-spacing passes", "rail-to-rail passes", "two-lay finish",
                             "along-a-rail passes", "corner passes", "clean-up passes", "flow passes"})
      for (const bool within : {false, true})
        out.push_back({std::string(kind) + (within ? ", within a rail" : ""), finishing(kind, within)});
    return out;
  }
};

} // namespace hemline
