// Fixed bodies of a job as meshes.
#pragma once
#include "machine/machine.h"
#include "part/part.h"

namespace hemline {

/// Twelve triangles of a box, three corners each, outward.
std::vector<Vec3> boxTriangles(const Box& box);

/// The machine's table in the clamping frame; null if the machine's data have none. A round table is given as a prism about it.
std::shared_ptr<const Part> tableBody(const Machine& machine);

} // namespace hemline
