// What level roughing knows of part and stock at one height: where the tip may stand, and where there is material.
#pragma once
#include "geometry/outline.h"
#include "roughing/plan_level_roughing.h"

namespace hemline {

class RoughingSlices {
public:
  RoughingSlices(const Part& part, const Stock& stock, const Profile& profile, const RoughingOptions& options, Progress& progress);

  /// Tip heights from the top down, with one on every flat of the part and, where tabs are left, on top of them. Throws Error where there
  /// is nothing to rough or nothing to leave tabs on.
  std::vector<double> levels();
  const std::vector<Vec3>& tabs() const { return tabAt_; }

  const Grid& grid() const { return grid_; }
  double top() const { return top_; } ///< of the stock, along the axis
  Vec3 world(const Vec2& p, double z) const { return p.x() * e1_ + p.y() * e2_ + z * o_.up; }
  Vec2 plan(const Vec3& p) const { return {p.dot(e1_), p.dot(e2_)}; }

  /// Lowest height of the tip over p; -kInfinity where nothing stands below. `hint`: the facet touched nearby, or -1.
  double heightAt(const Vec2& p, int& hint) const;
  /// May the tip run straight from a to b at height z?
  bool free(const Vec2& a, const Vec2& b, double z) const;
  /// Where the tip may stand at height z; outline vertices are places that were tried and are free.
  Outlines allowed(double z) const;
  /// Where there is material between this level and the one above.
  Outlines material(const Stock& stock, double z, double above) const;
  /// Where there is material between this level and the stock's top: all that the cutter's side could meet. Borders to a fortieth of a cell
  /// of the grid.
  Outlines standing(const Stock& stock, double z, double above) const;
  /// Without what is too thin or too small to be worth its passes. What has to stay anyway says nothing: where the tip may not come near
  /// the part, its allowance stands beside what is to be cut.
  Outlines worthCutting(Outlines solid, double z) const;

private:
  void layGrid(const Stock& stock);
  void findEdge();
  double edgeAt(const Vec2& p) const;
  void measureHeights();
  std::vector<double> findLevels() const;
  void leaveTabs(std::vector<double>& levels);
  std::size_t cell(int i, int j) const {
    return static_cast<std::size_t>(j) * static_cast<std::size_t>(grid_.n) + static_cast<std::size_t>(i);
  }
  /// Ground of a tab in plan: across the outline, outward.
  struct Strip {
    Vec2 from, outward;
    double length;
  };

  const Part& part_;
  const RoughingOptions& o_;
  Progress& progress_;
  Profile grown_;            ///< with allowances
  std::vector<Profile> own_; ///< with those of `o_.own`
  double R_;
  Vec3 e1_, e2_;
  Grid grid_{};
  std::vector<double> height_, edge_; ///< per cell: lowest tip; ground at the nearest edge, beside the part
  double top_ = 0, bottom_ = 0, tabTop_ = 0;
  std::vector<Strip> tabs_;
  std::vector<Vec3> tabAt_;
};

} // namespace hemline
