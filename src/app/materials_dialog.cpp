#include "materials_dialog.h"
#include "base/error.h"
#include "base/units.h"
#include <QDir>
#include <QFileInfo>
#include <QHeaderView>
#include <nlohmann/json.hpp>

namespace hemline::app {
namespace {

struct Column {
  const char* head;
  const char* key; ///< of the table's JSON, so that one check serves the file and the window
  const char* help;
};
constexpr std::array kColumns{
    Column{"material", "name", "A group of materials, as the job names it."},
    Column{"cutting force, N/mm²", "kc11_N_mm2", "Specific cutting force at a chip of 1 mm by 1 mm (Kienzle's kc1.1)."},
    Column{"rise", "mc", "How much more thin chips cost: force per area grows with the chip to the power of minus this (Kienzle's mc)."},
    Column{"elasticity, N/mm²", "young_N_mm2", "Young's modulus, for what bends."},
    Column{"density, g/cm³", "density_g_cm3", "For weights."}};

} // namespace

MaterialsDialog::MaterialsDialog(const QString& path, QString own, QWidget* parent)
    : TableDialog(tr("Materials"), "materials", parent), own_(std::move(own)), materials_(readMaterials(path.toStdString())) {
  resize(760, 440);
  about(tr("Forces, torque, feeds by the load and bending go by these values. They are rounded values of groups: the "
           "supplier's data and the shop's experience stand above them. A value that is changed is checked at once."));
  const auto row = [this] { return table_->currentRow() >= 0 ? std::optional<std::size_t>(table_->currentRow()) : std::nullopt; };
  button(tr("Copy as a new material"), [this, row] {
    if (!row()) return tell(tr("Choose a material first."));
    Material m = materials_[*row()];
    m.name += " (copy)";
    materials_.push_back(m);
    fill();
    table_->setCurrentCell(table_->rowCount() - 1, 0);
  });
  button(tr("Remove"), [this, row] {
    if (!row()) return tell(tr("Choose a material first."));
    if (materials_.size() == 1) return tell(tr("The last material stays."));
    materials_.erase(materials_.begin() + static_cast<std::ptrdiff_t>(*row()));
    fill();
  });
  button(tr("Take into the job"), [this, row] {
    if (!row()) return tell(tr("Choose a material first."));
    emit materialTaken(materials_[*row()]);
    tell(tr("Taken into the job."));
  });
  gap();
  button(tr("Save the table"), [this] { save(); });
  button(tr("Close"), [this] { accept(); });
  connect(table_, &QTableWidget::cellChanged, this, &MaterialsDialog::change);
  fill();
}

void MaterialsDialog::fill() {
  filling_ = true;
  table_->setColumnCount(static_cast<int>(kColumns.size()));
  table_->setRowCount(static_cast<int>(materials_.size()));
  for (std::size_t c = 0; c < kColumns.size(); ++c) {
    auto* head = new QTableWidgetItem(tr(kColumns[c].head));
    head->setToolTip(tr(kColumns[c].help));
    table_->setHorizontalHeaderItem(static_cast<int>(c), head);
  }
  for (std::size_t r = 0; r < materials_.size(); ++r) {
    const nlohmann::json j = toJson(materials_[r]);
    for (std::size_t c = 0; c < kColumns.size(); ++c) {
      const auto& v = j[kColumns[c].key];
      auto* item =
          new QTableWidgetItem(v.is_string() ? QString::fromStdString(v.get<std::string>()) : QString::number(v.get<double>(), 'g', 6));
      if (c > 0) item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
      table_->setItem(static_cast<int>(r), static_cast<int>(c), item);
    }
  }
  table_->resizeColumnsToContents();
  table_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
  filling_ = false;
}

void MaterialsDialog::change(int row, int column) {
  if (filling_) return;
  Material& material = materials_[static_cast<std::size_t>(row)];
  const Column& c = kColumns[static_cast<std::size_t>(column)];
  const std::string typed = table_->item(row, column)->text().trimmed().toStdString();
  try {
    nlohmann::json j = toJson(material);
    if (column == 0) {
      if (typed.empty()) throw Error(Fault::Missing, "A material has no name", c.head, "Type one.");
      for (const Material& m : materials_)
        if (&m != &material && m.name == typed) throw Error(Fault::Clash, "Two materials have one name", typed, "Name them apart.");
      j[c.key] = typed;
    } else {
      const auto v = parseNumber(typed);
      if (!v) throw Error(Fault::NotUnderstood, "\"" + typed + "\" is not a number", tr(c.head).toStdString(), "Type a number.");
      j[c.key] = *v;
    }
    material = materialFromJson(j, material.name);
    tell(tr("Changed; not saved yet."));
  } catch (const Error& e) { // the old value stays
    tell(QString::fromUtf8(e.what()).replace(QString("'%1'").arg(c.key), tr(c.head)));
  }
  fill();
}

void MaterialsDialog::save() {
  try {
    QFileInfo(own_).dir().mkpath(".");
    writeMaterials(own_.toStdString(), materials_);
    tell(tr("Saved."));
  } catch (const Error& e) {
    tell(QString::fromUtf8(e.what()));
  }
}

} // namespace hemline::app
