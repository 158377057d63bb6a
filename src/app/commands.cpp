#include "commands.h"
#include <QKeyEvent>
#include <QVBoxLayout>

namespace hemline::app {

CommandSearch::CommandSearch(const std::vector<QAction*>& commands, QWidget* parent)
    : QDialog(parent), commands_(commands), text_(new QLineEdit), list_(new QListWidget) {
  setObjectName("commandSearch");
  setWindowTitle(tr("Find a command"));
  setMinimumSize(460, 360);
  auto* box = new QVBoxLayout(this);
  text_->setPlaceholderText(tr("What do you want to do?"));
  box->addWidget(text_);
  box->addWidget(list_);
  text_->installEventFilter(this);
  connect(text_, &QLineEdit::textChanged, this, &CommandSearch::fill);
  connect(text_, &QLineEdit::returnPressed, this, &CommandSearch::run);
  connect(list_, &QListWidget::itemActivated, this, &CommandSearch::run);
  fill();
  text_->setFocus();
}

void CommandSearch::fill() {
  list_->clear();
  const QStringList words = text_->text().toLower().split(' ', Qt::SkipEmptyParts);
  for (QAction* a : commands_) {
    const QString name = a->text().remove('&');
    bool all = true;
    for (const QString& w : words) all = all && name.toLower().contains(w);
    if (!all) continue;
    const QString keys = a->shortcut().toString(QKeySequence::NativeText);
    auto* item = new QListWidgetItem(keys.isEmpty() ? name : QString("%1    %2").arg(name, keys));
    item->setData(Qt::UserRole, QVariant::fromValue(a));
    list_->addItem(item);
  }
  list_->setCurrentRow(0);
}

void CommandSearch::run() {
  if (const QListWidgetItem* i = list_->currentItem()) {
    chosen_ = i->data(Qt::UserRole).value<QAction*>();
    accept();
  }
}

bool CommandSearch::eventFilter(QObject* o, QEvent* e) {
  if (o == text_ && e->type() == QEvent::KeyPress) {
    const int key = static_cast<QKeyEvent*>(e)->key();
    if (key == Qt::Key_Down || key == Qt::Key_Up) {
      list_->setCurrentRow(std::clamp(list_->currentRow() + (key == Qt::Key_Down ? 1 : -1), 0, list_->count() - 1));
      return true;
    }
  }
  return QDialog::eventFilter(o, e);
}

} // namespace hemline::app
