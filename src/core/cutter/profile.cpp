#include "cutter/profile.h"
#include "base/error.h"
#include "base/units.h"
#include <algorithm>
#include <array>
#include <cmath>
#include <fmt/format.h>

namespace hemline {
namespace {

constexpr double kAngleSlack = 1e-7; // radians by which neighbouring normals may disagree through rounding
constexpr double kTiny = 1e-9;       // mm; shorter pieces are dropped
constexpr double kBetween = 1e-9;    // radians; no direction may fall between two arcs that meet smoothly

double angleOfNormal(const Vec2& n) {
  return std::atan2(n.x(), -n.y());
}

/// One side of a body that is being shrunk: a line or an arc, walked with the body to the left.
struct MovedSide {
  bool arc = false;
  Vec2 at{0, 0}; ///< point of the line, centre of the arc
  double radius = 0;
  Vec2 normal{0, 0};        ///< outward, of the line
  const ProfilePiece* from; ///< null: the axis
  Vec2 start{0, 0};         ///< where it begins: where it meets the one before
  Vec2 normalAt(const Vec2& p) const { return arc ? Vec2((p - at) / radius) : normal; }
};

double cross2(const Vec2& a, const Vec2& b) {
  return a.x() * b.y() - a.y() * b.x();
}

/// Where the outline turns left from one side into the next; nothing where they do not meet.
std::optional<Vec2> meeting(const MovedSide& a, const MovedSide& b, double by) {
  if (a.from && b.from && a.from + 1 == b.from && (a.from->normalB - b.from->normalA).norm() < 1e-7)
    return Vec2(a.from->b - by * a.from->normalB); // they meet smoothly, and go on doing so
  std::array<Vec2, 2> found;
  if (!a.arc && !b.arc) {
    const double d = cross2(a.normal, b.normal);
    if (!(d > 1e-12)) return std::nullopt;
    const double u = a.normal.dot(a.at), v = b.normal.dot(b.at);
    return Vec2((u * b.normal.y() - v * a.normal.y()) / d, (v * a.normal.x() - u * b.normal.x()) / d);
  }
  if (a.arc && b.arc) {
    const Vec2 way = b.at - a.at;
    const double d = way.norm();
    if (!(d > kTiny)) return std::nullopt;
    const double along = (d * d + a.radius * a.radius - b.radius * b.radius) / (2 * d), h2 = a.radius * a.radius - along * along;
    if (h2 < 0) return std::nullopt;
    const Vec2 on = a.at + along / d * way, aside = std::sqrt(h2) / d * Vec2(-way.y(), way.x());
    found = {on + aside, on - aside};
  } else {
    const MovedSide &line = a.arc ? b : a, &arc = a.arc ? a : b;
    const double off = line.normal.dot(arc.at - line.at), h2 = arc.radius * arc.radius - off * off;
    if (h2 < 0) return std::nullopt;
    const Vec2 foot = arc.at - off * line.normal, along = std::sqrt(h2) * Vec2(-line.normal.y(), line.normal.x());
    found = {foot + along, foot - along};
  }
  for (const Vec2& p : found)
    if (cross2(a.normalAt(p), b.normalAt(p)) > 0) return p;
  return std::nullopt;
}

/// Sides in order between two stretches of the axis, each with its start; sides that the others leave nothing of are taken out. False:
/// nothing is left.
bool joinSides(std::vector<MovedSide>& sides, double by) {
  while (sides.size() > 3) {
    for (std::size_t i = 1; i < sides.size(); ++i) {
      const auto p = meeting(sides[i - 1], sides[i], by);
      if (!p) return false;
      sides[i].start = *p;
    }
    std::size_t gone = 0;
    for (std::size_t i = 1; i + 1 < sides.size() && gone == 0; ++i) {
      const MovedSide& s = sides[i];
      const Vec2 way = sides[i + 1].start - s.start, n = s.normalAt(s.start);
      const bool forward = s.arc ? cross2(n, s.normalAt(sides[i + 1].start)) > 0 : cross2(n, way) > 0;
      if (!forward) gone = i;
    }
    if (gone == 0) return true;
    sides.erase(sides.begin() + static_cast<std::ptrdiff_t>(gone));
  }
  return false;
}

} // namespace

ProfilePiece lineTo(const Vec2& from, const Vec2& to) {
  ProfilePiece p;
  p.a = from, p.b = to;
  const Vec2 d = (to - from).normalized();
  double t = angleOfNormal({d.y(), -d.x()});
  if (t < -kAngleSlack) t += 2 * kPi;
  p.angleA = p.angleB = std::max(0.0, t);
  return p;
}

ProfilePiece arcTo(const Vec2& from, const Vec2& to, const Vec2& center) {
  ProfilePiece p;
  p.a = from, p.b = to, p.center = center, p.radius = (from - center).norm();
  p.angleA = angleOfNormal((from - center) / p.radius);
  p.angleB = angleOfNormal((to - center) / p.radius);
  if (p.angleA < 0 && p.angleA > -kAngleSlack) p.angleA = 0;
  if (p.angleB < p.angleA - kAngleSlack) p.angleB += 2 * kPi;
  return p;
}

Profile Profile::fromPieces(const std::vector<ProfilePiece>& pieces, const std::string& name) {
  Profile profile;
  for (const ProfilePiece& p : pieces)
    if ((p.b - p.a).norm() > kTiny) profile.pieces_.push_back(p);
  profile.finish(name);
  return profile;
}

void Profile::finish(const std::string& name) {
  const auto fail = [&](const std::string& why) {
    throw Error(Fault::OutOfRange, "The cutter's profile is impossible: " + why, name,
                "Check its diameter, radii, angle and flute length.");
  };
  if (pieces_.empty()) fail("it has no extent");
  lowest_ = pieces_.front().a.y();
  length_ = pieces_.back().b.y();
  if (std::abs(pieces_.front().a.x()) > kTiny) fail("it does not start on the axis");
  if (pieces_.back().b.x() > kTiny) pieces_.push_back(lineTo(pieces_.back().b, {0, length_}));
  double angle = 0;
  for (std::size_t i = 0; i < pieces_.size(); ++i) {
    ProfilePiece& p = pieces_[i];
    if (p.radius > 0) {
      p.normalA = (p.a - p.center) / p.radius, p.normalB = (p.b - p.center) / p.radius;
    } else {
      const Vec2 d = (p.b - p.a).normalized();
      p.normalA = p.normalB = Vec2(d.y(), -d.x());
    }
    if (!p.a.allFinite() || !p.b.allFinite()) fail("it has a size that is not a number");
    if (p.a.x() < -kTiny || p.b.x() < -kTiny) fail("it crosses the axis");
    if (i > 0 && (p.a - pieces_[i - 1].b).norm() > 1e-6) fail("its pieces do not meet");
    if (p.angleA < angle - kAngleSlack || p.angleB > kPi + kAngleSlack) fail("it is not convex");
    angle = p.angleB;
    maxRadius_ = std::max({maxRadius_, p.a.x(), p.b.x()});
    if (p.radius > 0 && p.angleA <= kPi / 2 && p.angleB >= kPi / 2) maxRadius_ = std::max(maxRadius_, p.center.x() + p.radius);
  }
  if (!(maxRadius_ > 0) || !(length_ > lowest_)) fail("it has no extent");
  wallFrom_ = kInfinity;
  if (pieces_.size() > 1) {
    const ProfilePiece &side = pieces_[pieces_.size() - 2], &lid = pieces_.back();
    if (side.radius == 0 && std::abs(side.a.x() - side.b.x()) < 1e-12 && lid.radius == 0 && std::abs(lid.a.y() - lid.b.y()) < 1e-12)
      wallFrom_ = side.a.y();
  }
  sides_.clear();
  Vec2 before(0, -1);
  for (const ProfilePiece& p : pieces_) {
    if (before.x() * p.normalA.y() - before.y() * p.normalA.x() > 1e-12)
      sides_.push_back({p.a.x(), p.a.y(), 0, before.x(), before.y(), p.normalA.x(), p.normalA.y(), true});
    const Vec2 at = p.radius > 0 ? p.center : p.a;
    sides_.push_back({at.x(), at.y(), p.radius, p.normalA.x(), p.normalA.y(), p.normalB.x(), p.normalB.y(), p.radius > 0});
    before = p.normalB;
  }
  const ProfilePiece& first = pieces_.front();
  if (first.radius > 0 && std::abs(first.center.x()) < kTiny && std::abs(first.angleB - kPi / 2) < 1e-9) ballRadius_ = first.radius;
}

double Profile::height(double r, double* slope) const {
  for (const ProfilePiece& p : pieces_) {
    if (p.angleA > kPi / 2 + kAngleSlack) break;
    const double end = p.radius > 0 && p.angleB > kPi / 2 ? p.center.x() + p.radius : p.b.x();
    if (r > end) continue;
    if (p.radius == 0) {
      if (p.b.x() - p.a.x() < kTiny) continue;
      const double k = (p.b.y() - p.a.y()) / (p.b.x() - p.a.x());
      if (slope) *slope = k;
      return p.a.y() + k * (r - p.a.x());
    }
    const double x = r - p.center.x(), y = std::sqrt(std::max(0.0, p.radius * p.radius - x * x));
    if (slope) *slope = y > 0 ? x / y : std::numeric_limits<double>::infinity();
    return p.center.y() - y;
  }
  if (slope) *slope = std::numeric_limits<double>::infinity();
  // At the widest radius: the lowest point of the side.
  for (const ProfilePiece& p : pieces_) {
    if (p.radius > 0 && p.angleB >= kPi / 2 - kAngleSlack && p.angleA <= kPi / 2) return p.center.y();
    if (p.radius == 0 && p.angleA >= kPi / 2 - kAngleSlack) return p.a.y();
  }
  return length_;
}

Vec2 Profile::support(double sinT, double cosT) const {
  if (sinT <= 0 && cosT < 0) return pieces_.back().b;
  // Directions run from 0 (down) to a half turn (up): one is before another if their cross product is positive.
  const auto upTo = [&](const Vec2& normal) { return normal.x() * cosT + normal.y() * sinT >= 0; };
  for (const ProfilePiece& p : pieces_) {
    if (upTo(p.normalA)) return p.a;
    if (p.radius > 0 && upTo(p.normalB)) return p.center + p.radius * Vec2(sinT, -cosT);
  }
  return pieces_.back().b;
}

double Profile::distance(double r, double z, Vec2& gradient, const ProfileSide** nearest) const {
  double best = -kInfinity;
  const ProfileSide* which = nullptr;
  for (const ProfileSide& side : sides_) {
    const double dr = r - side.r, dz = z - side.z;
    if (!side.arc) {
      if (const double s = side.ar * dr + side.az * dz; s > best) best = s, gradient = {side.ar, side.az}, which = &side;
      continue;
    }
    // Arcs turn by less than half a turn. At a corner itself the sides that meet there tell the direction.
    const double d = std::sqrt(dr * dr + dz * dz), slack = -kBetween * d;
    if (side.ar * dz - side.az * dr < slack || dr * side.bz - dz * side.br < slack || d < kTiny) continue;
    if (d - side.radius > best) best = d - side.radius, gradient = {dr / d, dz / d}, which = &side;
  }
  if (nearest) *nearest = which;
  return best;
}

double Profile::radiusAt(double z) const {
  double best = 0;
  for (const ProfilePiece& p : pieces_) {
    if (p.radius > 0) {
      const double h = z - p.center.y(), x2 = p.radius * p.radius - h * h;
      if (x2 < 0) continue;
      const Vec2 v(std::sqrt(x2), h);
      const auto cross = [](const Vec2& u, const Vec2& w) { return u.x() * w.y() - u.y() * w.x(); };
      if (cross(p.normalA, v) >= -1e-12 && cross(v, p.normalB) >= -1e-12) best = std::max(best, p.center.x() + v.x());
    } else if (z >= std::min(p.a.y(), p.b.y()) && z <= std::max(p.a.y(), p.b.y())) {
      const double dz = p.b.y() - p.a.y();
      best = std::max(best, std::abs(dz) < 1e-12 ? std::max(p.a.x(), p.b.x()) : p.a.x() + (p.b.x() - p.a.x()) * (z - p.a.y()) / dz);
    }
  }
  return best;
}

double Profile::normalAngle(double r) const {
  double slope = 0;
  height(std::min(r, maxRadius_), &slope);
  return std::atan(slope);
}

std::optional<Profile> Profile::shrunk(double by, double& within) const {
  constexpr double kLeast = 1e-6; // mm; what is smaller is no body any more
  const MovedSide axis{false, {0, 0}, 0, {-1, 0}, nullptr};
  std::vector<MovedSide> sides{axis};
  for (const ProfilePiece& p : pieces_) {
    const bool lid = &p == &pieces_.back();
    if (p.radius > 0 && p.radius - by < kLeast) continue; // its neighbours meet within
    if (p.radius > 0)
      sides.push_back({true, p.center, p.radius - by, {0, 0}, &p});
    else
      sides.push_back({false, p.a - (lid ? 0 : by) * p.normalA, 0, p.normalA, &p});
  }
  sides.push_back(axis);
  if (!joinSides(sides, by)) return std::nullopt;
  std::vector<ProfilePiece> pieces;
  for (std::size_t i = 1; i + 1 < sides.size(); ++i) {
    Vec2 from = sides[i].start, to = sides[i + 1].start;
    if (i == 1) from.x() = 0;
    if (i + 2 == sides.size()) to.x() = 0;
    if ((to - from).norm() > kTiny) pieces.push_back(sides[i].arc ? arcTo(from, to, sides[i].at) : lineTo(from, to));
  }
  Profile out;
  try {
    out = fromPieces(pieces, "shrunk profile");
  } catch (const Error&) {
    return std::nullopt;
  }
  // The distance to a convex body is largest at a corner; where an arc is left, it grows towards the arc's ends; where none is, the arc
  // lies within the corners of a polygon about it.
  within = by;
  const auto reaches = [&](const Vec2& p) {
    Vec2 gradient;
    within = std::max(within, out.distance(std::max(0.0, p.x()), p.y(), gradient));
  };
  for (const ProfilePiece& p : pieces_) {
    reaches(p.a), reaches(p.b);
    if (!(p.radius > 0) || p.radius - by >= kLeast) continue;
    constexpr int kCorners = 16;
    const double turn = (p.angleB - p.angleA) / kCorners;
    for (int k = 0; k < kCorners; ++k) {
      const double t = p.angleA + (k + 0.5) * turn;
      reaches(p.center + p.radius / std::cos(0.5 * turn) * Vec2(std::sin(t), -std::cos(t)));
    }
  }
  within += kTiny;
  return out;
}

Profile Profile::grown(double wall, double floor) const {
  const double a = std::min(wall, floor), side = wall - a, down = floor - a;
  Profile out;
  Vec2 at(0, lowest_ - a - down);
  const Vec2 shift(side, -down);
  const auto line = [&](const Vec2& to) {
    if ((to - at).norm() > kTiny) out.pieces_.push_back(lineTo(at, to));
    at = to;
  };
  const auto arc = [&](const Vec2& center, double radius, double t0, double t1) {
    const Vec2 from = center + shift + radius * Vec2(std::sin(t0), -std::cos(t0)),
               to = center + shift + radius * Vec2(std::sin(t1), -std::cos(t1));
    line(from);
    if (radius > 0 && t1 - t0 > 1e-12) {
      out.pieces_.push_back(arcTo(from, to, center + shift));
      at = to;
    }
  };
  double angle = 0;
  for (const ProfilePiece& p : pieces_) {
    if (p.b.x() < kTiny) break; // the lid
    if (p.angleA > angle + kAngleSlack) arc(p.a, a, angle, p.angleA);
    if (p.radius > 0)
      arc(p.center, p.radius + a, p.angleA, p.angleB);
    else
      line(p.b + shift + a * Vec2(std::sin(p.angleA), -std::cos(p.angleA)));
    angle = p.angleB;
  }
  // The side goes on to the lid as it was: straight up, or along its cone.
  if (at.y() < length_ - kTiny) {
    const double slope = angle < kPi / 2 && !out.pieces_.empty() && out.pieces_.back().radius == 0 ? 1 / std::tan(angle) : 0;
    line({at.x() + slope * (length_ - at.y()), length_});
  }
  out.finish("grown profile");
  return out;
}

double Profile::leastRound() const {
  double least = kInfinity;
  for (std::size_t i = 0; i < pieces_.size(); ++i) {
    if (pieces_[i].radius > 0) least = std::min(least, pieces_[i].radius);
    // The corner to the next piece below the side: a sharp one has no radius.
    if (i + 1 < pieces_.size() && pieces_[i + 1].normalA.y() < 0 && (pieces_[i].normalB - pieces_[i + 1].normalA).norm() > 1e-6) return 0;
    if (i + 1 < pieces_.size() && pieces_[i + 1].normalA.y() >= 0 && pieces_[i].normalB.y() < -1e-6) return 0;
  }
  return least < kInfinity ? least : 0;
}

Profile Profile::keeping(double allowance) const {
  constexpr double kLeft = 0.01; // mm: of the tightest round
  if (allowance == 0) return *this;
  if (allowance > 0) return grown(allowance, allowance);
  double within = 0;
  if (const double round = ballRadius_ > 0 ? ballRadius_ : leastRound(); round + allowance >= kLeft)
    if (auto inner = shrunk(-allowance, within)) return *inner;
  throw Error(Fault::Cannot, fmt::format("The cutter's rounds are too small for an allowance of {:.4g} mm", allowance), "cutter",
              "Below the surface only rounds can be cut: a ball or a corner radius larger than that.")
      .mendedBy("allowance_mm");
}

} // namespace hemline
