#include "surface/intrinsic_mesh.h"
#include <queue>
#include <utility>

namespace hemline {
namespace {

constexpr double kSpan = 0.995;        // the longest side is no longer than this share of the other two
constexpr int kRounds = 50;            // of making sides longer
constexpr double kBetter = 1e-12;      // of a length: less is rounding
constexpr std::size_t kMostFlips = 20; // per side, in case rounding makes them go round in circles

std::size_t slot(int i) {
  return static_cast<std::size_t>(i);
}

/// Foot and height of the third corner over a side of length l, from the corner at which the side of length a begins.
Vec2 apex(double l, double a, double b) {
  const double x = l > 0 ? (a * a + l * l - b * b) / (2 * l) : 0;
  return {x, std::sqrt(std::max(0.0, a * a - x * x))};
}

/// Cotangent of the angle between sides a and b, over the side l.
double cotangent(double l, double a, double b) {
  const double cosine = a * a + b * b - l * l; // times 2 a b
  const double p = 0.5 * (l + a + b), area = std::sqrt(std::max(0.0, p * (p - l) * (p - a) * (p - b)));
  return cosine / std::max(4 * area, 1e-12 * a * b);
}

/// Distance at a corner that lies at `t` over the side from (0, 0) to (l, 0), whose ends have it already.
struct Beyond {
  double distance;
  double through; ///< where the way crosses the side, as a share of it
};
Beyond beyond(double l, const Vec2& t, double atA, double atB, bool round) {
  const double alongA = atA + t.norm(), alongB = atB + (t - Vec2(l, 0)).norm();
  const Beyond along = alongA < alongB ? Beyond{alongA, 0} : Beyond{alongB, 1};
  if (!(l > 0) || !(std::abs(atB - atA) < l) || !(t.y() > 0)) return along;
  const auto crossing = [&](double x, double distance) {
    return x >= 0 && x <= l && distance < along.distance ? Beyond{distance, x / l} : along;
  };
  if (round && atA + atB > l) { // from one place below the side
    const double x = (atA * atA - atB * atB + l * l) / (2 * l), y = std::sqrt(std::max(0.0, atA * atA - x * x));
    return crossing(x + (t.x() - x) * y / (y + t.y()), std::hypot(t.x() - x, t.y() + y));
  }
  const double gx = (atB - atA) / l, gy = std::sqrt(1 - gx * gx);
  return crossing(t.x() - t.y() * gx / gy, atA + gx * t.x() + gy * t.y());
}

} // namespace

IntrinsicMesh::IntrinsicMesh(std::size_t points, std::vector<std::array<int, 3>> triangles, FacetNeighbours beside,
                             const std::vector<std::array<double, 3>>& squares)
    : points_(points), triangle_(std::move(triangles)), beside_(std::move(beside)), length_(triangle_.size()) {
  assert(squares.size() == triangle_.size() && beside_.size() == triangle_.size());
  for (std::size_t t = 0; t < triangle_.size(); ++t)
    for (std::size_t k = 0; k < 3; ++k) {
      double square = squares[t][k];
      if (const int o = beside_[t][k]; o >= 0) {
        const std::size_t m = sideTowards(o, static_cast<int>(t), triangle_[t][(k + 1) % 3]);
        if (m == 3)
          beside_[t][k] = -1; // it faces the other way, or is the neighbour of another one
        else
          square = 0.5 * (square + squares[slot(o)][m]);
      }
      length_[t][k] = std::sqrt(std::max(0.0, square));
    }
  spanTriangles();
}

/// Where a metric changes at once, three lengths may span no triangle: the shorter two are made longer until they do.
void IntrinsicMesh::spanTriangles() {
  std::vector<char> look(triangle_.size(), 1);
  for (int round = 0; round < kRounds; ++round) {
    bool any = false;
    for (std::size_t t = 0; t < triangle_.size(); ++t) {
      if (!std::exchange(look[t], 0)) continue;
      auto& l = length_[t];
      const std::size_t k = l[0] >= l[1] && l[0] >= l[2] ? 0 : l[1] >= l[2] ? 1 : 2;
      const double rest = l[(k + 1) % 3] + l[(k + 2) % 3];
      if (!(l[k] > kSpan * rest)) continue;
      any = true;
      const double more = rest > 0 ? l[k] / (kSpan * rest) : 0;
      for (const std::size_t m : {(k + 1) % 3, (k + 2) % 3}) {
        l[m] = rest > 0 ? l[m] * more : 0.5 * l[k] / kSpan;
        if (const int o = beside_[t][m]; o >= 0) {
          length_[slot(o)][sideTowards(o, static_cast<int>(t), triangle_[t][(m + 1) % 3])] = l[m];
          look[slot(o)] = 1;
        }
      }
    }
    if (!any) return;
  }
}

/// The side of a triangle over which `beside` lies, which begins at point `from`; 3: there is none.
std::size_t IntrinsicMesh::sideTowards(int triangle, int beside, int from) const {
  for (std::size_t m = 0; m < 3; ++m)
    if (beside_[slot(triangle)][m] == beside && triangle_[slot(triangle)][m] == from) return m;
  return 3;
}

bool IntrinsicMesh::flipsBetter(int triangle, std::size_t k) const {
  const int o = beside_[slot(triangle)][k];
  if (o < 0 || o == triangle) return false;
  const std::size_t m = sideTowards(o, triangle, triangle_[slot(triangle)][(k + 1) % 3]);
  if (m == 3 || triangle_[slot(triangle)][(k + 2) % 3] == triangle_[slot(o)][(m + 2) % 3]) return false;
  const auto &a = length_[slot(triangle)], &b = length_[slot(o)];
  // The new side has to cross the old one.
  const Vec2 up = apex(a[k], a[(k + 2) % 3], a[(k + 1) % 3]), down = apex(b[m], b[(m + 1) % 3], b[(m + 2) % 3]);
  const double high = up.y() + down.y();
  if (!(up.y() > 0 && down.y() > 0)) return false;
  const double through = up.x() + (down.x() - up.x()) * up.y() / high;
  if (!(through > 0 && through < a[k])) return false;
  return cotangent(a[k], a[(k + 1) % 3], a[(k + 2) % 3]) + cotangent(b[m], b[(m + 1) % 3], b[(m + 2) % 3]) < -1e-9;
}

void IntrinsicMesh::flip(int triangle, std::size_t k) {
  const int o = beside_[slot(triangle)][k];
  const std::size_t m = sideTowards(o, triangle, triangle_[slot(triangle)][(k + 1) % 3]);
  // p to q is the side, r the corner here, s the one over there.
  const auto [p, q, r] =
      std::array{triangle_[slot(triangle)][k], triangle_[slot(triangle)][(k + 1) % 3], triangle_[slot(triangle)][(k + 2) % 3]};
  const int s = triangle_[slot(o)][(m + 2) % 3];
  const double l = length_[slot(triangle)][k], qr = length_[slot(triangle)][(k + 1) % 3], rp = length_[slot(triangle)][(k + 2) % 3],
               ps = length_[slot(o)][(m + 1) % 3], sq = length_[slot(o)][(m + 2) % 3];
  const Vec2 up = apex(l, rp, qr), down = apex(l, ps, sq);
  const double rs = std::hypot(up.x() - down.x(), up.y() + down.y());
  const int overQr = beside_[slot(triangle)][(k + 1) % 3], overRp = beside_[slot(triangle)][(k + 2) % 3],
            overPs = beside_[slot(o)][(m + 1) % 3], overSq = beside_[slot(o)][(m + 2) % 3];
  const auto tellOf = [&](int who, int was, int from, int is) { // `from`: where its side begins
    if (who < 0) return;
    if (const std::size_t n = sideTowards(who, was, from); n < 3) beside_[slot(who)][n] = is;
  };
  tellOf(overRp, triangle, p, o);
  tellOf(overSq, o, q, triangle);
  triangle_[slot(triangle)] = {s, q, r}, length_[slot(triangle)] = {sq, qr, rs}, beside_[slot(triangle)] = {overSq, overQr, o};
  triangle_[slot(o)] = {r, p, s}, length_[slot(o)] = {rp, ps, rs}, beside_[slot(o)] = {overRp, overPs, triangle};
}

void IntrinsicMesh::makeDelaunay() {
  std::vector<int> look(triangle_.size());
  std::vector<char> waits(triangle_.size(), 1);
  for (std::size_t t = 0; t < look.size(); ++t) look[t] = static_cast<int>(look.size() - 1 - t);
  const auto again = [&](int t) {
    if (t >= 0 && !waits[slot(t)]) waits[slot(t)] = 1, look.push_back(t);
  };
  std::size_t left = kMostFlips * 3 * triangle_.size();
  while (!look.empty() && left > 0) {
    const int t = look.back();
    look.pop_back();
    waits[slot(t)] = 0;
    for (std::size_t k = 0; k < 3; ++k)
      if (flipsBetter(t, k)) {
        const int o = beside_[slot(t)][k];
        flip(t, k);
        --left;
        again(t), again(o);
        for (const int n : beside_[slot(t)]) again(n);
        for (const int n : beside_[slot(o)]) again(n);
        break;
      }
  }
}

IntrinsicMesh::Arrivals IntrinsicMesh::distances(const std::vector<Source>& sources, bool round, double apart) const {
  // Triangles at each point.
  std::vector<int> first(points_ + 1, 0), there(3 * triangle_.size());
  for (const auto& t : triangle_)
    for (const int p : t) ++first[slot(p) + 1];
  for (std::size_t p = 0; p < points_; ++p) first[p + 1] += first[p];
  std::vector<int> next(first.begin(), first.end() - 1);
  for (std::size_t t = 0; t < triangle_.size(); ++t)
    for (const int p : triangle_[t]) there[slot(next[slot(p)]++)] = static_cast<int>(t);

  Arrivals so{std::vector<double>(points_, kInfinity), std::vector<Vec3>(points_, Vec3::Zero())};
  std::vector<double>& out = so.distance;
  using Entry = std::pair<double, int>;
  std::priority_queue<Entry, std::vector<Entry>, std::greater<>> front;
  const auto lower = [&](int p, double d, const Vec3& from) {
    if (!(d < out[slot(p)] - kBetter * (1 + std::abs(d)))) return;
    out[slot(p)] = d, so.from[slot(p)] = from;
    front.emplace(d, p);
  };
  for (const Source& s : sources) lower(s.point, s.distance, s.at);
  while (!front.empty()) {
    const double d = front.top().first;
    const int p = front.top().second; // no structured binding: what follows captures both
    front.pop();
    if (d > out[slot(p)]) continue;
    for (int i = first[slot(p)]; i < first[slot(p) + 1]; ++i) {
      const auto t = slot(there[slot(i)]);
      const auto& v = triangle_[t];
      const std::size_t k = v[0] == p ? 0 : v[1] == p ? 1 : 2, a = (k + 1) % 3, b = (k + 2) % 3;
      const double pa = length_[t][k], ab = length_[t][a], bp = length_[t][b];
      // Over the side from p to the one corner to the other corner.
      const auto over = [&](int by, int to, double l, double side, double far) {
        const Vec3& here = so.from[slot(p)];
        if (!(out[slot(by)] < kFinite)) return lower(to, d + side, here);
        const Beyond way = beyond(l, apex(l, side, far), d, out[slot(by)], round);
        const Vec3& beside = so.from[slot(by)];
        lower(to, way.distance,
              (beside - here).norm() < apart ? Vec3(here + way.through * (beside - here))
              : way.through < 0.5            ? Vec3(here)
                                             : Vec3(beside));
      };
      over(v[a], v[b], pa, bp, ab);
      over(v[b], v[a], bp, pa, ab);
    }
  }
  return so;
}

} // namespace hemline
