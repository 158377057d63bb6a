#include "study/ball_border.h"
#include "base/threads.h"
#include "geometry/side_chains.h"
#include "study/largest_ball.h"

namespace hemline {
namespace {

constexpr int kHalvings = 12;      // of a side, to where the ball fits
constexpr double kSameBall = 0.06; // of the radius: balls whose middles are so near to each other are one
constexpr double kShort = 0.5;     // of the radius: shorter lines are none
constexpr double kFits = 1 - 1e-6; // of the radius: largest balls are certified so far
constexpr double kTurned = 0.05;   // radians: normals of one point that differ by more are of two faces
constexpr std::size_t kAtOnce = 256;

std::size_t at(int i) {
  return static_cast<std::size_t>(i);
}

class Border {
public:
  using Holds = std::function<bool(const Place&, std::size_t)>;
  /// `radius`: of the ball whose lines are wanted; 0: none are.
  Border(const FineMesh& fine, double radius, const Holds& holds) : fine_(fine), mesh_(fine.part->mesh), radius_(radius), holds_(holds) {}

  BallBorder find(const std::vector<char>& region, Progress& progress) {
    BallBorder out;
    flag(region, out.tighter, progress);
    SidesBeside beside;
    std::map<Side, Crossing> crossings;
    std::vector<std::size_t> crossed;
    for (std::size_t t = 0; t < region.size(); ++t) {
      const auto& p = mesh_.triangles[t];
      const auto tight = [&](std::size_t k) { return out.tighter[at(p[k])] != 0; };
      if (!region[t] || (tight(0) == tight(1) && tight(1) == tight(2))) continue;
      crossed.push_back(t);
      std::vector<Side> sides;
      for (std::size_t k = 0; k < 3; ++k)
        if (const std::size_t n = (k + 1) % 3; tight(k) != tight(n)) {
          sides.push_back(std::minmax(p[k], p[n]));
          crossings.try_emplace(sides.back(), Crossing{t, tight(k) ? k : n, tight(k) ? n : k, {}});
        }
      beside[sides[0]].push_back(sides[1]), beside[sides[1]].push_back(sides[0]);
    }
    std::vector<Crossing*> all;
    for (auto& [side, c] : crossings) all.push_back(&c);
    parallelChunks(all.size(), kAtOnce, [&](std::size_t first, std::size_t last) {
      progress.check();
      for (std::size_t i = first; i < last; ++i) halve(*all[i]);
    });
    for (const std::size_t t : crossed) {
      std::vector<Vec3> ends;
      for (std::size_t k = 0; k < 3; ++k)
        if (const auto c = crossings.find(std::minmax(mesh_.triangles[t][k], mesh_.triangles[t][(k + 1) % 3])); c != crossings.end())
          ends.push_back(c->second.on.point);
      if (ends.size() == 2) out.pieces.push_back({static_cast<int>(t), ends[0], ends[1]});
    }
    for (const auto& chain : radius_ > 0 ? chainsOf(beside) : decltype(chainsOf(beside)){}) {
      std::vector<Place> line;
      for (const Side& side : chain) line.push_back(crossings.at(side).on);
      keepOnce(line, out.lines);
    }
    return out;
  }

private:
  /// Where the border crosses a side of a facet, from the corner that is tight to the one that is not.
  struct Crossing {
    std::size_t facet, tight, wide;
    Place on;
  };

