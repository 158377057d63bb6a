// The machine's table as a body.
#pragma once
#include "hold/fixture.h"
#include "machine/machine.h"

namespace hemline {

/// The machine's table in the clamping frame, three corners a triangle; empty if the machine's data have none. A round table is given as
/// a prism about it.
std::vector<Vec3> tableTriangles(const Machine& machine);

} // namespace hemline
