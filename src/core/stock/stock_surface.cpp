#include "stock/stock_surface.h"
#include "base/threads.h"
#include <numeric>
#include <unordered_map>

namespace hemline {

namespace {
constexpr int kEdges = 16;         // lattice edges of each direction that start in a brick, along each axis
constexpr int kCells = kEdges + 1; // cells that those edges touch
constexpr int kPoints = kCells + 1;

/// Index of a point, or of a cell by its lowest corner, within a brick of n to a side.
constexpr int local(int n, int i, int j, int k) {
  return (k * n + j) * n + i;
}
/// From a point of a brick to the next along each axis.
constexpr std::array<int, 3> kAhead{local(kPoints, 1, 0, 0), local(kPoints, 0, 1, 0), local(kPoints, 0, 0, 1)};

/// Each edge that the boundary crosses is the middle of four cells.
template <class In, class PointOf, class Brick> void joinCells(const In& in, const PointOf& pointOf, Brick& brick) {
  for (int k = 1; k < kCells; ++k)
    for (int j = 1; j < kCells; ++j)
      for (int i = 1; i < kCells; ++i) {
        const auto here = static_cast<std::size_t>(local(kPoints, i, j, k));
        for (std::size_t axis = 0; axis < 3; ++axis) {
          if (in[here] == in[here + static_cast<std::size_t>(kAhead[axis])]) continue;
          std::array<int, 3> u{}, v{};
          u[(axis + 1) % 3] = 1, v[(axis + 2) % 3] = 1;
          const auto point = [&](int du, int dv) {
            return pointOf[static_cast<std::size_t>(
                local(kCells, i - du * u[0] - dv * v[0], j - du * u[1] - dv * v[1], k - du * u[2] - dv * v[2]))];
          };
          const std::uint16_t p = point(1, 1), r = point(0, 0);
          const std::uint16_t q = in[here] ? point(0, 1) : point(1, 0), s = in[here] ? point(1, 0) : point(0, 1);
          brick.faces.push_back({p, q, r});
          brick.faces.push_back({p, r, s});
        }
      }
}

} // namespace

void StockSurface::lay(const Stock& stock, int stride) {
  low_ = stock.bounds_.low;
  stride_ = std::max(1, stride);
  for (std::size_t a = 0; a < 3; ++a) {
    lattice_[a] = (stock.count_[a] + stride_ - 1) / stride_;
    count_[a] = (lattice_[a] + kEdges) / kEdges; // edges start from -1, in the air before the first point
  }
  bricks_.assign(static_cast<std::size_t>(count_[0]) * static_cast<std::size_t>(count_[1]) * static_cast<std::size_t>(count_[2]), nullptr);
}

StockSurface::StockSurface(const Stock& stock, int stride) {
  lay(stock, stride);
  std::vector<std::size_t> all(bricks_.size());
  std::iota(all.begin(), all.end(), std::size_t{0});
  takeAgain(stock, all);
}

void StockSurface::takeAgain(const Stock& stock, const std::vector<std::size_t>& bricks) {
  parallelChunks(bricks.size(), 4, [&](std::size_t first, std::size_t last) {
    for (std::size_t n = first; n < last; ++n) bricks_[bricks[n]] = take(stock, bricks[n]);
  });
}

void StockSurface::update(const Stock& stock, const std::vector<Box>& cut) {
  std::vector<char> reached(bricks_.size(), 0);
  for (const Box& b : cut) {
    // Points whose crossings may have moved, and the bricks that look at them: brick n looks at points 16 n - 2 to 16 n + 15.
    std::array<int, 3> from{}, to{};
    for (int a = 0; a < 3; ++a) {
      const auto k = static_cast<std::size_t>(a);
      const double step = stock.step_[a] * stride_, most = lattice_[k] + 1;
      const double first = std::floor((b.low[a] - low_[a]) / step) - 2, last = std::ceil((b.high[a] - low_[a]) / step) + 1;
      from[k] = static_cast<int>(std::clamp(first, 0.0, most)) / kEdges;
      to[k] = std::min(count_[k] - 1, (static_cast<int>(std::clamp(last, -3.0, most)) + 2) / kEdges);
      if (last < -1 || first > most) to[k] = from[k] - 1;
    }
    for (int z = from[2]; z <= to[2]; ++z)
      for (int y = from[1]; y <= to[1]; ++y)
        for (int x = from[0]; x <= to[0]; ++x) reached[static_cast<std::size_t>((z * count_[1] + y) * count_[0] + x)] = 1;
  }
  std::vector<std::size_t> bricks;
  for (std::size_t n = 0; n < reached.size(); ++n)
    if (reached[n]) bricks.push_back(n);
  takeAgain(stock, bricks);
}

std::shared_ptr<const StockSurface::Brick> StockSurface::take(const Stock& stock, std::size_t n) const {
  const std::array<int, 3> base{static_cast<int>(n) % count_[0] * kEdges - 2, static_cast<int>(n) / count_[0] % count_[1] * kEdges - 2,
                                static_cast<int>(n) / count_[0] / count_[1] * kEdges - 2};
  // Along each axis: which lattice index a point has (-1: air outside), and where it lies.
  std::array<std::array<int, kPoints>, 3> index{};
  std::array<std::array<double, kPoints>, 3> place{};
  for (std::size_t a = 0; a < 3; ++a)
    for (int i = 0; i < kPoints; ++i) {
      const int at = base[a] + i, axis = static_cast<int>(a);
      const auto k = static_cast<std::size_t>(i);
      const bool outside = at < 0 || at >= lattice_[a];
      index[a][k] = outside ? -1 : std::min(stock.count_[a] - 1, at * stride_ + stride_ / 2);
      place[a][k] = !outside ? stock.coordinate(axis, index[a][k]) : at < 0 ? stock.bounds_.low[axis] : stock.bounds_.high[axis];
    }

  // Which points lie in material, read from the rays along z.
  std::array<char, kPoints * kPoints * kPoints> in{};
  int inside = 0;
  for (int j = 0; j < kPoints; ++j)
    for (int i = 0; i < kPoints; ++i) {
      const int x = index[0][static_cast<std::size_t>(i)], y = index[1][static_cast<std::size_t>(j)];
      if (x < 0 || y < 0) continue;
      for (const Stock::Interval& v : stock.fields_[2].ray(x, y))
        for (int k = 0; k < kPoints; ++k) {
          const double z = place[2][static_cast<std::size_t>(k)];
          if (index[2][static_cast<std::size_t>(k)] < 0 || z < static_cast<double>(v.from) || z > static_cast<double>(v.to)) continue;
          in[static_cast<std::size_t>(local(kPoints, i, j, k))] = 1;
          ++inside;
        }
    }
  if (inside == 0 || inside == kPoints * kPoints * kPoints) return nullptr;

  // Where the boundary crosses the lattice edge from a point one step along `axis`; exact where the field knows it.
  const auto crossing = [&](std::size_t axis, const std::array<int, 3>& at) {
    const Stock::Field& f = stock.fields_[axis];
    const auto a = static_cast<std::size_t>(f.a), b = static_cast<std::size_t>(f.b), l = static_cast<std::size_t>(at[axis]);
    const double low = place[axis][l], high = place[axis][l + 1];
    for (const Stock::Interval& v : f.ray(index[a][static_cast<std::size_t>(at[a])], index[b][static_cast<std::size_t>(at[b])]))
      for (const float e : {v.from, v.to})
        if (static_cast<double>(e) >= low - 1e-6 && static_cast<double>(e) <= high + 1e-6) return static_cast<double>(e);
    return index[axis][l] < 0 ? low : index[axis][l + 1] < 0 ? high : 0.5 * (low + high);
  };
  auto brick = std::make_shared<Brick>();
  std::array<std::uint16_t, kCells * kCells * kCells> pointOf;
  for (int k = 0; k < kCells; ++k)
    for (int j = 0; j < kCells; ++j)
      for (int i = 0; i < kCells; ++i) {
        const char* c = &in[static_cast<std::size_t>(local(kPoints, i, j, k))];
        const int full = c[0] + c[kAhead[0]] + c[kAhead[1]] + c[kAhead[0] + kAhead[1]] + c[kAhead[2]] + c[kAhead[0] + kAhead[2]] +
                         c[kAhead[1] + kAhead[2]] + c[kAhead[0] + kAhead[1] + kAhead[2]];
        if (full == 0 || full == 8) continue;
        Vec3 sum = Vec3::Zero();
        int crossings = 0;
        for (std::size_t axis = 0; axis < 3; ++axis)
          for (int edge = 0; edge < 4; ++edge) {
            std::array<int, 3> at{i, j, k};
            at[(axis + 1) % 3] += edge & 1;
            at[(axis + 2) % 3] += edge >> 1;
            const int from = local(kPoints, at[0], at[1], at[2]);
            if (in[static_cast<std::size_t>(from)] == in[static_cast<std::size_t>(from + kAhead[axis])]) continue;
            Vec3 p;
            for (std::size_t a = 0; a < 3; ++a) p[static_cast<int>(a)] = place[a][static_cast<std::size_t>(at[a])];
            p[static_cast<int>(axis)] = crossing(axis, at);
            sum += p;
            ++crossings;
          }
        const int cell = local(kCells, i, j, k);
        pointOf[static_cast<std::size_t>(cell)] = static_cast<std::uint16_t>(brick->cells.size());
        brick->cells.push_back(static_cast<std::uint16_t>(cell));
        const Vec3 p = sum / crossings - low_;
        for (int a = 0; a < 3; ++a) brick->points.push_back(static_cast<float>(p[a]));
      }
  joinCells(in, pointOf, *brick);
  return brick;
}

std::size_t StockSurface::triangles() const {
  std::size_t n = 0;
  for (const auto& b : bricks_)
    if (b) n += b->faces.size();
  return n;
}

std::size_t StockSurface::memoryBeside(const StockSurface& other) const {
  std::size_t bytes = bricks_.size() * sizeof(bricks_[0]);
  for (std::size_t n = 0; n < bricks_.size(); ++n)
    if (bricks_[n] && (n >= other.bricks_.size() || bricks_[n] != other.bricks_[n]))
      bytes += sizeof(Brick) + bricks_[n]->points.capacity() * 4 + bricks_[n]->cells.capacity() * 2 + bricks_[n]->faces.capacity() * 6;
  return bytes;
}

Mesh StockSurface::mesh() const {
  Mesh out;
  std::unordered_map<std::uint64_t, int> pointOf; // by the cell, counted over the whole lattice
  for (std::size_t n = 0; n < bricks_.size(); ++n) {
    if (!bricks_[n]) continue;
    const Brick& b = *bricks_[n];
    const auto w = static_cast<std::size_t>(count_[0]), d = static_cast<std::size_t>(count_[1]);
    std::vector<int> joined(b.cells.size());
    for (std::size_t p = 0; p < b.cells.size(); ++p) {
      const std::size_t cell = b.cells[p];
      const std::uint64_t x = n % w * kEdges + cell % kCells, y = n / w % d * kEdges + cell / kCells % kCells,
                          z = n / w / d * kEdges + cell / kCells / kCells;
      const auto [it, fresh] = pointOf.try_emplace((z << 42) | (y << 21) | x, static_cast<int>(out.points.size()));
      if (fresh) out.points.push_back(low_ + Eigen::Map<const Eigen::Vector3f>(&b.points[3 * p]).cast<double>());
      joined[p] = it->second;
    }
    for (const auto& f : b.faces) out.triangles.push_back({joined[f[0]], joined[f[1]], joined[f[2]]});
  }
  // Cells beside a brick whose edges nothing joins there belong to the neighbour, who joins them: no point is left over.
  out.patch.assign(out.triangles.size(), 0);
  return out;
}

ShownTriangles StockSurface::shown() const {
  ShownTriangles out;
  out.origin = low_;
  std::size_t points = 0;
  for (const auto& b : bricks_)
    if (b) points += b->points.size();
  out.points.reserve(points);
  out.corners.reserve(3 * triangles());
  for (const auto& b : bricks_) {
    if (!b) continue;
    const auto first = static_cast<std::uint32_t>(out.points.size() / 3);
    out.points.insert(out.points.end(), b->points.begin(), b->points.end());
    for (const auto& f : b->faces)
      for (const std::uint16_t c : f) out.corners.push_back(first + c);
  }
  return out;
}

Mesh Stock::surface() const {
  return StockSurface(*this).mesh();
}

} // namespace hemline
