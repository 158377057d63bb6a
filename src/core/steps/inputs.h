// What nodes of steps are given: cutter and holder as they are mounted, and what a path must keep clear of.
#pragma once
#include "base/stored.h"
#include "cutter/cutter.h"
#include "graph/node.h"
#include "part/part.h"
#include "proof/clearance.h"

namespace hemline {

template <> inline constexpr bool kKeyOfItsOwn<Part> = true;

/// An assembly by what it is put together from.
struct Mounted {
  Cutter cutter;
  Holder holder;
  double stickOut = 40;         ///< mm
  std::vector<HolderPart> nose; ///< of the machine's spindle
  /// Throws Error, as assemble.
  Assembly assembly() const {
    Assembly a = assemble(cutter, holder, stickOut);
    addSpindleNose(a, nose);
    return a;
  }
};

/// A fixture, or the machine's table, in the part's frame.
struct Standing {
  std::string name;
  std::shared_ptr<const Part> body;
};

/// Part and all that stands about it.
struct Scene {
  std::shared_ptr<const Part> part;
  std::vector<Standing> bodies;
  std::vector<Obstacle> obstacles() const {
    std::vector<Obstacle> out{{"part", part->tree.get(), true, part->report.closed}};
    for (const Standing& s : bodies) out.push_back({s.name, s.body->tree.get(), false});
    return out;
  }
};

/// The stock at one moment.
struct StockState {
  Stock stock;
  Key key;             ///< of all that made it
  std::size_t own = 0; ///< bytes that it does not share with the stock it was cut from
  std::size_t memory() const { return own; }
};
template <> inline constexpr bool kKeyOfItsOwn<StockState> = true;
inline void storeIn(ByteWriter& to, const StockState& state) {
  const auto& [stock, key, own] = state;
  to.add(stock), to.add(key);
}
/// What is read shares nothing with other stocks.
inline void loadFrom(ByteReader& from, StockState& state) {
  auto& [stock, key, own] = state;
  from.get(stock), from.get(key);
  own = stock.memory();
}

} // namespace hemline
