// The cutter library in a table: edited, saved, exchanged as CSV, and taken into the job.
#pragma once
#include "cutter/library.h"
#include "table_dialog.h"

namespace hemline::app {

class LibraryDialog : public TableDialog {
  Q_OBJECT
public:
  LibraryDialog(const QString& path, QWidget* parent);
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
  QTableWidget* holders_;
  QString path_;
  CutterLibrary library_;
  bool filling_ = false;
};

} // namespace hemline::app
