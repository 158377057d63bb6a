// The edges of a STEP file, found in its text: something to see while its faces are being read.
#pragma once
#include "geometry/vec.h"
#include <string>
#include <vector>

namespace hemline {

/// Polylines of the edges (ISO 10303-21 text, EDGE_CURVE of ISO 10303-42): straight ones as they are, circles and ellipses in pieces of 10
/// degrees at most, splines by their control points. In the file's own unit; parts of an assembly each in its own frame. Edges that are
/// told in another way are chords. Never throws: what is not understood is left out. Linear in the text, about 50 MB a second.
std::vector<std::vector<Vec3>> stepOutline(const std::string& text);

} // namespace hemline
