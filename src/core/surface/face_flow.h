// Passes along a parameter of CAD faces, as a pattern's data; what it is on a ground is found by finishing/flow_field.h.
#pragma once

namespace hemline {

struct FaceFlow {
  bool alongV = false; ///< of the largest face; else along its u
};

} // namespace hemline
