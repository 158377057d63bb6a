// The user's own cutter library, or the shipped one until it is first saved.
#pragma once
#include <QString>

namespace hemline::app {

QString ownLibraryPath();
/// The one to read.
QString libraryInUse();

} // namespace hemline::app
