#include "finishing/cusp_metric.h"
#include "base/threads.h"
#include "surface/shape_operator.h"
#include <Eigen/Dense>

namespace hemline {
namespace {

using Mat2 = Eigen::Matrix2d;

constexpr int kRounds = 3;        // of smoothing curvatures of facets
constexpr double kSharp = 0.05;   // mm: radius that sharp corners count as
constexpr double kWidest = 0.7;   // cutter radii: passes never lie farther apart
constexpr double kTightest = 0.1; // of what is left of a step where the ground is offset onto its centre of curvature

/// Curvature along the profile and around the axis where its outward normal is (sin, -cos).
struct Principal {
  double meridian, around;
};
Principal principalAt(const Profile& profile, double sine, double cosine) {
  const double angle = std::atan2(sine, cosine);
  Vec2 at = profile.support(sine, cosine);
  Principal out{1 / kSharp, 0};
  for (const ProfilePiece& p : profile.pieces()) {
    if (angle < p.angleA - 1e-9 || angle > p.angleB + 1e-9) continue;
    out.meridian = p.radius > 0 ? 1 / std::max(p.radius, kSharp) : 0;
    if (p.radius > 0) break; // of an arc and a line that meet there the arc
  }
  out.around = at.x() > 1e-9 ? sine / at.x() : out.meridian;
  return out;
}

/// The larger of M's eigenvalues and the least allowed one.
Mat2 atLeast(const Mat2& m, double least) {
  const Eigen::SelfAdjointEigenSolver<Mat2> of(m);
  return of.eigenvectors() * of.eigenvalues().cwiseMax(least).asDiagonal() * of.eigenvectors().transpose();
}

/// Bend of the virtual fillet over a facet, in its frame; nothing where there is none.
std::optional<Mat2> filletBend(const Placing& placing, const Mesh& mesh, std::size_t t, const Eigen::Matrix<double, 3, 2>& e,
                               double radius) {
  const Vec3 mid = (mesh.corner(t, 0) + mesh.corner(t, 1) + mesh.corner(t, 2)) / 3;
  const auto centre = placing.filletCentre(mid, mesh.facetNormal(t));
  if (!centre) return std::nullopt;
  const Vec2 across = e.transpose() * (*centre - mid);
  if (!(across.norm() > 1e-9)) return std::nullopt;
  return Mat2(-across * across.transpose() / across.squaredNorm() / radius);
}

} // namespace

Mat3 cutterCurvature(const Profile& profile, const Vec3& n, const Vec3& axis) {
  assert(isUnit(n) && isUnit(axis));
  const double cosine = std::max(0.0, n.dot(axis));
  const Vec3 slope = axis - n.dot(axis) * n;
  const double sine = std::min(1.0, slope.norm());
  const Principal k = principalAt(profile, cosine > 0 ? sine : 1, cosine);
  if (sine < 1e-9) return k.around * (Mat3::Identity() - n * n.transpose());
  const Vec3 t = slope / slope.norm(), s = n.cross(t);
  return k.meridian * t * t.transpose() + k.around * s * s.transpose();
}

std::vector<Mat3> cuspMetric(const Part& part, const Profile& profile, const CuspMetricAsk& ask, Progress& progress) {
  assert(ask.cusp > 0 && isUnit(ask.up));
  const std::vector<Mat3> bend = shapeOperators(part, kRounds, progress);
  std::vector<Mat3> out(bend.size(), Mat3::Zero());
  const double widest = kWidest * profile.maxRadius();
  // Leaning: what counts across a pass, on a plane.
  double across = 0;
  if (ask.tilt.follow) {
    const Vec3 n = Vec3::UnitZ(), f = Vec3::UnitX();
    const Mat3 k = cutterCurvature(profile, n, leanAxis(n, f, ask.tilt.lead, ask.tilt.tilt));
    const double ff = k(0, 0), det = k(0, 0) * k(1, 1) - k(0, 1) * k(0, 1);
    across = ff > 1e-12 ? det / ff : k(1, 1);
  }
  const Placing placing(part, profile, ask.up, ask.tilt, ask.allowance, nullptr, ask.fillet);
  parallelChunks(out.size(), 4096, [&](std::size_t first, std::size_t last) {
    progress.check();
    for (std::size_t t = first; t < last; ++t) {
      const Vec3 n = part.mesh.facetNormal(t);
      if (!(n.squaredNorm() > 0.5)) continue;
      Eigen::Matrix<double, 3, 2> e;
      Vec3 u, v;
      frameAround(n, u, v);
      e << u, v;
      const auto fillet = ask.fillet > 0 ? filletBend(placing, part.mesh, t, e, ask.fillet) : std::nullopt;
      const Mat2 ground = fillet ? *fillet : Mat2(e.transpose() * bend[t] * e);
      const Mat2 cutter = ask.tilt.follow ? Mat2(across * Mat2::Identity()) : Mat2(e.transpose() * cutterCurvature(profile, n, ask.up) * e);
      // The cutter rolls on the ground offset by the allowance: steps there are (1 + a K) times those here.
      const Mat2 step = atLeast(Mat2::Identity() + ask.allowance * ground, kTightest);
      const Mat2 relative = step * cutter * step + ground * step;
      const Mat2 m = atLeast(0.5 * (relative + relative.transpose()) / (8 * ask.cusp), 1 / (widest * widest));
      out[t] = e * m * e.transpose();
    }
  });
  return out;
}

double stepOf(const Mat3& metric, const Vec3& n, const Vec3& slope) {
  Eigen::Matrix<double, 3, 2> e;
  Vec3 u, v;
  frameAround(n, u, v);
  e << u, v;
  const Mat2 m = e.transpose() * metric * e;
  const Vec2 s = e.transpose() * slope;
  return std::sqrt(s.dot(m.inverse() * s));
}

double widestStep(std::vector<std::pair<double, double>> steps) {
  assert(!steps.empty());
  std::sort(steps.begin(), steps.end());
  double all = 0, so = 0;
  for (const auto& [step, ground] : steps) all += ground;
  for (const auto& [step, ground] : steps)
    if ((so += ground) > kCrossed * all) return step;
  return steps.back().first;
}

double leastContactLength(const Mesh& mesh, const std::vector<char>& region, const std::vector<Mat3>& metric) {
  assert(region.size() == mesh.triangles.size() && metric.size() == region.size());
  double length = 0;
  for (std::size_t t = 0; t < region.size(); ++t) {
    if (!region[t]) continue;
    // The metric has nothing along the normal: its least other eigenvalue, from trace and the squares' sum.
    const double sum = metric[t].trace(), squares = metric[t].squaredNorm(), apart = std::sqrt(std::max(0.0, 2 * squares - sum * sum));
    length += mesh.facetArea(t) * std::sqrt(std::max(0.0, 0.5 * (sum - apart)));
  }
  return length;
}

} // namespace hemline
