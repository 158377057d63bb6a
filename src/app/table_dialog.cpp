#include "table_dialog.h"
#include <QHeaderView>
#include <QLineEdit>
#include <QPushButton>
#include <QRegularExpression>

namespace hemline::app {

TableDialog::TableDialog(const QString& title, const QString& name, QWidget* parent)
    : QDialog(parent), table_(rows(name)), box_(new QVBoxLayout(this)), tables_(new QVBoxLayout), middle_(new QHBoxLayout),
      about_(new QLabel), note_(new QLabel), bar_(new QHBoxLayout) {
  setWindowTitle(title);
  table_->setAccessibleName(title);
  about_->setWordWrap(true);
  box_->addWidget(about_);
  tables_->addWidget(table_, 5);
  middle_->addLayout(tables_, 1);
  box_->addLayout(middle_, 1);
  note_->setObjectName("broken");
  note_->setWordWrap(true);
  box_->addWidget(note_);
  box_->addLayout(bar_);
}

void TableDialog::search(const QString& hint) {
  auto* words = new QLineEdit;
  words->setObjectName("search");
  words->setPlaceholderText(hint);
  words->setAccessibleName(hint);
  words->setClearButtonEnabled(true);
  box_->insertWidget(1, words);
  connect(words, &QLineEdit::textChanged, this, &TableDialog::filter);
}

void TableDialog::filter(const QString& words) {
  const QStringList all = words.split(' ', Qt::SkipEmptyParts);
  for (QTableWidget* t : findChildren<QTableWidget*>())
    for (int row = 0; row < t->rowCount(); ++row) {
      // Names, kinds and uses, not sizes: nearly every row has an 8 somewhere.
      QString text;
      for (const int c : {0, 1, t->columnCount() - 1})
        if (const auto* i = t->item(row, c)) text += i->text() + ' ';
      const QStringList tokens = text.split(QRegularExpression("[ ,]+"), Qt::SkipEmptyParts);
      const auto has = [&](const QString& w) {
        return std::any_of(tokens.begin(), tokens.end(),
                           [&](const QString& token) { return w[0].isDigit() ? token == w : token.startsWith(w, Qt::CaseInsensitive); });
      };
      t->setRowHidden(row, !std::all_of(all.begin(), all.end(), has));
    }
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
