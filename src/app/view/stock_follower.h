// Cuts the stock up to any place of a step in the background, so that the view can show it there. Stocks and surfaces of places a few
// hundredths of a second of cutting apart are kept, for several steps: once a step was cut through, any place is a short way from a kept
// one.
#pragma once
#include "job/evaluate.h"
#include "stock/stock_surface.h"
#include <QObject>
#include <atomic>
#include <condition_variable>
#include <list>
#include <map>
#include <thread>

namespace hemline::app {

class StockFollower : public QObject {
  Q_OBJECT
public:
  /// Kept places take at most about so many bytes beside the stocks that steps begin with, and are so many ms of cutting apart.
  explicit StockFollower(QObject* parent = nullptr, std::size_t mostMemory = std::size_t{512} << 20, int apart = 15);
  ~StockFollower() override;
  /// Asks for the stock before `location` of the step. Only the newest request counts; when none is
  /// open the rest of the step is cut, too, so that later places are near.
  void request(std::shared_ptr<const StepResult> step, std::size_t location);
  /// Places whose stock is kept, and the memory that they take beside the first, bytes.
  std::pair<std::size_t, std::size_t> kept() const;

signals:
  void cut(std::shared_ptr<const ShownTriangles> surface, int location);
  /// The step was cut to its end.
  void passedThrough();

private:
  struct Place {
    Stock stock;
    StockSurface surface;
    std::size_t memory = 0; ///< beside the place before it
  };
  /// One step, as far as it was cut.
  struct Pass {
    std::weak_ptr<const StepResult> step;
    std::map<std::size_t, Place> places; ///< by the number of locations that are cut
    std::size_t memory = 0;
    int apart = 0; ///< ms of cutting between places
    bool through = false;
    void measure(std::map<std::size_t, Place>::iterator place);
    void thin();
  };
  void run();
  /// The pass over the step, put to the front.
  Pass& passOver(const std::shared_ptr<const StepResult>& step);
  /// Cuts on from a place, keeping places on the way, until the end or until something newer is asked.
  void cutTo(std::size_t end, const StepResult& step, Place& place, std::size_t& at, Progress& progress);
  void keep(std::size_t location, const Place& place);

  std::thread thread_;
  mutable std::mutex mutex_;
  std::condition_variable wake_;
  bool stop_ = false, asked_ = false;
  std::shared_ptr<const StepResult> step_;
  std::size_t location_ = 0;
  std::shared_ptr<Progress> progress_;
  const std::size_t mostMemory_;
  const int apart_;
  std::list<Pass> passes_; ///< the thread's own; the last one asked for first
  std::atomic<std::size_t> count_{0}, memory_{0};
};

} // namespace hemline::app
