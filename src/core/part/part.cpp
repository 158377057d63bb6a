#include "part/part.h"
#include "base/file.h"
#include "part/apart.h"
#include "part/formats.h"
#include "part/model_notes.h"
#include <cstring>
#include <filesystem>
#include <fmt/format.h>

namespace hemline {
namespace {

enum class Kind { Facets, Step, Iges };

Kind kindOf(const std::string& path) {
  const std::string e = endingOf(path);
  if (e == ".stl" || e == ".obj" || e == ".ply" || e == ".3mf") return Kind::Facets;
  if (e == ".step" || e == ".stp") return Kind::Step;
  if (e == ".iges" || e == ".igs") return Kind::Iges;
  throw Error(Fault::NotUnderstood, "The model format '" + e + "' is not known", path, "Use STL, OBJ, PLY, 3MF, STEP or IGES.");
}

void checkCoordinates(const std::vector<Vec3>& soup, const std::string& path) {
  if (soup.empty()) throw Error(Fault::Damaged, "The model holds no triangles", path, "Export the model again.");
  for (std::size_t i = 0; i < soup.size(); ++i)
    if (!soup[i].allFinite())
      throw Error(Fault::Damaged, "Triangle " + std::to_string(i / 3 + 1) + " has a coordinate that is not a number", path,
                  "The file is damaged: export the model again.");
}

/// Normals and places on the faces for the welded facets, whose `patch` still says which triangle of the soup each was.
void takeFaces(Part& part, CadTriangles&& cad) {
  Mesh& mesh = part.mesh;
  mesh.cornerNormals.resize(3 * mesh.triangles.size());
  part.uv.resize(3 * mesh.triangles.size());
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    const auto s = static_cast<std::size_t>(mesh.patch[t]);
    // Corners by place: mending slivers may have given the triangle other corners than it was read with.
    Vec3 sum = Vec3::Zero();
    bool known = true;
    for (std::size_t k = 0; k < 3; ++k) {
      std::size_t nearest = 0;
      for (std::size_t j = 1; j < 3; ++j)
        if ((cad.soup[3 * s + j] - mesh.corner(t, k)).squaredNorm() < (cad.soup[3 * s + nearest] - mesh.corner(t, k)).squaredNorm())
          nearest = j;
      sum += mesh.cornerNormals[3 * t + k] = cad.normals[3 * s + nearest];
      part.uv[3 * t + k] = cad.uv[3 * s + nearest];
      if (cad.soup[3 * s + nearest] != mesh.corner(t, k)) known = false;
    }
    if (!known) part.uv[3 * t].setConstant(std::numeric_limits<double>::quiet_NaN());
    if (sum.dot(mesh.facetNormal(t)) < 0)
      for (std::size_t k = 0; k < 3; ++k) mesh.cornerNormals[3 * t + k] *= -1;
    mesh.patch[t] = cad.face[s];
  }
  part.patches = std::move(cad.faces);
  part.surface = std::move(cad.surface);
  part.exact = true;
  part.facetError = cad.facetError;
}

} // namespace

void contradicted(const std::string& path, const std::string& told, LengthUnit asked) {
  throw Error(Fault::Damaged,
              fmt::format("The file says that its unit is {}, but {} was asked for", told, asked == LengthUnit::Inch ? "inch" : "mm"), path,
              "Leave the unit out, or correct the file.");
}

bool formatNeedsUnit(const std::string& path) {
  return kindOf(path) == Kind::Facets && endingOf(path) != ".3mf";
}

Vec2 parametersOn(const Part& part, std::size_t t, double u, double v) {
  return (1 - u - v) * part.uv[3 * t] + u * part.uv[3 * t + 1] + v * part.uv[3 * t + 2];
}

Place placeOn(const Part& part, std::size_t t, double u, double v) {
  const Mesh& mesh = part.mesh;
  const Vec3 facet = mesh.facetNormal(t);
  if (knowsSurface(part, t)) {
    const ExactSurface::Spot spot = part.surface->at(mesh.patch[t], parametersOn(part, t, u, v));
    if (const Vec3 n = spot.normal(); !n.isZero()) return {spot.point, n.dot(facet) < 0 ? Vec3(-n) : n};
  }
  return {(1 - u - v) * mesh.corner(t, 0) + u * mesh.corner(t, 1) + v * mesh.corner(t, 2), facet};
}

