#include "stock/stock.h"
#include "base/threads.h"
#include "base/units.h"
#include "geometry/tree.h"
#include "stock/swept_move.h"
#include <array>
#include <atomic>
#include <fmt/format.h>
#include <mutex>
#include <numeric>
#include <unordered_set>

namespace hemline {

namespace {
constexpr double kMostRays = 3e7;  // of all three fields: about 2 GB when all of them are cut
constexpr double kLeastGap = 1e-6; // mm, beyond the rounding of coordinates of parts up to 100 m
} // namespace

double Intruder::distance(double r, double z, int* kind) const {
  double d = distanceToBodies(*bodies, r, z, kind);
  if (cutter) {
    Vec2 g;
    const double c = cutter->distance(r, z, g);
    if (c < d) {
      d = c;
      if (kind) *kind = 3;
    }
  }
  return d;
}

void Stock::Block::measureRay(std::size_t ray) {
  const Ray& r = rays[ray];
  bottoms[ray] = r.empty() ? 1e30f : r.front().from;
  tops[ray] = r.empty() ? -1e30f : r.back().to;
}

void Stock::Block::measureExtent() {
  low = *std::min_element(bottoms.begin(), bottoms.end());
  high = *std::max_element(tops.begin(), tops.end());
}

void Stock::Block::measure() {
  for (std::size_t k = 0; k < rays.size(); ++k) measureRay(k);
  measureExtent();
}

const Stock::Ray& Stock::Field::ray(int i, int j) const {
  const Block& block = *blocks[static_cast<std::size_t>((j / kSide) * blocksA + i / kSide)];
  return block.rays[static_cast<std::size_t>((j % kSide) * kSide + i % kSide)];
}

void Stock::lay(const Box& box, double cell) {
  const Vec3 size = box.size();
  if (!(size.minCoeff() > 0) || !(cell > 0))
    throw Error(Fault::Missing, "The stock has no size", "stock", "Give it a length, width and height of more than 0.");
  bounds_ = box;
  cell_ = cell;
  std::array<double, 3> along{};
  for (int k = 0; k < 3; ++k) {
    const double n = std::ceil(size[k] / cell - 1e-9);
    if (n > kMostRays) throw Error(Fault::OutOfRange, "The stock would need more than 30 million rays", "stock", "Choose a larger cell.");
    along[static_cast<std::size_t>(k)] = n;
    count_[static_cast<std::size_t>(k)] = static_cast<int>(n);
    step_[k] = size[k] / n;
  }
  if (along[0] * along[1] + along[1] * along[2] + along[2] * along[0] > kMostRays)
    throw Error(Fault::OutOfRange, "The stock would need more than 30 million rays", "stock", "Choose a larger cell.");
  for (int d = 0; d < 3; ++d) {
    Field& f = fields_[static_cast<std::size_t>(d)];
    f.along = d, f.a = (d + 1) % 3, f.b = (d + 2) % 3;
    f.na = count_[static_cast<std::size_t>(f.a)], f.nb = count_[static_cast<std::size_t>(f.b)];
    f.blocksA = (f.na + kSide - 1) / kSide, f.blocksB = (f.nb + kSide - 1) / kSide;
    f.blocks.assign(static_cast<std::size_t>(f.blocksA * f.blocksB), nullptr);
  }
}

/// fill(field, i, j) gives the intervals of one ray as coordinates along it.
template <class Fill> void Stock::fill(Fill&& source) {
  std::mutex mutex;
  for (Field& f : fields_) {
    // Blocks that are full alike are one block until they are cut.
    std::vector<std::shared_ptr<Block>> alike;
    parallelChunks(f.blocks.size(), 1, [&](std::size_t k, std::size_t) {
      auto block = std::make_shared<Block>();
      block->rays.resize(kSide * kSide);
      const int i0 = static_cast<int>(k) % f.blocksA * kSide, j0 = static_cast<int>(k) / f.blocksA * kSide;
      for (int j = j0; j < std::min(f.nb, j0 + kSide); ++j)
        for (int i = i0; i < std::min(f.na, i0 + kSide); ++i)
          block->rays[static_cast<std::size_t>((j - j0) * kSide + i - i0)] = source(f, i, j);
      block->measure();
      const Ray& first = block->rays.front();
      const auto same = [](const Ray& a, const Ray& b) {
        return a.size() == b.size() && std::equal(a.begin(), a.end(), b.begin(),
                                                  [](const Interval& x, const Interval& y) { return x.from == y.from && x.to == y.to; });
      };
      if (first.size() <= 1 && std::all_of(block->rays.begin(), block->rays.end(), [&](const Ray& r) { return same(r, first); })) {
        const std::lock_guard lock(mutex);
        const auto known =
            std::find_if(alike.begin(), alike.end(), [&](const std::shared_ptr<Block>& b) { return same(b->rays.front(), first); });
        if (known == alike.end())
          alike.push_back(block);
        else
          block = *known;
      }
      f.blocks[k] = std::move(block);
    });
  }
}

Stock Stock::box(const Box& box, double cell) {
  Stock s;
  s.lay(box, cell);
  s.fill([&](const Field& f, int, int) { return Ray{{static_cast<float>(box.low[f.along]), static_cast<float>(box.high[f.along])}}; });
  return s;
}

Stock Stock::cylinder(const Vec3& base, double radius, double height, double cell, int axis, double bore) {
  if (!(radius > 0 && height > 0)) throw Error(Fault::Missing, "The bar has no size", "stock", "Give its radius and its length.");
  if (!(bore >= 0 && bore < radius))
    throw Error(Fault::OutOfRange, "The bore is as wide as the bar", "stock", "Give a bore smaller than the bar, or 0.");
  Stock s;
  Box box;
  const Vec3 up = Vec3::Unit(axis);
  box.add(base - radius * (Vec3::Ones() - up));
  box.add(base + radius * (Vec3::Ones() - up) + height * up);
  s.lay(box, cell);
  s.fill([&](const Field& f, int i, int j) {
    const double a = s.coordinate(f.a, i) - base[f.a], b = s.coordinate(f.b, j) - base[f.b];
    if (f.along == axis) {
      const double r2 = a * a + b * b;
      if (r2 >= radius * radius || r2 < bore * bore) return Ray{};
      return Ray{{static_cast<float>(base[axis]), static_cast<float>(base[axis] + height)}};
    }
    const double across = f.a == axis ? b : a, c = base[f.along];
    const auto half = [&](double r) { return std::sqrt(std::max(0.0, r * r - across * across)); };
    const double h = half(radius), inner = half(bore);
    if (h <= 0) return Ray{};
    if (inner <= 0) return Ray{{static_cast<float>(c - h), static_cast<float>(c + h)}};
    return Ray{{static_cast<float>(c - h), static_cast<float>(c - inner)}, {static_cast<float>(c + inner), static_cast<float>(c + h)}};
  });
  return s;
}

Stock::Ray Stock::within(const MeshTree& tree, const Field& f, int i, int j, std::atomic<bool>& open) const {
  Vec3 from, d = Vec3::Zero();
  d[f.along] = 1;
  // A hair off the lattice, so that rays do not run along edges of regular meshes.
  from[f.a] = coordinate(f.a, i) + 1.37e-5 * cell_, from[f.b] = coordinate(f.b, j) + 0.73e-5 * cell_;
  from[f.along] = bounds_.low[f.along] - 1;
  std::vector<double> cuts;
  double at = 0;
  for (int guard = 0; guard < 10000; ++guard) {
    const RayHit hit = castRay(tree, from + at * d, d);
    if (!hit.hit) break;
    at += hit.distance;
    if (cuts.empty() || at - cuts.back() > 1e-7) cuts.push_back(at);
    at += 1e-7;
  }
  if (cuts.size() % 2) {
    open = true;
    cuts.pop_back();
  }
  Ray r;
  for (std::size_t k = 0; k + 1 < cuts.size(); k += 2)
    r.push_back({static_cast<float>(cuts[k] + from[f.along]), static_cast<float>(cuts[k + 1] + from[f.along])});
  return r;
}

namespace {
void mustBeClosed(const Mesh& mesh, bool open) {
  if (!open) return;
  for (const MeshEdge& e : meshEdges(mesh))
    if (e.right < 0) throw Error(Fault::Cannot, "The stock mesh is open", "stock", "Give a closed mesh, or a box.");
}
} // namespace

Stock Stock::mesh(const Mesh& mesh, double cell, Progress& progress) {
  if (std::abs(mesh.volume()) < 1e-9) throw Error(Fault::Cannot, "The stock mesh encloses no volume", "stock", "Give a closed mesh.");
  Stock s;
  s.lay(mesh.bounds(), cell);
  const MeshTree tree(mesh);
  std::atomic<bool> open{false};
  s.fill([&](const Field& f, int i, int j) {
    progress.check();
    return s.within(tree, f, i, j, open);
  });
  mustBeClosed(mesh, open);
  return s;
}

Stock Stock::offset(const Mesh& mesh, double by, double cell, Progress& progress) {
  if (!(by > 0)) throw Error(Fault::OutOfRange, "The offset is not more than 0", "stock", "Give how thick the skin about the part is.");
  mustBeClosed(mesh, true);
  Stock s;
  Box box = mesh.bounds();
  box.low -= Vec3::Constant(by), box.high += Vec3::Constant(by);
  s.lay(box, cell);
  const MeshTree tree(mesh);
  std::atomic<bool> open{false};
  const double least = 0.02 * cell;
  s.fill([&](const Field& f, int i, int j) {
    progress.check();
    Ray all = s.within(tree, f, i, j, open);
    // Along the ray the distance changes no faster than the place: as far as it stands off the skin's surface nothing changes.
    Vec3 p;
    p[f.a] = s.coordinate(f.a, i), p[f.b] = s.coordinate(f.b, j);
    double from = 0;
    bool in = false;
    const double low = s.bounds_.low[f.along], high = s.bounds_.high[f.along];
    for (double t = low; t <= high;) {
      p[f.along] = t;
      const double off = closestPoint(tree, p).distance - by;
      if (in != (off <= 0)) {
        if (in) all.push_back({static_cast<float>(from), static_cast<float>(t)});
        in = !in, from = t;
      }
      t += std::max(least, std::abs(off));
    }
    if (in) all.push_back({static_cast<float>(from), static_cast<float>(high)});
    std::sort(all.begin(), all.end(), [](const Interval& a, const Interval& b) { return a.from < b.from; });
    Ray joined;
    for (const Interval& v : all)
      if (!joined.empty() && v.from <= joined.back().to)
        joined.back().to = std::max(joined.back().to, v.to);
      else
        joined.push_back(v);
    return joined;
  });
  mustBeClosed(mesh, open);
  return s;
}

bool Stock::contains(const Vec3& p) const {
  for (int k = 0; k < 3; ++k)
    if (p[k] < bounds_.low[k] || p[k] > bounds_.high[k]) return false;
  const int i = std::min(count_[0] - 1, static_cast<int>((p.x() - bounds_.low.x()) / step_.x()));
  const int j = std::min(count_[1] - 1, static_cast<int>((p.y() - bounds_.low.y()) / step_.y()));
  const Field& f = fields_[2];
  for (const Interval& v : f.ray(i, j))
    if (p.z() >= static_cast<double>(v.from) && p.z() <= static_cast<double>(v.to)) return true;
  return false;
}

double Stock::volume() const {
  double sum = 0;
  for (const auto& block : fields_[2].blocks)
    for (const Ray& r : block->rays)
      for (const Interval& v : r) sum += static_cast<double>(v.to) - static_cast<double>(v.from);
  return sum * step_.x() * step_.y();
}

/// One swept piece and its extent.
struct Stock::Tool {
  SweptMove move;
  Box box;
  bool upright = false; ///< the axis stays along z

