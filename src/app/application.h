// The application object: what is thrown anywhere below an event is told, and never ends the program.
#pragma once
#include "base/error.h"
#include <QApplication>
#include <functional>

namespace hemline::app {

class Application : public QApplication {
public:
  using QApplication::QApplication;
  /// Is told what was thrown; none: it is written to standard error.
  void onError(std::function<void(const Error&)> tell) { tell_ = std::move(tell); }
  bool notify(QObject* receiver, QEvent* event) override;

private:
  std::function<void(const Error&)> tell_;
};

} // namespace hemline::app
