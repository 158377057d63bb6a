// Content keys: 128-bit XXH3 of everything a result was made from.
#pragma once
#include <cstddef>
#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <type_traits>

namespace hemline {

struct Key {
  std::uint64_t high = 0, low = 0;
  auto operator<=>(const Key&) const = default;
  /// 32 hexadecimal digits.
  std::string text() const;
};

Key hashBytes(const void* data, std::size_t size);
inline Key hashText(std::string_view text) {
  return hashBytes(text.data(), text.size());
}
/// Key of an ordered list of keys.
Key combine(std::span<const Key> keys);
/// Key of a file's bytes. Throws Error if it cannot be read.
Key hashFile(const std::string& path);

/// Says of a type that its `key` stands for all of it (content_key.h).
template <class T> inline constexpr bool kKeyOfItsOwn = false;

template <class T> Key hashArray(const T* data, std::size_t count) {
  static_assert(std::is_trivially_copyable_v<T>);
  return hashBytes(data, count * sizeof(T));
}

} // namespace hemline
