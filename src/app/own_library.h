// The user's own cutter library, or the shipped one until it is first saved.
#pragma once
#include <QString>

namespace hemline::app {

QString ownLibraryPath();
/// The one to read.
QString libraryInUse();

/// The table of materials: the user's own beside their library, where there is one, else the one that comes along.
QString materialsInUse();
QString ownMaterialsPath();

} // namespace hemline::app
