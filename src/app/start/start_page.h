// What the window shows before there is a job: start from a model, open one, the last ones, the demos.
#pragma once
#include <QLabel>
#include <QListWidget>
#include <QPushButton>

namespace hemline::app {

class StartPage : public QWidget {
  Q_OBJECT
public:
  explicit StartPage(QWidget* parent = nullptr);
  /// The last jobs as they are now.
  void refresh();

signals:
  void modelAsked();
  void jobAsked();
  void jobChosen(const QString& path);

private:
  QListWidget* list(const char* name, const QString& heading, const QSize& picture);
  QLabel* lastHeading_ = nullptr;
  QListWidget *last_ = nullptr, *demos_ = nullptr;
};

} // namespace hemline::app
