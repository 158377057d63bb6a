// A field that is told at the points of a mesh, linear between them.
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
  /// Where places are of a coarser mesh: that, and where they lie here; else null.
  const Mesh* coarse = nullptr;
  const FineMesh* fine = nullptr;

  double value(const SurfacePoint& place, const Place&) const {
    const SurfacePoint at = fine ? fine->find(*coarse, place) : place;
    const auto& t = mesh->triangles[static_cast<std::size_t>(at.facet)];
    return (1 - at.u - at.v) * of(t[0]) + at.u * of(t[1]) + at.v * of(t[2]);
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

private:
  double of(int point) const { return (*values)[static_cast<std::size_t>(point)]; }
};

} // namespace hemline
