#include "libraries/record_table.h"
#include "base/error.h"
#include "cutter/exchange.h"
#include <QHeaderView>
#include <QRegularExpression>
#include <algorithm>

namespace hemline::app {

using Kind = RecordColumn::Kind;

RecordTable::RecordTable(const QString& name, const QString& title, std::vector<RecordColumn> columns, LengthUnit unit)
    : columns_(std::move(columns)), unit_(unit) {
  setObjectName(name);
  setAccessibleName(title);
  setSelectionBehavior(QAbstractItemView::SelectRows);
  setSelectionMode(QAbstractItemView::SingleSelection);
  setTabKeyNavigation(false); // Tab leaves the table: arrow keys walk in it
  verticalHeader()->hide();
  setColumnCount(static_cast<int>(columns_.size()));
  for (std::size_t c = 0; c < columns_.size(); ++c) {
    auto* head = new QTableWidgetItem(columns_[c].head);
    head->setToolTip(columns_[c].help);
    setHorizontalHeaderItem(static_cast<int>(c), head);
  }
  connect(this, &QTableWidget::cellChanged, this, &RecordTable::change);
}

QString RecordTable::shown(const RecordColumn& column, const Record& value) const {
  const bool inch = unit_ == LengthUnit::Inch;
  if (column.kind == Kind::Shape) {
    const std::string text = value.get<std::string>();
    return QString::fromStdString(inch ? shapeText(shapeFromText(text), kInch) : text);
  }
  if (value.is_string()) return QString::fromStdString(value.get<std::string>());
  const double v = value.get<double>();
  return QString::number(column.kind == Kind::Length && inch ? v / kInch : v, 'g', inch ? 5 : 6);
}

RecordTable::Record RecordTable::read(const RecordColumn& column, const QString& text) const {
  const std::string typed = text.trimmed().toStdString();
  if (column.kind == Kind::Text) return typed;
  if (column.kind == Kind::Shape) return shapeText(shapeFromText(typed, unit_ == LengthUnit::Inch ? kInch : 1));
  const auto v = column.kind == Kind::Length ? parseLength(typed, unit_) : parseNumber(typed);
  if (!v)
    throw Error(Fault::NotUnderstood, "\"" + typed + "\" is not a number", column.head.toStdString(),
                "Type a number or a sum such as 3*0.2.");
  if (column.kind == Kind::Whole) return static_cast<int>(std::lround(*v));
  return *v;
}

void RecordTable::show(std::vector<Record> records, const std::vector<QStringList>& told) {
  filling_ = true;
  records_ = std::move(records);
  const int keep = currentRow();
  setRowCount(static_cast<int>(records_.size()));
  for (std::size_t r = 0; r < records_.size(); ++r) {
    qsizetype words = 0;
    for (std::size_t c = 0; c < columns_.size(); ++c) {
      const RecordColumn& column = columns_[c];
      QString text;
      if (column.key.empty())
        text = r < told.size() && words < told[r].size() ? told[r][words++] : QString();
      else if (records_[r].contains(column.key))
        text = shown(column, records_[r][column.key]);
      auto* item = new QTableWidgetItem(text);
      if (column.key.empty()) item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
      if (column.kind == Kind::Length || column.kind == Kind::Number || column.kind == Kind::Whole)
        item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
      setItem(static_cast<int>(r), static_cast<int>(c), item);
    }
  }
  resizeColumnsToContents();
  for (int c = 0; c < columnCount(); ++c) setColumnWidth(c, std::min(columnWidth(c), 260));
  if (keep >= 0 && keep < rowCount()) setCurrentCell(keep, std::max(0, currentColumn()));
  filling_ = false;
}

void RecordTable::change(int row, int column) {
  if (filling_ || static_cast<std::size_t>(row) >= records_.size()) return;
  const RecordColumn& c = columns_[static_cast<std::size_t>(column)];
  const QString text = item(row, column)->text();
  try {
    Record typed = records_[static_cast<std::size_t>(row)];
    if (text.trimmed().isEmpty() && c.kind != Kind::Text)
      typed.erase(c.key); // not known
    else
      typed[c.key] = read(c, text);
    take(static_cast<std::size_t>(row), typed);
    emit this->typed({});
  } catch (const Error& e) { // the old value stays
    filling_ = true;
    const Record& was = records_[static_cast<std::size_t>(row)];
    item(row, column)->setText(was.contains(c.key) ? shown(c, was[c.key]) : QString());
    filling_ = false;
    QString words = QString::fromUtf8(e.what());
    for (const RecordColumn& any : columns_)
      if (!any.key.empty()) words.replace(QString("'%1'").arg(QString::fromStdString(any.key)), any.head);
    emit this->typed(words);
  }
}

void RecordTable::filter(const QString& words) {
  const QStringList all = words.split(' ', Qt::SkipEmptyParts);
  for (int row = 0; row < rowCount(); ++row) {
    QString text;
    for (std::size_t c = 0; c < columns_.size(); ++c)
      if (columns_[c].kind == Kind::Text) text += item(row, static_cast<int>(c))->text() + ' ';
    const QStringList tokens = text.split(QRegularExpression("[ ,]+"), Qt::SkipEmptyParts);
    const auto has = [&](const QString& w) {
      return std::any_of(tokens.begin(), tokens.end(),
                         [&](const QString& t) { return w[0].isDigit() ? t == w : t.startsWith(w, Qt::CaseInsensitive); });
    };
    setRowHidden(row, !std::all_of(all.begin(), all.end(), has));
  }
  // What is chosen is among what is seen.
  if (chosen() >= 0 && !isRowHidden(chosen())) return;
  clearSelection();
  for (int row = 0; row < rowCount(); ++row)
    if (!isRowHidden(row)) return selectRow(row);
}

} // namespace hemline::app
