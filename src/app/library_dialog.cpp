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
                              Column{"diameter", "diameter_mm"},
                              Column{"corner", "corner_mm"},
                              Column{"flutes", "flute_length_mm"},
                              Column{"neck ⌀", "neck_diameter_mm"},
                              Column{"neck to", "neck_length_mm"},
                              Column{"shank ⌀", "shank_diameter_mm"},
                              Column{"shank from", "shank_from_mm"},
                              Column{"gripped", "least_gripped_mm"},
                              Column{"length", "length_mm"},
                              Column{"teeth", "teeth"},
                              Column{"ramp, °", "ramp_angle_deg"}};

/// Bores and lengths of holders; the shape is one frustum after the other.
constexpr std::array kHolderColumns{
    Column{"name", "name"},     Column{"bore from", nullptr},      Column{"bore to", nullptr},
    Column{"grips", "grip_mm"}, Column{"lets in", "insertion_mm"}, Column{"shape from its face: z r z r; ... mm", nullptr}};

QString shapeText(const Holder& h) {
  QStringList out;
  for (const HolderPart& p : h.parts) out << QString("%1 %2 %3 %4").arg(p.z0).arg(p.r0).arg(p.z1).arg(p.r1);
  return out.join("; ");
}

std::vector<HolderPart> shapeFrom(const QString& text) {
  std::vector<HolderPart> out;
  for (const QString& piece : text.split(';', Qt::SkipEmptyParts)) {
    const QStringList words = piece.simplified().split(' ');
    std::array<double, 4> v{};
    for (qsizetype i = 0; i < 4; ++i) {
      const auto value = words.size() == 4 ? parseNumber(words[i].toStdString()) : std::nullopt;
      if (!value)
        throw Error(Fault::NotUnderstood, "'" + piece.trimmed().toStdString() + "' is no frustum", "shape",
                    "Give z, r, z, r of each, in mm.");
      v[static_cast<std::size_t>(i)] = *value;
    }
    out.push_back({v[0], v[1], v[2], v[3]});
  }
  return out;
}

/// Values in files are in mm; columns without a length stay as they are.
bool isLength(const char* key) {
  return std::string_view(key).ends_with("_mm");
}

} // namespace

