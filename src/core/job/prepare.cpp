// Part, study, regions, clampings and blank: what is there before the first step.
#include "base/file.h"
#include "job/bodies.h"
#include "job/evaluate.h"
#include "job/regions.h"
#include <fmt/format.h>

namespace hemline {

namespace {

// Chord tolerance of a CAD tessellation, as shares of what is promised. Contacts and measuring are on the exact surface; the facets
// still say where the cutter is held up over edges and by other walls.
constexpr double kCuspShare = 0.4, kGougeShare = 0.5;

/// A model file as it was read.
struct PartIn {
  FileIn file;
  std::optional<LengthUnit> unit;
  double chord = 0; ///< mm
};
struct ReadPartOut {
  std::shared_ptr<const Part> part;
};
ReadPartOut readModel(const PartIn& in, NoAid&, Progress& progress) {
  ReadOptions o;
  o.unit = in.unit, o.chord = in.chord;
  ReadPartOut out{readPart(in.file.path, o, progress)};
  mustBeUnchanged(in.file);
  return out;
}
const Node<PartIn, ReadPartOut> kReadPart{"part", 1, readModel};

struct StudyIn {
  std::shared_ptr<const Part> part;
  Vec3 up;
};
Study studied(const StudyIn& in, NoAid&, Progress& progress) {
  return studyPart(*in.part, in.up, progress);
}
std::vector<Wall> walls(const StudyIn& in, NoAid&, Progress& progress) {
  return studyWalls(*in.part, in.up, progress);
}
const Node<StudyIn, Study> kStudy{"study", 1, studied};
const Node<StudyIn, std::vector<Wall>> kWalls{"walls", 1, walls};

struct BallsIn {
  std::shared_ptr<const Part> part;
};
LargestBalls balls(const BallsIn& in, NoAid&, Progress& progress) {
  return largestBalls(*in.part, std::min(kStudiedBall, 0.25 * in.part->mesh.bounds().diagonal()), kBallPlaces, progress);
}
const Node<BallsIn, LargestBalls> kBalls{"largest balls", 1, balls};

struct SurroundingsIn {
  Ref<Study> study;
  std::shared_ptr<const Part> part;
  Vec3 up;
  double lean = 0;       ///< radians
  std::size_t finer = 1; ///< times the places
};
Surroundings surroundings(const SurroundingsIn& in, NoAid&, Progress& progress) {
  return studySurroundings(*in.part, in.up, in.study->ground, in.lean, in.finer, progress);
}
const Node<SurroundingsIn, Surroundings> kSurroundings{"surroundings", 1, surroundings};

struct RegionsIn {
  std::shared_ptr<const Part> part;
  std::vector<Region> regions; ///< without their promises, which move no border
  std::vector<Rail> rails;
  std::vector<std::string> apart; ///< regions that are wanted as surfaces
  Ref<LargestBalls> balls;        ///< where some region is told by them
};
using Grounds = std::vector<std::shared_ptr<const RegionGround>>;
Grounds grounds(const RegionsIn& in, NoAid&, Progress&) {
  return groundsOf(*in.part, in.regions, in.rails, in.apart, in.balls.value.get());
}
const Node<RegionsIn, Grounds> kGrounds{"regions", 1, grounds};

struct ClampingIn {
  Machine machine;               ///< with this clamping's work zero
  Frame frame;                   ///< how the part stands
  std::vector<Fixture> fixtures; ///< without how hard they press, which moves no body
  std::vector<FileIn> meshes;    ///< of fixtures that have one, in order
};
ClampingState stand(const ClampingIn& in, NoAid&, Progress& progress) {
  ClampingState state;
  state.frame = in.frame, state.fixtures = in.fixtures.size();
  state.machine = std::make_shared<Machine>(in.machine);
  const auto stands = [&](std::vector<Vec3> soup, const std::string& name) {
    for (Vec3& v : soup) v = state.frame.out(v);
    state.bodies.push_back({name, partFromTriangles(soup, name)});
  };
  auto file = in.meshes.begin();
  for (const Fixture& f : in.fixtures)
    stands(fixtureTriangles(f, f.kind == FixtureKind::Mesh ? (file++)->path : std::string(), progress), f.name);
  for (const FileIn& f : in.meshes) mustBeUnchanged(f);
  if (auto table = tableTriangles(in.machine); !table.empty()) stands(std::move(table), "machine table");
  return state;
}
const Node<ClampingIn, ClampingState> kStand{"clamping", 1, stand};

struct StockIn {
  std::shared_ptr<const Part> part; ///< null for a blank that does not ask for it
  StockPlan plan;
  std::optional<FileIn> file;
  std::optional<LengthUnit> unit;
};
StockState blank(const StockIn& in, NoAid&, Progress& progress) {
  progress.report(0, "laying the stock");
  const StockPlan& p = in.plan;
  StockState state{{}, contentKey(std::string("blank"), in), 0};
  if (p.kind == "mesh") {
    ReadOptions o;
    o.unit = in.unit;
    state.stock = Stock::mesh(readPart(in.file->path, o, progress)->mesh, p.cell, progress);
    mustBeUnchanged(*in.file);
  } else if (p.kind == "cylinder") {
    state.stock = Stock::cylinder(p.base, p.radius, p.height, p.cell, p.axis, p.bore);
  } else if (p.kind == "offset") {
    state.stock = Stock::offset(in.part->mesh, p.offset, p.cell, progress);
  } else {
    Box box = in.part->mesh.bounds();
    for (int k = 0; k < 3; ++k) {
      box.low[k] -= p.margin[static_cast<std::size_t>(2 * k)];
      box.high[k] += p.margin[static_cast<std::size_t>(2 * k + 1)];
    }
    state.stock = Stock::box(box, p.cell);
  }
  state.own = state.stock.memory();
  return state;
}
const Node<StockIn, StockState> kBlank{"stock", 1, blank};

/// Is some region told by the largest balls of its ground?
bool asksForBalls(const Job& job) {
  return std::any_of(job.regions.begin(), job.regions.end(), [](const Region& r) {
    return std::any_of(r.pieces.begin(), r.pieces.end(), [](const Piece& p) { return std::holds_alternative<RadiusPiece>(p.what); });
  });
}

/// Regions whose ground is held apart: protected, or with an allowance of their own.
std::vector<std::string> regionsApart(const Job& job) {
  std::vector<std::string> out;
  for (const Region& region : job.regions)
    if (region.use == RegionUse::Protected || std::any_of(job.steps.begin(), job.steps.end(), [&](const Step& s) {
          const auto* rough = s.as<LevelRoughing>();
          return rough && rough->own.count(region.name) > 0;
        }))
      out.push_back(region.name);
  return out;
}

} // namespace

constexpr double kFinestChord = 2e-4; // mm

double tessellationChord(const Job& job) {
  double finest = kInfinity;
  for (const Step& s : job.steps)
    if (s.promises.cusp && *s.promises.cusp > 0) {
      finest = std::min(finest, kCuspShare * *s.promises.cusp);
      if (s.promises.gouge && *s.promises.gouge > 0) finest = std::min(finest, kGougeShare * *s.promises.gouge);
    }
  if (!(finest < kFinite)) return ReadOptions().chord;
  // In steps: a promise that is changed a little keeps the net, and with it all that was computed on it. Promises are mostly 1, 2 or 5 of
  // something: they lie well inside of a step.
  return std::clamp(kFinestChord * std::exp2(std::floor(std::log2(std::max(finest, kFinestChord) / kFinestChord))), kFinestChord, 0.01);
}

JobResult Evaluator::prepare(const Job& job, const std::string& jobPath, Progress& progress, Studied studied,
                             const std::function<void(const std::shared_ptr<const Part>&)>& seen) {
  JobResult r;
  const auto of = [&](const auto& node, const auto& in) { return results_.of(node, in, progress); };
  const auto input = [&](const char* what, const std::string& file) {
    FileIn in = fileIn(file);
    r.inputs.push_back({what, file, in.bytes});
    return in;
  };
  const std::string partPath = resolve(jobPath, job.partFile);
  const FileIn partFile = input("model", partPath);
  if (!job.partHash.empty() && job.partHash != partFile.bytes.text())
    throw Error(Fault::ModelChanged, "The model has changed since the job was saved", partPath,
                "Accept the model as it is now (regions and rails are then looked for on it), or restore the old file.");
  r.part = of(kReadPart, PartIn{partFile, job.partUnit, tessellationChord(job)})->part;
  if (seen) seen(r.part);
  const Vec3 up = job.steps.empty() ? Vec3(Vec3::UnitZ()) : placeStep(job, job.steps.front()).step.axis;
  Ref<Study> study;
  if (studied != Studied::ForSteps) {
    study = of(kStudy, StudyIn{r.part, up});
    r.study = study.value, r.walls = of(kWalls, StudyIn{r.part, up}).value;
  }
  Ref<LargestBalls> largest;
  if (studied != Studied::ForSteps || asksForBalls(job)) largest = of(kBalls, BallsIn{r.part});
  r.balls = largest.value;
  RegionsIn regions{r.part, job.regions, job.rails, regionsApart(job), asksForBalls(job) ? largest : Ref<LargestBalls>()};
  for (Region& region : regions.regions) region.finish.reset(), region.tolerance.reset();
  r.regions = *of(kGrounds, regions);

  const std::string machinePath = resolve(jobPath, job.machineFile);
  input("machine", machinePath);
  const Machine machine = readMachine(machinePath);
  for (const Clamping& c : job.clampings) {
    ClampingIn in{machine, frameOf(c), c.fixtures, {}};
    in.machine.workOffset = c.workZero.value_or(machine.workOffset);
    for (Fixture& f : in.fixtures) f.force.reset(), f.friction = Fixture().friction;
    for (const Fixture& f : c.fixtures)
      if (f.kind == FixtureKind::Mesh) in.meshes.push_back(input("fixture", resolve(jobPath, f.file)));
    r.clampings.push_back(of(kStand, in).value);
  }
  r.machine = r.clampings.front()->machine, r.asked = job.clampings;
  if (studied != Studied::ForSteps) {
    SurroundingsIn in{study, r.part, up, r.machine->leans(), 1};
    const Key about = contentKey(in);
    if (studied == Studied::Closely) finelyStudied_.insert(about);
    if (finelyStudied_.count(about) > 0) in.finer = kFiner;
    r.around = of(kSurroundings, in).value;
  }
  StockIn stockIn{job.stock.kind == "box" || job.stock.kind == "offset" ? r.part : nullptr, job.stock, {}, {}};
  if (job.stock.kind == "mesh") {
    stockIn.file = input("stock", resolve(jobPath, job.stock.file));
    // As the part's file where that has no unit either, else mm, as fixtures are.
    if (formatNeedsUnit(job.stock.file)) stockIn.unit = job.partUnit.value_or(LengthUnit::Millimetre);
  }
  r.stock = of(kBlank, stockIn).value;
  const Box part = r.part->mesh.bounds(), stock = r.stock->stock.bounds();
  for (int k = 0; k < 3; ++k)
    if (part.low[k] < stock.low[k] - 1e-3 || part.high[k] > stock.high[k] + 1e-3)
      throw Error(Fault::OutOfRange, fmt::format("The stock is smaller than the part along {}", "xyz"[k]), "stock",
                  "Give it a larger size or margin.");
  return r;
}

} // namespace hemline
