// Paths that somebody else made: cutter-location text and ISO programs.
#pragma once
#include "cutter/cutter.h"
#include "machine/rapid_ways.h"
#include "part/part.h"
#include "proof/surface_proof.h"
#include <optional>

namespace hemline {

struct GivenPath {
  Path path;
  std::vector<Joints> joints;        ///< programs: as they stand in it, one a location
  OtherWays ways;                    ///< programs: how else the machine may run the rapids
  double deviation = 0;              ///< mm by which any place of the assembly may be off what the file says, at most
  std::vector<std::string> unproven; ///< what keeps the path from ever being proven, with line numbers
  std::vector<std::string> remarks;  ///< words without effect here, with line numbers
  bool isProgram = false;            ///< ISO; else cutter-location text
};

/// Reads either format, told apart by what stands in the text. ISO programs are run on `machine` (Error if there is none); of several
/// cutters, `tool` picks one (0: the only one; Error that names all if there are more). `reach`: farthest point of the assembly from
/// the tip, mm. Throws Error with file and line for what is damaged.
GivenPath readGivenPath(const std::string& text, const std::string& where, const Machine* machine, int tool, double reach);

/// What somebody else's path leaves on the ground that it was meant for: the pieces of facets that it comes near to all over (a fiftieth
/// of a millimetre above the allowance or twenty cusps, whichever is more). The gouge is that of the whole part. Rest is measured where the
/// axis is fixed. Throws Error where the path is nowhere near the part.
struct GivenProof {
  SurfaceProof surface;
  std::string told; ///< how much ground was judged, and what was not
};
GivenProof measureGivenPath(const Part& part, const Profile& profile, const Path& path, double deviation, SurfaceProofOptions options,
                            const std::string& name, Progress& progress);

} // namespace hemline
