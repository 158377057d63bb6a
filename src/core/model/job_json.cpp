// The job as a JSON document: docs/job-format.md.
#include "base/error.h"
#include "base/file.h"
#include "base/file_name.h"
#include "cutter/library.h"
#include "model/fields.h"
#include "model/reader.h"
#include <filesystem>
#include <fmt/format.h>

namespace hemline {
namespace {

using nlohmann::json;

/// Formats before 3 called a roughing step's constant engagement like the promise, and wrote fields that only other kinds use.
void upgradeStep(json& s) {
  if (!s.is_object() || !s.contains("kind") || !s["kind"].is_string()) return;
  const auto kind = std::find_if(stepKinds().begin(), stepKinds().end(), [&](const StepKind& k) { return k.id == s["kind"]; });
  if (kind == stepKinds().end()) return;
  if (kind->id == LevelRoughing::kId && s.contains("engagement_deg")) s["constant_engagement_deg"] = s["engagement_deg"];
  s.erase("engagement_deg");
  for (const StepKind& other : stepKinds())
    for (const StepField& f : other.fields)
      if (f.group.empty() && !kind->field(f.id)) s.erase(f.name);
}

/// A document of an earlier format as this one would write it.
json upgraded(json j) {
  if (j["hemline_job"].get<int>() < 3 && j.contains("steps") && j["steps"].is_array())
    for (json& s : j["steps"]) upgradeStep(s);
  return j;
}

Variant variantFromJson(const json& v, const std::string& where) {
  const Reader r{v, where + ", variants"};
  Variant out{r.needText("name"), r.text("why", ""), nullptr};
  if (!v.contains("plan")) r.fail("plan", "a job");
  json plan = v["plan"];
  if (plan.is_object()) plan.erase("variants");
  out.plan = std::make_shared<const Job>(jobFromJson(plan, where + ", variant '" + out.name + "'"));
  return out;
}

} // namespace

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
  j.erase("variants"); // most jobs have none
  for (const Variant& v : job.variants) j["variants"].push_back({{"name", v.name}, {"why", v.why}, {"plan", toJson(*v.plan)}});
  j["leave_slope_from_deg"] = tidy(degrees(job.leaveSlopeFrom));
  j["uncertainty_mm"] = job.uncertainty;
  j["safe_gap_mm"] = job.safeGap;
  j["tool_centre_point"] = job.toolCentrePoint;
  j["program_unit"] = job.programUnit == LengthUnit::Inch ? "inch" : "mm";
  return j;
}

Job jobFromJson(const json& document, const std::string& where) {
  if (!document.is_object() || !document.contains("hemline_job") || !document["hemline_job"].is_number_integer())
    throw Error(Fault::Damaged, "This is not a Hemline job", where, "Open a file that was saved as a job.");
  if (document["hemline_job"].get<int>() > kJobVersion)
    throw Error(
        Fault::Newer,
        fmt::format("The job was saved by a newer version (format {}, this one reads {})", document["hemline_job"].get<int>(), kJobVersion),
        where, "Update Hemline. The file is unchanged.");
  const json j = upgraded(document);
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
  for (const json& v : r.list("variants")) job.variants.push_back(variantFromJson(v, where));
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

} // namespace hemline
