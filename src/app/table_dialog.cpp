#include "table_dialog.h"
#include <QHeaderView>
#include <QPushButton>
#include <QVBoxLayout>

namespace hemline::app {

TableDialog::TableDialog(const QString& title, const QString& name, QWidget* parent)
    : QDialog(parent), table_(new QTableWidget), about_(new QLabel), note_(new QLabel), bar_(new QHBoxLayout) {
  setWindowTitle(title);
  auto* box = new QVBoxLayout(this);
  about_->setWordWrap(true);
  box->addWidget(about_);
  table_->setObjectName(name);
  table_->setSelectionBehavior(QAbstractItemView::SelectRows);
  table_->verticalHeader()->hide();
  box->addWidget(table_, 1);
  note_->setObjectName("broken");
  note_->setWordWrap(true);
  box->addWidget(note_);
  box->addLayout(bar_);
}

void TableDialog::button(const QString& text, std::function<void()> run) {
  auto* b = new QPushButton(text);
  b->setAutoDefault(false);
  connect(b, &QPushButton::clicked, this, std::move(run));
  bar_->addWidget(b);
}

} // namespace hemline::app
