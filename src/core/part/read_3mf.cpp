// 3MF (3D Manufacturing Format, core specification 1.3): a zip archive (libzip) that holds a model in XML (pugixml). Read here rather than
// by Assimp, which leaves the unit out and crashes on damaged archives. Everything has a limit before anything is unpacked.
#include "part/formats.h"
#include <cmath>
#include <cstring>
#include <fmt/format.h>
#include <map>
#include <pugixml.hpp>
#include <zip.h>

namespace hemline {
namespace {

constexpr zip_uint64_t kLargest = 400u << 20;  // bytes of one unpacked part: about 4 million triangles
constexpr zip_int64_t kEntries = 10000;        // files in the archive
constexpr std::size_t kTriangles = 20'000'000; // after components are put in place
constexpr int kDeepest = 32;                   // components within components

/// Rows of the transform: a point is a row vector, [x y z 1] times this.
struct Transform {
  double m[4][3] = {{1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {0, 0, 0}};
  Vec3 at(const Vec3& p) const {
    Vec3 out;
    for (int k = 0; k < 3; ++k) out[k] = p.x() * m[0][k] + p.y() * m[1][k] + p.z() * m[2][k] + m[3][k];
    return out;
  }
  /// First the inner one, then this.
  Transform after(const Transform& inner) const {
    Transform out;
    for (int i = 0; i < 4; ++i)
      for (int k = 0; k < 3; ++k) {
        out.m[i][k] = i == 3 ? m[3][k] : 0;
        for (int j = 0; j < 3; ++j) out.m[i][k] += inner.m[i][j] * m[j][k];
      }
    return out;
  }
};

class Reader3mf {
public:
  Reader3mf(const std::string& path, const std::string& bytes) : path_(path), bytes_(bytes) {}

  Told3mf read() {
    const std::string xml = modelPart();
    const pugi::xml_parse_result parsed = document_.load_buffer(xml.data(), xml.size(), pugi::parse_default);
    if (!parsed) fail(fmt::format("its model is no XML: {} at byte {}", parsed.description(), parsed.offset));
    const pugi::xml_node model = child(document_, "model");
    if (!model) fail("it holds no model");
    Told3mf out;
    out.unit = model.attribute("unit").as_string("millimeter");
    const std::map<std::string, double> units{{"micron", 1e-3}, {"millimeter", 1},    {"centimeter", 10},
                                              {"inch", kInch},  {"foot", 12 * kInch}, {"meter", 1000}};
    if (!units.contains(out.unit))
      throw Error(Fault::Damaged, "The 3MF file's unit '" + out.unit.substr(0, 40) + "' is not known", path_,
                  "Export it in micron, millimeter, centimeter, inch, foot or meter.");
    out.scale = units.at(out.unit);
    for (const pugi::xml_node& object : child(model, "resources").children())
      if (named(object, "object")) objects_[object.attribute("id").as_string()] = object;
    for (const pugi::xml_node& item : child(model, "build").children())
      if (named(item, "item")) add(item, Transform(), 0, out);
    for (Vec3& p : out.soup) p *= out.scale;
    return out;
  }

private:
  [[noreturn]] void fail(const std::string& why) const {
    throw Error(Fault::Damaged, "The 3MF file cannot be read: " + why, path_, "Export or copy the model again.");
  }
  /// Names may carry a prefix of their namespace.
  static bool named(const pugi::xml_node& node, const char* name) {
    const char* colon = std::strrchr(node.name(), ':');
    return std::strcmp(colon ? colon + 1 : node.name(), name) == 0;
  }
  static pugi::xml_node child(const pugi::xml_node& node, const char* name) {
    for (const pugi::xml_node& c : node.children())
      if (named(c, name)) return c;
    return {};
  }

  /// Unpacked, no more than kLargest whatever the archive says of its size.
  std::string entry(zip_t* archive, const char* name) const {
    const std::unique_ptr<zip_file_t, int (*)(zip_file_t*)> file(zip_fopen(archive, name, 0), zip_fclose);
    if (!file) return {};
    std::string out;
    std::vector<char> block(1 << 20);
    for (;;) {
      const zip_int64_t n = zip_fread(file.get(), block.data(), block.size());
      if (n < 0) fail(fmt::format("'{}' in it is damaged", name));
      if (n == 0) return out;
      if (out.size() + static_cast<std::size_t>(n) > kLargest) fail(fmt::format("'{}' unpacks to more than {} MB", name, kLargest >> 20));
      out.append(block.data(), static_cast<std::size_t>(n));
    }
  }

