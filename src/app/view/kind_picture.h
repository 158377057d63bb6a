// What a kind of step would do to this part, as a small drawing: the part's edges, and the lines that the kind's passes would follow.
#pragma once
#include "base/progress.h"
#include "model/job.h"
#include "view/part_drawing.h"

namespace hemline::app {

/// `step`: as it would be added, in the part's frame; its axis is the drawing's. For finishing kinds the level lines of their own field,
/// for roughing levels, for holes their places; null where the part has no ground for the kind. Some 50 ms for 300,000 facets, a second or
/// two where the field has to be found. Throws Cancelled.
QImage kindPicture(const PartDrawing& drawing, const Job& job, const Step& step, bool enabled, Progress& progress);

} // namespace hemline::app
