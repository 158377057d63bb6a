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

/// The same, looked at first: where the user's own file is damaged it is put aside (never overwritten), and Error says so; from then on the
/// shipped one is in use.
QString readableLibrary();
QString readableMaterials();

} // namespace hemline::app
