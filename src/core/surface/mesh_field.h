// A field that is told at the points of a mesh; between them linear, or bent as its slopes at the points say.
#pragma once
#include "surface/fine_mesh.h"
#include "surface/surface_field.h"

namespace hemline {

/// How a function grows that is linear on a facet with such values at its corners: in its plane, per mm; zero on degenerate ones.
inline Vec3 slopeOn(const Mesh& mesh, std::size_t facet, double a, double b, double c) {
  const Vec3 e1 = mesh.corner(facet, 1) - mesh.corner(facet, 0), e2 = mesh.corner(facet, 2) - mesh.corner(facet, 0), n = e1.cross(e2);
  const double twice = n.squaredNorm();
  if (!(twice > 0)) return Vec3::Zero();
  return (b - a) * e2.cross(n) / twice + (c - a) * n.cross(e1) / twice;
}

struct MeshField {
  const Mesh* mesh = nullptr; ///< whose points have the values
  const std::vector<double>* values = nullptr;
  const std::vector<Vec3>* slopes = nullptr; ///< at the points, so that passes turn smoothly; null: facet by facet
  /// How far these are to be trusted at each point, 0 to 1: between points the field is bent by them (exact where it is a quadratic and
  /// they are), so that level lines have no kinks where facets meet. Null: it is linear.
  const std::vector<double>* trust = nullptr;
  /// Where places are of a coarser mesh: that, and where they lie here; else null.
  const Mesh* coarse = nullptr;
  const FineMesh* fine = nullptr;

  double value(const SurfacePoint& place, const Place&) const {
    const SurfacePoint at = fine ? fine->find(*coarse, place) : place;
    const auto& t = mesh->triangles[static_cast<std::size_t>(at.facet)];
    const double straight = (1 - at.u - at.v) * of(t[0]) + at.u * of(t[1]) + at.v * of(t[2]);
    return trust ? straight + bend(at, t) : straight;
  }
  Vec3 gradient(const SurfacePoint& place) const {
    const SurfacePoint at = fine ? fine->find(*coarse, place) : place;
    const auto facet = static_cast<std::size_t>(at.facet);
    if (!slopes) return gradientOn(facet);
    const auto& t = mesh->triangles[facet];
    const auto slope = [&](int point) -> const Vec3& { return (*slopes)[static_cast<std::size_t>(point)]; };
    return (1 - at.u - at.v) * slope(t[0]) + at.u * slope(t[1]) + at.v * slope(t[2]);
  }
  /// In the plane of a facet; zero on degenerate ones.
  Vec3 gradientOn(std::size_t facet) const {
    const auto& t = mesh->triangles[facet];
    return slopeOn(*mesh, facet, of(t[0]), of(t[1]), of(t[2]));
  }

  /// Of the facets about each point, by their areas.
  std::vector<Vec3> meanSlopes() const {
    std::vector<Vec3> sum(mesh->points.size(), Vec3::Zero());
    std::vector<double> area(sum.size(), 0);
    for (std::size_t t = 0; t < mesh->triangles.size(); ++t) {
      const Vec3 g = mesh->facetArea(t) * gradientOn(t);
      for (const int p : mesh->triangles[t]) sum[static_cast<std::size_t>(p)] += g, area[static_cast<std::size_t>(p)] += mesh->facetArea(t);
    }
    for (std::size_t p = 0; p < sum.size(); ++p)
      if (area[p] > 0) sum[p] /= area[p];
    return sum;
  }

  /// For `trust`: slopes of points whose facets do not agree with them, at ridges and where fronts begin, say nothing.
  std::vector<double> trusts(const std::vector<Vec3>& slopesThere) const {
    constexpr double kAgrees = 0.15, kDiffers = 0.4; // of the slope
    std::vector<double> most(mesh->points.size(), 0);
    for (std::size_t t = 0; t < mesh->triangles.size(); ++t) {
      const Vec3 g = gradientOn(t);
      for (const int p : mesh->triangles[t]) {
        const Vec3& slope = slopesThere[static_cast<std::size_t>(p)];
        const double off = slope.norm() > 0 ? (g - slope).norm() / slope.norm() : kInfinity;
        most[static_cast<std::size_t>(p)] = std::max(most[static_cast<std::size_t>(p)], off);
      }
    }
    for (double& m : most) m = std::clamp((kDiffers - m) / (kDiffers - kAgrees), 0.0, 1.0);
    return most;
  }

private:
  double bend(const SurfacePoint& at, const std::array<int, 3>& t) const {
    const Vec3 p = pointOn(*mesh, at), flat = gradientOn(static_cast<std::size_t>(at.facet));
    const std::array<double, 3> share{1 - at.u - at.v, at.u, at.v};
    double sum = 0;
    for (std::size_t k = 0; k < 3; ++k) {
      const auto i = static_cast<std::size_t>(t[k]);
      sum += 0.5 * share[k] * (*trust)[i] * ((*slopes)[i] - flat).dot(p - mesh->points[i]);
    }
    return sum;
  }
  double of(int point) const { return (*values)[static_cast<std::size_t>(point)]; }
};

} // namespace hemline
