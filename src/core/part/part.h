// The design part: a model file read, welded, checked, with patches and smooth normals.
#pragma once
#include "base/hash.h"
#include "base/progress.h"
#include "base/units.h"
#include "geometry/mesh.h"
#include "geometry/tree.h"
#include "part/exact_surface.h"
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace hemline {

class ByteWriter;
class ByteReader;

struct ReadOptions {
  std::optional<LengthUnit> unit; ///< needed where the format carries none (STL, OBJ, PLY)
  double chord = 0.005; ///< largest distance of a facet from an exact surface, mm (STEP, IGES only); 0: enough for describing the part,
                        ///< 1/20000 of its size, from 2 um to 0.1 mm
  std::size_t most = 8'000'000; ///< facets on exact surfaces; where they are not enough for the chord, facetError tells what they are off
  double crease = 0.4363;       ///< dihedral angle that ends a patch of a faceted model, radians (25 degrees)
};

/// A named piece of surface: a CAD face, or the facets between creases.
struct Patch {
  std::string name;
  double area = 0;   ///< mm^2
  std::string shape; ///< "plane", "cylinder", "B-spline", "facets", ...
};

struct Part {
  std::string name;
  Mesh mesh;
  std::unique_ptr<MeshTree> tree; ///< over `mesh`
  MeshReport report;
  std::vector<Patch> patches;
  bool exact = false;                          ///< read from exact surfaces
  std::shared_ptr<const ExactSurface> surface; ///< the exact surfaces; none for faceted models
  std::vector<Vec2> uv;                        ///< their parameters, 3 per triangle; NaN where not known. The face is the patch.
  double facetError = 0;                       ///< mm: largest distance found between facets and exact surface; 0 for faceted models
  double resolution = 0;                       ///< mm: spacing of numbers that the reader could tell apart at this part's coordinates
  Key key;                                     ///< of file bytes and options
};

/// Does facet t know the exact surface behind it?
inline bool knowsSurface(const Part& part, std::size_t t) {
  return part.surface && std::isfinite(part.uv[3 * t].x());
}

/// The place of barycentric (1-u-v, u, v) on facet t: on the exact surface where that is known, with its normal to the
/// outside; else on the facet, with the facet's normal.
struct Place {
  Vec3 point, normal;
};
Place placeOn(const Part& part, std::size_t t, double u, double v);
/// Parameters of that place; facet t knows its surface.
Vec2 parametersOn(const Part& part, std::size_t t, double u, double v);

/// Direction along which stock-left is measured on facet t: the surface's own normal at its middle where exact surfaces are
/// known (thin facets of a fine tessellation may lean far from it), else the facet's.
Vec3 measuringNormal(const Part& part, std::size_t t);

/// True where the file format stores no unit.
bool formatNeedsUnit(const std::string& path);

/// Reads STL, OBJ, PLY, 3MF, STEP or IGES. Throws Error with the file's name when it is damaged, empty, has
/// coordinates that are not finite, has no area, or when the unit is needed and missing.
std::shared_ptr<const Part> readPart(const std::string& path, const ReadOptions& options, Progress& progress);

/// A part from triangles made in memory (tests, demo maker). `soup` holds 3 points per triangle, mm.
std::shared_ptr<const Part> partFromTriangles(const std::vector<Vec3>& soup, const std::string& name, double crease = 0.4363);

/// Checks a welded mesh, finds patches, builds the hierarchy. Used by the readers.
void completePart(Part& part, double crease);

/// The printed report of a model: size, area, volume, patches, what was repaired, what is wrong. Plain text.
std::string describePart(const Part& part);

/// As it is, with its exact surfaces, for results that last; its tree is built again. See base/stored.h.
void storeIn(ByteWriter& to, const Part& part);
void loadFrom(ByteReader& from, Part& part);

/// Writes a binary STL (single precision). Throws Error.
void writeStl(const std::string& path, const Mesh& mesh);

} // namespace hemline
