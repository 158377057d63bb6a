// Results that are remembered by the content they were made from, as many as fit into a limit: those asked for longest ago go first.
#pragma once
#include "graph/memory_of.h"
#include "graph/node.h"
#include <list>

namespace hemline {

class Results {
public:
  /// Bytes; what is in use elsewhere stays there when it is dropped here.
  explicit Results(std::size_t limit = kLimit) : limit_(limit) {}
  static constexpr std::size_t kLimit = std::size_t{4} << 30;

  /// The result of the node for this input: remembered, or computed now. Throws what the node throws; nothing is then remembered.
  template <class In, class Out, class Aid> Ref<Out> of(const Node<In, Out, Aid>& node, const In& in, Progress& progress, Aid& aid) {
    const Key key = contentKey(std::string(node.name), node.version, in);
    if (const Entry* known = find(key)) return {std::static_pointer_cast<const Out>(known->value), known->result};
    auto value = std::make_shared<const Out>(node.run(in, aid, progress));
    ++computed_[node.name];
    const Key result = node.byContent ? contentKey(*value) : key;
    put(key, {value, result, sizeof(Out) + memoryOf(*value), {}});
    return {value, result};
  }
  template <class In, class Out> Ref<Out> of(const Node<In, Out>& node, const In& in, Progress& progress) {
    NoAid none;
    return of(node, in, progress, none);
  }

  /// How many results were computed (not remembered), in all and of nodes whose name begins with this word.
  std::size_t computed() const;
  std::size_t computed(const std::string& node) const;
  /// Bytes in use, about.
  std::size_t memory() const { return memory_; }

private:
  struct Entry {
    std::shared_ptr<const void> value;
    Key result;
    std::size_t memory;
    std::list<Key>::iterator asked;
  };
  const Entry* find(const Key& key);
  void put(const Key& key, Entry entry);
  std::size_t limit_, memory_ = 0;
  std::map<Key, Entry> entries_;
  std::list<Key> asked_; ///< the latest first
  std::map<std::string, std::size_t> computed_;
};

} // namespace hemline
