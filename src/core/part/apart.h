// Models are read in a process of their own, with limits on time and memory: damaged ones can bring down that process or keep it
// busy for ever (the libraries for STEP, IGES, PLY do), never the one that asked.
#pragma once
#include "part/formats.h"

namespace hemline {

/// As readCad(), readFacets() and read3mf(), apart. Throw Error: what those throw; the reader fell, ran out of time or memory, or is not
/// installed. Throw Cancelled; the reader is then gone, too.
CadTriangles readCadApart(const std::string& path, bool iges, const ReadOptions& options, Progress& progress);
std::vector<Vec3> readFacetsApart(const std::string& path, Progress& progress);
Told3mf read3mfApart(const std::string& path, Progress& progress);

/// Everything of the program hemline-reader: reads what its arguments say and sends it to its standard output. Its exit code.
int readerMain(int argc, char** argv);

} // namespace hemline
