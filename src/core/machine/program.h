// Programs: ISO 6983 words out and in, cutter-location text (APT) out and in, and the replay on the stand-in machine.
#pragma once
#include "base/units.h"
#include "machine/machine.h"
#include <string>

namespace hemline {

struct ProgramStep {
  std::string name, cutter;
  int toolNumber = 1;
  double rpm = 0;
  const Path* path = nullptr;
  const JointPath* joints = nullptr;
};

struct ProgramOptions {
  std::string title;
  LengthUnit unit = LengthUnit::Millimetre;
  bool toolCentrePoint = true; ///< five axes: tip coordinates with the control following; else machine coordinates
  double tolerance = 0.0005;   ///< mm: sag allowed between blocks; they are split until it is met
};

/// ISO 6983 program of one or more steps with one cutter. Comments carry cautions and the qualification notice.
std::string writeIso(const Machine& machine, const std::vector<ProgramStep>& steps, const ProgramOptions& options);

/// One block as the stand-in machine ran it.
struct ReplayedMove {
  Joints from, to;
  bool rapid;
  bool toolCentrePoint; ///< tip straight and rotary axes linear; else all joints linear
  double feed;          ///< mm/s
  int line;
};

struct Replay {
  std::vector<ReplayedMove> moves;
  std::vector<std::string> unsupported; ///< words met that have no meaning here, with line numbers
};

/// Reads a program back word by word and runs it on the stand-in machine. Throws Error with the line number.
Replay replayIso(const Machine& machine, const std::string& text);
/// Pose a fraction u through a replayed move.
void replayedPose(const Machine& machine, const ReplayedMove& move, double u, Vec3& tip, Vec3& axis);

struct Comparison {
  double tip = 0;       ///< largest distance of the replayed tip from the path, mm
  double angle = 0;     ///< largest axis difference, radians
  double allowed = 0;   ///< 0.1 um + output rounding + rounding times lever + the split tolerance inside blocks
  int line = 0;         ///< where the largest distance is
  bool complete = true; ///< every location was met in order
};

/// Compares the replay with the paths it was written from, at block ends and inside blocks.
Comparison compareReplay(const Machine& machine, const Replay& replay, const std::vector<ProgramStep>& steps,
                         const ProgramOptions& options);

/// APT cutter-location text: GOTO with tip and axis, FEDRAT, SPINDL, RAPID, LOADTL; mm.
std::string writeCl(const ProgramStep& step);
/// Reads cutter-location text from anybody. Unknown words are listed in the path's notes with line numbers. Throws Error
/// with the line number for damaged records.
Path readCl(const std::string& text, const std::string& where);

} // namespace hemline
