// Rails: named lines on the surface (or single places of it), from edges, borders, sections or drawn by hand.
#pragma once
#include "part/part.h"

namespace hemline {

/// A place on the surface with its outward normal.
struct Mark {
  Vec3 at = Vec3::Zero(), normal = Vec3::UnitZ();
};

struct Rail {
  std::string name = "rail", from; ///< `from`: how it came about, in words
  bool closed = false;
  std::vector<Mark> marks; ///< in order, a closed rail's first one not repeated
  double length() const;
  bool isPlace() const { return marks.size() == 1; } ///< a single one: where passes may begin, and no line
};

/// The borders of a set of facets (flags), longest first. Points of the mesh.
std::vector<Rail> borderRails(const Mesh& mesh, const std::vector<char>& facets);
/// The run of edges between the same two patches (or at the end of the surface) that is nearest to a place. Throws Error where the part
/// has no such edge.
Rail edgeRail(const Part& part, const Vec3& near);
/// The surface cut by the plane through `at` across `normal`, longest first. Exact on the facets.
std::vector<Rail> sectionRails(const Part& part, const Vec3& at, const Vec3& normal);
/// Through places of the surface, laid on it between them: along the plane that holds both and the mean of their normals. Points no
/// farther apart than `step` mm. Throws Error with fewer than two places (closed: three).
Rail drawnRail(const Part& part, const std::vector<Mark>& through, bool closed, double step);

/// Moved sideways along the surface by `distance` mm, to the left seen along the rail from outside (negative: right), in straightest
/// steps; past the border of the surface it goes on straight. Loops are not taken out. Each place errs by at most some 1e-3 of the
/// distance on smooth ground.
Rail offsetRail(const Part& part, const Rail& rail, double distance);
/// An open rail with its ends carried on straight, mm; beyond the part, too. Throws Error for a closed one.
Rail extendedRail(const Rail& rail, double atStart, double atEnd);

/// The rail on the part as it is: each place on the nearest ground that faces alike, within `reach` mm.
struct FoundRail {
  Rail rail; ///< places that were found
  std::size_t lost = 0, all = 0;
  double moved = 0; ///< most, mm
};
FoundRail findRail(const Part& part, const Rail& rail, double reach);

/// A closed rail as an outline in the plane of x and y (unit, across the axis), moved outward by `out` mm with round corners; counter-
/// clockwise. Throws Error where it crosses itself there or nothing is left.
std::vector<Vec2> outlineOf(const Rail& rail, const Vec3& x, const Vec3& y, double out);

} // namespace hemline
