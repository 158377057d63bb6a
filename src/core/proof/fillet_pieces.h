// Ground under virtual fillets as pieces of the fillets' surface, on which the cusp is told.
#pragma once
#include "finishing/placing.h"
#include "proof/surface_pieces.h"

namespace hemline {

struct FilletPiece {
  SurfacePiece piece;             ///< flat, with how far the fillet lies below it
  Vec3 normal = Vec3::UnitZ();    ///< of the fillet, about; unit
  std::array<SurfacePoint, 3> on; ///< the ground under its corners
  std::array<Vec3, 3> ground;
  double rest = 0, restBound = 0; ///< mm between the ground and the ball of the fillets: at the corners, and anywhere at most
  Vec3 restAt = Vec3::Zero();
};

/// The fillets of `reach` over a piece of ground (normal n, on that facet), in pieces that the fillet leaves by `off` mm at most; none
/// where no fillet is over its corners or middle. A corner whose ball was not found counts as free ground: too high, never too low.
std::vector<FilletPiece> filletPieces(const Placing& reach, const SurfacePiece& ground, const Vec3& n, std::size_t facet, double off);

} // namespace hemline
