// What was mended of a model when it was read, and what is odd about it: in words, with what it means and where.
#pragma once
#include "part/part.h"
#include <optional>

namespace hemline {

struct ModelNote {
  std::string what;       ///< "3 triangles turned to face outward"
  std::string means;      ///< what follows for the work, a sentence
  bool mended = false;    ///< nothing is left of it; else it is as the file has it
  bool meant = false;     ///< it may be meant so: sheets are open
  std::optional<Vec3> at; ///< a place of it, mm; the longest edge's middle where it is of edges
};

/// Mended ones first. Linear in the facets where anything is wrong with their edges.
std::vector<ModelNote> modelNotes(const Part& part);

} // namespace hemline
