#include "hold/grip.h"

namespace hemline {
namespace {

constexpr double kGap = 0.75;              // cells above a fixture's face at which the stock is asked for
constexpr std::size_t kMostPlaces = 40000; // on one body

/// Calls take(place, outward normal, area) all over a body, about a cell apart.
template <class Take> void eachPlace(const Mesh& mesh, double cell, Take&& take) {
  double area = 0;
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) area += mesh.facetArea(t);
  const double apart = std::max(cell, std::sqrt(area / static_cast<double>(kMostPlaces)));
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    const Vec3& a = mesh.corner(t, 0);
    const Vec3 b = mesh.corner(t, 1) - a, c = mesh.corner(t, 2) - a, n = mesh.facetNormal(t);
    const int m = std::max(1, static_cast<int>(std::ceil(std::max({b.norm(), c.norm(), (b - c).norm()}) / apart)));
    const double each = mesh.facetArea(t) / (m * m);
    for (int i = 0; i < m; ++i)
      for (int j = 0; i + j < m; ++j) { // middles of m x m like triangles, upright and turned over
        take(Vec3(a + ((i + 1 / 3.0) * b + (j + 1 / 3.0) * c) / m), n, each);
        if (i + j + 1 < m) take(Vec3(a + ((i + 2 / 3.0) * b + (j + 2 / 3.0) * c) / m), n, each);
      }
  }
}

/// Is this a face with which the fixture presses? Jaws, chuck and mandrel across z, a strap downwards, a plate upwards.
bool pressesHere(FixtureKind kind, const Vec3& n) {
  return kind == FixtureKind::Strap ? n.z() < -0.7 : kind == FixtureKind::Plate ? n.z() > 0.7 : std::abs(n.z()) < 0.3;
}

} // namespace

Holding measureGrip(const Stock& stock, const std::vector<Fixture>& fixtures, const std::vector<std::shared_ptr<const Part>>& bodies,
                    const Frame& frame) {
  Holding out;
  const double cell = stock.cell();
  double top = -kInfinity;
  for (std::size_t k = 0; k < fixtures.size(); ++k) {
    Grip grip{k, 0, 0};
    Intrusion inside{k, 0, Vec3::Zero()};
    double low = kInfinity, high = -kInfinity;
    const bool holds = grips(fixtures[k]);
    eachPlace(bodies[k]->mesh, cell, [&](const Vec3& p, const Vec3& n, double area) {
      // One and a half cells below the fixture's face there must be no stock; if there is, the shortest way out of it counts.
      const Vec3 below = p - 1.5 * cell * n;
      double deep = kInfinity;
      for (int way = 0; way < 6 && deep > 0; ++way) {
        const Vec3 d = (way % 2 ? -1 : 1) * frame.directionOut(Vec3::Unit(way / 2));
        double far = 0;
        while (far < deep && stock.contains(below + far * d)) far += cell;
        deep = std::min(deep, far);
      }
      if (deep > inside.deep) inside.deep = deep, inside.at = p;
      if (!holds || !pressesHere(fixtures[k].kind, frame.directionInto(n)) || !stock.contains(p + kGap * cell * n)) return;
      const double z = frame.into(p).z();
      grip.area += area, low = std::min(low, z), high = std::max(high, z);
    });
    if (inside.deep > 0) out.inside.push_back(inside);
    if (!holds) continue;
    if (grip.area > 0) grip.depth = high - low, top = std::max(top, high);
    out.grips.push_back(grip);
  }
  const Box box = frame.into(stock.bounds());
  out.gripTop = top > -kFinite ? top : box.low.z();
  out.standsOut = box.high.z() - out.gripTop;
  return out;
}

std::vector<StockPiece> loosePieces(const Stock& stock, const std::vector<std::shared_ptr<const Part>>& bodies) {
  const StockPieces all(stock);
  const double cell = stock.cell();
  std::vector<char> held(all.pieces().size(), 0);
  for (const auto& body : bodies)
    eachPlace(body->mesh, cell, [&](const Vec3& p, const Vec3& n, double) {
      if (const int piece = all.at(p + kGap * cell * n); piece >= 0) held[static_cast<std::size_t>(piece)] = 1;
    });
  if (!held.empty() && std::find(held.begin(), held.end(), 1) == held.end()) held.front() = 1;
  std::vector<StockPiece> out;
  for (std::size_t k = 0; k < held.size(); ++k)
    if (!held[k] && all.pieces()[k].volume > 27 * cell * cell * cell) out.push_back(all.pieces()[k]);
  return out;
}

Hanging hangingPieces(const Stock& stock, const std::vector<std::shared_ptr<const Part>>& bodies, double skin) {
  const double cell = stock.cell();
  const int thin = std::max(1, static_cast<int>(std::ceil(skin / (2 * cell) - 0.5)));
  Hanging out;
  out.skin = (2 * thin + 1) * cell;
  const StockPieces all(stock), core(stock, thin);
  std::vector<char> held(core.pieces().size(), 0), joined(all.pieces().size(), 0);
  for (const auto& body : bodies)
    eachPlace(body->mesh, cell, [&](const Vec3& p, const Vec3& n, double) {
      if (const int whole = all.at(p + kGap * cell * n); whole >= 0) joined[static_cast<std::size_t>(whole)] = 1;
      if (const int piece = core.at(p + (kGap + thin + 1) * cell * n); piece >= 0) held[static_cast<std::size_t>(piece)] = 1;
    });
  for (std::size_t k = 0; k < held.size(); ++k) {
    const StockPiece& piece = core.pieces()[k];
    if (held[k] || !(piece.volume > 27 * cell * cell * cell)) continue;
    // A place of the core lies in a piece of the whole, which may be loose itself.
    const int whole = all.at(core.placeIn(static_cast<int>(k)));
    if (whole >= 0 && joined[static_cast<std::size_t>(whole)]) out.pieces.push_back(piece);
  }
  return out;
}

} // namespace hemline
