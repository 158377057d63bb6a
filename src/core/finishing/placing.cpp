#include "finishing/placing.h"
#include "cutter/cutter.h"
#include "finishing/exact_touch.h"

namespace hemline {
namespace {

constexpr double kFacing = 1e-6;   // cosine to the axis below which a contact cannot be touched
constexpr double kLeast = 1e-6;    // mm: lifts below it are rounding
constexpr double kHair = 1e-6;     // mm
constexpr double kSteepest = 0.02; // cosine to the axis: where the ground is steeper, lifts are no more enlarged by it
constexpr double kOffFacets = 2;   // times the tessellation's error: how far contacts on facets and on the exact surface lie apart
constexpr double kOnSmooth = 0.5;  // of a facet's length times the turn of its smooth normal: how far smooth ground lies off the facet

Profile ballOfFillet(const Profile& cutter, double radius) {
  Cutter ball;
  ball.name = "ball of the virtual fillets", ball.diameter = 2 * radius;
  ball.fluteLength = std::max(ball.diameter, cutter.length());
  return makeProfile(ball);
}

} // namespace

Vec3 leanAxis(const Vec3& n, const Vec3& f, double lead, double tilt) {
  assert(isUnit(n) && isUnit(f) && std::abs(n.dot(f)) < 1e-6);
  const Vec3 led = std::cos(lead) * n + std::sin(lead) * f;
  return Eigen::AngleAxisd(-tilt, f) * led;
}

Placing::Placing(const Part& part, const Profile& cutter, const Vec3& up, const TiltRule& rule, double keep, const SurfaceField* field,
                 double fillet)
    : part_(&part), profile_(cutter), grown_(cutter.keeping(keep)), up_(up), rule_(rule), allowance_(keep), field_(field) {
  assert(isUnit(up));
  guide_ = guideRadius(profile_, keep);
  out_ = part.mesh.bounds().diagonal() + 1;
  assert(fillet == 0 || (cutter.ballRadius() > 0 && fillet > cutter.ballRadius()));
  if (fillet > 0) rolling_ = std::make_shared<const Placing>(part, ballOfFillet(cutter, fillet), up, rule, keep, field);
}

double Placing::guideRadius(const Profile& cutter, double allowance) {
  const double r = cutter.ballRadius() > 0 ? cutter.ballRadius() : cutter.leastRound();
  return r > 0 ? r + allowance : 0;
}

std::optional<Placing::Stand> Placing::down(const Vec3& onLine, const Vec3& axis, int& hint, double ceiling, bool allFaces) const {
  const bool limited = !rule_.follow && !part_->surface;
  Touch touch = touchAlong(*part_->tree, grown_, axis, onLine, hint, limited ? ceiling : kInfinity);
  if (!touch.hit) return std::nullopt;
  hint = touch.triangle;
  if (limited && touch.height > ceiling) return std::nullopt;
  if (part_->surface && allFaces)
    touchExactlyAll(*part_, grown_, axis, onLine, touch);
  else if (part_->surface)
    touchExactly(*part_, grown_, axis, onLine, touch);
  Stand s;
  s.at.motion = Motion::Cut;
  s.at.axis = axis, s.at.tip = onLine + touch.height * axis, s.at.contact = touch.contact, s.at.normal = touch.normal;
  s.facet = touch.triangle, s.lift = touch.height;
  return s;
}

/// How far the facets and their smooth normals let contacts be off, mm along the normal.
double Placing::slackAt(const Contact& c, double chord) const {
  double slack = std::max(chord, kLeast) + c.off;
  const auto t = static_cast<std::size_t>(c.at.facet);
  const Mesh& mesh = part_->mesh;
  if (knowsSurface(*part_, t)) return slack + kOffFacets * part_->facetError;
  if (c.edge) return slack;
  double longest = 0;
  for (std::size_t k = 0; k < 3; ++k) longest = std::max(longest, (mesh.corner(t, k) - mesh.corner(t, (k + 1) % 3)).norm());
  return slack + kOnSmooth * longest * (c.normal - mesh.facetNormal(t)).norm();
}

std::optional<Contact> Placing::onFillet(const Contact& c) const {
  const double r = rolling_->grown_.ballRadius();
  if (closestPoint(*part_->tree, c.point + r * c.normal, r - slackAt(c, 0)).triangle < 0) return c;
  const auto centre = rolling_->nearestCentre(c.point, c.normal);
  if (!centre) return std::nullopt;
  Contact on = c;
  on.normal = (*centre - c.point).normalized(), on.point = *centre - r * on.normal;
  const Vec3 along = c.along - c.along.dot(on.normal) * on.normal;
  on.along = along.norm() > kFacing ? Vec3(along.normalized()) : on.normal.unitOrthogonal();
  return on;
}

std::optional<Vec3> Placing::filletCentre(const Vec3& p, const Vec3& n) const {
  if (!rolling_) return std::nullopt;
  const double r = rolling_->grown_.ballRadius();
  if (closestPoint(*part_->tree, p + r * n, r - kLeast - kOffFacets * part_->facetError).triangle < 0) return std::nullopt;
  return rolling_->nearestCentre(p, n);
}

std::optional<Place> Placing::filletOver(const Vec3& p, const Vec3& n) const {
  const auto centre = filletCentre(p, n);
  if (!centre) return std::nullopt;
  const Vec3 out = (*centre - p).normalized();
  return Place{*centre - rolling_->profile_.ballRadius() * out - allowance_ * out, out};
}

std::optional<Placing::Stand> Placing::at(const Contact& asked, double chord, int& hint) const {
  const std::optional<Contact> filleted = rolling_ ? onFillet(asked) : asked;
  const Contact& c = filleted ? *filleted : asked;
  const bool onPart = c.point == asked.point;
  const Vec3 axis = rule_.follow ? leanAxis(c.normal, c.along, rule_.lead, rule_.tilt) : up_;
  const double facing = c.normal.dot(axis);
  if (facing <= kFacing) return std::nullopt;
  const bool ball = profile_.ballRadius() > 0;
  const Vec3 line = rule_.follow || rule_.byContact || ball ? tipFor(grown_, c.point, c.normal, axis) : Vec3(c.point + guide_ * c.normal);
  if (hint < 0) hint = c.at.facet;
  auto s = down(line, axis, hint);
  if (!s) return s; // beside the part
  double slack = slackAt(asked, chord);
  if (!ball) {
    s->blocked = guide_ > 0 && closestPoint(*part_->tree, c.point + guide_ * c.normal, std::max(0.0, guide_ - slack)).triangle >= 0;
    return s;
  }
  slack /= std::max(kSteepest, facing);
  s->blocked = !filleted || s->lift > slack;
  if (!onPart && !s->blocked) {
    if (s->lift < 0) s->at.tip = line, s->lift = 0; // what it touches is below the fillet
    s->at.contact = c.point, s->at.normal = c.normal, s->facet = c.at.facet, s->filleted = true;
    return s;
  }
  // Along an upright wall that it just touches a rounding more or less decides whether it stands beside the wall or on top of it.
  const Vec3 aside = s->at.normal - s->at.normal.dot(axis) * axis;
  if (s->blocked && aside.norm() > kFacing)
    if (const auto off = down(line + kHair * aside.normalized(), axis, hint); off && off->lift <= slack) s = off;
  // What it touches besides, there or by a rounding before, is not what it was set against.
  if (!s->blocked && std::abs(s->lift) <= kHair && s->at.normal.dot(c.normal) < kSwing)
    s->at.contact = c.point, s->at.normal = c.normal, s->facet = c.at.facet;
  return s;
}

namespace {

/// Place nearest to `from` in the half spaces normal . c >= level (tuples of their planes are tried, which is exact; at most a dozen).
std::optional<Vec3> nearestIn(const std::vector<std::pair<Vec3, double>>& spaces, const Vec3& from) {
  std::optional<Vec3> best;
  double least = kInfinity;
  const auto offer = [&](const Vec3& c) {
    constexpr double kIn = 1e-9; // mm
    if (!c.allFinite() || (c - from).squaredNorm() >= least) return;
    for (const auto& [n, level] : spaces)
      if (n.dot(c) < level - kIn) return;
    least = (c - from).squaredNorm(), best = c;
  };
  // On planes of normals N: from + N^T (N N^T)^-1 (level - N from).
  const std::size_t k = spaces.size();
  offer(from);
  for (std::size_t i = 0; i < k; ++i) {
    const auto& [a, la] = spaces[i];
    const double ra = la - a.dot(from);
    offer(from + ra * a);
    for (std::size_t j = 0; j < i; ++j) {
      const auto& [b, lb] = spaces[j];
      const double rb = lb - b.dot(from), ab = a.dot(b), det = 1 - ab * ab;
      if (!(det > 1e-9)) continue;
      offer(from + (ra - ab * rb) / det * a + (rb - ab * ra) / det * b);
      for (std::size_t l = 0; l < j; ++l) {
        Eigen::Matrix3d N;
        N << a.transpose(), b.transpose(), spaces[l].first.transpose();
        if (std::abs(N.determinant()) > 1e-6) offer(N.inverse() * Vec3(la, lb, spaces[l].second));
      }
    }
  }
  return best;
}

} // namespace

std::optional<Vec3> Placing::nearestCentre(const Vec3& p, const Vec3& n) const {
  constexpr double kTouching = 1e-6; // mm
  constexpr double kOn = 1e-3;       // of the radius: nearer to a facet than this its normal tells the way
  constexpr std::size_t kMost = 10;  // half spaces at a time: three are needed
  const double R = grown_.ballRadius();
  std::vector<std::pair<Vec3, double>> spaces{{n, n.dot(p) + R}};
  Vec3 c = p + R * n;
  for (int i = 0; i < 40; ++i) {
    const Nearest near = closestPoint(*part_->tree, c, R - kTouching);
    if (near.triangle < 0) return c;
    const Vec3 away = c - near.point;
    const double d = away.norm();
    Vec3 side = away / d, on = near.point;
    if (const Vec3 facet = part_->mesh.facetNormal(static_cast<std::size_t>(near.triangle)); d < kOn * R) {
      side = facet;
    } else if (away.dot(facet) < -1e-9 * d) {
      // Within the part: through the facet that is met on the way from p.
      const RayHit hit = castRay(*part_->tree, p + kTouching * n, (c - p).normalized());
      if (!hit.hit || hit.distance > (c - p).norm()) return std::nullopt;
      side = part_->mesh.facetNormal(static_cast<std::size_t>(hit.triangle)), on = p + hit.distance * (c - p).normalized();
      if (side.dot(c - p) >= 0) return std::nullopt;
    }
    if (spaces.size() == kMost) spaces.erase(spaces.begin() + 1);
    spaces.emplace_back(side, side.dot(on) + R);
    const auto next = nearestIn(spaces, p);
    if (!next) return std::nullopt;
    c = *next;
  }
  return std::nullopt;
}

/// A search for the nearest stand: where the axis is fixed over the plane across it, else over the plane across the normal at p.
class Placing::Search {
public:
  Search(const Placing& placing, const Vec3& p, const Vec3& n, double finest, double coarsest)
      : g_(placing), p_(p), n_(n), R_(placing.profile_.ballRadius()), finest_(finest), coarsest_(coarsest) {
    frameAround(follows() ? n : g_.up_, e_[0], e_[1]);
    // Turned, so that the first ways tried do not run along walls that lie along the axes.
    constexpr double kAside = 0.3; // radians
    const Vec3 e = e_[0];
    e_[0] = std::cos(kAside) * e + std::sin(kAside) * e_[1], e_[1] = std::cos(kAside) * e_[1] - std::sin(kAside) * e;
  }

