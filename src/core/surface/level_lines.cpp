#include "surface/level_lines.h"
#include "base/threads.h"

namespace hemline {
namespace {

constexpr std::size_t kBlock = 64; // elements
constexpr int kMostFacets = 4000;  // of a way across

Vec2 corner(std::size_t k) {
  return {k == 1 ? 1.0 : 0.0, k == 2 ? 1.0 : 0.0};
}

} // namespace

LevelLines::LevelLines(const ContactMesh& mesh, const SurfaceField& field, const std::vector<char>& region)
    : mesh_(&mesh), field_(&field), region_(&region) {
  assert(region.size() == mesh.part().mesh.triangles.size());
  for (const ContactMesh::Vertex& v : mesh.vertices()) {
    const Vec2 uv = corner(static_cast<std::size_t>(v.corner % 3));
    value_.push_back(field.value({v.corner / 3, uv.x(), uv.y()}, {mesh.part().mesh.points[static_cast<std::size_t>(v.point)], v.normal}));
  }
  const auto& elements = mesh.elements();
  std::vector<double> low(elements.size()), high(elements.size());
  lowest_ = kInfinity, highest_ = -kInfinity;
  for (std::size_t e = 0; e < elements.size(); ++e) {
    if (!inRegion(static_cast<int>(e))) continue;
    byLow_.push_back(static_cast<int>(e));
    low[e] = kInfinity, high[e] = -kInfinity;
    for (const int v : elements[e].v) {
      low[e] = std::min(low[e], value_[static_cast<std::size_t>(v)]);
      high[e] = std::max(high[e], value_[static_cast<std::size_t>(v)]);
    }
    lowest_ = std::min(lowest_, low[e]), highest_ = std::max(highest_, high[e]);
  }
  std::stable_sort(byLow_.begin(), byLow_.end(),
                   [&](int a, int b) { return low[static_cast<std::size_t>(a)] < low[static_cast<std::size_t>(b)]; });
  most_.assign((byLow_.size() + kBlock - 1) / kBlock, -kInfinity);
  for (std::size_t i = 0; i < byLow_.size(); ++i) {
    low_.push_back(low[static_cast<std::size_t>(byLow_[i])]);
    most_[i / kBlock] = std::max(most_[i / kBlock], high[static_cast<std::size_t>(byLow_[i])]);
  }
}

bool LevelLines::inRegion(int element) const {
  const ContactMesh::Element& e = mesh_->elements()[static_cast<std::size_t>(element)];
  return (*region_)[static_cast<std::size_t>(e.facet)] && (e.other < 0 || (*region_)[static_cast<std::size_t>(e.other)]);
}

double LevelLines::valueOn(int element, const Vec2& uv) const {
  const auto& v = mesh_->elements()[static_cast<std::size_t>(element)].v;
  return (1 - uv.x() - uv.y()) * value_[static_cast<std::size_t>(v[0])] + uv.x() * value_[static_cast<std::size_t>(v[1])] +
         uv.y() * value_[static_cast<std::size_t>(v[2])];
}

/// The edge through which the line leaves the element (or came).
int LevelLines::edgeOf(int element, double level, bool back) const {
  const auto& v = mesh_->elements()[static_cast<std::size_t>(element)].v;
  for (int k = 0; k < 3; ++k) {
    const bool a = value_[static_cast<std::size_t>(v[static_cast<std::size_t>(k)])] >= level,
               b = value_[static_cast<std::size_t>(v[static_cast<std::size_t>((k + 1) % 3)])] >= level;
    if (a != b && a == back) return k; // it comes in over the edge that falls and leaves over the one that rises
  }
  return -1;
}

LinePiece LevelLines::crossing(int element, double level) const {
  LinePiece piece;
  const auto& v = mesh_->elements()[static_cast<std::size_t>(element)].v;
  for (const bool back : {true, false}) {
    const int k = edgeOf(element, level, back);
    if (k < 0) return {};
    const auto i = static_cast<std::size_t>(k), j = (i + 1) % 3;
    // From the same end whichever element asks, so that both have the same place.
    const bool swap = v[i] > v[j];
    const std::size_t a = swap ? j : i, b = swap ? i : j;
    const double va = value_[static_cast<std::size_t>(v[a])], vb = value_[static_cast<std::size_t>(v[b])];
    const double x = std::clamp((level - va) / (vb - va), 0.0, 1.0);
    (back ? piece.in : piece.out) = corner(a) + x * (corner(b) - corner(a));
  }
  piece.element = element;
  return piece;
}

LinePiece LevelLines::next(const LinePiece& piece, double level, bool back) const {
  const int k = edgeOf(piece.element, level, back);
  const int o = k < 0 ? -1 : mesh_->over()[static_cast<std::size_t>(piece.element)][static_cast<std::size_t>(k)];
  if (o < 0) return {};
  const int through = edgeOf(o, level, !back);
  // Elements that do not face the same way (where more than two facets meet at an edge) do not continue the line.
  if (through < 0 || mesh_->over()[static_cast<std::size_t>(o)][static_cast<std::size_t>(through)] != piece.element) return {};
  return crossing(o, level);
}

std::vector<LevelLine> LevelLines::at(double level) const {
  std::vector<int> crossed;
  const auto end = static_cast<std::size_t>(std::upper_bound(low_.begin(), low_.end(), level) - low_.begin());
  for (std::size_t block = 0; block * kBlock < end; ++block) {
    if (most_[block] < level) continue;
    for (std::size_t i = block * kBlock; i < std::min(end, (block + 1) * kBlock); ++i)
      if (edgeOf(byLow_[i], level, false) >= 0) crossed.push_back(byLow_[i]);
  }
  std::sort(crossed.begin(), crossed.end());
  std::vector<LinePiece> pieces(crossed.size());
  std::vector<int> following(crossed.size(), -1); // index among the crossed ones
  parallelChunks(crossed.size(), 256, [&](std::size_t first, std::size_t last) {
    for (std::size_t i = first; i < last; ++i) {
      pieces[i] = crossing(crossed[i], level);
      const int there = next(pieces[i], level, false).element;
      const auto at = std::lower_bound(crossed.begin(), crossed.end(), there);
      if (there >= 0 && at != crossed.end() && *at == there) following[i] = static_cast<int>(at - crossed.begin());
    }
  });
  std::vector<char> preceded(crossed.size(), 0), done(crossed.size(), 0);
  for (const int f : following)
    if (f >= 0) preceded[static_cast<std::size_t>(f)] = 1;
  std::vector<LevelLine> out;
  const auto follow = [&](std::size_t from, bool closed) {
    LevelLine line;
    line.closed = closed;
    for (int i = static_cast<int>(from); i >= 0 && !done[static_cast<std::size_t>(i)]; i = following[static_cast<std::size_t>(i)]) {
      done[static_cast<std::size_t>(i)] = 1;
      line.pieces.push_back(pieces[static_cast<std::size_t>(i)]);
    }
    out.push_back(std::move(line));
  };
  for (std::size_t i = 0; i < crossed.size(); ++i)
    if (!preceded[i]) follow(i, false);
  for (std::size_t i = 0; i < crossed.size(); ++i)
    if (!done[i]) follow(i, true);
  return out;
}

WayAcross::WayAcross(const LevelLines& lines, const SurfacePoint& from, const Vec3& along, bool left, double level, double longest,
                     bool followBorder)
    : lines_(&lines), left_(left), level_(level) {
  assert(isUnit(along));
  int facet = -1, edge = -1;
  acrossPlane(from, along, longest, facet, edge);
  if (followBorder && facet >= 0) alongBorder(facet, edge, longest);
}

/// How far the field is past the level; negative before it.
double WayAcross::ahead(const SurfacePoint& p) const {
  const double v = lines_->valueOn(p.facet, {p.u, p.v});
  return left_ ? v - level_ : level_ - v;
}

/// Straight on within a facet, to the level at most.
void WayAcross::add(const SurfacePoint& from, SurfacePoint to) {
  const double here = ahead(from), there = ahead(to);
  arrived_ = there >= 0;
  if (arrived_) {
    const double x = there > here ? std::clamp(here / (here - there), 0.0, 1.0) : 1.0;
    to.u = from.u + x * (to.u - from.u), to.v = from.v + x * (to.v - from.v);
  }
  const Mesh& mesh = lines_->mesh().part().mesh;
  pieces_.push_back({from.facet, Vec2(from.u, from.v), Vec2(to.u, to.v)});
  until_.push_back(length() + (pointOn(mesh, to) - pointOn(mesh, from)).norm());
}

/// Where it ends at the border: at which edge of which facet.
void WayAcross::acrossPlane(SurfacePoint at, const Vec3& along, double longest, int& borderFacet, int& borderEdge) {
  const Mesh& mesh = lines_->mesh().part().mesh;
  const auto& over = lines_->mesh().beside();
  const Vec3 start = pointOn(mesh, at);
  int cameOver = -1; // edge of the facet
  for (int i = 0; i < kMostFacets && length() < longest; ++i) {
    const auto t = static_cast<std::size_t>(at.facet);
    const Vec3 d = (left_ ? 1.0 : -1.0) * mesh.facetNormal(t).cross(along);
    if (!(d.norm() > 1e-9) || !inside(at.facet)) return;
    arrived_ = ahead(at) >= 0; // it may have been passed over a sharp edge
    if (arrived_) return;
    // How the three weights of the corners change along d, and which is used up first.
    const SurfacePoint a = pointOver(mesh, at.facet, mesh.corner(t, 0)), b = pointOver(mesh, at.facet, mesh.corner(t, 0) + d);
    const double du = b.u - a.u, dv = b.v - a.v;
    const std::array<double, 3> weight{1 - at.u - at.v, at.u, at.v}, change{-du - dv, du, dv};
    double way = kInfinity;
    int edge = -1; // across from the corner whose weight is used up: edge k + 1 of corner k
    for (std::size_t k = 0; k < 3; ++k) {
      const int e = static_cast<int>((k + 1) % 3);
      if (e == cameOver || !(change[k] < 0)) continue;
      if (const double w = std::max(0.0, weight[k]) / -change[k]; w < way) way = w, edge = e;
    }
    if (edge < 0) return;
    const SurfacePoint to{at.facet, at.u + way * du, at.v + way * dv};
    add(at, to);
    if (arrived_) return;
    const int o = over[t][static_cast<std::size_t>(edge)];
    if (!inside(o)) {
      borderFacet = at.facet, borderEdge = edge;
      return;
    }
    // Drift across the plane is taken back, so that a long way stays in it.
    Vec3 p = pointOn(mesh, to);
    const Vec3& e0 = mesh.corner(t, static_cast<std::size_t>(edge));
    const Vec3 side = mesh.corner(t, (static_cast<std::size_t>(edge) + 1) % 3) - e0;
    if (const double s = side.dot(along); std::abs(s) > 1e-9) p = e0 + std::clamp((start - e0).dot(along) / s, 0.0, 1.0) * side;
    at = pointOver(mesh, o, p);
    cameOver = -1;
    for (std::size_t k = 0; k < 3; ++k)
      if (over[static_cast<std::size_t>(o)][k] == static_cast<int>(t)) cameOver = static_cast<int>(k);
  }
}

/// From the end of the last piece, on an edge of the border, on from edge to edge.
void WayAcross::alongBorder(int facet, int edge, double longest) {
  const auto& over = lines_->mesh().beside();
  SurfacePoint at{facet, pieces_.back().out.x(), pieces_.back().out.y()};
  const auto end = [](int f, int k) {
    const Vec2 uv = corner(static_cast<std::size_t>(k % 3));
    return SurfacePoint{f, uv.x(), uv.y()};
  };
  const bool forward = ahead(end(facet, edge + 1)) > ahead(end(facet, edge)); // to the end of the edge, or back to its start
  for (int i = 0; i < kMostFacets && length() < longest; ++i) {
    const SurfacePoint to = end(facet, forward ? edge + 1 : edge);
    if (!(ahead(to) > ahead(at))) return;
    add(at, to);
    if (arrived_) return;
    // About the point to the next edge of the border.
    int next = forward ? (edge + 1) % 3 : (edge + 2) % 3;
    for (int turns = 0; turns < kMostFacets; ++turns) {
      const int o = over[static_cast<std::size_t>(facet)][static_cast<std::size_t>(next)];
      if (!inside(o)) break;
      int back = 0; // the same edge, from the other side
      while (back < 3 && over[static_cast<std::size_t>(o)][static_cast<std::size_t>(back)] != facet) ++back;
      if (back == 3) return;
      facet = o, next = forward ? (back + 1) % 3 : (back + 2) % 3;
    }
    edge = next;
    at = end(facet, forward ? edge : edge + 1);
  }
}

SurfacePoint WayAcross::at(double x) const {
  const double l = x * length();
  const auto i = static_cast<std::size_t>(
      std::min<std::ptrdiff_t>(std::lower_bound(until_.begin(), until_.end(), l) - until_.begin(), std::ssize(until_) - 1));
  const double from = i > 0 ? until_[i - 1] : 0, part = until_[i] - from;
  const Vec2 uv = pieces_[i].in + (part > 0 ? std::clamp((l - from) / part, 0.0, 1.0) : 0.0) * (pieces_[i].out - pieces_[i].in);
  return {pieces_[i].element, uv.x(), uv.y()};
}

} // namespace hemline
