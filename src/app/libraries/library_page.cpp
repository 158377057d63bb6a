#include "libraries/library_page.h"
#include "base/error.h"
#include <QLineEdit>
#include <QPushButton>

namespace hemline::app {

LibraryPage::LibraryPage(Shelf& shelf, const QString& name, const QString& title, const QString& about, std::vector<RecordColumn> columns)
    : shelf_(shelf), table_(new RecordTable(name, title, std::move(columns), shelf.unit)), title_(title), tables_(new QVBoxLayout),
      middle_(new QHBoxLayout), bar_(new QHBoxLayout), note_(new QLabel) {
  setObjectName("page_" + name);
  auto* box = new QVBoxLayout(this);
  box->setContentsMargins(0, 0, 0, 0);
  auto* words = new QLabel(about);
  words->setWordWrap(true);
  box->addWidget(words);
  auto* search = new QLineEdit;
  search->setObjectName("search");
  search->setPlaceholderText(tr("Search in %1").arg(title.toLower()));
  search->setAccessibleName(search->placeholderText());
  search->setClearButtonEnabled(true);
  connect(search, &QLineEdit::textChanged, table_, &RecordTable::filter);
  box->addWidget(search);
  tables_->addWidget(table_, 5);
  middle_->addLayout(tables_, 1);
  box->addLayout(middle_, 1);
  note_->setObjectName("broken");
  note_->setWordWrap(true);
  box->addWidget(note_);
  box->addLayout(bar_);
  bar_->addStretch(1);
  connect(table_, &RecordTable::typed, this, &LibraryPage::tell);
}

void LibraryPage::attempt(const std::function<void()>& run) {
  try {
    run();
  } catch (const Error& e) {
    tell(QString::fromUtf8(e.what()));
  }
}

QPushButton* LibraryPage::button(const QString& text, std::function<void()> run) {
  auto* b = new QPushButton(text);
  b->setAutoDefault(false);
  connect(b, &QPushButton::clicked, this, std::move(run));
  bar_->insertWidget(bar_->count() - 1, b);
  return b;
}

void LibraryPage::under(const QString& heading, RecordTable* table) {
  connect(table, &RecordTable::typed, this, &LibraryPage::tell);
  auto* words = new QLabel(heading);
  words->setBuddy(table);
  tables_->addWidget(words);
  tables_->addWidget(table, 4);
}

std::optional<std::size_t> LibraryPage::chosen() {
  if (const int row = table_->chosen(); row >= 0) return static_cast<std::size_t>(row);
  tell(tr("Choose a row first."));
  return std::nullopt;
}

} // namespace hemline::app