  Reach run(double enough, const Location* near, double off) {
    at_ = follows() ? Vec2(0, 0) : flat(tipFor(g_.grown_, p_, n_, g_.up_));
    offer(at_, -1, kInfinity);
    if (best_.distance <= enough) return best_;
    step_ = longest();
    const bool found = tryNearestCentre();
    tryStarts(found, near, off);
    refine(enough, near ? 2 : 4); // fewer directions where the place is nearly known
    return best_;
  }

private:
  static constexpr double kSameSide = 0.3, kWall = 0.087;
  bool follows() const { return g_.rule_.follow; }
  double longest() const { return g_.profile_.maxRadius() / 4; }
  Vec2 flat(const Vec3& p) const {
    const Vec3 d = follows() ? Vec3(p - p_) : p;
    return {d.dot(e_[0]), d.dot(e_[1])};
  }
  Vec2 flat(const Location& l) const { return flat(follows() ? l.contact : l.tip); }

  std::optional<Stand> standAt(const Vec2& at, double ceiling) {
    const Vec3 over = at.x() * e_[0] + at.y() * e_[1];
    if (!follows()) return g_.down(over, g_.up_, hint_, ceiling, false);
    const double high = 2 * g_.profile_.maxRadius();
    const RayHit hit = castRay(*g_.part_->tree, p_ + over + high * n_, -n_);
    if (!hit.hit) return std::nullopt;
    Contact c;
    c.at = {hit.triangle, hit.u, hit.v};
    Place place = placeOn(*g_.part_, static_cast<std::size_t>(hit.triangle), hit.u, hit.v);
    if (!g_.part_->surface) place.normal = g_.part_->mesh.smoothNormal(static_cast<std::size_t>(hit.triangle), hit.u, hit.v);
    if (place.normal.dot(n_) <= kFacing) return std::nullopt;
    const Vec3 along = (g_.field_ ? g_.field_->gradient(c.at) : e_[1]).cross(place.normal);
    c.point = place.point, c.normal = place.normal;
    c.along = along.norm() > 1e-9 ? Vec3(along.normalized()) : place.normal.unitOrthogonal();
    return g_.at(c, 0, hint_);
  }

