// One of the libraries: a table of records, what is chosen drawn to scale, and what can be done with it.
#pragma once
#include "libraries/record_table.h"
#include "libraries/shelf.h"
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <QWidget>

namespace hemline::app {

class LibraryPage : public QWidget {
  Q_OBJECT
public:
  QString title() const { return title_; }
  RecordTable* table() { return table_; }
  /// From the shelf, as it is now.
  virtual void fill() = 0;

signals:
  void changed();

protected:
  LibraryPage(Shelf& shelf, const QString& name, const QString& title, const QString& about, std::vector<RecordColumn> columns);
  void tell(const QString& words) { note_->setText(words); }
  /// Runs it; what it refuses is told.
  void attempt(const std::function<void()>& run);
  QPushButton* button(const QString& text, std::function<void()> run);
  /// A second table under the first, with its heading; a widget to the right of the tables.
  void under(const QString& heading, RecordTable* table);
  void beside(QWidget* widget) { middle_->addWidget(widget); }
  /// The chosen row, or words that say to choose one.
  std::optional<std::size_t> chosen();
  Shelf& shelf_;
  RecordTable* table_;

private:
  QString title_;
  QVBoxLayout* tables_;
  QHBoxLayout *middle_, *bar_;
  QLabel* note_;
};

} // namespace hemline::app
