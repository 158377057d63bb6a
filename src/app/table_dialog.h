// A table that is edited in a window of its own: what it is, the table, a note on what was typed, buttons.
#pragma once
#include <QDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QTableWidget>
#include <QVBoxLayout>
#include <functional>

namespace hemline::app {

class TableDialog : public QDialog {
public:
  QTableWidget* table() { return table_; }

protected:
  /// `name`: of the table, for tests and styles.
  TableDialog(const QString& title, const QString& name, QWidget* parent);
  void about(const QString& text) { about_->setText(text); }
  void tell(const QString& text) { note_->setText(text); }
  void button(const QString& text, std::function<void()> run);
  /// A second table under the first, with its heading.
  QTableWidget* second(const QString& heading, const QString& name);
  /// A field over the tables: rows that do not have all of its words are hidden. `beside`: a widget to the right of the tables.
  void search(const QString& hint);
  void beside(QWidget* widget) { middle_->addWidget(widget); }
  void gap() { bar_->addStretch(1); } ///< between the buttons

  QTableWidget* table_;

private:
  static QTableWidget* rows(const QString& name);
  void filter(const QString& words);
  QVBoxLayout *box_, *tables_;
  QHBoxLayout* middle_;
  QLabel *about_, *note_;
  QHBoxLayout* bar_;
};

} // namespace hemline::app
