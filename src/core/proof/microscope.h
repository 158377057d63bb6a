// A spot of the surface as cut, looked at closely: a small height map, and a section across the lay.
#pragma once
#include "part/part.h"
#include "proof/roughness.h"
#include "stock/sweep.h"

namespace hemline {

/// A place on the design surface with the direction of the passes there ("lay").
struct Spot {
  Vec3 at, normal, feed, across; ///< unit directions, right-handed: feed x across = normal
};
/// The spot at a place, with the lay of the contact curve nearest to it. The place is moved onto the surface.
Spot spotAt(const Part& part, const Path& path, const Vec3& place);

/// The moves that can shape the surface within `radius` of a place; few, so that a sweep of them is made in no time.
Path movesAround(const Path& path, const Profile& profile, const Vec3& place, double radius);

/// Stock-left on a square of count x count places about the spot, mm along the surface's own normals; NaN off the surface or above
/// `limit`. Row by row across, along feed within a row. Cheap: some microseconds a place.
struct HeightMap {
  Spot spot;
  double size = 0; ///< side of the square, mm
  std::size_t count = 0;
  std::vector<float> left;
};
HeightMap heightMap(const Part& part, const Sweep& sweep, const Spot& spot, double size, std::size_t count, double limit = 1);

/// Stock-left along the surface through the spot, across the lay; values `step` apart along the surface, mm. As much on both sides
/// as there is. It ends where the surface
/// does, at a sharp edge, or where nothing was cut.
struct Section {
  double step = 0, first = 0; ///< mm; first: where the section starts, counted from the spot
  std::vector<double> left;
};
Section sectionAcross(const Part& part, const Sweep& sweep, const Spot& spot, double length, double step, double limit = 1);

/// The section that the standard's rule asks for at this spot, and its roughness. From 0.5 mm on the length grows until the five
/// section lengths of the cut-off fit, or the surface ends.
struct SpotRoughness {
  Section section;
  Roughness roughness;
};
SpotRoughness roughnessAt(const Part& part, const Path& path, const Profile& profile, const Vec3& place);

} // namespace hemline
