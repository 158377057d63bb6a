#include "own_library.h"
#include "base/error.h"
#include "base/safe_name.h"
#include "cutter/force.h"
#include "cutter/library.h"
#include <QDir>
#include <QFile>
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

namespace {
template <class Read> QString readable(const QString& own, const QString& shipped, const QString& what, const Read& read) {
  if (!QFileInfo::exists(own)) return shipped;
  try {
    read(own.toStdString());
    return own;
  } catch (const Error& e) {
    QString aside;
    for (int n = 1; aside.isEmpty() || QFileInfo::exists(aside); ++n) aside = QString("%1.damaged-%2").arg(own).arg(n);
    const bool moved = QFile::rename(own, aside);
    throw Error(Fault::Damaged, QObject::tr("Your own %1 cannot be used: %2").arg(what, QString::fromStdString(e.happened)).toStdString(),
                (moved ? aside : own).toStdString(),
                (moved ? QObject::tr("It was put aside under this name; what Hemline ships is used from now on. Mend it and put it back.")
                       : QObject::tr("Mend it or move it away."))
                    .toStdString());
  }
}
} // namespace

QString readableLibrary() {
  return readable(ownLibraryPath(), QStringLiteral(HEMLINE_DATA "/cutters/library.json"), QObject::tr("cutter library"),
                  [](const std::string& path) { readLibrary(path); });
}

QString readableMaterials() {
  return readable(ownMaterialsPath(), QStringLiteral(HEMLINE_DATA "/materials.json"), QObject::tr("table of materials"),
                  [](const std::string& path) { readMaterials(path); });
}

QString ownMachines() {
  return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/machines";
}

QStringList machineFiles() {
  QStringList out;
  for (const QString& folder : {QStringLiteral(HEMLINE_DATA "/machines"), ownMachines()})
    for (const QFileInfo& f : QDir(folder).entryInfoList({"*.json"}, QDir::Files, QDir::Name)) out << QDir::cleanPath(f.absoluteFilePath());
  return out;
}

QString freeMachineFile(const QString& like, const QStringList& taken) {
  const QString name = QString::fromStdString(filePart(like.toStdString()));
  for (int n = 1;; ++n) {
    const QString file = QDir(ownMachines()).absoluteFilePath(QString("%1-%2.json").arg(name).arg(n));
    if (!QFileInfo::exists(file) && !taken.contains(QDir::cleanPath(file))) return QDir::cleanPath(file);
  }
}

CutterLibrary libraryOf(const Job* job) {
  CutterLibrary library = readLibrary(readableLibrary().toStdString());
  return job && job->material ? libraryFor(job->material->name, readMaterials(readableMaterials().toStdString()), std::move(library))
                              : library;
}

Cutter inMaterialOf(const Job& job, const Cutter& cutter, const std::vector<Material>& table) {
  if (job.material)
    for (const Material& m : table)
      if (m.name == job.material->name) return cutterFor(m, cutter);
  return cutter;
}

void giveMaterial(Job& job, const Material& material) {
  for (Cutter& c : job.cutters) c = cutterFor(material, c);
  job.material = material;
  job.material->cutting.clear(); // the table's; what a job needs stands in its cutters
}

} // namespace hemline::app
