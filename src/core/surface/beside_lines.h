// On which side of lines places of a surface lie, and how far from them.
#pragma once
#include "base/infinity.h"
#include "geometry/vec.h"
#include <vector>

namespace hemline {

/// Open lines, or closed ones with their first point again; kept by reference. Each question takes time linear in their points.
class BesideLines {
public:
  explicit BesideLines(const std::vector<std::vector<Vec3>>& lines) : lines_(lines) {}

  struct Where {
    double left = 0;         ///< mm off the nearest line, to the left of its way as seen along the outward normal
    double beyond = 0;       ///< mm past an end of it; 0: beside it
    double off = kInfinity;  ///< mm from the nearest line
    Vec3 way = Vec3::Zero(); ///< of the line there, unit
  };
  Where of(const Vec3& p, const Vec3& normal) const {
    Where out;
    for (const std::vector<Vec3>& line : lines_)
      for (std::size_t i = 1; i < line.size(); ++i) {
        const Vec3 way = line[i] - line[i - 1];
        const double l = way.squaredNorm(), x = l > 0 ? (p - line[i - 1]).dot(way) / l : 0;
        const Vec3 off = p - line[i - 1] - std::clamp(x, 0.0, 1.0) * way;
        const double d = off.norm();
        if (!(d < out.off)) continue;
        const bool closed = line.front() == line.back();
        const double past = i == 1 && x < 0 ? -x : i + 1 == line.size() && x > 1 ? x - 1 : 0;
        const Vec3 along = way.normalized();
        out = {normal.cross(along).dot(off), closed ? 0 : past * std::sqrt(l), d, along};
      }
    return out;
  }

private:
  const std::vector<std::vector<Vec3>>& lines_;
};

} // namespace hemline
