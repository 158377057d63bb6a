// The exact faces behind a CAD model's tessellation: points, normals and curvatures by surface parameters.
#pragma once
#include "geometry/vec.h"
#include <memory>

class TopoDS_Face;

namespace hemline {

class ByteWriter;
class ByteReader;

class ExactSurface {
public:
  ExactSurface();
  ~ExactSurface();
  ExactSurface(const ExactSurface&) = delete;
  ExactSurface& operator=(const ExactSurface&) = delete;

  /// Takes a face; its index is the number of faces before it.
  void add(const TopoDS_Face& face);
  bool plane(int face) const;
  const TopoDS_Face& face(int face) const;
  std::size_t count() const;

  struct Spot {
    Vec3 point = Vec3::Zero();
    Vec3 du = Vec3::Zero(), dv = Vec3::Zero(); ///< first derivatives, mm per parameter
    /// Unit normal in the sense of du x dv; zero where the surface has none (poles).
    Vec3 normal() const;
  };
  /// Any number of threads may ask. A quarter to half a microsecond for B-splines.
  Vec3 pointAt(int face, const Vec2& uv) const;
  Spot at(int face, const Vec2& uv) const;

  /// Principal curvatures (1/mm, positive where the ground is concave seen against `outward`) with their directions;
  /// M. do Carmo, Differential Geometry of Curves and Surfaces, 3-3. Zero where the surface has no normal.
  struct Curvature {
    double least = 0, most = 0;
    Vec3 leastAlong = Vec3::Zero(), mostAlong = Vec3::Zero();
  };
  Curvature curvatureAt(int face, const Vec2& uv, const Vec3& outward) const;

  /// As they are, for results that last. See base/stored.h.
  friend void storeIn(ByteWriter& to, const ExactSurface& surface);
  friend void loadFrom(ByteReader& from, ExactSurface& surface);

private:
  struct Faces;
  std::unique_ptr<Faces> faces_;
};

} // namespace hemline
