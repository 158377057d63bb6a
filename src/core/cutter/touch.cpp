#include "cutter/touch.h"
#include <cmath>

namespace hemline {
namespace {

constexpr double kSlack = 1e-4; // mm: normals of nodes are unit to single precision only
constexpr double kInner = 0.99; // of the radius: farther out the profile is too steep to lay a tangent
constexpr double kLarge = 0.1;  // of the radius: wider nodes are held against their whole plane, too

/// One query in the frame (e1, e2, axis) with the line as its z axis.
struct Query {
  const Profile& profile;
  Vec3 e1, e2, axis, origin;
  double radius, ball;
  Touch best;

  Vec3 local(const Vec3& p) const {
    const Vec3 d = p - origin;
    return {d.dot(e1), d.dot(e2), d.dot(axis)};
  }
  Vec3 world(const Vec3& p) const { return origin + p.x() * e1 + p.y() * e2 + p.z() * axis; }

  void take(double height, const Vec3& contact, const Vec3& normal, int triangle) {
    best = {true, height, contact, normal, triangle}; // contact and normal local until the end
  }

  /// Normal of the surface that the profile meets at a local contact point: against the profile's own.
  Vec3 profileNormal(const Vec3& at) const {
    const double r = std::hypot(at.x(), at.y());
    const double t = profile.normalAngle(r);
    if (r < 1e-12) return Vec3::UnitZ();
    return {-std::sin(t) * at.x() / r, -std::sin(t) * at.y() / r, std::cos(t)};
  }

  void point(const Vec3& p, int triangle) {
    // Places on the rim, found by clipping, may round to just outside: they count.
    const double r = std::sqrt(p.x() * p.x() + p.y() * p.y());
    if (r > radius * (1 + 1e-9)) return;
    const double h = p.z() - profile.height(std::min(r, radius));
    if (h > best.height) take(h, p, profileNormal(p), triangle);
  }

  void edge(const Vec3& a, const Vec3& b, int triangle) {
    const Vec3 d = b - a;
    const double dd = d.x() * d.x() + d.y() * d.y(), ad = a.x() * d.x() + a.y() * d.y(), aa = a.x() * a.x() + a.y() * a.y();
    // Part of the edge under the cutter: r(u)^2 = aa + 2 u ad + u^2 dd <= radius^2.
    double lo = 0, hi = 1;
    const double near = dd > 0 ? std::clamp(-ad / dd, 0.0, 1.0) : 0.0;
    const double rr = std::max(0.0, aa + near * (2 * ad + near * dd));
    if (rr > radius * radius) return;
    const double fall = ball > 0 ? ball - std::sqrt(ball * ball - rr) : profile.height(std::sqrt(rr));
    if (std::max(a.z(), b.z()) - fall <= best.height) return;
    if (dd > 0) {
      const double root = std::sqrt(std::max(0.0, ad * ad - dd * (aa - radius * radius)));
      lo = std::clamp((-ad - root) / dd, 0.0, 1.0);
      hi = std::clamp((-ad + root) / dd, 0.0, 1.0);
    }
    if (ball > 0 && dd > 0) {
      // Ball centre (0, 0, c): distance to the line equals the radius, larger c.
      const double l2 = d.squaredNorm();
      const double cross2 = dd / l2;                   // squared sine between edge and axis
      const Vec3 w = Vec3::UnitZ() - d * (d.z() / l2); // axis, less its part along the edge
      const Vec3 q = a - d * (a.dot(d) / l2);          // foot of the origin on the line
      const double qw = q.dot(w), disc = qw * qw - cross2 * (q.squaredNorm() - ball * ball);
      if (disc >= 0) {
        const double c = (qw + std::sqrt(disc)) / cross2;
        const double u = (c * d.z() - a.dot(d)) / l2;
        if (u > lo && u < hi) {
          const Vec3 p = a + u * d;
          if (p.z() <= c) {
            if (c - ball > best.height) take(c - ball, p, (Vec3(0, 0, c) - p) / ball, triangle);
            return;
          }
        }
      }
      point(a, triangle);
      point(b, triangle);
      return;
    }
    // f(u) = z(u) - height(r(u)) is concave: find where its slope changes sign.
    const double foot = dd > 0 ? -ad / dd : 0, past = a.x() * d.y() - a.y() * d.x(), aside = dd > 0 ? past * past / dd : aa;
    const auto slope = [&](double u) {
      const double rise = (u - foot) * dd, r = std::sqrt(aside + (u - foot) * rise);
      double k = 0;
      profile.height(std::min(r, radius), &k);
      if (rise == 0 || k == 0) return d.z();
      if (!std::isfinite(k)) return rise > 0 ? -kInfinity : kInfinity;
      return r > 0 ? d.z() - k * rise / r : d.z() - k * std::sqrt(dd);
    };
    double at = lo, sl = slope(lo), sh = slope(hi);
    if (sh >= 0)
      at = hi;
    else if (sl > 0) {
      double l = lo, h = hi;
      int side = 0;
      for (int i = 0; i < 100 && h - l > 1e-12; ++i) {
        // Illinois steps while the slopes are finite, else halving.
        double m = std::abs(sl) < 1e200 && std::abs(sh) < 1e200 && i % 3 != 2 ? (l * sh - h * sl) / (sh - sl) : 0.5 * (l + h);
        if (!(m > l && m < h)) m = 0.5 * (l + h);
        const double s = slope(m);
        if (s == 0) {
          l = h = m;
          break;
        }
        if (s > 0) {
          l = m, sl = s;
          if (side == 1) sh *= 0.5;
          side = 1;
        } else {
          h = m, sh = s;
          if (side == -1) sl *= 0.5;
          side = -1;
        }
      }
      at = 0.5 * (l + h);
    }
    for (const double u : {at, lo, hi}) point(a + u * d, triangle);
  }

