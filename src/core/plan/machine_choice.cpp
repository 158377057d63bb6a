#include "plan/machine_choice.h"
#include <filesystem>
#include <fmt/format.h>
#include <map>

namespace hemline {

std::vector<MachineFit> fitMachines(const Job& job, const JobResult& result, const std::vector<std::string>& files, LengthUnit unit) {
  std::vector<MachineFit> out;
  for (const std::string& file : files) {
    const Machine shipped = readMachine(file);
    MachineFit fit;
    fit.name = shipped.name;
    std::map<std::size_t, double> beyond; // by axis
    double fast = 0, wide = 0;
    bool tilts = false;
    for (const auto& s : result.steps) {
      Machine machine = shipped;
      if (const auto& zero = job.clampings[static_cast<std::size_t>(s->step.clamping)].workZero) machine.workOffset = *zero;
      const Path path = pathInClamping(*s);
      if (!machine.fiveAxis &&
          std::any_of(path.locations.begin(), path.locations.end(), [](const Location& l) { return l.axis.z() < 1 - 1e-9; })) {
        tilts = true;
        continue;
      }
      for (const LimitViolation& v : solveJoints(machine, path).violations) {
        const auto a = static_cast<std::size_t>(v.axis);
        beyond[a] = std::max({beyond[a], machine.axis[a].low - v.value, v.value - machine.axis[a].high});
      }
      if (!machine.spindle.empty()) fast = std::max(fast, s->rpm - machine.spindle.back().rpm);
      Box stands = s->held->frame.into(result.stock->stock.bounds());
      for (std::size_t k = 0; k < job.clampings[static_cast<std::size_t>(s->step.clamping)].fixtures.size(); ++k)
        for (const Vec3& p : s->held->bodies[k].body->mesh.points) stands.add(s->held->frame.into(p));
      for (int a = 0; a < 2; ++a) {
        const double low = stands.low[a] + machine.workOffset[a], high = stands.high[a] + machine.workOffset[a];
        if (machine.tableRadius > 0)
          wide = std::max({wide, -low - machine.tableRadius, high - machine.tableRadius});
        else if (machine.table.size().minCoeff() > 0)
          wide = std::max({wide, machine.table.low[a] - low, high - machine.table.high[a]});
      }
    }
    if (tilts) fit.why.push_back("it cannot tilt the cutter");
    for (const auto& [a, by] : beyond)
      fit.why.push_back(a < 3 ? fmt::format("{} leaves its travel by {}", kAxisName[a], formatLength(by, unit))
                              : fmt::format("{} leaves its travel by {:.1f}\u00b0", kAxisName[a], degrees(by)));
    if (fast > 0) fit.why.push_back(fmt::format("the spindle is {:.0f} rpm too slow", fast));
    if (wide > 0) fit.why.push_back(fmt::format("work or fixtures stand {} over the table's edge", formatLength(wide, unit)));
    fit.fits = fit.why.empty();
    out.push_back(std::move(fit));
  }
  return out;
}

std::vector<std::string> machinesIn(const std::string& folder) {
  std::vector<std::string> out;
  std::error_code none;
  for (const auto& entry : std::filesystem::directory_iterator(folder, none))
    if (entry.path().extension() == ".json") out.push_back(entry.path().string());
  std::sort(out.begin(), out.end());
  return out;
}

std::string machineFitText(const MachineFit& fit) {
  std::string out = fit.name + ": ";
  if (fit.fits) return out + "all within travel, spindle and table (clearance is proven for the job's own machine only)";
  for (std::size_t k = 0; k < fit.why.size(); ++k) out += (k ? "; " : "") + fit.why[k];
  return out;
}

} // namespace hemline
