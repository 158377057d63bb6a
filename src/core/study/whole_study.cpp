#include "study/whole_study.h"

namespace hemline {

Surroundings studySurroundings(const Part& part, const Vec3& up, const std::vector<char>& ground, double lean, std::size_t finer,
                               Progress& progress) {
  const Sight sight(part.mesh);
  Surroundings a;
  a.reach = studyReach(part, sight, up, finer * kReachPlaces, progress);
  a.places = finer * kReachPlaces;
  a.straight = planClampings(part, sight, a.reach.places, 0, kLooks, progress);
  if (lean > 0) a.tilting = planClampings(part, sight, a.reach.places, lean, kLooks, progress);
  a.pockets = findPockets(part, up, kPocketCells, progress);
  a.slim = slimReach(part, sight, up, spreadPlaces(part, finer * kSlimPlaces), ground, kStudiedBall, progress);
  return a;
}

WholeStudy studyWhole(const Part& part, const Vec3& up, Progress& progress) {
  WholeStudy s;
  s.study = studyPart(part, up, progress);
  s.balls = largestBalls(part, std::min(kStudiedBall, 0.25 * part.mesh.bounds().diagonal()), kBallPlaces, progress);
  s.around = studySurroundings(part, up, s.study.ground, 0, 1, progress);
  s.walls = studyWalls(part, up, progress);
  return s;
}

} // namespace hemline
