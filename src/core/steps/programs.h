// The node that writes a program, runs it on the stand-in machine and compares it with the paths that it is of.
#pragma once
#include "geometry/frame.h"
#include "machine/program.h"
#include "steps/measuring.h"

namespace hemline {

struct ProgramPart {
  std::string name, cutter;
  int toolNumber = 1;
  double rpm = 0;
  double reach = 0; ///< farthest point of the assembly from the tip, mm
  Ref<Planned> plan;
  Ref<InTime> time;
};
struct ProgramIn {
  Machine machine;
  Frame frame; ///< the clamping's
  std::vector<ProgramPart> parts;
  ProgramOptions options;
};
struct WrittenProgram {
  std::string text;
  Comparison comparison;
  std::string wrong; ///< line, cause and remedy; empty: replayed and equal to its paths within the stated bound
};
extern const Node<ProgramIn, WrittenProgram> kProgram;

} // namespace hemline
