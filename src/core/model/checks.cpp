// Values of a job held against each other. What one value may be by itself: base/ranges.h.
#include "base/error.h"
#include "model/fields.h"
#include <cmath>
#include <fmt/format.h>
#include <set>

namespace hemline {
namespace {

void checkRegions(const Job& job) {
  std::set<std::string> names;
  for (const Region& r : job.regions) {
    const std::string where = "region '" + r.name + "'";
    if (!names.insert(r.name).second)
      throw Error(Fault::Clash, "Two regions have one name", r.name, "Name them apart: steps and promises go by it.");
    for (const auto& [value, what] : {std::pair(r.finish, "finish"), std::pair(r.tolerance, "tolerance")})
      if (value && !(*value > 0 && std::isfinite(*value)))
        throw Error(Fault::OutOfRange, fmt::format("The promised {} is not more than 0", what), where, "Promise none, or more than 0.");
    if (r.use != RegionUse::Finish && r.finish)
      throw Error(Fault::Clash, "A region that no step finishes promises a finish", where, "Take the promise away, or let it be finished.");
    if (!std::isfinite(r.grow)) throw Error(Fault::NotUnderstood, "The border is moved by what is not a number", where, "Give it in mm.");
  }
  names.clear();
  for (const Rail& r : job.rails)
    if (!names.insert(r.name).second) throw Error(Fault::Clash, "Two rails have one name", r.name, "Name them apart.");
}

/// Steps go by the names of cutters and holders.
template <class List> void checkNames(const List& list, const char* what) {
  std::set<std::string> names;
  for (const auto& one : list)
    if (!names.insert(one.name).second)
      throw Error(Fault::Clash, fmt::format("Two {} of the job have one name", what), one.name, "Name them apart: steps go by it.");
}

void checkAssembly(const Job& job, const Step& s, const std::string& where) {
  const Cutter& c = job.cutter(s.cutter);
  assemble(c, job.holder(s.holder), s.stickOut);
  if (s.asSet.runout && !(*s.asSet.runout >= 0 && *s.asSet.runout < 1))
    throw Error(Fault::OutOfRange, "The measured runout is not from 0 to 1 mm", where, "Give the full reading of the indicator.")
        .mendedBy("as_set.runout_mm");
  if (s.asSet.lengthOff && !(std::abs(*s.asSet.lengthOff) < 5))
    throw Error(Fault::OutOfRange, "The length is off by 5 mm or more", where,
                "Touch the cutter off again; such an offset must not be run.")
        .mendedBy("as_set.length_off_mm");
  if (s.asSet.diameter && !(std::abs(*s.asSet.diameter - c.diameter) < 0.2 * c.diameter))
    throw Error(Fault::OutOfRange, "The measured diameter is more than a fifth off the cutter's", where,
                "Check the cutter, or take another one into the job.")
        .mendedBy("as_set.diameter_mm");
  if (s.asSet.any()) assemble(cutterAsSet(c, s.asSet), job.holder(s.holder), s.asSet.stickOut.value_or(s.stickOut));
}

void checkLimits(const Job& job, const Boundary& within, const std::string& where) {
  hemline::checkBoundary(within.points, where);
  if (within.rail.empty()) return;
  if (!job.rail(within.rail).closed)
    throw Error(Fault::Cannot, "The rail '" + within.rail + "' is open, so it bounds nothing", where, "Choose a closed rail.")
        .mendedBy("rail");
  if (!within.points.empty())
    throw Error(Fault::Clash, "The step has a rail and a boundary of its own", where, "Take one of them away.").mendedBy("rail");
}

void checkFillets(const Cutter& cutter, const Finishing& f, const std::string& where) {
  const double radius = f.filletRadius(cutter.diameter / 2);
  if (radius == 0) return;
  if (f.fillet && f.filletMore)
    throw Error(Fault::Clash, "Corners are left round by a radius, and by so much more than the cutter", where, "Take one of them away.")
        .mendedBy("virtual_fillet_more_mm");
  if (cutter.kind != CutterKind::Ball)
    throw Error(Fault::Cannot, "Corners are left round by balls only", where, "Choose a ball, or leave no corners round.")
        .mendedBy(f.fillet ? "virtual_fillet_mm" : "virtual_fillet_more_mm");
  if (!(radius > cutter.diameter / 2))
    throw Error(Fault::OutOfRange, "Corners are left round by no more than the cutter's radius, which it leaves by itself", where,
                fmt::format("Give more than {:g} mm, or none.", cutter.diameter / 2))
        .mendedBy("virtual_fillet_mm");
}

void checkFinishing(const Job& job, const Step& step, const Finishing& f, const std::string& where) {
  if (!step.promises.cusp || !(*step.promises.cusp > 0))
    throw Error(Fault::Missing, "A finishing step must promise a cusp of more than 0", where, "Set it, for instance 2 um.")
        .mendedBy("cusp_mm");
  if (*step.promises.cusp > job.cutter(step.cutter).diameter / 2)
    throw Error(Fault::OutOfRange, "The promised cusp is larger than the cutter's radius", where, "Promise a smaller cusp.")
        .mendedBy("cusp_mm");
  makeProfile(job.cutter(step.cutter)).keeping(f.allowance);
  checkFillets(job.cutter(step.cutter), f, where);
  std::visit(
      [&](const auto& body) {
        if constexpr (requires { body.from.rails; }) {
          for (const std::string& name : body.from.rails) job.rail(name, FrontsFrom::kRow);
          for (const std::string& name : body.from.with) job.lineRail(name, FrontsFrom::kWithRow);
        }
      },
      step.body);
  for (const std::string& name : f.regions) {
    const auto r = std::find_if(job.regions.begin(), job.regions.end(), [&](const Region& x) { return x.name == name; });
    if (r == job.regions.end())
      throw Error(Fault::Missing, "There is no region '" + name + "' in the job", where, "Choose another, or none for all ground.")
          .mendedBy("regions");
    if (r->use != RegionUse::Finish)
      throw Error(Fault::Clash,
                  fmt::format("The region '{}' is {}, and the step would finish it", name,
                              r->use == RegionUse::Left ? "left on purpose" : "protected"),
                  where, "Choose another region, or change what this one is for.")
          .mendedBy("regions");
  }
}

/// `earlier`: the clamping of the step before.
void checkStep(const Job& job, const Step& s, int earlier) {
  const std::string where = "step '" + s.name + "'";
  if (s.clamping < 0 || s.clamping >= static_cast<int>(job.clampings.size()))
    throw Error(Fault::Missing, fmt::format("There is no clamping {}", s.clamping + 1), where,
                fmt::format("The job has {}; choose one of them or add one in Hold.", job.clampings.size()))
        .mendedBy("clamping");
  if (s.clamping < earlier)
    throw Error(Fault::Clash, fmt::format("A step of clamping {} comes after one of clamping {}", s.clamping + 1, earlier + 1), where,
                "Put it before the flip, or make it a clamping of its own: nobody clamps a second time exactly as before.")
        .mendedBy("clamping");
  checkAssembly(job, s, where);
  if (const Boundary* within = s.within()) checkLimits(job, *within, where);
  if (const Finishing* f = s.finishing()) checkFinishing(job, s, *f, where);
  kindOf(s).check(job, s);
}

} // namespace

void checkJob(const Job& job) {
  jobFromJson(toJson(job), "the job"); // what a file may not say, the window may not either
  if (job.steps.empty()) throw Error(Fault::Missing, "The job has no steps", job.name, "Add a roughing or a finishing step.");
  std::set<std::string> names;
  for (const Clamping& c : job.clampings) {
    if (!names.insert(c.name).second)
      throw Error(Fault::Clash, "Two clampings have one name", c.name, "Name them apart: sheets and programs go by it.");
    for (const Fixture& f : c.fixtures) checkFixture(f);
  }
  checkNames(job.cutters, "cutters");
  checkNames(job.holders, "holders");
  checkRegions(job);
  int clamping = 0;
  for (const Step& s : job.steps) {
    try {
      checkStep(job, s, clamping);
    } catch (Error& e) {
      e.step = s.name;
      throw;
    }
    clamping = s.clamping;
  }
}

} // namespace hemline
