// What an evaluation needs to remember its results: only for the sources of the Evaluator.
#pragma once
#include "job/evaluate.h"

namespace hemline {

inline Key keyOf(const nlohmann::json& j) {
  return hashText(j.dump());
}

template <class T>
std::shared_ptr<const T> Evaluator::remember(const char* what, std::initializer_list<Key> from, const std::function<T()>& make) {
  std::vector<Key> keys(from);
  keys.push_back(hashText(what));
  const Key key = combine(keys);
  if (const auto it = cache_.find(key); it != cache_.end()) return std::static_pointer_cast<const T>(it->second);
  auto value = std::make_shared<const T>(make());
  ++computed_[what];
  cache_[key] = value;
  return value;
}

} // namespace hemline
