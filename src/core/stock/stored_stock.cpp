// A stock as bytes and back.
#include "base/stored.h"
#include "stock/stock.h"
#include <unordered_map>

namespace hemline {

// All members are named, so that a new one does not compile before it is stored, too.
void storeIn(ByteWriter& to, const Stock& stock) {
  const auto& [bounds, cell, step, count, fields] = stock;
  to.add(bounds), to.add(cell), to.add(step), to.add(count);
  for (const Stock::Field& f : fields) {
    const auto& [along, a, b, na, nb, blocksA, blocksB, blocks] = f;
    to.add(along), to.add(a), to.add(b), to.add(na), to.add(nb), to.add(blocksA), to.add(blocksB);
    std::unordered_map<const Stock::Block*, std::size_t> known; // numbers of blocks by where they are first met
    to.add(blocks.size());
    for (const auto& block : blocks) {
      const auto [at, isNew] = known.try_emplace(block.get(), known.size());
      to.add(at->second);
      if (!isNew) continue;
      std::vector<std::uint32_t> counts;
      for (const Stock::Ray& ray : block->rays) counts.push_back(static_cast<std::uint32_t>(ray.size()));
      to.add(counts);
      for (const Stock::Ray& ray : block->rays) to.bytes(ray.data(), ray.size() * sizeof(Stock::Interval));
    }
  }
}

void loadFrom(ByteReader& from, Stock& stock) {
  auto& [bounds, cell, step, count, fields] = stock;
  from.get(bounds), from.get(cell), from.get(step), from.get(count);
  for (Stock::Field& f : fields) {
    auto& [along, a, b, na, nb, blocksA, blocksB, blocks] = f;
    from.get(along), from.get(a), from.get(b), from.get(na), from.get(nb), from.get(blocksA), from.get(blocksB);
    std::vector<std::shared_ptr<Stock::Block>> known;
    blocks.resize(from.get<std::size_t>());
    for (auto& block : blocks) {
      const auto number = from.get<std::size_t>();
      if (number > known.size()) throw NotAsStored();
      if (number == known.size()) {
        auto made = std::make_shared<Stock::Block>();
        const auto counts = from.get<std::vector<std::uint32_t>>();
        made->rays.resize(counts.size());
        for (std::size_t k = 0; k < counts.size(); ++k) {
          const std::string_view bytes = from.bytes(counts[k] * sizeof(Stock::Interval));
          made->rays[k].resize(counts[k]);
          if (!bytes.empty()) std::memcpy(made->rays[k].data(), bytes.data(), bytes.size());
        }
        made->measure();
        known.push_back(std::move(made));
      }
      block = known[number];
    }
  }
}

} // namespace hemline
