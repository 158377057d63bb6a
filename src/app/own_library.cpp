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

QString materialsInUse() {
  const QString own = QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/materials.json";
  return QFileInfo::exists(own) ? own : QStringLiteral(HEMLINE_DATA "/materials.json");
}

} // namespace hemline::app