  Place placeAt(std::size_t t, double u, double v) const {
    if (knowsSurface(*fine_.part, t)) return placeOn(*fine_.part, t, u, v);
    const Vec3 p = (1 - u - v) * mesh_.corner(t, 0) + u * mesh_.corner(t, 1) + v * mesh_.corner(t, 2);
    return {p, mesh_.smoothNormal(t, u, v)};
  }
  bool isTight(const Place& p, std::size_t t) const { return holds_(p, fine_.parent.empty() ? t : at(fine_.parent[t])); }
  /// A point is tight where it is so on one of the faces that meet there.
  void flag(const std::vector<char>& region, std::vector<char>& tighter, Progress& progress) const {
    constexpr double corner[3][2] = {{0, 0}, {1, 0}, {0, 1}};
    std::vector<std::vector<std::pair<std::size_t, Place>>> looks(mesh_.points.size());
    for (std::size_t t = 0; t < region.size(); ++t)
      for (std::size_t k = 0; k < 3 && region[t]; ++k) {
        const Place p = placeAt(t, corner[k][0], corner[k][1]);
        auto& of = looks[at(mesh_.triangles[t][k])];
        if (std::none_of(of.begin(), of.end(), [&](const auto& l) { return angleBetween(l.second.normal, p.normal) < kTurned; }))
          of.emplace_back(t, p);
      }
    tighter.assign(mesh_.points.size(), 0);
    parallelChunks(looks.size(), kAtOnce, [&](std::size_t first, std::size_t last) {
      progress.check();
      for (std::size_t i = first; i < last; ++i)
        tighter[i] = std::any_of(looks[i].begin(), looks[i].end(), [&](const auto& l) { return isTight(l.second, l.first); });
    });
  }
  void halve(Crossing& c) const {
    const auto place = [&](double x) {
      double share[3] = {0, 0, 0};
      share[c.tight] = 1 - x, share[c.wide] = x;
      return placeAt(c.facet, share[1], share[2]);
    };
    double low = 0, high = 1;
    for (int i = 0; i < kHalvings; ++i) {
      const double x = 0.5 * (low + high);
      (isTight(place(x), c.facet) ? low : high) = x;
    }
    c.on = place(high);
  }
  /// Pieces of the line along which the ball is none that was there before.
  void keepOnce(const std::vector<Place>& line, std::vector<std::vector<Vec3>>& lines) {
    const double near = kSameBall * radius_;
    const std::size_t known = middles_.size();
    std::vector<Vec3> now;
    const auto close = [&] {
      double length = 0;
      for (std::size_t i = 1; i < now.size(); ++i) length += (now[i] - now[i - 1]).norm();
      if (length > kShort * radius_) lines.push_back(now);
      now.clear();
    };
    double along = 0, whole = 0;
    for (std::size_t i = 1; i < line.size(); ++i) whole += (line[i].point - line[i - 1].point).norm();
    const bool closed = line.size() > 2 && line.front().point == line.back().point;
    for (std::size_t i = 0; i < line.size(); ++i) {
      if (i > 0) along += (line[i].point - line[i - 1].point).norm();
      const Vec3 middle = line[i].point + radius_ * line[i].normal;
      bool before = false;
      for (std::size_t k = 0; k < middles_.size() && !before; ++k) {
        const Middle& m = middles_[k];
        Vec3 on, off;
        if (distanceSegments(middle, middle, m.a, m.b, on, off) > near) continue;
        const double apart = std::abs(along - m.along);
        before = k < known || (closed ? std::min(apart, whole - apart) : apart) > 6 * near;
      }
      if (before) {
        close();
        continue;
      }
      if (!now.empty()) middles_.push_back({line[i - 1].point + radius_ * line[i - 1].normal, middle, along});
      now.push_back(line[i].point);
    }
    close();
  }

  struct Middle {
    Vec3 a, b;    ///< middles of the ball at neighbouring places of a line
    double along; ///< mm, of b
  };
  const FineMesh& fine_;
  const Mesh& mesh_;
  double radius_;
  const Holds& holds_;
  std::vector<Middle> middles_;
};

} // namespace

BallBorder ballBorder(const Part& part, const FineMesh& fine, const std::vector<char>& region, double radius, Progress& progress) {
  assert(radius > 0 && region.size() == fine.part->mesh.triangles.size());
  const std::vector<double> tolerance = facetTolerance(part);
  const Border::Holds tight = [&](const Place& p, std::size_t t) {
    return largestBall(*part.tree, p.point, p.normal, tolerance[t], 2 * radius) < kFits * radius;
  };
  return Border(fine, radius, tight).find(region, progress);
}

BallBorder groundBorder(const FineMesh& fine, const std::vector<char>& region, const std::function<bool(const Place&, std::size_t)>& holds,
                        Progress& progress) {
  assert(region.size() == fine.part->mesh.triangles.size());
  return Border(fine, 0, holds).find(region, progress);
}

} // namespace hemline
