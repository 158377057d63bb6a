// Everything that is studied of a part along one direction, at once, and in words: for window and command line alike.
#pragma once
#include "study/assembly_reach.h"
#include "study/largest_ball.h"
#include "study/pockets.h"
#include "study/reach.h"
#include "study/ruled.h"
#include "study/slim_reach.h"
#include "study/study.h"

namespace hemline {

constexpr double kStudiedBall = 16;                       ///< mm: radii above this are not told apart
constexpr std::size_t kBallPlaces = 50000;                ///< places for balls, more on finer tessellations
constexpr std::size_t kReachPlaces = 20000, kLooks = 200; ///< places for reach, directions looked from
constexpr std::size_t kSlimPlaces = 4000;                 ///< places that are asked how slim a cutter they need
constexpr std::size_t kPocketCells = 512;                 ///< of the height map over the part's longer side

/// The part seen from all sides, and how a cutter comes down to it.
struct Surroundings {
  Reach reach;
  ClampingPlan straight;               ///< as a machine with three axes has to hold it
  std::optional<ClampingPlan> tilting; ///< as one with more may, where it is asked
  Pockets pockets;
  SlimReach slim;
  std::size_t places = 0; ///< that were asked for reach
};
/// `lean`: how far the machine's axis may lean, radians; 0: three axes. `ground`: per facet, see Study. `finer`: so many times the places
/// are asked; errors shrink with its root.
Surroundings studySurroundings(const Part& part, const Vec3& up, const std::vector<char>& ground, double lean, std::size_t finer,
                               Progress& progress);
constexpr std::size_t kFiner = 5; ///< what a refined study asks

struct WholeStudy {
  Study study;
  LargestBalls balls;
  Surroundings around;
  std::vector<Wall> walls;
};
WholeStudy studyWhole(const Part& part, const Vec3& up, Progress& progress);

/// What is told of: parts that are not known yet are null.
struct StudyParts {
  const Study* study = nullptr;
  const LargestBalls* balls = nullptr;
  const Surroundings* around = nullptr;
  const std::vector<Wall>* walls = nullptr;
};
/// What the telling goes by.
struct StudyWishes {
  std::vector<Cutter> library;   ///< balls to choose from
  double cusp = 0.005;           ///< that they are to leave, mm
  bool promised = false;         ///< a step promises that cusp
  double rpmMost = kInfinity;    ///< of the spindle
  std::optional<double> density; ///< of the work, g/cm^3
  std::optional<double> blank;   ///< volume of the blank, mm^3
  LengthUnit unit = LengthUnit::Millimetre;
};
struct StudyRow {
  std::string title, value;
  std::optional<Vec3> at;
  double width = 20; ///< mm that a view should show there
  bool wrong = false;
};
/// The three costliest demands first, then balls, reach, pockets, walls, size and weight. The ladder is priced with 60 s a cutter.
std::vector<StudyRow> tellStudy(const Part& part, const StudyParts& parts, const StudyWishes& wishes);
/// The same as lines of plain text.
std::string studyText(const Part& part, const StudyParts& parts, const StudyWishes& wishes);
/// What a ball leaves of the ground, "0.12 ± 0.05 cm², 0.30 % of the ground"; empty where it leaves nothing that was sampled.
std::string leavesText(const StudyParts& parts, double radius, LengthUnit unit = LengthUnit::Millimetre);
/// "ball 12, then ball 8".
std::string rungNames(const Ladder& ladder);
/// "12.0 cm² in 3 min; 0.5 cm² in 1 min 10 s", rung by rung.
std::string ladderText(const Ladder& ladder, LengthUnit unit = LengthUnit::Millimetre);
/// "21.0 mm below the top with a cutter of at most 3.0 mm: 7.0 times as deep as wide"; empty where the ground asks for no slimmer one than
/// three times as deep as wide.
std::string slimText(const StudyParts& parts, LengthUnit unit);
/// The ladder that is told of; none where nothing is known or no ball fits.
Ladder ladderFor(const StudyParts& parts, const StudyWishes& wishes);

} // namespace hemline
