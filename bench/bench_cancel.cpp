// How soon a computation stops when it is cancelled, at many moments of a whole job: reading, planning, cutting, measuring, writing.
#include "base/file.h"
#include "job/release.h"
#include <algorithm>
#include <atomic>
#include <chrono>
#include <cstdio>
#include <thread>

using namespace hemline;
using Clock = std::chrono::steady_clock;

namespace {

double milliseconds(Clock::time_point from) {
  return std::chrono::duration<double, std::milli>(Clock::now() - from).count();
}

} // namespace

/// One evaluator, so that what is finished before a cancel stays known and later moments fall into later work.
int main(int argc, char** argv) {
  if (argc != 2) return std::fprintf(stderr, "give a job\n"), 1;
  const std::string path = argv[1];
  const Job job = readJob(path);
  Evaluator evaluator;
  std::vector<std::pair<double, std::string>> reactions;
  bool done = false;
  for (double delay = 60; !done; delay *= 1.25) {
    std::mutex mutex;
    std::string doing;
    Progress progress([&](double, const std::string& what) {
      const std::lock_guard lock(mutex);
      doing = what;
    });
    std::atomic<bool> ended{false};
    Clock::time_point end;
    std::thread work([&] {
      try {
        const JobResult r = evaluator.evaluate(job, path, progress);
        writePrograms(job, r, progress);
        done = true;
      } catch (const Cancelled&) {
      }
      end = Clock::now();
      ended = true;
    });
    const auto start = Clock::now();
    while (!ended && milliseconds(start) < delay) std::this_thread::sleep_for(std::chrono::milliseconds(5));
    std::string at;
    {
      const std::lock_guard lock(mutex);
      at = doing;
    }
    const auto asked = Clock::now();
    progress.cancel();
    work.join();
    if (!done) reactions.emplace_back(std::chrono::duration<double, std::milli>(end - asked).count(), at);
  }
  std::sort(reactions.rbegin(), reactions.rend());
  std::printf("cancel, %zu moments of %s: middle %.0f ms, slowest:\n", reactions.size(), path.c_str(),
              reactions[reactions.size() / 2].first);
  for (std::size_t i = 0; i < std::min<std::size_t>(8, reactions.size()); ++i)
    std::printf("  %6.0f ms  %s\n", reactions[i].first, reactions[i].second.c_str());
  return 0;
}
