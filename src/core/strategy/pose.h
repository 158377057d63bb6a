// Where the cutter stands (cutter location, CL) for a place in plan or a contact (CC): the one function behind parallel passes, links and
// the reach measure.
#pragma once
#include "cutter/touch.h"
#include "part/part.h"
#include "toolpath/path.h"
#include <optional>

namespace hemline {

/// Plan frame of a finishing step: `feed` and `across` span the plan, `up` is the reference axis (all unit, right-handed).
struct PlanFrame {
  Vec3 feed = Vec3::UnitX(), across = Vec3::UnitY(), up = Vec3::UnitZ();
  Vec3 at(double u, double w) const { return u * feed + w * across; }
  Vec2 plan(const Vec3& p) const { return {p.dot(feed), p.dot(across)}; }
};
/// Cosine by which a contact's normal may leave its facet's on an outer edge (20 degrees): passes go on so far round it.
constexpr double kSwing = 0.94;

/// Passes at `angle` (radians, from the plan's x) seen along `up`.
PlanFrame planFrame(const Vec3& up, double angle);

/// How the axis follows the surface.
struct TiltRule {
  bool follow = false;       ///< false: axis fixed at the frame's `up`
  double lead = 0, tilt = 0; ///< radians, against the surface normal, in that order
};

/// Axis for normal n and contact-curve tangent f (both unit): lead about n x f, then tilt about f (+ left along f).
Vec3 leanAxis(const Vec3& n, const Vec3& f, double lead, double tilt);

/// Places the cutter. Fixed axis: (u, w) is the place of the axis in plan. Following axis: (u, w) is the place of the
/// contact; the cutter is set against the normal, then moved along its axis until it just touches, so that every
/// location is exact and free of gouges. Returns nothing where there is no surface. `lift` tells how far it had to give
/// way because something else was in the way (mm). With a fixed axis on a faceted part nothing is returned either where the tip would
/// be higher along the axis than `ceiling`.
struct PoseField {
  const Part* part = nullptr;
  Profile profile;
  PlanFrame frame;
  TiltRule rule;
  double allowance = 0;

  /// `allowance` is kept everywhere along the normal (the profile is grown by it).
  PoseField(const Part& p, const Profile& cutter, const PlanFrame& f, const TiltRule& r, double keep);
  std::optional<Location> at(double u, double w, int& hint, double* lift = nullptr, double ceiling = kInfinity) const;
  /// Plan place at which the cutter would touch point p with normal n, were nothing else there.
  Vec2 planFor(const Vec3& p, const Vec3& n) const;

  /// Least signed distance between p (normal n) and the cutter placed freely, and the plan place `at` that has it. Ends early below
  /// `enough`; places are told apart in plan to a 500th of the distance, but to `finest` at least and never coarser than `coarsest`, mm.
  /// Balls on a fixed axis: the nearest centre that keeps R from the part; else, or if the way down to it is barred, a pattern search from
  /// the best of ten starts. An upper bound of the true least distance. `near`, if given: where the cutter stood for a place `off` mm away;
  /// the search starts there and not all around.
  double reach(const Vec3& p, const Vec3& n, double enough, Vec2& at, double finest = 1e-4, double coarsest = 0, const Vec2* near = nullptr,
               double off = 0) const;

private:
  /// Half balls: the place nearest to p, from its side of the part, where the ball's centre keeps its radius from the part. Half
  /// spaces that touch what lies too near are collected until none does; nothing if that does not end.
  std::optional<Vec3> nearestCentre(const Vec3& p, const Vec3& n) const;
  Profile grown_;
  double top_;
};

} // namespace hemline