Vec3 measuringNormal(const Part& part, std::size_t t) {
  Vec3 facet = part.mesh.facetNormal(t);
  if (!part.exact || part.mesh.cornerNormals.empty()) return facet;
  const Vec3 sum = part.mesh.cornerNormals[3 * t] + part.mesh.cornerNormals[3 * t + 1] + part.mesh.cornerNormals[3 * t + 2];
  return sum.norm() > 2.5 ? Vec3(sum.normalized()) : facet;
}

void completePart(Part& part, double crease) {
  if (part.mesh.triangles.empty() || !(part.mesh.area() > 0))
    throw Error(Fault::Damaged, "The model has no area: every triangle is degenerate", part.name, "Export the model again.");
  findPatches(part.mesh, crease);
  if (part.patches.empty()) {
    int count = 0;
    for (const int p : part.mesh.patch) count = std::max(count, p + 1);
    part.patches.resize(static_cast<std::size_t>(count));
    for (std::size_t i = 0; i < part.patches.size(); ++i) part.patches[i] = {fmt::format("patch {}", i + 1), 0, "facets"};
    for (std::size_t t = 0; t < part.mesh.triangles.size(); ++t)
      part.patches[static_cast<std::size_t>(part.mesh.patch[t])].area += part.mesh.facetArea(t);
  }
  part.tree = std::make_unique<MeshTree>(part.mesh);
}

std::shared_ptr<const Part> partFromTriangles(const std::vector<Vec3>& soup, const std::string& name, double crease) {
  auto part = std::make_shared<Part>();
  Progress quiet;
  part->name = name;
  part->mesh = weldAndOrient(soup, part->report, quiet, false);
  part->mesh.patch.clear();
  completePart(*part, crease);
  part->key = hashBytes(soup.data(), soup.size() * sizeof(Vec3));
  return part;
}

std::shared_ptr<const Part> readPart(const std::string& path, const ReadOptions& options, Progress& progress) {
  const Kind kind = kindOf(path);
  constexpr std::uintmax_t kLargest = std::uintmax_t{4} << 30; // bytes
  std::error_code unknown;
  if (const auto size = std::filesystem::file_size(path, unknown); !unknown && size > kLargest)
    throw Error(Fault::Damaged, fmt::format("The model file has {} GB, more than {} can be read", size >> 30, kLargest >> 30), path,
                "Export the model with coarser facets.");
  const std::string bytes = readFile(path);
  if (bytes.empty()) throw Error(Fault::Damaged, "The model file is empty", path, "Export the model again.");
  // A unit that the file tells is taken; one that contradicts it is not.
  const std::string ending = endingOf(path);
  const auto told = formatNeedsUnit(path) && (ending == ".ply" || ending == ".obj") ? unitInComments(bytes) : std::nullopt;
  const auto scaleOf = [](LengthUnit u) { return u == LengthUnit::Inch ? kInch : 1.0; };
  if (told && options.unit && told->scale != scaleOf(*options.unit)) contradicted(path, told->name, *options.unit);
  if (formatNeedsUnit(path) && !told && !options.unit)
    throw Error(Fault::Missing, "The format does not say its unit", path, "State it: mm or inch.");
  const double scale = told ? told->scale : formatNeedsUnit(path) ? scaleOf(*options.unit) : 1.0;
  auto part = std::make_shared<Part>();
  part->name = std::filesystem::path(path).filename().string();
  progress.report(0.1, "reading " + part->name);
  if (kind == Kind::Facets) {
    std::vector<Vec3> soup;
    if (ending == ".3mf") {
      Told3mf read = read3mfApart(path, progress);
      if (options.unit && read.scale != scaleOf(*options.unit)) contradicted(path, read.unit, *options.unit);
      soup = std::move(read.soup);
    } else {
      soup = readFacetsApart(path, progress);
      for (Vec3& p : soup) p *= scale;
    }
    if (told) part->report.notes.push_back("a comment in the file says its unit: " + told->name);
    checkCoordinates(soup, path);
    progress.report(0.5, "welding");
    part->mesh = weldAndOrient(soup, part->report, progress);
    part->mesh.patch.clear();
    const Box b = part->mesh.bounds();
    const double far = std::max(b.low.cwiseAbs().maxCoeff(), b.high.cwiseAbs().maxCoeff());
    part->resolution = far * std::numeric_limits<float>::epsilon();
    if (part->resolution > 1e-4)
      part->report.notes.push_back(fmt::format("far from its origin: the reader tells apart only {:.1f} um here", part->resolution * 1e3));
  } else {
    CadTriangles cad = readCadApart(path, kind == Kind::Iges, options, progress);
    checkCoordinates(cad.soup, path);
    progress.report(0.6, "welding");
    part->mesh = weldAndOrient(cad.soup, part->report, progress);
    takeFaces(*part, std::move(cad));
    part->resolution = part->mesh.bounds().diagonal() * 1e-15;
  }
  if (readFile(path) != bytes)
    throw Error(Fault::InUse, "The model file changed while it was read", path, "Read it again once it is complete.");
  constexpr double kTiny = 0.5, kHuge = 10000; // mm
  if (const double size = part->mesh.bounds().size().maxCoeff(); size < kTiny || size > kHuge)
    part->report.notes.push_back(fmt::format("it is {:.3g} mm large at its longest: is its unit right?", size));
  progress.report(0.8, "hierarchy");
  completePart(*part, options.crease);
  const Key keys[] = {hashBytes(bytes.data(), bytes.size()),
                      hashText(fmt::format("{} {} {} {}", scale, options.chord, options.crease, options.most))};
  part->key = combine(keys);
  return part;
}

