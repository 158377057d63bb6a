// Triangles for showing: bodies of revolution, boxes, and a coarse stand-in of a mesh for while the view moves.
#pragma once
#include "cutter/cutter.h"
#include "geometry/mesh.h"
#include <vector>

namespace hemline::app {

/// Interleaved position, normal, value: 7 floats a corner, 3 corners a triangle.
using Corners = std::vector<float>;

void addCorner(Corners& out, const Vec3& p, const Vec3& n, float value);
/// Flat-shaded or smooth triangles of a mesh; one value per facet (or 0).
Corners meshCorners(const Mesh& mesh, const Vec3& origin, const std::vector<float>& facetValues);
/// At most about `target` triangles: points clustered on a grid, the facet's value kept.
Corners coarseCorners(const Mesh& mesh, const Vec3& origin, const std::vector<float>& facetValues, std::size_t target);
/// Cutter, neck, shank and holder about +z with the tip at 0; value 0 flutes, 1 neck and shank, 2 holder.
Corners assemblyCorners(const Assembly& assembly);

} // namespace hemline::app
