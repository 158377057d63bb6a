#include "hold/outside.h"

namespace hemline {

StockSpread stockSpread(const Stock& stock, const std::vector<Vec3>& at, const std::vector<Vec3>& normal, const Outside& outside,
                        double farthest) {
  assert(at.size() == normal.size());
  StockSpread out;
  out.least = kInfinity, out.most = -kInfinity;
  const double step = 0.25 * stock.cell();
  for (std::size_t k = 0; k < at.size(); ++k) {
    double left = 0;
    while (left < farthest && stock.contains(at[k] + (left + step) * normal[k])) left += step;
    if (left + outside.least < out.least) out.least = left + outside.least, out.leastAt = at[k];
    if (left + outside.most > out.most) out.most = left + outside.most, out.mostAt = at[k];
  }
  return out;
}

} // namespace hemline
