// Pictures that take a while are made one after the other beside the window, and come into their labels when they are there.
#pragma once
#include "base/progress.h"
#include <QImage>
#include <QLabel>
#include <QObject>
#include <QPointer>
#include <deque>
#include <functional>
#include <mutex>
#include <thread>

namespace hemline::app {

class PictureMaker : public QObject {
  Q_OBJECT
public:
  /// Returns a null image where there is nothing to draw. May throw Error and Cancelled: the label stays empty.
  using Make = std::function<QImage(Progress&)>;
  /// Stops what it makes, and waits until it has stopped.
  ~PictureMaker() override;
  void make(QLabel* into, Make picture);
  bool busy();

private:
  struct Asked {
    QPointer<QLabel> into;
    Make make;
  };
  void work();

  std::mutex mutex_;
  std::deque<Asked> asked_; ///< guarded by the mutex, as is `working_`
  bool working_ = false;
  Progress progress_;
  std::thread thread_;
};

} // namespace hemline::app
