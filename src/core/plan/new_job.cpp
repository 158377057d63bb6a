#include "plan/new_job.h"
#include "base/file.h"
#include "base/file_name.h"
#include "cutter/library.h"
#include "cutter/mount.h"
#include "job/report.h"
#include "part/model_notes.h"
#include "study/whole_study.h"
#include <filesystem>
#include <fmt/format.h>

namespace hemline {

namespace fs = std::filesystem;

namespace {

/// A bull nose to go before a ball.
Cutter roughingCutterFor(const CutterLibrary& library, const Cutter& finish, double narrow) {
  std::vector<Cutter> bulls;
  for (const Cutter& c : library.mountable())
    if (c.kind == CutterKind::BullNose) bulls.push_back(c);
  std::sort(bulls.begin(), bulls.end(), [](const Cutter& a, const Cutter& b) { return a.diameter < b.diameter; });
  if (bulls.empty())
    throw Error(Fault::Missing, "The library has no bull nose that one of its holders takes", "cutter library",
                "Add one, or name cutters for roughing and finishing.");
  Cutter rough = bulls.front();
  for (const Cutter& c : bulls)
    if (c.diameter <= 1.6 * finish.diameter && c.diameter <= narrow / 2) rough = c;
  return rough;
}

} // namespace

std::vector<Cutter> finishingBalls(const CutterLibrary& library, double narrow, double reach, double cusp) {
  std::vector<Cutter> balls;
  for (const Cutter& c : library.mountable())
    if (c.kind == CutterKind::Ball) balls.push_back(c);
  std::sort(balls.begin(), balls.end(), [](const Cutter& a, const Cutter& b) { return a.diameter > b.diameter; });
  if (balls.empty())
    throw Error(Fault::Missing, "The library has no ball that one of its holders takes", "cutter library",
                "Add one, or name cutters for roughing and finishing.");
  // A cutter that has to reach ten times its diameter bends and whistles: corners finer than that are left for a step of their own.
  constexpr double kSlender = 10;
  std::vector<Cutter> out;
  Cutter slimmest = balls.back();
  for (const Cutter& c : balls) {
    if (kSlender * c.diameter >= reach) slimmest = c;
    if (kSlender * c.diameter < reach && c.diameter < balls.front().diameter) continue;
    if (c.diameter > narrow || c.diameter / 2 < 2 * cusp) continue;
    out.push_back(c);
  }
  return out.empty() ? std::vector<Cutter>{slimmest} : out;
}

Cutter finishingBall(const std::vector<Cutter>& balls, const StudyParts& studied) {
  const double ground = studied.balls->sampled(studied.study->ground);
  Cutter finish = balls.front();
  double best = -1;
  for (const Cutter& c : balls) {
    const double share = ground > 0 ? studied.balls->finishedBy(c.diameter / 2, studied.study->ground).area / ground : 0;
    // A smaller ball must reach clearly more to be worth its time.
    if (share > best + 0.02) best = share, finish = c;
  }
  return finish;
}

ReadOptions readToChooseBy(double cusp, std::optional<LengthUnit> unit) {
  ReadOptions o;
  o.unit = unit, o.chord = std::clamp(0.5 * cusp, 1e-3, 0.02), o.most = 1'500'000;
  return o;
}

Job newJob(const std::string& partFile, const std::string& jobPath, const NewJobOptions& o, Progress& progress,
           std::vector<std::string>* told) {
  const ReadOptions read = readToChooseBy(o.cusp, o.unit);
  if (!(o.cusp > 0)) throw Error(Fault::OutOfRange, "The cusp must be more than 0", "--cusp", "Promise a cusp, for instance 0.005.");
  const auto part = o.part ? o.part : readPart(partFile, read, progress);
  const CutterLibrary library = readLibrary(o.library.empty() ? (fs::path(o.data) / "cutters/library.json").string() : o.library);
  const Vec3 size = part->mesh.bounds().size();
  Job job;
  job.name = readableName(fs::path(partFile).stem().string());
  const fs::path folder = fs::absolute(fs::path(jobPath)).parent_path();
  job.partFile = fs::relative(fs::absolute(partFile), folder).string();
  job.partHash = hashFile(partFile).text();
  job.partUnit = formatNeedsUnit(partFile) ? o.unit : std::nullopt;
  job.machineFile =
      fs::relative(fs::absolute(o.machine.empty() ? fs::path(o.data) / "machines/mill-3.json" : fs::path(o.machine)), folder).string();
  // The middle of the part over the middle of the table, its foot as high above it as the machine's own work zero: room for what goes
  // below.
  const Machine machine = readMachine((folder / job.machineFile).string());
  const Box& bounds = part->mesh.bounds();
  job.clampings.front().workZero = Vec3(-bounds.center().x(), -bounds.center().y(), machine.workOffset.z() - bounds.low.z());
  const double top = std::max(o.margin, 0.0);
  job.stock.margin = {o.margin, o.margin, o.margin, o.margin, 0, top};
  // An open sheet has no thickness of its own: give the blank some ground to stand on.
  if (size.z() < 1e-6 || !part->report.closed) job.stock.margin[4] = std::max(2.0, 0.05 * size.head<2>().maxCoeff());
  job.stock.cell = std::clamp(std::cbrt(size.x() * size.y() * std::max(size.z(), 1.0)) / 160, 0.15, 2.0);

  // What the study says of the part, and what this takes, is one judgement.
  const Study study = studyPart(*part, Vec3::UnitZ(), progress);
  const LargestBalls fits = largestBalls(*part, std::min(kStudiedBall, 0.25 * part->mesh.bounds().diagonal()), kBallPlaces, progress);
  const Surroundings around = studySurroundings(*part, Vec3::UnitZ(), study.ground, 0, 1, progress);
  const StudyParts studied{&study, &fits, &around, nullptr};
  Cutter finish, rough;
  if (!o.cutters.empty()) {
    rough = library.cutter(o.cutters.front());
    finish = library.cutter(o.cutters.back());
    for (const auto& [c, what] : {std::pair(rough, "rough"), std::pair(finish, "finish")})
      if (c.kind == CutterKind::Drill || c.kind == CutterKind::Chamfer)
        throw Error(Fault::Cannot, fmt::format("'{}' does not {}: it is a {}", c.name, what, kindName(c.kind)), "--cutter",
                    "Name a flat, bull nose, ball, tapered ball or barrel cutter.");
  } else {
    const double narrow = std::min(size.x(), size.y());
    finish = finishingBall(finishingBalls(library, narrow, size.z() + top, o.cusp), studied);
    rough = roughingCutterFor(library, finish, narrow);
  }
  const double cuspMost = 0.25 * finish.diameter;
  if (o.cusp > cuspMost || o.cusp > 0.1 * size.maxCoeff())
    throw Error(Fault::OutOfRange,
                fmt::format("A cusp of {:.4g} mm is none: '{}' is {:.4g} mm wide, the part {:.4g} mm long", o.cusp, finish.name,
                            finish.diameter, size.maxCoeff()),
                "--cusp", "Promise less, for instance 0.01 mm.");
  const auto tell = [&](const std::string& line) {
    if (told) told->push_back(line);
  };
  for (const ModelNote& n : modelNotes(*part))
    if (!n.mended) tell("the model: " + n.what);
  if (finish.kind == CutterKind::Ball)
    if (const std::string left = leavesText(studied, finish.diameter / 2); !left.empty()) {
      const LargestBalls::Sample& t = *fits.tightest(study.ground);
      StudyWishes wishes;
      wishes.library = library.mountable(), wishes.cusp = o.cusp;
      const Ladder ladder = ladderFor(studied, wishes);
      const double wide = 2 * static_cast<double>(t.radius);
      tell(fmt::format("'Finish': '{}' leaves {}; {} (X{:.2f} Y{:.2f} Z{:.2f}){}", finish.name, left,
                       wide < 2 * kSharp ? "no ball fits into the sharp inner corner"
                                         : fmt::format("the largest ball that fits everywhere has {:.3g} mm", wide),
                       t.at.x(), t.at.y(), t.at.z(),
                       ladder.rungs.size() > 1 || (ladder.rungs.size() == 1 && ladder.rungs.front().cutter != finish.name)
                           ? fmt::format("; of the library {} would finish the most: {}", rungNames(ladder), ladderText(ladder))
                           : ""));
    }
  if (const std::string slim = slimText(studied, LengthUnit::Millimetre); !slim.empty()) tell("how it is reached: " + slim);
  for (std::size_t k = 0; k < 3; ++k) {
    const double travel = machine.axis[k].high - machine.axis[k].low;
    if (const double need = size[static_cast<Eigen::Index>(k)] + (k < 2 ? 2 * o.margin + rough.diameter : 0); need > travel)
      tell(fmt::format("the machine: '{}' travels {:.0f} mm along {}, the part asks for {:.0f} mm and more", machine.name, travel,
                       kAxisName[k], need));
  }
  const auto step = [&](const char* name, const StepBody& body, const Cutter& c) {
    Step s;
    s.name = name, s.body = body, s.cutter = c.name;
    const auto mount = mountFor(c, library.holders, std::max(size.z() + top + 3, c.fluteLength + 2));
    if (!mount)
      throw Error(Fault::Cannot, "No holder of the library takes '" + c.name + "'", o.data,
                  fmt::format("Add one with a bore of {:.4g} mm, or name another cutter.", c.shankDiameter));
    const Holder& h = *mount->holder;
    s.holder = h.name, s.stickOut = mount->stickOut;
    if (s.stickOut < size.z() + top)
      tell(fmt::format("'{}': no further than {:.1f} mm out can '{}' be mounted, the part is {:.1f} mm deep: the holder may be in the way",
                       name, s.stickOut, c.name, size.z() + top));
    s.promises.clearance = 0.25;
    if (std::none_of(job.cutters.begin(), job.cutters.end(), [&](const Cutter& k) { return k.name == c.name; })) job.cutters.push_back(c);
    if (std::none_of(job.holders.begin(), job.holders.end(), [&](const Holder& k) { return k.name == h.name; })) job.holders.push_back(h);
    return s;
  };
  if (size.z() + top > 0.2) {
    LevelRoughing levels;
    levels.depth = std::clamp(0.12 * rough.diameter, 0.3, 3.0);
    levels.stepOver = 0.42 * rough.diameter;
    levels.wall = levels.floor = std::clamp(0.03 * rough.diameter, 0.1, 0.5);
    levels.belowEdge = finish.diameter / 2; // room for the ball that finishes the edge
    Step s = step("Rough", levels, rough);
    s.promises.gouge = 0.05;
    job.steps.push_back(s);
  }
  ParallelPasses passes;
  passes.finish.chord = 0.15 * o.cusp, passes.finish.slopeTo = radians(75);
  passes.angle = size.x() >= size.y() ? 0 : kPi / 2; // along the longer side: fewer turns
  Step s = step("Finish", passes, finish);
  s.promises.cusp = o.cusp, s.promises.gouge = std::max(0.001, 0.5 * o.cusp), s.promises.rest = std::max(0.01, o.cusp);
  job.leaveSlopeFrom = radians(85);
  job.steps.push_back(s);
  return job;
}

} // namespace hemline