  // Only what is below `below` matters: a ball that stands so high above p is looked at no further. Most tries are barred by one of the few
  // facets that were touched before.
  void remember(int facet) {
    constexpr std::size_t kRemembered = 6;
    const auto known = std::find(touched_.begin(), touched_.end(), facet);
    if (known != touched_.end())
      std::rotate(touched_.begin(), known, known + 1);
    else if (facet >= 0)
      touched_.insert(touched_.begin(), facet);
    if (touched_.size() > kRemembered) touched_.pop_back();
  }

  double distanceAt(const Vec2& at, double steepest, double below, std::optional<Stand>& stand) {
    const Part& part = *g_.part_;
    double ceiling = kInfinity;
    if (R_ > 0 && below < kFinite && !follows()) {
      const double rise2 = (below + R_) * (below + R_) - (at - flat(p_)).squaredNorm();
      if (rise2 <= 0) return kInfinity;
      ceiling = p_.dot(g_.up_) - R_ + std::sqrt(rise2);
      const Vec3 line = at.x() * e_[0] + at.y() * e_[1];
      if (!part.surface && touchesAbove(part.mesh, touched_, g_.grown_, g_.up_, line, ceiling)) return kInfinity;
    }
    stand = standAt(at, ceiling);
    remember(hint_);
    if (!stand || stand->at.normal.dot(n_) < steepest) return kInfinity;
    const Location& l = stand->at;
    // Beside the part, with the contact far round its outer edge: passes do not follow there.
    const Vec3 ground = part.mesh.facetNormal(static_cast<std::size_t>(stand->facet));
    if (l.normal.dot(n_) < kSwing && (ground.dot(l.axis) < kWall || l.normal.dot(ground) < kSwing) &&
        !castRay(*part.tree, l.tip + g_.out_ * l.axis, -l.axis).hit)
      return kInfinity;
    const Vec3 v = p_ - l.tip;
    const double z = v.dot(l.axis);
    Vec2 g;
    return g_.profile_.distance((v - z * l.axis).norm(), z, g);
  }

