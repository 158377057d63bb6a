#include "cutter/spacing.h"
#include "base/units.h"
#include <algorithm>
#include <cassert>

namespace hemline {
namespace {
constexpr int kHalvings = 60;
constexpr double kEdgeOn = 1e-9; // radians: turned so little, a flat's outer end is what touches
} // namespace

PassShadow::PassShadow(const Profile& profile, const SpacingGround& ground) : profile_(profile), ground_(ground) {
  assert(ground.slope >= 0 && ground.slope < kPi / 2);
  lowest_ = -supportOf(0, 1);
  const Vec2 p = ground.uphill ? Vec2::Zero() : touchOf(profile, ground.slope); // uphill it is alike to both sides
  touched_ = -p.x() * std::cos(ground.slope) - p.y() * std::sin(ground.slope);
}

/// Of the shadow, in the direction that runs across the passes and down into the ground (not unit).
double PassShadow::supportOf(double across, double down) const {
  const double s = std::sin(ground_.slope), c = std::cos(ground_.slope);
  // The ground falls along x: its normal is (s, 0, c); across are down the slope (c, 0, -s), or y.
  const double x = ground_.uphill ? -down * s : across * c - down * s, y = ground_.uphill ? across : 0,
               z = ground_.uphill ? -down * c : -across * s - down * c;
  const double length = std::sqrt(x * x + y * y + z * z);
  return length * profile_.supportValue(std::hypot(x, y) / length, z / length);
}

/// The shadow's lower side: the highest of the lines that it lies above (Legendre's transform of its support).
double PassShadow::lower(double u) const {
  // By the angle of the line, over which it has one summit.
  const auto line = [&](double angle) { return u * std::tan(angle) - supportOf(std::tan(angle), 1); };
  const double most = kPi / 2 - 1e-7, golden = 0.5 * (std::sqrt(5.0) - 1);
  double a = -most, b = most, p = b - golden * (b - a), q = a + golden * (b - a), fp = line(p), fq = line(q);
  for (int i = 0; i < 90; ++i) {
    if (fp > fq)
      b = q, q = p, fq = fp, p = b - golden * (b - a), fp = line(p);
    else
      a = p, p = q, fp = fq, q = a + golden * (b - a), fq = line(q);
  }
  const double angle = 0.5 * (a + b);
  return most - std::abs(angle) < 1e-6 ? kInfinity : line(angle) - lowest_;
}

double PassShadow::height(double beside) const {
  return lower(touched_ + beside) + 0.5 * ground_.bend * beside * beside;
}

double PassShadow::cusp(double step) const {
  assert(step >= 0);
  // Height of the one over that of the next rises on the way across, where the ground bends less than the cutter.
  double a = 0, b = step;
  for (int i = 0; i < kHalvings; ++i) {
    const double u = 0.5 * (a + b);
    (height(u) < height(u - step) ? a : b) = u;
  }
  const double h = std::min(height(0.5 * (a + b)), height(0.5 * (a + b) - step));
  // A hollow as tight as the cutter: both lie on it at once.
  return h < -1e-9 ? kInfinity : std::max(0.0, h);
}

double PassShadow::step(double wanted) const {
  double a = 0, b = 2 * (profile_.maxRadius() + profile_.length());
  for (int i = 0; i < kHalvings && b - a > 1e-6 * profile_.maxRadius(); ++i) {
    const double s = 0.5 * (a + b);
    (cusp(s) <= wanted ? a : b) = s;
  }
  return a;
}

Vec2 touchOf(const Profile& profile, double slope) {
  if (slope == 0) return Vec2::Zero();
  return 0.5 * (profile.support(std::sin(slope - kEdgeOn), std::cos(slope - kEdgeOn)) +
                profile.support(std::sin(slope + kEdgeOn), std::cos(slope + kEdgeOn)));
}

double contactRadius(const Profile& profile, double slope) {
  const double t = std::max(slope, kEdgeOn);
  return profile.support(std::sin(t), std::cos(t)).x();
}

double thickestChip(const Profile& profile, double feedPerTooth, double step, double depth) {
  const double radius = profile.radiusAt(std::max(depth, 0.0));
  if (!(radius > 0)) return 0;
  const double share = std::min(step / (2 * radius), 0.5); // of the diameter there
  constexpr double kBeside = 1e-6;                         // mm, up and down the edge
  const double widens = (profile.radiusAt(depth + kBeside) - profile.radiusAt(std::max(0.0, depth - kBeside))) / (2 * kBeside);
  return feedPerTooth * 2 * std::sqrt(share * (1 - share)) / std::hypot(1, widens);
}

} // namespace hemline
