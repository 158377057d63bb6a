#include "graph/node.h"
#include <filesystem>

namespace hemline {

FileIn fileIn(const std::string& path) {
  const Key bytes = hashFile(path);
  return {path, bytes, contentKey(bytes, std::filesystem::path(path).filename().string())};
}

void mustBeUnchanged(const FileIn& file) {
  if (!(hashFile(file.path) == file.bytes))
    throw Error(Fault::InUse, "The file changed while it was read", file.path, "Compute again once it is written.");
}

} // namespace hemline
