#include "stock/stock_pieces.h"
#include <algorithm>
#include <numeric>

namespace hemline {

void StockPieces::erode(int thin) {
  // A cube is the sum of its edges: what stays is looked for along x, then y, then z.
  const auto both = [](const Stock::Ray& a, const Stock::Ray& b) {
    Stock::Ray out;
    for (std::size_t p = 0, q = 0; p < a.size() && q < b.size(); ++(a[p].to < b[q].to ? p : q))
      if (const Stock::Interval v{std::max(a[p].from, b[q].from), std::min(a[p].to, b[q].to)}; v.to > v.from) out.push_back(v);
    return out;
  };
  const auto pass = [&](int along, int across, int stride, int other) {
    std::vector<Stock::Ray> out(static_cast<std::size_t>(na_) * static_cast<std::size_t>(nb_));
    for (int j = 0; j < across; ++j)
      for (int i = thin; i + thin < along; ++i) {
        const auto at = [&](int k) { return static_cast<std::size_t>(k * stride + j * other); };
        Stock::Ray ray = rayOf(at(i));
        for (int d = 1; d <= thin && !ray.empty(); ++d) ray = both(both(ray, rayOf(at(i - d))), rayOf(at(i + d)));
        out[at(i)] = std::move(ray);
      }
    rays_ = std::move(out);
  };
  pass(na_, nb_, 1, na_);
  pass(nb_, na_, na_, 1);
  const auto by = static_cast<float>(thin * stock_.step_[2]);
  for (Stock::Ray& ray : rays_) {
    for (Stock::Interval& v : ray) v.from += by, v.to -= by;
    std::erase_if(ray, [](const Stock::Interval& v) { return v.to <= v.from; });
  }
}

const Stock::Ray& StockPieces::rayOf(std::size_t n) const {
  const auto across = static_cast<std::size_t>(na_);
  return rays_.empty() ? stock_.fields_[2].ray(static_cast<int>(n % across), static_cast<int>(n / across)) : rays_[n];
}

StockPieces::StockPieces(const Stock& stock, int thin) : stock_(stock) {
  const Stock::Field& f = stock_.fields_[2];
  na_ = f.na, nb_ = f.nb;
  if (thin > 0) erode(thin);
  const std::size_t rays = static_cast<std::size_t>(na_) * static_cast<std::size_t>(nb_);
  first_.assign(rays + 1, 0);
  for (std::size_t n = 0; n < rays; ++n) first_[n + 1] = first_[n] + rayOf(n).size();
  std::vector<std::size_t> root(first_.back());
  std::iota(root.begin(), root.end(), std::size_t{0});
  const auto find = [&](std::size_t k) {
    while (root[k] != k) k = root[k] = root[root[k]];
    return k;
  };
  const auto join = [&](std::size_t m, std::size_t n) {
    const auto &a = rayOf(m), &b = rayOf(n);
    for (std::size_t p = 0, q = 0; p < a.size() && q < b.size(); ++(a[p].to < b[q].to ? p : q))
      if (std::min(a[p].to, b[q].to) > std::max(a[p].from, b[q].from)) root[find(first_[m] + p)] = find(first_[n] + q);
  };
  const auto ray = [&](int i, int j) { return static_cast<std::size_t>(j) * static_cast<std::size_t>(na_) + static_cast<std::size_t>(i); };
  for (int j = 0; j < nb_; ++j)
    for (int i = 0; i < na_; ++i) {
      if (i + 1 < na_) join(ray(i, j), ray(i + 1, j));
      if (j + 1 < nb_) join(ray(i, j), ray(i, j + 1));
    }
  std::vector<int> number(root.size(), -1);
  pieceOf_.assign(root.size(), 0);
  const double face = stock_.step_[0] * stock_.step_[1];
  for (int j = 0; j < nb_; ++j)
    for (int i = 0; i < na_; ++i) {
      std::size_t k = first_[ray(i, j)];
      for (const auto& v : rayOf(ray(i, j))) {
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

Vec3 StockPieces::placeIn(int piece) const {
  for (int j = 0; j < nb_; ++j)
    for (int i = 0; i < na_; ++i) {
      const std::size_t n = static_cast<std::size_t>(j) * static_cast<std::size_t>(na_) + static_cast<std::size_t>(i);
      for (std::size_t k = 0; k < rayOf(n).size(); ++k)
        if (pieceOf_[first_[n] + k] == piece)
          return {stock_.coordinate(0, i), stock_.coordinate(1, j),
                  0.5 * (static_cast<double>(rayOf(n)[k].from) + static_cast<double>(rayOf(n)[k].to))};
    }
  return Vec3::Zero();
}

int StockPieces::at(const Vec3& p) const {
  const auto index = [&](int axis, int count) {
    const double k = std::floor((p[axis] - stock_.bounds_.low[axis]) / stock_.step_[axis]);
    return k < 0 || k >= count ? -1 : static_cast<int>(k);
  };
  const int i = index(0, na_), j = index(1, nb_);
  if (i < 0 || j < 0) return -1;
  const std::size_t n = static_cast<std::size_t>(j) * static_cast<std::size_t>(na_) + static_cast<std::size_t>(i);
  for (std::size_t k = 0; k < rayOf(n).size(); ++k)
    if (p.z() >= static_cast<double>(rayOf(n)[k].from) && p.z() <= static_cast<double>(rayOf(n)[k].to)) return pieceOf_[first_[n] + k];
  return -1;
}

} // namespace hemline