LibraryDialog::LibraryDialog(const QString& path, const Job* job, LengthUnit unit, QWidget* parent)
    : TableDialog(tr("Cutter library"), "library", parent), picture_(new AssemblyPicture), job_(job ? std::optional(*job) : std::nullopt),
      unit_(unit), path_(path), library_(readLibrary(path.toStdString())) {
  resize(1180, 640);
  about(tr("%1 cutters and %2 holders, lengths in %3. A value that is changed is checked at once; what is not possible is not taken. "
           "Cutting data "
           "are assumed: the supplier's stand above them.")
            .arg(library_.cutters.size())
            .arg(library_.holders.size())
            .arg(unit_ == LengthUnit::Inch ? tr("inches") : tr("mm")));
  search(tr("Search, for instance ball 6"));
  holders_ = second(tr("Holders"), "holders");
  picture_->setUnit(unit_);
  beside(picture_);
  const auto chosen = [](const QTableWidget* table, const auto& list) -> decltype(list.data()) {
    const int row = table->selectedItems().isEmpty() ? -1 : table->currentRow();
    return row < 0 || row >= static_cast<int>(list.size()) ? nullptr : &list[static_cast<std::size_t>(row)];
  };
  // What is chosen in one table is no longer chosen in the other.
  connect(table_, &QTableWidget::itemSelectionChanged, this, [this] {
    if (!table_->selectedItems().isEmpty()) holders_->clearSelection();
    draw();
  });
  connect(holders_, &QTableWidget::itemSelectionChanged, this, [this] {
    if (!holders_->selectedItems().isEmpty()) table_->clearSelection();
    draw();
  });
  button(tr("Copy as a new one"), [this, chosen] {
    if (const Cutter* c = chosen(table_, library_.cutters)) {
      Cutter copy = *c;
      copy.name += " (copy)";
      library_.cutters.push_back(copy);
    } else if (const Holder* h = chosen(holders_, library_.holders)) {
      Holder copy = *h;
      copy.name += " (copy)";
      library_.holders.push_back(copy);
    } else
      return tell(tr("Choose a cutter or a holder first."));
    fill();
  });
  button(tr("Take into the job"), [this, chosen] {
    if (const Cutter* c = chosen(table_, library_.cutters))
      emit cutterTaken(*c);
    else if (const Holder* h = chosen(holders_, library_.holders))
      emit holderTaken(*h);
    else
      return tell(tr("Choose a cutter or a holder first."));
    tell(tr("Taken into the job."));
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
  connect(holders_, &QTableWidget::cellChanged, this, &LibraryDialog::changeHolder);
  fill();
  // Who uses it stands beside its name.
  table_->horizontalHeader()->moveSection(static_cast<int>(kColumns.size()), 1);
  holders_->horizontalHeader()->moveSection(static_cast<int>(kHolderColumns.size()), 1);
}

QString LibraryDialog::shown(const char* key, double value) const {
  return QString::number(key && isLength(key) && unit_ == LengthUnit::Inch ? value / kInch : value, 'g', unit_ == LengthUnit::Inch ? 5 : 6);
}

QString LibraryDialog::usedBy(const std::string& name, bool cutter) const {
  QStringList out;
  if (job_)
    for (std::size_t k = 0; k < job_->steps.size(); ++k)
      if ((cutter ? job_->steps[k].cutter : job_->steps[k].holder) == name) out << QString::number(k + 1);
  return out.isEmpty() ? QString() : tr("step %1").arg(out.join(", "));
}

void LibraryDialog::draw() {
  const auto rowOf = [](const QTableWidget* t) { return t->selectedItems().isEmpty() ? -1 : t->currentRow(); };
  if (const int row = rowOf(table_); row >= 0 && row < static_cast<int>(library_.cutters.size())) {
    const Cutter& c = library_.cutters[static_cast<std::size_t>(row)];
    const auto m = mountFor(c, library_.holders, std::max(c.neckLength, c.fluteLength) + 2);
    picture_->show(&c, m ? m->holder : nullptr, m ? m->stickOut : 0);
  } else if (const int h = rowOf(holders_); h >= 0 && h < static_cast<int>(library_.holders.size())) {
    picture_->show(nullptr, &library_.holders[static_cast<std::size_t>(h)]);
  }
}

void LibraryDialog::fill() {
  filling_ = true;
  table_->setColumnCount(static_cast<int>(kColumns.size()) + 1);
  QStringList heads;
  for (const Column& c : kColumns) heads << tr(c.head);
  heads << tr("used by");
  table_->setHorizontalHeaderLabels(heads);
  table_->setRowCount(static_cast<int>(library_.cutters.size()));
  int row = 0;
  for (const Cutter& cutter : library_.cutters) {
    const nlohmann::json j = toJson(cutter);
    for (std::size_t c = 0; c < kColumns.size(); ++c) {
      const auto it = j.find(kColumns[c].key);
      const QString text = it == j.end()     ? QString()
                           : it->is_string() ? QString::fromStdString(it->get<std::string>())
                                             : shown(kColumns[c].key, it->get<double>());
      table_->setItem(row, static_cast<int>(c), new QTableWidgetItem(text));
    }
    auto* used = new QTableWidgetItem(usedBy(cutter.name, true));
    used->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
    table_->setItem(row, static_cast<int>(kColumns.size()), used);
    ++row;
  }
  table_->resizeColumnsToContents();
  fillHolders();
  filling_ = false;
  draw();
}

void LibraryDialog::fillHolders() {
  holders_->setColumnCount(static_cast<int>(kHolderColumns.size()) + 1);
  QStringList heads;
  for (const Column& c : kHolderColumns) heads << tr(c.head);
  heads << tr("used by");
  holders_->setHorizontalHeaderLabels(heads);
  holders_->setRowCount(static_cast<int>(library_.holders.size()));
  const auto length = [this](double mm) { return mm > 0 ? shown("_mm", mm) : QString(); };
  int row = 0;
  for (const Holder& h : library_.holders) {
    const QStringList cells{
        QString::fromStdString(h.name), length(h.boreFrom), length(h.boreTo), length(h.grip), length(h.insertion), shapeText(h)};
    for (qsizetype c = 0; c < cells.size(); ++c) holders_->setItem(row, static_cast<int>(c), new QTableWidgetItem(cells[c]));
    auto* used = new QTableWidgetItem(usedBy(h.name, false));
    used->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
    holders_->setItem(row, static_cast<int>(kHolderColumns.size()), used);
    ++row;
  }
  holders_->resizeColumnsToContents();
}

void LibraryDialog::changeHolder(int row, int column) {
  if (filling_ || column >= static_cast<int>(kHolderColumns.size())) return;
  Holder& holder = library_.holders[static_cast<std::size_t>(row)];
  const Column& c = kHolderColumns[static_cast<std::size_t>(column)];
  const QString typed = holders_->item(row, column)->text();
  try {
    Holder changed = holder;
    if (column == 0)
      changed.name = typed.toStdString();
    else if (column == 5)
      changed.parts = shapeFrom(typed);
    else {
      const auto v = typed.trimmed().isEmpty() ? std::optional(0.0) : parseLength(typed.toStdString(), unit_);
      if (!v || *v < 0)
        throw Error(Fault::NotUnderstood, "'" + typed.toStdString() + "' is no length", c.head,
                    "Type a number, or nothing where it is not known.");
      (column == 1 ? changed.boreFrom : column == 2 ? changed.boreTo : column == 3 ? changed.grip : changed.insertion) = *v;
      // One bore unless a range is told.
      if (column == 1 && changed.boreTo < *v) changed.boreTo = *v;
      if (column == 2 && (changed.boreFrom == 0 || changed.boreFrom > *v)) changed.boreFrom = *v;
    }
    holder = holderFromJson(toJson(changed), holder.name);
    tell({});
  } catch (const Error& e) { // the old value stays
    tell(QString::fromUtf8(e.what()));
  }
  fill();
}

void LibraryDialog::change(int row, int column) {
  if (filling_ || column >= static_cast<int>(kColumns.size())) return;
  Cutter& cutter = library_.cutters[static_cast<std::size_t>(row)];
  const Column& c = kColumns[static_cast<std::size_t>(column)];
  const std::string typed = table_->item(row, column)->text().toStdString();
  try {
    nlohmann::json j = toJson(cutter);
    if (column < 2)
      j[c.key] = typed;
    else {
      const auto v = isLength(c.key) ? parseLength(typed, unit_) : parseNumber(typed);
      if (!v) throw Error(Fault::NotUnderstood, "\"" + typed + "\" is not a number", c.head, "Type a number or a sum such as 3*0.2.");
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
