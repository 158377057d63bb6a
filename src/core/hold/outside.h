// Stock that comes back from outside (hardening, stress relief): how much is left on the part at least and at most.
#pragma once
#include "geometry/frame.h"
#include "part/part.h"
#include "stock/stock.h"

namespace hemline {

/// How far faces may have moved outside, mm along their normal; negative: inwards.
struct Outside {
  std::string what = "stress relief";
  double least = 0, most = 0;
};

struct StockSpread {
  double least = 0, most = 0; ///< of stock on the places, with what happened outside, mm; negative: metal is missing
  Vec3 leastAt = Vec3::Zero(), mostAt = Vec3::Zero();
};
/// Over places (on the surface, with their outward normals): along the normal until the stock ends, in steps of a quarter cell; what is not
/// even there on the surface counts as 0. From below by up to a quarter cell. At most `farthest` is looked.
StockSpread stockSpread(const Stock& stock, const std::vector<Vec3>& at, const std::vector<Vec3>& normal, const Outside& outside,
                        double farthest);

} // namespace hemline
