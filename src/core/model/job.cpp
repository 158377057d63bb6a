#include "model/job.h"
#include "base/error.h"

namespace hemline {

const Cutter& Job::cutter(const std::string& wanted) const {
  for (const Cutter& c : cutters)
    if (c.name == wanted) return c;
  throw Error(Fault::Missing, "There is no cutter '" + wanted + "' in the job", name, "Add it to the job's cutters or choose another.")
      .mendedBy("cutter");
}

const Holder& Job::holder(const std::string& wanted) const {
  for (const Holder& h : holders)
    if (h.name == wanted) return h;
  throw Error(Fault::Missing, "There is no holder '" + wanted + "' in the job", name, "Add it to the job's holders or choose another.")
      .mendedBy("holder");
}

const Rail& Job::rail(const std::string& wanted, const char* row) const {
  for (const Rail& r : rails)
    if (r.name == wanted) return r;
  throw Error(Fault::Missing, "There is no rail '" + wanted + "' in the job", name, "Draw it in Study or choose another.").mendedBy(row);
}

const Rail& Job::lineRail(const std::string& wanted, const char* row) const {
  const Rail& r = rail(wanted, row);
  if (r.isPlace())
    throw Error(Fault::Cannot, "Rail '" + wanted + "' is a single place, no line", name, "Choose a rail of two places or more.")
        .mendedBy(row);
  return r;
}

std::vector<std::string*> filesOf(Job& job) {
  std::vector<std::string*> out{&job.partFile, &job.machineFile, &job.stock.file};
  for (Step& s : job.steps)
    if (auto* given = s.as<GivenPathStep>()) out.push_back(&given->file);
  for (Clamping& c : job.clampings)
    for (Fixture& f : c.fixtures) out.push_back(&f.file);
  return out;
}

void renamedRegion(Job& job, const std::string& before, const std::string& now) {
  for (Step& s : job.steps) {
    if (Finishing* f = s.finishing()) std::replace(f->regions.begin(), f->regions.end(), before, now);
    if (auto* rough = s.as<LevelRoughing>())
      if (auto own = rough->own.extract(before)) own.key() = now, rough->own.insert(std::move(own));
  }
  for (Waiver& w : job.waivers)
    if (w.step == "region " + before) w.step = "region " + now;
}

void renamedRail(Job& job, const std::string& before, const std::string& now) {
  const auto rename = [&](std::vector<std::string>& names) { std::replace(names.begin(), names.end(), before, now); };
  for (Step& s : job.steps) {
    if (Boundary* within = s.within(); within && within->rail == before) within->rail = now;
    std::visit(
        [&](auto& body) {
          if constexpr (requires { body.rails; }) rename(body.rails);
          if constexpr (requires { body.from.rails; }) rename(body.from.rails), rename(body.from.with);
        },
        s.body);
  }
  for (Region& region : job.regions)
    for (Piece& p : region.pieces)
      if (auto* within = std::get_if<RailPiece>(&p.what); within && within->rail == before) within->rail = now;
}

void removedRegion(Job& job, const std::string& name) {
  for (Step& s : job.steps) {
    if (Finishing* f = s.finishing()) std::erase(f->regions, name);
    if (auto* rough = s.as<LevelRoughing>()) rough->own.erase(name);
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
  const auto* rough = step.as<LevelRoughing>();
  const double thins = rough && rough->engagement ? std::sin(std::min(*rough->engagement, kPi / 2)) : 1.0;
  feed = step.feed > 0 ? step.feed : rpm * c.teeth * c.feedPerTooth / thins;
}

} // namespace hemline
