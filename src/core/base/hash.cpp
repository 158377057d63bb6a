#include "base/hash.h"
#include "base/file.h"
#include <fmt/format.h>
#include <xxhash.h>

namespace hemline {

std::string Key::text() const {
  return fmt::format("{:016x}{:016x}", high, low);
}

Key hashBytes(const void* data, std::size_t size) {
  const XXH128_hash_t h = XXH3_128bits(data, size);
  return {h.high64, h.low64};
}

Key combine(std::span<const Key> keys) {
  return hashBytes(keys.data(), keys.size() * sizeof(Key));
}

Key hashFile(const std::string& path) {
  const std::string bytes = readFile(path);
  return hashBytes(bytes.data(), bytes.size());
}

} // namespace hemline
