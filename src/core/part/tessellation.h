// A tessellation of triangles on exact CAD faces: laid coarsely by Open CASCADE, then split and flipped on the exact surfaces until
// no facet leaves them by more than the chord tolerance.
#pragma once
#include "part/exact_surface.h"
#include <BRepAdaptor_Curve.hxx>
#include <TopoDS_Edge.hxx>
#include <TopoDS_Face.hxx>
#include <array>
#include <functional>
#include <map>
#include <unordered_map>
#include <vector>

namespace hemline {

class Tessellation {
public:
  struct Triangle {
    std::array<int, 3> point; ///< counter-clockwise seen from outside
    std::array<Vec2, 3> uv;   ///< of the face's surface
    std::array<int, 3> over;  ///< triangle of the same face across side k (from corner k to k+1), or -1
    std::array<int, 3> rim;   ///< piece of a CAD edge that side k is, or -1
    int face;
  };
  struct Face {
    TopoDS_Face face;
    bool reversed, plane, hasUv;
    bool poles = false; ///< places where one parameter means nothing
  };

  /// Takes the triangles of a face that Open CASCADE has meshed. Corners on shared edges are joined.
  void addFace(const TopoDS_Face& face);
  /// To be called once when all faces are in: finds neighbours.
  void close();
  /// Splits sides (at the exact curve or surface) and flips diagonals to Delaunay's rule, until facets lie within `chord`
  /// of their surface at the middle of their sides and at their own middle, and no side is longer than `longest` (mm).
  /// Stops at `most` triangles; deviation() says how far it came. About a million triangles in 10 s.
  void refine(double chord, double longest, std::size_t most, const std::function<void(double)>& report);
  /// Largest distance from facet t's plane to the exact surface at the middles of its sides and its own, mm.
  double deviation(const Triangle& t) const;
  /// Outward normal of the exact surface; zero where it has none.
  Vec3 normalAt(int face, const Vec2& uv) const;

  const std::vector<Vec3>& points() const { return points_; }
  const std::vector<Triangle>& triangles() const { return triangles_; }
  const std::vector<Face>& faces() const { return faces_; }
  std::shared_ptr<const ExactSurface> surface() const { return surface_; }

private:
  struct Rim { ///< a piece of a CAD edge between two corners
    int edge, a, b;
    double ta, tb;           ///< parameters of the curve at a and b
    std::vector<int> owners; ///< triangles that have it as a side
  };
  struct Edge {
    TopoDS_Edge edge;
    BRepAdaptor_Curve curve;
  };

  const Vec3& point(int i) const { return points_[static_cast<std::size_t>(i)]; }
  Triangle& tri(int i) { return triangles_[static_cast<std::size_t>(i)]; }
  const Triangle& tri(int i) const { return triangles_[static_cast<std::size_t>(i)]; }
  const Face& faceOf(const Triangle& t) const { return faces_[static_cast<std::size_t>(t.face)]; }
  Vec2 sideUv(const Triangle& t, std::size_t side) const;
  Vec3 middleOf(const Triangle& t, std::size_t side) const;
  int sideToSplit(const Triangle& t, double chord, double longest) const;
  std::pair<int, std::size_t> terminalSide(int t, std::size_t side) const;
  void split(int t, std::size_t side, std::vector<int>& changed);
  std::array<int, 2> splitOne(int t, std::size_t side, int mid, const Vec2& uv);
  Vec2 onFace(const Triangle& t, std::size_t side, const Rim& rim, double at) const;
  bool shouldFlip(int t, std::size_t side) const;
  void flip(int t, std::size_t side);
  void settle(std::vector<std::pair<int, int>>& open, std::vector<int>& changed);
  void replaceNeighbour(int t, int from, int to, int a, int b);
  void moveRim(int rim, int from, int to);

  std::vector<Vec3> points_;
  std::vector<Triangle> triangles_;
  std::vector<Face> faces_;
  std::shared_ptr<ExactSurface> surface_ = std::make_shared<ExactSurface>(); ///< of the faces, by the same index
  std::vector<Edge> edges_;
  std::vector<Rim> rims_;
  std::map<std::array<long, 3>, int> known_;     ///< corners by place
  std::unordered_map<std::uint64_t, int> rimOf_; ///< piece by its two corners, while reading
};

} // namespace hemline