  bool offer(const Vec2& at, double steepest, double below) {
    std::optional<Stand> stand;
    const double e = distanceAt(at, steepest, below, stand);
    if (!(e < best_.distance)) return false;
    best_ = {e, stand}, at_ = at;
    return true;
  }

  /// Balls on a fixed axis. False: there is none, or the way down along the axis is barred.
  bool tryNearestCentre() {
    constexpr double kSame = 1e-5;   // mm
    constexpr double kPolish = 2e-3; // mm: an exact surface leaves its facets by less
    if (follows() || g_.grown_.ballRadius() <= 0) return false;
    const auto c = g_.nearestCentre(p_, n_);
    if (!c) return false;
    std::optional<Stand> stand;
    const double e = distanceAt(flat(*c), -1, kInfinity, stand), wish = (*c - p_).norm() - R_;
    if (e < best_.distance) best_ = {e, stand}, at_ = flat(*c);
    if (!(e < wish + (g_.part_->surface ? kPolish : kSame))) return false;
    step_ = g_.part_->surface ? kPolish : finest_;
    return true;
  }

  /// From the best of several starts: at the foot of a thin wall the way down may lead over the wall, to its other side. None where the
  /// cutter stands beside the part: what it touches from there no pass over the ground can.
  void tryStarts(bool found, const Location* near, double off) {
    if (near && !found) offer(flat(*near), -1, best_.distance);
    if (near && best_.distance < kFinite) {
      if (!found) step_ = std::clamp(2 * off, 4 * finest_, longest());
      return;
    }
    if (found) return;
    const Vec2 over = flat(p_);
    offer(over, -1, best_.distance);
    for (const Vec2& d : kAround)
      offer(over + 1.05 * g_.profile_.maxRadius() * d, kSameSide, best_.distance); // not exactly beside the wall
  }

