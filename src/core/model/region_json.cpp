// Regions and rails in the job file. Format: docs/job-format.md.
#include "model/job.h"
#include "model/reader.h"

namespace hemline {

using nlohmann::json;

namespace {

json markJson(const Mark& s) {
  return {s.at.x(), s.at.y(), s.at.z(), s.normal.x(), s.normal.y(), s.normal.z()};
}

Mark markFrom(const json& j, const Reader& r, const char* field) {
  const bool six = j.is_array() && j.size() == 6 && std::all_of(j.begin(), j.end(), [](const json& v) { return v.is_number(); });
  if (!six) r.fail(field, "places of six numbers: point and normal");
  const auto at = [&](std::size_t k) { return inRange(k < 3 ? "places_mm" : "normal", j[k].get<double>(), r.where); };
  return {{at(0), at(1), at(2)}, {at(3), at(4), at(5)}};
}

json marksJson(const std::vector<Mark>& marks) {
  json out = json::array();
  for (const Mark& s : marks) out.push_back(markJson(s));
  return out;
}

std::vector<Mark> marksFrom(const Reader& r, const char* field) {
  std::vector<Mark> out;
  for (const json& s : r.list(field)) out.push_back(markFrom(s, r, field));
  return out;
}

const char* modeName(PieceMode m) {
  return m == PieceMode::Add ? "add" : m == PieceMode::Remove ? "remove" : "only";
}

struct PieceWriter {
  json operator()(const PatchPiece& p) const {
    return {{"by", "patch"}, {"name", p.name}, {"area_mm2", p.area}, {"places", marksJson(p.marks)}};
  }
  json operator()(const SlopePiece& p) const {
    return {{"by", "slope"}, {"from_deg", tidy(degrees(p.from))}, {"to_deg", tidy(degrees(p.to))}, {"up", triple(p.up)}};
  }
  json operator()(const RadiusPiece& p) const { return {{"by", "radius"}, {"from_mm", p.from}, {"to_mm", p.to}}; }
  json operator()(const GrownPiece& p) const {
    return {{"by", "growing"}, {"places", json::array({markJson(p.from)})}, {"crease_deg", tidy(degrees(p.crease))}};
  }
  json operator()(const PaintPiece& p) const { return {{"by", "paint"}, {"places", marksJson(p.stroke)}, {"radius_mm", p.radius}}; }
  json operator()(const RailPiece& p) const { return {{"by", "rail"}, {"rail", p.rail}, {"places", json::array({markJson(p.inside)})}}; }
};

Piece pieceFrom(const json& j, const std::string& where) {
  if (!j.is_object()) throw Error(Fault::Damaged, "A piece of a region must be an object", where, "Correct the job file.");
  const Reader r{j, where};
  Piece piece;
  const std::string mode = r.text("mode", "add"), by = r.needText("by");
  if (mode != "add" && mode != "remove" && mode != "only") r.fail("mode", "add, remove or only");
  piece.mode = mode == "add" ? PieceMode::Add : mode == "remove" ? PieceMode::Remove : PieceMode::Only;
  const auto one = [&] {
    const auto marks = marksFrom(r, "places");
    if (marks.size() != 1) r.fail("places", "one place");
    return marks.front();
  };
  if (by == "patch") {
    PatchPiece p{r.text("name", ""), r.number("area_mm2", 0), marksFrom(r, "places")};
    if (p.marks.empty()) r.fail("places", "at least one place");
    piece.what = std::move(p);
  } else if (by == "slope") {
    SlopePiece p{radians(r.number("from_deg", 0)), radians(r.number("to_deg", 180)), r.vec("up", Vec3::UnitZ())};
    if (!(p.up.norm() > 1e-9)) r.fail("up", "a direction");
    p.up.normalize();
    piece.what = p;
  } else if (by == "radius") {
    piece.what = RadiusPiece{r.number("from_mm", 0), r.number("to_mm", 1e9)};
  } else if (by == "growing") {
    piece.what = GrownPiece{one(), radians(r.number("crease_deg", 15))};
  } else if (by == "paint") {
    PaintPiece p{marksFrom(r, "places"), r.number("radius_mm", 1)};
    if (!(p.radius > 0)) r.fail("radius_mm", "more than 0");
    piece.what = std::move(p);
  } else if (by == "rail") {
    piece.what = RailPiece{r.needText("rail"), one()};
  } else {
    r.fail("by", "patch, slope, radius, growing, paint or rail");
  }
  return piece;
}

} // namespace

json toJson(const Region& region) {
  json j{{"name", region.name}, {"use", regionUseName(region.use)}, {"grow_mm", region.grow}, {"pieces", json::array()}};
  put(j, "finish_mm", region.finish), put(j, "tolerance_mm", region.tolerance);
  for (const Piece& p : region.pieces) {
    json piece = std::visit(PieceWriter{}, p.what);
    piece["mode"] = modeName(p.mode);
    j["pieces"].push_back(std::move(piece));
  }
  return j;
}

Region regionFromJson(const json& j, const std::string& where) {
  if (!j.is_object()) throw Error(Fault::Damaged, "A region must be an object", where, "Correct the job file.");
  Region region;
  const Reader r{j, where + ", regions"};
  region.name = r.needText("name");
  const std::string use = r.text("use", "finish");
  if (use != "finish" && use != "left" && use != "protected") r.fail("use", "finish, left or protected");
  region.use = use == "finish" ? RegionUse::Finish : use == "left" ? RegionUse::Left : RegionUse::Protected;
  region.finish = r.maybe("finish_mm"), region.tolerance = r.maybe("tolerance_mm"), region.grow = r.number("grow_mm", 0);
  for (const json& p : r.list("pieces")) region.pieces.push_back(pieceFrom(p, r.where + ", '" + region.name + "'"));
  return region;
}

json toJson(const Rail& rail) {
  return {{"name", rail.name}, {"from", rail.from}, {"closed", rail.closed}, {"places", marksJson(rail.marks)}};
}

Rail railFromJson(const json& j, const std::string& where) {
  if (!j.is_object()) throw Error(Fault::Damaged, "A rail must be an object", where, "Correct the job file.");
  const Reader r{j, where + ", rails"};
  Rail rail{r.needText("name"), r.text("from", ""), r.flag("closed", false), marksFrom(r, "places")};
  if (rail.marks.empty()) r.fail("places", "at least one place");
  if (rail.isPlace() && rail.closed) r.fail("closed", "false: a single place does not close");
  return rail;
}

} // namespace hemline
