#include "graph/results.h"

namespace hemline {

const Results::Entry* Results::find(const Key& key) {
  const auto it = entries_.find(key);
  if (it == entries_.end()) return nullptr;
  asked_.splice(asked_.begin(), asked_, it->second.asked);
  return &it->second;
}

void Results::put(const Key& key, Entry entry) {
  asked_.push_front(key);
  entry.asked = asked_.begin();
  memory_ += entry.memory;
  entries_[key] = std::move(entry);
  while (memory_ > limit_ && asked_.size() > 1) {
    const auto oldest = entries_.find(asked_.back());
    memory_ -= oldest->second.memory;
    entries_.erase(oldest);
    asked_.pop_back();
  }
}

std::size_t Results::computed(const std::string& node) const {
  std::size_t n = 0;
  for (const auto& [name, count] : computed_)
    if (name == node || name.starts_with(node + " ")) n += count;
  return n;
}

} // namespace hemline
