// The content key of a value: from every member of it, so that nothing can be seen that is not in its key.
//
// Numbers and texts are taken as they are, containers with their size, optional values with whether they are there, aggregates member by
// member (base/members.h). What is large and has a key of its own counts with that (kKeyOfItsOwn); what is shared (shared_ptr) is taken for
// what it points to.
#pragma once
#include "base/hash.h"
#include "base/members.h"
#include <array>
#include <cstring>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <variant>
#include <vector>

namespace hemline {

/// Gathers the bytes of what is to be hashed. About a gigabyte a second for arrays of numbers.
class ContentHash {
public:
  template <class T> void add(const T& value) {
    if constexpr (kKeyOfItsOwn<T>) {
      add(value.key);
    } else if constexpr (std::is_arithmetic_v<T>) {
      number(value);
    } else if constexpr (std::is_enum_v<T>) {
      number(static_cast<std::underlying_type_t<T>>(value));
    } else if constexpr (requires {
                           value.derived();
                           T::SizeAtCompileTime;
                         }) { // a vector or matrix of fixed size
      for (int i = 0; i < T::SizeAtCompileTime; ++i) number(value.data()[i]);
    } else {
      withMembers(value, [this](const auto&... each) { (add(each), ...); });
    }
  }
  void add(const Key& key) { number(key.high), number(key.low); }
  void add(const std::string& text) {
    number(text.size());
    bytes(text.data(), text.size());
  }
  template <class T> void add(const std::vector<T>& list) { all(list); }
  template <class K, class V> void add(const std::map<K, V>& list) { all(list); }
  template <class T, std::size_t N> void add(const std::array<T, N>& list) { all(list); }
  template <class A, class B> void add(const std::pair<A, B>& both) { add(both.first), add(both.second); }
  template <class T> void add(const std::optional<T>& value) {
    number(value.has_value());
    if (value) add(*value);
  }
  template <class T> void add(const std::shared_ptr<T>& value) {
    number(value != nullptr);
    if (value) add(*value);
  }
  template <class... T> void add(const std::variant<T...>& value) {
    number(value.index());
    std::visit([this](const auto& v) { add(v); }, value);
  }
  Key key() {
    take();
    return so_;
  }

private:
  template <class List> void all(const List& list) {
    number(list.size());
    using T = std::remove_cvref_t<decltype(*list.begin())>;
    if constexpr (std::is_arithmetic_v<T> && requires { list.data(); })
      bytes(list.data(), list.size() * sizeof(T));
    else
      for (const auto& each : list) add(each);
  }
  template <class T> void number(T value) { bytes(&value, sizeof(T)); }
  void bytes(const void* data, std::size_t size) {
    const auto* from = static_cast<const char*>(data);
    gathered_.insert(gathered_.end(), from, from + size);
    if (gathered_.size() > kAtOnce) take();
  }
  void take() {
    so_ = combine(std::array{so_, hashBytes(gathered_.data(), gathered_.size())});
    gathered_.clear();
  }
  static constexpr std::size_t kAtOnce = 1 << 20; // bytes
  std::vector<char> gathered_;
  Key so_; ///< of what was taken so far
};

template <class... T> Key contentKey(const T&... values) {
  ContentHash hash;
  (hash.add(values), ...);
  return hash.key();
}

} // namespace hemline
