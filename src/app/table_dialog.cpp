#include "table_dialog.h"
#include <QHeaderView>
#include <QPushButton>

namespace hemline::app {

TableDialog::TableDialog(const QString& title, const QString& name, QWidget* parent)
    : QDialog(parent), table_(rows(name)), tables_(new QVBoxLayout), about_(new QLabel), note_(new QLabel), bar_(new QHBoxLayout) {
  setWindowTitle(title);
  table_->setAccessibleName(title);
  auto* box = new QVBoxLayout(this);
  about_->setWordWrap(true);
  box->addWidget(about_);
  tables_->addWidget(table_, 5);
  box->addLayout(tables_, 1);
  note_->setObjectName("broken");
  note_->setWordWrap(true);
  box->addWidget(note_);
  box->addLayout(bar_);
}

QTableWidget* TableDialog::rows(const QString& name) {
  auto* table = new QTableWidget;
  table->setObjectName(name);
  table->setSelectionBehavior(QAbstractItemView::SelectRows);
  table->verticalHeader()->hide();
  return table;
}

QTableWidget* TableDialog::second(const QString& heading, const QString& name) {
  QTableWidget* table = rows(name);
  table->setAccessibleName(heading);
  tables_->addWidget(new QLabel(heading));
  tables_->addWidget(table, 3);
  return table;
}

void TableDialog::button(const QString& text, std::function<void()> run) {
  auto* b = new QPushButton(text);
  b->setAutoDefault(false);
  connect(b, &QPushButton::clicked, this, std::move(run));
  bar_->addWidget(b);
}

} // namespace hemline::app
