// Part, study, regions, clampings and blank: what is there before the first step.
#include "base/file.h"
#include "job/bodies.h"
#include "job/reader.h"
#include "job/regions.h"
#include "job/remember.h"
#include <fmt/format.h>

namespace hemline {
namespace {

// Chord tolerance of a CAD net, as shares of what is promised. Contacts and measuring are on the exact surface; the facets
// still say where the cutter is held up over edges and by other walls.
constexpr double kCuspShare = 0.4, kGougeShare = 0.5;

/// Machine file, work zero, and how the part stands to it.
Key keyOfMachine(const Clamping& clamping, const std::string& file) {
  const Frame f = frameOf(clamping);
  const Vec3 zero = clamping.workZero.value_or(Vec3::Zero());
  std::vector<double> place{clamping.workZero ? 1.0 : 0.0, zero.x(), zero.y(), zero.z()};
  if (!f.same()) {
    place.insert(place.end(), f.origin.data(), f.origin.data() + 3);
    place.insert(place.end(), f.turn.data(), f.turn.data() + 9);
  }
  return combine(std::array{hashFile(file), hashArray(place.data(), place.size())});
}

/// Is some region told by the largest balls of its ground?
bool asksForBalls(const Job& job) {
  return std::any_of(job.regions.begin(), job.regions.end(), [](const Region& r) {
    return std::any_of(r.pieces.begin(), r.pieces.end(), [](const Piece& p) { return std::holds_alternative<RadiusPiece>(p.what); });
  });
}

} // namespace

double netChord(const Job& job) {
  double finest = 1e300;
  for (const Step& s : job.steps)
    if (s.promises.cusp && *s.promises.cusp > 0) {
      finest = std::min(finest, kCuspShare * *s.promises.cusp);
      if (s.promises.gouge && *s.promises.gouge > 0) finest = std::min(finest, kGougeShare * *s.promises.gouge);
    }
  return finest < 1e299 ? std::clamp(finest, 2e-4, 0.01) : ReadOptions().chord;
}

JobResult Evaluator::prepare(const Job& job, const std::string& jobPath, Progress& progress, Studied studied) {
  JobResult r;
  const std::string partPath = resolve(jobPath, job.partFile);
  const Key partBytes = hashFile(partPath);
  if (!job.partHash.empty() && job.partHash != partBytes.text())
    throw Error(kModelChanged, partPath,
                "Accept the model as it is now (regions and rails are then looked for on it), or restore the old file.");
  r.inputs.push_back({"model", partPath, partBytes});
  ReadOptions options;
  options.unit = job.partUnit;
  options.chord = netChord(job);
  const Key chord = hashText(fmt::format("{} {}", options.chord, job.partUnit ? (*job.partUnit == LengthUnit::Inch ? "inch" : "mm") : ""));
  r.part = *remember<std::shared_ptr<const Part>>("part", {partBytes, chord, hashText(partPath)},
                                                  [&] { return readPart(partPath, options, progress); });
  const Vec3 up = job.steps.empty() ? Vec3(Vec3::UnitZ()) : stepInPart(job, job.steps.front()).axis;
  if (studied != Studied::ForSteps) {
    r.study = remember<Study>("study", {partBytes, chord, hashText(partPath), hashArray(up.data(), 3)},
                              [&] { return studyPart(*r.part, up, progress); });
    r.walls = remember<std::vector<Wall>>("walls", {partBytes, chord, hashText(partPath), hashArray(up.data(), 3)},
                                          [&] { return studyWalls(*r.part, up, progress); });
  }
  if (studied != Studied::ForSteps || asksForBalls(job))
    r.balls = remember<LargestBalls>("largest balls", {partBytes, chord, hashText(partPath)}, [&] {
      return largestBalls(*r.part, std::min(kStudiedBall, 0.25 * r.part->mesh.bounds().diagonal()), kBallPlaces, progress);
    });
  const nlohmann::json whole = toJson(job);
  nlohmann::json marks = whole["regions"];
  for (nlohmann::json& region : marks) // promises move no border
    for (const char* field : {"finish_mm", "tolerance_mm"}) region.erase(field);
  std::string own; // regions that keep an allowance of their own are surfaces, too
  for (const Step& s : job.steps)
    for (const auto& [region, allowance] : s.own) own += region + "\n";
  r.regions = *remember<std::vector<std::shared_ptr<const RegionGround>>>(
      "regions", {partBytes, chord, hashText(partPath), keyOf(marks), keyOf(whole["rails"]), hashText(own)},
      [&] { return groundsOf(job, *r.part, r.balls.get()); });
  const std::string machinePath = resolve(jobPath, job.machineFile);
  r.inputs.push_back({"machine", machinePath, hashFile(machinePath)});
  for (const Clamping& c : job.clampings) {
    const Key machineKey = keyOfMachine(c, machinePath);
    nlohmann::json shapes = toJson(c)["fixtures"]; // how hard they press moves no body
    for (nlohmann::json& f : shapes) f.erase("force_N"), f.erase("friction");
    std::vector<Key> fixtureKeys{keyOf(shapes), machineKey};
    for (const Fixture& f : c.fixtures)
      if (f.kind == FixtureKind::Mesh) {
        const std::string file = resolve(jobPath, f.file);
        fixtureKeys.push_back(hashFile(file));
        r.inputs.push_back({"fixture", file, fixtureKeys.back()});
      }
    const Key fixtureKey = combine(fixtureKeys);
    r.clampings.push_back(remember<ClampingState>("clamping", {fixtureKey}, [&] {
      ClampingState state;
      state.frame = frameOf(c), state.fixtures = c.fixtures.size();
      state.fixtureKey = fixtureKey, state.machineKey = machineKey;
      auto machine = std::make_shared<Machine>(readMachine(machinePath));
      if (c.workZero) machine->workOffset = *c.workZero;
      const auto stands = [&](std::vector<Vec3> soup, const std::string& name) {
        for (Vec3& v : soup) v = state.frame.out(v);
        state.bodies.push_back(partFromTriangles(soup, name));
      };
      for (const Fixture& f : c.fixtures) stands(fixtureTriangles(f, resolve(jobPath, f.file), progress), f.name);
      if (auto table = tableTriangles(*machine); !table.empty()) stands(std::move(table), "machine table");
      state.machine = std::move(machine);
      return state;
    }));
  }
  r.machine = r.clampings.front()->machine, r.asked = job.clampings;
  const double lean = r.machine->leans();
  const Key aroundKey = combine(
      std::array{combine(std::array{partBytes, chord, hashText(partPath)}), hashArray(up.data(), 3), hashText(fmt::format("{}", lean))});
  const auto around = [&](std::size_t finer) {
    return remember<Surroundings>(finer > 1 ? "surroundings, finer" : "surroundings", {aroundKey},
                                  [&] { return studySurroundings(*r.part, up, r.study->ground, lean, finer, progress); });
  };
  if (studied == Studied::Closely) finelyStudied_.insert(aroundKey);
  if (studied != Studied::ForSteps) r.around = around(finelyStudied_.count(aroundKey) > 0 ? kFiner : 1);
  Key stockFile{};
  if (job.stock.kind == "mesh") {
    const std::string file = resolve(jobPath, job.stock.file);
    stockFile = hashFile(file);
    r.inputs.push_back({"stock", file, stockFile});
  }
  const nlohmann::json& stockJson = whole["stock"];
  r.stock = remember<StockState>("stock", {r.part->key, keyOf(stockJson), stockFile}, [&] {
    progress.report(0, "laying the stock");
    StockState state;
    const Key keys[] = {r.part->key, keyOf(stockJson), stockFile};
    state.key = combine(keys);
    if (job.stock.kind == "mesh") {
      ReadOptions o;
      o.unit = job.partUnit;
      const auto mesh = readPart(resolve(jobPath, job.stock.file), o, progress);
      state.stock = Stock::mesh(mesh->mesh, job.stock.cell, progress);
    } else if (job.stock.kind == "cylinder") {
      state.stock = Stock::cylinder(job.stock.base, job.stock.radius, job.stock.height, job.stock.cell, job.stock.axis, job.stock.bore);
    } else if (job.stock.kind == "offset") {
      state.stock = Stock::offset(r.part->mesh, job.stock.offset, job.stock.cell, progress);
    } else {
      Box box = r.part->mesh.bounds();
      for (int k = 0; k < 3; ++k) {
        box.low[k] -= job.stock.margin[static_cast<std::size_t>(2 * k)];
        box.high[k] += job.stock.margin[static_cast<std::size_t>(2 * k + 1)];
      }
      state.stock = Stock::box(box, job.stock.cell);
    }
    return state;
  });
  const Box part = r.part->mesh.bounds(), stock = r.stock->stock.bounds();
  for (int k = 0; k < 3; ++k)
    if (part.low[k] < stock.low[k] - 1e-3 || part.high[k] > stock.high[k] + 1e-3)
      throw Error(fmt::format("The stock is smaller than the part along {}", "xyz"[k]), "stock", "Give it a larger size or margin.");
  return r;
}

} // namespace hemline
