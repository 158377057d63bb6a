// Help beside the work: pages, a search over them, and the way back.
#pragma once
#include <QDialog>
#include <QLineEdit>
#include <QListWidget>
#include <QTextBrowser>

namespace hemline::app {

/// Pages with pictures no wider than the page.
class HelpBrowser : public QTextBrowser {
public:
  using QTextBrowser::QTextBrowser;
  QVariant loadResource(int type, const QUrl& name) override;
};

class HelpWindow : public QDialog {
  Q_OBJECT
public:
  explicit HelpWindow(QWidget* parent);
  /// Opens a page; `words`: what of it is looked for, a row's label for instance.
  void openPage(const QString& id, const QString& words = {});
  QString page() const { return page_; }

private:
  void search();
  HelpBrowser* browser_;
  QLineEdit* words_;
  QListWidget* list_;
  QString page_;
};

} // namespace hemline::app
