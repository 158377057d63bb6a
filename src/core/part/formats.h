// The two readers behind readPart(): facets by Assimp, exact surfaces by Open CASCADE.
#pragma once
#include "part/part.h"
#include <functional>

namespace hemline {

/// ".stl" of "Cover.STL".
std::string endingOf(const std::string& path);

/// 3 points per triangle, in the file's unit, of STL, OBJ or PLY by the ending of `path`. The library can hang on damaged files:
/// readPart() calls this apart (apart.h).
std::vector<Vec3> readFacets(const std::string& path, const std::string& bytes);

/// 3 points per triangle in mm, and the unit that the file says. Limits: 400 MB of XML, 20 million triangles, components 32 deep.
struct Told3mf {
  std::vector<Vec3> soup;
  std::string unit; ///< micron, millimeter, centimeter, inch, foot, meter
  double scale = 1; ///< mm
};
Told3mf read3mf(const std::string& path, const std::string& bytes);

/// The unit that a comment of a PLY or OBJ file tells ("comment unit: inch", "# units = mm"): mm in one of it; nothing if none does.
struct ToldUnit {
  std::string name;
  double scale;
};
std::optional<ToldUnit> unitInComments(const std::string& bytes);

/// Triangles of exact faces with face index and exact corner normals; names and shapes of the faces.
struct CadTriangles {
  std::vector<Vec3> soup, normals; ///< 3 per triangle
  std::vector<Vec2> uv;            ///< parameters of the face's surface, 3 per triangle
  std::vector<int> face;           ///< per triangle
  std::vector<Patch> faces;
  std::shared_ptr<const ExactSurface> surface;
  double facetError = 0; ///< mm, largest found at facet centres and edge middles
};
/// Error if the file tells another unit than `options`. `laid` is called when the file is read and its first tessellation laid, which then
/// is split to the chord. Libraries can crash on damaged files: readPart() calls this apart (apart.h).
CadTriangles readCad(const std::string& path, bool iges, const ReadOptions& options, const std::function<void()>& laid, Progress& progress);
/// Throws Error: the file says one unit, another one was asked for.
[[noreturn]] void contradicted(const std::string& path, const std::string& told, LengthUnit asked);

} // namespace hemline
