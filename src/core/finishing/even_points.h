// Points of neighbouring passes beside each other, so that the ends of their blocks make no pattern that shows.
#pragma once
#include "finishing/pass.h"

namespace hemline {

class EvenPoints {
public:
  /// Points about `apart` mm from each other; passes farther than `beside` mm are not beside each other. All are kept by reference.
  EvenPoints(const PassMaker& maker, const ContactCurves& curves, double apart, double beside)
      : maker_(maker), curves_(curves), apart_(apart), beside_(beside) {}

  /// Puts the stations of a pass, but the ends of its runs, at the feet of those of the pass before (null: about `apart` from each other).
  /// Where feet lie more than 1.4 of that apart points begin; those that the chord tolerance does not need end where the blocks stay
  /// shorter without them. The chord tolerance has points put between. Runs that ride over something stay as they are.
  void set(Pass& pass, const Pass* before) const;
  /// Share of the stations on smooth ground, without ends of runs and what has no pass before it beside it, that lie within a tenth of
  /// `apart` of the foot of one of the pass before; 1 where there are none.
  double share(const std::vector<Pass>& passes) const;

private:
  std::vector<ContactCurve> curvesOf(const Pass& pass) const { return curves_.at(pass.level); }
  std::vector<Vec3> contactsOf(const Pass& pass) const;
  const PassMaker& maker_;
  const ContactCurves& curves_;
  double apart_, beside_;
};

} // namespace hemline
