#include "hold/slender.h"
#include "base/threads.h"
#include <algorithm>
#include <limits>

namespace hemline {

std::vector<CrossSection> sectionsAbove(const Stock& stock, const Frame& frame, double gripTop) {
  const Box box = frame.into(stock.bounds());
  const double height = box.high.z() - gripTop;
  if (!(height > 0)) return {};
  const auto count = static_cast<std::size_t>(std::clamp(std::ceil(height / (2 * stock.cell())), 2.0, 200.0));
  const double step = stock.cell();
  const int nx = static_cast<int>(std::ceil(box.size().x() / step)), ny = static_cast<int>(std::ceil(box.size().y() / step));
  const double dx = box.size().x() / nx, dy = box.size().y() / ny;
  std::vector<CrossSection> out(count);
  parallelChunks(count, 1, [&](std::size_t first, std::size_t last) {
    for (std::size_t k = first; k < last; ++k) {
      const double z = gripTop + (static_cast<double>(k) + 0.5) / static_cast<double>(count) * height;
      double n = 0;
      Vec2 sum = Vec2::Zero();
      Eigen::Matrix2d square = Eigen::Matrix2d::Zero();
      for (int i = 0; i < nx; ++i)
        for (int j = 0; j < ny; ++j) {
          const Vec2 at(box.low.x() + (i + 0.5) * dx, box.low.y() + (j + 0.5) * dy);
          if (!stock.contains(frame.out(Vec3(at.x(), at.y(), z)))) continue;
          n += 1, sum += at, square += at * at.transpose();
        }
      CrossSection& s = out[k];
      s.at = z - gripTop, s.area = n * dx * dy;
      if (n < 1) continue;
      const Vec2 middle = sum / n;
      Eigen::Matrix2d m = (square - n * middle * middle.transpose()) * dx * dy;
      m.diagonal() += s.area / 12 * Vec2(dx * dx, dy * dy); // of each little rectangle itself
      s.inertia = 0.5 * (m.trace() - std::hypot(m(0, 0) - m(1, 1), 2 * m(0, 1)));
    }
  });
  return out;
}

double compliance(const std::vector<CrossSection>& sections, double young, double height, bool tailstock) {
  assert(young > 0);
  if (sections.empty() || !(height > 0)) return 0;
  const double step = sections.size() > 1 ? sections[1].at - sections[0].at : 2 * sections[0].at;
  const double end = sections.back().at + 0.5 * step, x = std::min(height, end);
  // Deflection at p for a force at q, q at or above p; each section's stiffness over its stretch, integrated exactly.
  const auto influence = [&](double p, double q) {
    double sum = 0;
    for (const CrossSection& s : sections) {
      const double a = s.at - 0.5 * step, b = std::min(s.at + 0.5 * step, p);
      if (b <= a) break;
      if (!(s.inertia > 0)) return std::numeric_limits<double>::infinity();
      const auto whole = [&](double t) { return p * q * t - (p + q) * t * t / 2 + t * t * t / 3; };
      sum += (whole(b) - whole(a)) / (young * s.inertia);
    }
    return sum;
  };
  const double own = influence(x, x);
  if (!tailstock || !std::isfinite(own)) return own;
  const double between = influence(x, end), tail = influence(end, end);
  return std::isfinite(tail) ? own - between * between / tail : own;
}

} // namespace hemline
