#include "cutter/force.h"
#include "base/units.h"
#include "cutter/mount.h"

namespace hemline {

double cuttingForce(const Material& m, const Cutter& cutter, double chip, double depth, double arc) {
  if (!(chip > 0 && depth > 0 && arc > 0)) return 0;
  const double h = chip * std::sin(std::min(arc, kPi / 2));
  const double teeth = std::max(1.0, std::ceil(cutter.teeth * arc / (2 * kPi) - 1e-9));
  return teeth * depth * m.force * std::pow(h, 1 - m.rise);
}

double cuttingPower(const Material& m, double chip, double arc, double rate) {
  if (!(chip > 0 && arc > 0 && rate > 0)) return 0;
  const double mean = chip * (1 - std::cos(arc)) / arc;
  return 1e-3 * rate * m.force * std::pow(mean, -m.rise); // N/mm^2 times mm^3/s is a thousandth of a watt
}

double cutterCompliance(const Assembly& a) {
  constexpr double kYoung = 600000, kCore = 0.8;
  const Cutter& c = a.cutter;
  const double flutes = std::min(c.fluteLength, a.stickOut),
               neck = c.neckDiameter > 0 ? std::clamp(c.neckLength, flutes, a.stickOut) : flutes;
  double sum = 0;
  const auto piece = [&](double from, double to, double diameter) {
    const double inertia = kPi * std::pow(diameter, 4) / 64;
    if (to > from && inertia > 0) sum += (std::pow(to, 3) - std::pow(from, 3)) / (3 * kYoung * inertia); // of x^2 / (E I)
  };
  const double shank = std::clamp(shankBegins(c), neck, a.stickOut); // the cone before it is taken for as thin as its thin end
  piece(0, flutes, kCore * c.diameter), piece(flutes, neck, c.neckDiameter);
  piece(neck, shank, std::min(c.neckDiameter > 0 ? c.neckDiameter : kCore * c.diameter, c.shankDiameter));
  piece(shank, a.stickOut, c.shankDiameter);
  return sum;
}

} // namespace hemline
