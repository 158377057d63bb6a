#include "finishing/contact_curve.h"
#include "base/threads.h"
#include "geometry/tree.h"
#include <map>

namespace hemline {
namespace {

constexpr double kOnLevel = 1e-7;     // mm of the field
constexpr double kNearlyLevel = 1e-3; // per mm: where the field changes by less, places on the exact surface are not moved to the level
constexpr double kSharpTurn = 0.996;  // cosine (5 degrees) of the turn over a sharp edge
constexpr double kEdgePlace = 1e-6;   // mm, to which it is found
constexpr double kSmallMiss = 0.05;   // mm
constexpr int kMostBeyond = 4000;     // elements

Contact contactOn(const LevelLines& lines, int element, Vec2 uv, double level) {
  const ContactMesh& contacts = lines.mesh();
  const Mesh& mesh = contacts.part().mesh;
  const int facet = contacts.elements()[static_cast<std::size_t>(element)].facet;
  const auto t = static_cast<std::size_t>(facet);
  Place place = contacts.placeAt(element, uv.x(), uv.y());
  if (contacts.isFacet(element) && knowsSurface(contacts.part(), t)) {
    // From the facet's slope of the field to the level on the exact surface (Newton).
    const Vec3 e1 = mesh.corner(t, 1) - mesh.corner(t, 0), e2 = mesh.corner(t, 2) - mesh.corner(t, 0);
    const double low = lines.valueOn(element, {0, 0}), d1 = lines.valueOn(element, {1, 0}) - low, d2 = lines.valueOn(element, {0, 1}) - low;
    const double a = e1.dot(e1), b = e1.dot(e2), c = e2.dot(e2), det = a * c - b * b;
    const Vec2 slope = det > 0 ? Vec2((c * d1 - b * d2) / det, (a * d2 - b * d1) / det) : Vec2(0, 0); // barycentric, of the steepest way
    const double steep = slope.x() * d1 + slope.y() * d2;                                             // squared, per mm
    for (int i = 0; i < 3 && steep > kNearlyLevel * kNearlyLevel; ++i) {
      const double miss = level - lines.field().value({facet, uv.x(), uv.y()}, place);
      const Vec2 move = miss / steep * slope;
      if (std::abs(miss) < kOnLevel || move.cwiseAbs().maxCoeff() > 1) break;
      uv += move;
      place = contacts.placeAt(element, uv.x(), uv.y());
    }
  }
  Contact out;
  out.at = {facet, uv.x(), uv.y()}, out.point = place.point, out.normal = place.normal;
  out.edge = !contacts.isFacet(element), out.ground = lines.inRegion(element);
  // What is still missing to the level (facets with smooth normals are no planes to the field) is taken from the place itself, so that
  // passes are as straight as their field.
  const Vec3 g = lines.field().gradient(out.at);
  if (const double miss = level - lines.field().value(out.at, place); std::abs(miss) < kSmallMiss * g.norm())
    out.point += miss / g.squaredNorm() * g, out.off = std::abs(miss) / g.norm();
  const Vec3 along = g.cross(place.normal);
  out.along = along.norm() > 1e-9 ? Vec3(along.normalized()) : place.normal.unitOrthogonal();
  return out;
}

/// The way as it runs across a normal, unit.
Vec3 alongAcross(const Vec3& way, const Vec3& normal) {
  const Vec3 along = way - way.dot(normal) * normal;
  return along.norm() > 1e-9 ? Vec3(along.normalized()) : normal.unitOrthogonal();
}

/// The place of the surface nearest to p, on a curve that runs along `way`.
Contact contactBeside(const LevelLines& lines, const Vec3& p, const Vec3& way) {
  const Part& part = lines.mesh().part();
  const Nearest nearest = closestPoint(*part.tree, p);
  SurfacePoint on = pointOver(part.mesh, nearest.triangle, nearest.point);
  on.u = std::clamp(on.u, 0.0, 1.0), on.v = std::clamp(on.v, 0.0, 1.0 - on.u);
  const Place place = lines.mesh().placeAt(nearest.triangle, on.u, on.v);
  Contact out;
  out.at = on, out.point = place.point, out.normal = place.normal;
  out.ground = lines.inRegion(nearest.triangle);
  out.along = alongAcross(way, place.normal);
  return out;
}

} // namespace

Contact ContactCurve::at(double s) const {
  if (!line_.empty()) {
    const auto behind = std::lower_bound(until_.begin(), until_.end(), s) - until_.begin();
    const auto i = std::min(static_cast<std::size_t>(behind), until_.size() - 1);
    const double from = i > 0 ? until_[i - 1] : 0, length = until_[i] - from;
    const double x = length > 0 ? std::clamp((s - from) / length, 0.0, 1.0) : 0;
    const Contact &a = line_[i], &b = line_[i + 1];
    if (b.edge) { // from one side's normal to the other's
      Contact c = x < 0.5 ? a : b;
      c.normal = slerp(a.normal, b.normal, x), c.edge = true;
      c.along = alongAcross(c.along, c.normal);
      return c;
    }
    return contactBeside(*lines_, a.point + x * (b.point - a.point), b.point - a.point);
  }
  assert(!pieces_.empty());
  const auto beyond = [](const Tail& tail, double gone) {
    Contact c = tail.from;
    c.point += gone * tail.way, c.ground = false;
    return c;
  };
  if (s < start_.length) return beyond(start_, start_.length - s);
  if (s > until_.back()) return beyond(end_, std::min(end_.length, s - until_.back()));
  const auto i = static_cast<std::size_t>(std::lower_bound(until_.begin(), until_.end(), s) - until_.begin());
  const double from = i > 0 ? until_[i - 1] : start_.length, length = until_[i] - from;
  const double x = length > 0 ? std::clamp((s - from) / length, 0.0, 1.0) : 0.0;
  const Vec2 uv = pieces_[i].in + x * (pieces_[i].out - pieces_[i].in);
  return contactOn(*lines_, pieces_[i].element, uv, level_ ? *level_ : lines_->valueOn(pieces_[i].element, uv));
}

ContactCurve ContactCurves::along(const std::vector<Vec3>& line, double every) const {
  assert(line.size() >= 2 && every > 0);
  ContactCurve out;
  out.lines_ = lines_;
  double sum = 0;
  const auto add = [&](const Contact& c, double length) {
    if (!out.line_.empty()) out.until_.push_back(sum += length);
    out.line_.push_back(c);
  };
  for (std::size_t i = 0; i + 1 < line.size(); ++i) {
    const Vec3 way = line[i + 1] - line[i];
    const auto at = [&](double x) { return contactBeside(*lines_, line[i] + x * way, way); };
    const int n = std::max(1, static_cast<int>(std::ceil(way.norm() / every)));
    if (i == 0) add(at(0), 0);
    for (int k = 1; k <= n; ++k) {
      double from = double(k - 1) / n, to = double(k) / n;
      Contact a = at(from), b = at(to);
      if (a.normal.dot(b.normal) < kSharpTurn) {
        while ((to - from) * way.norm() > kEdgePlace) {
          const double middle = 0.5 * (from + to);
          const Contact c = at(middle);
          if (c.normal.dot(a.normal) > c.normal.dot(b.normal))
            from = middle, a = c;
          else
            to = middle, b = c;
        }
        if (a.normal.dot(b.normal) < kSharpTurn) { // an edge, and not a tight bend
          add(a, (a.point - out.line_.back().point).norm());
          b.edge = true;
          add(b, roll_ * angleBetween(a.normal, b.normal));
        }
      }
      const Contact end = at(double(k) / n);
      add(end, (end.point - out.line_.back().point).norm());
    }
  }
  return out;
}

double ContactCurves::lengthOf(const LinePiece& p) const {
  const ContactMesh& contacts = lines_->mesh();
  if (contacts.isFacet(p.element)) {
    const Mesh& mesh = contacts.part().mesh;
    return (pointOn(mesh, {p.element, p.out.x(), p.out.y()}) - pointOn(mesh, {p.element, p.in.x(), p.in.y()})).norm();
  }
  const Place a = contacts.placeAt(p.element, p.in.x(), p.in.y()), b = contacts.placeAt(p.element, p.out.x(), p.out.y());
  return (b.point - a.point).norm() + roll_ * angleBetween(a.normal, b.normal);
}

/// Where the line goes on from a piece that ends the region, for the overrun at most. `met`: the element of the region that it comes
/// to.
ContactCurves::Pieces ContactCurves::beyond(const LinePiece& end, double level, bool back, int& met) const {
  met = -1;
  Pieces out;
  const auto normalAt = [&](const LinePiece& p) {
    const Vec2& uv = back ? p.in : p.out;
    return lines_->mesh().placeAt(p.element, uv.x(), uv.y()).normal;
  };
  const Vec3 normal = normalAt(end);
  double gone = 0;
  LinePiece at = end;
  for (int i = 0; i < kMostBeyond && gone < overrun_; ++i) {
    at = lines_->next(at, level, back);
    if (at.element < 0 || normalAt(at).dot(normal) < kSwing) break;
    if (!rollOver_ && !lines_->mesh().isFacet(at.element)) break;
    if (lines_->inRegion(at.element)) {
      met = at.element;
      break;
    }
    out.push_back(at);
    gone += lengthOf(at);
  }
  return out;
}

std::vector<ContactCurve> ContactCurves::at(double level) const {
  const std::vector<LevelLine> lines = lines_->at(level);
  std::map<int, std::size_t> startsWith;
  for (std::size_t i = 0; i < lines.size(); ++i)
    if (!lines[i].closed) startsWith[lines[i].pieces.front().element] = i;
  // Lines that go on in another one after a short way beyond the border.
  std::vector<Pieces> after(lines.size());
  std::vector<int> next(lines.size(), -1);
  std::vector<char> preceded(lines.size(), 0), done(lines.size(), 0);
  for (std::size_t i = 0; i < lines.size(); ++i) {
    if (lines[i].closed) continue;
    int met = -1;
    after[i] = beyond(lines[i].pieces.back(), level, false, met);
    const auto other = startsWith.find(met);
    if (other != startsWith.end() && !preceded[other->second]) next[i] = static_cast<int>(other->second), preceded[other->second] = 1;
  }
  std::vector<ContactCurve> out;
  const auto gather = [&](std::size_t from) {
    Pieces all;
    std::size_t last = from;
    for (int i = static_cast<int>(from); i >= 0 && !done[static_cast<std::size_t>(i)]; i = next[static_cast<std::size_t>(i)]) {
      last = static_cast<std::size_t>(i);
      done[last] = 1;
      all.insert(all.end(), lines[last].pieces.begin(), lines[last].pieces.end());
      if (next[last] >= 0) all.insert(all.end(), after[last].begin(), after[last].end());
    }
    const bool open = !lines[from].closed && next[last] < 0;
    out.push_back(curve(all, level, {open, open}));
  };
  for (std::size_t i = 0; i < lines.size(); ++i)
    if (!preceded[i]) gather(i);
  for (std::size_t i = 0; i < lines.size(); ++i)
    if (!done[i]) gather(i);
  return out;
}

std::vector<ContactCurve> ContactCurves::spirals(const SpiralAsk& ask) const {
  std::vector<ContactCurve> out;
  for (const SpiralLine& line : spiralLines(*lines_, ask)) out.push_back(curve(line.pieces, std::nullopt, line.open));
  return out;
}

ContactCurve ContactCurves::curve(const Pieces& ground, std::optional<double> level, const std::array<bool, 2>& open) const {
  ContactCurve out;
  out.lines_ = lines_, out.level_ = level;
  const auto levelAt = [&](const LinePiece& end, bool back) {
    return level ? *level : lines_->valueOn(end.element, back ? end.in : end.out);
  };
  // What of the ways beyond both ends lies within the overrun.
  Pieces pieces = ground;
  std::array<double, 2> beside{0, 0}; // of the overrun
  for (const bool back : {true, false}) {
    if (!open[back ? 0 : 1]) continue;
    int met = -1;
    const LinePiece& end = back ? ground.front() : ground.back();
    Pieces more = beyond(end, levelAt(end, back), back, met);
    double gone = 0;
    std::size_t n = 0;
    for (; n < more.size() && gone < overrun_; ++n) {
      const double l = lengthOf(more[n]);
      if (const double x = (overrun_ - gone) / l; x < 1) {
        const Vec2 near = back ? more[n].out : more[n].in, far = back ? more[n].in : more[n].out;
        (back ? more[n].in : more[n].out) = near + x * (far - near);
      }
      gone = std::min(overrun_, gone + l);
    }
    more.resize(n);
    beside[back ? 0 : 1] = std::max(0.0, overrun_ - gone);
    if (back)
      pieces.insert(pieces.begin(), more.rbegin(), more.rend());
    else
      pieces.insert(pieces.end(), more.begin(), more.end());
  }
  if (rollOver_ && beside[0] > 0) out.start_ = tail(pieces.front(), levelAt(pieces.front(), true), true, beside[0]);
  if (rollOver_ && beside[1] > 0) out.end_ = tail(pieces.back(), levelAt(pieces.back(), false), false, beside[1]);
  out.until_.resize(pieces.size());
  parallelChunks(pieces.size(), 256, [&](std::size_t first, std::size_t last) {
    for (std::size_t i = first; i < last; ++i) out.until_[i] = lengthOf(pieces[i]);
  });
  double sum = out.start_.length;
  for (double& until : out.until_) until = sum += until;
  out.pieces_ = std::move(pieces);
  return out;
}

/// Straight on from an end.
ContactCurve::Tail ContactCurves::tail(const LinePiece& end, double level, bool back, double length) const {
  ContactCurve::Tail out;
  out.from = contactOn(*lines_, end.element, back ? end.in : end.out, level);
  out.way = back ? Vec3(-out.from.along) : out.from.along, out.length = length;
  return out;
}

} // namespace hemline
