#include "proof/roughness.h"
#include "base/units.h"
#include <algorithm>
#include <array>
#include <cmath>

namespace hemline {
namespace {

struct Class {
  double widest, cutoff, noise; ///< RSm up to, lambda c, lambda s, mm
};
constexpr std::array<Class, 5> kClasses{
    {{0.04, 0.08, 0.0025}, {0.13, 0.25, 0.0025}, {0.4, 0.8, 0.0025}, {1.3, 2.5, 0.008}, {kInfinity, 8, 0.025}}};
constexpr int kSections = 5;

const Class& classOf(double width) {
  for (const Class& c : kClasses)
    if (width <= c.widest) return c;
  return kClasses.back();
}

void levelled(std::vector<double>& z) {
  const double n = double(z.size()), mid = 0.5 * (n - 1);
  double mean = 0, tilt = 0, square = 0;
  for (const double v : z) mean += v / n;
  for (std::size_t i = 0; i < z.size(); ++i) {
    const double x = double(i) - mid;
    tilt += x * (z[i] - mean), square += x * x;
  }
  if (square > 0) tilt /= square;
  for (std::size_t i = 0; i < z.size(); ++i) z[i] -= mean + tilt * (double(i) - mid);
}

} // namespace

std::vector<double> gaussianMeanLine(const std::vector<double>& z, double step, double cutoff) {
  assert(step > 0 && cutoff > 0);
  static const double kAlpha = std::sqrt(std::log(2.0) / kPi);
  // Beyond one cut-off the weight is below 1e-6 of the middle's.
  const auto reach = static_cast<std::ptrdiff_t>(cutoff / step);
  std::vector<double> weight(static_cast<std::size_t>(reach) + 1);
  for (std::size_t k = 0; k < weight.size(); ++k) {
    const double x = double(k) * step / (kAlpha * cutoff);
    weight[k] = std::exp(-kPi * x * x);
  }
  std::vector<double> out(z.size());
  const auto n = static_cast<std::ptrdiff_t>(z.size());
  for (std::ptrdiff_t i = 0; i < n; ++i) {
    double sum = 0, weights = 0;
    for (std::ptrdiff_t j = std::max<std::ptrdiff_t>(0, i - reach); j <= std::min(n - 1, i + reach); ++j) {
      const double w = weight[static_cast<std::size_t>(std::abs(i - j))];
      sum += w * z[static_cast<std::size_t>(j)], weights += w;
    }
    out[static_cast<std::size_t>(i)] = sum / weights;
  }
  return out;
}

double meanWidth(const std::vector<double>& z, double step) {
  assert(step > 0);
  if (z.empty()) return 0;
  const auto [low, high] = std::minmax_element(z.begin(), z.end());
  const double least = 0.1 * (*high - *low);
  // A rise counts once a peak of enough height follows a valley of enough depth.
  int side = 0;
  double crossing = 0, first = -1, last = -1;
  int rises = 0;
  for (std::size_t i = 1; i < z.size(); ++i) {
    if (z[i - 1] < 0 && z[i] >= 0) crossing = double(i) - z[i] / (z[i] - z[i - 1]);
    if (z[i] > least && side <= 0) {
      if (side < 0) {
        if (first < 0) first = crossing;
        last = crossing, ++rises;
      }
      side = 1;
    } else if (z[i] < -least) {
      side = -1;
    }
  }
  return rises < 2 ? 0 : step * (last - first) / (rises - 1);
}

Roughness roughnessOf(const std::vector<double>& given, double step) {
  Roughness out;
  if (given.size() < 3 || !(step > 0)) return out;
  std::vector<double> z = given;
  levelled(z);
  double width = meanWidth(z, step);
  // Without two peaks the surface tells no width: the whole section is one element at least.
  if (width <= 0) width = step * double(z.size());
  for (int round = 0; round < 4; ++round) {
    const Class c = classOf(width);
    const double whole = step * double(z.size() - 1) - c.cutoff;
    out = {};
    out.cutoff = c.cutoff, out.noise = c.noise, out.RSm = width;
    out.sections = std::min(kSections, static_cast<int>(std::floor(whole / c.cutoff + 1e-9)));
    if (out.sections < 1) return out;
    std::vector<double> r = step < 0.5 * c.noise ? gaussianMeanLine(z, step, c.noise) : z;
    const std::vector<double> mean = gaussianMeanLine(r, step, c.cutoff);
    for (std::size_t i = 0; i < r.size(); ++i) r[i] -= mean[i];
    // In the middle of what there is.
    const auto each = static_cast<std::size_t>(std::lround(c.cutoff / step)), count = each * static_cast<std::size_t>(out.sections);
    const std::size_t from = (r.size() - count) / 2;
    const std::vector<double> part(r.begin() + static_cast<std::ptrdiff_t>(from), r.begin() + static_cast<std::ptrdiff_t>(from + count));
    for (const double v : part) out.Ra += std::abs(v) / double(count), out.Rq += v * v / double(count);
    out.Rq = std::sqrt(out.Rq);
    for (int s = 0; s < out.sections; ++s) {
      const auto a = part.begin() + static_cast<std::ptrdiff_t>(each) * s;
      const auto [low, high] = std::minmax_element(a, a + static_cast<std::ptrdiff_t>(each));
      out.Rz += (*high - *low) / out.sections;
    }
    out.length = c.cutoff * out.sections;
    out.known = true;
    const double found = meanWidth(part, step);
    if (found <= 0 || classOf(found).cutoff == c.cutoff) {
      if (found > 0) out.RSm = found;
      return out;
    }
    width = found;
  }
  return out;
}

} // namespace hemline
