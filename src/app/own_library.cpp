#include "own_library.h"
#include <QFileInfo>
#include <QStandardPaths>

namespace hemline::app {

QString ownLibraryPath() {
  return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/library.json";
}

QString libraryInUse() {
  const QString own = ownLibraryPath();
  return QFileInfo::exists(own) ? own : QStringLiteral(HEMLINE_DATA "/cutters/library.json");
}

QString ownMaterialsPath() {
  return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/materials.json";
}

QString materialsInUse() {
  const QString own = ownMaterialsPath();
  return QFileInfo::exists(own) ? own : QStringLiteral(HEMLINE_DATA "/materials.json");
}

} // namespace hemline::app