  /// Beside a wall the way on is a narrow sector between the wall and what leads away: the directions turn by the golden angle from try to
  /// try, and steps grow again where one was found. `turns`: sets of directions before the step is halved.
  void refine(double enough, int turns) {
    constexpr double kTurn = 2.399963229728653;
    constexpr int kMost = 400;      // tries in all
    constexpr double kShare = 2e-3; // of the distance, to which it is told at least
    Vec2 heading(0, 0);             // the way that helped last
    const auto helps = [&](const Vec2& way) {
      const Vec2 to = at_ + step_ * way;
      std::optional<Stand> stand;
      const double e = distanceAt(to, -1, best_.distance, stand);
      if (!(e < best_.distance - 1e-9)) return false;
      best_ = {e, stand}, at_ = to, heading = way;
      return true;
    };
    const auto fine = [&] { return std::clamp(kShare * best_.distance, finest_, std::max(finest_, coarsest_)); };
    for (int tries = 0, in = 0; step_ > fine() && best_.distance > std::max(enough, std::min(0.0, g_.allowance_) + 1e-7) && tries < kMost;
         ++tries) {
      const Vec2 turn(std::cos(kTurn * tries), std::sin(kTurn * tries));
      bool moved = heading.x() != 0 && helps(heading);
      for (std::size_t i = 0; i < kAround.size() && !moved; ++i)
        moved = helps(Vec2(turn.x() * kAround[i].x() - turn.y() * kAround[i].y(), turn.y() * kAround[i].x() + turn.x() * kAround[i].y()));
      if (moved)
        step_ = std::min(2 * step_, longest()), in = 0;
      else if (++in == turns)
        step_ *= 0.5, in = 0;
    }
  }

  const std::array<Vec2, 8> kAround{Vec2(1, 0),   Vec2(-1, 0),   Vec2(0, 1),    Vec2(0, -1),
                                    Vec2(.7, .7), Vec2(-.7, .7), Vec2(.7, -.7), Vec2(-.7, -.7)};
  const Placing& g_;
  const Vec3 &p_, &n_;
  double R_, finest_, coarsest_, step_ = 0;
  std::array<Vec3, 2> e_;
  std::vector<int> touched_; // the last ones first
  int hint_ = -1;
  Vec2 at_ = Vec2::Zero();
  Reach best_;
};

Placing::Reach Placing::reach(const Vec3& p, const Vec3& n, double enough, double finest, double coarsest, const Location* near,
                              double off) const {
  return Search(rolling_ ? *rolling_ : *this, p, n, finest, coarsest).run(enough, near, off);
}

} // namespace hemline
