// Values as bytes and back, member by member (base/members.h): what a result holds can be left out no more than from its key.
//
// For the cache of the same build on the same machine, not for exchange: numbers stand as they are in memory. Classes that are no plain
// structs bring `storeIn(ByteWriter&, const T&)` and `loadFrom(ByteReader&, T&)` of their own, found by their namespace.
#pragma once
#include "base/members.h"
#include <array>
#include <cstdint>
#include <cstring>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <variant>
#include <vector>

namespace hemline {

/// Bytes that end too early, or say what cannot be: they are not what was stored.
struct NotAsStored {};

namespace stored {
template <class T> constexpr bool isMatrix = requires(T t) {
  t.derived();
  T::SizeAtCompileTime;
};
/// Is it its bytes, with no gaps and no pointers between?
template <class T> constexpr bool flat = std::is_arithmetic_v<T> || std::is_enum_v<T>;
template <class T>
requires isMatrix<T>
constexpr bool flat<T> = T::SizeAtCompileTime > 0 &&
                         sizeof(T) == sizeof(typename T::Scalar) * static_cast<std::size_t>(T::SizeAtCompileTime);
template <class T, std::size_t N> constexpr bool flat<std::array<T, N>> = flat<T>;
} // namespace stored

class ByteWriter {
public:
  template <class T> void add(const T& value) {
    if constexpr (stored::flat<T>)
      bytes(&value, sizeof(T));
    else if constexpr (requires { storeIn(*this, value); })
      storeIn(*this, value);
    else
      withMembers(value, [this](const auto&... each) { (add(each), ...); });
  }
  void add(const std::string& text) { add(text.size()), bytes(text.data(), text.size()); }
  template <class T> void add(const std::vector<T>& list) {
    add(list.size());
    if constexpr (stored::flat<T>)
      bytes(list.data(), list.size() * sizeof(T));
    else
      for (const T& each : list) add(each);
  }
  template <class K, class V> void add(const std::map<K, V>& list) {
    add(list.size());
    for (const auto& [key, value] : list) add(key), add(value);
  }
  template <class A, class B> void add(const std::pair<A, B>& both) { add(both.first), add(both.second); }
  template <class T, std::size_t N>
  requires(!stored::flat<T>) void add(const std::array<T, N>& list) {
    for (const T& each : list) add(each);
  }
  template <class T> void add(const std::optional<T>& value) { maybe(value); }
  template <class T> void add(const std::shared_ptr<T>& value) { maybe(value); }
  template <class T> void add(const std::unique_ptr<T>& value) { maybe(value); }
  template <class... T> void add(const std::variant<T...>& value) {
    add(value.index());
    std::visit([this](const auto& v) { add(v); }, value);
  }
  void bytes(const void* data, std::size_t size) { out_.append(static_cast<const char*>(data), size); }
  std::string take() { return std::move(out_); }

private:
  template <class P> void maybe(const P& value) {
    const bool there = static_cast<bool>(value);
    add(there);
    if (there) add(*value);
  }
  std::string out_;
};

/// Throws NotAsStored where the bytes cannot be a value of what is asked for.
class ByteReader {
public:
  explicit ByteReader(std::string_view from) : left_(from) {}
  template <class T> void get(T& value) {
    if constexpr (stored::flat<T>)
      bytes(&value, sizeof(T));
    else if constexpr (requires { loadFrom(*this, value); })
      loadFrom(*this, value);
    else
      withMembers(value, [this](auto&... each) { (get(each), ...); });
  }
  template <class T> T get() {
    T value{};
    get(value);
    return value;
  }
  void get(std::string& text) {
    text.resize(count(1));
    bytes(text.data(), text.size());
  }
  template <class T> void get(std::vector<T>& list) {
    if constexpr (stored::flat<T>) {
      list.resize(count(sizeof(T)));
      bytes(list.data(), list.size() * sizeof(T));
    } else {
      list.clear();
      list.resize(count(1));
      for (T& each : list) get(each);
    }
  }
  template <class K, class V> void get(std::map<K, V>& list) {
    list.clear();
    for (std::size_t n = count(1); n > 0; --n) {
      K key = get<K>();
      get(list[std::move(key)]);
    }
  }
  template <class A, class B> void get(std::pair<A, B>& both) { get(both.first), get(both.second); }
  template <class T, std::size_t N>
  requires(!stored::flat<T>) void get(std::array<T, N>& list) {
    for (T& each : list) get(each);
  }
  template <class T> void get(std::optional<T>& value) {
    value.reset();
    if (get<bool>()) get(value.emplace());
  }
  template <class T> void get(std::shared_ptr<T>& value) {
    value.reset();
    if (!get<bool>()) return;
    auto made = std::make_shared<std::remove_const_t<T>>();
    get(*made);
    value = std::move(made);
  }
  template <class T> void get(std::unique_ptr<T>& value) {
    value.reset();
    if (!get<bool>()) return;
    value = std::make_unique<T>();
    get(*value);
  }
  template <class... T> void get(std::variant<T...>& value) { one(value, get<std::size_t>(), std::index_sequence_for<T...>()); }
  void bytes(void* to, std::size_t size) {
    if (size > left_.size()) throw NotAsStored();
    if (size > 0) std::memcpy(to, left_.data(), size);
    left_.remove_prefix(size);
  }
  /// The next so many bytes, where they lie.
  std::string_view bytes(std::size_t size) {
    if (size > left_.size()) throw NotAsStored();
    const std::string_view out = left_.substr(0, size);
    left_.remove_prefix(size);
    return out;
  }
  bool atEnd() const { return left_.empty(); }

private:
  /// A count of things that take `each` bytes or more.
  std::size_t count(std::size_t each) {
    const auto n = get<std::size_t>();
    if (n > left_.size() / each) throw NotAsStored();
    return n;
  }
  template <class V, std::size_t... I> void one(V& value, std::size_t which, std::index_sequence<I...>) {
    if (which >= sizeof...(I)) throw NotAsStored();
    ((which == I ? get(value.template emplace<I>()) : void()), ...);
  }
  std::string_view left_;
};

} // namespace hemline
