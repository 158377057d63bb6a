// About how much memory a result takes: its containers, member by member. Classes that know better have `memory()`; of others only their
// own size counts.
#pragma once
#include "base/members.h"
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <variant>
#include <vector>

namespace hemline {

/// Bytes beside sizeof(T).
template <class T> std::size_t memoryOf(const T& value);

namespace memory {

inline std::size_t of(const std::string& s) {
  return s.capacity();
}
template <class T> std::size_t of(const std::vector<T>& list) {
  std::size_t sum = list.capacity() * sizeof(T);
  if constexpr (!std::is_trivially_copyable_v<T>)
    for (const T& each : list) sum += memoryOf(each);
  return sum;
}
template <class K, class V> std::size_t of(const std::map<K, V>& list) {
  return list.size() * (sizeof(K) + sizeof(V) + 32);
}
template <class T> std::size_t of(const std::optional<T>& value) {
  return value ? memoryOf(*value) : 0;
}
template <class T> std::size_t of(const std::shared_ptr<T>& value) {
  return value ? sizeof(T) + memoryOf(*value) : 0;
}
template <class T, class D> std::size_t of(const std::unique_ptr<T, D>& value) {
  return value ? sizeof(T) + memoryOf(*value) : 0;
}

} // namespace memory

template <class T> std::size_t memoryOf(const T& value) {
  if constexpr (requires { memory::of(value); })
    return memory::of(value);
  else if constexpr (requires { value.memory(); })
    return value.memory();
  else if constexpr (std::is_aggregate_v<T> && !std::is_trivially_copyable_v<T>)
    return withMembers(value, [](const auto&... each) { return (memoryOf(each) + ...); });
  else
    return 0;
}

} // namespace hemline
