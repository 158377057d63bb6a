// The user's own cutter library, or the shipped one until it is first saved.
#pragma once
#include "cutter/library.h"
#include "model/job.h"
#include <QStringList>

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

/// The user's own machines; files of machines: their own and those that come along.
QString ownMachines();
QStringList machineFiles();
/// A file of the user's own machines that neither is there yet nor among those given, with a name like the one given.
QString freeMachineFile(const QString& like, const QStringList& taken);

/// The library that is in use, with the speeds and feeds that its cutters begin with in the job's material. Throws Error.
CutterLibrary libraryOf(const Job* job);
/// The cutter as it begins in the job's material.
Cutter inMaterialOf(const Job& job, const Cutter& cutter, const std::vector<Material>& table);
/// Gives the job the material, and its cutters the speeds and feeds of the library's table for it.
void giveMaterial(Job& job, const Material& material);

} // namespace hemline::app
