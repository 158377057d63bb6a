#include "countdown.h"
#include <algorithm>

namespace hemline::app {
namespace {

constexpr double kTrust = 1;  // s: what was expected counts as much as so many seconds that were measured
constexpr double kTail = 0.2; // of what a part has taken: so much more where it takes longer than it was meant to
constexpr double kLeast = 1;  // s

} // namespace

void Countdown::ended(double at) {
  if (part_ >= expected_.size()) return;
  if (at - began_ >= kKnown && expected_[part_] >= kKnown && !guessed_[part_]) took_ += at - began_, meant_ += expected_[part_];
  began_ = at;
  ++part_;
}

double Countdown::pace() const {
  return meant_ > 0 ? (took_ + kTrust) / (meant_ + kTrust) : 1;
}

double Countdown::left(double at) const {
  if (part_ >= expected_.size()) return 0;
  const double runs = at - began_;
  double left = std::max((guessed_[part_] ? 1 : pace()) * expected_[part_] - runs, kTail * runs);
  // A part that runs late tells of the others, too.
  const bool tells = expected_[part_] > 0 && !guessed_[part_];
  const double late = std::max(pace(), tells ? (took_ + runs + kTrust) / (meant_ + expected_[part_] + kTrust) : pace());
  for (std::size_t k = part_ + 1; k < expected_.size(); ++k) left += (guessed_[k] ? 1 : late) * expected_[k];
  return std::max(left, kLeast);
}

double Countdown::fraction(double at) {
  const double left = this->left(at);
  told_ = std::max(told_, at + left > 0 ? at / (at + left) : 1);
  return told_;
}

} // namespace hemline::app
