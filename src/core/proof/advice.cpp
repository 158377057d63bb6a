#include "proof/advice.h"
#include "base/units.h"
#include "cutter/mount.h"
#include "proof/moving_body.h"

namespace hemline {

std::optional<double> shortestStickOut(const Cutter& cutter, const Holder& holder, const Path& path, const OtherWays& ways,
                                       const std::vector<Obstacle>& obstacles, const ClearanceOptions& clearance,
                                       const AdviceOptions& options, Progress& progress) {
  ClearanceOptions verdict = clearance;
  verdict.verdictOnly = true;
  const auto clear = [&](double stickOut) {
    Assembly a = assemble(cutter, holder, stickOut);
    addSpindleNose(a, options.nose);
    return proveClearance(a, path, ways, obstacles, verdict, progress).unproven == 0;
  };
  const auto range = stickOuts(cutter, holder);
  if (!range || !clear(range->most)) return std::nullopt;
  double high = range->most, low = range->least;
  if (clear(low)) return low;
  while (high - low > options.step) {
    const double middle = 0.5 * (low + high);
    (clear(middle) ? high : low) = middle;
  }
  return high;
}

std::optional<double> clearOfStock(const Cutter& cutter, const Holder& holder, double from, const Stock& stock, const Path& path,
                                   const OtherWays& ways, const ClearanceOptions& clearance, const AdviceOptions& options,
                                   Progress& progress) {
  const double fine = 5 * options.step; // each try cuts the whole path
  const auto range = stickOuts(cutter, holder);
  if (!range) return std::nullopt;
  const auto lacks = [&](double stickOut) {
    Assembly a = assemble(cutter, holder, stickOut);
    addSpindleNose(a, options.nose);
    Stock cut = stock; // shares its blocks until they are cut
    const ClearanceResult r = cutAndProve(cut, a, path, ways, false, clearance, progress).clearance;
    return r.unproven == 0 ? 0.0 : std::max(fine, clearance.wanted + clearance.uncertainty - r.least.bound);
  };
  double low = from, high = from;
  for (double more = lacks(from); more > 0; more = lacks(high)) {
    if (high >= range->most) return std::nullopt;
    low = high, high = std::min(high + more, range->most);
  }
  while (high - low > fine) {
    const double middle = 0.5 * (low + high);
    (lacks(middle) > 0 ? low : high) = middle;
  }
  return high;
}

std::vector<HolderAdvice> betterHolders(const Cutter& cutter, const std::string& holder, double stickOut,
                                        const std::vector<Holder>& library, const Path& path, const OtherWays& ways,
                                        const std::vector<Obstacle>& obstacles, const ClearanceOptions& clearance,
                                        const AdviceOptions& options, Progress& progress) {
  std::vector<HolderAdvice> out;
  for (const Holder& h : library) {
    if (h.name == holder) continue;
    if (const auto s = shortestStickOut(cutter, h, path, ways, obstacles, clearance, options, progress); s && *s < stickOut - options.step)
      out.push_back({h.name, *s});
  }
  std::stable_sort(out.begin(), out.end(), [](const HolderAdvice& a, const HolderAdvice& b) { return a.stickOut < b.stickOut; });
  return out;
}

std::optional<TiltAdvice> smallestTilt(const Assembly& assembly, const Path& path, const std::vector<std::size_t>& locations,
                                       const std::vector<Obstacle>& obstacles, const ClearanceOptions& clearance, Progress& progress) {
  if (locations.empty()) return std::nullopt;
  const MovingBody bodies(assembly.bodies, nullptr, assembly.reach);
  const double R = assembly.profile.ballRadius();
  const auto clear = [&](const Location& l, const Vec3& axis) {
    const Vec3 pivot = R > 0 ? Vec3(l.tip + R * l.axis) : l.normal.squaredNorm() > 0 ? l.contact : l.tip;
    const PoseOf pose{pivot + Eigen::Quaterniond::FromTwoVectors(l.axis, axis) * (l.tip - pivot), axis};
    for (const Obstacle& o : obstacles) {
      const double wanted = clearance.wanted + clearance.uncertainty + (o.isPart ? clearance.facetError : 0);
      if (bodies.distance(*o.tree, pose, pose, wanted, 1e-3).low < wanted) return false;
    }
    return true;
  };
  Vec3 e1, e2;
  frameAround(path.locations[locations.front()].axis, e1, e2);
  for (double angle = radians(0.5); angle <= radians(45) + 1e-9; angle += radians(0.5)) {
    progress.check();
    for (int k = 0; k < 16; ++k) {
      const Vec3 towards = std::cos(kPi * k / 8) * e1 + std::sin(kPi * k / 8) * e2;
      bool all = true;
      for (std::size_t i = 0; all && i < locations.size(); ++i) {
        const Location& l = path.locations[locations[i]];
        const Vec3 across = (towards - towards.dot(l.axis) * l.axis).normalized();
        all = clear(l, std::cos(angle) * l.axis + std::sin(angle) * across);
      }
      if (all) return TiltAdvice{angle, towards, locations.size()};
    }
  }
  return std::nullopt;
}

} // namespace hemline
