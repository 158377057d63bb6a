#include "graph/results.h"

namespace hemline {

Results::Entry Results::find(const Key& key) {
  const std::lock_guard lock(*mutex_);
  const auto it = entries_.find(key);
  if (it == entries_.end()) return {};
  asked_.splice(asked_.begin(), asked_, it->second.asked);
  return it->second;
}

void Results::put(const Key& key, Entry entry) {
  const std::lock_guard lock(*mutex_);
  if (const auto twice = entries_.find(key); twice != entries_.end()) {
    memory_ -= twice->second.memory;
    asked_.erase(twice->second.asked);
    entries_.erase(twice);
  }
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

void Results::count(const char* node, bool lasts) {
  const std::lock_guard lock(*mutex_);
  ++computed_[node], all_ += lasts;
}

std::size_t Results::computed() const {
  const std::lock_guard lock(*mutex_);
  return all_;
}

std::size_t Results::memory() const {
  const std::lock_guard lock(*mutex_);
  return memory_;
}

std::size_t Results::computed(const std::string& node) const {
  const std::lock_guard lock(*mutex_);
  std::size_t n = 0;
  for (const auto& [name, count] : computed_)
    if (name == node || name.starts_with(node + " ")) n += count;
  return n;
}

} // namespace hemline
