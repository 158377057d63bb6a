#include "part/tessellation.h"
#include "base/units.h"
#include <BRep_Tool.hxx>
#include <Geom2d_Curve.hxx>
#include <Poly_PolygonOnTriangulation.hxx>
#include <Poly_Triangulation.hxx>
#include <TopExp_Explorer.hxx>
#include <TopLoc_Location.hxx>
#include <TopoDS.hxx>
#include <cmath>

namespace hemline {
namespace {

constexpr double kSideShare = 0.75; // of the chord for a side's sag: a facet's middle lies up to 4/3 of that off
constexpr double kShortest = 20;    // times the chord: shorter sides are not split; edges of CAD models lie off their faces by a little
constexpr std::size_t kFlipsAtOnce = 200; // curved ground could turn in circles

Vec3 vec(const gp_Pnt& p) {
  return {p.X(), p.Y(), p.Z()};
}

std::uint64_t pairKey(int a, int b) {
  return (static_cast<std::uint64_t>(std::min(a, b)) << 32) | static_cast<std::uint32_t>(std::max(a, b));
}

std::size_t sideWith(const Tessellation::Triangle& t, int a, int b) {
  for (std::size_t k = 0; k < 3; ++k)
    if ((t.point[k] == a && t.point[(k + 1) % 3] == b) || (t.point[k] == b && t.point[(k + 1) % 3] == a)) return k;
  return 3;
}

double cross(const Vec2& a, const Vec2& b, const Vec2& c) {
  const Vec2 u = b - a, v = c - a;
  return u.x() * v.y() - u.y() * v.x();
}

double distanceToLine(const Vec3& p, const Vec3& a, const Vec3& b) {
  const Vec3 d = b - a;
  const double l2 = d.squaredNorm();
  return l2 > 0 ? (p - a - d * ((p - a).dot(d) / l2)).norm() : (p - a).norm();
}

} // namespace

void Tessellation::addFace(const TopoDS_Face& face) {
  TopLoc_Location place;
  const Handle(Poly_Triangulation) facets = BRep_Tool::Triangulation(face, place);
  if (facets.IsNull()) return;
  const bool reversed = face.Orientation() == TopAbs_REVERSED;
  const int index = static_cast<int>(faces_.size());
  surface_->add(face);
  faces_.push_back({face, reversed, surface_->plane(index), facets->HasUVNodes()});
  std::vector<int> id(static_cast<std::size_t>(facets->NbNodes()) + 1);
  for (int i = 1; i <= facets->NbNodes(); ++i) {
    const Vec3 p = vec(facets->Node(i).Transformed(place.Transformation()));
    // Nodes on shared edges come once per face and agree to rounding.
    const std::array<long, 3> cell{std::lround(p.x() * 1e6), std::lround(p.y() * 1e6), std::lround(p.z() * 1e6)};
    const auto [it, fresh] = known_.try_emplace(cell, static_cast<int>(points_.size()));
    if (fresh) points_.push_back(p);
    id[static_cast<std::size_t>(i)] = it->second;
  }
  for (int t = 1; t <= facets->NbTriangles(); ++t) {
    int n[3];
    facets->Triangle(t).Get(n[0], n[1], n[2]);
    if (reversed) std::swap(n[1], n[2]);
    Triangle out{{}, {}, {-1, -1, -1}, {-1, -1, -1}, index};
    for (std::size_t k = 0; k < 3; ++k) {
      out.point[k] = id[static_cast<std::size_t>(n[k])];
      out.uv[k].setZero();
      if (facets->HasUVNodes()) out.uv[k] = Vec2(facets->UVNode(n[k]).X(), facets->UVNode(n[k]).Y());
    }
    if (out.point[0] != out.point[1] && out.point[1] != out.point[2] && out.point[2] != out.point[0]) triangles_.push_back(out);
  }
  for (TopExp_Explorer it(face, TopAbs_EDGE); it.More(); it.Next()) {
    const TopoDS_Edge& edge = TopoDS::Edge(it.Current());
    const Handle(Poly_PolygonOnTriangulation) line = BRep_Tool::PolygonOnTriangulation(edge, facets, place);
    if (BRep_Tool::Degenerated(edge)) faces_.back().poles = true;
    if (BRep_Tool::Degenerated(edge) || line.IsNull() || !line->HasParameters()) continue;
    int number = -1;
    for (int i = 1; i < line->NbNodes(); ++i) {
      const int a = id[static_cast<std::size_t>(line->Node(i))], b = id[static_cast<std::size_t>(line->Node(i + 1))];
      if (a == b) continue;
      const auto [known, fresh] = rimOf_.try_emplace(pairKey(a, b), static_cast<int>(rims_.size()));
      if (!fresh) continue;
      if (number < 0) number = static_cast<int>(edges_.size()), edges_.push_back({edge, BRepAdaptor_Curve(edge)});
      rims_.push_back({number, a, b, line->Parameter(i), line->Parameter(i + 1), {}});
    }
  }
}

void Tessellation::close() {
  std::unordered_map<std::uint64_t, std::pair<int, int>> open; // sides that wait for their neighbour
  for (int t = 0; t < static_cast<int>(triangles_.size()); ++t) {
    if (t > 0 && tri(t).face != tri(t - 1).face) open.clear();
    for (std::size_t k = 0; k < 3; ++k) {
      const std::uint64_t key = pairKey(tri(t).point[k], tri(t).point[(k + 1) % 3]);
      if (const auto rim = rimOf_.find(key); rim != rimOf_.end()) {
        tri(t).rim[k] = rim->second;
        rims_[static_cast<std::size_t>(rim->second)].owners.push_back(t);
      } else if (const auto it = open.find(key); it != open.end()) {
        tri(t).over[k] = it->second.first;
        tri(it->second.first).over[static_cast<std::size_t>(it->second.second)] = t;
        open.erase(it);
      } else {
        open[key] = {t, static_cast<int>(k)};
      }
    }
  }
  known_.clear();
  rimOf_.clear();
}

Vec3 Tessellation::normalAt(int face, const Vec2& uv) const {
  const Vec3 n = surface_->at(face, uv).normal();
  return faces_[static_cast<std::size_t>(face)].reversed ? Vec3(-n) : n;
}

/// Parameters of a side's middle. At a pole one of them means nothing: there the other end's is taken, so that triangles on
/// both sides of it, which may give the pole different ones, mean the same place.
Vec2 Tessellation::sideUv(const Triangle& t, std::size_t k) const {
  Vec2 a = t.uv[k], b = t.uv[(k + 1) % 3];
  if (faceOf(t).poles) {
    constexpr double kNothing = 1e-6; // of the other derivative
    const auto lend = [&](Vec2& pole, const Vec2& other) {
      const ExactSurface::Spot at = surface_->at(t.face, pole);
      const double du = at.du.norm(), dv = at.dv.norm();
      if (du < kNothing * dv) pole.x() = other.x();
      if (dv < kNothing * du) pole.y() = other.y();
    };
    lend(a, b);
    lend(b, a);
  }
  return (a + b) / 2;
}

/// Where side k is to be split: on the CAD edge's curve, or on the surface.
Vec3 Tessellation::middleOf(const Triangle& t, std::size_t k) const {
  if (t.rim[k] >= 0) {
    const Rim& rim = rims_[static_cast<std::size_t>(t.rim[k])];
    return vec(edges_[static_cast<std::size_t>(rim.edge)].curve.Value(0.5 * (rim.ta + rim.tb)));
  }
  if (faceOf(t).plane || !faceOf(t).hasUv) return 0.5 * (point(t.point[k]) + point(t.point[(k + 1) % 3]));
  return surface_->pointAt(t.face, sideUv(t, k));
}

double Tessellation::deviation(const Triangle& t) const {
  if (faceOf(t).plane || !faceOf(t).hasUv) return 0;
  const Vec3 &a = point(t.point[0]), n = (point(t.point[1]) - a).cross(point(t.point[2]) - a);
  const double l = n.norm();
  if (!(l > 0)) return 0;
  double most = 0;
  Vec2 middle = Vec2::Zero();
  for (std::size_t k = 0; k < 3; ++k) {
    const Vec2 uv = sideUv(t, k);
    middle += uv / 3;
    most = std::max(most, std::abs((surface_->pointAt(t.face, uv) - a).dot(n)) / l);
  }
  most = std::max(most, std::abs((surface_->pointAt(t.face, middle) - a).dot(n)) / l);
  return most;
}

/// The side to be split so that t comes within the limits; 3: none.
int Tessellation::sideToSplit(const Triangle& t, double chord, double longest) const {
  std::size_t long_ = 0, worst = 3;
  const double shortest = kShortest * chord;
  double length = 0, most = kSideShare * chord;
  for (std::size_t k = 0; k < 3; ++k) {
    const Vec3 &a = point(t.point[k]), &b = point(t.point[(k + 1) % 3]);
    const double l = (b - a).norm();
    if (l > length) length = l, long_ = k;
    if (l < shortest || (t.rim[k] < 0 && (t.over[k] < 0 || faceOf(t).plane))) continue;
    if (const double off = distanceToLine(middleOf(t, k), a, b); off > most) most = off, worst = k;
  }
  if (worst < 3) return static_cast<int>(worst);
  if (length < shortest || (t.rim[long_] < 0 && t.over[long_] < 0)) return 3;
  if (length > longest || deviation(t) > chord) return static_cast<int>(long_);
  return 3;
}

/// Follows the longest sides from triangle to triangle until one is the longest on both its sides: splitting there first
/// keeps triangles from growing thin (M. Rivara, Int. J. Numer. Meth. Engng. 40, 1997).
std::pair<int, std::size_t> Tessellation::terminalSide(int t, std::size_t k) const {
  const auto length = [&](const Triangle& x, std::size_t side) {
    return (point(x.point[side]) - point(x.point[(side + 1) % 3])).squaredNorm();
  };
  for (int hops = 0; hops < 1000; ++hops) {
    const int o = tri(t).over[k];
    if (tri(t).rim[k] >= 0 || o < 0) break;
    std::size_t longest = 0;
    for (std::size_t i = 1; i < 3; ++i)
      if (length(tri(o), i) > length(tri(o), longest)) longest = i;
    if (length(tri(o), longest) <= length(tri(t), k) * (1 + 1e-9) || (tri(o).rim[longest] < 0 && tri(o).over[longest] < 0)) break;
    t = o, k = longest;
  }
  return {t, k};
}

void Tessellation::replaceNeighbour(int t, int from, int to, int a, int b) {
  if (t < 0) return;
  const std::size_t k = sideWith(tri(t), a, b);
  if (k < 3 && tri(t).over[k] == from) tri(t).over[k] = to;
}

void Tessellation::moveRim(int rim, int from, int to) {
  if (rim < 0) return;
  for (int& owner : rims_[static_cast<std::size_t>(rim)].owners)
    if (owner == from) {
      owner = to;
      return;
    }
}

/// Parameters on t's face of the place `at` of a CAD edge. A seam has two curves on its face: the nearer one is meant.
Vec2 Tessellation::onFace(const Triangle& t, std::size_t side, const Rim& rim, double at) const {
  const Vec2 straight = (t.uv[side] + t.uv[(side + 1) % 3]) / 2;
  const Edge& edge = edges_[static_cast<std::size_t>(rim.edge)];
  Vec2 best = straight;
  double nearest = kInfinity;
  for (const TopoDS_Edge& e : {edge.edge, TopoDS::Edge(edge.edge.Reversed())}) {
    double first = 0, last = 0;
    const Handle(Geom2d_Curve) curve = BRep_Tool::CurveOnSurface(e, faceOf(t).face, first, last);
    if (curve.IsNull()) continue;
    const gp_Pnt2d there = curve->Value(at);
    const Vec2 uv(there.X(), there.Y());
    if (const double d = (uv - straight).norm(); d < nearest) nearest = d, best = uv;
  }
  return best;
}

/// Cuts triangle t in two at the new corner `mid` on a side. The half that holds the side's first corner keeps the index.
std::array<int, 2> Tessellation::splitOne(int t, std::size_t k, int mid, const Vec2& uv) {
  const int fresh = static_cast<int>(triangles_.size());
  const Triangle old = tri(t);
  const std::size_t b = (k + 1) % 3, c = (k + 2) % 3;
  Triangle first = old, second = old;
  first.point[b] = mid, first.uv[b] = uv; // a, mid, c
  first.over[b] = fresh, first.rim[b] = -1;
  second.point[k] = mid, second.uv[k] = uv; // mid, b, c
  second.over[c] = t, second.rim[c] = -1;
  triangles_.push_back(second);
  tri(t) = first;
  replaceNeighbour(old.over[b], t, fresh, old.point[b], old.point[c]);
  moveRim(old.rim[b], t, fresh);
  return {t, fresh};
}

void Tessellation::split(int t, std::size_t k, std::vector<int>& changed) {
  const int a = tri(t).point[k], b = tri(t).point[(k + 1) % 3], mid = static_cast<int>(points_.size());
  points_.push_back(middleOf(tri(t), k));
  std::vector<std::pair<int, int>> open; // sides to be looked at: triangle and its new corner
  std::array<int, 2> halves{};
  const auto note = [&] {
    for (const int h : halves) changed.push_back(h), open.push_back({h, mid});
  };
  if (tri(t).rim[k] >= 0) {
    const int rim = tri(t).rim[k], other = static_cast<int>(rims_.size());
    const Rim old = rims_[static_cast<std::size_t>(rim)];
    const double at = 0.5 * (old.ta + old.tb);
    rims_.push_back({old.edge, mid, old.b, at, old.tb, {}});
    rims_[static_cast<std::size_t>(rim)] = {old.edge, old.a, mid, old.ta, at, {}};
    for (const int owner : old.owners) {
      const std::size_t side = sideWith(tri(owner), a, b);
      if (side == 3) continue;
      const Vec2 uv = faceOf(tri(owner)).hasUv ? onFace(tri(owner), side, old, at) : Vec2(0, 0);
      halves = splitOne(owner, side, mid, uv);
      for (const int h : halves) {
        const bool atA = sideWith(tri(h), old.a, mid) < 3;
        const std::size_t on = atA ? sideWith(tri(h), old.a, mid) : sideWith(tri(h), mid, old.b);
        tri(h).rim[on] = atA ? rim : other;
        rims_[static_cast<std::size_t>(atA ? rim : other)].owners.push_back(h);
      }
      note();
    }
  } else {
    const int o = tri(t).over[k];
    const std::size_t there = sideWith(tri(o), a, b);
    const Vec2 uv = sideUv(tri(t), k), uvThere = sideUv(tri(o), there);
    const std::array<int, 2> mine = splitOne(t, k, mid, uv);
    halves = splitOne(o, there, mid, uvThere);
    for (const int m : mine)
      for (const int h : halves)
        for (const int end : {a, b})
          if (const std::size_t i = sideWith(tri(m), mid, end), j = sideWith(tri(h), mid, end); i < 3 && j < 3)
            tri(m).over[i] = h, tri(h).over[j] = m;
    note();
    halves = mine;
    note();
  }
  settle(open, changed);
}

bool Tessellation::shouldFlip(int t, std::size_t k) const {
  const Triangle& x = tri(t);
  if (x.rim[k] >= 0 || x.over[k] < 0) return false;
  const Triangle& y = tri(x.over[k]);
  const int a = x.point[k], b = x.point[(k + 1) % 3];
  const std::size_t m = sideWith(y, a, b);
  if (m == 3 || y.point[m] != b) return false;
  const std::size_t kb = (k + 1) % 3, kc = (k + 2) % 3, mb = m, ma = (m + 1) % 3, md = (m + 2) % 3;
  const int c = x.point[kc], d = y.point[md];
  if (c == d) return false;
  const Vec3 &A = point(a), &B = point(b), &C = point(c), &D = point(d);
  // Angles opposite to the side: more than a half turn together is not Delaunay's.
  const Vec3 ca = A - C, cb = B - C, da = A - D, db = B - D;
  const double turn = std::atan2(ca.cross(cb).norm(), ca.dot(cb)) + std::atan2(da.cross(db).norm(), da.dot(db));
  if (turn < kPi + 1e-6) return false;
  const Vec3 before = (B - A).cross(C - A) + (A - B).cross(D - B);
  const Vec3 n1 = (A - C).cross(D - C), n2 = (D - C).cross(B - C);
  if (!(n1.dot(before) > 0 && n2.dot(before) > 0)) return false;
  if (!faceOf(x).hasUv) return true;
  // The same in the surface's parameters; at a pole the two triangles give a corner different ones.
  if ((x.uv[k] - y.uv[ma]).norm() > 1e-9 || (x.uv[kb] - y.uv[mb]).norm() > 1e-9) return false;
  const double sense = cross(x.uv[k], x.uv[kb], x.uv[kc]);
  return sense * cross(x.uv[kc], x.uv[k], y.uv[md]) > 0 && sense * cross(x.uv[kc], y.uv[md], x.uv[kb]) > 0;
}

void Tessellation::flip(int t, std::size_t k) {
  const int o = tri(t).over[k];
  const Triangle x = tri(t), y = tri(o);
  const std::size_t kb = (k + 1) % 3, kc = (k + 2) % 3, m = sideWith(y, x.point[k], x.point[kb]), mb = m, ma = (m + 1) % 3,
                    md = (m + 2) % 3;
  // x = a b c; y = b a d, its sides: b-a, a-d, d-b. They become c a d and d b c.
  tri(t) = {{x.point[kc], x.point[k], y.point[md]},
            {x.uv[kc], x.uv[k], y.uv[md]},
            {x.over[kc], y.over[ma], o},
            {x.rim[kc], y.rim[ma], -1},
            x.face};
  tri(o) = {{y.point[md], y.point[mb], x.point[kc]},
            {y.uv[md], y.uv[mb], x.uv[kc]},
            {y.over[md], x.over[kb], t},
            {y.rim[md], x.rim[kb], -1},
            x.face};
  replaceNeighbour(y.over[ma], o, t, y.point[ma], y.point[md]);
  replaceNeighbour(x.over[kb], t, o, x.point[kb], x.point[kc]);
  moveRim(y.rim[ma], o, t);
  moveRim(x.rim[kb], t, o);
}

/// Lawson's flips: sides opposite to the new corner are turned towards it where Delaunay's rule asks for it.
void Tessellation::settle(std::vector<std::pair<int, int>>& open, std::vector<int>& changed) {
  for (std::size_t i = 0; i < open.size() && i < kFlipsAtOnce; ++i) {
    const auto [t, corner] = open[i];
    std::size_t at = 0;
    while (at < 3 && tri(t).point[at] != corner) ++at;
    if (at == 3) continue;
    const std::size_t k = (at + 1) % 3;
    if (!shouldFlip(t, k)) continue;
    const int o = tri(t).over[k];
    flip(t, k);
    changed.push_back(o);
    open.push_back({t, corner});
    open.push_back({o, corner});
  }
}

void Tessellation::refine(double chord, double longest, std::size_t most, const std::function<void(double)>& report) {
  std::vector<int> now(triangles_.size()), next;
  for (std::size_t i = 0; i < now.size(); ++i) now[i] = static_cast<int>(i);
  // The first tessellation may be far from Delaunay's.
  for (int round = 0; round < 4; ++round)
    for (std::size_t t = 0; t < triangles_.size(); ++t)
      for (std::size_t k = 0; k < 3; ++k)
        if (shouldFlip(static_cast<int>(t), k)) flip(static_cast<int>(t), k);
  for (int round = 0; !now.empty() && round < 200; ++round) {
    report(round / 200.0);
    for (std::size_t i = 0; i < now.size(); ++i) {
      const int t = now[i];
      if (triangles_.size() > most) return;
      if (i % 256 == 0) report(round / 200.0); // it may cancel
      const int k = sideToSplit(tri(t), chord, longest);
      if (k == 3) continue;
      const auto [at, side] = terminalSide(t, static_cast<std::size_t>(k));
      split(at, side, next);
      next.push_back(t);
    }
    std::sort(next.begin(), next.end());
    next.erase(std::unique(next.begin(), next.end()), next.end());
    now.swap(next);
    next.clear();
  }
}

} // namespace hemline