  std::string modelPart() const {
    zip_error_t error;
    zip_error_init(&error);
    zip_source_t* source = zip_source_buffer_create(bytes_.data(), bytes_.size(), 0, &error);
    if (!source) fail("there is not enough memory");
    const std::unique_ptr<zip_t, void (*)(zip_t*)> archive(zip_open_from_source(source, ZIP_RDONLY, &error), zip_discard);
    if (!archive) {
      zip_source_free(source);
      fail("it is no zip archive, or cut short");
    }
    if (zip_get_num_entries(archive.get(), 0) > kEntries) fail("it holds too many files");
    // The root part names the model.
    pugi::xml_document relations;
    const std::string rels = entry(archive.get(), "_rels/.rels");
    std::string name = "3D/3dmodel.model";
    if (relations.load_buffer(rels.data(), rels.size()))
      for (const pugi::xml_node& r : child(relations, "Relationships").children())
        if (std::string(r.attribute("Type").as_string()).ends_with("/3dmodel")) name = r.attribute("Target").as_string();
    if (!name.empty() && name.front() == '/') name.erase(0, 1);
    std::string xml = entry(archive.get(), name.c_str());
    if (xml.empty()) fail("there is no model '" + name.substr(0, 80) + "' in it");
    return xml;
  }

  Transform transformOf(const pugi::xml_node& node) const {
    Transform t;
    const std::string text = node.attribute("transform").as_string();
    if (text.empty()) return t;
    const char* at = text.c_str();
    for (int i = 0; i < 12; ++i) {
      char* end = nullptr;
      t.m[i / 3][i % 3] = std::strtod(at, &end);
      if (end == at || !std::isfinite(t.m[i / 3][i % 3])) fail("a transform is not twelve numbers");
      at = end;
    }
    return t;
  }

  double number(const pugi::xml_node& node, const char* name) const {
    const char* text = node.attribute(name).as_string();
    char* end = nullptr;
    const double v = std::strtod(text, &end);
    if (end == text || !std::isfinite(v)) fail(fmt::format("a corner's {} is '{}'", name, std::string(text).substr(0, 20)));
    return v;
  }

  /// What an item or component names, put in its place.
  void add(const pugi::xml_node& from, const Transform& outer, int depth, Told3mf& out) {
    if (depth > kDeepest) fail(fmt::format("its components are nested more than {} deep, or hold themselves", kDeepest));
    for (const pugi::xml_attribute& a : from.attributes())
      if (const std::string n = a.name(); n == "path" || n.ends_with(":path")) fail("it refers to other model files: export it as one");
    const auto found = objects_.find(from.attribute("objectid").as_string());
    if (found == objects_.end())
      fail(fmt::format("it builds the object '{}', which is not there", std::string(from.attribute("objectid").as_string()).substr(0, 20)));
    const pugi::xml_node object = found->second;
    if (const std::string type = object.attribute("type").as_string("model"); type == "support" || type == "solidsupport") return;
    const Transform place = outer.after(transformOf(from));
    if (const pugi::xml_node mesh = child(object, "mesh")) addMesh(mesh, place, out);
    for (const pugi::xml_node& c : child(object, "components").children())
      if (named(c, "component")) {
        if (++components_ > kEntries) fail(fmt::format("it puts together more than {} components", kEntries));
        add(c, place, depth + 1, out);
      }
  }

  void addMesh(const pugi::xml_node& mesh, const Transform& place, Told3mf& out) const {
    std::vector<Vec3> points;
    for (const pugi::xml_node& v : child(mesh, "vertices").children())
      if (named(v, "vertex")) points.push_back(place.at({number(v, "x"), number(v, "y"), number(v, "z")}));
    std::size_t count = 0;
    for (const pugi::xml_node& t : child(mesh, "triangles").children()) {
      if (!named(t, "triangle")) continue;
      ++count;
      for (const char* corner : {"v1", "v2", "v3"}) {
        const std::size_t k = t.attribute(corner).as_ullong(points.size());
        if (k >= points.size())
          throw Error(Fault::Damaged, fmt::format("Face {} names a point that is not there", count), path_,
                      "Export or copy the model again.");
        out.soup.push_back(points[k]);
      }
      if (out.soup.size() > 3 * kTriangles) fail(fmt::format("it makes more than {} million triangles", kTriangles / 1000000));
    }
  }

  const std::string& path_;
  const std::string& bytes_;
  pugi::xml_document document_;
  std::map<std::string, pugi::xml_node> objects_;
  zip_int64_t components_ = 0;
};

} // namespace

Told3mf read3mf(const std::string& path, const std::string& bytes) {
  return Reader3mf(path, bytes).read();
}

} // namespace hemline
