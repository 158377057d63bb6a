// Records in a table: one a row, each cell shown and typed in the unit that is chosen, checked before it is taken.
#pragma once
#include "base/units.h"
#include <QTableWidget>
#include <functional>
#include <nlohmann/json.hpp>

namespace hemline::app {

struct RecordColumn {
  enum class Kind { Text, Length, Number, Whole, Shape };
  QString head;
  std::string key; ///< of the record's flat JSON; empty: what is told of the record, never typed
  QString help;
  Kind kind = Kind::Number;
};

class RecordTable : public QTableWidget {
  Q_OBJECT
public:
  using Record = nlohmann::json;
  /// `name`: of the widget, for tests. Lengths are in mm in records and in `unit` on the screen.
  RecordTable(const QString& name, const QString& title, std::vector<RecordColumn> columns, LengthUnit unit);
  /// One row a record; what is told of each, in the order of the columns without a key.
  void show(std::vector<Record> records, const std::vector<QStringList>& told = {});
  /// What becomes of a record as it was typed. Throws Error: it is not taken, the old value stays.
  std::function<void(std::size_t row, const Record& typed)> take;
  /// The row that is chosen; -1: none.
  int chosen() const { return selectedItems().isEmpty() ? -1 : currentRow(); }
  /// Rows that do not have all words are hidden: in texts and what is told, not in sizes (nearly every row has an 8 somewhere).
  void filter(const QString& words);

signals:
  /// A value was taken (empty) or refused, in words.
  void typed(const QString& refused);

private:
  QString shown(const RecordColumn& column, const Record& value) const;
  Record read(const RecordColumn& column, const QString& text) const;
  void change(int row, int column);
  std::vector<RecordColumn> columns_;
  std::vector<Record> records_;
  LengthUnit unit_;
  bool filling_ = false;
};

} // namespace hemline::app
