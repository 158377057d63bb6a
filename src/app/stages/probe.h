// What was measured at one place, and what each step that changed it left there.
#pragma once
#include "desk.h"
#include <QString>

namespace hemline::app {

struct Probed {
  Vec3 at;
  QString text;                             ///< rich text
  std::shared_ptr<const StepResult> closer; ///< finishing step that measured this place, the selected one first; null: none
};

/// The worst place of the step within 1 mm of `place`, which lies on `facet` of the open job's part.
Probed probeAt(const Desk& desk, int step, const Vec3& place, std::size_t facet);

} // namespace hemline::app
