// The ledger: one row per step, with seams where the cutter changes; values of several steps can be changed together.
#pragma once
#include "desk.h"
#include <QLabel>
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
  /// What dropping the step that is being dragged here would mean; empty: none is dragged, or it stays where it is.
  QString dropMeans() const { return means_->isVisible() ? means_->text() : QString(); }
  /// Fields of the steps (StepField::id) that have a column of their own.
  const QStringList& columns() const { return columns_; }
  void setColumns(const QStringList& ids);

signals:
  void stepChosen(int step);
  void addAsked(int place); ///< from 0
  void refused(const QString& what);

protected:
  bool eventFilter(QObject* of, QEvent* e) override; ///< of the table: rows are dragged

private:
  void drag(const QPoint& at);
  void drop(bool take);
  int rowOf(int step) const;
  void move(int by);
  void moveTo(int from, int place);
  void duplicate();
  void remove();
  void changeAll();
  /// The menu of fields that can be columns: one part for what all kinds have, one a kind.
  void chooseColumns();
  Desk& desk_;
  QTableWidget* table_;
  QStringList columns_;
  bool filling_ = false;
  QLabel* means_ = nullptr;
  QFrame* line_ = nullptr;         ///< where the dragged step would go
  int dragged_ = -1, dropAt_ = -1; ///< step, and its new place; -1: none
  QPoint pressed_;
};

} // namespace hemline::app
