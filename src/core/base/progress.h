// Long work takes a Progress: it reports, and can be stopped from any thread.
#pragma once
#include "base/error.h"
#include <atomic>
#include <functional>
#include <memory>
#include <mutex>
#include <string>

namespace hemline {

class Progress {
public:
  using Report = std::function<void(double fraction, const std::string& what)>;
  Progress() = default;
  explicit Progress(Report report) : report_(std::move(report)) {}
  /// For work beside the one that reports: tells nobody, and is cancelled with it.
  Progress beside() const { return Progress(cancelled_, {}); }
  /// For a part of this work, which outlives it: 0..1 of it are told as `from`..`to`, with `what` before its words; cancelled with it.
  Progress part(double from, double to, const std::string& what = {}) {
    return Progress(cancelled_, [this, from, to, what](double fraction, const std::string& doing) {
      report(from + (to - from) * fraction, what.empty() ? doing : what + ": " + doing);
    });
  }

  /// Tells the listener; fraction in 0..1 of the present piece of work. Safe from any thread.
  void report(double fraction, const std::string& what) {
    check();
    if (!report_) return;
    const std::lock_guard lock(mutex_);
    report_(fraction, what);
  }
  /// Throws Cancelled after cancel(). Called at least every few milliseconds in long loops.
  void check() const {
    if (cancelled_->load(std::memory_order_relaxed)) throw Cancelled();
  }
  void cancel() { cancelled_->store(true); }
  bool cancelled() const { return cancelled_->load(); }

private:
  Progress(std::shared_ptr<std::atomic<bool>> cancelled, Report report) : report_(std::move(report)), cancelled_(std::move(cancelled)) {}
  Report report_;
  std::mutex mutex_;
  std::shared_ptr<std::atomic<bool>> cancelled_ = std::make_shared<std::atomic<bool>>(false);
};

} // namespace hemline
