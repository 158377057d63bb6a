#include "proof/surface_pieces.h"
#include <cmath>

namespace hemline {

SurfacePieces::SurfacePieces(const Part& part, double below) : part_(part), below_(below) {
  if (part.report.closed) return;
  std::vector<Box> boxes;
  for (const MeshEdge& e : meshEdges(part.mesh))
    if (e.right < 0) {
      border_.push_back({part.mesh.points[static_cast<std::size_t>(e.a)], part.mesh.points[static_cast<std::size_t>(e.b)]});
      boxes.emplace_back();
      boxes.back().add(border_.back()[0]);
      boxes.back().add(border_.back()[1]);
    }
  borderTree_ = BoxTree(boxes);
}

SurfacePiece SurfacePieces::pieceOf(std::size_t t, const Vec3& n) const {
  const Mesh& mesh = part_.mesh;
  SurfacePiece out{{mesh.corner(t, 0), mesh.corner(t, 1), mesh.corner(t, 2)}, {}, -1};
  if (!knowsSurface(part_, t) || part_.surface->plane(mesh.patch[t])) return out;
  out.face = mesh.patch[t];
  for (std::size_t k = 0; k < 3; ++k) out.uv[k] = part_.uv[3 * t + k];
  findBulge(out, n);
  return out;
}
void SurfacePieces::findBulge(SurfacePiece& piece, const Vec3& n) const {
  if (piece.face < 0) return;
  constexpr double kMore = 4.0 / 3;
  const Vec3 flat = (piece.p[1] - piece.p[0]).cross(piece.p[2] - piece.p[0]);
  const double along = flat.dot(n);
  piece.below = piece.above = 0;
  if (!(std::abs(along) > 0)) return;
  const auto& uv = piece.uv;
  for (const Vec2& at :
       {Vec2((uv[0] + uv[1]) / 2), Vec2((uv[1] + uv[2]) / 2), Vec2((uv[2] + uv[0]) / 2), Vec2((uv[0] + uv[1] + uv[2]) / 3)}) {
    const double off = (part_.surface->pointAt(piece.face, at) - piece.p[0]).dot(flat) / along;
    piece.above = std::max(piece.above, kMore * off);
    piece.below = std::max(piece.below, -kMore * off);
  }
}
std::array<SurfacePiece, 2> SurfacePieces::halve(const SurfacePiece& whole, std::size_t k, double x) const {
  const std::size_t l = (k + 1) % 3;
  std::array<SurfacePiece, 2> out{whole, whole};
  const Vec2 uv = whole.uv[k] + x * (whole.uv[l] - whole.uv[k]);
  const Vec3 m = whole.face < 0 ? Vec3(whole.p[k] + x * (whole.p[l] - whole.p[k])) : part_.surface->pointAt(whole.face, uv);
  out[0].p[l] = out[1].p[k] = m;
  out[0].uv[l] = out[1].uv[k] = uv;
  return out;
}

double OpenPiece::longest() const {
  const auto& p = piece.p;
  if (slim) return std::max((p[0] - d).norm(), (p[1] - p[2]).norm());
  return std::sqrt(std::max({(p[1] - p[0]).squaredNorm(), (p[2] - p[1]).squaredNorm(), (p[0] - p[2]).squaredNorm()}));
}

void OpenPiece::size(const Vec3& n, Vec3& mid, double& radius, double& rise) const {
  mid = slim ? Vec3(0.25 * (piece.p[0] + piece.p[1] + piece.p[2] + d)) : piece.center();
  double far = slim ? (d - mid).squaredNorm() : 0, high = slim ? std::abs((d - mid).dot(n)) : 0;
  for (const Vec3& p : piece.p) far = std::max(far, (p - mid).squaredNorm()), high = std::max(high, std::abs((p - mid).dot(n)));
  radius = std::sqrt(far) * (piece.face < 0 ? 1 : 1.05), rise = high + piece.below + piece.above;
}

std::vector<OpenPiece> SurfacePieces::divide(const OpenPiece& whole, double limit) const {
  std::vector<OpenPiece> open;
  constexpr double kSlim = 3;
  const double longest = whole.longest();
  const SurfacePiece& t = whole.piece;
  if (whole.slim) {
    const bool tip = t.p[0] == t.p[1];
    if (longest <= limit || longest < kSlim * whole.width()) {
      OpenPiece one{t};
      if (!tip) open.push_back(one);
      one.piece.p = {t.p[0], t.p[2], whole.d}, one.piece.uv = {t.uv[0], t.uv[2], whole.dUv};
      open.push_back(one);
      return open;
    }
    const Vec2 ad = 0.5 * (t.uv[0] + whole.dUv), bc = 0.5 * (t.uv[1] + t.uv[2]);
    const Vec3 e = onPiece(t, 0.5 * (t.p[0] + whole.d), ad), f = onPiece(t, 0.5 * (t.p[1] + t.p[2]), bc);
    OpenPiece half = whole;
    half.piece.p[2] = f, half.d = e, half.piece.uv[2] = bc, half.dUv = ad;
    open.push_back(half);
    half = whole;
    half.piece.p[0] = e, half.piece.p[1] = f, half.piece.uv[0] = ad, half.piece.uv[1] = bc;
    open.push_back(half);
    return open;
  }
  if (longest <= limit) return open;
  std::size_t edge = 0, shortest = 0;
  std::array<double, 3> side;
  for (std::size_t k = 0; k < 3; ++k) {
    side[k] = (t.p[(k + 1) % 3] - t.p[k]).norm();
    if (side[k] > side[edge]) edge = k;
    if (side[k] < side[shortest]) shortest = k;
  }
  if (side[3 - edge - shortest] > kSlim * side[shortest] && edge != shortest) {
    const std::size_t b = shortest, c = (b + 1) % 3, tip = (b + 2) % 3;
    OpenPiece slim{t, true, t.p[b], t.uv[b]};
    slim.piece.p = {t.p[tip], t.p[tip], t.p[c]}, slim.piece.uv = {t.uv[tip], t.uv[tip], t.uv[c]};
    open.push_back(slim);
    return open;
  }
  for (const SurfacePiece& half : halve(t, edge, 0.5)) open.push_back({half});
  return open;
}

Vec3 SurfacePieces::onPiece(const SurfacePiece& whole, const Vec3& onChord, const Vec2& uv) const {
  return whole.face < 0 ? onChord : part_.surface->pointAt(whole.face, uv);
}

double SurfacePieces::insideAt(const Vec3& p, const Vec3& n) const {
  constexpr double kSkin = 1e-9; // mm: the facet itself is not the opposite wall
  constexpr double kAbove = 2;   // facet errors: so far a place of an exact face may lie above its facets, which are entered there
  double skin = kSkin;
  RayHit hit = castRay(*part_.tree, p - skin * n, -n, 2 * kDeep);
  if (hit.hit && hit.distance <= kAbove * part_.facetError && part_.mesh.facetNormal(static_cast<std::size_t>(hit.triangle)).dot(n) > 0) {
    skin += hit.distance + kSkin;
    hit = castRay(*part_.tree, p - skin * n, -n, 2 * kDeep);
  }
  double inside = hit.hit ? std::min(2 * kDeep, hit.distance + skin) : 2 * kDeep;
  // Beyond the border of an open sheet there is no inside.
  const double atLeast = std::min(inside, 4 * below_);
  return std::max(toBorder(p, inside), atLeast);
}
double SurfacePieces::toBorder(const Vec3& p, double most) const {
  borderTree_.minimise([&](const Vec3& c, const Vec3& h) { return ((p - c).cwiseAbs() - h).cwiseMax(0.0).norm(); },
                       [&](int i) {
                         Vec3 on, off;
                         const auto& e = border_[static_cast<std::size_t>(i)];
                         most = std::min(most, distanceSegments(p, p, e[0], e[1], on, off));
                       },
                       most);
  return most;
}

double SurfacePieces::depthOf(const std::array<Vec3, 3>& t, const Vec3& mid, const Vec3& n) const {
  constexpr double kIn = 1e-4;
  const double middle = insideAt(mid, n);
  double least = middle;
  for (const Vec3& p : t) {
    const double in = insideAt(p + kIn * (mid - p), n);
    least = std::min(least, in - std::max(0.0, middle - in) * kIn / (1 - kIn));
  }
  return 0.5 * std::max(0.0, least);
}

} // namespace hemline