  /// Where the ray through q along axis k lies inside, in closed form; false where that needs the general search.
  /// Empty intervals have from > to.
  bool closedForm(int k, const Vec3& q, double& from, double& to) const;
};

bool Stock::Tool::closedForm(int k, const Vec3& q, double& from, double& to) const {
  if (!upright) return false;
  const Profile& p = *move.profile;
  const Vec3 &a = move.tip, b = a + move.travel;
  const double R = p.ballRadius();
  from = 1, to = 0;
  if (k == 2) {
    const Vec2 d = move.travel.head<2>(), v = q.head<2>() - a.head<2>();
    const double dd = d.squaredNorm(), u = dd > 0 ? std::clamp(v.dot(d) / dd, 0.0, 1.0) : 0.0, r = (v - u * d).norm();
    if (r >= p.maxRadius()) return true; // past the widest place
    if (move.level) {
      if (r > p.pieces().back().a.x()) return false; // beside the lid a barrel narrows upward
      from = a.z() + p.height(r), to = a.z() + p.length();
      return true;
    }
    if (R > 0) {
      const Vec3 up(0, 0, R), foot(q.x(), q.y(), 0);
      from = entryIntoCapsule(a + up, b + up, R, foot, Vec3::UnitZ());
      // The lid stands highest at the higher end of the stretch of the move that passes over the ray.
      double first = 0, last = 1;
      if (dd > 0) {
        const double middle = v.dot(d) / dd;
        const double across = std::sqrt(std::max(0.0, R * R - (v - middle * d).squaredNorm()) / dd);
        first = std::clamp(middle - across, 0.0, 1.0), last = std::clamp(middle + across, 0.0, 1.0);
      }
      to = a.z() + std::max(first * move.travel.z(), last * move.travel.z()) + p.length();
      return true;
    }
    return false;
  }
  Vec3 n = Vec3::Zero();
  n[k] = 1;
  Vec3 start = q;
  start[k] = 0;
  const double lowest = q.z() - std::max(a.z(), b.z()), highest = q.z() - std::min(a.z(), b.z()); // above the tip, along the move
  if (lowest > p.length() || highest < p.lowest()) return true;
  if (move.level || (lowest >= p.wallFrom() && highest <= p.length())) { // a disc of the section's radius, swept in the plane
    const double r = p.radiusAt(lowest);
    if (!(r > 0)) return true;
    Vec3 ca = a, cb = b;
    ca.z() = cb.z() = q.z();
    from = entryIntoCapsule(ca, cb, r, start, n);
    if (from > kFinite) return true;
    to = -entryIntoCapsule(ca, cb, r, start, -n);
    return true;
  }
  if (R > 0 && q.z() <= std::min(a.z(), b.z()) + R) { // below the centres only the ball is met
    const Vec3 up(0, 0, R);
    from = entryIntoCapsule(a + up, b + up, R, start, n);
    if (from > kFinite) return true;
    to = -entryIntoCapsule(a + up, b + up, R, start, -n);
    return true;
  }
  return false;
}

std::size_t Stock::Block::memory() const {
  constexpr std::size_t kOwn = 16; // what an allocation costs besides, about
  std::size_t bytes = sizeof(Block) + kOwn + rays.capacity() * sizeof(Ray);
  for (const Ray& r : rays)
    if (r.capacity() > 0) bytes += r.capacity() * sizeof(Interval) + kOwn;
  return bytes;
}

std::size_t Stock::memory() const {
  std::unordered_set<const Block*> seen;
  std::size_t bytes = 0;
  for (const Field& f : fields_) {
    bytes += f.blocks.capacity() * sizeof(f.blocks[0]);
    for (const auto& b : f.blocks)
      if (b && seen.insert(b.get()).second) bytes += b->memory();
  }
  return bytes;
}

std::size_t Stock::memoryBeside(const Stock& other) const {
  std::size_t bytes = 0;
  for (std::size_t k = 0; k < 3; ++k) {
    const auto &own = fields_[k].blocks, &others = other.fields_[k].blocks;
    bytes += own.capacity() * sizeof(own[0]);
    for (std::size_t n = 0; n < own.size(); ++n)
      if (own[n] && (n >= others.size() || own[n] != others[n])) bytes += own[n]->memory();
  }
  return bytes;
}

/// Moves as swept pieces that turn by no more than a degree.
std::vector<Stock::Tool> Stock::piecesOf(const Profile& profile, const Path& path, std::size_t first, std::size_t last) {
  std::vector<Tool> out;
  const double R = profile.maxRadius(), L = profile.length();
  for (std::size_t i = std::max<std::size_t>(first, 1); i < last; ++i) {
    const Location &a = path.locations[i - 1], &b = path.locations[i];
    if (!removesMaterial(b.motion)) continue;
    const int parts = std::max(1, static_cast<int>(std::ceil(degrees(angleBetween(a.axis, b.axis)))));
    for (int k = 0; k < parts; ++k) {
      Vec3 t0, a0, t1, a1;
      poseAlong(a, b, double(k) / parts, t0, a0);
      poseAlong(a, b, double(k + 1) / parts, t1, a1);
      Tool tool{SweptMove(profile, t0, a0, t1, a1), {}, false};
      tool.upright = !tool.move.turning && a0.head<2>().squaredNorm() < 1e-24 && a0.z() > 0;
      for (const auto& [t, x] : {std::pair(t0, a0), std::pair(t1, a1)}) {
        // Extent of the enclosing cylinder.
        const Vec3 wide = R * (Vec3::Ones() - x.cwiseProduct(x)).cwiseMax(0.0).cwiseSqrt();
        tool.box.add(t - wide);
        tool.box.add(t + wide);
        tool.box.add(t + L * x - wide);
        tool.box.add(t + L * x + wide);
      }
      if (parts > 1) {
        const double bulge = (L + R) * 4e-5; // sag of the great circle over a degree
        tool.box.low.array() -= bulge;
        tool.box.high.array() += bulge;
      }
      out.push_back(tool);
    }
  }
  return out;
}

int Stock::rayBelow(int axis, double x, int rays) const {
  return std::clamp(static_cast<int>(std::floor((x - bounds_.low[axis]) / step_[axis] - 0.5)), -1, rays);
}

/// The blocks that the tools reach, with those tools in their order.
std::vector<Stock::Reached> Stock::reachedBlocks(const Field& f, const std::vector<Tool>& tools) const {
  std::vector<std::pair<std::size_t, int>> pairs; // block, tool
  for (std::size_t t = 0; t < tools.size(); ++t) {
    const Box& b = tools[t].box;
    const int i0 = std::max(0, rayBelow(f.a, b.low[f.a], f.na) + 1), i1 = std::min(f.na - 1, rayBelow(f.a, b.high[f.a], f.na));
    const int j0 = std::max(0, rayBelow(f.b, b.low[f.b], f.nb) + 1), j1 = std::min(f.nb - 1, rayBelow(f.b, b.high[f.b], f.nb));
    if (i0 > i1 || j0 > j1) continue;
    for (int j = j0 / kSide; j <= j1 / kSide; ++j)
      for (int i = i0 / kSide; i <= i1 / kSide; ++i) pairs.emplace_back(static_cast<std::size_t>(j * f.blocksA + i), static_cast<int>(t));
  }
  std::sort(pairs.begin(), pairs.end());
  std::vector<Reached> out;
  for (const auto& [block, tool] : pairs) {
    if (out.empty() || out.back().block != block) out.push_back({block, {}});
    out.back().tools.push_back(tool);
  }
  return out;
}

/// Removes the tools' sweeps from one block; returns by how much its rays got shorter, mm.
double Stock::cutBlock(Field& f, const Reached& reached, const std::vector<Tool>& tools) const {
  const std::size_t k = reached.block;
  const Block& old = *f.blocks[k];
  if (old.high < old.low) return 0;
  // A block that no snapshot shares is cut in place; else it is copied when something changes.
  std::shared_ptr<Block> fresh = f.blocks[k].use_count() == 1 ? f.blocks[k] : nullptr;
  std::atomic_thread_fence(std::memory_order_acquire);
  bool any = false;
  double removed = 0;
  const int bi = static_cast<int>(k) % f.blocksA * kSide, bj = static_cast<int>(k) / f.blocksA * kSide;
  Vec3 d = Vec3::Zero();
  d[f.along] = 1;
  Ray cutRay;
  for (const int t : reached.tools) {
    const Tool& tool = tools[static_cast<std::size_t>(t)];
    if (tool.box.low[f.along] > static_cast<double>(old.high) || tool.box.high[f.along] < static_cast<double>(old.low)) continue;
    const int i0 = std::max(bi, rayBelow(f.a, tool.box.low[f.a], f.na) + 1),
              i1 = std::min({bi + kSide - 1, f.na - 1, rayBelow(f.a, tool.box.high[f.a], f.na)});
    const int j0 = std::max(bj, rayBelow(f.b, tool.box.low[f.b], f.nb) + 1),
              j1 = std::min({bj + kSide - 1, f.nb - 1, rayBelow(f.b, tool.box.high[f.b], f.nb)});
    for (int j = j0; j <= j1; ++j)
      for (int i = i0; i <= i1; ++i) {
        const std::size_t r = static_cast<std::size_t>((j - bj) * kSide + i - bi);
        const Block& block = fresh ? *fresh : old;
        // Only what lies within the tool's box matters; most rays are air there.
        if (static_cast<double>(block.tops[r]) <= tool.box.low[f.along] || static_cast<double>(block.bottoms[r]) >= tool.box.high[f.along])
          continue;
        const Ray& ray = block.rays[r];
        double from = kInfinity, to = -kInfinity;
        for (const Interval& v : ray) {
          const double low = std::max(tool.box.low[f.along], static_cast<double>(v.from)),
                       high = std::min(tool.box.high[f.along], static_cast<double>(v.to));
          if (low < high) from = std::min(from, low), to = std::max(to, high);
        }
        if (from >= to) continue;
        Vec3 q;
        q[f.a] = coordinate(f.a, i), q[f.b] = coordinate(f.b, j), q[f.along] = 0;
        double bottom = 0, upper = 0;
        if (!tool.closedForm(f.along, q, bottom, upper)) {
          // The sweep is convex along a ray: look from the upper end of the material first, where finished rays end.
          double u = 0;
          Vec3 g;
          const double top = tool.move.distance(q + to * d, u, g);
          if (top >= 0 && g.dot(d) <= 0) continue; // the body lies beyond the material
          bottom = tool.move.entry(q, d, tool.box.low[f.along] - 1e-3);
          if (bottom > to) continue;
          upper = top > 0 ? -tool.move.entry(q, -d, -(tool.box.high[f.along] + 1e-3)) : to;
        }
        if (!(upper > bottom)) continue;
        cutRay.clear();
        bool changed = false;
        for (const Interval& v : ray) {
          if (static_cast<double>(v.to) <= bottom || static_cast<double>(v.from) >= upper) {
            cutRay.push_back(v);
            continue;
          }
          changed = true;
          // Slivers below a thousandth of a cell are rounding, not material.
          const double sliver = 1e-3 * cell_;
          if (bottom - static_cast<double>(v.from) > sliver) cutRay.push_back({v.from, static_cast<float>(bottom)});
          if (static_cast<double>(v.to) - upper > sliver) cutRay.push_back({static_cast<float>(upper), v.to});
        }
        if (!changed) continue;
        for (const Interval& v : ray) removed += static_cast<double>(v.to) - static_cast<double>(v.from);
        for (const Interval& v : cutRay) removed -= static_cast<double>(v.to) - static_cast<double>(v.from);
        if (!fresh) fresh = std::make_shared<Block>(old);
        any = true;
        if (cutRay.empty())
          Ray().swap(fresh->rays[r]); // air asks for no memory
        else
          fresh->rays[r] = cutRay;
        fresh->measureRay(r);
      }
  }
  if (any) {
    fresh->measureExtent();
    f.blocks[k] = std::move(fresh);
  }
  return removed;
}

double Stock::cut(const Profile& profile, const Path& path, std::size_t first, std::size_t last, Progress* progress,
                  std::vector<Box>* reached) {
  const std::vector<Tool> tools = piecesOf(profile, path, first, last);
  if (reached)
    for (const Tool& t : tools) reached->push_back(t.box);
  // The blocks of all three fields at once: a short stretch of a path reaches few of each.
  std::array<std::vector<Reached>, 3> blocks;
  std::vector<std::pair<std::size_t, std::size_t>> all; // field, which of its blocks
  for (std::size_t k = 0; k < 3; ++k) {
    blocks[k] = reachedBlocks(fields_[k], tools);
    for (std::size_t n = 0; n < blocks[k].size(); ++n) all.emplace_back(k, n);
  }
  std::vector<double> removed(all.size(), 0);
  parallelChunks(all.size(), 1, [&](std::size_t n, std::size_t) {
    if (progress) progress->check();
    const auto [k, block] = all[n];
    removed[n] = cutBlock(fields_[k], blocks[k][block], tools);
  });
  double length = 0;
  for (std::size_t n = 0; n < all.size(); ++n)
    if (all[n].first == 2) length += removed[n]; // the last field runs along z
  return length * step_.x() * step_.y();
}

int Stock::fieldAlong(const Vec3& axis) {
  for (int m = 0; m < 3; ++m)
    if (std::abs(axis[m]) > 1 - 1e-12) return m;
  return -1;
}

std::vector<double> Stock::ringHeights(const Vec3& tip, const Vec3& axis, double low, double high, double rise) const {
  std::vector<double> out;
  const int m = fieldAlong(axis);
  if (m < 0) return out;
  const bool up = axis[m] > 0;
  const int n = count_[static_cast<std::size_t>(m)];
  const double first = (up ? tip[m] - bounds_.low[m] : bounds_.high[m] - tip[m]) / step_[m] - 0.5;
  double last = -kInfinity;
  for (int i = std::max(0, static_cast<int>(std::ceil(first))); i < n; ++i) {
    const double at = (i - first) * step_[m];
    if (at > high) break;
    if (at >= low && at - last >= rise - 1e-9) out.push_back(at), last = at;
  }
  return out;
}

double Stock::depthAlong(int k, int m, int row, const Vec3& p) const {
  const Field& f = fields_[static_cast<std::size_t>(k)];
  const double most = 4 * step_[k];
  const int across = 3 - k - m; // between rays in this direction
  const auto depth = [&](int i) {
    if (i < 0 || i >= count_[static_cast<std::size_t>(across)]) return -most;
    double outside = most;
    for (const Interval& v : f.a == across ? f.ray(i, row) : f.ray(row, i)) {
      const double from = static_cast<double>(v.from), to = static_cast<double>(v.to);
      if (p[k] >= from && p[k] <= to) return std::min({p[k] - from, to - p[k], most});
      outside = std::min(outside, p[k] < from ? from - p[k] : p[k] - to);
    }
    return -outside;
  };
  const double at = (p[across] - bounds_.low[across]) / step_[across] - 0.5;
  const int i = static_cast<int>(std::floor(at));
  const double u = at - i;
  return (1 - u) * depth(i) + u * depth(i + 1);
}

double Stock::arcInside(const Vec3& tip, const Vec3& axis, const Vec3& ahead, double r, double height) const {
  constexpr int kPoints = 120; // 3 degrees apart
  const Vec3 c = tip + height * axis;
  const int m = fieldAlong(axis);
  const double row = m < 0 ? 0 : (c[m] - bounds_.low[m]) / step_[m] - 0.5;
  const int i = static_cast<int>(std::lround(row));
  const bool between = m >= 0 && i >= 0 && i < count_[static_cast<std::size_t>(m)] && std::abs(row - i) < 1e-6;
  // Positive inside. On a straight border the distances along both axes make the distance itself; the nearer one knows the side.
  const auto depth = [&](const Vec3& p) {
    if (!between) return contains(p) ? 1.0 : -1.0;
    const double d = depthAlong((m + 1) % 3, m, i, p), e = depthAlong((m + 2) % 3, m, i, p), both = std::hypot(d, e);
    return both > 0 ? std::copysign(d * e / both, std::abs(d) < std::abs(e) ? d : e) : 0.0;
  };
  const Vec3 across = ahead - ahead.dot(axis) * axis;
  if (!(across.norm() > 1e-9)) return 0;
  const Vec3 f = across.normalized(), side = axis.cross(f);
  double arc = 0, before = 0;
  for (int k = 0; k <= kPoints / 2; ++k) {
    const double a = 2 * kPi * k / kPoints - kPi / 2;
    const double now = depth(c + r * (std::cos(a) * f + std::sin(a) * side));
    if (k > 0) arc += before > 0 && now > 0 ? 1 : before > 0 ? before / (before - now) : now > 0 ? now / (now - before) : 0;
    before = now;
  }
  return 2 * kPi * arc / kPoints;
}

double Stock::clearance(const Intruder& body, const Vec3& tip, const Vec3& axis, double wanted, double enough, Vec3& at,
                        double* met) const {
  double best = enough;
  const auto signedDistance = [&](const Vec3& p) {
    const Vec3 v = p - tip;
    const double z = v.dot(axis);
    return body.distance(std::sqrt((v - z * axis).squaredNorm()), z);
  };
  const Field& f = fields_[2];
  const Vec3 half0(0.5 * step_.x(), 0.5 * step_.y(), 0);
  const double halfDiagonal = half0.norm();
  // An axis along the rays: no material between z0 and z1, so far from the axis, is nearer to the bodies than to the cylinders about them.
  struct Cylinder {
    double low, high, r;
  };
  std::vector<Cylinder> about;
  if (constexpr double kAlong = 1 - 1e-12; std::abs(axis.z()) > kAlong) {
    const auto add = [&](double z0, double z1, double r) {
      const double a = tip.z() + axis.z() * z0, b = tip.z() + axis.z() * z1;
      about.push_back({std::min(a, b), std::max(a, b), r});
    };
    for (const Body& b : *body.bodies) add(b.z0, b.z1, std::max(b.r0, b.r1));
    if (body.cutter) add(body.cutter->lowest(), body.cutter->length(), body.cutter->maxRadius());
  }
  double lowest = -kInfinity; // of those cylinders
  if (!about.empty())
    lowest = std::min_element(about.begin(), about.end(), [](const Cylinder& a, const Cylinder& b) { return a.low < b.low; })->low;
  const auto isFar = [&](double off, double z0, double z1) {
    if (about.empty()) return false;
    for (const Cylinder& c : about) {
      const double dr = std::max(0.0, off - c.r), dz = std::max({0.0, c.low - z1, z0 - c.high}), d = best;
      if (d > 0 ? dr * dr + dz * dz < d * d : dr == 0 && dz == 0) return false;
    }
    return true;
  };
  // Only blocks that come so near to the box about the bodies.
  Box reach;
  const auto addDisc = [&](double z, double r) {
    const Vec3 c = tip + z * axis, e = r * (Vec3::Ones() - axis.cwiseAbs2()).cwiseMax(0).cwiseSqrt();
    reach.add(c - e), reach.add(c + e);
  };
  for (const Body& b : *body.bodies) addDisc(b.z0, b.r0), addDisc(b.z1, b.r1);
  if (body.cutter) addDisc(body.cutter->lowest(), body.cutter->maxRadius()), addDisc(body.cutter->length(), body.cutter->maxRadius());
  if (reach.empty()) return best; // neither bodies nor a cutter
  const Vec3 grown = Vec3::Constant(std::max(0.0, enough) + kLeastGap) + half0;
  const auto blocksOf = [&](int side, double low, double high, int blocks) {
    const double per = kSide * step_[side], from = coordinate(side, 0);
    return std::pair(static_cast<int>(std::clamp(std::floor((low - from) / per), 0.0, double(blocks))),
                     static_cast<int>(std::clamp(std::floor((high - from) / per) + 1, 0.0, double(blocks))));
  };
  const auto [i0, i1] = blocksOf(0, reach.low.x() - grown.x(), reach.high.x() + grown.x(), f.blocksA);
  const auto [j0, j1] = blocksOf(1, reach.low.y() - grown.y(), reach.high.y() + grown.y(), f.blocksB);
  for (int place = 0; place < (i1 - i0) * (j1 - j0); ++place) {
    const int ai = i0 + place % (i1 - i0), aj = j0 + place / (i1 - i0);
    const Block& block = *f.blocks[static_cast<std::size_t>(aj * f.blocksA + ai)];
    if (block.high < block.low) continue;
    const int bi = ai * kSide, bj = aj * kSide;
    Box box;
    box.add(Vec3(coordinate(0, bi), coordinate(1, bj), static_cast<double>(block.low)) - half0);
    box.add(Vec3(coordinate(0, std::min(f.na, bi + kSide) - 1), coordinate(1, std::min(f.nb, bj + kSide) - 1),
                 static_cast<double>(block.high)) +
            half0);
    const double nearX = std::max({0.0, box.low.x() - tip.x(), tip.x() - box.high.x()}),
                 nearY = std::max({0.0, box.low.y() - tip.y(), tip.y() - box.high.y()});
    if (isFar(std::sqrt(nearX * nearX + nearY * nearY), box.low.z(), box.high.z())) continue;
    if (signedDistance(box.center()) - 0.5 * box.diagonal() >= best) continue;
    for (int j = bj; j < std::min(f.nb, bj + kSide); ++j)
      for (int i = bi; i < std::min(f.na, bi + kSide); ++i) {
        const auto ray = static_cast<std::size_t>((j - bj) * kSide + i - bi);
        if (lowest - static_cast<double>(block.tops[ray]) >= std::max(best, kLeastGap)) continue; // all of it lies too far below
        for (const Interval& v : block.rays[ray]) {
          const double dx = coordinate(0, i) - tip.x(), dy = coordinate(1, j) - tip.y(), off = std::sqrt(dx * dx + dy * dy);
          if (isFar(std::max(0.0, off - halfDiagonal), static_cast<double>(v.from), static_cast<double>(v.to))) continue;
          // A column of material: halve it until it is known to be far enough, or is as small as a cell.
          std::array<std::pair<double, double>, 64> open;
          std::size_t n = 0;
          open[n++] = {static_cast<double>(v.from), static_cast<double>(v.to)};
          while (n > 0) {
            const auto [z0, z1] = open[--n];
            const Vec3 c(coordinate(0, i), coordinate(1, j), 0.5 * (z0 + z1));
            const double s = signedDistance(c), r = std::sqrt(halfDiagonal * halfDiagonal + 0.25 * (z1 - z0) * (z1 - z0));
            if (s - r >= best) continue;
            if (z1 - z0 > cell_ && n + 2 < open.size()) {
              open[n++] = {z0, c.z()};
              open[n++] = {c.z(), z1};
              continue;
            }
            best = s - r;
            at = c;
            if (met) *met = s;
            if (best < wanted) return best;
          }
        }
      }
  }
  return best;
}

} // namespace hemline
