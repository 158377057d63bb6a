// The table of materials: edited, saved as the user's own, and taken into the job.
#pragma once
#include "cutter/force.h"
#include "table_dialog.h"

namespace hemline::app {

class MaterialsDialog : public TableDialog {
  Q_OBJECT
public:
  /// Shows the table of `path`; saves to `own`.
  MaterialsDialog(const QString& path, QString own, QWidget* parent);
  const std::vector<Material>& materials() const { return materials_; }
  void save();

signals:
  void materialTaken(const Material& material);

private:
  void fill();
  void change(int row, int column);
  QString own_;
  std::vector<Material> materials_;
  bool filling_ = false;
};

} // namespace hemline::app
