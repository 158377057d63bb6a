// Programs: ISO 6983 words out and in, cutter-location text (APT) out and in, and the replay on the stand-in machine.
#pragma once
#include "base/units.h"
#include "machine/machine.h"
#include <cmath>
#include <string>

namespace hemline {

struct ProgramStep {
  std::string name, cutter;
  int toolNumber = 1;
  double rpm = 0;
  const Path* path = nullptr;
  const JointPath* joints = nullptr;
  double reach = 0; ///< farthest point of the assembly from the tip, mm
};

struct ProgramOptions {
  std::string title;
  LengthUnit unit = LengthUnit::Millimetre;
  bool toolCentrePoint = true; ///< five axes: tip coordinates with the control following; else machine coordinates
  double tolerance = 0.0005;   ///< mm: sag of tip and far end allowed between blocks; they are split until it is met
};

/// How numbers are written in programs.
struct OutputWords {
  explicit OutputWords(LengthUnit unit) : factor(unit == LengthUnit::Inch ? 1 / kInch : 1), decimals(unit == LengthUnit::Inch ? 6 : 5) {}
  double factor; ///< mm to output unit
  int decimals;
  static constexpr int kAngleDecimals = 5;
  double rounding() const { return 0.5 * std::pow(10.0, -decimals) / factor; } ///< mm
  static double angleRounding() { return radians(0.5e-5); }
};

/// ISO 6983 program of one or more steps with one cutter. Comments carry cautions and the qualification notice.
std::string writeIso(const Machine& machine, const std::vector<ProgramStep>& steps, const ProgramOptions& options);

/// One block, or a chord of an arc, as the stand-in machine ran it.
struct ReplayedMove {
  Joints from, to;
  bool rapid;
  bool toolCentrePoint; ///< tip straight and rotary axes linear; else all joints linear
  double feed;          ///< mm/s
  int line;
  int tool = 0;      ///< number of the cutter in the spindle; 0: none was named
  double rpm = 0;    ///< 0: the spindle stands still
  bool jump = false; ///< reached from a place or by a way that is not known: `from` is `to`
};

struct Replay {
  std::vector<ReplayedMove> moves;
  std::vector<std::string> unsupported; ///< words that do not move the axes and have no meaning here, with line numbers
  std::vector<std::string> unproven;    ///< motions whose way only the machine knows, and what a switch decides, with line numbers
  double chordError = 0;                ///< mm by which chords leave the arcs they stand for, at most
};

/// Runs a program on the stand-in machine block by block (ISO 6983-1 and the words in common use: docs/programs.md). Arcs in all
/// three planes, also helical, become chords within 0.1 um. Throws Error with the line number for what is damaged, and for all words
/// at once that would move the axes in a way this machine does not know (canned cycles, cutter compensation, subprograms, variables).
Replay replayIso(const Machine& machine, const std::string& text);
/// Pose a fraction u through a replayed move.
void replayedPose(const Machine& machine, const ReplayedMove& move, double u, Vec3& tip, Vec3& axis);

/// A replay as a path in the clamping frame, whose moves run the tip straight and the axis along the great circle.
struct ReplayedPath {
  Path path;                       ///< with lines and unknown ways
  std::vector<Joints> joints;      ///< per location, as the program has them
  std::vector<int> tools;          ///< all that cut in the program, in order
  std::vector<std::string> limits; ///< axis travels that are left, with line numbers, at most 20
  double deviation = 0;            ///< mm by which any place of the cutter may be off the replay, at most (chords of arcs included)
};
/// The moves of one cutter (0: of all). Moves that turn the axis are split until tip and axis (at `reach` mm from the tip) stay within
/// `tolerance` mm of the replay.
ReplayedPath pathOf(const Machine& machine, const Replay& replay, int tool, double reach, double tolerance);

struct Comparison {
  double tip = 0;        ///< largest distance of the replayed tip from the path, mm
  double angle = 0;      ///< largest difference of the axis, radians, at block ends and inside blocks
  double top = 0;        ///< largest distance of tip and axis together, as it is at the far end of the assembly, mm
  double allowed = 0;    ///< of the tip: 0.1 um + output rounding + rounding times lever + the split tolerance inside blocks
  double allowedTop = 0; ///< the same and what rounded angles and the split tolerance make of it at the far end
  int line = 0;          ///< where the largest distance is, of tip or far end
  bool complete = true;  ///< every location was met in order
  std::string wrong;     ///< empty: equal; else line, cause and remedy
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
