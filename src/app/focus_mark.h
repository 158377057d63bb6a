// A frame about what has the focus, for whoever works by keys; gone as soon as the mouse is used.
#pragma once
#include <QPointer>
#include <QTimer>
#include <QWidget>

namespace hemline::app {

class FocusMark : public QWidget {
public:
  /// Watches the application from now on.
  explicit FocusMark(QWidget* parent);

protected:
  bool eventFilter(QObject* o, QEvent* e) override;
  void paintEvent(QPaintEvent*) override;

private:
  void follow();
  QPointer<QWidget> home_;        ///< a window of its own keeps it when a dialog that had it goes
  const QWidget* last_ = nullptr; ///< that was followed; to compare only
  QTimer soon_;
  bool keys_ = false; ///< they were used last
};

} // namespace hemline::app
