// Clampings and fixtures in the job file. Format: docs/job-format.md.
#include "base/file_name.h"
#include "model/job.h"
#include "model/reader.h"

namespace hemline {

using nlohmann::json;

namespace {

json fixtureJson(const Fixture& f) {
  json j{{"name", f.name}, {"kind", fixtureName(f.kind)}};
  if (f.kind == FixtureKind::Box) {
    j["low_mm"] = triple(f.box.low), j["high_mm"] = triple(f.box.high);
    return j;
  }
  j["at_mm"] = triple(f.at), j["angle_deg"] = tidy(degrees(f.angle));
  for (const FixtureField& field : fixtureFields(f.kind)) j[field.key] = f.*field.value;
  if (f.kind == FixtureKind::Mesh) j["file"] = fileNameToJson(f.file);
  if (presses(f.kind)) put(j, "force_N", f.force), j["friction"] = f.friction;
  return j;
}

Fixture fixtureFrom(const json& j, const std::string& where) {
  Fixture f;
  const Reader r{j, where + ", fixtures"};
  f.name = r.text("name", "fixture");
  const std::string kind = r.text("kind", "box");
  const auto& kinds = fixtureKinds();
  const auto known = std::find_if(kinds.begin(), kinds.end(), [&](FixtureKind k) { return kind == fixtureName(k); });
  if (known == kinds.end()) r.fail("kind", "box, jaws, chuck, plate, strap, mandrel or mesh");
  f.kind = *known;
  if (f.kind == FixtureKind::Box) {
    f.box = {};
    f.box.add(r.vec("low_mm", Vec3::Zero()));
    f.box.add(r.vec("high_mm", Vec3::Zero()));
  }
  f.at = r.vec("at_mm", f.at), f.angle = radians(r.number("angle_deg", 0));
  for (const FixtureField& field : fixtureFields(f.kind)) f.*field.value = r.number(field.key, f.*field.value);
  f.file = fileNameFromJson(r.text("file", ""));
  f.force = r.maybe("force_N"), f.friction = r.number("friction", f.friction);
  return f;
}

} // namespace

json toJson(const Clamping& c) {
  json j{{"name", c.name}, {"datum", c.datum}, {"origin_mm", triple(c.origin)}, {"turns", json::array()}, {"fixtures", json::array()}};
  for (const Turn& t : c.turns) j["turns"].push_back({{"about", std::string(1, "xyz"[t.axis])}, {"degrees", tidy(degrees(t.angle))}});
  if (c.workZero) j["work_zero_mm"] = triple(*c.workZero);
  for (const Fixture& f : c.fixtures) j["fixtures"].push_back(fixtureJson(f));
  if (c.tailstock) j["tailstock"] = true;
  if (c.finding)
    j["finding"] = {{"by", datumName(c.finding->kind)},
                    {"scatter_mm", c.finding->scatter},
                    {"block_mm", c.finding->block},
                    {"bore_mm", c.finding->bore},
                    {"span_mm", c.finding->span}};
  if (c.outside) j["outside"] = {{"what", c.outside->what}, {"least_mm", c.outside->least}, {"most_mm", c.outside->most}};
  if (c.dowels)
    j["dowels"] = {{"play_mm", c.dowels->play},
                   {"span_mm", c.dowels->span},
                   {"off_mm", c.dowels->off},
                   {"middle_mm", {c.dowels->middle.x(), c.dowels->middle.y()}}};
  return j;
}

Clamping clampingFromJson(const json& j, const std::string& where) {
  if (!j.is_object()) throw Error(Fault::Damaged, "A clamping must be an object", where, "Correct the job file.");
  Clamping c;
  const Reader r{j, where + ", clampings"};
  c.name = r.text("name", c.name), c.datum = r.text("datum", c.datum);
  c.origin = r.vec("origin_mm", c.origin);
  if (r.has("work_zero_mm")) c.workZero = r.vec("work_zero_mm", Vec3::Zero());
  for (const json& t : r.list("turns")) {
    const Reader tr{t, r.where + ", turns"};
    const std::string about = tr.text("about", "");
    if (about != "x" && about != "y" && about != "z") tr.fail("about", "x, y or z");
    c.turns.push_back({about[0] - 'x', radians(tr.number("degrees", 0))});
  }
  for (const json& f : r.list("fixtures")) c.fixtures.push_back(fixtureFrom(f, where));
  c.tailstock = r.flag("tailstock", false);
  if (r.has("finding")) {
    const Reader f{j["finding"], r.where + ", finding"};
    ZeroFinding finding;
    const std::string by = f.text("by", "");
    const auto& kinds = datumKinds();
    const auto known = std::find_if(kinds.begin(), kinds.end(), [&](DatumKind k) { return by == datumName(k); });
    if (known == kinds.end()) f.fail("by", "two sides, corner, bore, gauge block, rotary zero or tip");
    finding.kind = *known;
    finding.scatter = f.number("scatter_mm", finding.scatter), finding.block = f.number("block_mm", 0);
    finding.bore = f.number("bore_mm", finding.bore), finding.span = f.number("span_mm", finding.span);
    if (!(finding.scatter >= 0 && finding.block >= 0)) f.fail("scatter_mm", "0 or more, as is block_mm");
    if (!(finding.bore > 0 && finding.span > 0)) f.fail("span_mm", "more than 0, as is bore_mm");
    c.finding = finding;
  }
  if (r.has("outside")) {
    const Reader o{j["outside"], r.where + ", outside"};
    c.outside = Outside{o.text("what", "treatment outside"), o.number("least_mm", 0), o.number("most_mm", 0)};
    if (!(c.outside->least <= c.outside->most)) o.fail("least_mm", "no more than most_mm");
  }
  if (r.has("dowels")) {
    const Reader d{j["dowels"], r.where + ", dowels"};
    const auto middle = d.numbers<2>("middle_mm", {0, 0});
    c.dowels = Dowels{d.number("play_mm", 0), d.number("span_mm", 0), d.number("off_mm", 0), {middle[0], middle[1]}};
    if (!(c.dowels->span > 0)) d.fail("span_mm", "more than 0");
    if (!(c.dowels->play >= 0)) d.fail("play_mm", "0 or more");
    if (!(c.dowels->off >= 0)) d.fail("off_mm", "0 or more");
  }
  return c;
}

} // namespace hemline
