// Where the cutter stands (cutter location, CL) for a contact (CC): the one function behind passes, links and the measure of reach.
#pragma once
#include "cutter/touch.h"
#include "finishing/contact_curve.h"
#include "toolpath/path.h"
#include <memory>
#include <optional>

namespace hemline {

/// How the axis follows the surface.
struct TiltRule {
  bool follow = false;       ///< false: axis fixed
  double lead = 0, tilt = 0; ///< radians, against the surface normal, in that order
  bool byContact = false;    ///< fixed axis, no ball: set by the contact itself, and not over the corner's ball there
};

/// Axis for normal n and contact-curve tangent f (both unit): lead about n x f, then tilt about f (+ left along f).
Vec3 leanAxis(const Vec3& n, const Vec3& f, double lead, double tilt);

/// Sets the cutter against a contact, then moves it along its axis until it just touches, so that every location is exact and free of
/// gouges. On a fixed axis other profiles than half balls are set with their axis through the centre of a ball of their corner's radius at
/// the contact: what touches then lies beside it.
class Placing {
public:
  /// `up`: the axis where it is fixed. `allowance` is kept everywhere along the normal (the profile is grown by it). `field`: what a lead
  /// is told by (only for reach, and only where the axis follows). All are kept by reference but the profile. `fillet`: balls only, larger
  /// than their radius, mm: the cutter goes no nearer than on the surface that a ball of that radius leaves (virtual fillets: grown by the
  /// larger radius, shrunk by the difference); 0: none.
  Placing(const Part& part, const Profile& cutter, const Vec3& up, const TiltRule& rule, double allowance,
          const SurfaceField* field = nullptr, double fillet = 0);

  struct Stand {
    Location at;
    int facet = -1;        ///< that is touched
    double lift = 0;       ///< how far the cutter had to give way from the contact, mm along the axis
    bool filleted = false; ///< the contact is on a virtual fillet over the part
    bool blocked = false;  ///< the contact cannot be touched: something else is in the way (lift is more than the facets are off)
  };
  /// Nothing where the surface does not face the axis. `chord`: lifts up to it count as none, mm.
  std::optional<Stand> at(const Contact& contact, double chord, int& hint) const;
  /// Down along the axis on a line. Nothing where nothing is met. On a fixed axis and a faceted part nothing either where the tip would be
  /// higher along the axis than `ceiling`.
  /// `allFaces`: see touchExactlyAll; else only the face whose facets are touched first is exact (what reach needs).
  std::optional<Stand> down(const Vec3& onLine, const Vec3& axis, int& hint, double ceiling = kInfinity, bool allFaces = true) const;

  /// Least signed distance between p (normal n) and the cutter placed freely, and where it stands then. Ends early below `enough`; places
  /// are told apart to a 500th of the distance, but to `finest` at least and never coarser than `coarsest`, mm. Balls on a fixed axis: the
  /// nearest centre that keeps R from the part; else, or if the way down to it is barred, a pattern search from the best of ten starts.
  /// An upper bound of the true least distance. `near`, if given: where the cutter stood for a place `off` mm away; the search starts there
  /// and not all around.
  struct Reach {
    double distance = kInfinity;
    std::optional<Stand> stand;
  };
  /// With virtual fillets it is the ball of their radius that is placed: what it leaves is meant to be left.
  Reach reach(const Vec3& p, const Vec3& n, double enough, double finest = 1e-4, double coarsest = 0, const Location* near = nullptr,
              double off = 0) const;
  /// Centre of the ball whose virtual fillet lies over p (normal n), with the allowance; nothing where none does.
  std::optional<Vec3> filletCentre(const Vec3& p, const Vec3& n) const;
  /// The place of that fillet, without the allowance.
  std::optional<Place> filletOver(const Vec3& p, const Vec3& n) const;

  const Part& part() const { return *part_; }
  const Profile& profile() const { return profile_; }
  const Vec3& up() const { return up_; }
  bool follows() const { return rule_.follow; }
  double allowance() const { return allowance_; }
  /// Of virtual fillets, mm; 0: there are none.
  double filletRadius() const { return rolling_ ? rolling_->profile_.ballRadius() : 0; }
  /// Of the ball that stands for the cutter at a contact, with the allowance, mm; 0: a sharp corner.
  double guideRadius() const { return guide_; }
  /// The same for a cutter.
  static double guideRadius(const Profile& cutter, double allowance);

private:
  class Search;
  double slackAt(const Contact& c, double chord) const;
  /// The contact on the fillet over `c`; `c` itself where none is, nothing where there is no place for the ball of its radius.
  std::optional<Contact> onFillet(const Contact& c) const;
  /// Half balls: the place nearest to p, from its side of the part, where the ball's centre keeps its radius from the part. Half
  /// spaces that touch what lies too near are collected until none does; nothing if that does not end.
  std::optional<Vec3> nearestCentre(const Vec3& p, const Vec3& n) const;
  const Part* part_;
  Profile profile_, grown_;
  Vec3 up_;
  TiltRule rule_;
  double allowance_, guide_ = 0;
  double out_ = 0; ///< mm: so far from any place the part is left behind
  const SurfaceField* field_;
  std::shared_ptr<const Placing> rolling_; ///< the ball of the virtual fillets' radius; null: there are none
};

} // namespace hemline
