#include "base/parallel.h"
#include "geometry/separation.h"
#include "proof/clearance.h"
#include "proof/moving_body.h"

namespace hemline {
namespace {

constexpr std::size_t kRun = 512; // moves of one task

/// How far the cutter would have to rise to come out of the part: the most that is met, every 2 * grain along a move.
double depthAlong(const Part& part, const Profile& profile, const Location& a, const Location& b, double grain, Vec3& at) {
  double most = 0;
  int hint = -1;
  const int pieces = std::max(1, static_cast<int>(std::ceil((b.tip - a.tip).norm() / (2 * grain))));
  for (int k = 0; k < pieces; ++k) {
    const Touch t = touchAlong(*part.tree, profile, b.axis, a.tip + ((k + 0.5) / pieces) * (b.tip - a.tip), hint);
    hint = t.triangle;
    if (t.hit && t.height > most) most = t.height, at = t.contact;
  }
  return most;
}

} // namespace

Measured proveKeep(const Part& part, const Profile& profile, const Path& path, double keep, double grain, Progress& progress) {
  constexpr double kFine = 1e-4;  // mm to which a distance is found
  constexpr double kTouch = 1e-9; // mm: what touches is always looked at
  const std::size_t n = path.locations.size();
  struct Worst {
    double value = 0, bound = 0;
    Vec3 at = Vec3::Zero();
  };
  std::vector<Worst> worst((n + kRun - 1) / kRun);
  parallelChunks(n, kRun, [&](std::size_t first, std::size_t last) {
    Worst& w = worst[first / kRun];
    for (std::size_t i = std::max<std::size_t>(first, 1); i < last; ++i) {
      progress.check();
      const Location &a = path.locations[i - 1], &b = path.locations[i];
      if (b.motion == Motion::Rapid) continue;
      const Vec3 &axis = b.axis, way = b.tip - a.tip;
      // The body a straight move sweeps is convex, and so are a triangle and a box.
      const auto farthest = [&](const Vec3& d) -> Vec3 { return (d.dot(way) > 0 ? b.tip : a.tip) + farthestOf(profile, axis, d); };
      const Vec3 inside = 0.5 * (a.tip + b.tip) + 0.5 * profile.length() * axis;
      // The least that is shown to be kept: what is nowhere less than the worst so far is not looked at closer.
      double low = std::max(keep - w.bound, kTouch), high = 1e300;
      const double before = low;
      Vec3 at = Vec3::Zero();
      part.tree->tree.minimise(
          [&](const Vec3& c, const Vec3& h) {
            const auto box = [&](const Vec3& d) -> DifferencePoint {
              const Vec3 on = c + Vec3(d.x() < 0 ? -h.x() : h.x(), d.y() < 0 ? -h.y() : h.y(), d.z() < 0 ? -h.z() : h.z());
              return {on - farthest(-d), on};
            };
            return separation(box, c - inside, 0.1 * keep + 0.1, low).low;
          },
          [&](int item) {
            const auto t = static_cast<std::size_t>(item);
            const std::array<Vec3, 3> corner{part.mesh.corner(t, 0), part.mesh.corner(t, 1), part.mesh.corner(t, 2)};
            const auto triangle = [&](const Vec3& d) -> DifferencePoint {
              const Vec3& on = farthestOf(corner, d);
              return {on - farthest(-d), on};
            };
            const Separation s = separation(triangle, corner[0] - inside, kFine, low);
            if (s.low >= low) return;
            low = s.low;
            if (s.high < high) high = s.high, at = s.onA;
          },
          low);
      if (low >= before) continue;
      double lacks = keep - high, bound = keep - low;
      if (low <= 0) { // it touches the part
        lacks = keep + depthAlong(part, profile, a, b, grain, at);
        bound = lacks + grain;
      }
      w.bound = std::max(w.bound, bound);
      if (lacks > w.value) w.value = lacks, w.at = at;
    }
    progress.report(double(last) / double(n), "distance kept from the part");
  });
  Measured out;
  out.known = true;
  for (const Worst& w : worst) {
    if (w.value > out.value) out.value = w.value, out.at = w.at;
    out.bound = std::max(out.bound, w.bound);
  }
  out.bound += part.facetError;
  return out;
}

} // namespace hemline
