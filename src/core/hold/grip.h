// What fixtures touch of a stock: how deep they grip, what stands in them, what nothing holds.
#pragma once
#include "geometry/frame.h"
#include "hold/fixture.h"
#include "stock/stock_pieces.h"

namespace hemline {

struct Grip {
  std::size_t fixture = 0;
  double area = 0;  ///< of its gripping faces that lie on the stock, mm^2
  double depth = 0; ///< of that area along the clamping's z, mm
};
struct Intrusion {
  std::size_t fixture = 0;
  double deep = 0;        ///< mm from a cell and a half below its face to where the stock ends, to a cell
  Vec3 at = Vec3::Zero(); ///< in the part's frame
};
struct Holding {
  std::vector<Grip> grips;       ///< of each fixture that grips
  std::vector<Intrusion> inside; ///< fixtures that stand in the stock
  double standsOut = 0;          ///< highest place of the stock above the highest gripped one, mm; without a grip the stock's height
  double gripTop = 0;            ///< height of the highest gripped place in the clamping's frame
};

/// `bodies` are the fixtures' in the part's frame, in order (more may follow). Asked at places on the fixtures a cell apart, the stock
/// three quarters of a cell above them: a gap below that counts as touching.
Holding measureGrip(const Stock& stock, const std::vector<Fixture>& fixtures, const std::vector<std::shared_ptr<const Part>>& bodies,
                    const Frame& frame);

/// Pieces of the stock that no body touches, larger than 3 x 3 x 3 cells; if nothing is modelled to hold the work all but the largest.
std::vector<StockPiece> loosePieces(const Stock& stock, const std::vector<std::shared_ptr<const Part>>& bodies);

/// Pieces that hang on to what is held by nothing thicker than `skin` (mm, to a cell and more): without that skin no body would touch them
/// near. Pieces that are loose anyway are not among them.
struct Hanging {
  double skin = 0; ///< mm: what was taken away
  std::vector<StockPiece> pieces;
};
Hanging hangingPieces(const Stock& stock, const std::vector<std::shared_ptr<const Part>>& bodies, double skin);

} // namespace hemline