std::string describePart(const Part& part) {
  const Box b = part.mesh.bounds();
  const Vec3 s = b.size();
  std::string out = fmt::format("{}\n  size        {:.3f} x {:.3f} x {:.3f} mm\n  from        {:.3f} {:.3f} {:.3f}\n", part.name, s.x(),
                                s.y(), s.z(), b.low.x(), b.low.y(), b.low.z());
  out += fmt::format("  triangles   {} ({} points)\n  area        {:.3f} mm2\n", part.mesh.triangles.size(), part.mesh.points.size(),
                     part.mesh.area());
  if (part.report.closed)
    out += fmt::format("  volume      {:.3f} mm3 (closed{})\n", part.mesh.volume(),
                       part.facetError > 0 ? fmt::format("; of the facets, to about {:.2g} mm3", part.facetError * part.mesh.area()) : "");
  out += fmt::format("  surface     {}\n",
                     part.exact ? fmt::format("exact, facets off by at most {:.3f} um where looked at", part.facetError * 1e3) : "facets");
  out += fmt::format("  patches     {}\n", part.patches.size());
  for (std::size_t i = 0; i < std::min<std::size_t>(part.patches.size(), 40); ++i)
    out += fmt::format("    {:<10} {:<10} {:12.3f} mm2\n", part.patches[i].name, part.patches[i].shape, part.patches[i].area);
  if (part.patches.size() > 40) out += fmt::format("    and {} more\n", part.patches.size() - 40);
  if (part.report.selfTouchingTested) out += fmt::format("  self-touching triangles {}\n", part.report.selfTouching);
  for (const ModelNote& note : modelNotes(part))
    out += "  " + std::string(note.mended ? "mended      " : "note        ") + note.what + (note.means.empty() ? "" : ". " + note.means) +
           "\n";
  return out;
}

void writeStl(const std::string& path, const Mesh& mesh) {
  std::string bytes(84 + 50 * mesh.triangles.size(), '\0');
  const std::string title = "binary STL, mm";
  std::memcpy(bytes.data(), title.data(), title.size());
  const auto count = static_cast<std::uint32_t>(mesh.triangles.size());
  std::memcpy(bytes.data() + 80, &count, 4);
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    float v[12];
    const Vec3 n = mesh.facetNormal(t);
    for (int k = 0; k < 3; ++k) v[k] = static_cast<float>(n[k]);
    for (std::size_t c = 0; c < 3; ++c)
      for (int k = 0; k < 3; ++k) v[3 + 3 * c + static_cast<std::size_t>(k)] = static_cast<float>(mesh.corner(t, c)[k]);
    std::memcpy(bytes.data() + 84 + 50 * t, v, sizeof v);
  }
  writeFileSafely(path, bytes);
}

} // namespace hemline
