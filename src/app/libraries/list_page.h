// A page whose records are a list of the shelf: copied, removed, changed, exchanged as CSV.
#pragma once
#include "base/error.h"
#include "base/file.h"
#include "cutter/exchange.h"
#include "libraries/library_page.h"
#include "view/assembly_picture.h"
#include <QFileDialog>
#include <QPushButton>

namespace hemline::app {

template <class T> class ListPage : public LibraryPage {
public:
  void fill() override {
    std::vector<RecordTable::Record> records;
    std::vector<QStringList> told;
    for (const T& t : list_) records.push_back(flat(t)), told.push_back(this->told(t));
    table_->show(std::move(records), told);
    draw();
  }

  /// Records from CSV beside those that are there; names that are there already are not taken. Throws Error.
  void bring(const std::string& text, const std::string& where) {
    QStringList had;
    for (const T& t : fromCsv_(text, where)) {
      if (named(t.name, list_.size()))
        had << QString::fromStdString(t.name);
      else
        list_.push_back(t);
    }
    mark();
    if (!had.isEmpty()) tell(tr("Already there and left as they are: %1").arg(had.join(", ")));
  }

protected:
  using Read = T (*)(nlohmann::json, const std::string&);
  using ToCsv = std::string (*)(const std::vector<T>&);
  using FromCsv = std::vector<T> (*)(const std::string&, const std::string&);

  ListPage(Shelf& shelf, std::vector<T>& list, bool& changedFlag, const QString& name, const QString& title, const QString& about,
           std::vector<RecordColumn> columns, Read read, ToCsv toCsv, FromCsv fromCsv)
      : LibraryPage(shelf, name, title, about, std::move(columns)), list_(list), flag_(changedFlag), fromCsv_(fromCsv) {
    table_->take = [this, read](std::size_t row, const RecordTable::Record& typed) {
      T changed = read(typed, list_[row].name);
      if (changed.name.find_first_not_of(' ') == std::string::npos)
        throw Error(Fault::Missing, "There is no name", this->title().toStdString(), "Type one.");
      if (named(changed.name, row)) throw Error(Fault::Clash, "Two of them would have one name", changed.name, "Name them apart.");
      const QString remark = beforeTaken(list_[row], changed);
      list_[row] = changed;
      mark();
      remark_ = remark;
    };
    connect(table_, &RecordTable::typed, this, [this](const QString& refused) {
      if (refused.isEmpty()) tell(std::exchange(remark_, QString()));
    });
    connect(table_, &QTableWidget::itemSelectionChanged, this, [this] { draw(); });
    button(tr("Copy as a new one"), [this] {
      const auto row = chosen();
      if (!row) return;
      T copy = list_[*row];
      do copy.name += " (copy)";
      while (named(copy.name, list_.size()));
      list_.push_back(copy);
      mark();
      table_->setCurrentCell(table_->rowCount() - 1, 0);
    });
    button(tr("Remove"), [this] {
      const auto row = chosen();
      if (!row) return;
      if (list_.size() == 1) return tell(tr("The last one stays."));
      list_.erase(list_.begin() + static_cast<std::ptrdiff_t>(*row));
      mark();
    });
    button(tr("CSV in…"), [this] {
      const QString f = QFileDialog::getOpenFileName(this, tr("%1 from CSV").arg(this->title()), {}, tr("CSV (*.csv)"));
      if (f.isEmpty()) return;
      attempt([&] { bring(readFile(f.toStdString()), f.toStdString()); });
    });
    button(tr("CSV out…"), [this, toCsv, name] {
      const QString f = QFileDialog::getSaveFileName(this, tr("%1 to CSV").arg(this->title()), name + ".csv", tr("CSV (*.csv)"));
      if (f.isEmpty()) return;
      attempt([&] {
        writeFileSafely(f.toStdString(), toCsv(list_));
        tell(tr("Written: %1").arg(f));
      });
    });
  }

  /// A button that hands the chosen record to the job; `run` says why it cannot be, or nothing.
  void handOver(const QString& name, const QString& done, const std::function<QString(const T&)>& run) {
    button(name, [this, done, run] {
      if (!chosen()) return;
      const QString refused = run(*current());
      tell(refused.isEmpty() ? done : refused);
    })->setEnabled(shelf_.job.has_value());
  }
  AssemblyPicture* besideItsPicture() {
    auto* picture = new AssemblyPicture;
    picture->setUnit(shelf_.unit);
    beside(picture);
    return picture;
  }

  /// What follows from a change, put into the new record; what there is to say of it.
  virtual QString beforeTaken(const T&, T&) const { return {}; }
  virtual QStringList told(const T&) const { return {}; }
  /// What is chosen, drawn; nothing where there is no picture.
  virtual void draw() {}
  bool named(const std::string& name, std::size_t besides) const {
    for (std::size_t k = 0; k < list_.size(); ++k)
      if (k != besides && list_[k].name == name) return true;
    return false;
  }
  void mark() {
    flag_ = true;
    fill();
    emit changed();
  }
  const T* current() const {
    const int row = table_->chosen();
    return row < 0 || row >= static_cast<int>(list_.size()) ? nullptr : &list_[static_cast<std::size_t>(row)];
  }
  std::vector<T>& list_;

private:
  bool& flag_;
  FromCsv fromCsv_;
  QString remark_;
};

} // namespace hemline::app
