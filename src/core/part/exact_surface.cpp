#include "part/exact_surface.h"
#include <BRepAdaptor_Surface.hxx>
#include <TopoDS_Face.hxx>
#include <deque>
#include <tbb/enumerable_thread_specific.h>
#include <vector>

namespace hemline {
namespace {

Vec3 vec(const gp_XYZ& p) {
  return {p.X(), p.Y(), p.Z()};
}

} // namespace

/// The adaptors keep what they computed last, so each thread has its own.
struct ExactSurface::Faces {
  std::vector<TopoDS_Face> faces;
  std::vector<char> plane;
  mutable tbb::enumerable_thread_specific<std::deque<BRepAdaptor_Surface>> own;

  const BRepAdaptor_Surface& of(int face) const {
    auto& mine = own.local();
    for (std::size_t i = mine.size(); i < faces.size(); ++i) mine.emplace_back(faces[i]);
    return mine[static_cast<std::size_t>(face)];
  }
};

ExactSurface::ExactSurface() : faces_(std::make_unique<Faces>()) {}
ExactSurface::~ExactSurface() = default;

void ExactSurface::add(const TopoDS_Face& face) {
  faces_->faces.push_back(face);
  faces_->plane.push_back(BRepAdaptor_Surface(face).GetType() == GeomAbs_Plane);
}

bool ExactSurface::plane(int face) const {
  return faces_->plane[static_cast<std::size_t>(face)];
}

const TopoDS_Face& ExactSurface::face(int face) const {
  return faces_->faces[static_cast<std::size_t>(face)];
}

std::size_t ExactSurface::count() const {
  return faces_->faces.size();
}

Vec3 ExactSurface::Spot::normal() const {
  const Vec3 n = du.cross(dv);
  const double l = n.norm();
  return l > 1e-12 ? Vec3(n / l) : Vec3::Zero();
}

Vec3 ExactSurface::pointAt(int face, const Vec2& uv) const {
  return vec(faces_->of(face).Value(uv.x(), uv.y()).XYZ());
}

ExactSurface::Spot ExactSurface::at(int face, const Vec2& uv) const {
  gp_Pnt p;
  gp_Vec du, dv;
  faces_->of(face).D1(uv.x(), uv.y(), p, du, dv);
  return {vec(p.XYZ()), vec(du.XYZ()), vec(dv.XYZ())};
}

ExactSurface::Curvature ExactSurface::curvatureAt(int face, const Vec2& uv, const Vec3& outward) const {
  gp_Pnt p;
  gp_Vec a, b, aa, bb, ab;
  faces_->of(face).D2(uv.x(), uv.y(), p, a, b, aa, bb, ab);
  const Vec3 du = vec(a.XYZ()), dv = vec(b.XYZ());
  Vec3 n = du.cross(dv);
  Curvature out;
  if (!(n.norm() > 1e-12)) return out;
  n.normalize();
  if (n.dot(outward) < 0) n = -n;
  // Shape operator in an orthonormal frame of the tangent plane.
  const Vec3 x = du.normalized(), y = n.cross(x);
  Eigen::Matrix2d J;
  J << du.dot(x), dv.dot(x), du.dot(y), dv.dot(y);
  Eigen::Matrix2d second;
  second << vec(aa.XYZ()).dot(n), vec(ab.XYZ()).dot(n), vec(ab.XYZ()).dot(n), vec(bb.XYZ()).dot(n);
  const Eigen::Matrix2d inverse = J.inverse(), shape = inverse.transpose() * second * inverse;
  const double mean = 0.5 * (shape(0, 0) + shape(1, 1)), half = 0.5 * (shape(0, 0) - shape(1, 1)), off = 0.5 * (shape(0, 1) + shape(1, 0));
  const double spread = std::hypot(half, off), turn = 0.5 * std::atan2(off, half);
  out.least = mean - spread, out.most = mean + spread;
  out.mostAlong = std::cos(turn) * x + std::sin(turn) * y;
  out.leastAlong = n.cross(out.mostAlong);
  return out;
}

} // namespace hemline
