// The worst places of a measured surface, one for each neighbourhood.
#pragma once
#include "part/part.h"
#include "proof/surface_proof.h"

namespace hemline {

struct WorstPlace {
  Vec3 at = Vec3::Zero();
  std::size_t facet = 0;
  double value = 0; ///< largest on its facet, mm
};

/// Places with the largest values of a per-facet measure (NaN: not measured), at least `apart` mm from each other, the worst first.
std::vector<WorstPlace> worstPlaces(const Mesh& mesh, const std::vector<float>& values, std::size_t count, double apart);

} // namespace hemline
