#include "job/bodies.h"
#include "base/units.h"

namespace hemline {

std::vector<Vec3> boxTriangles(const Box& b) {
  const auto c = [&](int i) {
    return Vec3(i & 1 ? b.high.x() : b.low.x(), i & 2 ? b.high.y() : b.low.y(), i & 4 ? b.high.z() : b.low.z());
  };
  const int quads[6][4] = {{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}};
  std::vector<Vec3> out;
  for (const auto& q : quads)
    for (const int i : {0, 1, 2, 0, 2, 3}) out.push_back(c(q[i]));
  return out;
}

std::shared_ptr<const Part> tableBody(const Machine& m) {
  std::vector<Vec3> soup;
  if (m.tableRadius > 0) {
    constexpr int kSides = 96;
    const double R = m.tableRadius / std::cos(kPi / kSides), low = m.table.low.z(), high = m.table.high.z();
    const auto on = [&](int k, double z) { return Vec3(R * std::cos(2 * kPi * k / kSides), R * std::sin(2 * kPi * k / kSides), z); };
    for (int k = 0; k < kSides; ++k)
      for (const Vec3& v : {on(k, low), on(k + 1, low), on(k + 1, high), on(k, low), on(k + 1, high), on(k, high), Vec3(0, 0, high),
                            on(k, high), on(k + 1, high), Vec3(0, 0, low), on(k + 1, low), on(k, low)})
        soup.push_back(v);
  } else if (m.table.size().minCoeff() > 0) {
    soup = boxTriangles(m.table);
  }
  if (soup.empty()) return nullptr;
  for (Vec3& v : soup) v -= m.workOffset;
  return partFromTriangles(soup, "machine table");
}

} // namespace hemline
