#include "job/job.h"
#include "base/error.h"
#include "base/file.h"
#include "base/file_name.h"
#include "base/safe_name.h"
#include "cutter/library.h"
#include "job/reader.h"
#include <filesystem>
#include <fmt/format.h>
#include <set>

namespace hemline {
namespace {

using nlohmann::json;

const char* meaningName(BoundaryMeaning m) {
  return m == BoundaryMeaning::Contact ? "contact" : m == BoundaryMeaning::Axis ? "axis" : "whole cutter";
}

} // namespace

std::string kindName(StepKind kind) {
  switch (kind) {
  case StepKind::LevelRoughing:
    return "level roughing";
  case StepKind::ParallelPasses:
    return "parallel passes";
  case StepKind::Drilling:
    return "drilling";
  default:
    return "given path";
  }
}

const Cutter& Job::cutter(const std::string& wanted) const {
  for (const Cutter& c : cutters)
    if (c.name == wanted) return c;
  throw Error("There is no cutter '" + wanted + "' in the job", name, "Add it to the job's cutters or choose another.");
}

const Holder& Job::holder(const std::string& wanted) const {
  for (const Holder& h : holders)
    if (h.name == wanted) return h;
  throw Error("There is no holder '" + wanted + "' in the job", name, "Add it to the job's holders or choose another.");
}

const Rail& Job::rail(const std::string& wanted) const {
  for (const Rail& r : rails)
    if (r.name == wanted) return r;
  throw Error("There is no rail '" + wanted + "' in the job", name, "Draw it in Study or choose another.");
}

json toJson(const Step& s) {
  json j = s.extra;
  j["name"] = s.name;
  j["kind"] = kindName(s.kind);
  j["cutter"] = s.cutter;
  j["holder"] = s.holder;
  j["stick_out_mm"] = s.stickOut;
  j["rpm"] = s.rpm;
  j["feed_mm_min"] = s.feed;
  j["own_program"] = s.ownProgram;
  j["feed_by_load"] = s.feedByLoad;
  put(j, "most_force_N", s.mostForce);
  put(j, "most_bend_mm", s.mostBend);
  j["clamping"] = s.clamping + 1;
  j["axis"] = triple(s.axis);
  json& set = j["as_set"];
  if (!set.is_object()) set = json::object();
  put(set, "stick_out_mm", s.asSet.stickOut);
  put(set, "diameter_mm", s.asSet.diameter);
  put(set, "runout_mm", s.asSet.runout);
  put(set, "length_off_mm", s.asSet.lengthOff);
  if (set.empty()) j.erase("as_set");
  json& p = j["promises"];
  if (!p.is_object()) p = json::object();
  put(p, "cusp_mm", s.promises.cusp);
  put(p, "gouge_mm", s.promises.gouge);
  put(p, "rest_mm", s.promises.rest);
  put(p, "clearance_mm", s.promises.clearance);
  put(p, "engagement_deg", s.promises.engagement ? std::optional(tidy(degrees(*s.promises.engagement))) : std::nullopt);
  if (s.kind == StepKind::LevelRoughing) {
    j["depth_mm"] = s.depth;
    j["step_over_mm"] = s.stepOver;
    j["wall_allowance_mm"] = s.wall;
    j["floor_allowance_mm"] = s.floor;
    put(j, "bottom_mm", s.bottom);
    j["from_open_side"] = s.fromOpenSide;
    put(j, "below_edge_mm", s.belowEdge);
    put(j, "thinned_to_mm", s.thinning);
    put(j, "engagement_deg", s.engagement ? std::optional(tidy(degrees(*s.engagement))) : std::nullopt);
    put(j, "smallest_loop_mm", s.smallestLoop);
    j["least_thickness_mm"] = s.leastThickness, j["least_area_mm2"] = s.leastArea;
    j["by_region"] = s.byRegion, j["within_reach"] = s.withinReach, j["from_blank"] = s.fromBlank;
    j["allowances"] = json::array();
    for (const auto& [region, mm] : s.own) j["allowances"].push_back({{"region", region}, {"allowance_mm", mm}});
    j["more_axes"] = json::array();
    for (const Vec3& a : s.moreAxes) j["more_axes"].push_back(triple(a));
    if (s.tabs)
      j["tabs"] = {{"count", s.tabs->count}, {"width_mm", s.tabs->width}, {"thickness_mm", s.tabs->thickness}};
    else
      j.erase("tabs");
  } else if (s.kind == StepKind::Drilling) {
    j["peck_mm"] = s.depth, j["floor_allowance_mm"] = s.floor;
    put(j, "bottom_mm", s.bottom);
    j["holes_mm"] = json::array();
    for (const Vec2& h : s.holes) j["holes_mm"].push_back({h.x(), h.y()});
  } else if (s.kind == StepKind::GivenPath) {
    j["path_file"] = fileNameToJson(s.pathFile);
    j["program_tool"] = s.programTool;
    j["allowance_mm"] = s.allowance;
  } else {
    j["chord_mm"] = s.chord;
    j["angle_deg"] = tidy(degrees(s.angle));
    j["allowance_mm"] = s.allowance;
    j["zigzag"] = s.zigzag;
    j["axis_follows_surface"] = s.follow;
    j["lead_deg"] = tidy(degrees(s.lead));
    j["tilt_deg"] = tidy(degrees(s.tilt));
    j["slope_from_deg"] = tidy(degrees(s.region.slopeFrom));
    j["slope_to_deg"] = tidy(degrees(s.region.slopeTo));
    j["patches"] = s.region.patches;
    j["regions"] = s.regions;
  }
  if (!s.rail.empty())
    j["rail"] = s.rail, j["rail_out_mm"] = s.railOut;
  else
    j.erase("rail"), j.erase("rail_out_mm");
  json outline = json::array();
  for (const Vec2& p2 : s.region.boundary) outline.push_back({p2.x(), p2.y()});
  j["boundary_mm"] = outline;
  j["boundary_meaning"] = meaningName(s.region.meaning);
  return j;
}

namespace {

/// Own allowances, further axes, holes.
void readLists(Step& s, const Reader& r) {
  for (const json& a : r.list("allowances")) {
    const Reader own{a, r.where + ", allowances"};
    s.own[own.needText("region")] = own.number("allowance_mm", 0);
  }
  for (const json& a : r.list("more_axes")) {
    const json one{{"axis", a}};
    const Vec3 axis = Reader{one, r.where + ", more_axes"}.vec("axis", Vec3::Zero());
    if (!(axis.norm() > 1e-9)) r.fail("more_axes", "directions");
    s.moreAxes.push_back(axis.normalized());
  }
  for (const json& h : r.list("holes_mm")) {
    if (!h.is_array() || h.size() != 2 || !h[0].is_number() || !h[1].is_number()) r.fail("holes_mm", "a list of [x, y]");
    s.holes.emplace_back(inRange("holes_mm", h[0].get<double>(), r.where), inRange("holes_mm", h[1].get<double>(), r.where));
  }
}

} // namespace

Step stepFromJson(const json& j, const std::string& where) {
  if (!j.is_object()) throw Error("A step must be an object", where, "Correct the job file.");
  Step s;
  s.extra = j;
  s.name = Reader{j, where + ", steps"}.text("name", "step");
  const Reader r{j, where + ", step '" + oneLine(s.name) + "'"};
  const std::string kind = r.needText("kind");
  if (kind == "level roughing")
    s.kind = StepKind::LevelRoughing;
  else if (kind == "parallel passes")
    s.kind = StepKind::ParallelPasses;
  else if (kind == "given path")
    s.kind = StepKind::GivenPath;
  else if (kind == "drilling")
    s.kind = StepKind::Drilling;
  else
    throw Error("The step kind '" + kind + "' is not known", r.where,
                "Use 'level roughing', 'parallel passes', 'drilling' or 'given path'.");
  s.cutter = r.needText("cutter");
  s.holder = r.needText("holder");
  s.stickOut = r.number("stick_out_mm", s.stickOut);
  s.rpm = r.number("rpm", 0);
  s.feed = r.number("feed_mm_min", 0);
  s.ownProgram = r.flag("own_program", false), s.feedByLoad = r.flag("feed_by_load", false);
  s.mostForce = r.maybe("most_force_N"), s.mostBend = r.maybe("most_bend_mm");
  if ((s.mostForce && !(*s.mostForce > 0)) || (s.mostBend && !(*s.mostBend > 0)))
    r.fail(s.mostForce && !(*s.mostForce > 0) ? "most_force_N" : "most_bend_mm", "more than 0");
  const double clamping = r.number("clamping", 1);
  if (!(clamping >= 1 && clamping < 100) || clamping != std::floor(clamping)) r.fail("clamping", "a number from 1");
  s.clamping = static_cast<int>(clamping) - 1;
  s.axis = r.vec("axis", s.axis);
  if (!(s.axis.norm() > 1e-9)) r.fail("axis", "a direction");
  s.axis.normalize();
  if (r.has("as_set")) {
    const Reader a{j["as_set"], r.where + ", as_set"};
    s.asSet = {a.maybe("stick_out_mm"), a.maybe("diameter_mm"), a.maybe("runout_mm"), a.maybe("length_off_mm")};
  }
  if (r.has("promises")) {
    const Reader p{j["promises"], r.where + ", promises"};
    s.promises = {p.maybe("cusp_mm"), p.maybe("gouge_mm"), p.maybe("rest_mm"), p.maybe("clearance_mm"), p.maybe("engagement_deg")};
    if (s.promises.engagement) s.promises.engagement = radians(*s.promises.engagement);
  }
  s.depth = r.number("depth_mm", s.depth);
  s.stepOver = r.number("step_over_mm", s.stepOver);
  s.wall = r.number("wall_allowance_mm", s.wall);
  s.floor = r.number("floor_allowance_mm", s.floor);
  s.bottom = r.maybe("bottom_mm");
  s.fromOpenSide = r.flag("from_open_side", s.fromOpenSide);
  s.belowEdge = r.maybe("below_edge_mm");
  s.thinning = r.maybe("thinned_to_mm");
  s.leastThickness = r.number("least_thickness_mm", 0), s.leastArea = r.number("least_area_mm2", 0);
  s.engagement = r.maybe("engagement_deg");
  if (s.engagement) s.engagement = radians(*s.engagement);
  s.smallestLoop = r.maybe("smallest_loop_mm");
  if (s.thinning && !(*s.thinning > 0)) r.fail("thinned_to_mm", "more than 0");
  if (s.engagement && !(*s.engagement >= radians(9.999) && *s.engagement <= radians(120.001))) r.fail("engagement_deg", "10 to 120");
  if (s.smallestLoop && !(*s.smallestLoop > 0)) r.fail("smallest_loop_mm", "more than 0");
  if (!(s.leastThickness >= 0 && s.leastArea >= 0)) r.fail("least_thickness_mm", "0 or more, as is least_area_mm2");
  if (r.has("tabs")) {
    const Reader t{j["tabs"], r.where + ", tabs"};
    const double count = t.number("count", 4);
    s.tabs = Tabs{static_cast<int>(std::clamp(count, 0.0, 1000.0)), t.number("width_mm", 6), t.number("thickness_mm", 2)};
    if (!(count >= 1 && count <= 100) || count != std::floor(count)) t.fail("count", "a whole number from 1 to 100");
    if (!(s.tabs->width > 0 && s.tabs->thickness > 0)) t.fail("width_mm", "more than 0, as is thickness_mm");
  }
  s.byRegion = r.flag("by_region", false), s.withinReach = r.flag("within_reach", false), s.fromBlank = r.flag("from_blank", false);
  if (s.kind == StepKind::Drilling) s.depth = r.number("peck_mm", 3);
  readLists(s, r);
  s.pathFile = fileNameFromJson(r.text("path_file", ""));
  const double tool = r.number("program_tool", 0);
  if (tool != std::floor(tool)) r.fail("program_tool", "a whole number");
  s.programTool = static_cast<int>(tool);
  s.chord = r.number("chord_mm", s.chord);
  s.angle = radians(r.number("angle_deg", 0));
  s.allowance = r.number("allowance_mm", 0);
  s.zigzag = r.flag("zigzag", s.zigzag);
  s.follow = r.flag("axis_follows_surface", s.follow);
  s.lead = radians(r.number("lead_deg", 0));
  s.tilt = radians(r.number("tilt_deg", 0));
  s.region.slopeFrom = radians(r.number("slope_from_deg", degrees(s.region.slopeFrom)));
  s.region.slopeTo = radians(r.number("slope_to_deg", degrees(s.region.slopeTo)));
  for (const json& p : r.list("patches")) {
    if (!p.is_number_integer()) r.fail("patches", "a list of whole numbers");
    s.region.patches.push_back(p.get<int>());
  }
  for (const json& name : r.list("regions")) {
    if (!name.is_string()) r.fail("regions", "a list of names");
    s.regions.push_back(name.get<std::string>());
  }
  s.rail = r.text("rail", ""), s.railOut = r.number("rail_out_mm", 0);
  for (const json& p : r.list("boundary_mm")) {
    if (!p.is_array() || p.size() != 2 || !p[0].is_number() || !p[1].is_number()) r.fail("boundary_mm", "a list of [x, y]");
    s.region.boundary.emplace_back(inRange("boundary_mm", p[0].get<double>(), r.where),
                                   inRange("boundary_mm", p[1].get<double>(), r.where));
  }
  const std::string meaning = r.text("boundary_meaning", "contact");
  if (meaning != "contact" && meaning != "axis" && meaning != "whole cutter") r.fail("boundary_meaning", "contact, axis or whole cutter");
  s.region.meaning = meaning == "contact" ? BoundaryMeaning::Contact
                     : meaning == "axis"  ? BoundaryMeaning::Axis
                                          : BoundaryMeaning::WholeCutter;
  return s;
}

json toJson(const Job& job) {
  json j = job.extra;
  j["hemline_job"] = kJobVersion;
  j["name"] = job.name;
  json& part = j["part"];
  part["file"] = fileNameToJson(job.partFile);
  part["hash"] = job.partHash;
  if (job.partUnit) part["unit"] = *job.partUnit == LengthUnit::Inch ? "inch" : "mm";
  j["machine"] = fileNameToJson(job.machineFile);
  for (const char* before2 : {"datum", "work_zero_mm", "fixtures"}) j.erase(before2); // of the only clamping there was
  if (job.material)
    j["material"] = toJson(*job.material);
  else
    j.erase("material");
  j["clampings"] = json::array();
  for (const Clamping& c : job.clampings) j["clampings"].push_back(toJson(c));
  json& s = j["stock"];
  s["kind"] = job.stock.kind;
  s["cell_mm"] = job.stock.cell;
  if (job.stock.kind == "box") s["margin_mm"] = job.stock.margin;
  if (job.stock.kind == "cylinder") {
    s["radius_mm"] = job.stock.radius;
    s["height_mm"] = job.stock.height;
    s["bore_radius_mm"] = job.stock.bore;
    s["along"] = std::string(1, "xyz"[job.stock.axis]);
    s["base_mm"] = triple(job.stock.base);
  }
  if (job.stock.kind == "offset") s["offset_mm"] = job.stock.offset;
  if (job.stock.kind == "mesh") s["file"] = fileNameToJson(job.stock.file);
  j["cutters"] = json::array();
  for (const Cutter& c : job.cutters) j["cutters"].push_back(toJson(c));
  j["holders"] = json::array();
  for (const Holder& h : job.holders) j["holders"].push_back(toJson(h));
  j["steps"] = json::array();
  for (const Step& step : job.steps) j["steps"].push_back(toJson(step));
  j["regions"] = json::array(), j["rails"] = json::array();
  for (const Region& region : job.regions) j["regions"].push_back(toJson(region));
  for (const Rail& rail : job.rails) j["rails"].push_back(toJson(rail));
  j["waivers"] = json::array();
  for (const Waiver& w : job.waivers)
    j["waivers"].push_back({{"step", w.step},
                            {"promise", w.promise},
                            {"who", w.who},
                            {"why", w.why},
                            {"date", w.date},
                            {"content", w.key},
                            {"bound", w.bound}});
  j["leave_slope_from_deg"] = tidy(degrees(job.leaveSlopeFrom));
  j["uncertainty_mm"] = job.uncertainty;
  j["safe_gap_mm"] = job.safeGap;
  j["tool_centre_point"] = job.toolCentrePoint;
  j["program_unit"] = job.programUnit == LengthUnit::Inch ? "inch" : "mm";
  return j;
}

Job jobFromJson(const json& j, const std::string& where) {
  if (!j.is_object() || !j.contains("hemline_job") || !j["hemline_job"].is_number_integer())
    throw Error("This is not a Hemline job", where, "Open a file that was saved as a job.");
  if (j["hemline_job"].get<int>() > kJobVersion)
    throw Error(
        fmt::format("The job was saved by a newer version (format {}, this one reads {})", j["hemline_job"].get<int>(), kJobVersion), where,
        "Update Hemline. The file is unchanged.");
  const Reader r{j, where};
  Job job;
  job.extra = j;
  job.name = r.text("name", job.name);
  if (!r.has("part") || !j["part"].is_object()) r.fail("part", "an object with 'file'");
  const Reader part{j["part"], where + ", part"};
  job.partFile = fileNameFromJson(part.needText("file"));
  job.partHash = part.text("hash", "");
  const std::string unit = part.text("unit", "");
  if (!unit.empty() && unit != "inch" && unit != "mm") part.fail("unit", "mm or inch");
  if (unit == "inch") job.partUnit = LengthUnit::Inch;
  if (unit == "mm") job.partUnit = LengthUnit::Millimetre;
  job.machineFile = fileNameFromJson(r.needText("machine"));
  if (r.has("material")) job.material = materialFromJson(j["material"], where + ", material");
  if (r.has("clampings")) {
    job.clampings.clear();
    for (const json& c : r.list("clampings")) job.clampings.push_back(clampingFromJson(c, where));
    if (job.clampings.empty()) r.fail("clampings", "a list of at least one");
  } else {
    job.clampings = {clampingFromJson(j, where)}; // format 1 had one, told at the top
    job.clampings.front().name = "clamping 1";
  }
  if (r.has("stock")) {
    const Reader s{j["stock"], where + ", stock"};
    job.stock.kind = s.text("kind", "box");
    if (job.stock.kind != "box" && job.stock.kind != "cylinder" && job.stock.kind != "offset" && job.stock.kind != "mesh")
      s.fail("kind", "box, cylinder, offset or mesh");
    job.stock.margin = s.numbers<6>("margin_mm", job.stock.margin);
    job.stock.radius = s.number("radius_mm", 0);
    job.stock.height = s.number("height_mm", 0);
    job.stock.bore = s.number("bore_radius_mm", 0);
    job.stock.offset = s.number("offset_mm", job.stock.offset);
    const std::string along = s.text("along", "z");
    if (along != "x" && along != "y" && along != "z") s.fail("along", "x, y or z");
    job.stock.axis = along[0] - 'x';
    job.stock.base = s.vec("base_mm", job.stock.base);
    job.stock.file = fileNameFromJson(s.text("file", ""));
    job.stock.cell = s.number("cell_mm", job.stock.cell);
    if (!(job.stock.cell > 0)) s.fail("cell_mm", "more than 0");
  }
  for (const json& c : r.list("cutters")) job.cutters.push_back(cutterFromJson(c, where));
  for (const json& h : r.list("holders")) job.holders.push_back(holderFromJson(h, where));
  for (const json& s : r.list("steps")) job.steps.push_back(stepFromJson(s, where));
  for (const json& g : r.list("regions")) job.regions.push_back(regionFromJson(g, where));
  for (const json& l : r.list("rails")) job.rails.push_back(railFromJson(l, where));
  for (const json& w : r.list("waivers")) {
    const Reader wr{w, where + ", waivers"};
    job.waivers.push_back({wr.needText("step"), wr.needText("promise"), wr.needText("who"), wr.needText("why"), wr.text("date", ""),
                           wr.text("content", ""), wr.number("bound", 0)});
  }
  job.leaveSlopeFrom = radians(r.number("leave_slope_from_deg", degrees(job.leaveSlopeFrom)));
  job.uncertainty = r.number("uncertainty_mm", job.uncertainty);
  job.safeGap = r.number("safe_gap_mm", job.safeGap);
  job.toolCentrePoint = r.flag("tool_centre_point", true);
  const std::string written = r.text("program_unit", "mm");
  if (written != "mm" && written != "inch") r.fail("program_unit", "mm or inch");
  job.programUnit = written == "inch" ? LengthUnit::Inch : LengthUnit::Millimetre;
  return job;
}

Job readJob(const std::string& path) {
  return jobFromJson(parseJson(readFile(path), "The job file", path, "Restore it from a copy or from the autosave beside it."), path);
}

void writeJob(const std::string& path, const Job& job) {
  writeFileSafely(path, toJson(job).dump(1) + "\n");
}

std::string resolve(const std::string& jobPath, const std::string& file) {
  const std::filesystem::path p(file);
  if (p.is_absolute()) return file;
  return (std::filesystem::path(jobPath).parent_path() / p).lexically_normal().string();
}

static void checkRegions(const Job& job) {
  std::set<std::string> names;
  for (const Region& r : job.regions) {
    const std::string where = "region '" + r.name + "'";
    if (!names.insert(r.name).second) throw Error("Two regions have one name", r.name, "Name them apart: steps and promises go by it.");
    for (const auto& [value, what] : {std::pair(r.finish, "finish"), std::pair(r.tolerance, "tolerance")})
      if (value && !(*value > 0 && std::isfinite(*value)))
        throw Error(fmt::format("The promised {} is not more than 0", what), where, "Promise none, or more than 0.");
    if (r.use != RegionUse::Finish && r.finish)
      throw Error("A region that no step finishes promises a finish", where, "Take the promise away, or let it be finished.");
    if (!std::isfinite(r.grow)) throw Error("The border is moved by what is not a number", where, "Give it in mm.");
  }
  names.clear();
  for (const Rail& r : job.rails)
    if (!names.insert(r.name).second) throw Error("Two rails have one name", r.name, "Name them apart.");
  for (const Step& s : job.steps) {
    const std::string where = "step '" + s.name + "'";
    for (const std::string& name : s.regions) {
      const auto r = std::find_if(job.regions.begin(), job.regions.end(), [&](const Region& x) { return x.name == name; });
      if (r == job.regions.end())
        throw Error("There is no region '" + name + "' in the job", where, "Choose another, or none for all ground.");
      if (r->use != RegionUse::Finish)
        throw Error(fmt::format("The region '{}' is {}, and the step would finish it", name,
                                r->use == RegionUse::Left ? "left on purpose" : "protected"),
                    where, "Choose another region, or change what this one is for.");
    }
    if (s.rail.empty()) continue;
    if (!job.rail(s.rail).closed) throw Error("The rail '" + s.rail + "' is open, so it bounds nothing", where, "Choose a closed rail.");
    if (!s.region.boundary.empty()) throw Error("The step has a rail and a boundary of its own", where, "Take one of them away.");
  }
}

void checkJob(const Job& job) {
  jobFromJson(toJson(job), "the job"); // what a file may not say, the window may not either
  if (job.steps.empty()) throw Error("The job has no steps", job.name, "Add a roughing or a finishing step.");
  std::set<std::string> names;
  for (const Clamping& c : job.clampings) {
    if (!names.insert(c.name).second) throw Error("Two clampings have one name", c.name, "Name them apart: sheets and programs go by it.");
    for (const Fixture& f : c.fixtures) checkFixture(f);
  }
  checkRegions(job);
  int clamping = 0;
  for (const Step& s : job.steps) {
    const std::string where = "step '" + s.name + "'";
    checkBoundary(s.region.boundary, where);
    if (s.clamping < 0 || s.clamping >= static_cast<int>(job.clampings.size()))
      throw Error(fmt::format("There is no clamping {}", s.clamping + 1), where,
                  fmt::format("The job has {}; choose one of them or add one in Hold.", job.clampings.size()));
    if (s.clamping < clamping)
      throw Error(fmt::format("A step of clamping {} comes after one of clamping {}", s.clamping + 1, clamping + 1), where,
                  "Put it before the flip, or make it a clamping of its own: nobody clamps a second time exactly as before.");
    clamping = s.clamping;
    const Cutter& c = job.cutter(s.cutter);
    assemble(c, job.holder(s.holder), s.stickOut);
    if (s.asSet.runout && !(*s.asSet.runout >= 0 && *s.asSet.runout < 1))
      throw Error("The measured runout is not from 0 to 1 mm", where, "Give the full reading of the indicator.");
    if (s.asSet.lengthOff && !(std::abs(*s.asSet.lengthOff) < 5))
      throw Error("The length is off by 5 mm or more", where, "Touch the cutter off again; such an offset must not be run.");
    if (s.asSet.diameter && !(std::abs(*s.asSet.diameter - c.diameter) < 0.2 * c.diameter))
      throw Error("The measured diameter is more than a fifth off the cutter's", where,
                  "Check the cutter, or take another one into the job.");
    if (s.asSet.any()) assemble(cutterAsSet(c, s.asSet), job.holder(s.holder), s.asSet.stickOut.value_or(s.stickOut));
    const auto notNegative = [&](const std::optional<double>& v, const char* what) {
      if (v && !(*v >= 0)) throw Error(fmt::format("The promised {} is negative", what), where, "Promise 0 or more.");
    };
    notNegative(s.promises.gouge, "gouge");
    notNegative(s.promises.rest, "rest");
    notNegative(s.promises.clearance, "clearance");
    if (!s.axis.allFinite() || !(s.axis.norm() > 1e-6))
      throw Error("The axis has no direction", where, "Give it as x, y, z, for instance 0, 0, 1.");
    for (const auto& [value, what] : {std::pair(s.allowance, "allowance"), std::pair(s.wall, "wall allowance"),
                                      std::pair(s.floor, "floor allowance"), std::pair(s.rpm, "spindle speed"), std::pair(s.feed, "feed")})
      if (!(value >= 0 && std::isfinite(value)))
        throw Error(fmt::format("The {} is negative or not a number", what), where, "Give 0 or more.");
    for (const auto& [value, what] : {std::pair(s.angle, "angle of the passes"), std::pair(s.lead, "lead"), std::pair(s.tilt, "tilt")})
      if (!std::isfinite(value)) throw Error(fmt::format("The {} is not a number", what), where, "Give it in degrees.");
    if (s.kind == StepKind::LevelRoughing && !(s.depth > 0 && s.stepOver > 0))
      throw Error("Depth and step-over must be more than 0", where, "Give the distance of the levels and of the passes.");
    if (s.smallestLoop && !(*s.smallestLoop <= c.diameter / 2))
      throw Error("The smallest loop is larger than the cutter's radius", where, "A seventh of its radius is usual.");
    if (s.engagement && s.thinning)
      throw Error("Passes of constant engagement are not thinned as well", where, "Take one of the two out; thin in a step of its own.");
    for (const auto& [region, mm] : s.own) {
      if (std::none_of(job.regions.begin(), job.regions.end(), [&name = region](const Region& r) { return r.name == name; }))
        throw Error("There is no region '" + region + "' to have an allowance of its own", where, "Name one of the job's regions.");
      if (!(mm >= std::max(s.wall, s.floor)))
        throw Error(fmt::format("The allowance of '{}' is less than that of walls or floors", region), where,
                    "Give the least of all to walls and floors, and more to regions.");
    }
    if (!s.moreAxes.empty() && (!s.region.boundary.empty() || !s.rail.empty()))
      throw Error("A boundary limits one direction, the step has several", where,
                  "Take the boundary away or make steps of the directions.");
    if (s.kind == StepKind::Drilling && c.kind != CutterKind::Drill)
      throw Error("'" + c.name + "' is no drill", where, "Choose a drill, or add one in the library.");
    if (s.thinning && !(*s.thinning < s.depth))
      throw Error("The staircase is thinned by steps as high as its own", where, "Thin it by less than the level spacing.");
    if (s.kind == StepKind::GivenPath) {
      if (s.pathFile.empty()) throw Error("A given path has no file", where, "Choose the cutter-location text or the program.");
      if (s.promises.cusp && !(*s.promises.cusp > 0))
        throw Error("The promised cusp is not more than 0", where, "Promise none, or more than 0.");
      if (s.promises.rest && !s.promises.cusp)
        throw Error("Rest is promised without a cusp", where, "Promise a cusp, too: rest is what more passes would not cut.");
    }
    if (s.kind == StepKind::ParallelPasses) {
      if (!s.promises.cusp || !(*s.promises.cusp > 0))
        throw Error("A finishing step must promise a cusp of more than 0", where, "Set it, for instance 2 um.");
      if (*s.promises.cusp > c.diameter / 2)
        throw Error("The promised cusp is larger than the cutter's radius", where, "Promise a smaller cusp.");
      if (!(s.chord > 0)) throw Error("The chord tolerance must be more than 0", where, "Set it, for instance 0.5 um.");
    }
  }
}

std::optional<MountFault> mountFault(const Job& job, const Step& step) {
  constexpr double kSet = 1; // mm by which lengths of cutters may be off
  const Cutter& cutter = job.cutter(step.cutter);
  const Holder& holder = job.holder(step.holder);
  auto fault = mountFault(cutter, holder, step.stickOut, job.holders);
  if (!fault && step.asSet.stickOut) fault = mountFault(cutter, holder, *step.asSet.stickOut, job.holders, kSet);
  return fault;
}

Cutter cutterAsSet(const Cutter& cutter, const AsSet& measured) {
  Cutter c = cutter;
  c.diameter = measured.diameter.value_or(c.diameter) + measured.runout.value_or(0);
  return c;
}

Path pathAsSet(const Path& path, const AsSet& measured) {
  Path out = path;
  for (Location& l : out.locations) l.tip -= measured.lengthOff.value_or(0) * l.axis;
  return out;
}

int toolNumber(const Job& job, const std::string& cutter) {
  return 1 + static_cast<int>(std::find_if(job.cutters.begin(), job.cutters.end(), [&](const Cutter& c) { return c.name == cutter; }) -
                              job.cutters.begin());
}

void conditions(const Step& step, const Cutter& c, double most, double& rpm, double& feed) {
  rpm = step.rpm > 0 ? step.rpm : std::min(most, std::round(1000 * c.cuttingSpeed / (kPi * c.diameter)));
  // Less than a quarter turn in the cut leaves the thickest chip thinner than the feed per tooth: h = fz sin(arc).
  const double thins = step.kind == StepKind::LevelRoughing && step.engagement ? std::sin(std::min(*step.engagement, kPi / 2)) : 1.0;
  feed = step.feed > 0 ? step.feed : rpm * c.teeth * c.feedPerTooth / thins;
}

} // namespace hemline
