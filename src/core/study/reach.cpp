#include "study/reach.h"
#include "base/threads.h"
#include "base/units.h"
#include "study/largest_ball.h"
#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <numeric>

namespace hemline {
namespace {

constexpr double kAlong = -1e-3;           // cosine: what lies along a direction counts as facing it
constexpr double kNever = kInfinity;       // no tilt is enough
constexpr double kWall = 0.45;             // what a place counts along an axis where it lies along it: its depth is the cutter's length
constexpr double kAlike = 0.002;           // share of the area: plans that leave as much are as good
constexpr double kLeastGain = 0.001;       // share of the area that a clamping has to add
constexpr std::size_t kLevelFaces = 12;    // the part may stand on
constexpr std::size_t kMostClampings = 12; // more say only that the part is not for milling

bool sees(const Sight& sight, const Vec3& at, const Vec3& normal, const Vec3& d) {
  return normal.dot(d) >= kAlong && sight.free(at, d);
}

} // namespace

double Places::error(double share) const {
  const double n = std::max<double>(1, static_cast<double>(at.size()));
  return area() * std::sqrt(std::max(share * (1 - share), 1 / n) / n);
}

double standOff(double size, double tolerance) {
  return std::max(2 * tolerance, 2e-5 * size);
}

Places spreadPlaces(const Part& part, std::size_t count) {
  const Mesh& mesh = part.mesh;
  const std::vector<double> tolerance = facetTolerance(part);
  const double size = part.mesh.bounds().diagonal();
  std::vector<double> sum(mesh.triangles.size() + 1, 0);
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) sum[t + 1] = sum[t] + mesh.facetArea(t);
  Places out;
  out.each = sum.back() / static_cast<double>(count);
  out.at.resize(count), out.normal.resize(count), out.facet.resize(count);
  parallelChunks(count, 1024, [&](std::size_t first, std::size_t last) {
    for (std::size_t i = first; i < last; ++i) {
      const double a = (static_cast<double>(i) + 0.5) * out.each;
      const auto t = static_cast<std::size_t>(std::upper_bound(sum.begin() + 1, sum.end() - 1, a) - sum.begin() - 1);
      const auto fraction = [](double x) { return x - std::floor(x); };
      double u = fraction(0.7548776662466927 * static_cast<double>(i)), v = fraction(0.5698402909980532 * static_cast<double>(i));
      if (u + v > 1) u = 1 - u, v = 1 - v;
      Place p = placeOn(part, t, u, v);
      if (!knowsSurface(part, t) && !mesh.cornerNormals.empty()) p.normal = mesh.smoothNormal(t, u, v);
      out.at[i] = p.point + standOff(size, tolerance[t]) * p.normal;
      out.normal[i] = p.normal, out.facet[i] = static_cast<int>(t);
    }
  });
  return out;
}

std::vector<Vec3> sphereDirections(std::size_t count) {
  const double golden = kPi * (3 - std::sqrt(5.0));
  std::vector<Vec3> out;
  for (std::size_t i = 0; i < count; ++i) {
    const double z = 1 - (2 * static_cast<double>(i) + 1) / static_cast<double>(count), r = std::sqrt(std::max(0.0, 1 - z * z)),
                 a = golden * static_cast<double>(i);
    out.emplace_back(r * std::cos(a), r * std::sin(a), z);
  }
  return out;
}

std::vector<char> seenFrom(const Sight& sight, const Places& places, const Vec3& d) {
  assert(isUnit(d) && places.at.size() == places.normal.size());
  std::vector<char> out(places.at.size(), 0);
  parallelChunks(out.size(), 1024, [&](std::size_t first, std::size_t last) {
    for (std::size_t i = first; i < last; ++i) out[i] = sees(sight, places.at[i], places.normal[i], d);
  });
  return out;
}

std::vector<Leaning> leaningFrom(const Vec3& up, double step) {
  assert(isUnit(up) && step > 0);
  std::vector<Leaning> out{{up, 0}};
  Vec3 e1, e2;
  frameAround(up, e1, e2);
  const int rings = static_cast<int>(std::ceil(kPi / step));
  for (int k = 1; k <= rings; ++k) {
    const double tilt = std::min(kPi, k * step);
    // Round the ring, about a step apart.
    const int n = std::max(1, static_cast<int>(std::ceil(2 * kPi * std::sin(tilt) / step)));
    for (int j = 0; j < n; ++j) {
      const double a = 2 * kPi * j / n;
      out.push_back({std::cos(tilt) * up + std::sin(tilt) * (std::cos(a) * e1 + std::sin(a) * e2), tilt});
    }
  }
  return out;
}

