// The ground that passes are for: which contacts belong to it, and where its border runs.
#pragma once
#include "finishing/contact_curve.h"
#include "finishing/region_limits.h"
#include "toolpath/path.h"

namespace hemline {

class Ground {
public:
  /// `region`: flags of facets. Passes go on past its border by `overrun` mm, so that the border itself is finished as the rest is.
  Ground(const Part& part, std::vector<char> region, const RegionLimits& limits, double cutterRadius, double overrun);

  const Part& part() const { return *part_; }
  const std::vector<char>& region() const { return region_; }
  bool has(int facet) const { return region_[static_cast<std::size_t>(facet)]; }
  /// Does a location that touches `facet` belong to the passes?
  bool wants(const Location& l, int facet) const;
  /// Is a contact beyond the border still needed? A ball of radius `roll` has left the border by no more than the overrun there.
  bool needs(const Contact& contact, double roll) const;

private:
  bool isWithin(const Vec3& contact, std::size_t facet) const;
  bool nearBorder(const Vec3& p, const Vec3& normal, double reach, double swing) const;
  struct Border {
    Vec3 a, b, normal; ///< of the facet inside
  };
  const Part* part_;
  std::vector<char> region_;
  RegionLimits limits_;
  double cutterRadius_, overrun_;
  std::vector<Border> border_;
  BoxTree tree_;
};

} // namespace hemline
