// Everything that is studied of a part along one direction, at once, and in words.
#pragma once
#include "study/assembly_reach.h"
#include "study/largest_ball.h"
#include "study/reach.h"
#include "study/ruled.h"
#include "study/study.h"

namespace hemline {

constexpr double kStudiedBall = 16;                       ///< mm: radii above this are not told apart
constexpr std::size_t kBallPlaces = 50000;                ///< places for balls, more on finer nets
constexpr std::size_t kReachPlaces = 20000, kLooks = 200; ///< places for reach, directions looked from

struct WholeStudy {
  Study study;
  LargestBalls balls;
  Reach reach;
  ClampingPlan clampings; ///< with three axes
  std::vector<Wall> walls;
};
WholeStudy studyWhole(const Part& part, const Vec3& up, Progress& progress);

/// In lines of plain text, mm. `library`: balls to choose from, `cusp`: what they are to leave, mm.
std::string studyText(const Part& part, const WholeStudy& s, const std::vector<Cutter>& library, double cusp);

} // namespace hemline