double tiltNeeded(const Sight& sight, const Vec3& at, const Vec3& normal, const std::vector<Leaning>& ways) {
  if (sees(sight, at, normal, ways.front().direction)) return 0; // as most are
  // Several rays at once: a place that is hidden is looked at from everywhere.
  std::array<Vec3, Sight::kTogether> directions;
  std::array<double, Sight::kTogether> tilts{};
  std::size_t n = 0;
  for (std::size_t i = 0; i < ways.size(); ++i) {
    if (normal.dot(ways[i].direction) >= kAlong) directions[n] = ways[i].direction, tilts[n] = ways[i].tilt, ++n;
    if (n < directions.size() && i + 1 < ways.size()) continue;
    const auto free = sight.freeOf(at, {directions.data(), n});
    for (std::size_t k = 0; k < n; ++k)
      if (free[k]) return tilts[k];
    n = 0;
  }
  return kNever;
}

Reach studyReach(const Part& part, const Sight& sight, const Vec3& up, std::size_t count, Progress& progress) {
  assert(isUnit(up));
  Reach out;
  out.places = spreadPlaces(part, count);
  out.tilt.resize(count);
  const std::vector<Leaning> fine = leaningFrom(up, radians(2)), coarse = leaningFrom(up, radians(5));
  parallelChunks(count, 256, [&](std::size_t first, std::size_t last) {
    progress.check();
    for (std::size_t i = first; i < last; ++i) out.tilt[i] = tiltNeeded(sight, out.places.at[i], out.places.normal[i], fine);
  });
  // A facet that is not seen along `up` takes the tilt of the place nearest to its middle that is not, either.
  std::vector<std::size_t> unseen;
  std::vector<Box> boxes;
  for (std::size_t i = 0; i < count; ++i)
    if (out.tilt[i] > 0) {
      unseen.push_back(i);
      boxes.push_back({out.places.at[i], out.places.at[i]});
    }
  const BoxTree near(boxes);
  const std::vector<double> tolerance = facetTolerance(part);
  const double size = part.mesh.bounds().diagonal();
  out.facetTilt.resize(part.mesh.triangles.size());
  parallelChunks(out.facetTilt.size(), 1024, [&](std::size_t first, std::size_t last) {
    progress.check();
    for (std::size_t t = first; t < last; ++t) {
      const Place p = placeOn(part, t, 1.0 / 3, 1.0 / 3);
      const Vec3 at = p.point + standOff(size, tolerance[t]) * p.normal;
      out.facetTilt[t] = 0;
      if (sees(sight, at, p.normal, up)) continue;
      double best = kInfinity, tilt = unseen.empty() ? tiltNeeded(sight, at, p.normal, coarse) : kNever;
      near.minimise([&](const Vec3& c, const Vec3& h) { return ((at - c).cwiseAbs() - h).cwiseMax(0.0).norm(); },
                    [&](int k) {
                      const std::size_t i = unseen[static_cast<std::size_t>(k)];
                      // Beyond an edge another side begins: it counts as farther.
                      const double d = (out.places.at[i] - at).norm() + (out.places.normal[i].dot(p.normal) < 0.5 ? 0.1 * size : 0);
                      if (d < best) best = d, tilt = out.tilt[i];
                    },
                    best);
      out.facetTilt[t] = tilt < kNever ? static_cast<float>(degrees(tilt)) : std::numeric_limits<float>::infinity();
    }
  });
  for (std::size_t i = 0; i < count; ++i) {
    if (out.tilt[i] == 0) {
      out.seen += out.places.each;
    } else if (out.tilt[i] >= kNever) {
      out.hidden += out.places.each, out.hiddenAt = out.places.at[i];
    } else if (out.tilt[i] > out.steepestTilt) {
      out.steepestTilt = out.tilt[i], out.steepestAt = out.places.at[i];
    }
  }
  return out;
}