  void facet(const Vec3& a, const Vec3& b, const Vec3& c, int triangle) {
    const double top = std::max({a.z(), b.z(), c.z()});
    if (top - profile.lowest() <= best.height) return;
    Vec3 n = (b - a).cross(c - a);
    const double l = n.norm();
    if (!(l > 0)) return;
    n /= n.z() < 0 ? -l : l;
    const double s = std::sqrt(n.x() * n.x() + n.y() * n.y());
    if (n.z() > 1e-12) {
      const Vec2 p = ball > 0 ? Vec2(ball * s, ball - ball * n.z()) : profile.support(s, n.z());
      Vec3 at(0, 0, 0);
      if (s > 1e-15) at = Vec3(-n.x() / s * p.x(), -n.y() / s * p.x(), 0);
      at.z() = a.z() - (n.x() * (at.x() - a.x()) + n.y() * (at.y() - a.y())) / n.z();
      const double h = at.z() - p.y();
      if (h <= best.height) return; // the plane bounds all of the triangle
      // Inside the triangle, in projection?
      const auto side = [&](const Vec3& u, const Vec3& v) {
        return (v.x() - u.x()) * (at.y() - u.y()) - (v.y() - u.y()) * (at.x() - u.x());
      };
      const double s1 = side(a, b), s2 = side(b, c), s3 = side(c, a);
      if ((s1 >= 0 && s2 >= 0 && s3 >= 0) || (s1 <= 0 && s2 <= 0 && s3 <= 0)) {
        take(h, at, n, triangle);
        return;
      }
    }
    edge(a, b, triangle);
    edge(b, c, triangle);
    edge(c, a, triangle);
  }

