// Command search: type a part of a name, Enter runs it.
#pragma once
#include <QAction>
#include <QDialog>
#include <QLineEdit>
#include <QListWidget>
#include <vector>

namespace hemline::app {

class CommandSearch : public QDialog {
  Q_OBJECT
public:
  CommandSearch(const std::vector<QAction*>& commands, QWidget* parent);
  QAction* chosen() const { return chosen_; }

protected:
  bool eventFilter(QObject*, QEvent* e) override;

private:
  void fill();
  void run();
  std::vector<QAction*> commands_;
  QLineEdit* text_;
  QListWidget* list_;
  QAction* chosen_ = nullptr;
};

} // namespace hemline::app
