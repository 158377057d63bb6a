#include "base/error.h"
#include "base/file.h"
#include "libraries/machine_picture.h"
#include "libraries/pages.h"
#include "machine/flat_machine.h"
#include "own_library.h"
#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QPushButton>
#include <QRegularExpression>

namespace hemline::app {
namespace {
using Kind = RecordColumn::Kind;

const char* const kAxisKeys[]{"low", "high", "velocity_per_s", "acceleration_per_s2"};

bool turns(const std::string& axis) {
  return axis == "A" || axis == "B" || axis == "C";
}

/// As people tell them: those that travel, then those that turn.
std::vector<std::string> axesOf(const nlohmann::json& record) {
  std::vector<std::string> out;
  for (const bool turning : {false, true})
    for (const auto& [axis, value] : record.at("axes").items())
      if (turns(axis) == turning) out.push_back(axis);
  return out;
}

/// Of a machine besides its axes: what can be typed, by the name of its flat record. Whether the post is commissioned is not typed here.
struct Besides {
  const char* key;
  QString what, unit;
  bool length; ///< its numbers are lengths
};
std::vector<Besides> besidesOf(const nlohmann::json& flat, LengthUnit shown) {
  const QString mm = shown == LengthUnit::Inch ? MachinesPage::tr("in") : MachinesPage::tr("mm");
  std::vector<Besides> out;
  for (const Besides& b :
       {Besides{"work_offset_mm", MachinesPage::tr("work zero over the table's middle: X Y Z"), mm, true},
        Besides{"a_pivot_mm", MachinesPage::tr("a point of the A axis: X Y Z"), mm, true},
        Besides{"spindle_rpm_nm", MachinesPage::tr("spindle: speed torque; speed torque"), MachinesPage::tr("rpm, N m"), false},
        Besides{"spindle_nose_mm", MachinesPage::tr("spindle nose: z radius z radius; from the holder's upper end"), mm, true},
        Besides{"table_mm radius", MachinesPage::tr("round table: radius"), mm, true},
        Besides{"table_mm low", MachinesPage::tr("table: lowest corner, or height"), mm, true},
        Besides{"table_mm high", MachinesPage::tr("table: highest corner, or height"), mm, true},
        Besides{"corner_time_s", MachinesPage::tr("a change of speed at a corner takes"), MachinesPage::tr("s"), false},
        Besides{"block_time_s", MachinesPage::tr("a block takes the control"), MachinesPage::tr("s"), false}})
    if (flat.contains(b.key)) out.push_back(b);
  return out;
}

/// "0 38 60 42; 60 65": its numbers and what stands between them, one after the other.
QStringList piecesOf(const QString& text) {
  static const QRegularExpression border("(?<=[ ;])(?=[^ ;])|(?<=[^ ;])(?=[ ;])");
  return text.split(border);
}

QString inInches(const QString& mm) {
  QStringList out;
  for (const QString& piece : piecesOf(mm)) {
    bool number = false;
    const double v = piece.toDouble(&number);
    out << (number ? QString::number(v / kInch, 'g', 6) : piece);
  }
  return out.join(QString());
}

/// Back; numbers that stand as they were shown are what they were to the last digit.
QString inMm(const QString& inches, const QString& was) {
  const QStringList before = piecesOf(was), shown = piecesOf(inInches(was));
  QStringList pieces = piecesOf(inches);
  for (qsizetype i = 0; i < pieces.size(); ++i) {
    bool number = false;
    const double v = pieces[i].toDouble(&number);
    if (pieces.size() == shown.size() && pieces[i] == shown[i])
      pieces[i] = before[i];
    else if (number)
      pieces[i] = QString::number(v * kInch, 'g', 12);
  }
  return pieces.join(QString());
}

QString textOf(const nlohmann::json& value) {
  return value.is_string() ? QString::fromStdString(value.get<std::string>()) : QString::number(value.get<double>(), 'g', 12);
}
} // namespace

MachinesPage::MachinesPage(Shelf& shelf)
    : LibraryPage(
          shelf, "machines", tr("Machines"),
          tr("Machines that come along are stand-ins: copy the one that is nearest and give it the travels, speeds and torque of yours. "
             "The maker's manual stands above it."),
          {{tr("name"), "name", tr("As on its plate."), Kind::Text},
           {tr("used by"), "", tr("The open job."), Kind::Text},
           {tr("axes"), "", tr("Which of them turn."), Kind::Text},
           {tr("travel"), "", tr("X, Y and Z."), Kind::Text},
           {tr("leans"), "", tr("Of the cutter against the work."), Kind::Text},
           {tr("spindle"), "", tr("Highest speed and torque."), Kind::Text},
           {tr("whose"), "", tr("Only your own can be changed."), Kind::Text}}),
      axes_(new RecordTable("axes", tr("Axes of the chosen machine"),
                            {{tr("axis"), "", {}, Kind::Text},
                             {tr("from"), "low", tr("End of travel."), Kind::Number},
                             {tr("to"), "high", tr("End of travel."), Kind::Number},
                             {tr("speed, a second"), "velocity_per_s", tr("In a rapid."), Kind::Number},
                             {tr("acceleration, a second²"), "acceleration_per_s2", tr("That the path stays within."), Kind::Number},
                             {tr("unit"), "", {}, Kind::Text}},
                            shelf.unit)),
      besides_(new RecordTable("besides", tr("What else is told of the chosen machine"),
                               {{tr("what"), "", {}, Kind::Text},
                                {tr("value"), "value", tr("Numbers with spaces between."), Kind::Text},
                                {tr("unit"), "", {}, Kind::Text}},
                               shelf.unit)),
      picture_(new MachinePicture(shelf.unit)) {
  under(tr("Axes of the chosen machine"), axes_);
  under(tr("What else is told of it"), besides_);
  beside(picture_);
  connect(table_, &QTableWidget::itemSelectionChanged, this, [this] { draw(); });
  table_->take = [this](std::size_t row, const RecordTable::Record& typed) {
    Shelf::MachineFile& m = shelf_.machines[row];
    if (!m.own) throw Error(Fault::Cannot, "This machine comes along", m.file.toStdString(), "Copy it; the copy is yours.");
    const std::string name = typed.at("name").get<std::string>();
    if (name.find_first_not_of(' ') == std::string::npos)
      throw Error(Fault::Missing, "There is no name", m.file.toStdString(), "Type one.");
    if (named(name, row))
      throw Error(Fault::Clash, "Two machines would have one name", name, "Name them apart: jobs are given them by name.");
    m.record["name"] = name;
    shelf_.machinesChanged << m.file;
    emit changed();
  };
  axes_->take = [this](std::size_t row, const RecordTable::Record& typed) {
    change([&](nlohmann::json& record) {
      const std::string axis = axesOf(record).at(row);
      const double k = !turns(axis) && shelf_.unit == LengthUnit::Inch ? kInch : 1;
      for (const char* key : kAxisKeys) {
        if (!typed.contains(key))
          throw Error(Fault::Missing, "An axis needs its ends, its speed and its acceleration", axis, "Type a number.");
        nlohmann::json& was = record["axes"][axis][key]; // what was not typed stays to the last digit
        if (typed[key].get<double>() != was.get<double>() / k) was = typed[key].get<double>() * k;
      }
    });
  };
  besides_->take = [this](std::size_t row, const RecordTable::Record& typed) {
    change([&](nlohmann::json& record) {
      nlohmann::json flat = flatMachine(record);
      const Besides b = besidesOf(flat, shelf_.unit).at(row);
      QString text = QString::fromStdString(typed.value("value", std::string()));
      if (b.length && shelf_.unit == LengthUnit::Inch) text = inMm(text, textOf(flat[b.key]));
      if (flat[b.key].is_string())
        flat[b.key] = text.toStdString();
      else if (const auto v = parseNumber(text.toStdString()))
        flat[b.key] = *v;
      else
        throw Error(Fault::NotUnderstood, "\"" + text.toStdString() + "\" is not a number", b.what.toStdString(), "Type one.");
      record = machineFromFlat(flat, record["name"].get<std::string>());
    });
  };
  button(tr("Copy as my own"), [this] { copy(); });
  button(tr("In…"), [this] {
    const QString f = QFileDialog::getOpenFileName(this, tr("Machines from a file"), {}, tr("Machines and tables of them (*.json *.csv)"));
    if (!f.isEmpty()) attempt([&] { bring(f); });
  });
  button(tr("CSV out…"), [this] {
    const QString f = QFileDialog::getSaveFileName(this, tr("Machines to CSV"), "machines.csv", tr("CSV (*.csv)"));
    if (f.isEmpty()) return;
    attempt([&] {
      std::vector<nlohmann::json> records;
      for (const Shelf::MachineFile& m : shelf_.machines) records.push_back(m.record);
      writeFileSafely(f.toStdString(), machinesToCsv(records));
      tell(tr("Written: %1").arg(f));
    });
  });
  button(tr("Take into the job"), [this] {
    if (!chosen()) return;
    if (shelf_.machinesChanged.contains(current()->file)) return tell(tr("Save first: a job names the machine's file."));
    emit taken(current()->file);
    tell(tr("Taken into the job."));
  })->setEnabled(shelf.job.has_value());
  fill();
  if (table_->rowCount() > 0) table_->selectRow(0);
}

Shelf::MachineFile* MachinesPage::current() {
  const int row = table_->chosen();
  return row < 0 || row >= static_cast<int>(shelf_.machines.size()) ? nullptr : &shelf_.machines[static_cast<std::size_t>(row)];
}

bool MachinesPage::named(const std::string& name, std::size_t besides) const {
  for (std::size_t k = 0; k < shelf_.machines.size(); ++k)
    if (k != besides && shelf_.machines[k].record["name"] == name) return true;
  return false;
}

void MachinesPage::bring(const QString& file) {
  const std::string path = file.toStdString();
  std::vector<nlohmann::json> records;
  if (QFileInfo(file).suffix().toLower() == "csv") {
    records = machinesFromCsv(readFile(path), path);
  } else {
    records.push_back(parseJson(readFile(path), "The machine file", path, "Compare it with the shipped machines."));
    machineFromJson(records.front(), path);
  }
  QStringList had;
  for (const nlohmann::json& record : records) {
    const std::string name = record["name"].get<std::string>();
    if (named(name, shelf_.machines.size())) {
      had << QString::fromStdString(name);
      continue;
    }
    const QString to = freeMachineFile(QString::fromStdString(name), files());
    shelf_.machines.push_back({to, record, true});
    shelf_.machinesChanged << to;
  }
  fill();
  emit changed();
  if (!had.isEmpty()) tell(tr("Already there and left as they are: %1").arg(had.join(", ")));
}

QStringList MachinesPage::files() const {
  QStringList out;
  for (const Shelf::MachineFile& m : shelf_.machines) out << m.file;
  return out;
}

void MachinesPage::change(const std::function<void(nlohmann::json&)>& how) {
  Shelf::MachineFile* m = current();
  if (!m) return;
  if (!m->own) throw Error(Fault::Cannot, "This machine comes along", m->file.toStdString(), "Copy it; the copy is yours.");
  nlohmann::json record = m->record;
  how(record);
  machineFromJson(record, m->file.toStdString());
  m->record = record;
  shelf_.machinesChanged << m->file;
  fill();
  emit changed();
}

void MachinesPage::copy() {
  if (!chosen()) return;
  Shelf::MachineFile m = *current();
  while (named(m.record["name"].get<std::string>(), shelf_.machines.size()))
    m.record["name"] = m.record["name"].get<std::string>() + " (copy)";
  m.record["post_commissioned"] = false; // a copy is another machine: nobody has recorded anything of it
  m.file = freeMachineFile(QFileInfo(m.file).completeBaseName(), files());
  m.own = true;
  shelf_.machines.push_back(m);
  shelf_.machinesChanged << m.file;
  fill();
  emit changed();
  table_->setCurrentCell(table_->rowCount() - 1, 0);
}

void MachinesPage::fill() {
  std::vector<RecordTable::Record> records;
  std::vector<QStringList> told;
  for (const Shelf::MachineFile& f : shelf_.machines) {
    const Machine m = machineFromJson(f.record, f.file.toStdString());
    const auto travel = [&](std::size_t a) { return m.axis[a].high - m.axis[a].low; };
    double rpm = 0, torque = 0;
    for (const SpindlePoint& s : m.spindle) rpm = std::max(rpm, s.rpm), torque = std::max(torque, s.torque);
    const bool used =
        shelf_.job && QDir::cleanPath(QDir(shelf_.jobFolder).absoluteFilePath(QString::fromStdString(shelf_.job->machineFile))) ==
                          QDir::cleanPath(f.file);
    records.push_back({{"name", f.record["name"]}});
    told.push_back({used ? tr("this job") : QString(), QString::fromStdString(f.record["kinematics"].get<std::string>()),
                    QString::fromStdString(formatSize(travel(0), travel(1), travel(2), shelf_.unit)),
                    m.leans() > 0 ? tr("to %1°").arg(degrees(m.leans()), 0, 'f', 0) : tr("no"),
                    tr("%1 rpm, %2 N m").arg(rpm, 0, 'f', 0).arg(torque, 0, 'g', 3), f.own ? tr("your own") : tr("comes along")});
  }
  table_->show(std::move(records), told);
  draw();
}

void MachinesPage::draw() {
  const Shelf::MachineFile* f = current();
  if (!f) {
    picture_->show(nullptr);
    besides_->show({});
    return axes_->show({});
  }
  const Machine m = machineFromJson(f->record, f->file.toStdString());
  picture_->show(&m);
  std::vector<RecordTable::Record> rows;
  std::vector<QStringList> told;
  for (const std::string& axis : axesOf(f->record)) {
    const bool inch = shelf_.unit == LengthUnit::Inch;
    const nlohmann::json& record = f->record["axes"][axis];
    RecordTable::Record shown = record;
    for (const char* key : kAxisKeys)
      if (!turns(axis) && inch) shown[key] = record[key].get<double>() / kInch;
    rows.push_back(shown);
    told.push_back({QString::fromStdString(axis), turns(axis) ? tr("°") : inch ? tr("in") : tr("mm")});
  }
  axes_->show(std::move(rows), told);

  std::vector<RecordTable::Record> values;
  std::vector<QStringList> names;
  const nlohmann::json flat = flatMachine(f->record);
  const bool inch = shelf_.unit == LengthUnit::Inch;
  for (const Besides& b : besidesOf(flat, shelf_.unit)) {
    const nlohmann::json& v = flat[b.key];
    values.push_back({{"value", (b.length && inch ? inInches(textOf(v)) : textOf(v)).toStdString()}});
    names.push_back({b.what, b.unit});
  }
  besides_->show(std::move(values), names);
}

} // namespace hemline::app