  void look(const Mesh& mesh, int triangle) {
    const auto t = static_cast<std::size_t>(triangle);
    facet(local(mesh.corner(t, 0)), local(mesh.corner(t, 1)), local(mesh.corner(t, 2)), triangle);
  }
};

Query queryOn(const Profile& profile, const Vec3& axis, const Vec3& onLine) {
  Query q{profile, {}, {}, axis, onLine, profile.maxRadius(), profile.lowest() == 0 ? profile.ballRadius() : 0, {}};
  frameAround(axis, q.e1, q.e2);
  return q;
}

/// Facets that `skip` wants to be left out are.
template <class Skip>
Touch highestTouch(const MeshTree& part, const Profile& profile, const Vec3& axis, const Vec3& onLine, Query& q, double ceiling,
                   const Skip& skip) {
  const Mesh& mesh = *part.mesh;
  double negative = -q.best.height; // minimise() seeks the least of -height
  const Vec3 a1 = q.e1.cwiseAbs(), a2 = q.e2.cwiseAbs(), az = axis.cwiseAbs();
  const Vec3 fromOrigin = onLine - part.tree.origin();
  const bool ball = q.ball > 0;
  const double R2 = q.radius * q.radius, near2 = kInner * kInner * R2;
  const auto bound = [&](int node) {
    const Vec3 h = part.tree.half(node), d = part.tree.center(node) - onLine;
    const double cx = d.dot(q.e1), cy = d.dot(q.e2), hx = a1.dot(h), hy = a2.dot(h);
    const double x = std::max(0.0, std::abs(cx) - hx), y = std::max(0.0, std::abs(cy) - hy), r2 = x * x + y * y;
    if (r2 > R2) return 1e301;
    const MeshTree::Slab& slab = part.slabs[static_cast<std::size_t>(node)];
    const Vec3 n(static_cast<double>(slab.normal[0]), static_cast<double>(slab.normal[1]), static_cast<double>(slab.normal[2]));
    const double up = n.dot(axis), c2 = cx * cx + cy * cy;
    double low = -kInfinity;
    if (up > 0.02) {
      // No higher than on the plane that has all of the node below it, over the node: what is gained over a place under the
      // cutter is concave, and its tangent bounds it.
      const double n1 = n.dot(q.e1), n2 = n.dot(q.e2), high = static_cast<double>(slab.high) - n.dot(fromOrigin), steep = 1 / up;
      if (c2 < near2) {
        double fall = 0, slope = 0; // the profile's height, its slope over the radius
        if (ball) {
          const double deep = std::sqrt(R2 - c2);
          fall = q.radius - deep, slope = 1 / deep;
        } else {
          const double r = std::sqrt(c2);
          fall = profile.height(r, &slope);
          slope = r > 1e-9 ? slope / r : 0;
        }
        low =
            -((high - n1 * cx - n2 * cy) * steep - fall + std::abs(n1 * steep + slope * cx) * hx + std::abs(n2 * steep + slope * cy) * hy) -
            kSlack;
        if (low >= negative) return low;
      }
      if (hx + hy > kLarge * q.radius || c2 >= near2) {
        // Anywhere on the plane.
        double against = 0; // how far the cutter reaches down to it, along its normal
        if (ball) {
          against = q.radius * (1 - up);
        } else {
          const double s = std::sqrt(std::max(0.0, 1 - up * up));
          const Vec2 p = profile.support(s, up);
          against = s * p.x() - up * p.y();
        }
        low = std::max(low, -(high + against) * steep - kSlack);
        if (low >= negative) return low;
      }
    }
    const double fall = ball ? q.radius - std::sqrt(R2 - r2) : profile.height(std::sqrt(r2));
    return std::max(low, -(d.dot(axis) + az.dot(h) - fall));
  };
  if (q.best.height <= ceiling)
    part.tree.minimiseNodes(
        bound,
        [&](int i) {
          if (skip(i)) return;
          q.look(mesh, i);
          negative = q.best.height > ceiling ? -kInfinity : -q.best.height; // high enough: nothing else is looked at
        },
        negative);
  Touch out = q.best;
  if (out.hit) {
    const Vec3 n = out.normal;
    out.contact = q.world(out.contact);
    out.normal = (n.x() * q.e1 + n.y() * q.e2 + n.z() * axis).normalized();
  }
  return out;
}

} // namespace

Touch touchAlong(const MeshTree& part, const Profile& profile, const Vec3& axis, const Vec3& onLine, int hint, double ceiling) {
  assert(isUnit(axis));
  Query q = queryOn(profile, axis, onLine);
  if (hint >= 0) q.look(*part.mesh, hint);
  return highestTouch(part, profile, axis, onLine, q, ceiling, [](int) { return false; });
}

Touch touchOfOthers(const MeshTree& part, const Profile& profile, const Vec3& axis, const Vec3& onLine, double above,
                    std::span<const int> patches) {
  assert(isUnit(axis));
  Query q = queryOn(profile, axis, onLine);
  q.best.height = above; // only what is higher is taken
  const std::vector<int>& patch = part.mesh->patch;
  return highestTouch(part, profile, axis, onLine, q, kInfinity, [&](int t) {
    return std::find(patches.begin(), patches.end(), patch[static_cast<std::size_t>(t)]) != patches.end();
  });
}

bool touchesAbove(const Mesh& mesh, std::span<const int> triangles, const Profile& profile, const Vec3& axis, const Vec3& onLine,
                  double ceiling) {
  Query q = queryOn(profile, axis, onLine);
  q.best.height = ceiling; // only what is higher is taken
  for (const int t : triangles) {
    q.look(mesh, t);
    if (q.best.hit) return true;
  }
  return false;
}

} // namespace hemline
