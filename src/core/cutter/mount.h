// Which cutter a holder takes, and how far out: bore, gripped length, longest insertion.
#pragma once
#include "cutter/cutter.h"
#include <optional>
#include <span>

namespace hemline {

/// Tip to where the shank's full cylinder begins, mm: as told, or where neck or flutes end. Nothing before it may be gripped.
double shankBegins(const Cutter& cutter);

/// Length of shank that has to be gripped at least, mm: as told, or twice the shank's diameter where nothing is told.
double leastGripped(const Cutter& cutter);

/// From the least to the most, mm, tip to holder face.
struct StickOuts {
  double least = 0, most = 0;
};
/// Stick-outs at which the holder grips the shank and nothing but the shank, by the length that is needed, and no deeper than it lets a
/// cutter in. Nothing: it never does (bore, gripping length, length of the shank). A holder that tells no bore is only asked for a wall of
/// 1 mm about the shank; one that tells no gripping length or insertion is not asked for it.
std::optional<StickOuts> stickOuts(const Cutter& cutter, const Holder& holder);

/// Where a cutter is to be held.
struct Mount {
  const Holder* holder;
  double stickOut; ///< mm
};
/// The slimmest of the holders that takes the cutter, at the stick-out nearest to the one wanted. Nothing: none takes it.
std::optional<Mount> mountFor(const Cutter& cutter, std::span<const Holder> holders, double wanted);

/// Why the assembly cannot be mounted and the nearest that can: that holder at another stick-out, or else one of `others`. Nothing: it can.
/// `slack`: mm by which a measured stick-out may be shorter than the longest insertion lets it be.
struct MountFault {
  std::string what, remedy;
};
std::optional<MountFault> mountFault(const Cutter& cutter, const Holder& holder, double stickOut, std::span<const Holder> others,
                                     double slack = 0);

} // namespace hemline
