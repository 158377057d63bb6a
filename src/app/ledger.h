// The ledger: one row per step, with seams where the cutter changes; values of several steps can be changed together.
#pragma once
#include "desk.h"
#include <QTableWidget>
#include <QWidget>

namespace hemline::app {

class Ledger : public QWidget {
  Q_OBJECT
public:
  explicit Ledger(Desk& desk, QWidget* parent = nullptr);
  void refresh();
  std::vector<int> selectedSteps() const;
  QTableWidget* table() { return table_; }
  /// Fields of the steps (StepField::id) that have a column of their own.
  const QStringList& columns() const { return columns_; }
  void setColumns(const QStringList& ids);

signals:
  void stepChosen(int step);
  void addAsked(int place); ///< from 0
  void refused(const QString& what);

private:
  void move(int by);
  void duplicate();
  void remove();
  void changeAll();
  /// The menu of fields that can be columns: one part for what all kinds have, one a kind.
  void chooseColumns();
  Desk& desk_;
  QTableWidget* table_;
  QStringList columns_;
  bool filling_ = false;
};

} // namespace hemline::app
