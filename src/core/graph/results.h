// Results that are remembered by the content they were made from, as many as fit into a limit: those asked for longest ago go first.
#pragma once
#include "base/stored.h"
#include "graph/memory_of.h"
#include "graph/node.h"
#include "graph/store.h"
#include <list>
#include <mutex>

namespace hemline {

/// Safe from several threads; what two of them ask for at once may be computed twice.
class Results {
public:
  /// Bytes; what is in use elsewhere stays there when it is dropped here. Where there is a store, results are kept and sought in it.
  explicit Results(std::size_t limit = kLimit, std::shared_ptr<Store> store = nullptr) : limit_(limit), store_(std::move(store)) {}
  static constexpr std::size_t kLimit = std::size_t{4} << 30;

  /// The result of the node for this input: remembered, or computed now. Throws what the node throws; nothing is then remembered.
  template <class In, class Out, class Aid> Ref<Out> of(const Node<In, Out, Aid>& node, const In& in, Progress& progress, Aid& aid) {
    const Key key = contentKey(std::string(node.name), node.version, in);
    if (const Entry known = find(key); known.value) return {std::static_pointer_cast<const Out>(known.value), known.result};
    if (store_ && node.lasts)
      if (const auto kept = load<Out>(key)) return *kept;
    auto value = std::make_shared<const Out>(node.run(in, aid, progress));
    count(node.name, node.lasts);
    const Key result = node.byContent ? contentKey(*value) : key;
    put(key, {value, result, sizeof(Out) + memoryOf(*value), {}});
    if (store_ && node.lasts)
      store_->put(key, result, [value] {
        ByteWriter bytes;
        bytes.add(*value);
        return bytes.take();
      });
    return {value, result};
  }
  template <class In, class Out> Ref<Out> of(const Node<In, Out>& node, const In& in, Progress& progress) {
    NoAid none;
    return of(node, in, progress, none);
  }

  /// How many results were computed (not remembered): in all, but for those that never last; and of nodes whose name begins with this word.
  std::size_t computed() const;
  std::size_t computed(const std::string& node) const;
  /// How many results on disk were not whole and computed again.
  std::size_t damaged() const { return store_ ? store_->damaged() : 0; }
  /// Bytes in use, about.
  std::size_t memory() const;

private:
  struct Entry {
    std::shared_ptr<const void> value;
    Key result;
    std::size_t memory = 0;
    std::list<Key>::iterator asked;
  };
  template <class Out> std::optional<Ref<Out>> load(const Key& key) {
    const auto found = store_->find(key);
    if (!found) return {};
    auto value = std::make_shared<Out>();
    try {
      ByteReader bytes(found->bytes);
      bytes.get(*value);
      if (!bytes.atEnd()) throw NotAsStored();
    } catch (const NotAsStored&) {
      store_->damaged(key);
      return {};
    }
    put(key, {value, found->result, sizeof(Out) + memoryOf(*value), {}});
    return Ref<Out>{value, found->result};
  }
  Entry find(const Key& key); ///< empty where it is not remembered
  void put(const Key& key, Entry entry);
  void count(const char* node, bool lasts);
  std::unique_ptr<std::mutex> mutex_ = std::make_unique<std::mutex>(); ///< of what is remembered; nothing is computed under it
  std::size_t limit_, memory_ = 0;
  std::shared_ptr<Store> store_;
  std::map<Key, Entry> entries_;
  std::list<Key> asked_; ///< the latest first
  std::map<std::string, std::size_t> computed_;
  std::size_t all_ = 0; ///< that last
};

} // namespace hemline
