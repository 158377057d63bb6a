// The in-process stock (tri-dexel model): intervals of material along three fields of axis-parallel rays on one lattice, in blocks that are
// shared between snapshots until one of them is cut.
//
// Each ray keeps exact entries and exits of the swept cutter, so faces across a field's rays are placed exactly there;
// between rays the stock is known to a cell. T. Van Hook, SIGGRAPH 1986 (one field); H. Mueller et al., 2003 (three).
#pragma once
#include "base/progress.h"
#include "cutter/cutter.h"
#include "geometry/tree.h"
#include "toolpath/path.h"
#include <atomic>
#include <memory>
#include <vector>

namespace hemline {

/// Non-cutting bodies, and the cutting part too where it may not touch anything (rapids).
struct Intruder {
  const std::vector<Body>* bodies;
  const Profile* cutter; ///< null: only the bodies
  double reach;          ///< farthest point from the tip, mm
  /// Signed distance of (r, z); which body in `kind`.
  double distance(double r, double z, int* kind = nullptr) const;
};

class ByteWriter;
class ByteReader;

class Stock {
public:
  Stock() = default;
  /// Throws Error when the lattice would need more than 30 million rays or the size is not positive.
  static Stock box(const Box& box, double cell);
  /// Round bar from the middle of its foot, along +x, +y or +z (0, 1, 2); a tube where it has a bore.
  static Stock cylinder(const Vec3& base, double radius, double height, double cell, int axis = 2, double bore = 0);
  /// A closed mesh and all that lies within `by` of it (a casting's skin); faces to 0.02 of a cell. Throws Error if it is open.
  static Stock offset(const Mesh& mesh, double by, double cell, Progress& progress);
  /// A closed mesh. Throws Error if it is open.
  static Stock mesh(const Mesh& mesh, double cell, Progress& progress);

  double cell() const { return cell_; }
  const Box& bounds() const { return bounds_; }
  /// No point of the true stock lies farther than this outside the material described here.
  double error() const { return cell_ * 0.8660254037844386; }
  bool contains(const Vec3& p) const;
  /// Bytes in use, blocks that are shared within this stock counted once.
  std::size_t memory() const;
  /// Bytes of blocks that are not shared with `other`, a snapshot of the same stock.
  std::size_t memoryBeside(const Stock& other) const;
  /// Sum of the rays along z times the cell's face, mm^3.
  double volume() const;

  /// Removes what the moves into locations first..last (last excluded) sweep. Rapids remove nothing. Returns removed mm^3. Boxes
  /// outside of which nothing changed are added to `reached`.
  double cut(const Profile& profile, const Path& path, std::size_t first, std::size_t last, Progress* progress = nullptr,
             std::vector<Box>* reached = nullptr);

  /// A lower bound of the distance between the intruder and the material, at most `enough`; less than `wanted` only where it
  /// could not be shown to be more. `at` is then a place of the material near it; `met`: the distance there, which is never less than the
  /// true one.
  double clearance(const Intruder& body, const Vec3& tip, const Vec3& axis, double wanted, double enough, Vec3& at,
                   double* met = nullptr) const;

  /// Arc of the forward half (towards `ahead`) of the ring of radius r about the axis, `height` above the tip, that lies in
  /// material; radians. At heights of ringHeights the material's border is read between rays, where they cross it: off by cell^2 / 8
  /// times its curvature, by a quarter of a cell at its corners; else by half a cell, and to 3 degrees.
  double arcInside(const Vec3& tip, const Vec3& axis, const Vec3& ahead, double r, double height) const;
  /// Heights above the tip, from `low` to `high` and at least `rise` apart, at which rays run in the plane across the axis; none where the
  /// axis does not run along one of the fields.
  std::vector<double> ringHeights(const Vec3& tip, const Vec3& axis, double low, double high, double rise) const;

  /// Closed surface for files: one point per boundary cell at the mean of its exact crossings.
  Mesh surface() const;

  /// As it is, for results that last; blocks that are shared within it stay shared. See base/stored.h.
  friend void storeIn(ByteWriter& to, const Stock& stock);
  friend void loadFrom(ByteReader& from, Stock& stock);

private:
  friend class StockSurface;
  friend class StockPieces;
  struct Interval {
    float from, to;
  };
  using Ray = std::vector<Interval>;
  static constexpr int kSide = 16; // rays per side of a block
  struct Block {
    std::vector<Ray> rays;
    float low = 0, high = -1;                           ///< extent of material along the rays; empty when high < low
    std::array<float, kSide * kSide> bottoms{}, tops{}; ///< where the material of each ray begins and ends; 1e30 and -1e30: it has none
    void measure();
    void measureRay(std::size_t ray);
    void measureExtent(); ///< from what was measured of the rays
    std::size_t memory() const;
  };
  struct Field {
    int along = 2, a = 0, b = 1; ///< axes: rays run along `along`, lattice indices over a and b
    int na = 0, nb = 0, blocksA = 0, blocksB = 0;
    std::vector<std::shared_ptr<Block>> blocks;
    const Ray& ray(int i, int j) const;
  };
  void lay(const Box& box, double cell);
  /// Where a ray of the field runs in the mesh; odd crossings are told by `open`.
  Ray within(const MeshTree& tree, const Field& f, int i, int j, std::atomic<bool>& open) const;
  template <class Fill> void fill(Fill&& fill);
  /// The axis along which `axis` runs, or -1.
  static int fieldAlong(const Vec3& axis);
  /// Signed distance of p from the border along the rays that run along k, positive inside, cut off at four cells; read between the rays of
  /// the plane across m that lie beside p, whose row is `row`.
  double depthAlong(int k, int m, int row, const Vec3& p) const;
  double coordinate(int axis, int i) const { return bounds_.low[axis] + (i + 0.5) * step_[axis]; }
  struct Tool;
  static std::vector<Tool> piecesOf(const Profile& profile, const Path& path, std::size_t first, std::size_t last);
  struct Reached {
    std::size_t block;
    std::vector<int> tools;
  };
  /// The last ray of `rays` below x along an axis; -1: none.
  int rayBelow(int axis, double x, int rays) const;
  std::vector<Reached> reachedBlocks(const Field& field, const std::vector<Tool>& tools) const;
  double cutBlock(Field& field, const Reached& reached, const std::vector<Tool>& tools) const;

  Box bounds_;
  double cell_ = 1;
  Vec3 step_ = Vec3::Ones(); ///< true spacing per axis, at most `cell`
  std::array<int, 3> count_{};
  std::array<Field, 3> fields_;
};

} // namespace hemline
