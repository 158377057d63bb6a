// What a stock consists of: one piece, or several once cuts have met.
#pragma once
#include "stock/stock.h"

namespace hemline {

struct StockPiece {
  double volume = 0; ///< mm^3
  Vec3 middle = Vec3::Zero();
  Box bounds;
};

/// Pieces of the stock, the largest first. Found on the rays along z: two rays next to each other belong together where their material
/// overlaps, so that what hangs together by less than a cell may be told apart.
class StockPieces {
public:
  /// With `thin` the stock is looked at without what is thinner than 2 thin + 1 cells along an axis: eroded by a cube of that size.
  explicit StockPieces(const Stock& stock, int thin = 0);
  const std::vector<StockPiece>& pieces() const { return pieces_; }
  /// Any place within a piece.
  Vec3 placeIn(int piece) const;
  /// The piece at a place, or -1.
  int at(const Vec3& p) const;

private:
  void erode(int thin);
  const Stock::Ray& rayOf(std::size_t n) const;
  const Stock stock_; ///< shares its blocks
  int na_ = 0, nb_ = 0;
  std::vector<Stock::Ray> rays_;   ///< along z, where they were eroded; else the stock's own
  std::vector<std::size_t> first_; ///< per ray along z: number of its first interval
  std::vector<int> pieceOf_;       ///< per interval
  std::vector<StockPiece> pieces_;
};

} // namespace hemline
