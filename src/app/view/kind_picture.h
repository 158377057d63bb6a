// What a kind of step would do to this part, as a small drawing: the part's edges, and the lines that the kind's passes would follow.
#pragma once
#include "model/job.h"
#include "part/part.h"
#include <QPixmap>

namespace hemline::app {

/// `step`: as it would be added, in the part's frame. For finishing kinds the level lines of their own field, for roughing levels, for
/// holes their places. Some 50 ms for 300,000 facets.
QPixmap kindPicture(const Part& part, const Job& job, const Step& step, QSize size, bool enabled);

} // namespace hemline::app
