// What the libraries' window shows and edits: the user's own cutters, holders, assemblies, materials and machines.
#pragma once
#include "cutter/library.h"
#include "model/job.h"
#include <QString>
#include <QStringList>
#include <nlohmann/json.hpp>

namespace hemline::app {

struct Shelf {
  struct MachineFile {
    QString file;          ///< absolute
    nlohmann::json record; ///< as the file has it
    bool own = false;      ///< of the user: it may be changed
  };
  CutterLibrary library;
  std::vector<Material> materials;
  std::vector<MachineFile> machines;
  std::optional<Job> job; ///< the open one, whose steps say where something is used
  QString jobFolder;
  LengthUnit unit = LengthUnit::Millimetre;
  bool libraryChanged = false, materialsChanged = false;
  QStringList machinesChanged; ///< files

  bool changed() const { return libraryChanged || materialsChanged || !machinesChanged.isEmpty(); }
  /// "step 1, 3"; empty: no step does.
  QString usedBySteps(const std::function<bool(const Step&)>& uses) const {
    QStringList out;
    if (job)
      for (std::size_t k = 0; k < job->steps.size(); ++k)
        if (uses(job->steps[k])) out << QString::number(k + 1);
    return out.isEmpty() ? QString() : QObject::tr("step %1").arg(out.join(", "));
  }
};

/// The user's own where there are, else what comes along. Throws Error: an own file is damaged (it is put aside then, own_library.h).
Shelf readShelf();
/// Writes what was changed to the user's own files. Throws Error; what was not written stays changed.
void writeShelf(Shelf& shelf);

} // namespace hemline::app
