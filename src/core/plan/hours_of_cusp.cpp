#include "plan/hours_of_cusp.h"
#include "base/text.h"
#include "finishing/cusp_metric.h"
#include "job/estimate.h"
#include "plan/costs.h"
#include <fmt/format.h>

namespace hemline {
namespace {

constexpr int kEachWay = 4;         // points to each side of the promise
constexpr double kWidestTimes = 4;  // times the promised cusp, and its share
constexpr double kSaves = 0.8;      // of the time is left by twice the cusp where the curve flattens
constexpr double kWidestCusp = 0.2; // of the cutter's radius: beyond it passes leave ridges, not cusps

/// See HoursOfCusp::knee; to a 50th of the cusp.
std::optional<double> kneeOf(const HoursOfCusp& hours) {
  for (double cusp = hours.points.front().cusp; 2 * cusp <= hours.points.back().cusp; cusp *= 1.02)
    if (hours.timeAt(2 * cusp) > kSaves * hours.timeAt(cusp)) return cusp;
  return std::nullopt;
}

} // namespace

double HoursOfCusp::timeAt(double cusp) const {
  if (cusp <= points.front().cusp) return points.front().time;
  for (std::size_t i = 1; i < points.size(); ++i)
    if (cusp <= points[i].cusp) {
      const double x = std::log(cusp / points[i - 1].cusp) / std::log(points[i].cusp / points[i - 1].cusp);
      return points[i - 1].time + x * (points[i].time - points[i - 1].time);
    }
  return points.back().time;
}

HoursOfCusp hoursOfCusp(const Part& part, const Job& job, const StepResult& measured, Progress& progress) {
  const Finishing* f = measured.step.finishing();
  const std::string where = "step '" + measured.step.name + "'";
  if (!f || !measured.step.promises.cusp) throw Error(Fault::Cannot, "Only finishing steps have a cusp", where, "Choose a finishing step.");
  if (!measured.surface || !(measured.efficiency > 0))
    throw Error(Fault::Missing, "Nothing of its ground was measured", where, "Let it be computed first.");
  const Cutter& cutter = job.cutter(measured.step.cutter);
  const Profile profile = makeProfile(cutter);
  HoursOfCusp out;
  out.promised = *measured.step.promises.cusp;
  std::vector<double> least;
  for (int k = -kEachWay; k <= kEachWay; ++k) {
    progress.report((k + kEachWay) / (2.0 * kEachWay + 1), "hours against cusp");
    const double cusp = out.promised * std::pow(kWidestTimes, double(k) / kEachWay);
    if (k > 0 && cusp > kWidestCusp * profile.maxRadius()) break;
    const auto metric = cuspMetric(part, profile,
                                   {cuspSpacedFor(cusp, f->chord),
                                    measured.step.axis,
                                    {f->follow, f->lead, f->tilt},
                                    f->allowance,
                                    f->filletRadius(cutter.diameter / 2)},
                                   progress);
    least.push_back(leastContactLength(part.mesh, measured.surface->region, metric));
    out.points.push_back({cusp, 0, 0});
  }
  const double asPromised = least[kEachWay], path = measured.surface->contactLengthBound / measured.efficiency;
  for (std::size_t k = 0; k < least.size(); ++k) {
    const double times = least[k] / asPromised;
    out.points[k].path = path * times, out.points[k].time = timeWith(measured, times);
  }
  out.knee = kneeOf(out);
  return out;
}

std::vector<std::string> hoursText(const HoursOfCusp& hours, LengthUnit unit) {
  std::vector<std::string> out;
  for (const HoursOfCusp::Point& p : hours.points)
    out.push_back(fmt::format("cusp {:>8}: {:>11}{}", formatLength(p.cusp, unit), formatDuration(p.time),
                              p.cusp == hours.promised ? "  promised" : ""));
  out.push_back(hours.knee ? fmt::format("from {} on twice the cusp saves less than a fifth of the time", formatLength(*hours.knee, unit))
                           : "nowhere here does twice the cusp save less than a fifth of the time: passes rule it");
  return out;
}

} // namespace hemline
