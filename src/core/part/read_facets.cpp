#include "part/formats.h"
#include <algorithm>
#include <assimp/Importer.hpp>
#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <charconv>
#include <cstring>
#include <filesystem>
#include <map>
#include <set>
#include <sstream>

namespace hemline {
namespace {

/// A binary STL states its triangle count; a wrong one means a damaged file, and a huge one must not be believed.
void checkBinaryStl(const std::string& path, const std::string& bytes) {
  if (bytes.size() < 15) throw Error(Fault::Damaged, "The STL file is too short to hold a triangle", path, "Export the model again.");
  const bool text = bytes.compare(0, 5, "solid") == 0 && bytes.find("facet", 5) < 1000;
  if (text) {
    if (bytes.find("endsolid") == std::string::npos)
      throw Error(Fault::Damaged, "The STL text ends before 'endsolid': the file is cut short", path, "Export or copy the model again.");
    return;
  }
  if (bytes.size() < 84) throw Error(Fault::Damaged, "The STL file is cut short in its header", path, "Export the model again.");
  std::uint32_t count = 0;
  std::memcpy(&count, bytes.data() + 80, 4);
  const std::size_t wanted = 84 + std::size_t{50} * count;
  if (count == 0) throw Error(Fault::Damaged, "The STL file holds no triangles", path, "Export the model again.");
  if (wanted > bytes.size())
    throw Error(Fault::Damaged,
                "The STL file promises " + std::to_string(count) + " triangles but holds only " + std::to_string((bytes.size() - 84) / 50),
                path, "The file is damaged or cut short: export or copy it again.");
}

/// Walks a PLY file record by record. Assimp's reader keeps on for ever where a file is cut short or a list's length is damaged.
void checkPly(const std::string& path, const std::string& bytes) {
  const auto fail = [&](const std::string& what) {
    throw Error(Fault::Damaged, "The PLY file " + what, path, "Export or copy the model again.");
  };
  const auto end = std::min(bytes.find("\nend_header"), bytes.find("\rend_header"));
  const auto body = end == std::string::npos ? end : bytes.find('\n', end + 1);
  if (body == std::string::npos) fail("is cut short in its header");
  const std::map<std::string, std::size_t> sizes{{"char", 1},  {"uchar", 1},   {"int8", 1},   {"uint8", 1},  {"short", 2}, {"ushort", 2},
                                                 {"int16", 2}, {"uint16", 2},  {"int", 4},    {"uint", 4},   {"int32", 4}, {"uint32", 4},
                                                 {"float", 4}, {"float32", 4}, {"double", 8}, {"float64", 8}};
  const std::set<std::string> known{"", "ply", "format", "comment", "obj_info", "element", "property"}; // words that begin a line
  struct Property {
    std::size_t count = 0, value = 0; // bytes; count 0: no list
  };
  struct Element {
    double records = 0;
    std::vector<Property> properties;
  };
  std::vector<Element> elements;
  std::string format;
  std::istringstream header(bytes.substr(0, end));
  for (std::string line; std::getline(header, line);) {
    std::istringstream words(line);
    std::string word, type, count;
    words >> word;
    if (!known.contains(word)) fail("has a damaged header");
    if (word == "format" && (!format.empty() || !(words >> format))) fail("has a damaged header");
    if (word == "element" && (!(words >> type) || !(words >> elements.emplace_back().records))) fail("has a damaged header");
    if (word != "property") continue;
    words >> type;
    Property p;
    if (type == "list") {
      words >> count >> type;
      p.count = sizes.contains(count) ? sizes.at(count) : 0;
      if (p.count == 0 || p.count > 4) fail("has a damaged header");
    }
    if (elements.empty() || !sizes.contains(type)) fail("has a damaged header");
    p.value = sizes.at(type);
    elements.back().properties.push_back(p);
  }
  for (const Element& e : elements) // every record takes a byte at least
    if (!(e.records >= 0 && e.records <= double(bytes.size())) || (e.records > 0 && e.properties.empty()))
      fail("promises more elements than it can hold");
  const bool text = format == "ascii", big = format == "binary_big_endian";
  if (!text && !big && format != "binary_little_endian") fail("has an unknown format '" + format + "'");
  const char *at = bytes.data() + body + 1, *const last = bytes.data() + bytes.size();
  for (const Element& e : elements)
    for (double r = 0; r < e.records; ++r)
      for (const Property& p : e.properties) {
        const auto number = [&]() -> double { // the next word of a text
          while (at < last && std::isspace(static_cast<unsigned char>(*at))) ++at;
          if (at < last && *at == '+') ++at;
          double v = 0; // whatever the desktop's decimal sign is
          const auto [after, error] = std::from_chars(at, last, v);
          if (error == std::errc::invalid_argument) fail("ends, or is damaged, before its last element");
          at = after;
          return v;
        };
        double n = 1;
        if (p.count > 0 && text) n = number();
        if (p.count > 0 && !text) {
          if (last - at < static_cast<std::ptrdiff_t>(p.count)) fail("ends before its last element");
          n = 0;
          for (std::size_t k = 0; k < p.count; ++k) n = 256 * n + static_cast<unsigned char>(at[big ? k : p.count - 1 - k]);
          at += p.count;
        }
        if (!(n >= 0 && n < 1e6)) fail("has a list of impossible length");
        if (text)
          for (double k = 0; k < n; ++k) number();
        else if (double(last - at) < n * double(p.value))
          fail("ends before its last element");
        else
          at += static_cast<std::ptrdiff_t>(n) * static_cast<std::ptrdiff_t>(p.value);
      }
}

/// Cuts a polygon into triangles, ear by ear, seen along its own mean normal (Newell's); faces of 3 corners are as they are.
/// Assimp's own triangulation ends the whole program where a damaged file confuses it.
void addPolygon(std::vector<Vec3> p, std::vector<Vec3>& soup) {
  Vec3 n = Vec3::Zero();
  for (std::size_t i = 0; i < p.size(); ++i) n += p[i].cross(p[(i + 1) % p.size()]);
  const auto inside = [&](const Vec3& x, const Vec3& a, const Vec3& b, const Vec3& c) {
    return (b - a).cross(x - a).dot(n) > 0 && (c - b).cross(x - b).dot(n) > 0 && (a - c).cross(x - c).dot(n) > 0;
  };
  while (p.size() > 3) {
    std::size_t ear = 0; // a polygon that crosses itself may have none: then any corner goes
    for (std::size_t i = 0; i < p.size(); ++i) {
      const Vec3 &a = p[(i + p.size() - 1) % p.size()], &b = p[i], &c = p[(i + 1) % p.size()];
      if (!((b - a).cross(c - b).dot(n) > 0) || std::any_of(p.begin(), p.end(), [&](const Vec3& x) { return inside(x, a, b, c); }))
        continue;
      ear = i;
      break;
    }
    for (const std::size_t k : {ear + p.size() - 1, ear, ear + 1}) soup.push_back(p[k % p.size()]);
    p.erase(p.begin() + static_cast<std::ptrdiff_t>(ear));
  }
  if (p.size() == 3) soup.insert(soup.end(), p.begin(), p.end());
}

void collect(const std::string& path, const aiScene& scene, const aiNode& node, const aiMatrix4x4& parent, std::vector<Vec3>& soup) {
  const aiMatrix4x4 m = parent * node.mTransformation;
  const bool moved = !m.IsIdentity();
  for (unsigned i = 0; i < node.mNumMeshes; ++i) {
    const aiMesh& mesh = *scene.mMeshes[node.mMeshes[i]];
    for (unsigned f = 0; f < mesh.mNumFaces; ++f) {
      const aiFace& face = mesh.mFaces[f];
      std::vector<Vec3> polygon;
      for (unsigned k = 0; k < face.mNumIndices; ++k) {
        if (face.mIndices[k] >= mesh.mNumVertices)
          throw Error(Fault::Damaged, "Face " + std::to_string(f + 1) + " names a point that is not there", path,
                      "Export or copy the model again.");
        aiVector3D v = mesh.mVertices[face.mIndices[k]];
        if (moved) v = m * v;
        polygon.emplace_back(static_cast<double>(v.x), static_cast<double>(v.y), static_cast<double>(v.z));
      }
      addPolygon(std::move(polygon), soup);
    }
  }
  for (unsigned c = 0; c < node.mNumChildren; ++c) collect(path, scene, *node.mChildren[c], m, soup);
}

} // namespace

std::string endingOf(const std::string& path) {
  std::string e = std::filesystem::path(path).extension().string();
  for (char& c : e) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  return e;
}

std::optional<ToldUnit> unitInComments(const std::string& bytes) {
  static const std::vector<ToldUnit> known{
      {"millimeters", 1}, {"millimetres", 1}, {"millimeter", 1},    {"millimetre", 1},    {"mm", 1},          {"centimeters", 10},
      {"centimeter", 10}, {"centimetre", 10}, {"cm", 10},           {"microns", 1e-3},    {"micron", 1e-3},   {"inches", kInch},
      {"inch", kInch},    {"in", kInch},      {"feet", 12 * kInch}, {"foot", 12 * kInch}, {"ft", 12 * kInch}, {"meters", 1000},
      {"metres", 1000},   {"meter", 1000},    {"metre", 1000},      {"m", 1000}};
  constexpr std::size_t kHead = 65536; // bytes in which such a comment is looked for
  std::istringstream in(bytes.substr(0, kHead));
  for (std::string line; std::getline(in, line);) {
    if (line.rfind("end_header", 0) == 0) break;
    if (line.rfind("comment", 0) != 0 && line.rfind("obj_info", 0) != 0 && line.rfind('#', 0) != 0) continue;
    for (char& c : line)
      c = std::isalpha(static_cast<unsigned char>(c)) ? static_cast<char>(std::tolower(static_cast<unsigned char>(c))) : ' ';
    std::istringstream words(line);
    std::string word;
    while (words >> word && word != "unit" && word != "units") {
    }
    while (words >> word)
      for (const ToldUnit& u : known)
        if (word == u.name) return u;
  }
  return std::nullopt;
}

std::vector<Vec3> readFacets(const std::string& path, const std::string& bytes) {
  const std::string ext = endingOf(path);
  if (ext == ".stl") checkBinaryStl(path, bytes);
  if (ext == ".ply") checkPly(path, bytes);
  Assimp::Importer importer;
  const aiScene* scene = importer.ReadFileFromMemory(bytes.data(), bytes.size(), 0, ext.c_str() + 1);
  if (!scene || !scene->mRootNode)
    throw Error(Fault::Damaged, "The model cannot be read: " + std::string(importer.GetErrorString()), path,
                "Check that the file is complete and that its extension matches its format.");
  std::vector<Vec3> soup;
  collect(path, *scene, *scene->mRootNode, aiMatrix4x4(), soup);
  return soup;
}

} // namespace hemline
