// Fields by distance: fronts that run over the surface from a border, rails or a place, in even steps or in steps of even cusp.
#pragma once
#include "finishing/cusp_metric.h"
#include "surface/distance_fronts.h"
#include "surface/fine_mesh.h"
#include "surface/line_on.h"

namespace hemline {

struct FrontsAsk {
  DistanceFronts lay;
  CuspMetricAsk metric;
  /// Where the lay begins at a ball's border (DistanceFronts::ball): that, lines through it, and the points on its tight side.
  std::vector<LineOn> begin;
  std::vector<std::vector<Vec3>> lines;
  std::vector<char> tighter;
};

struct Fronts {
  std::vector<SideCut> cuts; ///< where fronts meet the mesh is cut, so that level lines turn there
  /// Per point of the mesh, then of the cuts: passes or mm from where they begin; beyond the ground's border negative where they begin at
  /// it.
  std::vector<double> value;
  std::vector<double> within;            ///< not negative: there the passes are asked for, as the field counts; empty: on all of the ground
  std::vector<double> levels;            ///< of the passes: half a step from where they begin, then step by step; beside lines whole steps
  double step = 1;                       ///< between them, as the field counts
  std::string told;                      ///< rail to rail: how many passes the wide places cost the narrow ones
  std::vector<std::vector<Vec3>> ridges; ///< lines that want a pass along them: where fronts meet, and what they run beside
};

/// `region`: flags of facets of the fine mesh. Steps in mm are the widest for which no more than 2 % of the ground are crossed by
/// neighbouring passes that leave more than the cusp; steps in passes are one. Throws Error where the ground has no border, or fronts do
/// not come to all of it. About a second for 300,000 facets.
Fronts planFronts(const FineMesh& fine, const std::vector<char>& region, const Profile& profile, const FrontsAsk& ask, Progress& progress);

} // namespace hemline
