// The cutter library in a table: edited, saved, exchanged as CSV, and taken into the job.
#pragma once
#include "cutter/library.h"
#include "model/job.h"
#include "table_dialog.h"
#include "view/assembly_picture.h"

namespace hemline::app {

class LibraryDialog : public TableDialog {
  Q_OBJECT
public:
  /// `job`: the open one, whose steps say where a cutter is used; null: none. Lengths are shown and typed in `unit`.
  LibraryDialog(const QString& path, const Job* job, LengthUnit unit, QWidget* parent);
  const CutterLibrary& library() const { return library_; }
  void save();

signals:
  /// A cutter or holder to be taken into the job.
  void cutterTaken(const Cutter& cutter);
  void holderTaken(const Holder& holder);

private:
  void fill();
  void fillHolders();
  void change(int row, int column);
  void changeHolder(int row, int column);
  /// What is chosen, drawn to scale: a cutter in the slimmest holder that takes it, a holder alone.
  void draw();
  QString usedBy(const std::string& name, bool cutter) const;
  QString shown(const char* key, double value) const;
  QTableWidget* holders_;
  AssemblyPicture* picture_;
  std::optional<Job> job_;
  LengthUnit unit_;
  QString path_;
  CutterLibrary library_;
  bool filling_ = false;
};

} // namespace hemline::app
