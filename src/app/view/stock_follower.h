// Cuts the stock up to any place of a step in the background, so that the view can show it there. Cuts on from the nearest
// place behind that it has kept.
#pragma once
#include "job/evaluate.h"
#include <QObject>
#include <condition_variable>
#include <map>
#include <thread>

namespace hemline::app {

class StockFollower : public QObject {
  Q_OBJECT
public:
  explicit StockFollower(QObject* parent = nullptr);
  ~StockFollower() override;
  /// Asks for the stock before `location` of the step (its path starting from `before`). Only the newest request counts.
  void request(std::shared_ptr<const StepResult> step, std::shared_ptr<const StockState> before, std::size_t location);

signals:
  void cut(std::shared_ptr<const Mesh> surface, int location);

private:
  void run();
  std::thread thread_;
  std::mutex mutex_;
  std::condition_variable wake_;
  bool stop_ = false, asked_ = false;
  std::shared_ptr<const StepResult> step_;
  std::shared_ptr<const StockState> before_;
  std::size_t location_ = 0;
  std::shared_ptr<Progress> progress_;
};

} // namespace hemline::app
