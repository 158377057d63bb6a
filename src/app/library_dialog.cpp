#include "library_dialog.h"
#include "base/error.h"
#include "base/file.h"
#include "base/units.h"
#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QHeaderView>
#include <nlohmann/json.hpp>

namespace hemline::app {
namespace {

struct Column {
  const char* head;
  const char* key; ///< of the library's JSON, so that one check serves the file and the table
};
constexpr std::array kColumns{Column{"name", "name"},
                              Column{"kind", "kind"},
                              Column{"diameter, mm", "diameter_mm"},
                              Column{"corner, mm", "corner_mm"},
                              Column{"flutes, mm", "flute_length_mm"},
                              Column{"neck ⌀, mm", "neck_diameter_mm"},
                              Column{"neck to, mm", "neck_length_mm"},
                              Column{"shank ⌀, mm", "shank_diameter_mm"},
                              Column{"length, mm", "length_mm"},
                              Column{"teeth", "teeth"},
                              Column{"ramp, °", "ramp_angle_deg"}};

} // namespace

LibraryDialog::LibraryDialog(const QString& path, QWidget* parent)
    : TableDialog(tr("Cutter library"), "library", parent), path_(path), library_(readLibrary(path.toStdString())) {
  resize(1000, 560);
  about(tr("%1 cutters and %2 holders. A value that is changed is checked at once; what is not possible is not taken.")
            .arg(library_.cutters.size())
            .arg(library_.holders.size()));
  button(tr("Copy as a new cutter"), [this] {
    const int row = table_->currentRow();
    if (row < 0 || row >= static_cast<int>(library_.cutters.size())) return;
    Cutter c = library_.cutters[static_cast<std::size_t>(row)];
    c.name += " (copy)";
    library_.cutters.push_back(c);
    fill();
  });
  button(tr("Take into the job"), [this] {
    const int row = table_->currentRow(), n = static_cast<int>(library_.cutters.size());
    if (row >= 0 && row < n) emit cutterTaken(library_.cutters[static_cast<std::size_t>(row)]);
    if (row >= n) emit holderTaken(library_.holders[static_cast<std::size_t>(row - n)]);
    if (row >= 0) tell(tr("Taken into the job."));
  });
  button(tr("CSV in…"), [this] {
    const QString f = QFileDialog::getOpenFileName(this, tr("Cutters from CSV"), {}, tr("CSV (*.csv)"));
    if (f.isEmpty()) return;
    try {
      for (const Cutter& c : cuttersFromCsv(readFile(f.toStdString()), f.toStdString())) library_.cutters.push_back(c);
      fill();
    } catch (const Error& e) {
      tell(QString::fromUtf8(e.what()));
    }
  });
  button(tr("CSV out…"), [this] {
    const QString f = QFileDialog::getSaveFileName(this, tr("Cutters to CSV"), "cutters.csv", tr("CSV (*.csv)"));
    if (f.isEmpty()) return;
    try {
      writeFileSafely(f.toStdString(), cuttersToCsv(library_.cutters));
    } catch (const Error& e) {
      tell(QString::fromUtf8(e.what()));
    }
  });
  gap();
  button(tr("Save the library"), [this] { save(); });
  button(tr("Close"), [this] { accept(); });
  connect(table_, &QTableWidget::cellChanged, this, &LibraryDialog::change);
  fill();
}

void LibraryDialog::fill() {
  filling_ = true;
  table_->setColumnCount(static_cast<int>(kColumns.size()));
  QStringList heads;
  for (const Column& c : kColumns) heads << tr(c.head);
  table_->setHorizontalHeaderLabels(heads);
  table_->setRowCount(static_cast<int>(library_.cutters.size() + library_.holders.size()));
  int row = 0;
  for (const Cutter& cutter : library_.cutters) {
    const nlohmann::json j = toJson(cutter);
    for (std::size_t c = 0; c < kColumns.size(); ++c) {
      const auto it = j.find(kColumns[c].key);
      const QString text = it == j.end()     ? QString()
                           : it->is_string() ? QString::fromStdString(it->get<std::string>())
                                             : QString::number(it->get<double>(), 'g', 6);
      table_->setItem(row, static_cast<int>(c), new QTableWidgetItem(text));
    }
    ++row;
  }
  for (const Holder& h : library_.holders) {
    for (std::size_t c = 0; c < kColumns.size(); ++c) {
      auto* item = new QTableWidgetItem(c == 0 ? QString::fromStdString(h.name) : c == 1 ? tr("holder") : QString());
      item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
      table_->setItem(row, static_cast<int>(c), item);
    }
    ++row;
  }
  table_->resizeColumnsToContents();
  filling_ = false;
}

void LibraryDialog::change(int row, int column) {
  if (filling_ || row >= static_cast<int>(library_.cutters.size())) return;
  Cutter& cutter = library_.cutters[static_cast<std::size_t>(row)];
  const Column& c = kColumns[static_cast<std::size_t>(column)];
  const std::string typed = table_->item(row, column)->text().toStdString();
  try {
    nlohmann::json j = toJson(cutter);
    if (column < 2)
      j[c.key] = typed;
    else {
      const auto v = parseNumber(typed);
      if (!v) throw Error("\"" + typed + "\" is not a number", c.head, "Type a number or a sum such as 3*0.2.");
      if (std::string(c.key) == "teeth")
        j[c.key] = static_cast<int>(*v);
      else
        j[c.key] = *v;
    }
    cutter = cutterFromJson(j, cutter.name);
    tell({});
  } catch (const Error& e) { // the old value stays
    tell(QString::fromUtf8(e.what()));
  }
  fill();
}

void LibraryDialog::save() {
  try {
    QFileInfo info(path_);
    info.dir().mkpath(".");
    writeLibrary(path_.toStdString(), library_);
    tell(tr("Saved."));
  } catch (const Error& e) {
    tell(QString::fromUtf8(e.what()));
  }
}

} // namespace hemline::app
