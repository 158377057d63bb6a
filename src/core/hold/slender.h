// How far slender work bends under the cut (Euler-Bernoulli beam), from the section that the stock has.
#pragma once
#include "geometry/frame.h"
#include "stock/stock.h"

namespace hemline {

/// A section of the stock across the clamping's z.
struct CrossSection {
  double at = 0;      ///< above the grip, mm
  double area = 0;    ///< mm^2
  double inertia = 0; ///< least second moment about its middle, mm^4
};
/// Sections from `gripTop` up to the stock's highest place, about two cells apart (at most 200), each from places a cell apart across.
std::vector<CrossSection> sectionsAbove(const Stock& stock, const Frame& frame, double gripTop);

/// Deflection for one newton across, at the height where it presses, mm/N. Euler and Bernoulli: held fast at the grip, free at the end,
/// integral of (x - s)^2 / (E I(s)); with `tailstock` held across at the last section, too. Shear and the grip's own give are left out, so
/// that short work bends more than this. `young` N/mm^2. Infinite above a section without material.
double compliance(const std::vector<CrossSection>& sections, double young, double height, bool tailstock);

} // namespace hemline
