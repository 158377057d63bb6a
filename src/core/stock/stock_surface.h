// The stock's surface, taken in bricks of the lattice, so that another place of the job is shown by taking again only the bricks that were
// cut between. Surface nets (S. Gibson, 1998): one point per lattice cell that the boundary passes, at the mean of its exact crossings.
#pragma once
#include "stock/stock.h"
#include <cstdint>

namespace hemline {

/// Triangles as a screen takes them.
struct ShownTriangles {
  Vec3 origin = Vec3::Zero();
  std::vector<float> points;          ///< x, y, z of each point from the origin, mm
  std::vector<std::uint32_t> corners; ///< three points a triangle, counter-clockwise seen from outside
};

class StockSurface {
public:
  StockSurface() = default;
  /// The whole surface, from every `stride`th lattice point along each axis (crossings stay exact); O(cells), in parallel.
  explicit StockSurface(const Stock& stock, int stride = 1);
  /// The stock was cut within these boxes since: takes again the bricks they reach, and shares the others with copies of this surface.
  void update(const Stock& stock, const std::vector<Box>& cut);

  std::size_t triangles() const;
  /// Bytes of bricks that are not shared with `other`.
  std::size_t memoryBeside(const StockSurface& other) const;
  /// Closed and welded, in the job's coordinates; points to single precision of the stock's size.
  Mesh mesh() const;
  /// For the screen: not welded between bricks.
  ShownTriangles shown() const;

private:
  struct Brick {
    std::vector<float> points;                       ///< from the stock's lowest corner
    std::vector<std::uint16_t> cells;                ///< each point's cell within the brick
    std::vector<std::array<std::uint16_t, 3>> faces; ///< into the brick's points
  };
  void lay(const Stock& stock, int stride);
  std::shared_ptr<const Brick> take(const Stock& stock, std::size_t brick) const;
  void takeAgain(const Stock& stock, const std::vector<std::size_t>& bricks);

  Vec3 low_ = Vec3::Zero();
  int stride_ = 1;
  std::array<int, 3> count_{}, lattice_{};           ///< bricks, and points looked at, along each axis
  std::vector<std::shared_ptr<const Brick>> bricks_; ///< null where the boundary does not pass
};

} // namespace hemline
