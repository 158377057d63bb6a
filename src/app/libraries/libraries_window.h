// Cutters, holders, assemblies, materials and machines, as a person keeps them: a page each.
#pragma once
#include "libraries/pages.h"
#include <QDialog>
#include <QListWidget>
#include <QStackedWidget>

namespace hemline::app {

class LibrariesWindow : public QDialog {
  Q_OBJECT
public:
  enum class Page { Cutters, Holders, Assemblies, Materials, Machines };
  LibrariesWindow(Shelf shelf, Page first, QWidget* parent);
  void showPage(Page page) { list_->setCurrentRow(static_cast<int>(page)); }
  LibraryPage* page(Page page);
  const Shelf& shelf() const { return shelf_; }
  /// Writes what was changed; false: it could not be, and why is told.
  bool save();
  void reject() override; ///< asks where something is not saved

signals:
  void cutterTaken(const Cutter& cutter);
  void holderTaken(const Holder& holder);
  void assemblyTaken(const Cutter& cutter, const Holder& holder, double stickOut);
  void materialTaken(const Material& material);
  void machineTaken(const QString& file);

private:
  Shelf shelf_;
  QListWidget* list_;
  QStackedWidget* pages_;
  QPushButton* save_;
  QLabel* note_;
};

} // namespace hemline::app
