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
  operator std::shared_ptr<const T>() const { return value; }
  bool operator==(const Ref& other) const { return value == other.value; }
};
template <class T> inline constexpr bool kKeyOfItsOwn<Ref<T>> = true;

/// A file that a node reads: its key is of its bytes and its name, which tells its format; where it lies counts for nothing.
struct FileIn {
  std::string path;
  Key bytes, key;
};
template <> inline constexpr bool kKeyOfItsOwn<FileIn> = true;
/// The file as it is now. Throws Error if it cannot be read.
FileIn fileIn(const std::string& path);
/// Throws Error where the file is not any more what its key was taken from. Asked by nodes once they have read it, so that no result is
/// ever kept for bytes that it was not made from.
void mustBeUnchanged(const FileIn& file);

/// What makes a node faster and changes no result: kept measurings, who is told of a first answer.
struct NoAid {};

template <class In, class Out, class Aid = NoAid> struct Node {
  const char* name;
  int version; ///< raised when the same input gives another result
  Out (*run)(const In&, Aid&, Progress&);
  /// The result's key is of what it is, not of what it was made from: where another input gives the same, what depends on it stays.
  bool byContent = false;
  bool lasts = true; ///< kept on disk, too; not where it is sooner computed than read
};

} // namespace hemline