ClampingPlan planClampings(const Part& part, const Sight& sight, const Places& places, double tilt, std::size_t directions,
                           Progress& progress) {
  const std::size_t n = places.at.size();
  // The axes first, then along the largest level faces, then the whole sphere.
  std::vector<Vec3> from{Vec3::UnitZ(), -Vec3::UnitZ(), Vec3::UnitX(), -Vec3::UnitX(), Vec3::UnitY(), -Vec3::UnitY()};
  std::vector<Vec3> facing(part.patches.size(), Vec3::Zero());
  std::vector<std::pair<double, Vec3>> level;
  for (std::size_t t = 0; t < part.mesh.triangles.size(); ++t)
    facing[static_cast<std::size_t>(part.mesh.patch[t])] += part.mesh.facetArea(t) * part.mesh.facetNormal(t);
  for (std::size_t k = 0; k < facing.size(); ++k)
    if (facing[k].norm() > (1 - 1e-7) * part.patches[k].area) level.emplace_back(part.patches[k].area, facing[k].normalized());
  std::stable_sort(level.begin(), level.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
  const auto known = [&](const Vec3& d) {
    return std::any_of(from.begin(), from.end(), [&](const Vec3& x) { return x.dot(d) > 1 - 1e-9; });
  };
  for (std::size_t k = 0; k < level.size() && k < kLevelFaces; ++k)
    for (const double side : {1.0, -1.0})
      if (!known(side * level[k].second)) from.push_back(side * level[k].second);
  const std::size_t axes = from.size();
  for (const Vec3& d : sphereDirections(directions)) from.push_back(d);
  std::vector<std::vector<char>> seen;
  for (const Vec3& d : from) {
    progress.report(static_cast<double>(seen.size()) / static_cast<double>(from.size()), "looking at the part from all sides");
    seen.push_back(seenFrom(sight, places, d));
  }
  // What a clamping reaches: along its direction, and along all that lean from it by no more than the machine can.
  const auto reached = [&](const Vec3& up, std::vector<char> all) {
    for (std::size_t k = 0; tilt > 0 && k < from.size(); ++k)
      if (angleBetween(from[k], up) <= tilt)
        for (std::size_t i = 0; i < n; ++i) all[i] |= seen[k][i];
    return all;
  };
  const auto least = std::max<std::size_t>(1, static_cast<std::size_t>(kLeastGain * static_cast<double>(n)));
  const auto greedy = [&](bool axesFirst) {
    ClampingPlan out;
    std::vector<char> open(n, 1); // not reached so far
    const auto count = [&](const std::vector<char>& s) {
      std::size_t sum = 0;
      for (std::size_t i = 0; i < n; ++i) sum += (open[i] & s[i]) != 0;
      return sum;
    };
    const auto gain = [&](const std::vector<char>& s, const Vec3& up) {
      double sum = 0;
      for (std::size_t i = 0; i < n; ++i)
        if (open[i] & s[i]) sum += !axesFirst || places.normal[i].dot(up) > 0.1 ? 1 : kWall;
      return sum;
    };
    while (out.clampings.size() < kMostClampings) {
      progress.check();
      std::size_t best = 0;
      double most = 0;
      std::vector<char> what(n, 0);
      for (std::size_t k = 0; k < from.size(); ++k) {
        if (axesFirst && k >= axes && count(what) >= least) break; // an axis is good enough
        const std::vector<char> r = tilt > 0 ? reached(from[k], seen[k]) : seen[k];
        if (const double g = gain(r, from[k]); g > most) most = g, best = k, what = r;
      }
      Vec3 up = from[best];
      // A direction of the sphere is refined: about it, closer and closer.
      for (double step = std::sqrt(4 * kPi / static_cast<double>(directions)) / 2; best >= axes && step > radians(1); step /= 2)
        for (int j = 0; j < 8; ++j) {
          Vec3 e1, e2;
          frameAround(up, e1, e2);
          const Vec3 d = (up + std::tan(step) * (std::cos(kPi * j / 4) * e1 + std::sin(kPi * j / 4) * e2)).normalized();
          const std::vector<char> r = reached(d, seenFrom(sight, places, d));
          if (const double g = gain(r, d); g > most) most = g, up = d, what = r;
        }
      const std::size_t added = count(what);
      if (added < least) break;
      for (std::size_t i = 0; i < n; ++i) open[i] = open[i] & !what[i];
      out.clampings.push_back({up, static_cast<double>(added) * places.each});
    }
    // A little that is seen from somewhere is not out of reach, only not worth a clamping.
    for (std::size_t i = 0; i < n; ++i) {
      if (!open[i]) continue;
      const bool somewhere = std::any_of(seen.begin(), seen.end(), [&](const std::vector<char>& s) { return s[i]; });
      (somewhere ? out.small : out.unreached) += places.each;
      if (!somewhere) out.unreachedAt = places.at[i];
    }
    out.area = places.area();
    out.error = places.error((out.unreached + out.small) / out.area);
    return out;
  };
  const ClampingPlan plain = greedy(true), any = greedy(false);
  const bool good = plain.clampings.size() <= any.clampings.size() && plain.small <= any.small + kAlike * any.area;
  return good ? plain : any;
}

std::string clampingText(const ClampingPlan& plan) {
  const auto side = [](const Vec3& d) {
    const char* names[] = {"x", "y", "z"};
    for (int k = 0; k < 3; ++k)
      if (std::abs(d[k]) > 1 - 1e-9) return fmt::format("{} {}", names[k], d[k] > 0 ? "up" : "down");
    return fmt::format("({:.2f}, {:.2f}, {:.2f}) up", d.x(), d.y(), d.z());
  };
  std::string sides;
  for (const ClampingSide& c : plan.clampings) sides += (sides.empty() ? "" : "; ") + side(c.up);
  const std::string how = plan.clampings.size() == 1 ? "one side" : fmt::format("{} sides", plan.clampings.size());
  const double left = plan.unreached + plan.small;
  if (plan.clampings.empty()) return "nothing of it can be reached";
  if (left <= 0) return fmt::format("all of it from {}: {}", how, sides);
  return fmt::format("all but {:.2g} % from {}: {}", 100 * left / plan.area, how, sides);
}

} // namespace hemline
