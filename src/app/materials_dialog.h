// The table of materials: edited, saved as the user's own, and taken into the job.
#pragma once
#include "cutter/force.h"
#include <QDialog>
#include <QLabel>
#include <QTableWidget>

namespace hemline::app {

class MaterialsDialog : public QDialog {
  Q_OBJECT
public:
  /// Shows the table of `path`; saves to `own`.
  MaterialsDialog(const QString& path, QString own, QWidget* parent);
  const std::vector<Material>& materials() const { return materials_; }
  QTableWidget* table() { return table_; }
  void save();

signals:
  void materialTaken(const Material& material);

private:
  void fill();
  void change(int row, int column);
  void tell(const QString& text) { note_->setText(text); }
  QString own_;
  std::vector<Material> materials_;
  QTableWidget* table_;
  QLabel* note_;
  bool filling_ = false;
};

} // namespace hemline::app
