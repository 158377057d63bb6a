// The two readers behind readPart(): facets by Assimp, exact surfaces by Open CASCADE.
#pragma once
#include "part/part.h"

namespace hemline {

/// 3 points per triangle, in file units times `scale`.
std::vector<Vec3> readFacets(const std::string& path, const std::string& bytes, double scale);

/// Triangles of exact faces with face index and exact corner normals; names and shapes of the faces.
struct CadTriangles {
  std::vector<Vec3> soup, normals; ///< 3 per triangle
  std::vector<Vec2> uv;            ///< parameters of the face's surface, 3 per triangle
  std::vector<int> face;           ///< per triangle
  std::vector<Patch> faces;
  std::shared_ptr<const ExactSurface> surface;
  double facetError = 0; ///< mm, largest found at facet centres and edge middles
};
CadTriangles readCad(const std::string& path, bool iges, double chord, Progress& progress);

} // namespace hemline
