// Questions that the window asks before something is put on record.
#pragma once
#include "desk.h"
#include "stages/journal.h"
#include <optional>

class QWidget;

namespace hemline::app {

/// Which promise is let pass, by whom and why; nothing when the user thinks better of it. Throws Error if none needs it.
std::optional<Waiver> askWaiver(const Desk& desk, QWidget* parent);
/// What a run at the machine took and showed. Throws Error before a step is computed.
std::optional<JournalEntry> askRun(const Desk& desk, QWidget* parent);

} // namespace hemline::app
