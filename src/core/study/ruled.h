// Is a wall ruled: how far straight lines across it leave it, how much it twists along them, and what a cutter lying along one would do.
#pragma once
#include "base/progress.h"
#include "part/part.h"

namespace hemline {

/// The straight line through a place of a patch that leaves the patch the least, from border to border.
struct Ruling {
  Vec3 from = Vec3::Zero(), to = Vec3::Zero();
  Vec3 middle = Vec3::Zero(), normal = Vec3::Zero(); ///< of the surface, half way
  double deviation = 0;                              ///< largest distance between line and patch, mm
  double twist = 0;                                  ///< angle between the normals at its ends, radians
};

/// The facets of one patch with their hierarchy.
struct WallSurface {
  /// Throws Error where the patch has no facets.
  WallSurface(const Part& part, int patch);
  Vec3 normal(int t) const { return mesh.facetNormal(static_cast<std::size_t>(t)); }
  int patch;
  Mesh mesh;
  std::unique_ptr<MeshTree> tree;
};

struct RuledTest {
  int patch = 0;
  double area = 0; ///< mm^2
  std::vector<Ruling> rulings;
  double deviation = 0, twist = 0; ///< largest of all rulings; facets add their sagitta to the deviation
  Vec3 deviationAt = Vec3::Zero();
};
/// Rulings through `count` places of the patch, spread evenly. Directions are tried 6 degrees apart and refined to 0.01 degrees.
RuledTest ruledTest(const WallSurface& wall, std::size_t count, Progress& progress);

/// A cylinder (cone) that touches the ruling's middle from outside, its side along the ruling: how far it cuts into the patch and stands
/// off it along the ruling, mm. On a hyperbolic paraboloid R (1 - cos) of the angle by which the normal turns from the middle to the end;
/// on a developable wall both vanish. Radius in the middle, `halfAngle` of a cone that grows towards the ruling's end.
struct FlankFit {
  double over = 0, under = 0;
  /// Where the cutter is shifted so that it cuts no deeper than it stands off.
  double balanced() const { return 0.5 * (over + under); }
};
FlankFit flankFit(const WallSurface& wall, const Ruling& ruling, double radius, double halfAngle);

/// The test of a wall, and the worst of a cylinder lying along its rulings.
struct Wall {
  RuledTest test;
  FlankFit flank;
};
constexpr double kFlankRadius = 5; ///< mm: of the cylinder that walls are tried with
/// Walls along `up` that are not flat; see wallsOf.
std::vector<Wall> studyWalls(const Part& part, const Vec3& up, Progress& progress);
/// In a sentence.
std::string wallText(const Part& part, const Wall& wall, LengthUnit unit);

/// Patches that stand at least `slope` (radians) against `up` over nearly all of their area and make at least 2 % of the part's, largest
/// first, at most eight.
std::vector<int> wallsOf(const Part& part, const Vec3& up, double slope);

} // namespace hemline
