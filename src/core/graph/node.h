// A node of the graph: a function of one struct, whose key is taken from that very struct.
//
// What a node can see is in its key; what is not in its key it cannot see. (The method is known as memoisation by content, as build systems
// do it.)
#pragma once
#include "base/content_key.h"
#include "base/progress.h"

namespace hemline {

/// A result, with the key that it has for what depends on it.
template <class T> struct Ref {
  std::shared_ptr<const T> value;
  Key key;
  const T& operator*() const { return *value; }
  const T* operator->() const { return value.get(); }
  explicit operator bool() const { return value != nullptr; }
};
template <class T> inline constexpr bool kKeyOfItsOwn<Ref<T>> = true;

/// What makes a node faster and changes no result: kept measurings, who is told of a first answer.
struct NoAid {};

template <class In, class Out, class Aid = NoAid> struct Node {
  const char* name;
  int version; ///< raised when the same input gives another result
  Out (*run)(const In&, Aid&, Progress&);
  /// The result's key is of what it is, not of what it was made from: where another input gives the same, what depends on it stays.
  bool byContent = false;
};

} // namespace hemline
