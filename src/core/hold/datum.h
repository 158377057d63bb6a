// Finding the work zero with a probe or an edge finder: which touches, what they average to, how well that is known; and a stand-in that
// touches with scatter.
#pragma once
#include "geometry/vec.h"
#include <optional>
#include <random>
#include <string>
#include <vector>

namespace hemline {

enum class DatumKind { TwoSides, Corner, Bore, GaugeBlock, RotaryZero, Tip };
const char* datumName(DatumKind kind);
const std::vector<DatumKind>& datumKinds();

/// How a clamping's work zero is found. Lengths in mm.
struct ZeroFinding {
  DatumKind kind = DatumKind::Corner;
  double scatter = 0.003; ///< of one touch, standard deviation
  double block = 0;       ///< gauge block, tip: how well the block's size is known, standard deviation
  double bore = 20;       ///< bore: diameter
  double span = 100;      ///< rotary zero: between the two touches
};

/// One touch: the stand-in moves from a place along a direction until it meets the work.
struct Probing {
  Vec3 meets = Vec3::Zero(); ///< where it would meet the work as it is meant to lie
  Vec3 along = Vec3::UnitX();
  std::string words;
};
/// The touches of a routine on a blank of this box (clamping frame), in order, the last one along z (not for the rotary zero).
/// The tip finds z only, as the cutter's own length over the face: x and y have to be known already, from dowels or an earlier routine.
std::vector<Probing> touchesOf(const ZeroFinding& finding, const Box& blank);

/// Work zero against where it is meant to be, mm; the turn about z, radians (rotary zero only).
struct Found {
  Vec3 zero = Vec3::Zero();
  double turn = 0;
};
/// What the touches say: `reading` of each is how far along its direction it met the work beyond where it would have as meant.
Found foundBy(const ZeroFinding& finding, const std::vector<double>& readings);

/// Standard deviation of what is found, of independent touches: two sides and bore scatter / sqrt(2) in x and y (each the mean of two),
/// corner and gauge block scatter (and the block's own) in x and y; z one touch. Rotary zero: sqrt(2) scatter / span of turn. Tip: scatter
/// and the block's own in z.
struct FoundSpread {
  Vec3 zero = Vec3::Zero();
  double turn = 0;
};
FoundSpread spreadOf(const ZeroFinding& finding);
/// Twice the largest displacement that this means anywhere in the box: what is taken off clearances, mm.
double uncertaintyOf(const ZeroFinding& finding, const Box& blank);

/// A probe that is not there: touches work which lies displaced by `off` and turned by `turn` about z, with scatter.
class ProbeStandIn {
public:
  ProbeStandIn(const Vec3& off, double turn, double scatter, unsigned seed) : off_(off), turn_(turn), scatter_(scatter), random_(seed) {}
  double touch(const Probing& touch);

private:
  Vec3 off_;
  double turn_, scatter_;
  std::mt19937 random_;
  std::normal_distribution<double> normal_;
};

/// A routine played on the stand-in: work that lies displaced and turned as told (what the routine does not look at is left in place).
struct Played {
  std::vector<Probing> touches;
  std::vector<double> readings; ///< mm, of each touch
  Vec3 off = Vec3::Zero();      ///< how the work lies, as far as the routine can find it
  double turn = 0;
  Found found;
};
Played playTouches(const ZeroFinding& finding, const Box& blank, const Vec3& off, double turn, unsigned seed);

} // namespace hemline
