#include "libraries/shelf.h"
#include "base/error.h"
#include "base/file.h"
#include "machine/machine.h"
#include "own_library.h"
#include <QDir>
#include <QFileInfo>

namespace hemline::app {

Shelf readShelf() {
  Shelf s;
  s.library = readLibrary(readableLibrary().toStdString());
  s.materials = readMaterials(readableMaterials().toStdString());
  for (const QString& file : machineFiles()) {
    try {
      const std::string path = file.toStdString();
      Shelf::MachineFile m{file, parseJson(readFile(path), "The machine file", path, "Compare it with the shipped machines."),
                           QFileInfo(file).dir() == QDir(ownMachines())};
      machineFromJson(m.record, path);
      s.machines.push_back(m);
    } catch (const Error&) { // one that cannot be read is told where it is chosen
    }
  }
  return s;
}

void writeShelf(Shelf& s) {
  const auto into = [](const QString& file) {
    QFileInfo(file).dir().mkpath(".");
    return file.toStdString();
  };
  if (s.libraryChanged) writeLibrary(into(ownLibraryPath()), s.library);
  s.libraryChanged = false;
  if (s.materialsChanged) writeMaterials(into(ownMaterialsPath()), s.materials);
  s.materialsChanged = false;
  for (const Shelf::MachineFile& m : s.machines)
    if (m.own && s.machinesChanged.contains(m.file)) writeFileSafely(into(m.file), m.record.dump(1) + "\n");
  s.machinesChanged.clear();
}

} // namespace hemline::app
