// The libraries' window, and what is taken from it into the job.
#include "base/error.h"
#include "cutter/mount.h"
#include "libraries/libraries_window.h"
#include "own_library.h"
#include "window.h"
#include <QDir>
#include <QFileInfo>
#include <nlohmann/json.hpp>

namespace hemline::app {

void Window::chooseLibraries(LibrariesWindow::Page first) {
  std::optional<Shelf> shelf;
  for (int files = 2; !shelf; --files) try { // the library and the materials
      shelf = readShelf();
    } catch (const Error& e) { // a damaged one was put aside: what comes along is in use
      tell(QString::fromUtf8(e.what()), true);
      if (files == 0) return;
    }
  shelf->unit = desk_.unit();
  if (desk_.isOpen()) shelf->job = desk_.job(), shelf->jobFolder = QFileInfo(desk_.path()).path();
  LibrariesWindow window(std::move(*shelf), first, this);
  connect(&window, &LibrariesWindow::cutterTaken, this, [&](const Cutter& c) {
    desk_.attempt(tr("take cutter %1").arg(QString::fromStdString(c.name)), [&](Job& j) {
      std::erase_if(j.cutters, [&](const Cutter& x) { return x.name == c.name; });
      j.cutters.push_back(inMaterialOf(j, c, window.shelf().materials));
      if (!mountFor(c, j.holders, 0)) // with something that takes it
        if (const auto mount = mountFor(c, window.shelf().library.holders, 0)) takeInto(j.holders, *mount->holder);
    });
  });
  connect(&window, &LibrariesWindow::holderTaken, this, [this](const Holder& h) {
    desk_.attempt(tr("take holder %1").arg(QString::fromStdString(h.name)), [&](Job& j) {
      std::erase_if(j.holders, [&](const Holder& x) { return x.name == h.name; });
      j.holders.push_back(h);
    });
  });
  connect(&window, &LibrariesWindow::assemblyTaken, this, [&](const Cutter& c, const Holder& h, double stickOut) {
    const int step = hem_->selected();
    if (step < 0) return tell(tr("Select a step first: the assembly is given to it."), true);
    QStringList kept;
    desk_.attempt(tr("%1 in %2").arg(QString::fromStdString(c.name), QString::fromStdString(h.name)), [&](Job& j) {
      // What other steps use stays as they know it; without one of the name the library's is taken.
      const auto take = [&](auto& list, const auto& one) {
        takeInto(list, one);
        for (const auto& had : list)
          if (had.name == one.name && toJson(had) != toJson(one)) kept << QString::fromStdString(had.name);
      };
      take(j.cutters, inMaterialOf(j, c, window.shelf().materials)), take(j.holders, h);
      Step& s = j.steps[static_cast<std::size_t>(step)];
      s.cutter = c.name, s.holder = h.name, s.stickOut = stickOut, s.asSet = {};
    });
    if (!kept.isEmpty())
      tell(tr("The job's own %1 differs from the library's and stays: other steps may use it. Take it into the job by its own page to put "
              "the library's in its place.")
               .arg(kept.join(", ")),
           true);
  });
  connect(&window, &LibrariesWindow::materialTaken, this, [this](const Material& m) {
    desk_.attempt(tr("material %1").arg(QString::fromStdString(m.name)), [&](Job& j) { giveMaterial(j, m); });
  });
  connect(&window, &LibrariesWindow::machineTaken, this, [this](const QString& file) {
    desk_.attempt(tr("machine %1").arg(QFileInfo(file).completeBaseName()),
                  [&](Job& j) { j.machineFile = QFileInfo(desk_.path()).dir().relativeFilePath(file).toStdString(); });
  });
  window.exec();
}

} // namespace hemline::app
