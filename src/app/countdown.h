// How far a computation is, and how long it will still take: from what such parts took before, corrected by what those of this run take.
#pragma once
#include <cstddef>
#include <vector>

namespace hemline::app {

/// Parts run one after the other: reading and studying the model first, then a part a step. Times are in seconds since the start.
class Countdown {
public:
  Countdown() = default;
  /// What each part is expected to take, s; `guessed`: those of which nothing was ever seen here. They say nothing of the others' pace, nor
  /// do the others of theirs.
  explicit Countdown(std::vector<double> expected, std::vector<char> guessed = {})
      : expected_(std::move(expected)), guessed_(std::move(guessed)) {
    guessed_.resize(expected_.size(), 0);
  }
  /// The part that runs has ended; the next one begins. A part that took less than kKnown was remembered: it says nothing of the others.
  void ended(double at);
  /// What is still to come, s; at least a second while a part runs.
  double left(double at) const;
  /// Of the whole, 0 to 1; never less than it was told before.
  double fraction(double at);
  /// How many times the expected time the parts of this run take; 1: not known yet.
  double pace() const;
  std::size_t part() const { return part_; }
  static constexpr double kKnown = 0.05; ///< s

private:
  std::vector<double> expected_;
  std::vector<char> guessed_;
  std::size_t part_ = 0;
  double began_ = 0, told_ = 0;
  double took_ = 0, meant_ = 0; ///< of the parts that ended and were not remembered, s
};

} // namespace hemline::app
