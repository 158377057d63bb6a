#include "part/formats.h"
#include <assimp/Importer.hpp>
#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <cstring>
#include <filesystem>

namespace hemline {
namespace {

std::string extensionOf(const std::string& path) {
  std::string e = std::filesystem::path(path).extension().string();
  for (char& c : e) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  return e;
}

/// A binary STL states its triangle count; a wrong one means a damaged file, and a huge one must not be believed.
void checkBinaryStl(const std::string& path, const std::string& bytes) {
  if (bytes.size() < 15) throw Error("The STL file is too short to hold a triangle", path, "Export the model again.");
  const bool text = bytes.compare(0, 5, "solid") == 0 && bytes.find("facet", 5) < 1000;
  if (text) {
    if (bytes.find("endsolid") == std::string::npos)
      throw Error("The STL text ends before 'endsolid': the file is cut short", path, "Export or copy the model again.");
    return;
  }
  if (bytes.size() < 84) throw Error("The STL file is cut short in its header", path, "Export the model again.");
  std::uint32_t count = 0;
  std::memcpy(&count, bytes.data() + 80, 4);
  const std::size_t wanted = 84 + std::size_t{50} * count;
  if (count == 0) throw Error("The STL file holds no triangles", path, "Export the model again.");
  if (wanted > bytes.size())
    throw Error("The STL file promises " + std::to_string(count) + " triangles but holds only " + std::to_string((bytes.size() - 84) / 50),
                path, "The file is damaged or cut short: export or copy it again.");
}

void collect(const aiScene& scene, const aiNode& node, const aiMatrix4x4& parent, double scale, std::vector<Vec3>& soup) {
  const aiMatrix4x4 m = parent * node.mTransformation;
  const bool moved = !m.IsIdentity();
  for (unsigned i = 0; i < node.mNumMeshes; ++i) {
    const aiMesh& mesh = *scene.mMeshes[node.mMeshes[i]];
    for (unsigned f = 0; f < mesh.mNumFaces; ++f) {
      const aiFace& face = mesh.mFaces[f];
      if (face.mNumIndices != 3) continue;
      for (unsigned k = 0; k < 3; ++k) {
        aiVector3D v = mesh.mVertices[face.mIndices[k]];
        if (moved) v = m * v;
        soup.emplace_back(scale * static_cast<double>(v.x), scale * static_cast<double>(v.y), scale * static_cast<double>(v.z));
      }
    }
  }
  for (unsigned c = 0; c < node.mNumChildren; ++c) collect(scene, *node.mChildren[c], m, scale, soup);
}

} // namespace

std::vector<Vec3> readFacets(const std::string& path, const std::string& bytes, double scale) {
  const std::string ext = extensionOf(path);
  if (ext == ".stl") checkBinaryStl(path, bytes);
  Assimp::Importer importer;
  importer.SetPropertyBool(AI_CONFIG_PP_FD_REMOVE, false);
  const aiScene* scene = importer.ReadFileFromMemory(bytes.data(), bytes.size(), aiProcess_Triangulate, ext.c_str() + 1);
  if (!scene || !scene->mRootNode)
    throw Error("The model cannot be read: " + std::string(importer.GetErrorString()), path,
                "Check that the file is complete and that its extension matches its format.");
  std::vector<Vec3> soup;
  collect(*scene, *scene->mRootNode, aiMatrix4x4(), scale, soup);
  return soup;
}

} // namespace hemline
