#include "hold/clamping.h"
#include "base/units.h"

namespace hemline {

Frame frameOf(const Clamping& c) {
  Frame f;
  f.origin = c.origin;
  for (const Turn& t : c.turns) {
    double s = std::sin(t.angle), k = std::cos(t.angle);
    const double quarters = t.angle / (kPi / 2), whole = std::round(quarters);
    if (std::abs(quarters - whole) < 1e-9) { // exactly
      const int n = static_cast<int>(whole - 4 * std::floor(whole / 4));
      s = n == 1 ? 1 : n == 3 ? -1 : 0, k = n == 0 ? 1 : n == 2 ? -1 : 0;
    }
    Mat3 m = Mat3::Identity();
    const int a = (t.axis + 1) % 3, b = (t.axis + 2) % 3;
    m(a, a) = m(b, b) = k, m(a, b) = -s, m(b, a) = s;
    f.turn = m * f.turn;
  }
  return f;
}

Vec3 standingZero(const Clamping& clamping, const Box& blank, double high) {
  const Box b = frameOf(clamping).into(blank);
  return {-b.center().x(), -b.center().y(), high - b.low.z()};
}

namespace {
template <class Point, class Direction> Path changed(Path path, Point&& point, Direction&& direction) {
  for (Location& l : path.locations) {
    l.tip = point(l.tip), l.contact = point(l.contact);
    l.axis = direction(l.axis), l.normal = direction(l.normal);
  }
  return path;
}
} // namespace

Path pathInto(const Path& path, const Frame& f) {
  if (f.same()) return path;
  return changed(
      path, [&](const Vec3& p) { return f.into(p); }, [&](const Vec3& d) { return f.directionInto(d); });
}

Path pathOut(const Path& path, const Frame& f) {
  if (f.same()) return path;
  return changed(
      path, [&](const Vec3& p) { return f.out(p); }, [&](const Vec3& d) { return f.directionOut(d); });
}

double displacement(const Dowels& d, const Vec2& at) {
  if (!(d.span > 0)) return 0;
  return 0.5 * d.play + d.off + (d.play + 2 * d.off) / d.span * (at - d.middle).norm();
}

double placingUncertainty(const Clamping& c, const Box& blank) {
  const Box b = frameOf(c).into(blank);
  double sum = c.finding ? uncertaintyOf(*c.finding, b) : 0, most = 0;
  for (int i = 0; i < 4 && c.dowels; ++i)
    most = std::max(most, displacement(*c.dowels, {i & 1 ? b.low.x() : b.high.x(), i & 2 ? b.low.y() : b.high.y()}));
  return sum + most;
}

Seam seamBetween(const Mesh& mesh, const std::vector<int>& finishedIn, int later, const Frame& frame, const Dowels& dowels) {
  assert(finishedIn.size() == mesh.triangles.size());
  Seam out;
  for (const MeshEdge& e : meshEdges(mesh)) {
    if (e.right < 0) continue;
    const int a = finishedIn[static_cast<std::size_t>(e.left)], b = finishedIn[static_cast<std::size_t>(e.right)];
    if ((a == later) == (b == later)) continue;
    const Vec3 &p = mesh.points[static_cast<std::size_t>(e.a)], &q = mesh.points[static_cast<std::size_t>(e.b)];
    out.length += (q - p).norm();
    if (const int other = a == later ? b : a; other >= 0 && other < later) out.meets += (q - p).norm();
    for (const Vec3& end : {p, q})
      for (const int t : {e.left, e.right}) {
        const Vec3 n = frame.directionInto(mesh.facetNormal(static_cast<std::size_t>(t)));
        const double step = displacement(dowels, frame.into(end).head<2>()) * n.head<2>().norm();
        if (step > out.step) out.step = step, out.at = end;
      }
  }
  return out;
}

} // namespace hemline
