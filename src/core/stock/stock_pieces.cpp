#include "stock/stock_pieces.h"
#include <algorithm>
#include <numeric>

namespace hemline {

StockPieces::StockPieces(const Stock& stock) : stock_(stock) {
  const Stock::Field& f = stock_.fields_[2];
  const auto rays = static_cast<std::size_t>(f.na) * static_cast<std::size_t>(f.nb);
  first_.assign(rays + 1, 0);
  for (int j = 0; j < f.nb; ++j)
    for (int i = 0; i < f.na; ++i) {
      const auto n = static_cast<std::size_t>(j) * static_cast<std::size_t>(f.na) + static_cast<std::size_t>(i);
      first_[n + 1] = first_[n] + f.ray(i, j).size();
    }
  std::vector<std::size_t> root(first_.back());
  std::iota(root.begin(), root.end(), std::size_t{0});
  const auto find = [&](std::size_t k) {
    while (root[k] != k) k = root[k] = root[root[k]];
    return k;
  };
  const auto join = [&](int i, int j, int i2, int j2) {
    const auto &a = f.ray(i, j), &b = f.ray(i2, j2);
    const std::size_t na = first_[static_cast<std::size_t>(j) * static_cast<std::size_t>(f.na) + static_cast<std::size_t>(i)],
                      nb = first_[static_cast<std::size_t>(j2) * static_cast<std::size_t>(f.na) + static_cast<std::size_t>(i2)];
    for (std::size_t p = 0, q = 0; p < a.size() && q < b.size();) {
      if (std::min(a[p].to, b[q].to) > std::max(a[p].from, b[q].from)) root[find(na + p)] = find(nb + q);
      ++(a[p].to < b[q].to ? p : q);
    }
  };
  for (int j = 0; j < f.nb; ++j)
    for (int i = 0; i < f.na; ++i) {
      if (i + 1 < f.na) join(i, j, i + 1, j);
      if (j + 1 < f.nb) join(i, j, i, j + 1);
    }
  std::vector<int> number(root.size(), -1);
  pieceOf_.assign(root.size(), 0);
  const double face = stock_.step_[0] * stock_.step_[1];
  for (int j = 0; j < f.nb; ++j)
    for (int i = 0; i < f.na; ++i) {
      std::size_t k = first_[static_cast<std::size_t>(j) * static_cast<std::size_t>(f.na) + static_cast<std::size_t>(i)];
      for (const auto& v : f.ray(i, j)) {
        int& n = number[find(k)];
        if (n < 0) n = static_cast<int>(pieces_.size()), pieces_.emplace_back();
        pieceOf_[k++] = n;
        StockPiece& piece = pieces_[static_cast<std::size_t>(n)];
        const double from = static_cast<double>(v.from), to = static_cast<double>(v.to), volume = face * (to - from);
        const Vec3 low(stock_.coordinate(0, i), stock_.coordinate(1, j), from), high(low.x(), low.y(), to);
        piece.volume += volume, piece.middle += volume * 0.5 * (low + high);
        piece.bounds.add(low), piece.bounds.add(high);
      }
    }
  for (StockPiece& p : pieces_)
    if (p.volume > 0) p.middle /= p.volume;
  std::vector<int> order(pieces_.size()), place(pieces_.size());
  std::iota(order.begin(), order.end(), 0);
  std::stable_sort(order.begin(), order.end(),
                   [&](int a, int b) { return pieces_[static_cast<std::size_t>(a)].volume > pieces_[static_cast<std::size_t>(b)].volume; });
  std::vector<StockPiece> sorted;
  for (std::size_t k = 0; k < order.size(); ++k) {
    sorted.push_back(pieces_[static_cast<std::size_t>(order[k])]);
    place[static_cast<std::size_t>(order[k])] = static_cast<int>(k);
  }
  pieces_ = std::move(sorted);
  for (int& p : pieceOf_) p = place[static_cast<std::size_t>(p)];
}

int StockPieces::at(const Vec3& p) const {
  const Stock::Field& f = stock_.fields_[2];
  const auto index = [&](int axis, int count) {
    const double k = std::floor((p[axis] - stock_.bounds_.low[axis]) / stock_.step_[axis]);
    return k < 0 || k >= count ? -1 : static_cast<int>(k);
  };
  const int i = index(0, f.na), j = index(1, f.nb);
  if (i < 0 || j < 0) return -1;
  std::size_t k = first_[static_cast<std::size_t>(j) * static_cast<std::size_t>(f.na) + static_cast<std::size_t>(i)];
  for (const auto& v : f.ray(i, j)) {
    if (p.z() >= static_cast<double>(v.from) && p.z() <= static_cast<double>(v.to)) return pieceOf_[k];
    ++k;
  }
  return -1;
}

} // namespace hemline
