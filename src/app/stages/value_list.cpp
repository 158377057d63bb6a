#include "stages/value_list.h"
#include "theme.h"

namespace hemline::app {

ValueList::ValueList(Desk& desk, const char* name, QWidget* parent) : QWidget(parent), desk_(desk) {
  setObjectName(name);
  auto* box = new QVBoxLayout(this);
  box->setContentsMargins(0, 8, 6, 0);
  box->setSpacing(4);
  note_ = new QLabel;
  note_->setObjectName(QString(name) + "Note");
  note_->setWordWrap(true);
  note_->setStyleSheet("color: " + theme().broken.name());
  note_->hide();
  rows_ = new QWidget;
  box->addWidget(note_);
  box->addWidget(rows_);
}

Clause* ValueList::clause(const QString& id) const {
  for (Clause* c : clauses_)
    if (c->id() == id) return c;
  return nullptr;
}

void ValueList::begin() {
  clauses_.clear();
  // Later: it is mostly a button or a menu among them that asked for this.
  rows_->hide();
  rows_->deleteLater();
  rows_ = new QWidget;
  layout()->addWidget(rows_);
  all_ = new QVBoxLayout(rows_);
  all_->setContentsMargins(0, 0, 0, 0);
  all_->setSpacing(2);
}

void ValueList::heading(const QString& words) {
  auto* l = new QLabel(words);
  l->setObjectName("title");
  all_->addSpacing(8);
  all_->addWidget(l);
}

void ValueList::words(const QString& text, bool wrong) {
  auto* l = new QLabel(text);
  l->setWordWrap(true);
  l->setObjectName(wrong ? "broken" : "muted");
  all_->addWidget(l);
}

void ValueList::add(const Value& v) {
  auto* c = new Clause(desk_, v, false);
  connect(c, &Clause::refused, this, [this](const QString& m) {
    note_->setText(m);
    note_->show();
  });
  connect(c, &Clause::accepted, note_, &QWidget::hide);
  clauses_.push_back(c);
  auto* line = new QHBoxLayout;
  auto* name = new QLabel(v.label);
  name->setToolTip(v.help);
  line->addWidget(name);
  line->addStretch(1);
  line->addWidget(c);
  all_->addLayout(line);
}

QPushButton* ValueList::link(const QString& words, const char* name, std::function<void()> run) {
  auto* b = new QPushButton(words);
  b->setObjectName("link");
  b->setAccessibleName(name);
  connect(b, &QPushButton::clicked, this, std::move(run));
  all_->addWidget(b, 0, Qt::AlignLeft);
  return b;
}

void ValueList::refreshValues() {
  for (Clause* c : clauses_) c->refresh();
}

} // namespace hemline::app
